package decide

import (
	"math"

	"zincroad/core/say"
)

// Said is when to unplug, a sentence each, the answer first.
func (u *Unplug) Said(currency string, elsewhere float64) (out []say.Text) {
	at := say.Fig(u.BestPct, 0)
	switch {
	case !math.IsNaN(u.WarmPct) && u.WarmPct != u.BestPct:
		out = append(out, say.T("decide.unplug-cold", at, say.Fig(u.WarmPct, 0)))
	case u.BestPct >= 100:
		out = append(out, say.T("decide.stay-to-the-end"))
	default:
		out = append(out, say.T("decide.unplug-at", at))
	}
	if u.HighPct-u.LowPct >= 2 && math.IsNaN(u.WarmPct) {
		out = append(out, say.T("decide.no-matter", say.Fig(u.LowPct, 0), say.Fig(u.HighPct, 0)))
	}
	switch {
	case math.IsNaN(u.DearPct):
	case u.DearPct == u.Tens[0].FromPct:
		out = append(out, say.T("decide.dear", say.Fixed(elsewhere, 2), say.Own(currency)))
	default:
		out = append(out, say.T("decide.dear-from", say.Fig(u.DearPct, 0), say.Fixed(elsewhere, 2), say.Own(currency)))
	}
	return out
}

// SaidOfStarts is from which charge the points take least.
func SaidOfStarts(list []Start) (out []say.Text) {
	if len(list) == 0 {
		return nil
	}
	var least, more []say.Text
	best := math.Inf(1)
	for _, s := range list {
		best = math.Min(best, s.TS)
	}
	for _, s := range list {
		if s.Least {
			least = append(least, say.T("decide.percent", say.Fig(s.FromPct, 0)))
		} else {
			more = append(more, say.T("decide.more-from", apart(s.TS-best), say.Fig(s.FromPct, 0)))
		}
	}
	if n := len(least); n > 2 && list[0].Least && list[n-1].Least { // one stretch
		least = []say.Text{say.T("decide.from-to", say.Fig(list[0].FromPct, 0), say.Fig(list[n-1].FromPct, 0))}
	}
	add := say.Fig(list[0].ToPct-list[0].FromPct, 0)
	if len(more) == 0 {
		return append(out, say.T("decide.starts-alike", add))
	}
	out = append(out, say.T("decide.starts-least", add, say.Listed(least...), apart(best)))
	return append(out, say.T("decide.starts-more", say.Listed(more...)))
}

// Said is what the gentle profile costs and spares.
func (g *Gentle) Said(fromPct, toPct float64) (out []say.Text) {
	window := say.Window(fromPct, toPct)
	if same(g.Full.TS, g.Gentle.TS) {
		out = append(out, say.T("decide.gentle-costs-nothing", window))
	} else {
		out = append(out, say.T("decide.gentle-costs", apart(g.MoreS), window))
		if g.NonePct < toPct {
			out = append(out, say.T("decide.gentle-none-from", say.Fig(g.NonePct, 0)))
		}
	}
	spared := len(out)
	if g.Full.CRate-g.Gentle.CRate >= 0.1 {
		out = append(out, say.T("decide.gentle-peak", say.Fixed(g.Gentle.CRate, 1), say.Fixed(g.Full.CRate, 1)))
	}
	if g.Full.WarmestC-g.Gentle.WarmestC >= 1 { // as finely as temperatures are read
		out = append(out, say.T("decide.gentle-cooler", say.Q(g.Gentle.WarmestC, "°C", 0), say.Q(g.Full.WarmestC, "°C", 0)))
	}
	if len(out) > spared {
		out = append(out, say.T("decide.ageing"))
	}
	return out
}

// Said is whether a replug pays.
func (r *Replug) Said() []say.Text {
	from := say.T("decide.timer-showed")
	if r.FromNotes {
		from = say.T("decide.timer-noted")
	}
	gain := r.PlainS - r.ReplugS
	if gain <= FlatPct/100*r.PlainS {
		return []say.Text{say.T("decide.replug-no", say.Fig(r.AtPct, 0)), from}
	}
	return []say.Text{say.T("decide.replug-pays", say.Fig(r.AtPct, 0), apart(gain),
		say.Duration(r.PauseS)), from}
}

// apart is a time as finely as a forecast knows it: whole minutes, and of less than two the seconds in tens.
func apart(s float64) say.Quantity {
	if s < 120 {
		return say.Duration(math.Round(s/10) * 10)
	}
	return say.Q(s/60, "min", 0)
}

// Between says a time with its range.
func Between(ts, lowS, highS float64) say.Text {
	if math.IsNaN(highS) {
		return say.T("decide.at-least", say.Fig(ts/60, 0), say.Fig(lowS/60, 0))
	}
	return say.T("decide.between", say.Fig(ts/60, 0), say.Fig(lowS/60, 0), say.Fig(highS/60, 0))
}

// Range is between when and when the ten points are charged.
func (t Ten) Range() say.Text { return between(t.LowS, t.HighS) }

// Priced tells whether the stall has a tariff.
func (t Ten) Priced() bool { return !math.IsNaN(t.PerKWh) }

// Range is between when and when the window is gone through.
func (s Start) Range() say.Text { return between(s.LowS, s.HighS) }

func between(lowS, highS float64) say.Text {
	if math.IsNaN(highS) {
		return say.T("decide.or-more", say.Clock(lowS))
	}
	return say.T("decide.range", say.Clock(lowS), say.Clock(highS))
}
