package bench

import (
	"math"
	"slices"

	"zincroad/core/forecast"
	"zincroad/core/say"
)

// Explains says what a condition that differs has to do with the difference that was seen.
type Explains string

// The answers; empty: nothing says.
const (
	Could    Explains = "could"     // it could have made it, or a good part of it
	TooSmall Explains = "too-small" // the most that it could make does not come near
	OtherWay Explains = "other-way" // it works against it: a warmer pack makes no run slower
)

// enoughOf is the share of a difference that a condition must be able to make to explain it: two such might do it
// together.
const enoughOf = 0.5

// hold holds what differs against the difference that was seen between the reference and the run furthest from it, s.
func (f *Fairness) hold(what *whatIf, entries []Entry, deltaS float64) {
	if math.Abs(deltaS) < smallestS {
		return
	}
	for i := range f.Differs {
		d := &f.Differs[i]
		d.ByS = what.signed(d.Condition)
		most := d.HighS
		if d.Condition == "recording" { // a post may lie one reading off, on either side
			v := spacingOf(entries)
			most = &v
		}
		if d.Shown.said() && (most == nil || d.Shown.HighS > *most) {
			most = &d.Shown.HighS
		}
		switch {
		case d.ByS != nil && *d.ByS*deltaS < 0 && math.Abs(*d.ByS) >= smallestS/2:
			d.Explains = OtherWay
		case most == nil:
		case *most < enoughOf*math.Abs(deltaS):
			d.Explains, d.MostS = TooSmall, most
		default:
			d.Explains = Could
		}
	}
}

// spacingOf is how far a window's ends may lie off for how far apart readings are, s: the widest of all runs' spacing.
func spacingOf(entries []Entry) float64 {
	most := 0.0
	for _, e := range entries {
		most = math.Max(most, e.Reading.IntervalS)
	}
	return most
}

// signed is what a condition does to the reference where it has the value of the run furthest from it, s; nil where it
// cannot be worked out.
func (w *whatIf) signed(name string) *float64 {
	if len(w.bases) < 2 || !(w.to > w.from) {
		return nil
	}
	ref, far := w.entries[w.bases[0]], w.entries[w.bases[1]]
	own, ok1 := changeTo(name, ref)
	other, ok2 := changeTo(name, far)
	if !ok1 || !ok2 {
		return nil
	}
	by := w.took(ref, func(p *forecast.Plan) { other(p) }) - w.took(ref, func(p *forecast.Plan) { own(p) })
	if math.IsNaN(by) {
		return nil
	}
	return &by
}

// sayConfounded says of several conditions that differ and matter which could have made the difference.
func (c *Comparison) sayConfounded(add func(say.Confidence, string, ...any), names []string) {
	at := func(e Explains) (list []say.Text, most float64) {
		for _, d := range c.Fairness.Differs {
			if d.Explains == e && slices.Contains(names, d.Condition) {
				list = append(list, human(d.Condition))
				if d.MostS != nil {
					most = math.Max(most, *d.MostS)
				}
			}
		}
		return list, most
	}
	could, _ := at(Could)
	small, most := at(TooSmall)
	against, _ := at(OtherWay)
	said := make([]say.Text, len(names))
	for i, n := range names {
		said[i] = human(n)
	}
	open := len(names) - len(could) - len(small) - len(against)
	add(say.Strong, "bench.not-fair-differ", say.Listed(said...))
	if len(small) > 0 {
		add(say.Likely, "bench.too-small-to-have", say.Listed(small...), say.Duration(math.Round(most)))
	}
	if len(against) > 0 {
		add(say.Likely, "bench.other-way", say.Listed(against...))
	}
	switch {
	case len(could) == 1 && open == 0:
		add(say.Likely, "bench.of-what-was-noted", could[0])
	case len(could)+open == 0:
		add("", "bench.nothing-that-was-noted-explains")
	default:
		add("", "bench.which-of-them-did")
	}
}
