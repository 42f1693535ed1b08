package follow

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/forecast"
	"zincroad/core/trace"
)

// compare looks for power that left the forecast, at the same state of charge.
func (s *State) compare(f *feeds, baseline *forecast.Forecast, zero float64) {
	if baseline == nil || len(baseline.Steps) == 0 || s.PluggedS < 90 {
		return
	}
	if now := s.KW; !now.Known() || now.AgeS > lookS || now.V < 1 {
		return
	}
	car := f.kwSide == trace.CarSide
	since, by := math.NaN(), 0.0
	for i := f.kw.Len() - 1; i >= 0; i-- {
		t := f.kw.T[i]
		soc, ok := f.soc.At(t)
		if !ok || t < f.now-s.PluggedS+60 {
			if !ok && t > f.now-lookS {
				continue // power is read more often than charge
			}
			break
		}
		want, ok := forecastKW(baseline, soc, car)
		d := f.kw.V[i] - want
		if !ok || math.Abs(d) < max(alertKW, alertShare*want) || by != 0 && math.Signbit(d) != math.Signbit(by) {
			break
		}
		if by == 0 {
			by = d
		}
		since = t
	}
	if by != 0 && f.now-since >= alertS {
		s.Alert = &Alert{by, since - zero}
	}
}

// forecastKW is the forecast's power at a state of charge, on the headline's side.
func forecastKW(f *forecast.Forecast, soc float64, car bool) (float64, bool) {
	i := stepAt(f, soc)
	if i >= len(f.Steps)-1 {
		return 0, false
	}
	st := f.Steps[i]
	if st.StallKW == 0 && i+30 < len(f.Steps) { // handshake or replug: what comes after it
		st = f.Steps[i+30]
	}
	if car {
		return st.PackKW, true
	}
	return st.StallKW, true
}

// stepAt gives the index of the first step at or above a state of charge.
func stepAt(f *forecast.Forecast, soc float64) int {
	i, _ := slices.BinarySearchFunc(f.Steps, soc, func(st forecast.Step, soc float64) int {
		return cmp.Compare(st.SoCPct, soc)
	})
	return i
}
