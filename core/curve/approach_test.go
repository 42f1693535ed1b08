package curve

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// preheated is a car's log from half an hour before plug-in: the coldest cell stands at 6 °C for 10 min,
// then warms by 0.8 K a minute to 22; two points of charge are driven off.
func preheated() *run.Run {
	rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	put := func(c trace.Channel, v float64) { rec.Columns[c] = append(rec.Columns[c], v) }
	for t := -1800.0; t <= 600; t += 10 {
		rec.T = append(rec.T, t)
		cold := min(22, max(6, 6+0.8*(t+1200)/60))
		put(trace.BatteryTempMin, cold)
		put(trace.BatteryTempMax, cold+3)
		if t < 0 {
			put(trace.SoC, 12-2*(t+1800)/1800)
			put(trace.Power, -15)
		} else {
			put(trace.SoC, 10+t/30)
			put(trace.Power, 120)
		}
	}
	return &run.Run{Recordings: []*trace.Recording{rec}, Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}},
		Car: &run.Car{Name: "Tamarack 78", WarmC: run.N(25)}}
}

// The way to the stall is read from the log, and none of it enters a figure.
func TestApproach(t *testing.T) {
	r := preheated()
	x := Read(r, Options{})
	a := x.Approach
	require.NotNil(t, a)
	assert.Equal(t, []float64{-1800, 0}, []float64{a.FromS, a.ToS})
	assert.InDelta(t, 6, a.FromC, 1e-9)
	assert.InDelta(t, 22, a.AtPlugC, 1e-9)
	require.NotNil(t, a.PerMin)
	assert.InDelta(t, 0.8, *a.PerMin, 0.01)
	require.NotNil(t, a.UsedPct)
	assert.InDelta(t, 2, *a.UsedPct, 0.02)
	assert.Len(t, a.Points, 121)
	assert.InDelta(t, 120*600/3600.0, *x.Energy.CarKWh, 1e-9, "what was driven is not in it")
	found := false
	for _, f := range x.Findings {
		if f.Kind == AboutApproach {
			found = true
			assert.Contains(t, f.Text.Kept(), "its coldest cell 6 to 22 °C in the 30 min before plug-in, 3 K short of warm.")
		}
	}
	assert.True(t, found)
}

// Nothing is said of a way that was not logged, not warmed, or was another drive; without a plug-in mark
// it ends where power begins to last.
func TestNoApproach(t *testing.T) {
	r := preheated()
	r.Marks = nil
	require.NotNil(t, Read(r, Options{}).Approach, "no plug-in marked")
	assert.Equal(t, AboutDrive, find(t, Read(r, Options{}), AboutDrive).Kind)

	r = preheated()
	r.Marks[0].TS = -1750
	assert.Nil(t, Read(r, Options{}).Approach, "50 s are no way")

	r = preheated()
	for i := range r.Recordings[0].T {
		if r.Recordings[0].T[i] < -700 {
			r.Recordings[0].T[i] -= 3600 // an hour's rest in between
		}
	}
	a := Read(r, Options{}).Approach
	require.NotNil(t, a)
	assert.Equal(t, -700.0, a.FromS)

	r = preheated()
	for i := range r.Recordings[0].T {
		r.Recordings[0].Columns[trace.BatteryTempMin][i] = 20 + float64(i%3) // as whole degrees flicker
	}
	x := Read(r, Options{})
	require.NotNil(t, x.Approach)
	assert.Nil(t, x.Approach.PerMin)
	for _, f := range x.Findings {
		assert.NotEqual(t, AboutApproach, f.Kind)
	}
	delete(r.Recordings[0].Columns, trace.BatteryTempMin)
	r.Recordings[0].Columns[trace.BatteryTemp] = r.Recordings[0].Columns[trace.BatteryTempMax]
	delete(r.Recordings[0].Columns, trace.BatteryTempMax)
	x = Read(r, Options{})
	assert.False(t, x.Approach.Coldest)
	assert.Contains(t, findingOf(x, AboutApproach), "Warmed on the way: the pack 9 to 25 °C")
	assert.Contains(t, findingOf(x, AboutApproach), "warm enough")
}

// A few notes on the way make it likely and no more; a temperature that was read last five minutes before
// plug-in is not that at plug-in.
func TestApproachFromFewReadings(t *testing.T) {
	every := func(keep func(at float64) bool) *Reading {
		r := preheated()
		rec := r.Recordings[0]
		for i, at := range rec.T {
			if at <= 0 && !keep(at) {
				rec.Columns[trace.BatteryTempMin][i] = math.NaN()
			}
		}
		return Read(r, Options{})
	}
	x := every(func(at float64) bool { return int(at)%120 == 0 })
	require.NotNil(t, x.Approach)
	assert.InDelta(t, 120, x.Approach.EveryS, 1e-9)
	for _, f := range x.Findings {
		if f.Kind == AboutApproach {
			assert.Equal(t, say.Likely, f.Confidence)
			assert.Contains(t, say.AllKept(f.Evidence), "readings 2 min apart")
		}
	}
	assert.NotEmpty(t, findingOf(x, AboutApproach))
	assert.Nil(t, every(func(at float64) bool { return at < -300 }).Approach)
}

// Notes half an hour apart are one way, with a picture; marks part it, each part with what it warmed by and what it
// took. By hand: 10 to 4 °C in the first hour; 4 to 24 °C in the 90 min from the mark on, 0.22 K a minute; 3 kW for
// 90 min are 4.5 kWh.
func TestApproachInStages(t *testing.T) {
	rec := &trace.Recording{Name: "notes.txt", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	for _, at := range [][2]float64{{-9000, 10}, {-7200, 7}, {-5400, 4}, {-4800, 4}, {-3000, 11.5}, {-1200, 19}, {0, 24}} {
		rec.T = append(rec.T, at[0])
		rec.Columns[trace.BatteryTemp] = append(rec.Columns[trace.BatteryTemp], at[1])
	}
	heating := &trace.Recording{Name: "power.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	for at := -5400.0; at <= 600; at += 10 {
		heating.T = append(heating.T, at)
		kw := -3.0
		if at > 0 {
			kw = 90
		}
		heating.Columns[trace.Power] = append(heating.Columns[trace.Power], kw)
	}
	r := &run.Run{Recordings: []*trace.Recording{rec, heating}, Marks: []run.Mark{{TS: 0, Kind: run.PlugIn},
		{TS: -5400, Kind: run.Heater, Note: "heating on"}}}
	x := Read(r, Options{})
	a := x.Approach
	require.NotNil(t, a, "half an hour between notes is no other drive")
	assert.Equal(t, -9000.0, a.FromS)
	assert.Len(t, a.Points, 7, "its readings")
	require.Len(t, a.Stages, 2)
	assert.Nil(t, a.Stages[0].KWh, "no power was read")
	assert.InDelta(t, -6.0/60, *a.Stages[0].PerMin, 1e-9)
	assert.Equal(t, "heating on", a.Stages[1].Name)
	assert.InDelta(t, 20.0/90, *a.Stages[1].PerMin, 1e-9)
	assert.InDelta(t, 4.5, *a.Stages[1].KWh, 0.01)
	for _, f := range x.Findings {
		if f.Kind == AboutApproach {
			assert.Contains(t, say.AllKept(f.Evidence),
				`from “heating on”, for 90 min: 4 to 24 °C, 0.22 K a minute, 4.5 kWh out of the pack`)
		}
	}
}

// findingOf is the text of the first finding of a kind; empty for none.
func findingOf(x *Reading, kind string) string {
	for _, f := range x.Findings {
		if f.Kind == kind {
			return f.Text.Kept()
		}
	}
	return ""
}
