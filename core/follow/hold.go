package follow

import (
	"math"

	"zincroad/core/ceiling"
	"zincroad/core/forecast"
)

// hold says what seems to hold the power. Where nobody has looked for a while there
// is nothing to say of now; what held when somebody did is still what is learnt.
func (s *State) hold(f *feeds, plan forecast.Plan) {
	switch now := s.KW; {
	case !now.Known():
	case now.AgeS <= ceiling.LookS:
		s.learntAt = s.Charge()
		s.Holding = ceiling.Holds(s.evidence(f, plan, s.PluggedS))
		s.learnt = s.Holding
	default:
		then := *f
		then.now -= now.AgeS
		s.learntAt = s.SoC.V
		s.learnt = ceiling.Holds(s.evidence(&then, plan, s.PluggedS-now.AgeS))
	}
}

// Charge is the state of charge as counted, or as read where it cannot be.
func (s *State) Charge() float64 {
	if math.IsNaN(s.Counted) {
		return s.SoC.V
	}
	return s.Counted
}

// evidence is what was read up to the moment of the feeds, for judging what holds.
func (s *State) evidence(f *feeds, plan forecast.Plan, pluggedS float64) ceiling.Evidence {
	e := ceiling.Evidence{NowS: f.now, PlugInS: f.now - pluggedS, KW: f.kw, KWSide: f.kwSide, Amps: f.amps, Volts: f.volts,
		Offered: f.offered, SoCPct: s.learntAt, ColdestC: s.Coldest.V, WarmestC: s.Warmest.V, Car: plan.Car,
		Stall: plan.Stall, Gentle: plan.Gentle}
	for _, in := range f.plugIns {
		if in <= e.PlugInS-1 {
			e.EarlierS = append(e.EarlierS, in)
		}
	}
	e.Limits, e.Pack = ceiling.LimitsAsNoted(plan.Car, plan.Stall, plan.Adapter, plan.Assumed)
	return e
}
