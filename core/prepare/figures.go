package prepare

import (
	"math"

	"zincroad/core/figure"
	"zincroad/core/pack"
	"zincroad/core/say"
	"zincroad/core/stall"
	"zincroad/core/words"
)

// Explained is a plan with what its figures are worked out of.
type Explained struct {
	Plan           *Prepared // nil: not worked out
	Why            say.Text  // then: why not
	Fit            *stall.Fit
	FromPct, ToPct float64
	Assumed        []pack.Assumption
	NotKnown       []say.Text
}

// Figures are those of a plan that explain themselves, by name.
var Figures = figure.List[Explained]{
	{
		Key: "bill", Name: "Cost",
		Definition: "By the stall's tariff for the session that is expected: energy per kWh, every minute with power in " +
			"the tier that the power is in, session fee, tax.",
		Formula: "energy per kWh, minutes by the tier that the power is in, session fee, idle minutes after the grace " +
			"period, tax on all of it.",
		Numbers: whole(billNumbers),
	},
	{
		Key: "ceilings", Name: "Ceilings",
		Definition: "What each limit allows a warm pack at a charge: the stall's power; the stall's and the adapter's " +
			"current times the pack's voltage under load; the car's power and current; its converter; the pack's " +
			"own envelope; the highest voltage. The lowest holds.",
		Formula: "all at the plug: stall power (label times the share that it gives), stall and adapter current times " +
			"pack voltage, car's power and current, converter (what it takes), the warm envelope, and the highest " +
			"voltage. Of those within 2.5 % of the lowest in amps the lowest at the plug holds, in fit, forecast " +
			"and live alike.",
		Numbers: ceilingNumbers,
	},
	{
		Key: "drive", Name: "Drive-down",
		Definition: "What lies between the charge now and the charge to start from is driven off at the car's " +
			"consumption " +
			"on this road, less what warming takes and the last of it, which is burnt parked. Consumption is the " +
			"observed one, taken for 110 km/h and 20 °C: 62 % of it go into air, with the square of the speed and " +
			"the density of the air; 34 % into tyres, 0.6 % more for each kelvin under 20 °C and 15 % more in " +
			"rain; 4 % are drawn by the hour. The cabin comes on top.",
		Formula: "the observed one counts for 110 km/h and 20 °C. C × (0.62 (v/110)² × 293.15/(T+273.15) + 0.34 (1 + " +
			"0.006 max(0, 20−T)) + 0.04 × 110/v), plus the cabin's power over v; the tyres' part 15 % more in " +
			"rain. Shares from memory. Where only the rated range is known, 310 of 353 km of it are seen on the " +
			"highway (common practice, no source).",
		Source:  "shares of consumption from memory",
		Numbers: whole(driveNumbers),
	},
	{
		Key: "expect", Name: "The run to expect",
		Definition: "The session is stepped through second by second: handshake and ramp, what the pack takes at this " +
			"charge and these temperatures, the ceilings of stall, adapter and car, losses, and what heater and " +
			"cabin draw. Low and high: envelope ±4 %, usable capacity ±2 %, battery ±3 K and the stall at 88 % of " +
			"its label each move the time on their own; the moves add up as the root of the sum of squares.",
		Formula: "each of envelope ±4 %, usable capacity ±2 %, battery ±3 K and stall at 88 % of its label moves a " +
			"time on its own; the moves add up as the root of the sum of squares.",
		Source:  "common practice, no source",
		Numbers: expectNumbers,
	},
	{
		Key: "fallback", Name: "Fallback", Unit: "%",
		Definition: "What the way to it takes at this consumption, against the charge at the plug; 1 % must be left on " +
			"arrival. A start at 5 % or below is a run-out, and refused without a fallback within reach.",
		Formula: "another stall of the site, or a site that is reached with 1 % left. A start at 5 % or below is a " +
			"run-out and is refused without one.",
		Numbers: whole(fallbackNumbers),
	},
	{
		Key: "warm", Name: "Ways of warming",
		Definition: "Each way is followed from now to the plug with both temperatures of the pack: heat of the current, " +
			"heater, loss to the outside. The run that it leads to is worked out like the one to expect. It pays " +
			"when it saves more than charging back what it costs takes at the session's mean power, and a minute " +
			"at least.",
		Formula: "forecast minutes from plug-in to the stop, going straight there less this way. **It pays** when that " +
			"is more than charging back what it costs takes at the session's mean power.",
		Numbers: whole(warmNumbers),
	},
	{
		Key: "night", Name: "Tonight or tomorrow", Unit: "min",
		Definition: "What waiting for the morning costs: after a night outside the whole pack is taken to be as cold as it " +
			"is there. The car goes straight to the plug then, and the charge begins at the same percent.",
		Formula: "the planned charge from the pack as it is at plug-in, and from one as cold as it is outside; stated " +
			"where the two are 3 K and more apart",
		Numbers: whole(nightNumbers),
	},
}

// whole gives the lines of a plan that is worked out, and why it is not else.
func whole(of func(*Prepared) figure.Lines) func(Explained) figure.Lines {
	return func(x Explained) figure.Lines {
		if x.Plan == nil || x.Plan.Refused() {
			return figure.Lines{say.T("prepare.not-worked-out", x.Why)}
		}
		return of(x.Plan)
	}
}

// driveNumbers says how the charge between now and the start is driven off, phase by phase.
func driveNumbers(v *Prepared) (n figure.Lines) {
	p, a := v.Plan, v.Approach
	rain := ""
	if p.Road.Rain {
		rain = " in rain"
	}
	n.Say("prepare.consumption-here-at-and", say.Q(v.WhPerKm, "Wh/km", 1).Exact(), say.Q(p.Road.Speed(), "km/h", 0),
		say.Q(p.Road.AmbientC, "°C", 1), rain)
	n.Say("prepare.from-to-the-way", say.Q(p.NowPct, "%", 1), say.Q(p.FromPct, "%", 1), say.Q(p.Km, "km", 1),
		say.Q(v.DirectPct, "%", 1))
	for _, ph := range a.Phases {
		hours := (ph.ToS - ph.FromS) / 3600
		_, label := ph.Words(a.Way)
		line := say.T("prepare.kw-kwh", label, say.Hours(hours*3600), say.Fixed(ph.KW, 2), say.Fixed(ph.KW*hours, 2))
		if ph.SpeedKmh > 0 {
			line = line.And("prepare.x-3", say.Q(ph.SpeedKmh*hours, "km", 1).Exact())
		}
		n.Add(line)
	}
	n.Say("prepare.driven-in-all-of", say.Q(a.Km, "km", 1).Exact(), say.Q(a.LoopKm, "km", 1).Exact())
	return n
}

// expectNumbers says what the session is worked out from and what it comes to.
func expectNumbers(x Explained) figure.Lines {
	return whole(func(v *Prepared) (n figure.Lines) {
		f, p := v.Forecast, v.Plan
		pack := v.Approach.Plug().Battery.Ordered()
		n.Say("prepare.at-plug-in-coldest", say.Q(p.FromPct, "%", 1), say.Q(pack.ColdestC, "°C", 0),
			say.Q(pack.WarmestC, "°C", 0), say.Q(p.Road.AmbientC, "°C", 1))
		if e, ok := f.Post(p.ToPct); ok {
			high := "never"
			if !math.IsNaN(e.HighS) {
				high = words.Clock(e.HighS)
			}
			n.Say("prepare.after-between-and", say.Q(p.ToPct, "%", 1), say.Clock(e.TS), say.Clock(e.LowS), high)
		}
		n.Say("prepare.stall-kwh-into-the", say.Fixed(f.Energy.StallKWh, 2), say.Fixed(f.Energy.CarKWh, 2),
			say.Fixed(f.Energy.LossKWh, 2), say.Fixed(f.Energy.AuxKWh, 2))
		for _, h := range f.Ceilings {
			n.Say("prepare.to-held-by", say.Clock(h.FromS), say.Clock(h.ToS), h.Cause.Words())
		}
		n.Say("prepare.battery-at-the-end", say.Q(f.Battery.EndMinC, "°C", 0), say.Q(f.Battery.EndMaxC, "°C", 0))
		for _, a := range x.Assumed {
			n.Say("prepare.assumed", a.What, a.Value, a.From)
		}
		return n
	})(x)
}

// warmNumbers says what each way of warming costs and saves.
func warmNumbers(v *Prepared) (n figure.Lines) {
	for _, o := range v.Options {
		name := o.Way.Words()
		if o.Reason.Any() {
			n.Say("prepare.way-because", name, o.Reason)
			continue
		}
		line := say.T("prepare.coldest-cell-at-plug", name, say.Q(o.Approach.Plug().Battery.Ordered().ColdestC, "°C", 0))
		if !math.IsNaN(o.TS) {
			line = line.And("prepare.at-the-stall-saved", say.Clock(o.TS), say.Clock(o.SavedS))
		}
		if o.KWh > 0 {
			line = line.And("prepare.costs-kwh-which-take", say.Fixed(o.KWh, 2), say.Clock(o.BackS))
		}
		n.Add(line)
	}
	return n
}

func nightNumbers(v *Prepared) (n figure.Lines) {
	if v.Night == nil {
		return figure.Lines{say.T("prepare.no-night")}
	}
	for _, one := range []struct {
		when say.Text
		c, s float64
	}{{say.T("prepare.as-planned"), v.Night.NowC, v.Night.NowS}, {say.T("prepare.after-night"), v.Night.MorningC,
		v.Night.MorningS}} {
		n.Say("prepare.coldest-cell-from-to", one.when, say.Q(one.c, "°C", 0), say.Q(v.Plan.FromPct, "%", 1),
			say.Q(v.Plan.ToPct, "%", 1), say.Fig(one.s/60, 0))
	}
	return n
}

func fallbackNumbers(v *Prepared) (n figure.Lines) {
	r := v.Fallback
	if r == nil {
		return figure.Lines{say.T("prepare.none-chosen")}
	}
	n.Say("prepare.of-the-pack-at", r.Name, say.Q(r.Fallback.Km, "km", 1), say.Q(r.Fallback.Km, "km", 1),
		say.Q(v.WhPerKm, "Wh/km", 0).Exact(), say.Q(r.NeedPct, "%", 1), say.Q(v.Plan.FromPct, "%", 1), say.Q(r.LeftPct,
			"%", 1))
	return n
}

func billNumbers(v *Prepared) (n figure.Lines) {
	if b := v.Forecast.Bill; b != nil {
		n.Say("prepare.kwh-at-the-stall", say.Fixed(v.Forecast.Energy.StallKWh, 2))
		n.Say("prepare.energy-minutes-session-fee", say.Fixed(b.Energy, 2), say.Fixed(b.Time, 2), say.Fixed(b.Session, 2),
			say.Fixed(b.Tax, 2), b.Currency, say.Fixed(b.Total, 2))
	}
	return n
}

// ceilingNumbers lists the ceilings at the ends of the window and half way.
func ceilingNumbers(x Explained) (n figure.Lines) {
	if x.Fit == nil || !x.Fit.Fits {
		return nil
	}
	for _, soc := range []float64{x.FromPct, math.Round((x.FromPct + x.ToPct) / 2), x.ToPct} {
		i := int(soc)
		if i < 0 || i >= len(x.Fit.At) {
			continue
		}
		at := x.Fit.At[i]
		line := say.T("prepare.pack-at-v", say.Q(at.SoCPct, "%", 1), say.Fig(at.PackV, 0))
		for k, c := range at.Ceilings {
			if k > 0 {
				line = line.And("list-comma")
			}
			line = line.And("prepare.kw", x.Fit.Limits.Label(c.Cause), say.Fig(c.KW, 0))
		}
		n.Add(line)
	}
	for _, what := range x.NotKnown {
		n.Say("prepare.not-noted-so-taken", what)
	}
	return n
}
