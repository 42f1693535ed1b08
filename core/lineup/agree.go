package lineup

import (
	"math"

	"zincroad/core/trace"
)

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
