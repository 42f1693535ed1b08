package trace

import "math"

// GapFloorS and GapFactor define a gap: a stretch without readings longer than
// the larger of 30 s and ten times the median interval.
const (
	GapFloorS = 30
	GapFactor = 10
)

// MedianInterval gives the median time between readings in seconds (the mean of
// the two middle ones when their number is even); 0 for fewer than two readings.
func MedianInterval(t []float64) float64 {
	n := len(t) - 1
	if n < 1 {
		return 0
	}
	d := make([]float64, n)
	for i := range d {
		d[i] = t[i+1] - t[i]
	}
	upper := nth(d, n/2)
	if n%2 == 1 {
		return upper
	}
	lower := math.Inf(-1)
	for _, x := range d[:n/2] {
		lower = math.Max(lower, x)
	}
	return (lower + upper) / 2
}

// nth puts the k-th smallest value (from 0) at index k, nothing larger before it
// and nothing smaller behind it, and returns it: Hoare's selection with a
// three-way split, so that the equal intervals of a steady log cost one pass.
func nth(d []float64, k int) float64 {
	lo, hi := 0, len(d)-1
	for lo < hi {
		p := medianOfThree(d[lo], d[(lo+hi)/2], d[hi])
		lt, i, gt := lo, lo, hi
		for i <= gt {
			switch {
			case d[i] < p:
				d[lt], d[i] = d[i], d[lt]
				lt++
				i++
			case d[i] > p:
				d[gt], d[i] = d[i], d[gt]
				gt--
			default:
				i++
			}
		}
		switch {
		case k < lt:
			hi = lt - 1
		case k > gt:
			lo = gt + 1
		default:
			return d[k]
		}
	}
	return d[k]
}

func medianOfThree(a, b, c float64) float64 {
	return math.Max(math.Min(a, b), math.Min(math.Max(a, b), c))
}

// GapLimit gives the longest stretch in seconds that is no gap in readings at
// these times.
func GapLimit(t []float64) float64 { return GapLimitFor(MedianInterval(t)) }

// GapLimitFor gives the same for a median interval in seconds.
func GapLimitFor(interval float64) float64 {
	return math.Max(GapFloorS, GapFactor*interval)
}

// Gaps lists the stretches without readings, in order of time.
func Gaps(t []float64) []Span {
	return GapsOver(t, GapLimit(t))
}

// GapsOver lists the stretches without readings that are longer than limit.
func GapsOver(t []float64, limit float64) []Span {
	var gaps []Span
	for i := 1; i < len(t); i++ {
		if t[i]-t[i-1] > limit {
			gaps = append(gaps, Span{t[i-1], t[i]})
		}
	}
	return gaps
}
