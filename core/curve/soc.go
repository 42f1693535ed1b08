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

// settleSoC makes the run's state of charge: of both sides by how densely they were
// read while charging, then leg by leg, with what was noted around the plug.
func (s *sides) settleSoC(bySide map[trace.Side][]trace.Series, resolution map[trace.Side]float64) {
	car, stall := trace.Join(bySide[trace.CarSide]...), trace.Join(bySide[trace.StallSide]...)
	within := make([]trace.Span, len(s.legs))
	for i, l := range s.legs {
		within[i] = l.span()
	}
	all, ofStall := trace.Merge(car, stall, within...)
	s.socRes = resolution[trace.CarSide]
	if ofStall {
		s.socRes = resolution[trace.StallSide]
	}
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
// power.
func (s *sides) startsAt() (soc float64, ok bool) {
	if s.soc.Len() == 0 {
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
