package curve

import (
	"math"

	"zincroad/core/judge"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// Columns of a reduced curve that no logger records.
const (
	EnergyAdded trace.Channel = "energy_added_kwh" // since first power
	SoCAdded    trace.Channel = "soc_added_pct"    // since plug-in
	CRate       trace.Channel = "c_rate"           // power into the pack over usable capacity, measured or else noted, 1/h
	WarmPower   trace.Channel = "warm_kw"          // what the warm pack would take there, on the curve's side

	DistanceAdded trace.Channel = "distance_km" // by the consumption that was observed, else the rated one
	CostSoFar     trace.Channel = "cost_so_far" // as the screen had it, else by the stall's tariff
)

// Reduce gives each side's channels thinned out for drawing, on the run's own
// clock, with about four points for each of n slices of time. A side without
// power is led by its state of charge; a side with neither is left out. The state
// of charge is the run's, whichever side recorded it; all of it stands under OfRun as well. Power is NaN between two
// legs, so that a line is broken there; what was read before the first plug-in is in it.
func (w Work) Reduce(n int) map[trace.Side]trace.Reduced {
	s := w.sides
	if _, ok := s.plugZero(); !ok {
		return nil
	}
	kwh := w.cRateKWh()
	out := map[trace.Side]trace.Reduced{}
	for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
		series := map[trace.Channel]trace.Series{}
		for _, in := range trace.Channels {
			if joined := s.joined(side, in.Channel); joined.Len() > 0 {
				series[in.Channel] = joined
			}
		}
		lead := trace.Power
		if p := s.power[side]; p.Len() > 0 {
			series[trace.Power] = s.drawn(p, side)
			series[EnergyAdded] = cumulated(s.flows[side])
			if j := w.Judgement(); j != nil {
				if warm := j.Warm(side == trace.StallSide); warm.Len() > 0 {
					series[WarmPower] = warm
				}
			}
			share := 1.0 // of this side's power that reaches the pack; 0: the other side knows it
			if side == trace.StallSide {
				share = judge.PackShare
				if s.power[trace.CarSide].Len() > 0 {
					share = 0
				}
			}
			if kwh > 0 && share > 0 {
				series[CRate] = scaled(series[trace.Power], share/kwh)
			}
			if whPerKm := consumption(w.run.Car); whPerKm > 0 && share > 0 {
				series[DistanceAdded] = scaled(series[EnergyAdded], share*1000/whPerKm)
			}
			if cost := s.costSoFar(w.run, side); cost.Len() > 0 {
				series[CostSoFar] = cost
			}
		} else {
			lead = trace.SoC
		}
		if s.soc.Len() > 0 {
			soc := s.continuousSoC()
			series[trace.SoC] = trace.Series{T: append(s.approach.T[:s.approach.Len():s.approach.Len()], soc.T...),
				V: append(s.approach.V[:s.approach.Len():s.approach.Len()], soc.V...)}
			series[SoCAdded] = added(soc)
		}
		if series[lead].Len() == 0 || lead == trace.SoC && !s.recorded(side, trace.SoC) {
			continue
		}
		red := trace.Reduce(series, lead, n)
		red.Gaps = s.gaps(side, 0)
		s.breakAtUnplug(&red)
		out[side] = red
	}
	if soc := w.SoC(); soc.Len() > 0 {
		out[OfRun] = trace.Reduced{T: soc.T, Columns: map[trace.Channel]trace.Floats{trace.SoC: soc.V}}
	}
	return out
}

func (s *sides) recorded(side trace.Side, c trace.Channel) bool {
	for _, rec := range s.recordings {
		if rec.Side == side && rec.Has(c) {
			return true
		}
	}
	return false
}

// drawn is a side's power without what was read between two legs and after the
// last; where it was still read high at an unplug or plug-in it ends there.
func (s *sides) drawn(p trace.Series, side trace.Side) trace.Series {
	out := cut(p, trace.Span{From: math.Inf(-1), To: math.Nextafter(s.legs[0].from, math.Inf(-1))})
	out = trace.Series{T: out.T[:len(out.T):len(out.T)], V: out.V[:len(out.V):len(out.V)]}
	for _, l := range s.legs {
		part := s.cutOff(cut(p, l.span()), l, side)
		out.T, out.V = append(out.T, part.T...), append(out.V, part.V...)
	}
	return out
}

// breakAtUnplug puts a point without power between two legs of a reduced curve.
func (s *sides) breakAtUnplug(red *trace.Reduced) {
	if red.Columns[trace.Power] == nil {
		return
	}
	for _, l := range s.legs[1:] {
		i := 0
		for i < len(red.T) && red.T[i] < l.from {
			i++
		}
		if i == 0 || i == len(red.T) {
			continue
		}
		red.Insert(i, (red.T[i-1]+l.from)/2)
	}
}

// cRateKWh is the capacity that the C-rate is of: the measured one, else the one that is noted of the
// car; 0 where there is neither.
func (w Work) cRateKWh() float64 {
	if usable, _ := w.sides.capacity(); usable != nil {
		return usable.Value
	}
	if w.run.Car != nil {
		if kwh, ok := run.Known(w.run.Car.UsableKWh); ok {
			return kwh
		}
	}
	return 0
}

// scaled gives a series by a factor: power over usable capacity is the C-rate, energy over consumption the
// distance.
func scaled(p trace.Series, by float64) trace.Series {
	out := trace.Series{T: p.T, V: make([]float64, p.Len())}
	for i, v := range p.V {
		out.V[i] = v * by
	}
	return out
}

// costSoFar is what had been paid at each moment, of the stall's side: as its screen had it, else by its
// tariff; empty where neither is known.
func (s *sides) costSoFar(r *run.Run, side trace.Side) trace.Series {
	if side != trace.StallSide {
		return trace.Series{}
	}
	if read := s.joined(side, trace.Cost); read.Len() > 1 {
		return read
	}
	if r.Stall == nil {
		return trace.Series{}
	}
	energy := cumulated(s.flows[side]).V
	var use stall.Use
	var kwh []float64
	for _, f := range s.flows[side] {
		if n := len(use.T); n > 0 { // between two legs nothing flows
			use.T, use.KW = append(use.T, use.T[n-1], f.T[0]), append(use.KW, 0, 0)
			kwh = append(kwh, kwh[n-1], kwh[n-1])
		}
		use.T, use.KW, kwh = append(use.T, f.T...), append(use.KW, f.V...), append(kwh, energy[:f.Len()]...)
		energy = energy[f.Len():]
	}
	paid := stall.Running(r.Stall.Tariff, use, kwh)
	if paid == nil {
		return trace.Series{}
	}
	return trace.Series{T: use.T, V: paid}
}

// cumulated gives the energy that has flowed at each reading, kWh.
func cumulated(flows []flow) trace.Series {
	var out trace.Series
	sum := 0.0
	for _, f := range flows {
		out.T, out.V = append(out.T, f.T[0]), append(out.V, sum)
		for i := 1; i < f.Len(); i++ {
			sum += units.KWhFromKJ((f.V[i] + f.V[i-1]) / 2 * (f.T[i] - f.T[i-1]))
			out.T, out.V = append(out.T, f.T[i]), append(out.V, sum)
		}
	}
	return out
}

// added gives the points of SoC gained since plug-in.
func added(soc trace.Series) trace.Series {
	out := trace.Series{T: soc.T, V: make([]float64, soc.Len())}
	for i, v := range soc.V {
		out.V[i] = v - soc.V[0]
	}
	return out
}

// SoC is the state of charge while charging on the run's own clock: continuous between the flips of a
// whole-percent display. Its slices must not be written to.
func (w Work) SoC() trace.Series {
	line := w.continuousSoC().Straightened(lineTolerancePct)
	out := trace.Series{T: make([]float64, line.Len()), V: make([]float64, line.Len())}
	for i := range line.T {
		out.T[i], out.V[i] = float64(float32(line.T[i])), float64(float32(line.V[i])) // as it is kept
	}
	return out
}

// lineTolerancePct is how far a kept state of charge may lie from the one that was read: half of what the finest
// display shows.
const lineTolerancePct = 0.005

// OfRun is the place of what is the run's and no side's among its kept curves: the state of charge, reading by reading.
const OfRun trace.Side = ""

// WindowOf is the window between any two states of charge, as a reading's windows are worked out;
// false where the run does not cover it. fromS is its beginning from the reading's zero.
func (w Work) WindowOf(x *Reading, from, to float64) (out Window, fromS float64, ok bool) {
	at := w.reached([]float64{from, to}, x.ZeroS)
	a, ok1 := at[from]
	b, ok2 := at[to]
	if !ok1 || !ok2 {
		return Window{}, 0, false
	}
	return w.window(w.flows[x.Side], from, to, a, b, x.ZeroS), a, true
}
