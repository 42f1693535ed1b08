package prepare

import (
	"fmt"
	"math"

	"zincroad/core/figure"
	"zincroad/core/pack"
	"zincroad/core/stall"
	"zincroad/core/words"
)

// Explained is a plan with what its figures are worked out of.
type Explained struct {
	Plan           *Prepared // nil: not worked out
	Why            string    // then: why not
	Fit            *stall.Fit
	FromPct, ToPct float64
	Assumed        []pack.Assumption
	NotKnown       []string
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
			return figure.Lines{"the plan is not worked out: " + x.Why}
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
	n.Say("consumption here: %s Wh/km, at %s km/h and %s °C%s", words.Fixed(v.WhPerKm, 1),
		words.Figure(p.Road.Speed(), 0), words.Figure(p.Road.AmbientC, 1), rain)
	n.Say("from %s to %s; the way to the stall, %s km, takes %s of it", words.Percent(p.NowPct), words.Percent(p.FromPct),
		words.Figure(p.Km, 1), words.Percent(v.DirectPct))
	for _, ph := range a.Phases {
		hours := (ph.ToS - ph.FromS) / 3600
		_, label := ph.Words(a.Way)
		line := fmt.Sprintf("%s: %s × %s kW = %s kWh", label, words.Hours(hours*3600), words.Fixed(ph.KW, 2),
			words.Fixed(ph.KW*hours, 2))
		if ph.SpeedKmh > 0 {
			line += fmt.Sprintf(", %s km", words.Fixed(ph.SpeedKmh*hours, 1))
		}
		n.Say("%s", line)
	}
	n.Say("driven in all: %s km, of it %s km more than the way there", words.Fixed(a.Km, 1), words.Fixed(a.LoopKm, 1))
	return n
}

// expectNumbers says what the session is worked out from and what it comes to.
func expectNumbers(x Explained) figure.Lines {
	return whole(func(v *Prepared) (n figure.Lines) {
		f, p := v.Forecast, v.Plan
		pack := v.Approach.Plug().Battery.Ordered()
		n.Say("at plug-in: %s, coldest cell %s, warmest %s; outside %s °C", words.Percent(p.FromPct),
			words.Degrees(pack.ColdestC), words.Degrees(pack.WarmestC), words.Figure(p.Road.AmbientC, 1))
		if e, ok := f.Post(p.ToPct); ok {
			high := "never"
			if !math.IsNaN(e.HighS) {
				high = words.Clock(e.HighS)
			}
			n.Say("%s after %s; between %s and %s", words.Percent(p.ToPct), words.Clock(e.TS), words.Clock(e.LowS), high)
		}
		n.Say("stall %s kWh = into the pack %s + losses %s + drawn beside %s", words.Fixed(f.Energy.StallKWh, 2),
			words.Fixed(f.Energy.CarKWh, 2), words.Fixed(f.Energy.LossKWh, 2), words.Fixed(f.Energy.AuxKWh, 2))
		for _, h := range f.Ceilings {
			n.Say("%s to %s held by %s", words.Clock(h.FromS), words.Clock(h.ToS), h.Cause.Words())
		}
		n.Say("battery at the end: %s to %s", words.Degrees(f.Battery.EndMinC), words.Degrees(f.Battery.EndMaxC))
		for _, a := range x.Assumed {
			n.Say("assumed: %s %s (%s)", a.What, a.Value, a.From)
		}
		return n
	})(x)
}

// warmNumbers says what each way of warming costs and saves.
func warmNumbers(v *Prepared) (n figure.Lines) {
	for _, o := range v.Options {
		name := o.Way.Words()
		if o.Reason != "" {
			n.Say("%s: %s", name, o.Reason)
			continue
		}
		line := fmt.Sprintf("%s: coldest cell %s at plug-in", name,
			words.Degrees(o.Approach.Plug().Battery.Ordered().ColdestC))
		if !math.IsNaN(o.TS) {
			line += fmt.Sprintf("; %s at the stall, %s saved", words.Clock(o.TS), words.Clock(o.SavedS))
		}
		if o.KWh > 0 {
			line += fmt.Sprintf("; costs %s kWh, which take %s to charge back", words.Fixed(o.KWh, 2), words.Clock(o.BackS))
		}
		n.Say("%s", line)
	}
	return n
}

func nightNumbers(v *Prepared) (n figure.Lines) {
	if v.Night == nil {
		return figure.Lines{"the pack is as cold as it is outside, or the charge does not get there"}
	}
	for _, one := range []struct {
		when string
		c, s float64
	}{{"as planned", v.Night.NowC, v.Night.NowS}, {"after a night outside", v.Night.MorningC, v.Night.MorningS}} {
		n.Say("%s: coldest cell %s °C, from %s to %s in %s min", one.when, words.Figure(one.c, 0),
			words.Percent(v.Plan.FromPct), words.Percent(v.Plan.ToPct), words.Figure(one.s/60, 0))
	}
	return n
}

func fallbackNumbers(v *Prepared) (n figure.Lines) {
	r := v.Fallback
	if r == nil {
		return figure.Lines{"none is chosen"}
	}
	n.Say("%s, %s km: %s km × %s Wh/km = %s of the pack; %s at the plug, %s left", r.Name,
		words.Figure(r.Fallback.Km, 1), words.Figure(r.Fallback.Km, 1), words.Fixed(v.WhPerKm, 0),
		words.Percent(r.NeedPct), words.Percent(v.Plan.FromPct), words.Percent(r.LeftPct))
	return n
}

func billNumbers(v *Prepared) (n figure.Lines) {
	if b := v.Forecast.Bill; b != nil {
		n.Say("%s kWh at the stall", words.Fixed(v.Forecast.Energy.StallKWh, 2))
		n.Say("energy %s + minutes %s + session fee %s + tax %s = %s %s", words.Fixed(b.Energy, 2), words.Fixed(b.Time, 2),
			words.Fixed(b.Session, 2), words.Fixed(b.Tax, 2), b.Currency, words.Fixed(b.Total, 2))
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
		line := fmt.Sprintf("%s, pack at %s V:", words.Percent(at.SoCPct), words.Figure(at.PackV, 0))
		for k, c := range at.Ceilings {
			if k > 0 {
				line += ","
			}
			line += fmt.Sprintf(" %s %s kW", x.Fit.Limits.Label(c.Cause), words.Figure(c.KW, 0))
		}
		n.Say("%s", line)
	}
	for _, what := range x.NotKnown {
		n.Say("not noted, so taken as no limit: %s", what)
	}
	return n
}
