package prepare

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/say"
)

// fromTheStart heats from the beginning until the heater stops by itself, and drives on from there.
func (d *driver) fromTheStart(a *Approach) {
	h := d.pack.HeaterKW
	warmH := max(0, min(a.WarmS/3600, (d.budget-d.burn-d.direct)/h, (d.budget-d.burn)/(d.driveKW+h)))
	warmH = min(warmH, d.untilStop(d.phase(Warm, warmH, d.driveKW+h, h), d.begin))
	a.WarmS = warmH * 3600
	a.add(Warm, warmH, d.driveKW+h, h, d)
	a.add(Drive, (d.budget-d.burn-(d.driveKW+h)*warmH)/d.driveKW, d.driveKW, 0, d)
	a.add(Burn, d.burn/d.plan.burnKW(), d.plan.burnKW(), 0, d)
	a.KWh = h * warmH
}

// byHeater runs the heater until plug-in, also while parked; one that stops by itself from the start until it does.
func (d *driver) byHeater(a *Approach) {
	if _, byItself := run.Value(d.plan.Car.HeaterStopC); byItself {
		d.fromTheStart(a)
		return
	}
	h, burnKW := d.pack.HeaterKW, d.plan.burnKW()
	parkedH := d.burn / (burnKW + h) // with the heater on all the time
	heatedH := a.WarmS / 3600
	cold := 0.0 // parked before the heater comes on
	if heatedH < parkedH {
		cold = (d.burn - (burnKW+h)*heatedH) / burnKW
		parkedH = heatedH
	}
	warmH := min(heatedH-parkedH, (d.budget-d.burn-d.direct)/h)
	driveH := (d.budget - d.burn - h*warmH) / d.driveKW
	warmH = min(warmH, driveH)
	if warmH == driveH { // heated all the way
		driveH = (d.budget - d.burn) / (d.driveKW + h)
		warmH = driveH
	}
	a.WarmS = (warmH + parkedH) * 3600
	a.add(Drive, driveH-warmH, d.driveKW, 0, d)
	a.add(Warm, warmH, d.driveKW+h, h, d)
	a.add(Burn, cold, burnKW, 0, d)
	a.add(Burn, parkedH, burnKW+h, h, d)
	a.KWh = h * (warmH + parkedH)
}

// parkedBefore runs the heater while parked, and then drives; what it takes is not
// driven off.
func (d *driver) parkedBefore(a *Approach) {
	h := d.pack.HeaterKW
	heatH := max(0, min(a.WarmS/3600, (d.budget-d.burn-d.direct)/h))
	heatH = min(heatH, d.untilStop(Phase{Kind: Warm, KW: h, HeaterKW: h}, d.begin))
	a.WarmS = heatH * 3600
	a.addParked(heatH, h)
	a.add(Drive, (d.budget-d.burn-h*heatH)/d.driveKW, d.driveKW, 0, d)
	a.add(Burn, d.burn/d.plan.burnKW(), d.plan.burnKW(), 0, d)
	a.KWh = h * heatH
}

// parkedThere drives, and then runs the heater parked at the stall until plug-in.
func (d *driver) parkedThere(a *Approach) {
	h := d.pack.HeaterKW
	heatH := max(0, min(a.WarmS/3600, (d.budget-d.burn-d.direct)/h))
	heatH = d.heatedFor(heatH, func(hours float64) ([]Phase, Phase) {
		return []Phase{d.phase(Drive, (d.budget-d.burn-h*hours)/d.driveKW, d.driveKW, 0),
			d.phase(Burn, d.burn/d.plan.burnKW(), d.plan.burnKW(), 0)}, Phase{Kind: Warm, KW: h, HeaterKW: h}
	})
	a.WarmS = heatH * 3600
	a.add(Drive, (d.budget-d.burn-h*heatH)/d.driveKW, d.driveKW, 0, d)
	a.add(Burn, d.burn/d.plan.burnKW(), d.plan.burnKW(), 0, d)
	a.addParked(heatH, h)
	a.KWh = h * heatH
}

// addParked adds some hours of heating while parked.
func (a *Approach) addParked(hours, heaterKW float64) {
	if hours*3600 >= 0.5 {
		a.Phases = append(a.Phases, Phase{Kind: Warm, ToS: hours * 3600, KW: heaterKW, HeaterKW: heaterKW})
	}
}

// byNavigation heats within the lead time before arrival, above the least charge.
func (d *driver) byNavigation(a *Approach) {
	h, nav := d.pack.HeaterKW, navigationOf(d.plan.Car)
	a.LeastC = nav.minPct
	drivePct := d.plan.FromPct + d.burn/d.pack.UsableKWh*100 // on arrival
	coldH := max(0, nav.minPct-drivePct) / 100 * d.pack.UsableKWh / d.driveKW
	above := d.budget - d.burn - coldH*d.driveKW // kWh above the least charge
	warmH := max(0, min(a.WarmS/3600, nav.leadS/3600-coldH, (d.budget-d.burn-d.direct)/h, above/(d.driveKW+h)))
	if coldH*d.driveKW > d.budget-d.burn { // below the least charge from the beginning
		warmH, coldH = 0, (d.budget-d.burn)/d.driveKW
	}
	drivenH := func(hours float64) float64 { return max(0, (d.budget-d.burn-h*hours)/d.driveKW-hours-coldH) }
	warmH = d.heatedFor(warmH, func(hours float64) ([]Phase, Phase) {
		return []Phase{d.phase(Drive, drivenH(hours), d.driveKW, 0)}, d.phase(Warm, hours, d.driveKW+h, h)
	})
	beforeH := drivenH(warmH)
	a.WarmS = warmH * 3600
	a.add(Drive, beforeH, d.driveKW, 0, d)
	a.add(Warm, warmH, d.driveKW+h, h, d)
	a.add(Drive, coldH, d.driveKW, 0, d)
	burnH := d.burn / d.plan.burnKW()
	a.add(Burn, burnH, d.plan.burnKW(), 0, d)
	if coldH > 0 {
		a.StopsS = -(coldH + burnH) * 3600
	}
	a.KWh = h * warmH
}

// NoHeating says why navigation preconditioning has no time to heat on an approach
// where it does not.
func NoHeating(a *Approach) say.Text {
	return say.T("prepare.it-would-not-heat", say.Fixed(a.LeastC, 0), say.Fixed(-a.StopsS/60, 0))
}

// byHardDriving drives hard at the end of the way.
func (d *driver) byHardDriving(a *Approach) {
	heater := 0.0
	if a.Way == HeaterHard {
		heater = d.pack.HeaterKW
	}
	hard := func(hours, heater float64) Phase {
		p := d.phase(Warm, hours, hardFactor*d.driveKW+heater, heater)
		p.hard = true
		return p
	}
	hardKW := hardFactor*d.driveKW + heater
	extra := hardKW - d.driveKW
	warmH := max(0, min(a.WarmS/3600, (d.budget-d.burn-d.direct)/extra, (d.budget-d.burn)/hardKW))
	a.WarmS = warmH * 3600
	driven := d.phase(Drive, (d.budget-d.burn-hardKW*warmH)/d.driveKW, d.driveKW, 0)
	heatedH := warmH
	if heater > 0 { // from when it stops by itself on the driving goes on alone, for what it leaves
		heatedH = min(warmH, d.untilStop(hard(warmH, heater), d.before([]Phase{driven})))
	}
	alone := (warmH - heatedH) * hardKW / (hardFactor * d.driveKW)
	for _, p := range []Phase{driven, hard(heatedH, heater), hard(alone, 0)} {
		if p.ToS >= 0.5 {
			a.Phases = append(a.Phases, p)
		}
	}
	a.add(Burn, d.burn/d.plan.burnKW(), d.plan.burnKW(), 0, d)
	a.KWh = extra*heatedH + (hardFactor-1)*d.driveKW*alone
}

// afterCharge charges first, and drives off what that put in.
func (d *driver) afterCharge(a *Approach) {
	charged := *d
	before := d.earlier()
	if before != nil {
		charged.budgetFrom(before.toPct)
		charged.begin = before.moments[len(before.moments)-1]
		a.Phases = append(a.Phases, Phase{Kind: Charge, ToS: before.tS})
	}
	switch a.Way {
	case ChargedHeater:
		charged.byHeater(a)
	case ChargedNavigation:
		charged.byNavigation(a)
	default:
		if before != nil {
			a.WarmS = before.tS
		}
		charged.steady(a)
	}
}

// longest is how long a way may warm, s; 0 where its length is not to be chosen.
func (d *driver) longest(w Way) float64 {
	switch w {
	case Heater, AtHome, AtTheSite, ChargedHeater:
		return heatLongest
	case Navigation, ChargedNavigation:
		return navigationOf(d.plan.Car).leadS
	case Hard, HeaterHard:
		return hardLongest
	}
	return 0
}

// heats tells whether the battery heater takes part in a way.
func (w Way) heats() bool {
	switch w {
	case Heater, AtHome, AtTheSite, Navigation, HeaterHard, ChargedHeater, ChargedNavigation:
		return true
	}
	return false
}

// warmed is the approach by which the coldest cell is just at target at plug-in,
// or the warmest that can be had.
func (d *driver) warmed(w Way, targetC float64) *Approach {
	longest := d.longest(w)
	coldest := func(a *Approach) float64 { return a.Plug().Battery.Ordered().ColdestC }
	a := d.approach(w, longest)
	if longest == 0 || coldest(a) < targetC {
		a.Short = coldest(a) < targetC-0.05
		return a
	}
	low, high := 0.0, a.WarmS
	for high-low > 30 {
		mid := (low + high) / 2
		if coldest(d.approach(w, mid)) < targetC {
			low = mid
		} else {
			high = mid
		}
	}
	// To the full minute: nobody switches a heater on by the second.
	return d.approach(w, math.Ceil(high/60)*60)
}
