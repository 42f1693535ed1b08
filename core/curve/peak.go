package curve

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// The parts of the peak and of the ramp, as defined in docs/definitions.md.
const (
	sustainedS  = 10.0 // length of the mean
	heldShare   = 0.95 // of the sustained power
	heldDipS    = 2.0  // a dip this short does not break the hold
	rampWindowS = 180.0
	rampShare   = 0.90
	rampBeforeS = 10.0
)

// peak works out the highest reading, the highest mean over 10 s, and the longest
// time at 95 % of that mean or more. p is without spikes and on the run's clock.
func (s *sides) peak(p trace.Series, zero float64) *Peak {
	i := p.Max()
	if i < 0 || p.V[i] < PowerFloorKW {
		return nil
	}
	out := &Peak{KW: p.V[i], TS: p.T[i] - zero, SoCPct: s.socAt(p.T[i])}
	mean, ok := highestMean(p, sustainedS)
	if !ok {
		return out
	}
	out.SustainedKW = &mean
	held := longestAbove(p, mean*heldShare, heldDipS)
	out.HeldS = ptr(held.Len())
	out.HeldFromS = held.From - zero
	out.HeldFromPct, out.HeldToPct = s.socAt(held.From), s.socAt(held.To)
	return out
}

// socAt gives the state of charge at a time of the run's clock, nil outside.
func (s *sides) socAt(t float64) *float64 {
	if v, ok := s.soc.At(t); ok {
		return &v
	}
	return nil
}

// highestMean gives the highest mean of the joined line over any stretch of
// length w. False where the series is shorter.
//
// The mean over [t, t+w] changes with t at the rate (P(t+w) - P(t)) / w, which is
// a straight line between the times at which either end meets a reading. So the
// highest mean lies at such a time, or between two of them where the rate passes
// through zero downwards.
func highestMean(p trace.Series, w float64) (float64, bool) {
	n := p.Len()
	if n < 2 || p.T[n-1]-p.T[0] < w {
		return 0, false
	}
	start, end := walker{p: p}, walker{p: p}
	last := p.T[n-1] - w
	best := math.Inf(-1)
	i, j := 0, 0 // next reading for the start, and for the end
	prevArea, prevRate, prevT := 0.0, 0.0, p.T[0]
	for t := p.T[0]; ; {
		a0, v0 := start.to(t)
		a1, v1 := end.to(t + w)
		area, rate := a1-a0, v1-v0
		best = math.Max(best, area/w)
		if prevRate > 0 && rate < 0 {
			x := (t - prevT) * prevRate / (prevRate - rate)
			best = math.Max(best, (prevArea+prevRate*x/2)/w)
		}
		prevArea, prevRate, prevT = area, rate, t
		if t >= last {
			return best, true
		}
		for i < n && p.T[i] <= t {
			i++
		}
		for j < n && p.T[j]-w <= t {
			j++
		}
		next := last
		if i < n {
			next = math.Min(next, p.T[i])
		}
		if j < n {
			next = math.Min(next, p.T[j]-w)
		}
		t = math.Max(next, math.Nextafter(t, math.Inf(1)))
	}
}

// walker sums the area under a series up to ever later times.
type walker struct {
	p   trace.Series
	i   int     // segment: from reading i to i+1
	sum float64 // area up to reading i
}

// to gives the area up to t and the value there; t must not go back.
func (w *walker) to(t float64) (area, value float64) {
	p := w.p
	for w.i+2 < p.Len() && p.T[w.i+1] <= t {
		w.sum += (p.V[w.i] + p.V[w.i+1]) / 2 * (p.T[w.i+1] - p.T[w.i])
		w.i++
	}
	t0, v0, t1, v1 := p.T[w.i], p.V[w.i], p.T[w.i+1], p.V[w.i+1]
	t = math.Min(t, t1)
	v := v1
	if t1 > t0 {
		v = v0 + (v1-v0)*((t-t0)/(t1-t0))
	}
	return w.sum + (v0+v)/2*(t-t0), v
}

// longestAbove gives the longest stretch of the joined line at or above a level;
// a dip of at most dipS does not break it, a gap does. The first of equals.
func longestAbove(p trace.Series, level, dipS float64) trace.Span {
	var best, now trace.Span
	open := false
	add := func(s trace.Span, joined bool) {
		if open && joined && s.From-now.To <= dipS {
			now.To = s.To
		} else {
			now, open = s, true
		}
		if now.Len() > best.Len() || best == (trace.Span{}) {
			best = now
		}
	}
	limit := trace.GapLimit(p.T)
	broken := false // a gap since the last stretch
	for i := 0; i < p.Len(); i++ {
		if i == 0 || p.T[i]-p.T[i-1] > limit {
			broken = true
			if p.V[i] >= level {
				add(trace.Span{From: p.T[i], To: p.T[i]}, false)
				broken = false
			}
			continue
		}
		if s, ok := above(p.T[i-1], p.V[i-1], p.T[i], p.V[i], level); ok {
			add(s, !broken)
			broken = false
		}
	}
	return best
}

// above gives the part of a straight segment that is at or above a level.
func above(t0, v0, t1, v1, level float64) (trace.Span, bool) {
	switch {
	case v0 >= level && v1 >= level:
		return trace.Span{From: t0, To: t1}, true
	case v0 < level && v1 < level:
		return trace.Span{}, false
	}
	x := t0 + (t1-t0)*((level-v0)/(v1-v0))
	if v0 >= level {
		return trace.Span{From: t0, To: x}, true
	}
	return trace.Span{From: x, To: t1}, true
}

// ramp gives the seconds from first power to the first reading at 90 % of the
// highest power of the 180 s after it. p is without spikes.
//
// Special cases are: no power, and a log whose first power is already that high
// without a reading below 1 kW in the 10 s before it: nil, the ramp was not seen.
func ramp(p trace.Series) *float64 {
	first, ok := firstPower(p)
	if !ok {
		return nil
	}
	start, _ := slices.BinarySearch(p.T, first)
	for p.V[start] < PowerFloorKW {
		start++
	}
	top := 0.0
	for i := start; i < p.Len() && p.T[i] <= first+rampWindowS; i++ {
		top = math.Max(top, p.V[i])
	}
	for i := start; i < p.Len(); i++ {
		if p.V[i] < rampShare*top {
			continue
		}
		if i == start && (start == 0 || p.T[start]-p.T[start-1] > rampBeforeS) {
			return nil
		}
		return ptr(p.T[i] - first)
	}
	return nil
}
