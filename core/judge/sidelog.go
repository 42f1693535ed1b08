package judge

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// judged chooses the side whose amps and volts are judged: the car's where it has them, since
// the pack's voltage is what tells a limit of current from one of power; the stall's where the car
// steps the voltage up, since the stall's limits are then its own.
func (l *Log) judged(k *known) *SideLog {
	full := func(s *SideLog) bool { return s.Amps.Len() > 1 && s.Volts.Len() > 1 }
	part := func(s *SideLog) bool { return s.Amps.Len() > 1 || s.Volts.Len() > 1 }
	order := []*SideLog{&l.Car, &l.Stall}
	if k.converter {
		order = []*SideLog{&l.Stall, &l.Car}
	}
	for _, fits := range []func(*SideLog) bool{full, part} {
		for _, s := range order {
			if fits(s) && s.KW.Len() > 1 {
				return s
			}
		}
	}
	best := order[0]
	for _, s := range order {
		if s.KW.Len() > 2*best.KW.Len() {
			best = s
		}
	}
	return best
}

// middleOf is what some readings of one cell say together: their mean without the lowest and the
// highest where there are more than three, so that one that was garbled does not count.
func middleOf(v []float64) float64 {
	sum, low, high := 0.0, math.Inf(1), math.Inf(-1)
	for _, x := range v {
		sum += x
		if x < low {
			low = x
		}
		if x > high {
			high = x
		}
	}
	if n := len(v); n > 3 {
		return (sum - low - high) / float64(n-2)
	}
	return sum / float64(len(v))
}

// meanIn is the middle of a series' readings in a span; where it has none there, its value on the
// joined line if readings lie within reach on both sides, else NaN.
func meanIn(s trace.Series, from, to, reachS float64) float64 {
	i, _ := slices.BinarySearch(s.T, from)
	j := i
	for j < len(s.T) && s.T[j] < to {
		j++
	}
	if j > i {
		return middleOf(s.V[i:j])
	}
	return near1(s, (from+to)/2, reachS)
}

// near1 is a series' value at a time on its joined line where both neighbours lie within reach,
// else the one neighbour's that does; NaN where none does.
func near1(s trace.Series, t, reachS float64) float64 {
	i, _ := slices.BinarySearch(s.T, t)
	before, after := i > 0 && t-s.T[i-1] <= reachS, i < len(s.T) && s.T[i]-t <= reachS
	switch {
	case before && after:
		v, _ := s.At(t)
		return v
	case before:
		return s.V[i-1]
	case after:
		return s.V[i]
	}
	return math.NaN()
}
