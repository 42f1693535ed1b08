package prepare

import (
	"math"
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/words"
)

// Kind is what happens in a phase of the way to the plug.
type Kind string

// The kinds of phases, in the order in which they may come.
const (
	Charge Kind = "charge" // an earlier DC charge
	Drive  Kind = "drive"
	Warm   Kind = "warm" // driving with the heater on, or hard
	Burn   Kind = "burn" // parked at the stall, with the climate on
)

// Phase is a part of the way to the plug. Times are seconds since plug-in, so
// that they are negative.
type Phase struct {
	Kind       Kind
	FromS, ToS float64
	KW         float64 // out of the pack, heater and climate included
	HeaterKW   float64
	SpeedKmh   float64
	hard       bool
	tractionKW float64
}

// Moment is how the car stands at one time before plug-in.
type Moment struct {
	TS      float64
	SoCPct  float64
	Battery pack.Nodes
}

// Approach is the way from now to plugging in.
type Approach struct {
	Way     Way
	WarmS   float64 // heated, or driven hard, for so long
	Phases  []Phase
	Moments []Moment
	KWh     float64  // what the warming takes beyond the driving
	Km      float64  // driven in all
	LoopKm  float64  // of it beyond the way to the stall
	StopsS  float64  // when navigation preconditioning ends because the charge is at its least; 0: it does not
	Short   bool     // the pack does not get as warm as wanted
	LeastC  float64  // the charge below which navigation does not heat, in percent
	Limit   say.Text // why it is warmed for less long than wished; empty: it is not
}

// Plug is how the car stands at plug-in.
func (a *Approach) Plug() Moment { return a.Moments[len(a.Moments)-1] }

// LeaveS is when the approach begins, s since plug-in.
func (a *Approach) LeaveS() float64 { return a.Moments[0].TS }

// DepartS is when the car sets off, s since plug-in: behind an earlier charge and
// heating at home; 0 where it does not drive at all.
func (a *Approach) DepartS() float64 {
	for _, p := range a.Phases {
		if p.SpeedKmh > 0 {
			return p.FromS
		}
	}
	return 0
}

// Phase gives the first phase of a kind; nil when there is none.
func (a *Approach) Phase(k Kind) *Phase {
	for i := range a.Phases {
		if a.Phases[i].Kind == k {
			return &a.Phases[i]
		}
	}
	return nil
}

// burntKWh is what is burnt parked before the plug, with what the heater takes then.
func (a *Approach) burntKWh() float64 {
	sum := 0.0
	for _, p := range a.Phases {
		if p.Kind == Burn {
			sum += p.KW * (p.ToS - p.FromS) / 3600
		}
	}
	return sum
}

// HeatFromS is when the warming begins, and whether there is any.
func (a *Approach) HeatFromS() (float64, bool) {
	for _, p := range a.Phases {
		if p.Kind == Warm || p.HeaterKW > 0 {
			return p.FromS, true
		}
	}
	return 0, false
}

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

// add puts a phase of some hours at the end; nothing for no time.
func (a *Approach) add(k Kind, hours, kw, heaterKW float64, d *driver) {
	if hours*3600 < 0.5 {
		return
	}
	p := Phase{Kind: k, FromS: 0, ToS: hours * 3600, KW: kw, HeaterKW: heaterKW}
	if k == Drive || k == Warm {
		p.SpeedKmh = d.plan.Road.Speed()
		p.tractionKW = kw - heaterKW - d.cabinKW
	}
	a.Phases = append(a.Phases, p)
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

// Words says what is done in a phase of an approach by a way of warming: its kind in a
// word (drive, heat, hard, burn or charge), and a label with the power.
func (p Phase) Words(w Way) (kind, label string) {
	switch {
	case p.Kind == Charge:
		return "charge", "charge"
	case p.Kind == Burn && p.HeaterKW > 0:
		return "heat", "parked, heater on"
	case p.Kind == Burn:
		return "burn", "parked, climate " + words.Figure(p.KW, 1) + " kW"
	case p.Kind == Warm && p.SpeedKmh == 0:
		return "heat", "parked, heater " + words.Figure(p.HeaterKW, 1) + " kW"
	case p.Kind == Warm && w == HeaterHard:
		return "hard", "drive hard, heater on"
	case p.Kind == Warm && w == Hard:
		return "hard", "drive hard"
	case p.Kind == Warm:
		return "heat", "heater " + words.Figure(p.HeaterKW, 1) + " kW"
	}
	return "drive", "drive"
}
