package curve

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Taught is what a run teaches of its car and its stall, for judging other runs of them.
type Taught struct {
	Warm   []run.Point `json:"warm,omitempty"`   // held by the car alone, and warm: power into the pack against charge
	Steps  []float64   `json:"steps,omitempty"`  // at which charge it fell suddenly, per cent
	MostA  float64     `json:"most_a,omitempty"` // at the plug
	PackA  float64     `json:"pack_a,omitempty"` // the most into the pack: others where the car steps the voltage up
	MostKW float64     `json:"most_kw,omitempty"`
}

// taughtEvery is how far apart the points of charge are that a run teaches.
const taughtEvery = 2.0

// Taught is what the run teaches: where the judgement is sure that the pack's own taper or the car's
// own limit held it.
func (w Work) Taught() Taught {
	var out Taught
	j := w.Judgement()
	if j == nil {
		return out
	}
	kw, share := w.power[trace.CarSide], 1.0
	if kw.Len() == 0 {
		kw, share = w.power[trace.StallSide], judge.PackShare
	}
	for _, s := range j.Stretches {
		own := s.Cause == limit.PackTaper || s.Cause == limit.CarPower || s.Cause == limit.CarCurrent ||
			s.Cause == limit.SoCStep
		if s.Cause == limit.SoCStep && s.Confidence != judge.Unsure {
			if soc := w.socAt(s.FromS); soc != nil {
				out.Steps = append(out.Steps, *soc)
			}
		}
		if !own || s.Confidence == judge.Unsure {
			continue
		}
		last := math.Inf(-1)
		for t := s.FromS + 10; t < s.ToS-10; t += 10 {
			soc, v := w.socAt(t), 0.0
			if part := cut(kw, trace.Span{From: t - 5, To: t + 5}); part.Len() > 0 {
				v = trace.Median(part.V) * share
			}
			if soc != nil && v > PowerFloorKW && *soc >= last+taughtEvery {
				out.Warm = append(out.Warm, run.Point{SoCPct: *soc, KW: v})
				last = *soc
			}
		}
	}
	for _, rec := range w.recordings { // a garbled reading must not teach anybody
		most := 0.0
		for _, a := range trace.WithoutUpwardSpikes(rec.Series(trace.Current)).V {
			most = max(most, a)
		}
		if !j.StepsUp() || rec.Side == trace.StallSide {
			out.MostA = max(out.MostA, most)
		}
		if !j.StepsUp() || rec.Side == trace.CarSide {
			out.PackA = max(out.PackA, most)
		}
	}
	for _, p := range w.power {
		for _, v := range trace.WithoutUpwardSpikes(p).V {
			out.MostKW = max(out.MostKW, v)
		}
	}
	return out
}

// leastRuns is how many runs must have taught a pack's warm power to be a reference.
const leastRuns = 2

// Learn puts together what other runs taught: of the car's, the middle power at each charge where
// two and more speak, and where they fell; of the stall's, the most that it gave.
func Learn(ofCar, atStall []Taught) judge.Elsewhere {
	var out judge.Elsewhere
	var points []run.Point
	for _, t := range ofCar {
		out.StepsPct = append(out.StepsPct, t.Steps...)
		out.CarMostA = max(out.CarMostA, t.PackA)
		if len(t.Warm) > 0 {
			out.WarmRuns++
			points = append(points, t.Warm...)
		}
	}
	for _, t := range atStall {
		out.StallMostA, out.StallMostKW = max(out.StallMostA, t.MostA), max(out.StallMostKW, t.MostKW)
	}
	if out.WarmRuns < leastRuns {
		out.WarmRuns = 0
		return out
	}
	slices.SortFunc(points, func(a, b run.Point) int { return cmp.Compare(a.SoCPct, b.SoCPct) })
	for at := 0.0; at <= 100; at += taughtEvery {
		var near []float64
		for _, p := range points {
			if math.Abs(p.SoCPct-at) <= taughtEvery {
				near = append(near, p.KW)
			}
		}
		if len(near) > 1 {
			out.Warm = append(out.Warm, run.Point{SoCPct: at, KW: trace.Median(near)})
		}
	}
	return out
}
