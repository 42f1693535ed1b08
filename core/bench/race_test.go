package bench

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// racing is a run from empty to full of a car of 80 kWh: so many points a minute to half full, then
// 2 points a minute (96 kW) to 80, then 1 (48 kW); 1 point a minute is 48 kW.
func racing(stallKW, pointsAMinute, taper float64) Subject {
	rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	soc := 0.0
	for t := 0.0; ; t++ {
		rate := pointsAMinute
		switch {
		case soc >= 100-1e-9:
			rate, soc = 0, 100
		case soc >= 80-1e-9:
			rate = 1
		case soc >= 50-1e-9:
			rate = taper
		}
		rec.T = append(rec.T, t)
		for c, v := range map[trace.Channel]float64{trace.SoC: soc, trace.Power: 48 * rate, trace.Voltage: 350 + soc/2,
			trace.Current: 48000 * rate / (350 + soc/2)} {
			rec.Columns[c] = append(rec.Columns[c], v)
		}
		if rate == 0 {
			break
		}
		soc += rate / 60
	}
	n := run.N
	r := &run.Run{Title: fmt.Sprintf("at %g kW", stallKW), StartedAt: time.Unix(1.7e9+int64(stallKW), 0),
		Recordings: []*trace.Recording{rec},
		Car: &run.Car{Name: "Larch 80", Software: "3.1", Chemistry: "NMC", UsableKWh: n(80), CellsInSeries: n(96),
			ConsumptionWhKm: n(160)},
		Stall: &run.Stall{Site: "Mill", Name: fmt.Sprint(stallKW), RatedKW: &stallKW},
		Conditions: &run.Condition{AmbientC: n(15), BatteryC: n(28), Preconditioned: "car", Profile: "full",
			Climate: "off", Weather: "dry"}}
	return SubjectOf(r)
}

// A 250 kW stall against a 150 kW one, from empty to full, by hand. The fast one gives 5 points a
// minute to half full (at minute 10), the slow one 2.5 (at minute 20); above, both follow the car, 2 a
// minute to 80 and 1 to full. So at minute m up to 10 the lead is 2.5 m, 25 at minute 10, the widest;
// from then it shrinks by half a point a minute to 20 at minute 20 (70 against 50), and stays until the
// fast one is at 80 (minute 25, 80 against 60); then 2 against 1 let it shrink by a point a minute, to
// 10 at minute 35. To 80 it is 25 minutes against 35, to full 45 against 55: the ten minutes that were
// won below half are all that is ever won, as practice says of fast stalls (common practice, no source).
// 100 km at 160 Wh/km are 16 kWh, 20 points: 4 minutes against 8; 200 km are 40 points, 8 against 16.
func TestRaceOfAFastStallAgainstASlowOne(t *testing.T) {
	fast, slow := racing(250, 5, 2), racing(150, 2.5, 2)
	c := Compare([]Subject{fast, slow}, Ask{FromPct: 0, ToPct: 80})

	lead := map[float64]float64{}
	for _, l := range c.Race.Lead {
		assert.Equal(t, 1, l.Run)
		lead[l.TS/60] = -l.Points // by which the fast one leads
	}
	for minute, points := range map[float64]float64{1: 2.5, 4: 10, 10: 25, 14: 23, 20: 20, 25: 20, 30: 15, 35: 10,
		44: 10} {
		assert.InDelta(t, points, lead[minute], 0.1, "minute %g", minute)
	}
	require.NotNil(t, c.Race.Widest)
	assert.Equal(t, 600.0, c.Race.Widest.TS)
	assert.InDelta(t, -25, c.Race.Widest.Points, 0.1)
	assert.Empty(t, c.Race.Meetings, "the slow one never comes up")

	assert.InDelta(t, 25*60, *c.Runs[0].TS, 2)
	assert.InDelta(t, 10*60, *c.Runs[1].DeltaS, 2)
	full := Compare([]Subject{fast, slow}, Ask{FromPct: 0, ToPct: 100})
	assert.InDelta(t, 10*60, *full.Runs[1].DeltaS, 3)
	for i, minutes := range [][2]float64{{4, 8}, {8, 16}} {
		require.Greater(t, len(c.Distance), i)
		assert.Equal(t, float64(100*(i+1)), c.Distance[i].Km)
		assert.InDelta(t, 60*minutes[0], *c.Distance[i].TS[0], 3)
		assert.InDelta(t, 60*minutes[1], *c.Distance[i].TS[1], 3)
	}
	assert.Equal(t, "stall_kw", c.Fairness.Isolates)
	assert.Equal(t, "The 250 kW stall saved 10 min over 0–80 %: a detour that takes longer loses more than it gains.",
		detour(c))
	assert.Empty(t, detour(Compare([]Subject{fast, slow}, Ask{FromPct: 0, ToPct: 80, GroupBy: "weather"})),
		"what differs between other groups is not the stalls'")
	// Which of the two is the reference makes no difference to it.
	assert.Equal(t, detour(c), detour(Compare([]Subject{slow, fast}, Ask{FromPct: 0, ToPct: 80})))
}

// A pack that the fast stall heated tapers harder: 1.5 points a minute against 2 above half, until 80.
// The fast one is at 50 + 1.5 (m − 10), the slow one at 50 + 2 (m − 20): they would meet at minute 50,
// far over 80; with 1.2 against 2 at 50 + 1.2 (m − 10) = 50 + 2 (m − 20), minute 35, at 80 %. With 1.1
// they meet at 29/0.9 = 32.2 minutes, at 74.4 %, and the stall is no gain at all: nothing is worth a detour.
func TestCurvesMeetAboveTheMiddle(t *testing.T) {
	c := Compare([]Subject{racing(250, 5, 1.1), racing(150, 2.5, 2)}, Ask{FromPct: 0, ToPct: 80})
	require.Len(t, c.Race.Meetings, 1)
	assert.InDelta(t, 29/0.9*60, c.Race.Meetings[0].TS, 5)
	assert.InDelta(t, 50+1.1*(29/0.9-10), c.Race.Meetings[0].SoCPct, 0.3)
	assert.Equal(t, "The 250 kW stall saved less than a minute over 0–80 %: not worth a detour.", detour(c))
	// Where the stalls are not all that differs, nothing is said of a detour.
	other := racing(150, 2.5, 2)
	other.Run.Car.Software = "3.2"
	assert.Empty(t, detour(Compare([]Subject{racing(250, 5, 2), other}, Ask{FromPct: 0, ToPct: 80})))
}

func detour(c *Comparison) string {
	for _, v := range c.Verdicts {
		if strings.Contains(v.Text.Kept(), "detour") {
			return v.Text.Kept()
		}
	}
	return ""
}

// By energy and distance: 120 kW against 60 kW is a lead of a kWh each minute; at 200 Wh/km 5 km each. By what
// was not kept of both there is no race.
func TestRaceByEnergyAndDistance(t *testing.T) {
	at := func(kw float64) Subject {
		x := &curve.Reading{Side: "car", Legs: []curve.Leg{{ToS: 1200, FlowedToS: 1200}}, ZeroS: 100}
		red := trace.Reduced{Columns: map[trace.Channel]trace.Floats{}}
		for s := 0.0; s <= 1200; s += 60 {
			red.T = append(red.T, 100+s)
			kwh := kw * s / 3600
			for c, v := range map[trace.Channel]float64{trace.SoC: 10 + kwh, trace.Power: kw, curve.EnergyAdded: kwh,
				curve.DistanceAdded: kwh / 0.2} {
				red.Columns[c] = append(red.Columns[c], v)
			}
		}
		return KeptSubject(Entry{Run: &run.Run{}, Reading: x}, red, red)
	}
	two := []Subject{at(120), at(60)}
	energy, ok := RaceAdded(two, 0, curve.EnergyAdded)
	require.True(t, ok)
	require.Len(t, energy.Lead, 20)
	for i, l := range energy.Lead {
		assert.InDelta(t, -float64(i+1), l.Points, 1e-9)
	}
	distance, ok := RaceAdded(two, 1, curve.DistanceAdded)
	require.True(t, ok)
	assert.InDelta(t, 100, distance.Widest.Points, 1e-9)
	assert.Empty(t, distance.Meetings)
	none := KeptSubject(two[1].Entry, trace.Reduced{T: trace.Floats{100, 200}}, trace.Reduced{})
	_, ok = RaceAdded([]Subject{two[0], none}, 0, curve.EnergyAdded)
	assert.False(t, ok)
}
