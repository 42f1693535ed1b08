package curve

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/say"
	"zincroad/core/words"
)

// What of a run is worth a word in its verdict: a stretch of so much of the window, or one that
// lost so much.
const (
	tellShare   = 0.12
	tellLostMin = 0.5
	mostParts   = 3
	lateShare   = 0.08 // of the window, after which the first part begins too late to begin the story
)

// part is one part of the story of a window: what held it, up to where.
type part struct {
	what       say.Text
	cause      limit.Cause
	fromS      float64
	fromPct    *float64
	toPct      *float64
	long, lost float64 // s, min
	holder     judge.Holder
}

// story tells what held the power down over the headline window, in order, in at most three parts; what lasted
// too short for a word is left out.
func (r *Reading) story(from, to float64) []part {
	var all []part
	for _, c := range r.Ceilings {
		a, b := max(from, c.FromS), min(to, c.ToS)
		if a >= b || c.Cause == limit.Ramp || !c.What.Any() { // where nothing was read there is nothing to tell
			continue
		}
		p := part{what: c.What, cause: c.Cause, fromS: a, fromPct: c.FromPct, toPct: c.ToPct, long: b - a,
			holder: c.Holder()}
		if c.WindowLost != nil {
			p.lost = *c.WindowLost
		}
		if n := len(all); n > 0 && all[n-1].cause == p.cause && all[n-1].what.Is(p.what) {
			q := &all[n-1]
			q.toPct, q.long, q.lost = p.toPct, q.long+p.long, q.lost+p.lost
			continue
		}
		all = append(all, p)
	}
	weight := func(p part) float64 { return p.long + 120*p.lost }
	kept := slices.DeleteFunc(slices.Clone(all), func(p part) bool {
		return p.long < tellShare*(to-from) && p.lost < tellLostMin
	})
	for i := 1; i < len(kept); i++ { // what was between them is not worth a word
		if q := &kept[i-1]; q.cause == kept[i].cause && q.what.Is(kept[i].what) {
			q.toPct, q.long, q.lost = kept[i].toPct, q.long+kept[i].long, q.lost+kept[i].lost
			kept = slices.Delete(kept, i, i+1)
			i--
		}
	}
	for len(kept) > mostParts {
		least := slices.MinFunc(kept, func(a, b part) int { return cmp.Compare(weight(a), weight(b)) })
		kept = slices.DeleteFunc(kept, func(p part) bool { return p.fromS == least.fromS })
	}
	return kept
}

// verdictOf puts the story of a span into one sentence; nil where nothing can be said.
func (r *Reading) verdictOf(from, to float64) say.Text {
	parts := r.story(from, to)
	if len(parts) == 0 {
		return nil
	}
	var out say.Text
	for i, p := range parts {
		code := "curve.then"
		if i == 0 {
			code = "curve.held-it"
		}
		out = out.And(code, p.holder.Words())
		late := i == 0 && p.fromS-from > lateShare*(to-from) && p.fromPct != nil
		more := p.toPct != nil && (i < len(parts)-1 || late)
		switch {
		case late && more:
			out = out.And("curve.from-to-pct", say.Fig(*p.fromPct, 0), say.Fig(*p.toPct, 0))
		case late:
			out = out.And("curve.from-pct", say.Fig(*p.fromPct, 0))
		case more:
			out = out.And("curve.to-pct", say.Fig(*p.toPct, 0))
		}
		if p.lost >= tellLostMin {
			out = out.And("comma").And(lostBy(p.holder), say.Duration(math.Round(p.lost*60)))
		}
	}
	return out.And("stop")
}

// lostBy says minutes that were lost, "up to" so many where what took them is no more than a guess.
func lostBy(h judge.Holder) string {
	if h.Confidence == say.Unsure && !h.Pair {
		return "curve.up-to-lost"
	}
	return "curve.so-much-lost"
}

// lostLine says what was lost in the headline window to what, most first.
func (p *Pace) lostLine() say.Text {
	list := make([]say.Text, 0, len(p.Lost))
	for _, l := range p.Lost {
		if s := math.Round(l.Minutes * 60); s >= 1 {
			list = append(list, say.T("curve.lost-to", l.Cause.Text(), say.Duration(s)))
		}
	}
	if len(list) == 0 {
		return say.T("curve.nothing-lost", p.Against)
	}
	return say.T("curve.lost-against", p.Against, say.List(list...))
}

// usual are the causes of the car's usual pace: not worth a finding of their own unless they lost much.
var usual = map[limit.Cause]bool{limit.Ramp: true, limit.PackTaper: true, limit.CarPower: true,
	limit.CarCurrent: true, limit.Finish: true, limit.Unknown: true}

// What a stretch must have lost or lasted to be a finding of its own, and how many there are.
const (
	findLostMin  = 0.33
	findS        = 45.0
	mostCeilings = 4
)

// ceilingFindings speak of the stretches that held the power down most, one each.
func (r *Reading) ceilingFindings() []Finding {
	type ranked struct {
		Finding
		weight float64
	}
	var list []ranked
	for _, c := range r.Ceilings {
		lost := 0.0
		if c.MinutesLost != nil {
			lost = *c.MinutesLost
		}
		long := c.ToS - c.FromS
		if usual[c.Cause] && lost < findLostMin || long < findS && lost < findLostMin || c.Cause == limit.Ramp {
			continue
		}
		f := Finding{Kind: AboutCeiling, FromS: c.FromS, ToS: c.ToS, Confidence: c.Confidence, Evidence: c.Evidence}
		f.Text = say.T("curve.held-from-to", c.Holder().Words(), say.Clock(c.FromS), say.Clock(c.ToS))
		if c.FromPct != nil && c.ToPct != nil && *c.ToPct > *c.FromPct {
			f.Text = f.Text.And("curve.stretch-pct", say.Fig(*c.FromPct, 0), say.Fig(*c.ToPct, 0))
		}
		if lost*60 >= 10 {
			f.Text = f.Text.And("colon").And(lostBy(c.Holder()), say.Duration(math.Round(lost*60)))
			if w := c.WindowLost; w != nil && r.Pace != nil && math.Round(*w*60) != math.Round(lost*60) {
				f.Text = f.Text.And("curve.of-it-in", say.Duration(math.Round(*w*60)),
					say.Window(r.Pace.FromPct, r.Pace.ToPct))
			}
		}
		if f.Text = f.Text.And("stop"); len(f.Evidence) == 0 {
			continue
		}
		list = append(list, ranked{f, lost*60 + long/20})
	}
	slices.SortStableFunc(list, func(a, b ranked) int { return cmp.Compare(b.weight, a.weight) })
	var out []Finding
	for i, f := range list {
		if i == mostCeilings {
			break
		}
		out = append(out, f.Finding)
	}
	return out
}

// cliffFinding speaks of a sudden fall that no finding of its own explains.
func (r *Reading) cliffFinding(c Cliff) Finding {
	f := Finding{Kind: AboutCliff, FromS: c.TS - 30, ToS: c.TS + 30, Confidence: say.Strong}
	decimals := 0
	if words.Figure(c.FromKW, 0) == words.Figure(c.ToKW, 0) || c.FromKW < 10 {
		decimals = 1
	}
	f.Text = say.T("curve.fell-from-to-kw", say.Fig(c.FromKW, decimals), say.Fig(c.ToKW, decimals))
	if c.SoCPct != nil {
		f.Text = f.Text.And("curve.at-charge", say.Fig(*c.SoCPct, 0))
	}
	f.Text = f.Text.And("curve.after-plug", say.Clock(c.TS), r.clockName())
	for _, h := range r.Ceilings {
		if c.TS >= h.FromS-20 && c.TS < h.ToS-20 && h.ToS-h.FromS > 40 && math.Abs(h.FromS-c.TS) < 40 {
			what := h.Holder().Words()
			f.Evidence = append([]say.Text{say.T("curve.held-from-there", what)}, h.Evidence...)
			break
		}
	}
	if len(f.Evidence) == 0 {
		f.Evidence = []say.Text{say.T("curve.within-half-a-minute", say.Fig(100*(1-c.ToKW/c.FromKW), 0))}
	}
	return f
}
