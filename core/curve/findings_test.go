package curve

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

func find(t *testing.T, x *Reading, kind string) Finding {
	t.Helper()
	for _, f := range x.Findings {
		if f.Kind == kind {
			return f
		}
	}
	require.Fail(t, "no finding", kind)
	return Finding{}
}

// The simple run of curve_test.go in sentences, worked out by hand there: 10-80 from 0
// to 1770 s, 120 kW held from 20.95 s to the end, 1750 s of it at 120 kW.
func TestFindingsOfASimpleRun(t *testing.T) {
	x := Read(simple(), Options{})
	w := x.Findings[0]
	assert.Equal(t, AboutWindow, w.Kind, "the window comes first")
	assert.Equal(t, "10–80 % in 29 min 30 s. The car or the stall, which of them cannot be told from this log, held it.",
		w.Text.Kept(), "nothing is noted of car and stall: whose it is cannot be told")
	assert.Equal(t, [2]float64{0, 1770}, [2]float64{w.FromS, w.ToS})
	assert.Equal(t, say.Strong, w.Confidence)
	assert.Contains(t, w.Evidence[0].Kept(), "post 10 at 0:00, post 80 at 29:30 after plug-in")
	assert.Contains(t, w.Evidence[1].Kept(), "119 kW on average")

	p := find(t, x, AboutPeak)
	assert.Equal(t, "Peak 120 kW; 114 kW or more held for 29 min 59 s, from 10 to 82 %.", p.Text.Kept())
	assert.InDelta(t, 20.95, p.FromS, 1e-6)
	assert.InDelta(t, 1820, p.ToS, 1e-6)
	r := find(t, x, AboutRamp)
	assert.True(t, strings.HasPrefix(r.Text.Kept(), "Ramp: 0 s from first power"), r.Text)
	assert.Contains(t, r.Evidence[0].Kept(), "first power 21 s after plug-in")
	assert.Equal(t, "60.0 kWh into the pack; what the stall delivered was not logged.",
		find(t, x, AboutEnergy).Text.Kept())
	assert.Contains(t, find(t, x, AboutEnergy).Evidence[1].Kept(), "kWh for 100 %")
}

func TestHeadlineWindow(t *testing.T) {
	x := Read(simple(), Options{})
	w, ok := x.Headline(nil)
	require.True(t, ok)
	assert.Equal(t, [2]float64{10, 80}, [2]float64{w.FromPct, w.ToPct})

	r := simple()
	r.Method = &run.Method{FromPct: run.N(20), ToPct: run.N(70)}
	w, _ = Read(r, Options{}).Headline(r.Method)
	assert.Equal(t, [2]float64{20, 70}, [2]float64{w.FromPct, w.ToPct}, "the method's own")
	r.Method.ToPct = run.N(95)
	w, _ = Read(r, Options{}).Headline(r.Method)
	assert.Equal(t, [2]float64{10, 80}, [2]float64{w.FromPct, w.ToPct},
		"a method's window that was not covered gives way")

	short := of(rec(trace.CarSide, 1, points{{0, 22}, {1200, 71}}, points{{0, 0}, {10, 90}, {1200, 90}}))
	x = Read(short, Options{})
	_, ok = x.Headline(nil)
	assert.False(t, ok)
	assert.Equal(t, "From 22 to 71 % in 19 min 59 s of charging.", x.Findings[0].Text.Kept(),
		"from first power, 1 kW and more at 1 s")

	long := of(rec(trace.CarSide, 1, points{{0, 0}, {1200, 52}}, points{{0, 90}, {1200, 90}}))
	w, ok = Read(long, Options{}).Headline(nil)
	require.True(t, ok)
	assert.Equal(t, [2]float64{0, 50}, [2]float64{w.FromPct, w.ToPct}, "else the widest")
}

// A gap over an end of the window, or over more than a tenth of it, makes it unsure; a
// short one inside, likely.
func TestConfidenceOfAWindowWithGaps(t *testing.T) {
	without := func(from, to float64) say.Confidence {
		full := rec(trace.CarSide, 1, points{{0, 8}, {1800, 80}}, points{{0, 100}, {1800, 100}})
		r := &trace.Recording{Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
		for i, x := range full.T {
			if x > from && x < to {
				continue
			}
			r.T = append(r.T, x)
			for c, col := range full.Columns {
				r.Columns[c] = append(r.Columns[c], col[i])
			}
		}
		return Read(of(r), Options{}).Findings[0].Confidence
	}
	// Post 10 is at 50 s, post 80 at 1800 s.
	assert.Equal(t, say.Strong, without(500, 520), "20 s are no gap")
	assert.Equal(t, say.Likely, without(500, 600))
	assert.Equal(t, say.Unsure, without(500, 700), "200 of 1750 s")
	assert.Equal(t, say.Unsure, without(20, 90), "over post 10")
}

func TestEnergyFindings(t *testing.T) {
	car := func(kw float64) *trace.Recording {
		return rec(trace.CarSide, 1, points{{0, 10}, {1800, 70}}, points{{0, kw}, {1800, kw}})
	}
	stall := rec(trace.StallSide, 1, nil, points{{0, 104}, {1800, 104}})
	assert.Equal(t, "52.0 kWh delivered, 50.0 kWh into the pack: 2.0 kWh (3.8 %) lost on the way.",
		find(t, Read(of(car(100), stall), Options{}), AboutEnergy).Text.Kept())
	assert.Equal(t, "The car counted 55.0 kWh, the stall only 52.0 kWh: one of the two is wrong.",
		find(t, Read(of(car(110), stall), Options{}), AboutEnergy).Text.Kept())
	assert.Equal(t, "52.0 kWh delivered; what reached the pack was not logged.",
		find(t, Read(of(stall), Options{}), AboutEnergy).Text.Kept())
}

// Findings of the other clock speak of that clock.
func TestFindingsCountFromTheirClock(t *testing.T) {
	x := Read(simple(), Options{Clock: PowerClock})
	assert.Contains(t, x.Findings[0].Text.Kept(), "10–80 % in 29 min 09 s. The car or the stall, ")
	assert.Contains(t, x.Findings[0].Evidence[0].Kept(), "after first power")
	p := find(t, x, AboutPeak)
	assert.InDelta(t, -0.05, p.FromS, 1e-6)
}

// Without power the state of charge alone still says how long it took.
func TestARunWithoutPowerSpeaksOfItsWindowOnly(t *testing.T) {
	x := Read(of(rec(trace.CarSide, 10, points{{0, 10}, {3600, 80}}, nil)), Options{})
	require.Len(t, x.Findings, 1)
	assert.Equal(t, "10–80 % in 60 min.", x.Findings[0].Text.Kept())
	w, ok := x.Window(10, 80)
	require.True(t, ok)
	assert.Nil(t, w.AverageKW)
	assert.Equal(t, say.Strong, x.Findings[0].Confidence)
	x = Read(of(rec(trace.CarSide, 120, points{{0, 10}, {3600, 80}}, nil)), Options{})
	assert.Equal(t, say.Likely, x.Findings[0].Confidence, "two minutes between displays")
	assert.InDelta(t, 3600, w.TS, 1e-9)
}
