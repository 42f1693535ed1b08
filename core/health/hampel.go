package health

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// spread turns a median absolute deviation into a standard deviation of what scatters normally:
// 1 / Φ⁻¹(3/4).
const spread = 1.482602218505602

// Hampel lists the values that lie more than k robust standard deviations from the median of the
// reach values on either side of them and themselves, and by more than least (F. R. Hampel, The
// influence curve, 1974, from memory). Near the ends the window is cut. NaN is no value.
func Hampel(v []float64, reach int, k, least float64) []int {
	var out []int
	window := make([]float64, 0, 2*reach+1)
	// What is like both values before it and both behind it cannot be far from their median: only values up to here,
	// near to one that is away, are looked at.
	stirred := -1
	for i := 0; i < len(v); i++ {
		near := v // in which one that is away is looked for
		if i <= stirred {
			near = v[:min(len(v), i+3)]
		}
		if at := nextAway(near, i, least/2); i > stirred {
			i, stirred = at, at+2
		} else if at == i {
			stirred = i + 2
		}
		if i == len(v) || math.IsNaN(v[i]) {
			continue
		}
		x := v[i]
		window = window[:0]
		for j := max(0, i-reach); j <= min(len(v)-1, i+reach); j++ {
			if !math.IsNaN(v[j]) {
				window = append(window, v[j])
			}
		}
		if len(window) < reach+1 {
			continue
		}
		middle := trace.Median(window)
		away := make([]float64, len(window))
		for j, y := range window {
			away[j] = math.Abs(y - middle)
		}
		if d := math.Abs(x - middle); d > least && d > k*spread*trace.Median(away) {
			out = append(out, i)
		}
	}
	return out
}

// nextAway gives the first place, from i on, of a value of which one of the two behind it is farther away than by; the
// number of values where there is none.
func nextAway(v []float64, i int, by float64) int {
	if len(v)-i < 2 {
		return len(v)
	}
	x, next := v[i], v[i+1]
	for k, after := range v[i+2:] {
		if d, e := next-x, after-x; d > by || d < -by || e > by || e < -by {
			return i + k
		}
		x, next = next, after
	}
	if d := next - x; d > by || d < -by {
		return len(v) - 2
	}
	return len(v)
}

// What of a state of charge is a spike (common practice, no source): more than one and a half
// steps of the display, and half a point, away from the readings around, and farther than any
// pack charges in the time to the nearest of them (twelve times its capacity an hour).
const (
	fastestPctS = 12 * 100.0 / 3600
	socReach    = 3
	socK        = 2.5
	socLeast    = 0.5
	socSteps    = 1.5
	fewest      = 7
)

// SoCSpikes lists the readings of a state of charge that leap away from those around them, in
// either direction, by their places in the series. A pack does not jump there and back.
func SoCSpikes(s trace.Series, resolutionPct float64) []int {
	if s.Len() < fewest {
		return nil
	}
	out := Hampel(s.V, socReach, socK, math.Max(socLeast, socSteps*resolutionPct))
	return slices.DeleteFunc(slices.Clone(out), func(i int) bool {
		before, after := neighbours(s.Len(), out, i)
		reachable := func(j int) bool {
			return j >= 0 && j < s.Len() && math.Abs(s.V[i]-s.V[j]) <= fastestPctS*math.Abs(s.T[i]-s.T[j])
		}
		if reachable(before) || reachable(after) {
			return true
		}
		// A step that stays is no spike: the values before and after differ by more.
		if before < 0 || after >= s.Len() {
			return false
		}
		stays := math.Abs(s.V[after] - s.V[before])
		return math.Abs(s.V[i]-s.V[before]) < stays && math.Abs(s.V[i]-s.V[after]) < stays
	})
}

// neighbours gives the nearest places before and behind one of n that are not listed themselves;
// -1 or n where there is none.
func neighbours(n int, listed []int, i int) (before, after int) {
	in := func(j int) bool { _, found := slices.BinarySearch(listed, j); return found }
	for before = i - 1; before >= 0 && in(before); before-- {
	}
	for after = i + 1; after < n && in(after); after++ {
	}
	return before, after
}

// Without gives a series without some of its points, by their places in ascending order.
func Without(s trace.Series, at []int) trace.Series {
	if len(at) == 0 {
		return s
	}
	out := trace.Series{T: make([]float64, 0, s.Len()), V: make([]float64, 0, s.Len())}
	for i := range s.T {
		if _, drop := slices.BinarySearch(at, i); !drop {
			out.T, out.V = append(out.T, s.T[i]), append(out.V, s.V[i])
		}
	}
	return out
}
