package prepare

import (
	"cmp"
	"fmt"

	"zincroad/core/run"
	"zincroad/core/words"
)

// Item is one thing to do, with why.
type Item struct {
	Do, Why string
}

// Checklist is what to do for a run, in three parts.
type Checklist struct {
	Before, AtStall, After []Item
	Cautions               []string
}

// ListOf gives the checklist and the cautions of a plan run by a method.
func ListOf(p *Prepared, m Method) Checklist {
	var c Checklist
	c.Before = before(p, m)
	c.AtStall = atStall(p, m)
	c.After = []Item{
		{
			"Note SoC, kWh, time and price on the screen, and cell temperatures.",
			"the screen goes blank when the plug is out",
		},
		{
			"Stop by the right button, then unplug; put the cable back and free the stall.",
			"never pull a connector under load",
		},
	}
	c.Cautions = cautions(p, m)
	return c
}

// before lists what is to be done before leaving.
func before(p *Prepared, m Method) []Item {
	out := []Item{
		climateItem(m),
		{"Logger running before the plug.", "the first 60 s cannot be repeated"},
		{"Clock of the logger set by the phone's.", "a log an hour off is the commonest mistake"},
	}
	if p.Plan.Adapter != nil {
		out = append(out, adapterItem)
	}
	switch p.Plan.Way {
	case Navigation:
		out = append(out,
			Item{"Stall set in the car's navigation, as a stop.", "some cars do not heat for a destination"})
	case Heater:
		out = append(out,
			Item{"Battery heater by its switch, and noted when.", "heating that is not noted spoils the comparison"})
	}
	return out
}

// Items that stand in the checklist and at the moment when they are due.
var (
	adapterItem   = Item{"Adapter: rating and approval for this car and stall checked.", "never chain adapters"}
	neighbourItem = Item{"Mark when a neighbour plugs in or leaves.", "this cabinet is shared"}
)

func climateItem(m Method) Item {
	why := "a cabin heater looks like 6 kW of charging"
	if m.Climate == "on" {
		why = "as a traveller has it; noted, since it looks like charging power"
	}
	return Item{"Climate " + cmp.Or(m.Climate, "off") + " from plug-in to unplug.", why}
}

func replugItem(m Method) Item {
	return Item{
		fmt.Sprintf("Stop, unplug and plug in again at %s %%, or at the drop.", words.Figure(m.ReplugAtPct, 0)),
		"a timer in the car starts anew",
	}
}

// atStall lists what is to be done at the stall, in the order in which it comes up.
func atStall(p *Prepared, m Method) []Item {
	out := []Item{
		{"Park so that the screen can be seen; note site, stall, label and cable.", "two stalls of a site can differ"},
		{
			"Note SoC, odometer, outside, coldest and warmest cell, software.",
			"without conditions nobody believes the result",
		},
		{fmt.Sprintf("Plug in at %s %%; note the clock.", words.Figure(p.Plan.FromPct, 1)), startWhy(p.Plan.FromPct)},
		{"Watch the ramp, then check in at every 10 % and at everything odd.", "30 s to 2 min to the plateau"},
	}
	if m.ReplugAtPct > 0 {
		out = append(out, replugItem(m))
	}
	if p.Plan.Stall != nil {
		if _, ok := run.Known(p.Plan.Stall.SharedKW); ok {
			out = append(out, neighbourItem)
		}
	}
	return out
}

func startWhy(fromPct float64) string {
	if fromPct == 0 {
		return "the moment the display flips from 1 to 0; below it is a buffer of unknown size"
	}
	return "starts must be within 2 points to be compared"
}

// cautions lists what can hurt somebody, or strand a car, in this plan.
func cautions(p *Prepared, m Method) []string {
	out := []string{cautionConnector}
	add := func(when bool, text string) {
		for _, have := range out {
			when = when && have != text
		}
		if when {
			out = append(out, text)
		}
	}
	add(p.Plan.FromPct <= RunOutPct, cautionRunOut)
	add(
		p.Plan.Way == Hard,
		"Hard driving to warm a pack only where it is legal, safe and the road allows; one person drives, another logs.",
	)
	add(p.Plan.Adapter != nil, cautionAdapter)
	add(p.Plan.Road.AmbientC <= -15 || p.Plan.Now.ColdestC <= -10, cautionCold)
	add(p.Plan.ToPct > 80, cautionTaper)
	for _, text := range m.Cautions {
		add(true, text)
	}
	add(true, "A logger is handled by a passenger or while parked. Do not disable the car's protections.")
	return append(
		out,
		"Follow the car's and the stall's instructions and local rules; anything on the installation is for "+
			"licensed people.",
	)
}
