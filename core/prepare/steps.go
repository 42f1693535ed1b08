package prepare

import (
	"math"

	"zincroad/core/pack"
	"zincroad/core/run"
)

// stepThrough puts the phases in time, ending at plug-in, and follows charge and
// temperatures through them.
func (d *driver) stepThrough(a *Approach) {
	total := 0.0
	for _, p := range a.Phases {
		total += p.ToS
	}
	at := -total
	soc, n := d.plan.NowPct, d.plan.Now
	a.Moments = append(a.Moments, Moment{at, soc, n})
	for i := range a.Phases {
		p := &a.Phases[i]
		p.FromS, p.ToS = at, at+p.ToS
		at = p.ToS
		if p.Kind == Charge {
			soc, n = d.charge(a, p)
			continue
		}
		soc, n = d.follow(a, p, soc, n)
		if p.SpeedKmh > 0 {
			a.Km += p.SpeedKmh * (p.ToS - p.FromS) / 3600
		}
	}
	a.LoopKm = max(0, a.Km-d.plan.Km)
	last := &a.Moments[len(a.Moments)-1]
	last.TS = 0
}

// charge copies an earlier charge's course.
func (d *driver) charge(a *Approach, p *Phase) (float64, pack.Nodes) {
	before := d.earlier()
	for _, m := range before.moments {
		m.TS += p.FromS
		a.Moments = append(a.Moments, m)
	}
	return before.toPct, a.Moments[len(a.Moments)-1].Battery
}

// stepS is how far one step goes: minutes are what matters here.
const stepS = 10

// follow steps through the phases of an approach with both temperatures of the pack.
func (d *driver) follow(a *Approach, p *Phase, soc float64, n pack.Nodes) (float64, pack.Nodes) {
	sinceKept := 0.0
	for t := p.FromS; t < p.ToS-1e-6; {
		dt := min(stepS, p.ToS-t)
		n = d.step(p, soc, n, dt)
		soc -= p.KW * dt / 36 / d.pack.UsableKWh
		t += dt
		if sinceKept += dt; sinceKept >= 60 || t >= p.ToS-1e-6 {
			a.Moments = append(a.Moments, Moment{t, soc, n})
			sinceKept = 0
		}
	}
	return soc, n
}

// step is one step of both temperatures of the pack.
func (d *driver) step(p *Phase, soc float64, n pack.Nodes, dt float64) pack.Nodes {
	out := pack.Surroundings{AmbientC: d.plan.Road.AmbientC, SpeedKmh: p.SpeedKmh, Rain: d.plan.Road.Rain,
		Cooling: p.HeaterKW == 0}
	return d.pack.Thermal.Step(n, dt, d.heatKW(p, soc, n), p.HeaterKW, out)
}

// heatKW is the heat that a phase makes in the cells.
func (d *driver) heatKW(p *Phase, soc float64, n pack.Nodes) float64 {
	ohm := d.pack.Ohm(soc, n.MeanC())
	amps := p.KW * 1000 / d.pack.RestV(soc)
	heat := pack.HeatKW(amps, ohm)
	switch {
	case p.hard:
		heat = hardUneven*pack.HeatKW((p.KW-p.HeaterKW)*1000/d.pack.RestV(soc), ohm) + motorWaste*max(0, p.tractionKW)
	case p.SpeedKmh > 0:
		heat = unevenness*heat + motorWaste*max(0, p.tractionKW)
	}
	return min(heat, p.KW-p.HeaterKW)
}

// untilStop is how long a heater runs in a phase before it stops by itself, h, from some charge and temperatures on;
// without end where it does not.
func (d *driver) untilStop(p Phase, from Moment) float64 {
	stop, byItself := run.Value(d.plan.Car.HeaterStopC)
	if !byItself {
		return math.Inf(1)
	}
	soc, n := from.SoCPct, from.Battery
	for s := 0.0; s < heatLongest; s += stepS {
		if n.Ordered().ColdestC >= stop {
			return s / 3600
		}
		n = d.step(&p, soc, n, stepS)
		soc -= p.KW * stepS / 36 / d.pack.UsableKWh
	}
	return math.Inf(1)
}

// before is how the car stands behind some phases, from where this driver begins.
func (d *driver) before(phases []Phase) Moment {
	m := d.begin
	for i := range phases {
		p := &phases[i]
		for t := 0.0; t < p.ToS-1e-6; t += stepS {
			dt := min(stepS, p.ToS-t)
			m.Battery = d.step(p, m.SoCPct, m.Battery, dt)
			m.SoCPct -= p.KW * dt / 36 / d.pack.UsableKWh
		}
	}
	return m
}

// heatedFor shortens heating that is to last some hours to when the heater stops by itself. phases makes what comes
// before the heating, and the heating itself, of how long it lasts: how warm the pack is then hangs on that.
func (d *driver) heatedFor(hours float64, phases func(hours float64) (before []Phase, heating Phase)) float64 {
	for range 4 { // a shorter heating begins later, in a pack that was driven longer
		before, heating := phases(hours)
		until := d.untilStop(heating, d.before(before))
		if until >= hours-stepS/3600.0 {
			return hours
		}
		hours = until
	}
	return hours
}
