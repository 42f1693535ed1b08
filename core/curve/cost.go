package curve

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trace"
)

// cost is what was paid: the price on the stall's screen where it was read at the
// end, else what the stall's tariff asks for. By tariff, the energy is that of the
// seller's register where it was read, else what the stall's power adds up to;
// minutes are those of the stall's power; and minutes plugged in without charging
// count from the last power of each leg that counts to its unplug. Nil where neither is known: what
// the car measures is not what is billed.
func (s *sides) cost(r *run.Run, screen *Screen) *stall.Bill {
	var tariff *run.Tariff
	if r.Stall != nil {
		tariff = r.Stall.Tariff
	}
	energy := s.kwh(trace.StallSide)
	if screen != nil && screen.KWh != nil {
		energy = screen.KWh
	}
	if screen != nil && screen.Cost != nil {
		b := &stall.Bill{Total: *screen.Cost, By: stall.ByScreen}
		if tariff != nil {
			b.Currency = tariff.Currency
		}
		if energy != nil && *energy > 0 {
			b.PerKWh = ptr(b.Total / *energy)
		}
		return b
	}
	if energy == nil || tariff == nil || len(tariff.PerMin) > 0 && len(s.flows[trace.StallSide]) == 0 {
		return nil
	}
	return stall.BillOf(tariff, s.use(*energy))
}

// use is what the run took of a stall.
func (s *sides) use(kwh float64) stall.Use {
	use := stall.Use{KWh: kwh}
	for _, f := range s.flows[trace.StallSide] {
		if n := len(use.T); n > 0 { // between two legs nothing flows
			use.T, use.KW = append(use.T, use.T[n-1], f.T[0]), append(use.KW, 0, 0)
		}
		use.T, use.KW = append(use.T, f.T...), append(use.KW, f.V...)
		if !math.IsInf(f.leg.to, 1) {
			use.IdleS += math.Max(0, f.leg.to-f.flowedTo())
		}
	}
	return use
}

// Use is what the run took of its stall, for being billed by any tariff; false where the stall's
// power was not read: what the car measures is not what is billed.
func (w Work) Use() (stall.Use, bool) {
	energy := w.kwh(trace.StallSide)
	if screen := w.screen(); screen != nil && screen.KWh != nil {
		energy = screen.KWh
	}
	if energy == nil || len(w.flows[trace.StallSide]) == 0 {
		return stall.Use{}, false
	}
	return w.use(*energy), true
}
