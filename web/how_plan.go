package web

import (
	"fmt"
	"math"
	"net/http"

	"zincroad/core/prepare"
	"zincroad/core/words"
)

// planTexts are the definitions of a plan's figures in a few sentences each.
var planTexts = map[string][2]string{
	"drive":    {"Drive-down", "What lies between the charge now and the charge to start from is driven off at the car's consumption on this road, less what warming takes and the last of it, which is burnt parked. Consumption is the observed one, taken for 110 km/h and 20 °C: 62 % of it go into air, with the square of the speed and the density of the air; 34 % into tyres, 0.6 % more for each kelvin under 20 °C and 15 % more in rain; 4 % are drawn by the hour. The cabin comes on top."},
	"expect":   {"The run to expect", "The session is stepped through second by second: handshake and ramp, what the pack takes at this charge and these temperatures, the ceilings of stall, adapter and car, losses, and what heater and cabin draw. Low and high: envelope ±4 %, usable capacity ±2 %, battery ±3 K and the stall at 88 % of its label each move the time on their own; the moves add up as the root of the sum of squares."},
	"warm":     {"Ways of warming", "Each way is followed from now to the plug with both temperatures of the pack: heat of the current, heater, loss to the outside. The run that it leads to is worked out like the one to expect. It pays when it saves more than charging back what it costs takes at the session's mean power, and a minute at least."},
	"fallback": {"Fallback", "What the way to it takes at this consumption, against the charge at the plug; 1 % must be left on arrival. A start at 5 % or below is a run-out, and refused without a fallback within reach."},
	"ceilings": {"Ceilings", "What each limit allows a warm pack at a charge: the stall's power; the stall's and the adapter's current times the pack's voltage under load; the car's power and current; its converter; the pack's own envelope; the highest voltage. The lowest holds."},
	"bill":     {"Cost", "By the stall's tariff for the session that is expected: energy per kWh, every minute with power in the tier that the power is in, session fee, tax."},
}

// howPlan explains one of a plan's figures with the plan's numbers.
func (s *Server) howPlan(w http.ResponseWriter, r *http.Request) {
	figure, text, err := definitionOf(r, planTexts)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v, err := s.planned(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.explain(w, r, howView{Name: text[0], Of: "this plan", Definition: text[1], Numbers: v.numbersFor(figure),
		Back: "/prepare?" + string(v.Query), BackText: "Back to the plan"}, Frame{Page: "prepare"})
}

// numbersFor puts a definition's terms with the plan's numbers into lines.
func (v *planView) numbersFor(figure string) []string {
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	if figure == "ceilings" {
		v.sayCeilings(say)
		return out
	}
	if v.Plan == nil || v.Plan.Refused() {
		say("the plan is not worked out: %s", v.Headline)
		return out
	}
	switch figure {
	case "drive":
		v.sayDriveDown(say)
	case "expect":
		v.sayExpected(say)
	case "warm":
		for _, o := range v.Plan.Options {
			sayOption(say, o)
		}
	case "fallback":
		if r := v.Plan.Fallback; r == nil {
			say("none is chosen")
		} else {
			say("%s, %s km: %s km × %s Wh/km = %s of the pack; %s at the plug, %s left", r.Name, words.Figure(r.Fallback.Km, 1), words.Figure(r.Fallback.Km, 1),
				words.Fixed(v.Plan.WhPerKm, 0), percent(r.NeedPct), percent(v.Plan.Plan.FromPct), percent(r.LeftPct))
		}
	case "bill":
		if b := v.Bill; b != nil {
			say("%s kWh at the stall", words.Fixed(v.Plan.Forecast.Energy.StallKWh, 2))
			say("energy %s + minutes %s + session fee %s + tax %s = %s %s", words.Fixed(b.Energy, 2), words.Fixed(b.Time, 2), words.Fixed(b.Session, 2), words.Fixed(b.Tax, 2), b.Currency, words.Fixed(b.Total, 2))
		}
	}
	return out
}

func (v *planView) sayDriveDown(say func(string, ...any)) {
	p, a := v.Plan.Plan, v.Plan.Approach
	say("consumption here: %s Wh/km, at %s km/h and %s °C%s", words.Fixed(v.Plan.WhPerKm, 1), words.Figure(p.Road.Speed(), 0), words.Figure(p.Road.AmbientC, 1),
		map[bool]string{true: " in rain"}[p.Road.Rain])
	say("from %s to %s; the way to the stall, %s km, takes %s of it", percent(p.NowPct), percent(p.FromPct), words.Figure(p.Km, 1), percent(v.Plan.DirectPct))
	for _, ph := range a.Phases {
		hours := (ph.ToS - ph.FromS) / 3600
		line := fmt.Sprintf("%s: %s × %s kW = %s kWh", barOf(ph, a.Way).Label, words.Hours(hours*3600), words.Fixed(ph.KW, 2), words.Fixed(ph.KW*hours, 2))
		if ph.SpeedKmh > 0 {
			line += fmt.Sprintf(", %s km", words.Fixed(ph.SpeedKmh*hours, 1))
		}
		say("%s", line)
	}
	say("driven in all: %s km, of it %s km more than the way there", words.Fixed(a.Km, 1), words.Fixed(a.LoopKm, 1))
}

func (v *planView) sayExpected(say func(string, ...any)) {
	f, p := v.Plan.Forecast, v.Plan.Plan
	n := v.Plan.Approach.Plug().Battery.Ordered()
	say("at plug-in: %s, coldest cell %s, warmest %s; outside %s °C", percent(p.FromPct), degrees(n.ColdestC), degrees(n.WarmestC), words.Figure(p.Road.AmbientC, 1))
	if e, ok := f.Post(p.ToPct); ok {
		high := "never"
		if !math.IsNaN(e.HighS) {
			high = words.Clock(e.HighS)
		}
		say("%s after %s; between %s and %s", percent(p.ToPct), words.Clock(e.TS), words.Clock(e.LowS), high)
	}
	say("stall %s kWh = into the pack %s + losses %s + drawn beside %s", words.Fixed(f.Energy.StallKWh, 2), words.Fixed(f.Energy.CarKWh, 2), words.Fixed(f.Energy.LossKWh, 2), words.Fixed(f.Energy.AuxKWh, 2))
	for _, h := range f.Ceilings {
		say("%s to %s held by %s", words.Clock(h.FromS), words.Clock(h.ToS), h.Cause.Words())
	}
	say("battery at the end: %s to %s", degrees(f.Battery.EndMinC), degrees(f.Battery.EndMaxC))
	for _, a := range v.Assumed {
		say("assumed: %s %s (%s)", a.What, a.Value, a.From)
	}
}

func sayOption(say func(string, ...any), o prepare.Option) {
	name := o.Way.Words()
	if o.Reason != "" {
		say("%s: %s", name, o.Reason)
		return
	}
	line := fmt.Sprintf("%s: coldest cell %s at plug-in", name, degrees(o.Approach.Plug().Battery.Ordered().ColdestC))
	if !math.IsNaN(o.TS) {
		line += fmt.Sprintf("; %s at the stall, %s saved", words.Clock(o.TS), words.Clock(o.SavedS))
	}
	if o.KWh > 0 {
		line += fmt.Sprintf("; costs %s kWh, which take %s to charge back", words.Fixed(o.KWh, 2), words.Clock(o.BackS))
	}
	say("%s", line)
}

// sayCeilings lists the ceilings at the ends of the window and half way.
func (v *planView) sayCeilings(say func(string, ...any)) {
	if v.fit == nil || !v.fit.Fits {
		return
	}
	from, to := v.window()
	for _, soc := range []float64{from, math.Round((from + to) / 2), to} {
		i := int(soc)
		if i < 0 || i >= len(v.fit.At) {
			continue
		}
		at := v.fit.At[i]
		line := fmt.Sprintf("%s, pack at %s V:", percent(at.SoCPct), words.Figure(at.PackV, 0))
		for k, c := range at.Ceilings {
			if k > 0 {
				line += ","
			}
			line += fmt.Sprintf(" %s %s kW", limitLabel(c.Cause, v.fit.Limits), words.Figure(c.KW, 0))
		}
		say("%s", line)
	}
	for _, what := range v.NotKnown {
		say("not noted, so taken as no limit: %s", what)
	}
}

// window is the plan's window, as typed or as its method has it.
func (v *planView) window() (from, to float64) {
	if v.Plan != nil {
		return v.Plan.Plan.FromPct, v.Plan.Plan.ToPct
	}
	return v.used("from", v.Method.FromPct), v.used("to", v.Method.ToPct)
}
