// Package drill makes exercises in reading a charge, and marks what somebody made of them. An exercise is a charge
// that the forecast's model works out, logged as testers log, with three places whose cause is known because the
// model says which limit was the lowest there. Where the log leaves it open, that it cannot be told is a right
// answer.
package drill

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Places is how many places of a charge are asked.
const Places = 3

// Levels are from 1, where every channel is logged and limits are the plain ones, to 3, where power and charge alone
// are and anything may happen.
const Levels = 3

// Exercise is a charge to be read, with its answers.
type Exercise struct {
	Seed  uint64
	Level int
	Run   *run.Run // as it was logged, with what was noted of car and stall
	At    [Places]Place
	Best  Wish // what would settle most of what the log leaves open
}

// Place is a stretch that is asked about.
type Place struct {
	FromS, ToS float64
	Cause      limit.Cause
	// Near are limits that would have held nearly as much there: naming one of them is right as well.
	Near []limit.Cause
	Open Why // why it cannot be told from this log; empty: it can
}

// Whose is whose the place's limit is.
func (p Place) Whose() limit.Whose { return p.Cause.Sign().Whose }

// Why a place is open.
type Why string

// What leaves a place open.
const (
	Told       Why = ""           // it can be told
	Level      Why = "level"      // car and stall would have given nearly the same
	NotOffered Why = "notoffered" // it fell to a level, and nobody logged what the stall offered or the car asked
	NoAmps     Why = "noamps"     // a flat limit, and nobody logged amps or volts
)

// Wish is what a tester can log next time.
type Wish string

// What can be wished for.
const (
	Offered Wish = "offered" // what the stall offers and the car asks for
	Amps    Wish = "amps"    // amps and volts
	Cells   Wish = "cells"   // coldest and warmest cell
	Enough  Wish = "enough"  // nothing more: it can be told
)

// Wishes are all of them.
var Wishes = []Wish{Offered, Amps, Cells, Enough}

// Causes are those that an exercise can have, in the order in which they are offered as answers.
var Causes = []limit.Cause{limit.StallPower, limit.StallCurrent, limit.SharedCabinet, limit.CableHot, limit.CarPower,
	limit.CarCurrent, limit.PackTaper, limit.Cold, limit.TimerStep, limit.Ramp}

// scenarios are what can happen, by the level from which on it does.
var scenarios = []struct {
	cause limit.Cause
	from  int
}{{limit.PackTaper, 1}, {limit.StallPower, 1}, {limit.StallCurrent, 1}, {limit.Cold, 1}, {limit.SharedCabinet, 2},
	{limit.CableHot, 2}, {limit.TimerStep, 2}, {limit.CarPower, 2}}

// Make makes the exercise of a seed; among are causes of which one has to be in it, none: any. It fails where no
// charge of that seed has three places, which hardly any has not.
func Make(seed uint64, level int, among ...limit.Cause) (*Exercise, error) {
	level = min(max(level, 1), Levels)
	for try := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, try))
		plan, happens := session(r, level, among)
		f, err := forecast.Once(plan)
		if err != nil {
			return nil, fmt.Errorf("making an exercise: %w", err)
		}
		e := &Exercise{Seed: seed, Level: level}
		if !e.choose(r, f) || !e.has(happens) || len(among) > 0 && !e.has(among...) {
			continue
		}
		e.Run = logged(r, level, plan, f)
		e.Best = e.wish()
		return e, nil
	}
	return nil, fmt.Errorf("seed %d gives no charge to read at level %d", seed, level)
}

// has tells whether one of the causes is asked about.
func (e *Exercise) has(causes ...limit.Cause) bool {
	return slices.ContainsFunc(e.At[:], func(p Place) bool { return slices.Contains(causes, p.Cause) })
}

// session draws a car, a stall, a day, and what happens.
func session(r *rand.Rand, level int, among []limit.Cause) (forecast.Plan, limit.Cause) {
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	n := run.N
	round := func(v, to float64) float64 { return math.Round(v/to) * to }
	kwh := round(between(48, 95), 1)
	top := round(kwh*between(2, 2.9), 5)
	knee := between(25, 45)
	car := run.Car{Chemistry: "NMC", UsableKWh: n(kwh), CellsInSeries: n(96), MaxKW: n(top * 1.1), MaxA: n(600),
		BatteryMassKg: n(round(kwh*6.3, 10)), HeaterKW: n(4), WarmC: n(24),
		Envelope: []run.Point{{SoCPct: 0, KW: top * 0.85}, {SoCPct: 6, KW: top}, {SoCPct: knee, KW: top * 0.97},
			{SoCPct: 65, KW: top * between(0.55, 0.7)}, {SoCPct: 82, KW: top * between(0.35, 0.45)},
			{SoCPct: 100, KW: top * 0.06}}}
	stall := run.Stall{RatedKW: n(400), MaxA: n(700), MaxV: n(1000)}
	warm := between(26, 31)
	plan := forecast.Plan{Car: &car, Stall: &stall, FromPct: round(between(8, 14), 1), ToPct: 80,
		AmbientC: round(between(8, 20), 1), Battery: pack.Nodes{ColdestC: warm, WarmestC: warm + 2},
		HandshakeS: between(15, 45), RampS: between(20, 40)}
	var may []limit.Cause
	for _, s := range scenarios {
		if s.from <= level && (len(among) == 0 || slices.Contains(among, s.cause)) {
			may = append(may, s.cause)
		}
	}
	if len(may) == 0 {
		may = []limit.Cause{limit.PackTaper}
	}
	happens := may[r.IntN(len(may))]
	switch happens {
	case limit.StallPower:
		stall.RatedKW = n(round(top*between(0.55, 0.8), 10))
	case limit.StallCurrent:
		stall.MaxA = n(round(top*1000/370*between(0.5, 0.75), 10))
	case limit.Cold:
		plan.AmbientC = round(between(-8, 4), 1)
		plan.Battery = pack.Nodes{ColdestC: plan.AmbientC + between(1, 4), WarmestC: plan.AmbientC + between(4, 6)}
	case limit.SharedCabinet:
		stall.SharedKW = n(round(top*between(0.9, 1.3), 10))
		plan.NeighbourOnS, plan.NeighbourS = between(200, 420), between(300, 600)
	case limit.CableHot:
		stall.MaxA = n(round(top*1000/370*between(0.95, 1.2), 10))
		plan.DerateS, plan.DerateShare = between(200, 420), between(0.4, 0.6)
	case limit.TimerStep:
		car.TimerS, car.TimerSharePct = n(round(between(240, 480), 10)), n(round(between(45, 65), 5))
	case limit.CarPower:
		car.MaxKW = n(round(top*between(0.6, 0.75), 5))
	}
	return plan, happens
}

const (
	shortest = 75.0 // seconds that a limit has to hold to be asked about
	apart    = 40.0 // seconds from a place to where its limit begins or ends
	nearly   = 0.05 // car and stall within so much of each other: a log cannot tell them apart
)

// choose takes three places, each within a stretch of one cause; different ones first.
func (e *Exercise) choose(r *rand.Rand, f *forecast.Forecast) bool {
	type stretch struct {
		from, to int
		cause    limit.Cause
	}
	var list []stretch
	for i := range f.Steps {
		c := f.Steps[i].Cause
		if n := len(list); n > 0 && list[n-1].cause == c {
			list[n-1].to = i
			continue
		}
		list = append(list, stretch{i, i, c})
	}
	list = slices.DeleteFunc(list, func(s stretch) bool {
		return float64(s.to-s.from) < shortest || !slices.Contains(Causes, s.cause)
	})
	r.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	seen := map[limit.Cause]int{}
	var at []Place
	for round := 0; len(at) < Places && round < 3; round++ {
		for _, s := range list {
			if len(at) == Places || seen[s.cause] != round {
				continue
			}
			room := float64(s.to-s.from) - 2*apart
			if room < 0 {
				room = 0
			}
			mid := f.Steps[s.from].T + apart + room*(0.2+0.6*r.Float64())
			if slices.ContainsFunc(at, func(p Place) bool { return math.Abs((p.FromS+p.ToS)/2-mid) < 2*apart }) {
				continue
			}
			seen[s.cause]++
			at = append(at, e.place(f, mid, s.cause))
		}
	}
	if len(at) < Places {
		return false
	}
	slices.SortFunc(at, func(a, b Place) int { return cmp.Compare(a.FromS, b.FromS) })
	copy(e.At[:], at)
	return true
}

// place is a place around a moment, with what else would have held there.
func (e *Exercise) place(f *forecast.Forecast, mid float64, cause limit.Cause) Place {
	const half = 15
	p := Place{FromS: mid - half, ToS: mid + half, Cause: cause}
	st := f.Steps[min(len(f.Steps)-1, int(mid))]
	if d := st.OfferedKW; !math.IsInf(d, 0) && d > 0 && math.Abs(st.RequestedKW-d) < nearly*d {
		switch cause {
		case limit.StallPower, limit.SharedCabinet:
			p.Open, p.Near = Level, []limit.Cause{limit.PackTaper}
		case limit.PackTaper, limit.CarPower, limit.Cold, limit.TimerStep: // what a cable gives is not in OfferedKW
			p.Open, p.Near = Level, []limit.Cause{limit.StallPower}
		}
	}
	if e.Level == Levels && p.Open == Told {
		switch cause {
		case limit.SharedCabinet, limit.CableHot, limit.TimerStep:
			p.Open = NotOffered
		case limit.StallPower, limit.StallCurrent, limit.CarPower, limit.CarCurrent:
			p.Open = NoAmps
		}
	}
	return p
}

// wish is what would settle most.
func (e *Exercise) wish() Wish {
	for _, p := range e.At {
		switch p.Open {
		case NotOffered, Level:
			return Offered
		case NoAmps:
			return Amps
		}
	}
	return Enough
}

// logged is the charge as a tester has it: by the second with every channel at first, power and charge every ten
// seconds in whole figures at last.
func logged(r *rand.Rand, level int, plan forecast.Plan, f *forecast.Forecast) *run.Run {
	car := &trace.Recording{Name: "car", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	stall := &trace.Recording{Name: "stall", Side: trace.StallSide, Columns: map[trace.Channel][]float64{}}
	every, grain := 2, 0.1
	if level == Levels {
		every, grain = 10, 1
	}
	meter := 1 + 0.006*r.NormFloat64() // of the stall
	round := func(v, to float64) float64 { return math.Round(v/to) * to }
	for i := 0; i < len(f.Steps); i += every {
		st := f.Steps[i]
		volts := 0.0
		if st.Amps > 0 {
			volts = st.PackV
		}
		kw := st.StallKW * meter * (1 + 0.004*r.NormFloat64())
		stall.T, car.T = append(stall.T, st.T), append(car.T, st.T)
		put := func(rec *trace.Recording, c trace.Channel, v float64) { rec.Columns[c] = append(rec.Columns[c], v) }
		put(stall, trace.Power, round(kw, grain))
		put(car, trace.SoC, round(st.SoCPct, 0.5))
		if level == Levels {
			continue
		}
		put(stall, trace.Current, round(divided(kw*1000, volts), 1))
		put(stall, trace.Voltage, round(volts, 0.5))
		put(car, trace.BatteryTempMin, round(st.Battery.ColdestC, 0.5))
		put(car, trace.BatteryTempMax, round(st.Battery.WarmestC, 0.5))
		if level == 1 {
			put(stall, trace.OfferedPower, round(math.Min(st.OfferedKW, 1000), 1))
			put(car, trace.RequestedPower, round(math.Min(st.RequestedKW, 1000), 1))
		}
	}
	noted := run.Car{Name: "the car", Chemistry: plan.Car.Chemistry, UsableKWh: plan.Car.UsableKWh,
		CellsInSeries: plan.Car.CellsInSeries}
	label := run.Stall{Site: "the stall", RatedKW: plan.Stall.RatedKW}
	if level < Levels {
		label.MaxA = plan.Stall.MaxA
	}
	ambient := plan.AmbientC
	return &run.Run{Car: &noted, Stall: &label, Conditions: &run.Condition{AmbientC: &ambient},
		Recordings: []*trace.Recording{stall, car}}
}

func divided(a, b float64) float64 {
	if b == 0 {
		return 0
	}
	return a / b
}
