package prepare

import (
	"cmp"

	"zincroad/core/run"
	"zincroad/core/say"
)

// Item is one thing to do, with why.
type Item struct {
	Do, Why say.Text
}

// Checklist is what to do for a run, in three parts.
type Checklist struct {
	Before, AtStall, After []Item
	Cautions               []say.Text
}

// ListOf gives the checklist and the cautions of a plan run by a method.
func ListOf(p *Prepared, m Method) Checklist {
	var c Checklist
	c.Before = before(p, m)
	c.AtStall = atStall(p, m)
	c.After = []Item{
		{
			say.T("prepare.note-soc-kwh-time"),
			say.T("prepare.the-screen-goes-blank"),
		},
		{
			say.T("prepare.stop-by-the-right"),
			say.T("prepare.never-pull-a-connector"),
		},
	}
	c.Cautions = cautions(p, m)
	return c
}

// before lists what is to be done before leaving.
func before(p *Prepared, m Method) []Item {
	out := []Item{
		climateItem(m),
		{say.T("prepare.logger-running-before-the"), say.T("prepare.the-first-s-cannot")},
		{say.T("prepare.clock-of-the-logger"), say.T("prepare.a-log-an-hour")},
	}
	if p.Plan.Adapter != nil {
		out = append(out, adapterItem)
	}
	switch p.Plan.Way {
	case Navigation:
		out = append(out,
			Item{say.T("prepare.stall-set-in-the"), say.T("prepare.some-cars-do-not")})
	case Heater:
		out = append(out,
			Item{say.T("prepare.battery-heater-by-its"), say.T("prepare.heating-that-is-not")})
	}
	return out
}

// Items that stand in the checklist and at the moment when they are due.
var (
	adapterItem   = Item{say.T("prepare.adapter-rating-and-approval"), say.T("prepare.never-chain-adapters")}
	neighbourItem = Item{say.T("prepare.mark-when-a-neighbour"), say.T("prepare.this-cabinet-is-shared")}
)

func climateItem(m Method) Item {
	why := say.T("prepare.cabin-heater")
	if m.Climate == "on" {
		why = say.T("prepare.as-a-traveller")
	}
	return Item{say.T("prepare.climate-" + cmp.Or(m.Climate, "off")), why}
}

func replugItem(m Method) Item {
	return Item{
		say.T("prepare.stop-unplug-and-plug", say.Fig(m.ReplugAtPct, 0)),
		say.T("prepare.a-timer-in-the"),
	}
}

// atStall lists what is to be done at the stall, in the order in which it comes up.
func atStall(p *Prepared, m Method) []Item {
	out := []Item{
		{say.T("prepare.park-so-that-the"), say.T("prepare.two-stalls-of-a")},
		{
			say.T("prepare.note-soc-odometer-outside"),
			say.T("prepare.without-conditions-nobody-believes"),
		},
		{say.T("prepare.plug-in-at-note", say.Fig(p.Plan.FromPct, 1)), startWhy(p.Plan.FromPct)},
		{say.T("prepare.watch-the-ramp-then"), say.T("prepare.s-to-min-to")},
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

func startWhy(fromPct float64) say.Text {
	if fromPct == 0 {
		return say.T("prepare.the-moment-the-display")
	}
	return say.T("prepare.starts-must-be-within")
}

// cautions lists what can hurt somebody, or strand a car, in this plan.
func cautions(p *Prepared, m Method) []say.Text {
	out := []say.Text{say.T("prepare.caution-connector")}
	add := func(when bool, text say.Text) {
		for _, have := range out {
			when = when && !have.Is(text)
		}
		if when {
			out = append(out, text)
		}
	}
	add(p.Plan.FromPct <= RunOutPct, say.T("prepare.caution-run-out"))
	add(
		p.Plan.Way == Hard,
		say.T("prepare.hard-driving-to-warm"),
	)
	add(p.Plan.Adapter != nil, say.T("prepare.caution-adapter"))
	add(p.Plan.Road.AmbientC <= -15 || p.Plan.Now.ColdestC <= -10, say.T("prepare.caution-cold"))
	add(p.Plan.ToPct > 80, say.T("prepare.caution-taper"))
	for _, text := range m.Cautions {
		add(true, say.Own(text))
	}
	add(true, say.T("prepare.a-logger-is-handled"))
	return append(
		out,
		say.T("prepare.caution-instructions"),
	)
}
