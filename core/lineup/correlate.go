package lineup

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
)

// candidate is a shift at which two shapes look alike.
type candidate struct {
	shiftS float64 // added to the times of the second
	like   float64 // correlation over what both cover
	points float64 // steps that both cover
	score  float64 // how much likelier than no likeness at all: the log of the ratio
}

// How candidates are chosen (common practice, no source).
const (
	leastPoints = 8    // readings that both cover
	leastShare  = 0.25 // of what the shorter one holds
	apartS      = 20   // candidates nearer than this are the same one
	independent = 10   // readings so many s apart tell something new
	mostTried   = 6
)

// scores gives the correlation of what both grids cover at every shift of b against a, in a circle;
// a shift with too little in common has none. The sums over every shift come from Fourier
// transforms (D. Padfield, Masked object registration in the Fourier domain, 2012, in one
// dimension, from memory). Both grids have the same step.
func scores(a, b grid) []candidate {
	n := 1
	for n < len(a.v)+len(b.v) {
		n *= 2
	}
	fft := fourier.NewFFT(n)
	meanA, meanB := mean(a), mean(b)
	spectrum := func(g grid, mean float64, power int) []complex128 {
		x := make([]float64, n)
		for i := range g.v {
			if g.w[i] > 0 {
				x[i] = math.Pow(g.v[i]-mean, float64(power))
			}
		}
		return fft.Coefficients(nil, x)
	}
	over := func(x, y []complex128) []float64 { // sum over i of x[i] y[i+k], for each k
		z := make([]complex128, len(x))
		for i := range z {
			z[i] = complex(real(x[i]), -imag(x[i])) * y[i] / complex(float64(n), 0)
		}
		return fft.Sequence(nil, z)
	}
	a0, a1, a2 := spectrum(a, meanA, 0), spectrum(a, meanA, 1), spectrum(a, meanA, 2)
	b0, b1, b2 := spectrum(b, meanB, 0), spectrum(b, meanB, 1), spectrum(b, meanB, 2)
	count, sumA, sumB := over(b0, a0), over(b0, a1), over(b1, a0)
	sqA, sqB, both := over(b0, a2), over(b2, a0), over(b1, a1)
	least := math.Max(leastPoints, leastShare*math.Min(weight(a), weight(b)))
	score := func(k int) candidate {
		m := math.Round(count[k])
		if m < least {
			return candidate{}
		}
		varA, varB := sqA[k]-sumA[k]*sumA[k]/m, sqB[k]-sumB[k]*sumB[k]/m
		lag := k
		if k > n/2 {
			lag = k - n
		}
		shift := a.fromS - b.fromS + float64(lag)*a.stepS
		if varA <= 1e-6*m || varB <= 1e-6*m {
			return candidate{shiftS: shift, points: m}
		}
		r := math.Min(1, (both[k]-sumA[k]*sumB[k]/m)/math.Sqrt(varA*varB))
		if r <= 0 {
			return candidate{shiftS: shift, points: m}
		}
		new := math.Min(m, m*a.stepS/independent)
		return candidate{shift, r, m, -new / 2 * math.Log(1-r*r+1e-6)}
	}
	all := make([]candidate, n)
	for k := range all {
		all[k] = score(k)
	}
	return all
}

// likenesses gives the shifts that have enough in common.
func likenesses(a, b grid) []candidate {
	return slices.DeleteFunc(scores(a, b), func(c candidate) bool { return c.points == 0 })
}

// correlate gives the best of all shifts of b against a, the better first.
func correlate(a, b grid) []candidate {
	all := scores(a, b)
	n := len(all)
	var peaks []candidate
	for k, c := range all {
		if c.score > 0 && c.score >= all[(k+1)%n].score && c.score >= all[(k+n-1)%n].score {
			peaks = append(peaks, c)
		}
	}
	slices.SortFunc(peaks, func(x, y candidate) int { return cmp.Compare(y.score, x.score) })
	var out []candidate
	for _, c := range peaks {
		near := func(o candidate) bool { return math.Abs(o.shiftS-c.shiftS) < apartS }
		if len(out) < mostTried && !slices.ContainsFunc(out, near) {
			out = append(out, c)
		}
	}
	return out
}

func weight(g grid) (sum float64) {
	for _, w := range g.w {
		sum += w
	}
	return sum
}

func mean(g grid) float64 {
	sum := 0.0
	for i, v := range g.v {
		sum += v * g.w[i]
	}
	return sum / math.Max(1, weight(g))
}
