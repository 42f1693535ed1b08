package curve

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"zincroad/core/judge"
	"zincroad/core/limit"
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
	what       string
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
		if a >= b || c.Cause == limit.Ramp {
			continue
		}
		p := part{what: c.What, cause: c.Cause, fromS: a, fromPct: c.FromPct, toPct: c.ToPct, long: b - a,
			holder: c.Holder()}
		if c.WindowLost != nil {
			p.lost = *c.WindowLost
		}
		if n := len(all); n > 0 && all[n-1].cause == p.cause && all[n-1].what == p.what {
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
		if q := &kept[i-1]; q.cause == kept[i].cause && q.what == kept[i].what {
			q.toPct, q.long, q.lost = kept[i].toPct, q.long+kept[i].long, q.lost+kept[i].lost
			kept = slices.Delete(kept, i, i+1)
			i--
		}
	}
	for len(kept) > mostParts {
		least := slices.MinFunc(kept, func(a, b part) int { return cmp.Compare(weight(a), weight(b)) })
		kept = slices.DeleteFunc(kept, func(p part) bool { return p == least })
	}
	return kept
}

// verdictOf puts the story of a span into one sentence; empty where nothing can be said.
func (r *Reading) verdictOf(from, to float64) string {
	parts := r.story(from, to)
	if len(parts) == 0 {
		return ""
	}
	var b strings.Builder
	for i, p := range parts {
		what := p.holder.Words()
		switch {
		case i == 0:
			b.WriteString(strings.ToUpper(what[:1]) + judge.AsSubject(what[1:]) + " held it")
		default:
			b.WriteString("; then " + what)
		}
		late := i == 0 && p.fromS-from > lateShare*(to-from) && p.fromPct != nil
		if late {
			fmt.Fprintf(&b, " from %s", words.Figure(*p.fromPct, 0))
		}
		if p.toPct != nil && (i < len(parts)-1 || late) {
			fmt.Fprintf(&b, " to %s", words.Figure(*p.toPct, 0))
		}
		if late || p.toPct != nil && i < len(parts)-1 {
			b.WriteString(" %")
		}
		if p.lost >= tellLostMin {
			fmt.Fprintf(&b, ", %s%s lost", upTo(p.holder), words.Duration(math.Round(p.lost*60)))
		}
	}
	return b.String() + "."
}

// upTo is "up to " before minutes that were lost to what is no more than a guess.
func upTo(h judge.Holder) string {
	if h.Confidence == judge.Unsure && !h.Pair {
		return "up to "
	}
	return ""
}

// lostLine says what was lost in the headline window to what, most first.
func (p *Pace) lostLine() string {
	list := make([]string, 0, len(p.Lost))
	for _, l := range p.Lost {
		if s := math.Round(l.Minutes * 60); s >= 1 {
			list = append(list, fmt.Sprintf("%s %s", l.Cause.Words(), words.Duration(s)))
		}
	}
	if len(list) == 0 {
		return "nothing lost against " + p.Against
	}
	return "lost against " + p.Against + ": " + strings.Join(list, ", ")
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
		what := c.Holder().Words()
		f.Text = fmt.Sprintf("%s held it from %s to %s", strings.ToUpper(what[:1])+judge.AsSubject(what[1:]),
			words.Clock(c.FromS), words.Clock(c.ToS))
		if c.FromPct != nil && c.ToPct != nil && *c.ToPct > *c.FromPct {
			f.Text += fmt.Sprintf(", %s to %s %%", words.Figure(*c.FromPct, 0), words.Figure(*c.ToPct, 0))
		}
		if lost*60 >= 10 {
			f.Text += fmt.Sprintf(": %s%s lost", upTo(c.Holder()), words.Duration(math.Round(lost*60)))
			if w := c.WindowLost; w != nil && r.Pace != nil && math.Round(*w*60) != math.Round(lost*60) {
				f.Text += fmt.Sprintf(", %s of it in %s", words.Duration(math.Round(*w*60)),
					words.Window(r.Pace.FromPct, r.Pace.ToPct))
			}
		}
		if f.Text += "."; len(f.Evidence) == 0 {
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
	f := Finding{Kind: AboutCliff, FromS: c.TS - 30, ToS: c.TS + 30, Confidence: Strong}
	decimals := 0
	if words.Figure(c.FromKW, 0) == words.Figure(c.ToKW, 0) || c.FromKW < 10 {
		decimals = 1
	}
	f.Text = fmt.Sprintf("Fell from %s to %s kW", words.Figure(c.FromKW, decimals), words.Figure(c.ToKW, decimals))
	if c.SoCPct != nil {
		f.Text += fmt.Sprintf(" at %s %%", words.Figure(*c.SoCPct, 0))
	}
	f.Text += fmt.Sprintf(", %s after %s.", words.Clock(c.TS), r.clockName())
	for _, h := range r.Ceilings {
		if c.TS >= h.FromS-20 && c.TS < h.ToS-20 && h.ToS-h.FromS > 40 && math.Abs(h.FromS-c.TS) < 40 {
			what := h.Holder().Words()
			f.Evidence = append([]string{"what held it from there: " + what}, h.Evidence...)
			break
		}
	}
	if len(f.Evidence) == 0 {
		f.Evidence = []string{fmt.Sprintf("%s %% within half a minute", words.Figure(100*(1-c.ToKW/c.FromKW), 0))}
	}
	return f
}
