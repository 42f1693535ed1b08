package lineup

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/trace"
)

// Likeness gives the correlation of two recordings' shapes at every shift of the second, thinned
// to at most n points, the best of each stretch; times are the shifts, in s beside what its times
// carry already. Empty where they have nothing in common.
func Likeness(master, other *trace.Recording, n int) trace.Series {
	a, b := shapesOf(master), shapesOf(other)
	for _, ch := range channels {
		x, y := a[ch.channel], b[ch.channel]
		if x.Len() < leastPoints || y.Len() < leastPoints {
			continue
		}
		step := 1.0
		for x.Span().Len()/step > mostSteps || y.Span().Len()/step > mostSteps {
			step *= 2
		}
		all := likenesses(gridOf(x, math.Floor(x.T[0]), step, false),
			gridOf(y, math.Floor(y.T[0]), step, trace.MedianInterval(y.T) > denseS))
		slices.SortFunc(all, func(p, q candidate) int { return cmp.Compare(p.shiftS, q.shiftS) })
		var out trace.Series
		each := max(1, len(all)/max(1, n))
		for i := 0; i < len(all); i += each {
			best := all[i]
			for _, c := range all[i:min(len(all), i+each)] {
				if c.like > best.like {
					best = c
				}
			}
			out.T, out.V = append(out.T, best.shiftS), append(out.V, best.like)
		}
		return out
	}
	return trace.Series{}
}

// Agreement is how well two recordings lie on each other at one shift.
type Agreement struct {
	Channel trace.Channel // by which they were compared; empty: nothing that both have overlaps
	Alike   float64       // correlation over what both cover
	Apart   float64       // median difference, in the channel's unit, once their scales are the same
	ForS    float64       // how long both cover
}

// Agree compares two recordings on one clock, both in order of time, by the first quantity that
// both have: how a person sees a fit move.
func Agree(master, other *trace.Recording) Agreement {
	a, b := shapesOf(master), shapesOf(other)
	for _, ch := range channels {
		sa, sb := a[ch.channel], b[ch.channel]
		if sa.Len() < 2 || sb.Len() < 2 {
			continue
		}
		var x, y []float64
		from, to := math.Inf(1), math.Inf(-1)
		limit := trace.GapLimit(sa.T)
		k := 0
		for i, t := range sb.T {
			for k+1 < sa.Len() && sa.T[k+1] <= t {
				k++
			}
			if k+1 < sa.Len() && (t < sa.T[k] || sa.T[k+1]-sa.T[k] > limit) {
				continue
			}
			if v, ok := sa.At(t); ok {
				x, y = append(x, v), append(y, sb.V[i])
				from, to = math.Min(from, t), math.Max(to, t)
			}
		}
		if len(x) < 2 {
			continue
		}
		return agreement(ch.channel, x, y, to-from)
	}
	return Agreement{}
}

// agreement holds two courses, read at the same moments, against each other. Likeness is their correlation, which does
// not see a loss that is a share of the power; how far they lie apart is the median, one side scaled to the other's
// mean, so that neither a loss nor a few readings on an edge count as disagreement.
func agreement(c trace.Channel, x, y []float64, forS float64) Agreement {
	n := float64(len(x))
	mx, my := 0.0, 0.0
	for i := range x {
		mx, my = mx+x[i]/n, my+y[i]/n
	}
	xx, yy, xy := 0.0, 0.0, 0.0
	for i := range x {
		xx, yy, xy = xx+(x[i]-mx)*(x[i]-mx), yy+(y[i]-my)*(y[i]-my), xy+(x[i]-mx)*(y[i]-my)
	}
	out := Agreement{Channel: c, ForS: forS}
	if xx > 0 && yy > 0 {
		out.Alike = xy / math.Sqrt(xx*yy)
	}
	scale := 1.0
	if mx != 0 {
		scale = my / mx
	}
	apart := make([]float64, len(x))
	for i := range x {
		apart[i] = math.Abs(y[i] - scale*x[i])
	}
	out.Apart = trace.Median(apart)
	return out
}
