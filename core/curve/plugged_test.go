package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// twoLegs is ten minutes at 100 kW from 60 s on, out for three, and ten more, with the charge.
func twoLegs() *trace.Recording {
	rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	soc := 10.0
	for t := 0.0; t <= 1500; t += 5 {
		kw := 0.0
		if t >= 60 && t <= 660 || t >= 840 && t <= 1440 {
			kw = 100
		}
		rec.T = append(rec.T, t)
		rec.Columns[trace.Power] = append(rec.Columns[trace.Power], kw)
		rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], soc)
		soc += kw * 5 / 3600 / 60 * 100
	}
	return rec
}

// Whoever forgot to tap at the first plug-in, or tapped minutes late, loses no leg: it is taken from the power, and
// said so.
func TestNoLegIsLostForAMissingTap(t *testing.T) {
	whole := of(twoLegs())
	whole.Marks = []run.Mark{mark(60, run.PlugIn), mark(700, run.Unplug), mark(820, run.PlugIn)}
	want := Read(whole, Options{})
	for name, marks := range map[string][]run.Mark{
		"only the second plug-in": {mark(820, run.PlugIn)},
		"minutes late":            {mark(300, run.PlugIn), mark(700, run.Unplug), mark(820, run.PlugIn)},
	} {
		r := of(twoLegs())
		r.Marks = marks
		x := Read(r, Options{})
		require.Len(t, x.Legs, 2, name)
		assert.InDelta(t, *want.Energy.CarKWh, *x.Energy.CarKWh, 0.1, name)
		assert.Equal(t, want.Posts, x.Posts, name)
		assert.Contains(t, find(t, x, AboutDrive).Text.Kept(), "Nobody marked the plug-in", name)
		require.NotEmpty(t, x.MarkProposals, name)
		assert.Equal(t, 60.0, x.MarkProposals[len(x.MarkProposals)-1].TS, name)
	}
}

// A charge at another stall on the way there, with a drive behind it, is no leg of this run.
func TestAnEarlierSessionOnTheWayIsNoLeg(t *testing.T) {
	rec := twoLegs()
	for i, at := range rec.T {
		if at > 660 && at < 840 {
			rec.Columns[trace.Power][i] = -20
		}
	}
	r := of(rec)
	r.Marks = []run.Mark{mark(840, run.PlugIn)}
	assert.Len(t, Read(r, Options{}).Legs, 1)
}
