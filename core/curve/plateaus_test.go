package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// 150 kW for ten minutes, a line down to 90 over five, 90 for five, then 30 at once: two plateaus,
// no plateau on the line, one cliff half way through its fall.
func TestPlateausAndCliffs(t *testing.T) {
	car := rec(trace.CarSide, 1, points{{0, 10}, {1800, 70}},
		points{{0, 150}, {600, 150}, {900, 90}, {1200, 90}, {1210, 30}, {1800, 30}})
	x := Read(of(car), Options{})
	require.Len(t, x.Plateaus, 3)
	for i, want := range []struct{ from, to, kw float64 }{{0, 600, 150}, {900, 1200, 90}, {1210, 1800, 30}} {
		p := x.Plateaus[i]
		assert.InDelta(t, want.from, p.FromS, 12, "plateau %d", i)
		assert.InDelta(t, want.to, p.ToS, 12, "plateau %d", i)
		assert.InEpsilon(t, want.kw, p.KW, 0.01)
		assert.InDelta(t, 0, p.SlopeKWPerMin, 0.005*want.kw)
		near(t, 10+want.from/30, p.FromPct, 0.5)
	}
	require.Len(t, x.Cliffs, 1)
	c := x.Cliffs[0]
	assert.InDelta(t, 1205, c.TS, 1, "the middle of the fall")
	assert.InDelta(t, 90, c.FromKW, 1)
	assert.InDelta(t, 30, c.ToKW, 1)
}

// A fall of a fifth is no cliff, nor is one that takes a minute, one that comes back within half a
// minute, or the end.
func TestWhatIsNoCliff(t *testing.T) {
	for name, kw := range map[string]points{
		"a fifth":    {{0, 100}, {600, 100}, {605, 80}, {1200, 80}},
		"a minute":   {{0, 100}, {600, 100}, {660, 60}, {1200, 60}},
		"comes back": {{0, 100}, {600, 100}, {603, 50}, {615, 50}, {618, 100}, {1200, 100}},
		"the end":    {{0, 100}, {600, 100}, {603, 0}, {1200, 0}},
	} {
		x := Read(of(rec(trace.CarSide, 1, points{{0, 10}, {1200, 40}}, kw)), Options{})
		assert.Empty(t, x.Cliffs, name)
	}
}

// claimed is a run from 10 to 82 % at 120 kW in which a claim is made.
func claimed(c run.Claim, change func(*run.Run)) Claim {
	r := simple()
	r.Claims = []run.Claim{c}
	if change != nil {
		change(r)
	}
	return Read(r, Options{}).Claims[0]
}

// 10 to 80 % take 1770 s there, 29.5 min, worked out by hand in curve_test.go.
func TestClaims(t *testing.T) {
	window := func(minutes float64) run.Claim {
		return run.Claim{Kind: "window", FromPct: run.N(10), ToPct: run.N(80), Minutes: run.N(minutes)}
	}
	c := claimed(window(30), nil)
	assert.Equal(t, ClaimMet, c.Verdict)
	assert.InDelta(t, 29.5, *c.Measured, 1e-6)
	assert.Equal(t, "30 s faster", c.Why.Kept())
	c = claimed(window(29), nil)
	assert.Equal(t, ClaimMissed, c.Verdict)
	assert.Equal(t, "30 s slower", c.Why.Kept())
	c = claimed(run.Claim{Kind: "window", FromPct: run.N(5), ToPct: run.N(80), Minutes: run.N(30)}, nil)
	assert.Equal(t, ClaimUntested, c.Verdict)
	assert.Nil(t, c.Measured)
	assert.Contains(t, c.Why.Kept(), "does not cover")
	assert.Equal(t, ClaimMet, claimed(run.Claim{Kind: "peak", KW: run.N(120)}, nil).Verdict)
	assert.Equal(t, ClaimMissed, claimed(run.Claim{Kind: "peak", KW: run.N(130)}, nil).Verdict)

	// A pack that takes 180 kW there, at a stall of 300 A and 400 V: 120 kW is all it gives.
	weak := func(r *run.Run) {
		r.Car = &run.Car{UsableKWh: run.N(83), CellsInSeries: run.N(108), MaxKW: run.N(190),
			Envelope: []run.Point{{SoCPct: 0, KW: 180}, {SoCPct: 85, KW: 180}}}
		r.Stall = &run.Stall{RatedKW: run.N(250), MaxA: run.N(300)}
		rec := r.Recordings[0]
		amps, volts := make([]float64, len(rec.T)), make([]float64, len(rec.T))
		for i, kw := range rec.Columns[trace.Power] {
			amps[i], volts[i] = kw/0.4, 400
		}
		rec.Columns[trace.Current], rec.Columns[trace.Voltage] = amps, volts
	}
	c = claimed(window(22), weak)
	assert.Equal(t, ClaimUntested, c.Verdict, c.Why)
	assert.Contains(t, c.Why.Kept(), limit.StallCurrent.Words())
	c = claimed(window(15), weak)
	assert.Equal(t, ClaimMissed, c.Verdict, "not even at 180 kW: 50 kWh need 16.7 min; %s", c.Why)
	assert.Equal(t, ClaimUntested, claimed(run.Claim{Kind: "peak", KW: run.N(180)}, weak).Verdict)
}

// 120 kW into the pack from 20.95 s on, at 200 Wh/km: 100 km are 20 kWh, 600 s after the power
// began; the ramp before it is half a kWh at most.
func TestDistance(t *testing.T) {
	r := simple()
	r.Car = &run.Car{ConsumptionWhKm: run.N(200), RatedRangeKm: run.N(500), UsableKWh: run.N(80)}
	x := Read(r, Options{})
	require.Len(t, x.Distance, 2)
	d := x.Distance[0]
	assert.Equal(t, "observed", d.Basis)
	assert.False(t, d.Estimated)
	require.GreaterOrEqual(t, len(d.Plus), 2)
	assert.Equal(t, 100.0, d.Plus[1].Km)
	assert.InDelta(t, 621, d.Plus[1].TS, 2)
	assert.InEpsilon(t, 60_000/200.0, d.AddedKm, 0.01, "60 kWh")
	near(t, 120*1000/60.0/200, d.KmPerMin, 0.15)
	assert.Equal(t, 160.0, x.Distance[1].WhPerKm, "80 kWh for 500 km")

	// 50 and 100 mi are 80.47 and 160.93 km: 16.09 and 32.19 kWh, 483 and 966 s.
	require.GreaterOrEqual(t, len(d.PlusMi), 2)
	assert.InDelta(t, 160.9344, d.PlusMi[1].Km, 1e-9)
	assert.InDelta(t, 21+965.6, d.PlusMi[1].TS, 3)
	f := find(t, x, AboutDistance)
	assert.Contains(t, f.TextMi.Kept(), "+100 mi after 16 min")
	assert.Contains(t, f.Text.Kept(), "+100 km after 10 min")
}

// The power was read for a part of the charge alone: how far it goes is told by the charge and the noted capacity.
func TestDistanceWhereTheEnergyIsMissing(t *testing.T) {
	car := rec(trace.CarSide, 5, points{{0, 10}, {3600, 90}}, points{{0, 60}, {3600, 60}})
	for i := range car.T {
		if car.T[i] > 600 {
			car.Columns[trace.Power][i] = none
		}
	}
	r := of(car)
	r.Car = &run.Car{ConsumptionWhKm: run.N(200), UsableKWh: run.N(80)}
	d := Read(r, Options{}).Distance[0]
	assert.True(t, d.ByCharge)
	assert.InDelta(t, 0.8*80*1000/200, d.AddedKm, 1e-6)
	assert.InDelta(t, 3600*100.0/320, *d.To(100), 1e-6)
}
