package trace

import (
	"math"
	"slices"
)

// GapFloorS and GapFactor define a gap: a stretch without readings longer than
// the larger of 30 s and ten times the interval.
const (
	GapFloorS = 30
	GapFactor = 10
)

// What makes a recording a typed one, and how its rhythm is judged.
const (
	TypedFromS = 20.0 // median interval from which readings were typed, not logged
	around     = 10   // readings that make up the rhythm of a part
	levelShare = 0.05 // ends this near to each other are the same level
)

// MedianInterval gives the median time between readings in seconds (the mean of
// the two middle ones when their number is even); 0 for fewer than two readings.
func MedianInterval(t []float64) float64 {
	n := len(t) - 1
	if n < 1 {
		return 0
	}
	if d, ok := middleInterval(t); ok {
		return d
	}
	d := make([]float64, n)
	for i := range d {
		d[i] = t[i+1] - t[i]
	}
	return median(d)
}

// From so many readings on the median is looked for among those intervals that a sample says it is among.
const (
	manyReadings = 10_000
	sampleSize   = 1_001
	sampleSpread = 50 // places in the sample to either side of its middle: three standard deviations of chance
)

// middleInterval is MedianInterval of many readings: what lies below the sample's bracket is counted, and the two
// middle ones are looked for among what lies in it (Floyd and Rivest 1975, from memory). False where there are few,
// or the sample misled.
func middleInterval(t []float64) (float64, bool) {
	n := len(t) - 1
	if n < manyReadings {
		return 0, false
	}
	sample := make([]float64, sampleSize)
	for k := range sample {
		i := k * (n - 1) / (sampleSize - 1)
		sample[k] = t[i+1] - t[i]
	}
	slices.Sort(sample)
	low, high := sample[sampleSize/2-sampleSpread], sample[sampleSize/2+sampleSpread]
	// Counted without branches: of a steady log, intervals differ in their last bit alone, and none can be foreseen.
	below, most := 0, 0
	last := t[0]
	for _, x := range t[1:] {
		d := x - last
		last = x
		lower, notHigher := 0, 0
		if d < low {
			lower = 1
		}
		if d <= high {
			notHigher = 1
		}
		below, most = below+lower, most+notHigher
	}
	first, second := (n-1)/2-below, n/2-below
	switch {
	case first < 0 || second >= most-below:
		return 0, false
	case low == high:
		return low, true
	}
	within := make([]float64, 0, most-below)
	for i := range n {
		if d := t[i+1] - t[i]; low <= d && d <= high {
			within = append(within, d)
		}
	}
	upper := nth(within, second)
	return (slices.Max(within[:first+1]) + upper) / 2, true
}

// Median gives the middle of some values; 0 for none.
func Median(v []float64) float64 { return median(slices.Clone(v)) }

// median is Median that moves the values around.
func median(d []float64) float64 {
	n := len(d)
	if n == 0 {
		return 0
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

// MedianOf gives the median interval within several stretches of readings, in
// seconds; what lies between two stretches is none.
func MedianOf(parts ...[]float64) float64 {
	n := 0
	for _, t := range parts {
		n += max(0, len(t)-1)
	}
	d := make([]float64, 0, n)
	for _, t := range parts {
		for i := 1; i < len(t); i++ {
			d = append(d, t[i]-t[i-1])
		}
	}
	return median(d)
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

// Gaps lists the gaps in a power series whose readings come every intervalS
// seconds (their median), in order of time. A gap is a stretch without readings
// longer than the larger of 30 s and ten intervals.
//
// Readings that were typed (20 s apart or more) have no common rhythm: their
// interval is the median of the ten readings around, and a stretch whose power is
// the same at both ends within 5 % is a level that nobody had to note again.
func Gaps(s Series, intervalS float64) []Span {
	const stride = 64
	var gaps []Span
	for i := 1; i < len(s.T); i++ {
		for i+stride <= len(s.T) && s.T[i+stride-1]-s.T[i-1] <= GapFloorS { // no two of so many are farther apart
			i += stride
		}
		if i == len(s.T) {
			break
		}
		if s.T[i]-s.T[i-1] > GapFloorS && isGap(s, i, intervalS) {
			gaps = append(gaps, Span{s.T[i-1], s.T[i]})
		}
	}
	return gaps
}

// isGap judges the stretch that ends at reading i.
func isGap(s Series, i int, intervalS float64) bool {
	if intervalS >= TypedFromS {
		if len(s.V) > 0 && level(s.V[i-1], s.V[i]) {
			return false
		}
		from := max(0, min(i-around/2, len(s.T)-around))
		intervalS = MedianInterval(s.T[from:min(len(s.T), from+around)])
	}
	return s.T[i]-s.T[i-1] > GapLimitFor(intervalS)
}

func level(a, b float64) bool {
	return math.Abs(a-b) <= levelShare*math.Max(math.Abs(a), math.Abs(b))
}
