package prepare

import (
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/pack"
)

// driver works approaches out for one plan.
type driver struct {
	plan    Plan
	pack    *pack.Pack
	driveKW float64 // at a steady speed
	cabinKW float64 // of it, not for driving
	budget  float64 // kWh between now and the start of the charge
	direct  float64 // kWh for the way itself
	burn    float64 // kWh to be burnt parked
	earlier func() *earlier
	begin   Moment // how the car stands when it sets off, or behind an earlier charge
}

// earlier is a DC charge before the way to the stall. It is the same for every way
// that begins with one and however long that way warms, so that it is worked out once.
type earlier struct {
	toPct   float64
	tS      float64
	moments []Moment // since its plug-in
}

func newDriver(plan Plan, p *pack.Pack) *driver {
	d := &driver{plan: plan, pack: p, cabinKW: plan.Road.ClimateKW, begin: Moment{SoCPct: plan.NowPct, Battery: plan.Now}}
	wh, _ := plan.Road.WhPerKm(plan.Car, p.UsableKWh)
	d.driveKW = wh * plan.Road.Speed() / 1000
	d.direct = wh * plan.Km / 1000
	d.budgetFrom(plan.NowPct)
	d.earlier = sync.OnceValue(d.chargeBefore)
	return d
}

// chargeBefore works an earlier charge out; nil where the car cannot be charged so
// far at this stall.
func (d *driver) chargeBefore() *earlier {
	e := &earlier{toPct: min(d.plan.NowPct+EarlierPoints, 90)}
	f, err := forecast.Once(d.plan.session(d.plan.NowPct, e.toPct, d.plan.Now))
	if err != nil || f.Note.Any() || len(f.Steps) == 0 {
		return nil
	}
	for i, s := range f.Steps {
		if i%60 == 0 || i == len(f.Steps)-1 {
			e.moments = append(e.moments, Moment{s.T, s.SoCPct, s.Battery})
		}
	}
	end := &e.moments[len(e.moments)-1]
	end.SoCPct = e.toPct // the last second goes a little beyond it
	e.tS = end.TS
	return e
}

func (d *driver) budgetFrom(nowPct float64) {
	d.budget = (nowPct - d.plan.FromPct) / 100 * d.pack.UsableKWh
	d.burn = max(0, min(d.plan.BurnPct/100*d.pack.UsableKWh, d.budget-d.direct))
}

// approach gives the way of warming for warmS seconds; it may be shorter, where
// charge, distance or the car do not allow more. The direct way must fit into the
// budget.
func (d *driver) approach(w Way, warmS float64) *Approach {
	a := &Approach{Way: w, WarmS: warmS}
	switch w {
	case Nothing:
		a.add(Drive, d.direct/d.driveKW, d.driveKW, 0, d)
		a.add(Burn, (d.budget-d.direct)/d.plan.burnKW(), d.plan.burnKW(), 0, d)
	case Heater:
		d.byHeater(a)
	case Navigation:
		d.byNavigation(a)
	case AtHome:
		d.parkedBefore(a)
	case AtTheSite:
		d.parkedThere(a)
	case Hard, HeaterHard:
		d.byHardDriving(a)
	case Charged, ChargedHeater, ChargedNavigation:
		d.afterCharge(a)
	default:
		a.WarmS = 0
		d.steady(a)
	}
	d.stepThrough(a)
	return a
}

func (d *driver) steady(a *Approach) {
	a.add(Drive, (d.budget-d.burn)/d.driveKW, d.driveKW, 0, d)
	a.add(Burn, d.burn/d.plan.burnKW(), d.plan.burnKW(), 0, d)
}

// phase makes a phase of some hours, as add does.
func (d *driver) phase(k Kind, hours, kw, heaterKW float64) Phase {
	var a Approach
	if a.add(k, hours, kw, heaterKW, d); len(a.Phases) == 0 {
		return Phase{Kind: k, KW: kw, HeaterKW: heaterKW}
	}
	return a.Phases[0]
}
