package trace

import (
	"math"
	"slices"
	"sort"
)

// How far from the others a time must be to be none of the log's own (common
// practice, no source): the longest of 6 h and ten times the middle three fifths of
// the log where it is one of a few, 30 days in any case.
const (
	outlyingS      = 6 * 3600
	outlyingFactor = 10
	outlyingFrom   = 20   // rows that make a rhythm
	outlyingFew    = 3    // rows out of it, or
	outlyingShare  = 0.01 // of the rows
	neverS         = 30 * 86400
	// LongestTimeS bounds a time in s on any clock, 300 years.
	LongestTimeS = 1e10
)

// Outlying gives the indices of times, in s and in any order, that are far outside
// the log's rhythm (a wall clock's reading among seconds, a slipped digit), in
// ascending order. A time that is no finite number, or beyond LongestTimeS, is one.
func Outlying(t []float64) []int {
	if n := len(t); n == 0 ||
		legal(t[0]) && legal(t[n-1]) && t[n-1]-t[0] <= outlyingS && InOrder(t) && !math.IsNaN(t[0]) {
		return nil
	}
	sorted := make([]float64, 0, len(t))
	for _, x := range t {
		if legal(x) {
			sorted = append(sorted, x)
		}
	}
	slices.Sort(sorted)
	n := len(sorted)
	lowest, highest := math.Inf(-1), math.Inf(1)
	if n > 0 {
		middle := sorted[n/2]
		lowest, highest = middle-neverS, middle+neverS
		limit := math.Max(outlyingS, outlyingFactor*(sorted[n-1-n/5]-sorted[n/5]))
		from := sort.SearchFloat64s(sorted, sorted[n/5]-limit)
		to := sort.Search(n, func(i int) bool { return sorted[i] > sorted[n-1-n/5]+limit })
		if few := max(outlyingFew, int(outlyingShare*float64(n))); n >= outlyingFrom && from+n-to <= few {
			lowest, highest = math.Max(lowest, sorted[n/5]-limit), math.Min(highest, sorted[n-1-n/5]+limit)
		}
	}
	var out []int
	for i, x := range t {
		if !legal(x) || x < lowest || x > highest {
			out = append(out, i)
		}
	}
	return out
}

func legal(t float64) bool { return t >= -LongestTimeS && t <= LongestTimeS }

// Without gives the recording without some of its readings, by their indices in
// ascending order; r itself where there are none.
func (r *Recording) Without(at []int) *Recording {
	if len(at) == 0 {
		return r
	}
	keep := make([]int, 0, len(r.T)-len(at))
	for i := range r.T {
		if _, out := slices.BinarySearch(at, i); !out {
			keep = append(keep, i)
		}
	}
	out := *r
	out.T = pick(r.T, keep)
	out.Columns = make(map[Channel][]float64, len(r.Columns))
	for c, col := range r.Columns {
		out.Columns[c] = pick(col, keep)
	}
	return &out
}
