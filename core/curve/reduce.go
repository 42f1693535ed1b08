package curve

import (
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// Columns of a reduced curve that no logger records.
const (
	EnergyAdded trace.Channel = "energy_added_kwh" // since the first reading while charging
	SoCAdded    trace.Channel = "soc_added_pct"    // since plug-in
	CRate       trace.Channel = "c_rate"           // car-side power over usable capacity, 1/h
)

// Reduce gives each side's channels thinned out for drawing, on the run's own
// clock, with about four points for each of n slices of time. A side without
// power is led by its state of charge; a side with neither is left out. The state
// of charge is the run's, whichever side recorded it.
func Reduce(r *run.Run, n int) map[trace.Side]trace.Reduced {
	s := prepare(r)
	plug, ok := s.plugZero()
	if !ok {
		return nil
	}
	out := map[trace.Side]trace.Reduced{}
	for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
		series := map[trace.Channel]trace.Series{}
		for _, in := range trace.Channels {
			var list []trace.Series
			for _, rec := range s.recordings {
				if rec.Side == side {
					list = append(list, rec.Series(in.Channel))
				}
			}
			if joined := trace.Join(list...); joined.Len() > 0 {
				series[in.Channel] = joined
			}
		}
		lead := trace.Power
		if p := s.power[side]; p.Len() > 0 {
			series[trace.Power] = p
			series[EnergyAdded] = cumulated(p, s.session(p, plug).From)
			if usable, _ := s.capacity(plug); usable != nil && side == trace.CarSide {
				series[CRate] = cRate(p, usable.Value)
			}
		} else {
			lead = trace.SoC
		}
		if series[lead].Len() == 0 {
			continue
		}
		if s.soc.Len() > 0 {
			series[trace.SoC] = s.soc
			series[SoCAdded] = added(s.charging(plug), plug)
		}
		out[side] = trace.Reduce(series, lead, n)
	}
	return out
}

// cRate gives power over usable capacity, kW over kWh: the share of the pack that an
// hour at that power would fill.
func cRate(p trace.Series, usableKWh float64) trace.Series {
	out := trace.Series{T: p.T, V: make([]float64, p.Len())}
	for i, kw := range p.V {
		out.V[i] = kw / usableKWh
	}
	return out
}

// cumulated gives the energy since a time at each reading after it, kWh.
func cumulated(p trace.Series, from float64) trace.Series {
	p = p.From(from)
	out := trace.Series{T: p.T, V: make([]float64, p.Len())}
	for i := 1; i < p.Len(); i++ {
		out.V[i] = out.V[i-1] + units.KWhFromKJ((p.V[i]+p.V[i-1])/2*(p.T[i]-p.T[i-1]))
	}
	return out
}

// added gives the points of SoC gained since plug-in.
func added(soc trace.Series, plug float64) trace.Series {
	start := nearest(soc, plug)
	out := trace.Series{T: soc.T, V: make([]float64, soc.Len())}
	for i, v := range soc.V {
		out.V[i] = v - start
	}
	return out
}
