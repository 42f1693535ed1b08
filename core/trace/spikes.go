package trace

import (
	"math"
)

// A spike is one or two readings that leap away from a power which is the same
// before and after. What counts is common practice, no source: the leap is at
// least a fifth of the power around it and 10 kW, and it is over within 6 s, so
// that a short real peak and the far-apart readings of a typed run are none.
const (
	spikeShare    = 0.20
	spikeFloorKW  = 10
	spikeMaxS     = 6
	spikeMaxCount = 2
)

// Spikes gives the indices of the readings of a power series that are spikes,
// in order; up tells for each whether it leaps upwards.
func Spikes(s Series) (at []int, up []bool) {
	for i := leap(s.V, 1); i+1 < s.Len(); i = leap(s.V, i+1) {
		if n := spikeAt(s, i); n > 0 {
			for j := i; j < i+n; j++ {
				at = append(at, j)
				up = append(up, s.V[j] > s.V[i-1])
			}
			i += n
		}
	}
	return at, up
}

// leap gives the first of some values, from i on, that is not near the one before it; their number where there is none.
func leap(v []float64, i int) int {
	if i >= len(v) {
		return len(v)
	}
	last := v[i-1]
	for k, x := range v[i:] {
		if d := x - last; !(-spikeFloorKW < d && d < spikeFloorKW) {
			return i + k
		}
		last = x
	}
	return len(v)
}

// spikeAt gives the number of readings of a spike that begins at i, 0 for none.
func spikeAt(s Series, i int) int {
	before := s.V[i-1]
	for n := 1; n <= spikeMaxCount && i+n < s.Len(); n++ {
		after := s.V[i+n]
		if s.T[i+n]-s.T[i-1] > spikeMaxS {
			return 0
		}
		level := math.Max(math.Abs(before), math.Abs(after))
		leap, sign := math.Inf(1), 0.0
		same := true
		for _, v := range s.V[i : i+n] {
			d := v - (before+after)/2
			if sign == 0 {
				sign = d
			}
			same = same && d*sign > 0
			leap = math.Min(leap, math.Min(math.Abs(v-before), math.Abs(v-after)))
		}
		if same && leap >= spikeFloorKW && leap >= spikeShare*level && math.Abs(after-before) < leap/2 {
			return n
		}
	}
	return 0
}

// WithoutUpwardSpikes gives the series without the spikes that leap upwards.
// A short drop stays: it happened to the car whatever caused it.
func WithoutUpwardSpikes(s Series) Series {
	at, up := Spikes(s)
	drop := make(map[int]bool, len(at))
	for k, i := range at {
		if up[k] {
			drop[i] = true
		}
	}
	if len(drop) == 0 {
		return s
	}
	out := Series{T: make([]float64, 0, s.Len()), V: make([]float64, 0, s.Len())}
	for i := range s.T {
		if !drop[i] {
			out.T = append(out.T, s.T[i])
			out.V = append(out.V, s.V[i])
		}
	}
	return out
}
