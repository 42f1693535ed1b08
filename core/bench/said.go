package bench

import (
	"math"
	"slices"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/say"
)

// say puts the comparison into sentences: the difference first, where it comes from, what it isolates,
// whether it is one.
func (c *Comparison) say(subjects []Subject) {
	add := func(confidence say.Confidence, code string, args ...any) {
		c.Verdicts = append(c.Verdicts, Said{say.T(code, args...), confidence})
	}
	if c.Window.ToPct <= c.Window.FromPct {
		c.inconclusive = true
		add(say.Strong, "bench.the-runs-share-no")
		return
	}
	other, ok := c.Furthest()
	window := say.Window(c.Window.FromPct, c.Window.ToPct)
	why, concludes := c.concludes(subjects)
	c.inconclusive = !concludes
	if ok {
		c.sayHeading(add, other)
		if concludes {
			c.sayWhere(add, other)
		}
	}
	if !concludes {
		c.Verdicts = append(c.Verdicts, Said{why, say.Strong})
	}
	c.sayFair(add)
	if concludes {
		c.sayReal(add)
		c.sayDetour(add, subjects)
	}
	if m := c.Race.With(other).Meetings; ok && len(m) > 0 {
		add(say.Likely, "bench.they-meet-at-at", say.Clock(m[0].TS), say.Fig(m[0].SoCPct, 0))
	}
	if ok {
		c.sayDistance(add, subjects, other)
	}
	if !c.Window.Common {
		add(say.Strong, "bench.not-every-run-covers", window)
	}
}

// headlineKm is how far two cars are held against each other at most: a leg of a long way (common practice, no source).
const headlineKm = 200

// sayDistance says which of two cars is further sooner: a share of charge takes a large pack longer, and carries it
// further. It counts from each run's own start.
func (c *Comparison) sayDistance(add func(say.Confidence, string, ...any), subjects []Subject, other int) {
	a, b := subjects[c.Reference].Run.Car, subjects[other].Run.Car
	if a == nil || b == nil || a.Name == "" || b.Name == "" || a.Name == b.Name {
		return
	}
	for _, i := range []int{c.Reference, other} { // entered half way, a taper takes longer whatever the car
		if soc := subjects[i].Reading.SoC; soc == nil || soc.FromPct > lowStartPct {
			return
		}
	}
	for _, row := range slices.Backward(c.Distance) {
		ta, tb := row.TS[c.Reference], row.TS[other]
		if row.Km > headlineKm || ta == nil || tb == nil {
			continue
		}
		confidence := say.Likely
		if row.Basis != curve.Observed {
			confidence = say.Unsure
		}
		add(confidence, "bench.distance-after", say.Q(row.Km, "km", 0), c.name(c.Reference), say.Duration(*ta),
			c.name(other), say.Duration(*tb))
		return
	}
}

// name is a run in a sentence.
func (c *Comparison) name(i int) say.Text {
	if i < len(c.names) {
		return c.names[i]
	}
	if t := strings.TrimSpace(c.Runs[i].Title); t != "" {
		return say.T("bench.title", t)
	}
	return say.T("bench.run", i+1)
}

// mostOfIt is the share of a difference that makes a part of the window the place where it lies.
const mostOfIt = 0.8

// sayWhere says in which bands the difference lies, and what held there.
func (c *Comparison) sayWhere(add func(say.Confidence, string, ...any), other int) {
	total := *c.Runs[other].DeltaS
	if math.Abs(total) < smallestS || c.sayAbove(add, other, total) {
		return
	}
	sum := 0.0
	for n, b := range c.Bands {
		if b.DeltaS[other] == nil {
			return
		}
		sum += *b.DeltaS[other]
		if sum/total < mostOfIt || n == len(c.Bands)-1 {
			continue
		}
		slow := other
		if total < 0 {
			slow = c.Reference
		}
		causes := map[limit.Cause]int{}
		best := limit.Cause("")
		for _, x := range c.Bands[:n+1] {
			if held := x.Said[slow]; held != "" {
				causes[held]++
				if best == "" || causes[held] > causes[best] {
					best = held
				}
			}
		}
		text := say.T("bench.of-it-lie-below", say.Duration(math.Round(math.Abs(sum))), say.Fig(b.ToPct, 0))
		if best != "" {
			text = text.And("colon").Then(best.Text())
		}
		c.Verdicts = append(c.Verdicts, Said{text.And("stop"), say.Likely})
		return
	}
}

// sayFair says whether the comparison is fair. That it is not can be said for sure whatever else was not noted; that it
// is cannot, for what nobody noted may have differed.
func (c *Comparison) sayFair(add func(say.Confidence, string, ...any)) {
	f := c.Fairness
	var what []string
	for _, d := range f.Differs {
		if d.Matters != DoesNot {
			what = append(what, d.Condition)
		}
	}
	switch f.Verdict {
	case Clean:
		if len(f.NotNoted) > 0 {
			add(say.Likely, "bench.fair-as-far-as", human(f.Isolates))
		} else {
			add(say.Strong, "bench.fair-only-differs", human(f.Isolates))
		}
	case Confounded:
		c.sayConfounded(add, what)
	default:
		if slices.ContainsFunc(f.Differs, func(d Differs) bool { return d.Condition == "car" }) {
			add(say.Strong, "bench.the-cars-differ-minutes")
		} else if len(f.NotNoted) > 0 {
			add(say.Likely, "bench.repeats-as-far-as")
		} else {
			add(say.Strong, "bench.repeats-nothing-that-was")
		}
	}
	if len(f.NotNoted) > 0 {
		notes := make([]say.Text, len(f.NotNoted))
		for i, n := range f.NotNoted {
			notes[i] = human(n)
		}
		add(say.Strong, "bench.not-noted-for-every", say.Listed(notes...))
	}
}

// sayReal says whether the difference is one. "No difference" is said as surely as "real": both have an interval that
// settles it. Only what no interval settles is unsure.
func (c *Comparison) sayReal(add func(say.Confidence, string, ...any)) {
	d := c.Difference
	if d == nil {
		return
	}
	between := say.Text(nil)
	if d.LowS != nil {
		between = say.T("bench.in-of-between-and", say.Signed(*d.LowS), say.Signed(*d.HighS))
	}
	switch d.Real {
	case IsReal:
		add(say.Strong, "bench.the-difference-of-is", say.Signed(d.TS), between)
	case NotReal:
		add(say.Strong, "bench.no-difference-that-matters", say.Signed(d.TS), between)
	default:
		if d.LowS == nil {
			usual := usualApart(meanOf(c.timesOf(c.Groups[d.Groups[0]].Runs)))
			apart := say.Duration(math.Round(usual))
			if math.Abs(d.TS) > usual {
				add(say.Likely, "bench.one-run-against-one-like", apart, say.Signed(d.TS))
			} else {
				add(say.Unsure, "bench.one-run-against-one", apart, say.Signed(d.TS))
			}
		} else {
			add(say.Unsure, "bench.undecided-more-repeats-would", say.Signed(d.TS), between)
		}
	}
}

// sayDetour says what driving to the faster of two stalls would be worth, where the stall alone is
// known to have made the difference: the minutes saved are the minutes that may be driven for it.
func (c *Comparison) sayDetour(add func(say.Confidence, string, ...any), subjects []Subject) {
	d := c.Difference
	if d == nil || d.Real == NotReal || c.Fairness.Verdict != Clean || c.Fairness.Isolates != "stall_kw" ||
		c.Groups[d.Groups[0]].By["stall_kw"] == (Value{}) { // grouped by something else, it is another difference
		return
	}
	rated := func(group int) *float64 {
		if s := subjects[c.Groups[group].Runs[0]].Run.Stall; s != nil {
			return s.RatedKW
		}
		return nil
	}
	first, second := rated(d.Groups[0]), rated(d.Groups[1])
	if first == nil || second == nil {
		return
	}
	saved := d.TS // by the first group
	if *second > *first {
		first, second, saved = second, first, -saved
	}
	window := say.Window(c.Window.FromPct, c.Window.ToPct)
	confidence := say.Likely
	if d.Real == Undecided {
		confidence = say.Unsure
	}
	if saved < smallestS {
		add(confidence, "bench.the-kw-stall-saved-less", say.Fig(*first, 0), window)
		return
	}
	add(confidence, "bench.the-kw-stall-saved", say.Fig(*first, 0), say.Duration(math.Round(saved)), window)
}
