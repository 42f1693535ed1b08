package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// 80 % was reached between two readings, 16:10 and 18:05 after the start: whether it took 18 minutes nobody can say.
func TestAClaimBetweenTwoReadingsIsUndecided(t *testing.T) {
	at := func(minutes float64) Claim {
		r := of(typed(trace.StallSide, [3]float64{0, 10, 150}, [3]float64{600, 55, 150}, [3]float64{970, 76, 90},
			[3]float64{1085, 82, 80}))
		r.Claims = []run.Claim{{Kind: "window", FromPct: run.N(10), ToPct: run.N(80), Minutes: run.N(minutes)}}
		return Read(r, Options{}).Claims[0]
	}
	c := at(18)
	assert.Equal(t, ClaimUndecided, c.Verdict)
	require.NotNil(t, c.Low)
	assert.InDelta(t, 970/60.0, *c.Low, 1e-9)
	assert.InDelta(t, 1085/60.0, *c.High, 1e-9)
	assert.Equal(t, ClaimMet, at(18.2).Verdict)
	assert.Equal(t, ClaimMissed, at(16).Verdict)
}

// A claim counts the charging, not the handshake; a gentle run and a weaker stall than it is made for test none.
func TestWhatTestsAClaim(t *testing.T) {
	at := func(change func(*run.Run), claim run.Claim) Claim {
		var rows [][3]float64
		for s := 0.0; s <= 1800; s += 10 {
			kw, soc := 0.0, 10.0
			if s >= 60 {
				kw, soc = 100, 10+(s-60)/24
			}
			rows = append(rows, [3]float64{s, soc, kw})
		}
		r := of(typed(trace.CarSide, rows...))
		r.Marks = []run.Mark{mark(0, run.PlugIn)}
		r.Claims = []run.Claim{claim}
		change(r)
		return Read(r, Options{}).Claims[0]
	}
	window := run.Claim{Kind: "window", FromPct: run.N(10), ToPct: run.N(60), Minutes: run.N(20.5)}
	c := at(func(*run.Run) {}, window)
	assert.InDelta(t, 20, *c.Measured, 1e-9, "50 points at 24 s each, from first power")
	assert.Equal(t, ClaimMet, c.Verdict)

	window.Minutes = run.N(15)
	assert.Equal(t, ClaimMissed, at(func(*run.Run) {}, window).Verdict)
	c = at(func(r *run.Run) { r.Conditions = &run.Condition{Profile: "gentle"} }, window)
	assert.Equal(t, ClaimUntested, c.Verdict)
	assert.Contains(t, c.Why.Kept(), "gentle")
	window.StallKW = run.N(150)
	c = at(func(r *run.Run) { r.Stall = &run.Stall{RatedKW: run.N(100)} }, window)
	assert.Equal(t, ClaimUntested, c.Verdict)
	assert.Contains(t, c.Why.Kept(), "for stalls of 150 kW and more, this one has 100")
}

func TestAClaimForAStall(t *testing.T) {
	list, err := run.ParseClaims("10-80 in 39 min, on 150 kW and more: brochure\npeak 117 kW on 150 kW\n")
	require.NoError(t, err)
	assert.Equal(t, 150.0, *list[0].StallKW)
	assert.Equal(t, "brochure", list[0].Note)
	assert.Equal(t, 150.0, *list[1].StallKW)
	again, err := run.ParseClaims(list[0].String())
	require.NoError(t, err)
	assert.Equal(t, list[0], again[0])
}
