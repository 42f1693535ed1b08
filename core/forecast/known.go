package forecast

import (
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/vehicle"
)

// AsKnown is the plan with what the car's runs taught where nothing is noted.
func (p Plan) AsKnown() Plan {
	m := p.Known
	if m == nil {
		return p
	}
	p.Car, p.Known = m.Apply(p.Car), nil
	fill := func(into *float64, n run.Number) {
		if v, ok := run.Known(n); ok && *into <= 0 {
			*into = v
		}
	}
	fill(&p.HandshakeS, m.BeginS)
	fill(&p.RampS, m.RampS)
	fill(&p.PumpsKW, m.AuxKW)
	return p
}

// knownTo says how far off the car's model may be: the uncertainty without what the runs know better, and further
// plans, each as far off as it is in nine of ten in one way that the others are not. Where something is noted, what
// was given for it stands.
func knownTo(m *vehicle.Model, plan *Plan, u Uncertainty) (left Uncertainty, off []Plan) {
	car := plan.AsKnown().Car
	if m.Draws(plan.Car) {
		u.TaperPct, u.BeginS, u.HeatPct, u.ModelPct = 0, unlikeBeginS, roughHeatPct, unlikeDayPct
		for _, ways := range m.Ways() {
			for _, shifted := range ways {
				p := *plan
				p.Known = shifted
				off = append(off, p)
			}
		}
	}
	if m.RestKWh != nil && car.UsableKWh == m.RestKWh {
		u.CapacityPct = m.RestRangePct
	}
	if plan.Car == nil || plan.Car.WarmC == nil {
		u.WarmK = vehicle.OfRange * m.WarmSDK()
	}
	return u, off
}

// unlikeBeginS is how far off another stall's beginning is, in s, roughHeatPct how far off it is what warms a pack by a
// kelvin, in %, and unlikeDayPct how far two days lie apart beside, in % of the time (all common practice, no source).
const (
	unlikeBeginS = 10.0
	roughHeatPct = 25.0
	unlikeDayPct = 4.0
)

// warmFrom is a car whose pack is warm from so many kelvin more.
func warmFrom(c *run.Car, byK float64) *run.Car {
	out := *c
	warm := pack.DefaultWarmC
	if v, ok := run.Value(c.WarmC); ok {
		warm = v
	}
	out.WarmC = run.N(warm + byK)
	return &out
}

// heatedBy is a car whose pack needs such a share more heat to warm, and has as much less cooling.
func heatedBy(c *run.Car, share float64) *run.Car {
	out, set := *c, run.Pack{}
	if c.Pack != nil {
		set = *c.Pack
	}
	p, err := pack.For(c)
	if err != nil {
		return c
	}
	set.HeatCapacityKJK = run.N(p.Thermal.HeatCapacityKJK * share)
	set.CoolingKW = run.N(p.Thermal.CoolingKW * share)
	out.Pack = &set
	return &out
}

// pumps is what the car draws beside pack, heater and cabin, kW.
func (p *Plan) pumps() float64 {
	if p.PumpsKW > 0 {
		return p.PumpsKW
	}
	return pumpsKW
}
