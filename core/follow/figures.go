package follow

import (
	"math"

	"zincroad/core/figure"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/say"
)

// Explained is a run under way with what its figures are worked out of.
type Explained struct {
	*State
	Plan forecast.Plan
	Wall func(ts float64) string // the clock on the wall at a time since plug-in
}

// Figures are those of a run under way that explain themselves, by name.
var Figures = figure.List[Explained]{
	{
		Key: "alert", Name: "Away from the forecast", Unit: "kW",
		Definition: "Power at the same state of charge differs from the forecast by more than 10 kW and 15 %, for a " +
			"minute or longer. The forecast starts from the first charge and the first temperatures that were read.",
		Formula: "power at the same state of charge differs from the forecast by more than 10 kW and 15 %, for 60 s or " +
			"more.",
		Numbers: alertNumbers,
	},
	{
		Key: "counted", Name: "Counted charge", Unit: "%",
		Definition: "The display's state of charge, carried on since it last changed by the energy since: 96 % of the " +
			"stall's energy, or all of the car's, over the usable capacity. The power read last is taken to go on for 2 " +
			"minutes at most. The car's display counts, or the stall's where that is more than a minute newer.",
		Formula: "the display's, carried on since its last change (halfway between two readings of a log) by the energy " +
			"since, 96 % of the stall's (common practice, no source), over the usable capacity.",
		Numbers: countedNumbers,
	},
	{
		Key: "expected", Name: "Expected times",
		Definition: "The rest of the run worked out like any forecast, from the counted charge and the temperatures " +
			"read, as a session that goes on from where this one stands: charge, both temperatures, and how long this leg " +
			"has had power. Where the power is not what ratings and envelope give, the limit that seems to hold is taken " +
			"for what it is, or the envelope scaled to what the pack has taken of it (median of the last readings). The " +
			"range is that of ±5 % of the envelope, ±2 % of the capacity and ±1 K.",
		Formula: "a forecast that goes on from the counted SoC, both temperatures (as read, carried on as the forecast " +
			"has the pack warm) and the time since first power of this leg. Where the median of the last nine readings " +
			"within 3 min is more than 1.5 % off what ratings, envelope and pack give (3 % or 1.5 kW under a stall's or " +
			"car's limit), the limit that seems to hold is taken for what it is, or the envelope scaled. The range is that " +
			"of ±5 % of the envelope, ±2 % of the capacity and ±1 K.",
		Numbers: expectedNumbers,
	},
	{
		Key: "lost", Name: "Time lost", Unit: "s",
		Definition: "From the plug-in of the first failed attempt to the plug-in that led to power. It is no charging " +
			"time.",
		Formula: "from the plug-in of the first failed attempt to the plug-in that led to power.",
		Numbers: lostNumbers,
	},
	{
		Key: "holding", Name: "What seems to hold the power",
		Definition: "The last stretch of what the run was held by so far: every cause is weighed by whether amps, power " +
			"or volts stay level, at what rating, how cold and warm the cells are, what is requested and offered, and how " +
			"it began. How sure it is stands with it, and what else it may be.",
		Formula: "the last stretch of the same judgement that a finished run gets, worked out anew from what was read so " +
			"far; nothing is said of now where the power was read more than 90 s ago.",
		Source:  "common practice, no source",
		Numbers: holdingNumbers,
	},
}

func countedNumbers(x Explained) (n figure.Lines) {
	if x.SoC.Known() {
		n.Say("follow.display-read-ago", say.Q(x.SoC.V, "%", 1), say.Duration(math.Round(x.SoC.AgeS)))
	}
	if !math.IsNaN(x.Counted) {
		n.Say("follow.counted", say.Fixed(x.Counted, 2))
	}
	if b, err := pack.For(x.Plan.Car); err == nil {
		n.Say("follow.usable-capacity-kwh", say.Fixed(b.UsableKWh, 1))
	}
	return n
}

// expectedNumbers says when the end is due, and what the forecast before plug-in had said.
func expectedNumbers(x Explained) (n figure.Lines) {
	if e := x.End; e != nil {
		n.Say("follow.at-after-plug-in", say.Q(e.SoCPct, "%", 1), x.Wall(e.TS), say.Clock(e.TS), say.Clock(e.LowS),
			orNever(e.HighS))
	}
	if f := x.Forecast; f != nil {
		if p, ok := f.Post(x.Plan.ToPct); ok {
			n.Say("follow.the-forecast-before-plug", say.Clock(p.TS), say.Clock(p.LowS), orNever(p.HighS))
		}
	}
	if x.Holding != nil {
		n.Say("follow.taken-to-hold", x.Holding.What, x.Holding.Reason)
	}
	return n
}

func orNever(s float64) say.Text {
	if math.IsNaN(s) {
		return say.T("follow.never")
	}
	return say.T("follow.at-clock", say.Clock(s))
}

// holdingNumbers says what was read last, which is what the cause was judged by.
func holdingNumbers(x Explained) (n figure.Lines) {
	if h := x.Holding; h != nil {
		n.Say("follow.held-since", h.What, h.Reason)
		n.Say("confidence." + string(h.Confidence))
	}
	for _, r := range []struct {
		code, unit string
		v          float64
	}{
		{"follow.power", "kW", x.KW.V},
		{"follow.amps", "A", x.Amps.V},
		{"follow.volts", "V", x.Volts.V},
		{"follow.coldest", "°C", x.Coldest.V},
		{"follow.warmest", "°C", x.Warmest.V},
	} {
		if !math.IsNaN(r.v) {
			n.Say(r.code, say.Q(r.v, r.unit, 1))
		}
	}
	return n
}

func alertNumbers(x Explained) (n figure.Lines) {
	if a := x.Alert; a != nil {
		n.Say("follow.kw-away-since", say.Fig(a.ByKW, 1), x.Wall(a.SinceTS))
	} else {
		n.Say("follow.within-the-forecast")
	}
	return n
}

func lostNumbers(x Explained) (n figure.Lines) {
	n.Say("follow.failed", x.Attempts, say.Duration(math.Round(x.LostS)))
	return n
}
