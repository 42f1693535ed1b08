package plan

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/words"
	"zincroad/web/draw"
)

// draw makes the pictures and the table of posts.
func (o *Outcome) draw(v *View) {
	t := timelineOf(v)
	o.Timeline = t.SVG()
	t.Narrow, t.CutS = true, cutAt(t, shownOnPhone)
	o.TimelineNarrow = t.SVG()
	f, pl := v.Plan.Forecast, v.Plan
	for _, p := range f.Posts {
		ends := p.SoCPct == pl.Plan.FromPct || p.SoCPct == pl.Plan.ToPct
		if math.Mod(p.SoCPct, 10) != 0 && !ends {
			continue
		}
		post := planPost{
			Post:  p,
			Clock: v.Clock.face(p.TS, pl.Approach.LeaveS()),
			Low:   words.Clock(p.LowS),
			High:  "never",
			Ends:  ends,
		}
		if !math.IsNaN(p.HighS) {
			post.High = words.Clock(p.HighS)
		}
		if st, ok := f.At(p); ok {
			post.KW, post.Held = st.StallKW, st.Cause.Words()
		}
		o.Posts = append(o.Posts, post)
	}
	o.Strip = forecastStrip(f, pl.Plan.FromPct, pl.Plan.ToPct, 0, 0)
}

// forecastStrip draws a session worked out in advance, on axes of its own where toS and topKW are 0.
func forecastStrip(f *forecast.Forecast, fromPct, toPct, toS, topKW float64) string {
	strip := &draw.Strip{
		Title:   "Forecast: power against minutes since plug-in, with posts and the ceilings that would hold",
		FromPct: fromPct,
		ToPct:   toPct,
		ToS:     toS,
		TopKW:   topKW,
		Width:   435,
		Held:    stretches(f),
	}
	for i, st := range f.Steps {
		if i%5 == 0 || i == len(f.Steps)-1 {
			strip.T, strip.KW = append(strip.T, st.T), append(strip.KW, st.StallKW)
		}
	}
	for _, p := range f.Posts {
		if math.Mod(p.SoCPct, 10) == 0 || p.SoCPct == fromPct || p.SoCPct == toPct {
			strip.Posts = append(strip.Posts, curve.Post{SoCPct: p.SoCPct, TS: p.TS})
		}
	}
	return strip.Large()
}

func stretches(f *forecast.Forecast) []draw.Stretch {
	var out []draw.Stretch
	for _, h := range f.Ceilings {
		out = append(out, draw.Stretch{FromS: h.FromS, ToS: h.ToS, Cause: h.Cause})
	}
	return out
}

// How much of a long approach the timeline shows, as a multiple of the session.
const (
	shownBefore  = 4
	shownOnPhone = 1.5
)

// cutAt is where a timeline begins whose approach is longer than so many sessions;
// 0 where all of it is shown.
func cutAt(t *draw.Timeline, sessions float64) float64 {
	if from := -sessions * math.Max(t.T[len(t.T)-1], 1800); t.T[0] < from {
		return from
	}
	return 0
}

// timelineOf draws charge and temperatures from now to the unplug, in the reader's units.
func timelineOf(v *View) *draw.Timeline {
	a, f := v.Plan.Approach, v.Plan.Forecast
	t := &draw.Timeline{Title: "From now to unplugging: state of charge and coldest cell against time",
		WantedC: math.NaN(), Held: stretches(f), TempUnit: v.In.Name("°C")}
	if c, ok := run.Value(v.Plan.Plan.TargetC); ok && !v.Method.Cold {
		t.WantedC = v.In.Show("°C", c)
	}
	add := func(ts, soc float64, n pack.Nodes) {
		n = n.Ordered()
		n.ColdestC, n.WarmestC = v.In.Show("°C", n.ColdestC), v.In.Show("°C", n.WarmestC)
		t.T, t.SoC, t.Coldest, t.Warmest = append(
			t.T,
			ts,
		), append(
			t.SoC,
			soc,
		), append(
			t.Coldest,
			n.ColdestC,
		), append(t.Warmest, n.WarmestC)
	}
	for _, m := range a.Moments {
		add(m.TS, m.SoCPct, m.Battery)
	}
	end := 0.0
	for i, st := range f.Steps {
		if i%20 == 0 || i == len(f.Steps)-1 {
			add(st.T, st.SoCPct, st.Battery)
		}
		end = st.T
	}
	t.CutS = cutAt(t, shownBefore)
	for _, p := range a.Phases {
		b := barOf(p, a.Way)
		if n := len(t.Bars); n > 0 && t.Bars[n-1].Kind == b.Kind && t.Bars[n-1].Label == b.Label {
			t.Bars[n-1].ToS = b.ToS
			continue
		}
		t.Bars = append(t.Bars, b)
	}
	t.Signs = signsOf(v, end)
	return t
}

func barOf(p prepare.Phase, w prepare.Way) draw.Bar {
	kind, label := p.Words(w)
	return draw.Bar{FromS: p.FromS, ToS: p.ToS, Kind: kind, Label: label}
}

// signsOf are the times that the tester has to know.
func signsOf(v *View, end float64) []draw.ClockSign {
	a, f := v.Plan.Approach, v.Plan.Forecast
	leave := a.LeaveS()
	var out []draw.ClockSign
	add := func(ts float64, text string, strong bool) {
		out = append(out, draw.ClockSign{TS: ts, Clock: v.Clock.face(ts, leave), Text: text, Strong: strong})
	}
	if c := a.Phase(prepare.Charge); c != nil {
		add(c.FromS, "charge", false)
		add(c.ToS, "leave", true)
	} else {
		add(a.DepartS(), "leave", true)
	}
	if from, ok := a.HeatFromS(); ok {
		what := "heat"
		if a.Way == prepare.Hard || a.Way == prepare.HeaterHard {
			what = "drive hard"
		}
		add(from, what, false)
	}
	if a.StopsS < 0 && a.WarmS > 0 {
		add(a.StopsS, words.Percent(a.LeastC)+": heating stops", false)
	}
	if b := a.Phase(prepare.Burn); b != nil {
		add(b.FromS, "there, burn "+words.Percent(v.Plan.BurntPct), false)
	}
	add(0, fmt.Sprintf("plug in at %s", words.Percent(a.Plug().SoCPct)), true)
	for _, pct := range []float64{50, 80} {
		if p, ok := f.Post(pct); ok && pct > v.Plan.Plan.FromPct && pct < v.Plan.Plan.ToPct {
			add(p.TS, words.Percent(pct), false)
		}
	}
	if p, ok := f.Post(v.Plan.Plan.ToPct); ok {
		add(p.TS, words.Percent(v.Plan.Plan.ToPct)+", unplug", true)
	} else {
		add(end, "given up", true)
	}
	slices.SortStableFunc(out, func(x, y draw.ClockSign) int { return cmp.Compare(x.TS, y.TS) })
	return out
}

// limitsOf draws the ceilings of a fit.
func limitsOf(fit *stall.Fit, p prepare.Plan) string {
	if !fit.Fits {
		return ""
	}
	l := &draw.Limits{
		Title:   "Ceilings against state of charge with a warm pack; the lowest is inked",
		FromPct: p.FromPct,
		ToPct:   p.ToPct,
	}
	lines := map[limit.Cause]int{}
	for i, at := range fit.At {
		holding, _ := at.Holding()
		l.Holds = append(l.Holds, holding.KW)
		for _, c := range at.Ceilings {
			cause := c.Cause
			if cause == limit.SoCStep {
				cause = limit.PackTaper // the same line, at its steps
			}
			k, ok := lines[cause]
			if !ok {
				k = len(l.Lines)
				lines[cause] = k
				l.Lines = append(
					l.Lines,
					draw.Limit{
						Cause: cause,
						Label: fit.Limits.Label(cause).Kept(),
						KW:    slices.Repeat([]float64{math.NaN()}, len(fit.At)),
					},
				)
			}
			l.Lines[k].KW[i] = c.KW
		}
	}
	return l.SVG()
}
