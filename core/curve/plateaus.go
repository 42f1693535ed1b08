package curve

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"zincroad/core/judge"
	"zincroad/core/trace"
)

// What a plateau is: so long, its power so near to its own mean, its slope so small.
const (
	plateauS     = 60.0
	plateauShare = 0.04
	plateauKW    = 2.0
	plateauSlope = 0.005 // of the mean, a minute
)

// plateaus lists the stretches of steady power of a side: neighbouring pieces of its best
// description by straight lines, put together for as long as the whole is one.
func (s *sides) plateaus(flows []flow, zero float64) []Plateau {
	out := []Plateau{}
	for _, f := range flows {
		power := f.calm
		if trace.MedianInterval(power.T) >= coarseS {
			out = append(out, s.levels(power, zero)...)
			continue
		}
		list := judge.Pieces(power)
		for i := 0; i < len(list); {
			j, best, ok := i, Plateau{}, false
			for k := i; k < len(list); k++ {
				if k > i && math.Abs(list[k].Leap) > plateauShare {
					break
				}
				if p, is := s.plateauOf(power, list[i].FromS, list[k].ToS, zero); is {
					j, best, ok = k, p, true
				}
				if k > i+8 {
					break
				}
			}
			if ok {
				out = append(out, best)
			}
			i = j + 1
		}
	}
	return out
}

// levels lists the plateaus of a typed side: each as many readings in a row as make one together.
func (s *sides) levels(power trace.Series, zero float64) []Plateau {
	var out []Plateau
	for i := 0; i+1 < power.Len(); {
		best, to := Plateau{}, i
		for j := i + 1; j < power.Len(); j++ {
			p, ok := s.plateauOf(power, power.T[i], power.T[j], zero)
			if !ok && power.T[j]-power.T[i] >= plateauS {
				break
			}
			if ok {
				best, to = p, j
			}
		}
		if to > i {
			out = append(out, best)
			i = to + 1
			continue
		}
		i++
	}
	return out
}

// plateauOf tells whether a span of power is a plateau, and what it is like. Single readings may
// stray: what stays near is what 19 of 20 do.
func (s *sides) plateauOf(power trace.Series, from, to, zero float64) (Plateau, bool) {
	part := cut(power, trace.Span{From: from, To: to})
	if to-from < plateauS || part.Len() < 2 {
		return Plateau{}, false
	}
	mean := part.Integral(part.T[0], part.T[part.Len()-1]) / (part.T[part.Len()-1] - part.T[0])
	if mean < PowerFloorKW {
		return Plateau{}, false
	}
	limit, near := max(plateauShare*mean, plateauKW), 0
	for _, v := range part.V {
		if d := v - mean; -limit <= d && d <= limit {
			near++
		}
	}
	if near <= (part.Len()-1)*19/20 {
		return Plateau{}, false
	}
	_, slope := stat.LinearRegression(part.T, part.V, nil, false)
	if slope *= 60; math.Abs(slope) >= plateauSlope*mean {
		return Plateau{}, false
	}
	return Plateau{FromS: from - zero, ToS: to - zero, FromPct: s.socAt(from), ToPct: s.socAt(to), KW: mean,
		SlopeKWPerMin: slope}, true
}

// What a cliff is: a fall by so much within so long.
const (
	cliffShare = 0.25
	cliffS     = 30.0
	cliffLevel = 10.0 // s of readings before and behind that make its levels
)

// cliffs lists the sudden falls of a side's power, each once: where it fell by a quarter within half
// a minute, from the last reading at the level before to the first one at the level behind. A fall
// to nothing is an end or a pause, a dip that comes back within half a minute none, and a slide that
// goes on longer than half a minute is a slope.
func (s *sides) cliffs(flows []flow, zero float64) []Cliff {
	out := []Cliff{}
	for _, f := range flows {
		p := f.calm
		steep := p.Ahead(cliffS, func(kw, lowest, _ float64) bool { return lowest <= (1-cliffShare)*kw })
		seen := -1
		for _, i := range steep {
			if i <= seen {
				continue
			}
			j, ok := falls(p, i)
			if !ok {
				continue
			}
			for i < j && p.V[i+1] >= (1-stillLevel)*p.V[i] { // it has not begun to fall yet
				i++
			}
			seen = i
			for j+1 < p.Len() && p.V[j+1] < (1-stillLevel)*p.V[j] && p.T[j+1]-p.T[i] <= 2*cliffS { // still falling
				j++
			}
			before, after := p.V[i], p.V[j]
			if p.T[j]-p.T[i] > cliffS || after > (1-cliffShare)*before || !staysDown(p, j, before) {
				continue
			}
			seen = j
			c := Cliff{FromKW: levelAround(p, p.T[i]-cliffLevel, p.T[i]), ToKW: levelAround(p, p.T[j], p.T[j]+cliffLevel)}
			if c.ToKW > (1-cliffShare/2)*c.FromKW { // single readings fell, the level did not
				continue
			}
			at := crossingDown(p, i, j, (before+after)/2)
			c.TS, c.SoCPct = at-zero, s.socAt(at)
			out = append(out, c)
		}
	}
	return out
}

// stillLevel is the most that power at one level may fall from one reading to the next.
const stillLevel = 0.02

// falls tells whether power falls off a cliff soon after reading i, and gives the first reading that
// lies a quarter under it.
func falls(p trace.Series, i int) (int, bool) {
	if p.V[i] < PowerFloorKW {
		return 0, false
	}
	low := (1 - cliffShare) * p.V[i]
	for j := i + 1; j < p.Len() && p.T[j] <= p.T[i]+cliffS; j++ {
		if p.V[j] <= low {
			return j, true
		}
	}
	return 0, false
}

// staysDown tells whether what fell to reading j is still down half a minute later, and not gone out.
func staysDown(p trace.Series, j int, before float64) bool {
	for k := j; k < p.Len() && p.T[k] <= p.T[j]+cliffS; k++ {
		if p.V[k] < PowerFloorKW || p.V[k] > (1-cliffShare/2)*before {
			return false
		}
	}
	return true
}

// levelAround is the middle of the readings in a span; of the nearest one where it has none.
func levelAround(p trace.Series, from, to float64) float64 {
	part := cut(p, trace.Span{From: from, To: to})
	if part.Len() == 0 {
		i, _ := slices.BinarySearch(p.T, from)
		return p.V[min(i, p.Len()-1)]
	}
	return trace.Median(part.V)
}

// crossingDown is when power falls through a level between two readings.
func crossingDown(p trace.Series, i, j int, level float64) float64 {
	for k := i + 1; k <= j; k++ {
		if p.V[k] <= level && p.V[k-1] > level {
			return p.T[k-1] + (p.T[k]-p.T[k-1])*(p.V[k-1]-level)/(p.V[k-1]-p.V[k])
		}
	}
	return (p.T[i] + p.T[j]) / 2
}
