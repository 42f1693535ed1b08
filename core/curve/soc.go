package curve

import (
	"math"

	"zincroad/core/trace"
)

// How far from the plug a state of charge may be noted and still speak for it
// (common practice, no source): before plug-in the larger of 3 min and three
// intervals, after the last unplug a quarter of an hour.
const (
	nearS         = 180
	nearIntervals = 3
	notedAfterS   = 900
	startS        = 10 // the first state of charge so soon after first power is that of the start
)

// chooseSoC makes the run's state of charge: of both sides by how densely they were
// read while charging, then leg by leg, with what was noted around the plug.
func (s *sides) chooseSoC(bySide map[trace.Side][]trace.Series, resolution map[trace.Side]float64) {
	car, stall := trace.Join(bySide[trace.CarSide]...), trace.Join(bySide[trace.StallSide]...)
	within := make([]trace.Span, len(s.legs))
	for i, l := range s.legs {
		within[i] = l.span()
	}
	all, ofStall := trace.Merge(car, stall, within...)
	s.socSide = trace.CarSide
	if ofStall {
		s.socSide = trace.StallSide
	}
	s.socRes = resolution[s.socSide]
	s.approach = cut(all, trace.Span{From: math.Inf(-1), To: math.Nextafter(s.legs[0].from, math.Inf(-1))})
	s.soc = s.socOfLegs(all)
}

// socOfLegs gives the state of charge while charging. In a pause it stands still:
// what was read between the end of one leg and first power of the next is the charge
// at which the one ended and the next began; where nothing was, the charge gained
// from the last reading before to the first one after is shared out by the time in
// which power could flow.
func (s *sides) socOfLegs(all trace.Series) trace.Series {
	if l := s.legs[0]; len(s.legs) == 1 && math.IsInf(l.from, -1) && math.IsInf(l.offS, 1) {
		return all
	}
	out := trace.Series{T: make([]float64, 0, all.Len()+4), V: make([]float64, 0, all.Len()+4)}
	add := func(t, v float64) {
		if n := out.Len(); n == 0 || t > out.T[n-1] {
			out.T, out.V = append(out.T, t), append(out.V, v)
		}
	}
	for k, l := range s.legs {
		part := cut(all, trace.Span{From: l.from, To: l.offS})
		if k == 0 {
			if v, ok := s.atPlugIn(all, part); ok {
				add(l.from, v)
			}
		} else if n := out.Len(); n > 0 && !(part.Len() > 0 && part.T[0] <= l.powerS) {
			// nothing was gained since the leg before
			end, begin := s.legs[k-1].offS, startOf(l)
			switch {
			case out.T[n-1] >= end:
				add(begin, out.V[n-1])
			case part.Len() > 0:
				share := (end - out.T[n-1]) / (end - out.T[n-1] + math.Max(0, part.T[0]-begin))
				v := out.V[n-1] + share*(part.V[0]-out.V[n-1])
				add(end, v)
				add(begin, v)
			}
		}
		for i, t := range part.T {
			add(t, part.V[i])
		}
		if v, ok := s.noted(all, k); ok && (out.Len() == 0 || v >= out.V[out.Len()-1]) {
			add(l.offS, v)
		}
	}
	return out
}

// startOf is the time from which power flowed in a leg, as far as it is known.
func startOf(l leg) float64 {
	if math.IsNaN(l.powerS) {
		return l.from
	}
	return l.powerS
}

// atPlugIn is the charge that was noted shortly before the plug went in: parked, it
// does not change. One above the first reading of the leg was driven off on the way.
func (s *sides) atPlugIn(all, part trace.Series) (float64, bool) {
	l := s.legs[0]
	if math.IsInf(l.from, -1) {
		return 0, false
	}
	before := cut(all, trace.Span{From: math.Inf(-1), To: l.from})
	n := before.Len()
	if n == 0 {
		return 0, false
	}
	if by := l.from - before.T[n-1]; by > nearS && by > nearIntervals*trace.MedianInterval(part.T) ||
		part.Len() > 0 && before.V[n-1] > part.V[0] {
		return 0, false
	}
	return before.V[n-1], true
}

// noted is the first charge that was read after the power of leg k was off: at the
// end of the run within a quarter of an hour, between two legs until first power of
// the next. Nothing flowed since, so it counts at that end.
func (s *sides) noted(all trace.Series, k int) (float64, bool) {
	off := s.legs[k].offS
	if math.IsInf(off, 1) {
		return 0, false
	}
	until := math.Max(s.legs[k].to, off) + notedAfterS
	if k+1 < len(s.legs) {
		until = startOf(s.legs[k+1])
	}
	after := cut(all, trace.Span{From: math.Nextafter(off, math.Inf(1)), To: until})
	if after.Len() == 0 {
		return 0, false
	}
	return after.V[0], true
}

// startsAt is the state of charge at plug-in; false where it was first read under
// power, or power was: nobody knows what flowed before.
func (s *sides) startsAt() (soc float64, ok bool) {
	if s.soc.Len() == 0 {
		return 0, false
	}
	if _, late := s.beginsLate(); late {
		return 0, false
	}
	l := s.legs[0]
	if !math.IsNaN(l.powerS) && s.soc.T[0] > l.powerS+startS {
		return 0, false
	}
	return s.soc.V[0], true
}

// socAt gives the state of charge at a time of the run's clock; before the first
// reading of a run whose start is known it is that of the start, nil otherwise
// outside the readings.
func (s *sides) socAt(t float64) *float64 {
	if v, ok := s.soc.At(t); ok {
		return &v
	}
	if v, ok := s.startsAt(); ok && t < s.soc.T[0] && t >= s.legs[0].from {
		return &v
	}
	return nil
}

// endsWith gives the state of charge at the end of a leg: as joined there, else the
// last one that was read shortly before, nil where none was.
func (s *sides) endsWith(l trace.Span) *float64 {
	if v := s.socAt(l.To); v != nil {
		return v
	}
	part := cut(s.soc, l)
	n := part.Len()
	if n == 0 || l.To-part.T[n-1] > math.Max(cutOffS, cutOffInterval*trace.MedianInterval(part.T)) {
		return nil
	}
	return &part.V[n-1]
}

// socSpan gives the state of charge at the beginning and the highest after it.
func (s *sides) socSpan() *SoCSpan {
	if s.soc.Len() == 0 {
		return nil
	}
	return &SoCSpan{s.soc.V[0], s.soc.V[s.soc.Max()]}
}

// continuousSoC is the state of charge as it must have run between the whole per cents of a
// display: it meets each flip, and between two of them it rises with the energy that flowed, the
// car's where it was read. Before the first flip and behind the last it goes on at the rate of the
// per cent beside, and never leaves the one that is shown. What was read finer is as it was read.
//
// It is for drawing: posts and windows go by the flips themselves.
func (s *sides) continuousSoC() trace.Series {
	if s.socRes < 1 || s.soc.Len() < 3 {
		return s.soc
	}
	flows := s.flows[trace.CarSide]
	if len(flows) == 0 {
		flows = s.flows[trace.StallSide]
	}
	flips := trace.Series{}
	for i, v := range s.soc.V {
		if i > 0 && v > s.soc.V[i-1] && (flips.Len() == 0 || v > flips.V[flips.Len()-1]) {
			flips.T, flips.V = append(flips.T, s.soc.T[i]), append(flips.V, v)
		}
	}
	if flips.Len() < 2 {
		return s.soc
	}
	energy := cumulated(flows)
	flowed := func(a, b float64) float64 { // in any unit; by time where nothing was read
		x, ok1 := energy.At(a)
		y, ok2 := energy.At(b)
		if !ok1 || !ok2 || y <= x {
			return b - a
		}
		return y - x
	}
	out := trace.Series{T: s.soc.T, V: make([]float64, s.soc.Len())}
	last := flips.Len() - 1
	k := 0
	for i, t := range s.soc.T {
		for k < last && flips.T[k+1] <= t {
			k++
		}
		shown := s.soc.V[i]
		switch {
		case t < flips.T[0]:
			perPct := flowed(flips.T[0], flips.T[1]) / (flips.V[1] - flips.V[0])
			out.V[i] = math.Max(shown, flips.V[0]-flowed(t, flips.T[0])/perPct)
		case k == last:
			perPct := flowed(flips.T[last-1], flips.T[last]) / (flips.V[last] - flips.V[last-1])
			out.V[i] = math.Min(flips.V[last]+0.999, flips.V[last]+flowed(flips.T[last], t)/perPct)
		default:
			share := flowed(flips.T[k], t) / flowed(flips.T[k], flips.T[k+1])
			out.V[i] = flips.V[k] + math.Min(1, share)*(flips.V[k+1]-flips.V[k])
		}
		if i > 0 {
			out.V[i] = math.Max(out.V[i], out.V[i-1])
		}
		out.V[i] = math.Min(out.V[i], 100)
	}
	return out
}
