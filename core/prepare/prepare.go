// Package prepare works out the way to a run: how to arrive with the wanted charge
// and the wanted battery temperature, what each way of warming costs and saves,
// whether a fallback is within reach, what the session should show, by which
// method it is run, and which runs are still wanted.
//
// Times are seconds since plug-in; whoever knows the clock turns them into it.
package prepare

import (
	"errors"
	"math"
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/stall"
)

// Plan is what the tester has and wants.
type Plan struct {
	Car     *run.Car
	Stall   *run.Stall   // nil: not chosen; nothing limits
	Adapter *run.Adapter // nil: none

	NowPct         float64
	Now            pack.Nodes
	FromPct, ToPct float64
	Km             float64 // to the stall
	Road           Road

	Way      Way        // empty: Steady
	WarmMin  run.Number // minutes of warming; nil: as long as it takes to TargetC
	TargetC  run.Number // of the coldest cell at plug-in; nil: from where the car is warm
	BurnPct  float64    // the last of the charge, burnt parked
	BurnKW   float64    // climate, seats and defroster while parked; 0: DefaultBurnKW
	Fallback *Fallback  // nil: none

	Session forecast.Plan // climate, profile, assumptions, replug and so on of the session; the rest is filled in
}

// What a tester burns at the end if nothing else is said.
const (
	DefaultBurnPct = 0.5
	DefaultBurnKW  = 3 // "a few kW parked" (common practice, no source)
)

func (p *Plan) burnKW() float64 {
	if p.BurnKW > 0 {
		return p.BurnKW
	}
	return DefaultBurnKW
}

// session is a charge of this plan from one state of charge to another.
func (p *Plan) session(from, to float64, battery pack.Nodes) forecast.Plan {
	s := p.Session
	s.Car, s.Stall, s.Adapter = p.Car, p.Stall, p.Adapter
	s.FromPct, s.ToPct, s.Battery, s.AmbientC = from, to, battery, p.Road.AmbientC
	return s
}

// KnownCar is the car with what its runs taught where nothing is noted.
func (p *Plan) KnownCar() *run.Car {
	if p.Session.Known == nil {
		return p.Car
	}
	return p.Session.Known.Apply(p.Car)
}

// WarmSession is the session of this plan with a pack that takes its full power
// from the first moment; outside it is 20 °C where that is not known.
func (p *Plan) WarmSession() forecast.Plan {
	warm := pack.DefaultWarmC
	if b, err := pack.For(p.KnownCar()); err == nil {
		warm = max(warm, b.WarmC)
	}
	s := p.session(p.FromPct, p.ToPct, pack.Nodes{ColdestC: warm, WarmestC: warm})
	if math.IsNaN(s.AmbientC) {
		s.AmbientC = 20
	}
	return s
}

// Refusal is why a plan cannot be, and what in it says so: car, stall, adapter, now,
// from, to, battery, km, way or fallback.
type Refusal struct {
	At     string
	Reason say.Text
}

// Prepared is a plan worked out. Where Refusals says that it cannot be, what could
// be worked out all the same is there.
type Prepared struct {
	Plan      Plan
	Refusals  []Refusal
	WhPerKm   float64
	DirectPct float64 // what the way to the stall takes
	BurntPct  float64 // what is burnt parked before the plug, in points of charge
	ParkedS   float64 // how long burning all that is too much would take parked

	Approach *Approach          // nil when refused
	Forecast *forecast.Forecast // nil when refused
	Options  []Option           // every way of warming
	Night    *Night             // nil where a night makes no difference
	Fallback *Reach             // nil without a fallback
	Fit      *stall.Fit         // nil without a car that can be reckoned with
	Assumed  []pack.Assumption

	usableKWh float64
}

// TakesPct is how many points of charge a way of so many km takes on this road.
func (p *Prepared) TakesPct(km float64) float64 { return p.WhPerKm * km / 10 / p.usableKWh }

// Refused tells whether the plan cannot be.
func (p *Prepared) Refused() bool { return len(p.Refusals) > 0 }

// Of works a plan out. It never fails: what cannot be is a refusal.
func Of(plan Plan) *Prepared {
	if plan.Way == "" {
		plan.Way = Steady
	}
	p := &Prepared{Plan: plan}
	battery, err := pack.For(plan.KnownCar())
	switch {
	case errors.Is(err, pack.ErrVoltages):
		p.refuse("car", "prepare.the-pack-lowest-voltage")
	case err != nil:
		p.refuse("car", "prepare.the-car-usable-capacity")
	}
	if p.Refused() {
		return p
	}
	p.Fit, _ = stall.FitOf(plan.KnownCar(), plan.Stall, plan.Adapter, plan.Session.Assumed, plan.Session.Gentle)
	var assumed []pack.Assumption
	p.WhPerKm, assumed = plan.Road.WhPerKm(plan.Car, battery.UsableKWh)
	p.Assumed = append(append(plan.Session.Known.Used(plan.Car), p.Fit.Assumed...), assumed...)
	p.usableKWh = battery.UsableKWh
	p.DirectPct = p.TakesPct(plan.Km)
	p.reach()
	p.check()
	if p.Refused() {
		return p
	}
	d := newDriver(plan, battery)
	p.ParkedS = (d.budget - d.direct) / plan.burnKW() * 3600
	p.workOut(d)
	return p
}

func (p *Prepared) refuse(at, code string, args ...any) {
	p.Refusals = append(p.Refusals, Refusal{at, say.T(code, args...)})
}

// check says what cannot be, one sentence each.
func (p *Prepared) check() {
	plan := p.Plan
	arrive := plan.NowPct - p.DirectPct
	switch {
	case !(plan.FromPct >= 0 && plan.ToPct <= 100 && plan.FromPct < plan.ToPct):
		p.refuse("to", "prepare.the-charge-to-stop")
	case plan.FromPct > plan.NowPct:
		p.refuse("from", "prepare.cannot-start-from-the", say.Fig(plan.FromPct, 1), say.Fig(plan.NowPct, 1))
	case arrive < 0:
		p.refuse("now", "prepare.the-car-does-not", say.Q(plan.Km, "km", 0), say.Fig(p.DirectPct, 1), say.Fig(plan.NowPct, 1))
	case arrive < plan.FromPct:
		p.refuse("now", "prepare.arrives-with-under-the", say.Fig(arrive, 1), say.Fig(plan.FromPct, 1),
			say.Q(plan.Km, "km", 0), say.Fig(p.DirectPct, 1))
	}
	for _, c := range []float64{plan.Now.ColdestC, plan.Now.WarmestC, plan.Road.AmbientC} {
		if !(c >= -60 && c <= 90) {
			p.refuse("battery", "prepare.temperatures-must-be-from")
			break
		}
	}
	if !p.Fit.Fits {
		p.Refusals = append(p.Refusals, Refusal{"stall", p.Fit.Reason})
	}
	if why := plan.Way.Possible(plan.Car, plan.Stall); why.Any() {
		p.refuse("way", "prepare.not-this-way", why)
	}
	if !p.Refused() && plan.FromPct <= RunOutPct && (p.Fallback == nil || !p.Fallback.Reachable) {
		p.refuseRunOut()
	}
}

// workOut fills in the chosen approach, its forecast, and every other way.
func (p *Prepared) workOut(d *driver) {
	target, ok := run.Value(p.Plan.TargetC)
	if !ok {
		target = d.pack.WarmC
	}
	p.Options = make([]Option, len(Ways))
	var all sync.WaitGroup
	for i, w := range Ways {
		all.Go(func() { p.Options[i] = d.option(w, target) })
	}
	chosen := d.chosen(target)
	p.Approach = chosen
	p.BurntPct = chosen.burntKWh() / d.pack.UsableKWh * 100
	all.Go(func() {
		p.Forecast, _ = forecast.Of(p.Plan.session(p.Plan.FromPct, p.Plan.ToPct, chosen.Plug().Battery),
			forecast.DefaultUncertainty)
	})
	all.Go(func() { p.Night = p.night() })
	all.Wait()
	for _, o := range p.Options {
		if p.Night == nil || o.Way != p.Plan.Way {
			continue
		}
		if p.Night.NowS = o.TS; math.IsNaN(o.TS) {
			p.Night = nil
		}
	}
	for i := range p.Options {
		p.Options[i].against(&p.Options[0], p.WhPerKm)
	}
}

// chosen is the approach that the plan asks for.
func (d *driver) chosen(targetC float64) *Approach {
	w := d.plan.Way
	wished, set := run.Value(d.plan.WarmMin)
	stops, byItself := run.Value(d.plan.Car.HeaterStopC)
	limit := say.Text(nil)
	if byItself && w.heats() && stops < targetC {
		limit = say.T("prepare.the-heater-stops-by", say.Q(stops, "°C", 0).Exact())
	}
	if !set {
		a := d.warmed(w, targetC)
		if a.Short {
			a.Limit = limit
		}
		return a
	}
	a := d.approach(w, wished*60)
	if a.WarmS < wished*60-30 {
		a.Limit = limit
	}
	a.Short = a.Plug().Battery.Ordered().ColdestC < targetC-0.05
	if !a.Limit.Any() && d.longest(w) > 0 && a.WarmS < wished*60-30 {
		a.Limit = say.T("prepare.charge-and-distance-allow")
		if w.ByNavigation() {
			a.Limit = say.T("prepare.navigation-and-charge-allow")
		}
	}
	return a
}

// Option is a way of warming with what it buys.
type Option struct {
	Way       Way
	Reason    say.Text // why it is not possible; empty when it is
	Approach  *Approach
	TS        float64 // from plug-in to the charge to stop at; NaN when it is not reached
	PeakKW    float64
	KWh, Km   float64 // what it costs, and the way that this would be
	SavedS    float64 // against going straight there
	BackS     float64 // to charge back what it costs, at the session's mean power
	averageKW float64
}

// Pays tells whether a way saves more time at the stall than charging back what
// it costs takes.
func (o *Option) Pays() bool { return o.SavedS > o.BackS && o.SavedS >= 60 }

// option works one way of warming out, against going straight there.
func (d *driver) option(w Way, targetC float64) Option {
	o := Option{Way: w, TS: math.NaN()}
	if o.Reason = w.Possible(d.plan.Car, d.plan.Stall); o.Reason.Any() {
		return o
	}
	if w == d.plan.Way {
		o.Approach = d.chosen(targetC)
	} else {
		o.Approach = d.warmed(w, targetC)
	}
	if w.ChargesBefore() && o.Approach.Phase(Charge) == nil {
		return Option{Way: w, TS: math.NaN(), Reason: say.T("prepare.this-stall-cannot-charge")}
	}
	if w.ByNavigation() && o.Approach.WarmS == 0 && o.Approach.StopsS < 0 {
		return Option{Way: w, TS: math.NaN(), Reason: NoHeating(o.Approach)}
	}
	brief, err := forecast.Quick(d.plan.session(d.plan.FromPct, d.plan.ToPct, o.Approach.Plug().Battery))
	if err != nil {
		o.Reason = say.Own(err.Error())
		return o
	}
	if !brief.Note.Any() {
		o.TS = brief.TS
	}
	o.PeakKW, o.KWh = brief.PeakKW, o.Approach.KWh
	if brief.TS > 0 {
		o.averageKW = brief.StallKWh * 3600 / brief.TS
	}
	return o
}

// against compares an option with going straight there.
func (o *Option) against(straight *Option, whPerKm float64) {
	if o.Reason.Any() {
		return
	}
	o.SavedS = straight.TS - o.TS
	if whPerKm > 0 {
		o.Km = o.KWh * 1000 / whPerKm
	}
	if o.averageKW > 0 {
		o.BackS = o.KWh / o.averageKW * 3600
	}
}
