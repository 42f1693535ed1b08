package bench

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// Spread is several curves as one: the one in the middle, and the band that they fill.
type Spread struct {
	At                []float64 // where on the axis, rising
	Median, Low, High []float64 // NaN: fewer than half of the curves, or than two, are there
	Whole             bool      // the band holds all of the curves; else the middle 80 of 100
}

// quantilesFrom is from how many curves on a band leaves out the outer tenths.
const quantilesFrom = 10

// SpreadOf takes curves together on a common axis. Each is a value against its axis (a Series with the
// axis in T), joined by straight lines; where the axis stands still or goes back, as a display of whole
// per cents does, the first value at each place counts.
func SpreadOf(curves []trace.Series, at []float64) Spread {
	s := Spread{At: at, Whole: len(curves) < quantilesFrom, Median: make([]float64, len(at)),
		Low: make([]float64, len(at)), High: make([]float64, len(at))}
	rising := make([]trace.Series, len(curves))
	for i, c := range curves {
		rising[i] = risingOf(c)
	}
	least := max(2, (len(curves)+1)/2)
	values := make([]float64, 0, len(curves))
	for i, x := range at {
		values = values[:0]
		for _, c := range rising {
			if v, ok := c.At(x); ok {
				values = append(values, v)
			}
		}
		if len(values) < least {
			s.Median[i], s.Low[i], s.High[i] = math.NaN(), math.NaN(), math.NaN()
			continue
		}
		slices.Sort(values)
		s.Median[i], s.Low[i], s.High[i] = quantile(values, 0.5), values[0], values[len(values)-1]
		if !s.Whole {
			s.Low[i], s.High[i] = quantile(values, 0.1), quantile(values, 0.9)
		}
	}
	return s
}

func risingOf(c trace.Series) (out trace.Series) {
	last := math.Inf(-1)
	for i, x := range c.T {
		if x > last && !math.IsNaN(c.V[i]) {
			out.T, out.V = append(out.T, x), append(out.V, c.V[i])
			last = x
		}
	}
	return out
}

// quantile of sorted values, with straight lines between the order statistics (type 7 of Hyndman and
// Fan, The American Statistician 50 (1996) 361).
func quantile(sorted []float64, p float64) float64 {
	at := p * float64(len(sorted)-1)
	i := int(at)
	if i+1 >= len(sorted) {
		return sorted[len(sorted)-1]
	}
	return sorted[i] + (at-float64(i))*(sorted[i+1]-sorted[i])
}

// Beside is where a curve lies outside of a band: from where to where on the axis, and on which side.
type Beside struct {
	From, To float64
	Above    bool
}

// A curve is outside of a band where it lies beyond it by more than this share of the median (common
// practice, no source: what meters and displays differ by).
const besideShare = 0.02

// Outside lists where a curve lies outside of the band, for a stretch of the axis of at least so much;
// two stretches on one side that lie nearer than that are one.
func (s Spread) Outside(curve trace.Series, least float64) []Beside {
	var out []Beside
	c := risingOf(curve)
	open := 0 // above 1, below -1
	for i, x := range s.At {
		side := 0
		if v, ok := c.At(x); ok && !math.IsNaN(s.Median[i]) {
			room := besideShare * math.Abs(s.Median[i])
			switch {
			case v > s.High[i]+room:
				side = 1
			case v < s.Low[i]-room:
				side = -1
			}
		}
		last := len(out) - 1
		switch {
		case side == 0:
		case last >= 0 && out[last].Above == (side > 0) && (side == open || x-out[last].To < least):
			out[last].To = x
		default:
			out = append(out, Beside{x, x, side > 0})
		}
		open = side
	}
	return slices.DeleteFunc(out, func(b Beside) bool { return b.To-b.From < least })
}
