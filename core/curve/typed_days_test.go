package curve_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Days as testers type them in the evening: a reading every minute or three, kW and per cent, seldom more (common
// practice, no source; the numbers are made up). Of each: when to look, whose it may have been said to be, and what
// nothing in it tells.
func TestTypedDays(t *testing.T) {
	type reading = [3]float64 // min, %, kW
	every := func(from, step, soc, perMin float64, kw ...float64) (out []reading) {
		for i, v := range kw {
			at := from + step*float64(i)
			out = append(out, reading{at, float64(int(soc + perMin*(at-from))), v})
		}
		return out
	}
	car := func(change func(*run.Car)) *run.Car {
		c := &run.Car{Chemistry: "NMC", UsableKWh: n(64), CellsInSeries: n(96)}
		if change != nil {
			change(c)
		}
		return c
	}
	car150 := func(c *run.Car) { c.MaxKW = n(150) }
	invented := []limit.Cause{limit.CableHot, limit.Hot}
	for _, day := range []struct {
		name  string
		car   *run.Car
		stall *run.Stall
		air   float64
		marks []run.Mark
		side  trace.Side
		amps  float64
		rows  []reading
		atMin float64
		whose []limit.Whose
		never []limit.Cause
	}{
		{name: "a cliff at 80 %", car: car(car150), stall: &run.Stall{RatedKW: n(150)}, air: 18,
			rows:  every(2, 3, 58, 1.9, 84, 83, 82, 81, 80, 79, 79, 12, 12, 12, 12, 12),
			atMin: 30, whose: []limit.Whose{limit.OfCar, limit.OfStall, limit.Open}, never: append(invented, limit.Cold)},
		{name: "a smooth taper on a warm day", car: car(car150), stall: &run.Stall{RatedKW: n(300), MaxA: n(500)}, air: 29,
			rows:  every(2, 3, 40, 2, 118, 112, 105, 98, 90, 82, 74, 66, 58, 50),
			atMin: 20, whose: []limit.Whose{limit.OfCar}, never: append(invented, limit.Cold, limit.TimerStep, limit.SoCStep)},
		{name: "a slow stall", car: car(car150), stall: &run.Stall{RatedKW: n(50), MaxA: n(125)}, air: 15,
			rows:  every(2, 4, 20, 1.2, 47, 47, 48, 48, 48, 48, 48, 48, 48, 48),
			atMin: 25, whose: []limit.Whose{limit.OfStall}, never: append(invented, limit.Cold, limit.PackTaper)},
		{name: "an adapter", car: car(car150), stall: &run.Stall{RatedKW: n(300), MaxA: n(500)}, air: 20, amps: 200,
			rows:  every(2, 2, 20, 1.7, 72, 72, 73, 73, 74, 74, 75, 75, 76, 76),
			atMin: 12, whose: []limit.Whose{limit.Between, limit.OfCar, limit.Open}, never: append(invented, limit.Cold)},
		{name: "power that creeps up on a winter's day", car: car(car150), stall: &run.Stall{RatedKW: n(300), MaxA: n(500)},
			air: -3, rows: every(3, 3, 12, 1, 24, 27, 30, 33, 37, 41, 45, 50, 54, 58),
			atMin: 20, whose: []limit.Whose{limit.OfCar}, never: append(invented, limit.TimerStep, limit.SoCStep)},
		{name: "a warm pack, far under its stall", car: car(nil), stall: &run.Stall{}, air: 21,
			rows:  every(2, 3, 20, 1.8, 68, 68, 68, 68, 68, 68, 68, 68, 68),
			atMin: 15, whose: []limit.Whose{limit.OfCar, limit.OfStall, limit.Open}, never: append(invented, limit.Cold)},
		{name: "half of it for a while, and back", car: car(car150), stall: &run.Stall{RatedKW: n(150)}, air: 17,
			rows:  every(2, 1, 20, 1.8, 120, 121, 121, 122, 60, 60, 60, 60, 60, 60, 60, 60, 118, 117, 116, 115, 114),
			atMin: 9.5, whose: []limit.Whose{limit.OfStall, limit.Open}, never: []limit.Cause{limit.TimerStep, limit.SoCStep,
				limit.Cold}},
		{name: "a log that begins late", car: car(car150), stall: &run.Stall{RatedKW: n(300)}, air: 19,
			rows:  every(7, 2, 44, 2, 101, 97, 92, 88, 83, 78, 73, 68, 63, 58),
			atMin: 15, whose: []limit.Whose{limit.OfCar}, never: append(invented, limit.Cold, limit.Ramp)},
		{name: "the car's side alone, level", side: trace.CarSide, car: car(func(c *run.Car) { c.MaxKW = n(77) }),
			stall: &run.Stall{RatedKW: n(150), MaxA: n(400)}, air: 16,
			rows:  every(2, 2, 15, 1.2, 77, 77, 77, 77, 77, 77, 77, 77, 77, 77),
			atMin: 12, whose: []limit.Whose{limit.OfCar}, never: append(invented, limit.Cold, limit.TimerStep)},
		{name: "a frosty morning, nothing else noted", car: car(nil), stall: &run.Stall{}, air: -5,
			rows:  every(2, 3, 20, 1.5, 55, 55, 55, 54, 54, 54, 53, 53),
			atMin: 12, whose: []limit.Whose{limit.OfCar, limit.OfStall, limit.Open}, never: invented},
	} {
		t.Run(day.name, func(t *testing.T) {
			side := day.side
			if side == "" {
				side = trace.StallSide
			}
			rec := &trace.Recording{Name: "typed.csv", Side: side, Columns: map[trace.Channel][]float64{}}
			for _, r := range day.rows {
				rec.T = append(rec.T, 60*r[0])
				rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], r[1])
				rec.Columns[trace.Power] = append(rec.Columns[trace.Power], r[2])
				if day.amps > 0 {
					rec.Columns[trace.Current] = append(rec.Columns[trace.Current], day.amps)
				}
			}
			x := &run.Run{Car: day.car, Stall: day.stall, Recordings: []*trace.Recording{rec},
				Marks: append([]run.Mark{{TS: 0, Kind: run.PlugIn}},
					day.marks...), Conditions: &run.Condition{AmbientC: n(day.air)}}
			if day.amps > 0 {
				x.Adapter = &run.Adapter{MaxA: n(day.amps)}
			}
			var at *curve.Ceiling
			read := curve.Read(x, curve.Options{Clock: curve.PlugClock})
			for i := range read.Ceilings {
				c := &read.Ceilings[i]
				assert.NotContains(t, day.never, c.Cause, "%v to %v: %v", c.FromS, c.ToS, c.Evidence)
				if c.FromS <= 60*day.atMin && 60*day.atMin < c.ToS {
					at = c
				}
			}
			require.NotNil(t, at)
			assert.Contains(t, day.whose, at.Whose, "%s, %v", at.Cause, at.Chances)
		})
	}
}
