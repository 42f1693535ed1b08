package trace

import (
	"math"
	"slices"
	"sort"
)

// denser is how many times the readings of a source another must have to count
// instead of it: one with fewer than a third has only a few.
const denser = 3

// inReach is how near to a reading nothing else is needed, in s; typed readings
// reach one and a half of their intervals.
const (
	inReachS         = 30
	inReachIntervals = 1.5
)

// Join puts series of one quantity and one side together. The first counts,
// unless a later one has more than three times its readings. What the others hold
// fills in before and behind the one that counts (a logger that was started again)
// and inside its longest silences, where none of its readings is near.
func Join(list ...Series) Series {
	var out Series
	rest := make([]Series, 0, len(list))
	for _, s := range list {
		switch {
		case s.Len() == 0:
		case out.Len() == 0:
			out = s
		case s.Len() > denser*out.Len():
			rest, out = append(rest, out), s
		default:
			rest = append(rest, s)
		}
	}
	for _, s := range rest {
		out = fill(out, s, 0)
	}
	return out
}

// Merge puts two sides' series of one quantity together. The first counts, unless
// it has fewer than a third of the readings that the second has within some spans;
// the other fills in where none of the readings of the one that counts is within
// reach: 30 s, or one and a half intervals between two of them; a few notes at its ends
// count unless they contradict. ofSecond tells which
// one counts. With no spans all readings are counted.
func Merge(first, second Series, within ...Span) (out Series, ofSecond bool) {
	n, m := first.Len(), second.Len()
	if len(within) > 0 {
		n, m = first.count(within), second.count(within)
	}
	switch {
	case second.Len() == 0:
		return first, false
	case first.Len() == 0:
		return second, true
	case denser*n < m:
		return with(second, first), true
	}
	return with(first, second), false
}

// with fills in what the other side has. A few notes of it at the very ends are what
// somebody read off the other display, and count there unless they contradict.
func with(base, other Series) Series {
	if denser*other.Len() >= base.Len() {
		return fill(base, other, inReachS)
	}
	span, kept := base.Span(), Series{}
	for i, t := range other.T {
		contradicts := t < span.From && t > span.From-inReachS && other.V[i] > base.V[0] ||
			t > span.To && t < span.To+inReachS && other.V[i] < base.V[base.Len()-1]
		if !contradicts {
			kept.T, kept.V = append(kept.T, t), append(kept.V, other.V[i])
		}
	}
	return fill(base, kept, 0)
}

// count is the number of points within spans that do not overlap.
func (s Series) count(within []Span) int {
	n := 0
	for _, w := range within {
		from := sort.SearchFloat64s(s.T, w.From)
		to := sort.Search(len(s.T), func(i int) bool { return s.T[i] > w.To })
		n += max(0, to-from)
	}
	return n
}

// fill gives base with the points of other that lie more than outsideS before or
// behind it, or out of reach between two of its points.
func fill(base, other Series, outsideS float64) Series {
	insideS := math.Max(inReachS, inReachIntervals*MedianInterval(base.T))
	span := base.Span()
	before := sort.SearchFloat64s(other.T, span.From-outsideS)
	after := sort.Search(other.Len(), func(i int) bool { return other.T[i] > span.To+outsideS })
	middle := base
	var at []int // points of other to put in
	for i, k := max(before, sort.SearchFloat64s(other.T, span.From)), 0; i < other.Len() && other.T[i] < span.To; i++ {
		for k+1 < base.Len() && base.T[k+1] <= other.T[i] {
			k++
		}
		if other.T[i]-base.T[k] > insideS && base.T[k+1]-other.T[i] > insideS {
			at = append(at, i)
		}
	}
	if len(at) > 0 {
		middle = weave(base, other, at)
	}
	if before == 0 && after >= other.Len() {
		return middle
	}
	after = max(before, after)
	return Series{
		T: slices.Concat(other.T[:before], middle.T, other.T[after:]),
		V: slices.Concat(other.V[:before], middle.V, other.V[after:]),
	}
}

// weave puts some points of other among those of base, in order of time.
func weave(base, other Series, at []int) Series {
	out := Series{T: make([]float64, 0, base.Len()+len(at)), V: make([]float64, 0, base.Len()+len(at))}
	for i, t := range base.T {
		for len(at) > 0 && other.T[at[0]] < t {
			out.T, out.V = append(out.T, other.T[at[0]]), append(out.V, other.V[at[0]])
			at = at[1:]
		}
		out.T, out.V = append(out.T, t), append(out.V, base.V[i])
	}
	return out
}
