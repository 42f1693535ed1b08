package curve

import (
	"math"
	"reflect"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
)

// Taught is what a run teaches of its car and its stall, for judging and foretelling other runs of them.
type Taught struct {
	Car    vehicle.Lesson `json:"car,omitzero"`
	MostA  float64        `json:"most_a,omitempty"` // that flowed at the plug
	MostKW float64        `json:"most_kw,omitempty"`
}

// Learn puts together what other runs taught: of the car's what its own readings come to, as the notes of a car say
// nothing of it; of the stall's the most that it gave.
func Learn(car *run.Car, profile string, ofCar, atStall []Taught) judge.Elsewhere {
	software := ""
	if car != nil {
		software = car.Software
	}
	return AtStall(vehicle.Learn(car, software, profile, Lessons(ofCar)), atStall)
}

// Lessons are what runs taught of their car.
func Lessons(of []Taught) []vehicle.Lesson {
	out := make([]vehicle.Lesson, len(of))
	for i, t := range of {
		out[i] = t.Car
	}
	return out
}

// AtStall puts a car as its other runs know it together with what others taught of a stall.
func AtStall(car *vehicle.Model, atStall []Taught) judge.Elsewhere {
	out := judge.Elsewhere{Car: car}
	for _, t := range atStall {
		out.StallMostA, out.StallMostKW = max(out.StallMostA, t.MostA), max(out.StallMostKW, t.MostKW)
	}
	return out
}

// Taught is what the run teaches: each moment's power with how likely it is that the car would have taken no more.
func (w Work) Taught() Taught {
	var out Taught
	j := w.Judgement()
	if j == nil {
		return out
	}
	out.Car = w.lesson(j)
	for _, rec := range w.recordings { // a garbled reading must not teach anybody
		most := 0.0
		for _, a := range trace.WithoutUpwardSpikes(rec.Series(trace.Current)).V {
			most = max(most, a)
		}
		if !j.StepsUp() || rec.Side == trace.StallSide {
			out.MostA = max(out.MostA, most)
		}
		if !j.StepsUp() || rec.Side == trace.CarSide {
			out.Car.MostA = max(out.Car.MostA, most)
		}
	}
	for _, p := range w.power {
		for _, v := range trace.WithoutUpwardSpikes(p).V {
			out.MostKW = max(out.MostKW, v)
		}
	}
	finite(reflect.ValueOf(&out).Elem())
	for _, v := range []*float64{&out.MostA, &out.MostKW, &out.Car.MostA, &out.Car.OhmC, &out.Car.UsablePct} {
		if math.IsNaN(*v) || math.IsInf(*v, 0) {
			*v = 0
		}
	}
	return out
}

// lesson is what the run shows of its car.
func (w Work) lesson(j *judge.Judgement) vehicle.Lesson {
	r, samples := w.run, j.Samples()
	l := vehicle.Lesson{Run: r.Title, StartedAt: r.StartedAt}
	if r.Car != nil {
		l.Software = r.Car.Software
	}
	if r.Conditions != nil {
		l.Profile = r.Conditions.Profile
	}
	l.Points = pointsOf(samples)
	l.Falls, l.Held = fallsOf(j, samples, w.sides), levelsOf(j, samples)
	for _, leg := range w.legs {
		if long := leg.lastS - leg.powerS; long > l.FlowedS {
			l.FlowedS = long
		}
	}
	w.ofPack(&l, j, samples)
	w.ofStart(&l, j)
	return l
}

// pointsOf are the middles of what flowed at each charge, those of a ramp and of pauses left out: they say nothing of
// what the pack would take.
func pointsOf(samples []judge.Sample) []vehicle.Point {
	var out []vehicle.Point
	for i := 0; i < len(samples); {
		k := i
		for k < len(samples) && samples[k].Stretch == samples[i].Stretch && samples[k].Leg == samples[i].Leg &&
			bin(samples[k].SoCPct) == bin(samples[i].SoCPct) {
			k++
		}
		if p, ok := pointOf(samples[i:k]); ok {
			out = append(out, p)
		}
		i = k
	}
	return out
}

// bin is the node of charge that is nearest; of a charge that was not read it is none.
func bin(socPct float64) int {
	if math.IsNaN(socPct) {
		return -1
	}
	return int(math.Round(socPct / vehicle.NodePct))
}

// leastStretchS is how long a stretch must be to teach anything, s: a ramp's pause for breath does not.
const leastStretchS = 30.0

// pointOf is the middle of some samples of one charge and one stretch, and false where they say nothing.
func pointOf(samples []judge.Sample) (vehicle.Point, bool) {
	first := samples[0]
	if x := first.Stretch; x == nil || x.Cause == limit.Ramp || x.Cause == limit.Paused || x.ToS-x.FromS < leastStretchS ||
		math.IsNaN(first.SoCPct) {
		return vehicle.Point{}, false
	}
	var kw, soc, cold, hot []float64
	for _, s := range samples {
		kw, soc, cold, hot = append(kw, s.PackKW), append(soc, s.SoCPct), append(cold, s.ColdestC), append(hot, s.WarmestC)
	}
	p := vehicle.Point{SoCPct: trace.Median(soc), KW: trace.Median(kw), Own: first.Own, Limit: min(first.Own, first.Limit)}
	if !(p.KW >= PowerFloorKW) {
		return p, false
	}
	p.ColdC, p.HotC = middleNumber(cold), middleNumber(hot)
	return p, true
}

// middleNumber is the middle of what was read, nil where nothing was.
func middleNumber(v []float64) run.Number {
	read := v[:0]
	for _, x := range v {
		if !math.IsNaN(x) {
			read = append(read, x)
		}
	}
	if len(read) == 0 {
		return nil
	}
	return run.N(trace.Median(read))
}

// besideFall is how long before and behind a fall the power is looked at, s.
const besideFall = 30.0

// fallsOf are what was taken away at once, and what the judgement calls it as far as that is likely.
func fallsOf(j *judge.Judgement, samples []judge.Sample, s *sides) []vehicle.Fall {
	var out []vehicle.Fall
	for _, x := range j.Falls() {
		before := middleKW(samples, x.AtS-besideFall, x.AtS-1)
		behind := middleKW(samples, x.AtS+1, x.AtS+besideFall)
		if math.IsNaN(x.SoCPct) || !(behind > 0 && before > behind) {
			continue
		}
		f := vehicle.Fall{SoCPct: x.SoCPct, PluggedS: x.AfterPlugS, Share: behind / before}
		for _, l := range s.legs {
			if l.powerS <= x.AtS {
				f.AfterS = x.AtS - l.powerS
			}
		}
		for i := range j.Stretches {
			c := &j.Stretches[i]
			if math.Abs(c.FromS-x.AtS) > besideFall/2 || c.Confidence == say.Unsure {
				continue
			}
			f.Called, f.Sure = map[limit.Cause]vehicle.Called{limit.TimerStep: vehicle.ATimer,
				limit.SoCStep: vehicle.AStep}[c.Cause], c.Confidence == say.Strong
		}
		out = append(out, f)
	}
	return out
}

// middleKW is the middle of the pack's power between two times; NaN where nothing was read.
func middleKW(samples []judge.Sample, from, to float64) float64 {
	var v []float64
	for _, s := range samples {
		if s.T >= from && s.T <= to {
			v = append(v, s.PackKW)
		}
	}
	if len(v) == 0 {
		return math.NaN()
	}
	return trace.Median(v)
}

// heldLeastS is how long a limit of the car must have held to be one, s.
const heldLeastS = 60.0

// levelsOf are the car's own fixed limits as they held.
func levelsOf(j *judge.Judgement, samples []judge.Sample) []vehicle.Level {
	kinds := map[limit.Cause]string{limit.CarPower: vehicle.LevelKW, limit.CarCurrent: vehicle.LevelA,
		limit.CarConverter: vehicle.LevelConverter}
	var out []vehicle.Level
	for i := range j.Stretches {
		x := &j.Stretches[i]
		kind, ok := kinds[x.Cause]
		if !ok || x.Confidence == say.Unsure || x.ToS-x.FromS < heldLeastS {
			continue
		}
		var v []float64
		for _, s := range samples {
			if s.Stretch != x {
				continue
			}
			switch x.Cause {
			case limit.CarCurrent:
				v = append(v, s.PackA)
			case limit.CarConverter:
				v = append(v, s.PlugKW)
			default:
				v = append(v, s.PackKW)
			}
		}
		if len(v) > 0 {
			out = append(out, vehicle.Level{Kind: kind, At: trace.Median(v), Sure: x.Confidence == say.Strong})
		}
	}
	return out
}

// ofStart is how the charge began, from the plug-in where that was marked.
func (w Work) ofStart(l *vehicle.Lesson, j *judge.Judgement) {
	if len(j.Stretches) == 0 {
		return
	}
	first := w.legs[0]
	if !math.IsInf(first.from, -1) && first.powerS >= first.from && len(w.marks) > 0 {
		l.BeginS = run.N(first.powerS - first.from)
	}
	if j.Stretches[0].Cause == limit.Ramp && j.Stretches[0].ToS > first.powerS { // a cold pack's slow climb is no ramp
		l.RampS = run.N(j.Stretches[0].ToS - first.powerS)
	}
	l.LossPct = w.energy().LossPct
}
