package lineup

import (
	"math"

	"zincroad/core/trace"
)

// channelOf is a quantity that recordings are lined up by, and what the two sides may differ by
// in it.
type channelOf struct {
	channel trace.Channel
	leeway  leeway
}

// channels are tried in this order; the first that both have rules which shift is chosen, and all
// of them how it is refined (leeways: common practice, no source). Losses grow with the current
// and wander with pumps and heaters. The state of charge that a stall shows is the car's own,
// told a moment later.
var channels = []channelOf{
	{trace.Power, leeway{wander: 0.015, factor: 0.10, offset: 0.01, bend: 0.05}},
	{trace.Current, leeway{wander: 0.01, factor: 0.03, offset: 0.02, bend: 0.01}},
	{trace.Voltage, leeway{wander: 0.001, factor: 0.01, offset: 0.01, bend: 0.005}},
	{trace.SoC, leeway{wander: 1e-6, factor: 1e-6, bend: 1e-6, lagS: 1.5, same: true}},
}

// shapes are a recording's series by channel; power as worked out from volts and amps where it
// was not recorded.
type shapes map[trace.Channel]trace.Series

func shapesOf(r *trace.Recording) shapes {
	s := shapes{trace.Power: trace.WithoutUpwardSpikes(r.PowerSeries())} // one of them outweighs a session
	for _, ch := range channels[1:] {
		s[ch.channel] = r.Series(ch.channel)
	}
	if full := s[trace.Power]; full.Len() > 0 && r.Series(trace.Power).Len() == 0 {
		delete(s, trace.Current) // it is in the power already
	}
	return s
}

// flips gives the moments at which a display first showed a higher figure, in the middle between
// the reading before and the one that showed it: there, what it shows is exactly so. Between them
// a display lies by up to its own step.
func flips(s trace.Series) trace.Series {
	var out trace.Series
	for i := 1; i < s.Len(); i++ {
		if n := out.Len(); s.V[i] > s.V[i-1] && (n == 0 || s.V[i] > out.V[n-1]) {
			out.T, out.V = append(out.T, (s.T[i]+s.T[i-1])/2), append(out.V, s.V[i])
		}
	}
	return out
}

// leastStep is the smallest change from one reading to the next: a display's step.
func leastStep(s trace.Series) float64 {
	least := math.Inf(1)
	for i := 1; i < s.Len(); i++ {
		if d := math.Abs(s.V[i] - s.V[i-1]); d > 1e-6 {
			least = math.Min(least, d)
		}
	}
	if math.IsInf(least, 1) {
		return 1
	}
	return least
}

// every is the median interval of the first channel that has enough readings; 0 where none has.
func (s shapes) every() float64 {
	for _, ch := range channels {
		if x := s[ch.channel]; x.Len() >= leastPoints {
			return math.Max(0.05, trace.MedianInterval(x.T))
		}
	}
	return 0
}

// moves tells whether a quantity has a shape: it changes by more than it scatters.
func moves(p channelPair) bool {
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range p.at.V {
		low, high = math.Min(low, v), math.Max(high, v)
	}
	return high-low > 0.05*p.level
}

func ptr(v float64) *float64 { return &v }
