package lineup

import (
	"math"

	"zincroad/core/trace"
)

// grid is a series on even steps: the mean of what was read in each step, joined by straight
// lines between readings that are no gap apart, and how much each step weighs: 0 where
// nothing is known.
type grid struct {
	fromS, stepS float64
	v, w         []float64
}

// gridOf lays a series on even steps. Where only is set, a step without a reading of its own
// weighs nothing; otherwise it is joined from its neighbours, gaps left out.
func gridOf(s trace.Series, fromS, stepS float64, only bool) grid {
	g := grid{fromS: fromS, stepS: stepS}
	if s.Len() == 0 {
		return g
	}
	n := int((s.T[s.Len()-1]-fromS)/stepS+0.5) + 1
	g.v, g.w = make([]float64, n), make([]float64, n)
	at := func(t float64) int { return max(0, min(n-1, int((t-fromS)/stepS+0.5))) }
	for i, t := range s.T {
		k := at(t)
		g.v[k] += s.V[i]
		g.w[k]++
	}
	for k := range g.v {
		if g.w[k] > 0 {
			g.v[k], g.w[k] = g.v[k]/g.w[k], 1
		}
	}
	if only {
		return g
	}
	limit := trace.GapLimit(s.T)
	// A step is joined between the nearest readings around its middle, which also takes
	// out how far from the middle a single reading of the step was.
	for i := 1; i < s.Len(); i++ {
		if d := s.T[i] - s.T[i-1]; d > limit || d <= 0 {
			continue
		}
		slope := (s.V[i] - s.V[i-1]) / (s.T[i] - s.T[i-1])
		for k := at(s.T[i-1]); k <= at(s.T[i]); k++ {
			t := fromS + float64(k)*stepS
			if t >= s.T[i-1] && t <= s.T[i] {
				g.v[k], g.w[k] = s.V[i-1]+slope*(t-s.T[i-1]), 1
			}
		}
	}
	return g
}

// smooth gives the grid convolved with a bell of a width, in s, over what is known; a step
// with less than a share of that known around it weighs nothing, since it would lean to one side.
func (g grid) smooth(sigmaS, known float64) grid {
	reach := int(math.Ceil(3 * sigmaS / g.stepS))
	bell := make([]float64, reach+1)
	whole := 0.0
	for i := range bell {
		bell[i] = math.Exp(-0.5 * math.Pow(float64(i)*g.stepS/sigmaS, 2))
		whole += bell[i]
		if i > 0 {
			whole += bell[i]
		}
	}
	out := grid{fromS: g.fromS, stepS: g.stepS, v: make([]float64, len(g.v)), w: make([]float64, len(g.v))}
	for k := range g.v {
		sum, weight := 0.0, 0.0
		for i := max(0, k-reach); i <= min(len(g.v)-1, k+reach); i++ {
			b := bell[max(i-k, k-i)] * g.w[i]
			sum += b * g.v[i]
			weight += b
		}
		if weight > known*whole {
			out.v[k], out.w[k] = sum/weight, 1
		}
	}
	return out
}

// at gives the value and the slope per second on the joined line at a time, false where it is
// not known.
func (g grid) at(t float64) (v, slope float64, ok bool) {
	x := (t - g.fromS) / g.stepS
	k := int(math.Floor(x))
	if k < 1 || k+2 >= len(g.v) || g.w[k-1]*g.w[k]*g.w[k+1]*g.w[k+2] == 0 {
		return 0, 0, false
	}
	x -= float64(k)
	v = g.v[k] + x*(g.v[k+1]-g.v[k])
	a, b := g.v[k+1]-g.v[k-1], g.v[k+2]-g.v[k]
	return v, (a + x*(b-a)) / (2 * g.stepS), true
}
