package bench

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"zincroad/core/limit"
	"zincroad/core/say"
)

// groupName is what a group's runs have in common, in a sentence.
func groupName(g Group) say.Text {
	for name, v := range g.By {
		return say.T("group."+name, v.in(conditionOf(name).unit))
	}
	return say.T("bench.all-runs")
}

// timedGroups are the groups that have a time in the window, the quickest first.
func (c *Comparison) timedGroups() []Group {
	out := slices.DeleteFunc(slices.Clone(c.Groups), func(g Group) bool { return g.MeanS == nil })
	slices.SortStableFunc(out, func(a, b Group) int { return cmp.Compare(*a.MeanS, *b.MeanS) })
	return out
}

// sayHeading answers what was asked: the groups by what they were grouped, several cars in order, repeats as a band,
// two runs against each other.
func (c *Comparison) sayHeading(add func(say.Confidence, string, ...any), other int) {
	window := say.Window(c.Window.FromPct, c.Window.ToPct)
	groups := c.timedGroups()
	timed := 0
	for _, g := range groups {
		timed += len(c.timesOf(g.Runs))
	}
	switch {
	case len(groups) > 2:
		c.sayOrder(add, groups)
	case len(groups) == 2 && timed > 2:
		a, b := groups[0], groups[1]
		add(say.Strong, "bench.took-with-longer-with", window, say.Duration(math.Round(*a.MeanS)), groupName(a), c.runsOf(a),
			say.Duration(math.Round(*b.MeanS-*a.MeanS)), groupName(b), c.runsOf(b))
	case len(groups) == 1 && timed > 2:
		v := c.timesOf(groups[0].Runs)
		slices.Sort(v)
		add(say.Strong, "bench.took-to-in-runs", window, say.Duration(math.Round(v[0])),
			say.Duration(math.Round(v[len(v)-1])), len(v), say.Duration(math.Round(quantile(v, 0.5))))
	default:
		ref, o := c.Runs[c.Reference], c.Runs[other]
		code := "bench.took-longer"
		if *o.DeltaS < 0 {
			code = "bench.took-shorter"
		}
		add(say.Strong, code, window, say.Duration(math.Round(*ref.TS)), c.name(c.Reference),
			say.Duration(math.Round(math.Abs(*o.DeltaS))), c.name(other))
	}
}

// runsOf counts the runs of a group that have a time.
func (c *Comparison) runsOf(g Group) say.Text {
	n := len(c.timesOf(g.Runs))
	if n == 1 {
		return say.T("bench.one-run")
	}
	return say.T("bench.runs-on-average", n)
}

// mostNamed is how many groups a sentence names.
const mostNamed = 6

// sayOrder lists groups, the quickest first, and says which of them differ for certain, and which cannot be told apart.
func (c *Comparison) sayOrder(add func(say.Confidence, string, ...any), groups []Group) {
	var parts []say.Text
	for _, g := range groups[:min(len(groups), mostNamed)] {
		parts = append(parts, say.T("bench.group-took", groupName(g), say.Duration(math.Round(*g.MeanS))))
	}
	if more := len(groups) - mostNamed; more > 0 {
		parts = append(parts, say.T("bench.more", more))
	}
	add(say.Strong, "bench.the-quickest-first", say.Window(c.Window.FromPct, c.Window.ToPct), say.List(parts...))
	var certain, ties []say.Text
	times := make([][]float64, len(groups))
	for i, g := range groups {
		times[i] = c.timesOf(g.Runs)
	}
	for i := 0; i+1 < min(len(groups), mostNamed); i++ { // neighbours: who is between others is told by both
		d := between(times[i], times[i+1], times)
		switch d.Real {
		case IsReal:
			certain = append(certain, say.T("bench.before", groupName(groups[i]), groupName(groups[i+1])))
		default:
			ties = append(ties, say.T("bench.tie", groupName(groups[i]), groupName(groups[i+1])))
		}
	}
	if len(certain) > 0 {
		add(say.Strong, "bench.for-certain", say.Listed(certain...))
	}
	if len(ties) > 0 {
		add("", "bench.not-told-apart", say.Listed(ties...))
	}
}

// nothing is the share of a difference that a part of the window may hold and still be said to hold nothing of it.
const nothing = 0.05

// sayAbove says that all of a difference lies in the upper part of the window, where it does and that part is the
// smaller one; false where it does not.
func (c *Comparison) sayAbove(add func(say.Confidence, string, ...any), other int, total float64) bool {
	below := 0.0
	for n, b := range c.Bands {
		if b.DeltaS[other] == nil {
			return false
		}
		if n > 0 && b.FromPct-c.Window.FromPct >= (c.Window.ToPct-c.Window.FromPct)/2 {
			rest := 0.0 // largest part of it in any band below
			for _, x := range c.Bands[:n] {
				rest = math.Max(rest, math.Abs(*x.DeltaS[other]))
			}
			if math.Abs(below) > nothing*math.Abs(total) || rest > 2*nothing*math.Abs(total) {
				return false
			}
			from := b
			for _, x := range c.Bands[n:] { // as far up as nothing lies below
				if math.Abs(below+*x.DeltaS[other]) > nothing*math.Abs(total) {
					from = x
					break
				}
				below += *x.DeltaS[other]
			}
			slow := other
			if total < 0 {
				slow = c.Reference
			}
			text := say.T("bench.all-of-it-lies", say.Fig(from.FromPct, 0))
			if held := c.heldMost(slow, from.FromPct, c.Window.ToPct); held.Any() {
				text = text.And("colon").Then(held)
			}
			c.Verdicts = append(c.Verdicts, Said{text.And("stop"), say.Likely})
			return true
		}
		below += *b.DeltaS[other]
	}
	return false
}

// heldMost is what held a run in most bands of a part of the window, of what can be said; empty: nothing can.
func (c *Comparison) heldMost(run int, from, to float64) say.Text {
	count := map[limit.Cause]int{}
	best := limit.Cause("")
	for _, b := range c.Bands {
		if b.FromPct < from || b.ToPct > to || b.Said[run] == "" {
			continue
		}
		held := b.Said[run]
		count[held]++
		if best == "" || count[held] > count[best] {
			best = held
		}
	}
	if best == "" {
		return nil
	}
	return best.Text()
}

// How far repeats of like runs usually lie apart: one standard deviation of a window's time, as a share (common
// practice, no source: like runs differ by a few per cent in any logbook).
const usualSpread = 0.03

// usualApart is within what two like runs usually lie, in 95 of 100, s.
func usualApart(tookS float64) float64 { return 1.96 * math.Sqrt2 * usualSpread * tookS }

// meanOf is the mean of times, s.
func meanOf(v []float64) float64 { return stat.Mean(v, nil) }
