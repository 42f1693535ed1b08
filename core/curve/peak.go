package curve

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"zincroad/core/trace"
)

// HeldShare is the share of the sustained power from which a peak counts as held.
const HeldShare = 0.95

// The parts of the peak and of the ramp, as defined in docs/definitions.md.
const (
	sustainedS  = 10.0 // length of the mean
	heldDipS    = 2.0  // a dip this short does not break the hold
	rampWindowS = 180.0
	rampShare   = 0.90
	rampBeforeS = 10.0
)

// peak works out the highest reading, the highest mean over 10 s, and the longest
// time at 95 % of that mean or more. A mean or a hold lies within one leg. Upward
// spikes are left out.
func (s *sides) peak(flows []flow, side trace.Side, zero float64) *Peak {
	var out *Peak
	mean, ok := 0.0, false
	clean := make([]trace.Series, len(flows))
	for k, f := range flows {
		clean[k] = f.calmToEnd()
		if i := clean[k].Max(); i >= 0 && clean[k].V[i] >= PowerFloorKW && (out == nil || clean[k].V[i] > out.KW) {
			out = &Peak{KW: clean[k].V[i], TS: clean[k].T[i] - zero, SoCPct: s.socAt(clean[k].T[i])}
		}
		if m, long := sustained(clean[k], sustainedS); long && (!ok || m > mean) {
			mean, ok = m, true
		}
	}
	if out == nil || !ok {
		return out
	}
	out.SustainedKW = &mean
	var held trace.Span
	for _, p := range clean {
		if h := longestAbove(p, mean*HeldShare, heldDipS, trace.Gaps(p, s.interval[side])); h.Len() > held.Len() ||
			held == (trace.Span{}) {
			held = h
		}
	}
	out.HeldS = ptr(held.Len())
	out.HeldFromS = held.From - zero
	out.HeldFromPct, out.HeldToPct = s.socAt(held.From), s.socAt(held.To)
	return out
}

// sustained is highestMean of a long log: part by part, those with the highest reading first, until no part that is
// left has a reading above the best mean so far, for a mean is no higher than the highest it is made of. Parts overlap
// by w, so that every stretch of that length lies in one.
func sustained(p trace.Series, w float64) (float64, bool) {
	const inAPart = 4096
	n := p.Len()
	if n < 4*inAPart {
		return highestMean(p, w)
	}
	type part struct {
		trace.Series
		top float64
	}
	var parts []part
	for from := 0; from < n; from += inAPart {
		to := min(n, from+inAPart+1)
		if to < n {
			past := sort.SearchFloat64s(p.T, p.T[to-1]+w)
			to = min(n, past+1)
		}
		x := part{trace.Series{T: p.T[from:to], V: p.V[from:to]}, 0}
		x.top = x.V[x.Max()]
		parts = append(parts, x)
	}
	slices.SortStableFunc(parts, func(a, b part) int { return cmp.Compare(b.top, a.top) })
	best, ok := 0.0, false
	for _, x := range parts {
		if ok && x.top <= best {
			break
		}
		if m, long := highestMean(x.Series, w); long && (!ok || m > best) {
			best, ok = m, true
		}
	}
	return best, ok
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
	last := p.T[n-1] - w
	t, i, j := p.T[0], 0, 0 // the stretch begins in segment i and ends in segment j
	for j+2 < n && p.T[j+1] <= t+w {
		j++
	}
	area, v0 := p.Integral(t, t+w), p.V[0]
	v1, _ := p.At(t + w)
	best := area
	for t < last {
		toStart, toEnd := p.T[i+1]-t, p.T[j+1]-(t+w)
		dt := last - t
		if toStart < dt {
			dt = toStart
		}
		if toEnd < dt {
			dt = toEnd
		}
		if dt < 0 {
			dt = 0
		}
		next0, next1 := v0, v1
		if dt > 0 {
			next0 += (p.V[i+1] - v0) * (dt / toStart)
			next1 += (p.V[j+1] - v1) * (dt / toEnd)
		}
		if rate, after := v1-v0, next1-next0; rate > 0 && after < 0 {
			if top := area + rate*dt*rate/(rate-after)/2; top > best {
				best = top
			}
		}
		area += (v1 + next1 - v0 - next0) / 2 * dt
		if area > best {
			best = area
		}
		t, v0, v1 = t+dt, next0, next1
		if toStart <= dt {
			if i+2 >= n {
				break
			}
			i++
			v0 = p.V[i]
		}
		if toEnd <= dt {
			if j+2 >= n {
				break
			}
			j++
			v1 = p.V[j]
		}
	}
	return best / w, true
}

// longestAbove gives the longest stretch of the joined line at or above a level;
// a dip of at most dipS does not break it, a gap does. The first of equals.
func longestAbove(p trace.Series, level, dipS float64, gaps []trace.Span) trace.Span {
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
	broken := false // a gap since the last stretch
	for i := 0; i < p.Len(); i++ {
		gap := i > 0 && len(gaps) > 0 && p.T[i-1] >= gaps[0].From
		if gap {
			gaps = gaps[1:]
		}
		if i == 0 || gap {
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
// highest power of the 180 s after it, in the first leg. Upward spikes are left out.
//
// Special cases are: no power but a spike, and a log whose first power is already that high
// without a reading below 1 kW in the 10 s before it: nil, the ramp was not seen.
func ramp(flows []flow) *float64 {
	if len(flows) == 0 {
		return nil
	}
	p, first := flows[0].calm, flows[0].firstS
	start, _ := slices.BinarySearch(p.T, first)
	for start < p.Len() && p.V[start] < PowerFloorKW { // all of it may have been a spike
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
