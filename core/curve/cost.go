package curve

import (
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trace"
)

// cost is what the stall's tariff asks for the run: by the stall's energy and
// power, and for the minutes plugged in without charging, from last power to the
// last unplug mark. Nil without a tariff or without the stall's power:
// what the car measures is not what is billed.
func (s *sides) cost(r *run.Run, plug float64) *stall.Bill {
	power := s.power[trace.StallSide]
	if r.Stall == nil || power.Len() < 2 {
		return nil
	}
	span := s.session(power, plug)
	energy := kwh(power, span)
	if energy == nil {
		return nil
	}
	charged := cut(power, span)
	use := stall.Use{T: charged.T, KW: charged.V, KWh: *energy}
	if last, ok := lastPower(power); ok {
		use.IdleS = max(0, s.lastUnplug(last)-last)
	}
	return stall.BillOf(r.Stall.Tariff, use)
}

// lastUnplug is the time of the last unplug mark, or otherwise where there is none.
func (s *sides) lastUnplug(otherwise float64) float64 {
	for i := len(s.marks) - 1; i >= 0; i-- {
		if s.marks[i].Kind == run.Unplug {
			return s.marks[i].TS
		}
	}
	return otherwise
}
