package trace

import (
	"math"
	"sort"
)

// Series is one channel's values against time, in order of time, joined by
// straight lines. T and V are of the same length and hold no NaN.
//
// Straight lines, for energy, posts and curves alike: between two readings of a logger nothing better is known, and a
// curve that overshoots (a spline at an edge of power) would invent a peak that nobody measured. Readings at one time
// are a step; the last of them counts from there on.
type Series struct{ T, V []float64 }

// Span is a stretch of time in seconds.
type Span struct {
	From float64 `json:"from_s"`
	To   float64 `json:"to_s"`
}

// Len is the span's length in seconds.
func (s Span) Len() float64 { return s.To - s.From }

// Len is the number of points.
func (s Series) Len() int { return len(s.T) }

// Span gives the time from the first to the last point; zero when empty.
func (s Series) Span() Span {
	if len(s.T) == 0 {
		return Span{}
	}
	return Span{s.T[0], s.T[len(s.T)-1]}
}

// At gives the value on the joined line at time t, and false outside it.
// Where several points share the time, the last of them counts.
func (s Series) At(t float64) (float64, bool) {
	n := len(s.T)
	if n == 0 || t < s.T[0] || t > s.T[n-1] || math.IsNaN(t) {
		return 0, false
	}
	i := sort.Search(n, func(i int) bool { return s.T[i] > t }) // first point after t
	if i == n {
		return s.V[n-1], true
	}
	return lerp(s.T[i-1], s.V[i-1], s.T[i], s.V[i], t), true
}

// From gives the part of the series at or after t, without a point of its own at t.
func (s Series) From(t float64) Series {
	i := sort.SearchFloat64s(s.T, t)
	return Series{s.T[i:], s.V[i:]}
}

func lerp(t0, v0, t1, v1, t float64) float64 {
	if t1 <= t0 {
		return v1
	}
	return v0 + (v1-v0)*((t-t0)/(t1-t0))
}

// Integral gives the area under the joined line between two times, by the
// trapezoid rule, in the unit of the values times seconds. The part of the span
// outside the series counts nothing.
func (s Series) Integral(from, to float64) float64 {
	if len(s.T) < 2 {
		return 0
	}
	from, to = math.Max(from, s.T[0]), math.Min(to, s.T[len(s.T)-1])
	if !(from < to) {
		return 0
	}
	a, _ := s.At(from)
	t0, v0, sum := from, a, 0.0
	for i := sort.Search(len(s.T), func(i int) bool { return s.T[i] > from }); i < len(s.T); i++ {
		t1, v1 := s.T[i], s.V[i]
		if t1 >= to {
			v1 = lerp(t0, v0, t1, v1, to)
			return sum + (v0+v1)/2*(to-t0)
		}
		sum += (v0 + v1) / 2 * (t1 - t0)
		t0, v0 = t1, v1
	}
	return sum
}

// Integrals gives Integral from the first point up to each of some ascending times, in one pass.
func (s Series) Integrals(ascending []float64) []float64 {
	out := make([]float64, len(ascending))
	if len(s.T) < 2 {
		return out
	}
	sum, i := 0.0, 1 // the area up to the point before i
	for k, to := range ascending {
		for ; i < len(s.T) && s.T[i] <= to; i++ {
			sum += (s.V[i-1] + s.V[i]) / 2 * (s.T[i] - s.T[i-1])
		}
		out[k] = sum
		if i < len(s.T) && to > s.T[i-1] {
			v := lerp(s.T[i-1], s.V[i-1], s.T[i], s.V[i], to)
			out[k] += (s.V[i-1] + v) / 2 * (to - s.T[i-1])
		}
	}
	return out
}

// FirstReachAll gives the first time at which the joined line reaches each of some
// ascending values from below, in one pass; NaN where it starts above one or never
// gets there.
func (s Series) FirstReachAll(ascending []float64) []float64 {
	out := make([]float64, len(ascending))
	k := 0
	for k < len(out) && (len(s.V) == 0 || s.V[0] > ascending[k]) {
		out[k] = math.NaN()
		k++
	}
	for i, x := range s.V {
		for ; k < len(out) && x >= ascending[k]; k++ {
			if i == 0 {
				out[k] = s.T[0]
			} else {
				out[k] = crossing(s.T[i-1], s.V[i-1], s.T[i], x, ascending[k])
			}
		}
		if k == len(out) {
			break
		}
	}
	for ; k < len(out); k++ {
		out[k] = math.NaN()
	}
	return out
}

// crossing gives the time at which the line through two points has the value v.
func crossing(t0, v0, t1, v1, v float64) float64 {
	if v1 == v0 {
		return t1
	}
	return t0 + (t1-t0)*((v-v0)/(v1-v0))
}

// Max gives the index of the first highest value, -1 when empty.
func (s Series) Max() int {
	if len(s.V) == 0 {
		return -1
	}
	best, highest := 0, s.V[0]
	for i, v := range s.V {
		if v > highest {
			best, highest = i, v
		}
	}
	return best
}
