package curve

import (
	"math"

	"zincroad/core/ceiling"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// logOf is the run as the judgement of what held it down takes it.
func (s *sides) logOf(r *run.Run) *ceiling.Log {
	l := &ceiling.Log{SoC: s.soc, Marks: s.marks, OfCar: r.Car, OfStall: r.Stall, Adapter: r.Adapter,
		Conditions: r.Conditions}
	for side, of := range map[trace.Side]*ceiling.SideLog{trace.CarSide: &l.Car, trace.StallSide: &l.Stall} {
		join := func(c trace.Channel) trace.Series {
			var list []trace.Series
			for _, rec := range s.recordings {
				if rec.Side == side {
					list = append(list, rec.Series(c))
				}
			}
			return trace.Join(list...)
		}
		*of = ceiling.SideLog{KW: s.power[side], Amps: join(trace.Current), Volts: join(trace.Voltage),
			RequestedKW: join(trace.RequestedPower), RequestedA: join(trace.RequestedAmps),
			OfferedKW: join(trace.OfferedPower)}
	}
	either := func(channels ...trace.Channel) trace.Series {
		for _, c := range channels {
			for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
				for _, rec := range s.recordings {
					if series := rec.Series(c); rec.Side == side && series.Len() > 0 {
						return series
					}
				}
			}
		}
		return trace.Series{}
	}
	l.ColdestC = either(trace.BatteryTempMin, trace.BatteryTemp, trace.BatteryTempMax)
	l.WarmestC = either(trace.BatteryTempMax, trace.BatteryTemp)
	l.InletC = either(trace.InletTemp)
	earliest, ok := s.earliest()
	if !ok {
		return nil
	}
	for _, leg := range s.legs {
		of := ceiling.Leg{PlugInS: leg.from, FirstS: leg.powerS, ToS: leg.to}
		if math.IsInf(of.PlugInS, -1) {
			of.PlugInS = earliest
		}
		l.Legs = append(l.Legs, of)
	}
	return l
}

// ceilings says what held the power down, on the clock of zero.
func (s *sides) ceilings(r *run.Run, zero float64) []Ceiling {
	out := []Ceiling{}
	l := s.logOf(r)
	if l == nil || !s.hasPower() {
		return out
	}
	for _, x := range ceiling.Judge(l) {
		out = append(out, Ceiling{FromS: x.FromS - zero, ToS: x.ToS - zero, Cause: x.Cause,
			Confidence: string(x.Confidence), RunnerUp: x.RunnerUp, Evidence: x.Evidence})
	}
	return out
}
