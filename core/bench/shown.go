package bench

import (
	"cmp"
	"math"
	"slices"
)

// Shown is how far pairs of runs in the logbook lay apart that differ in one condition alone, by about as much as
// runs on the bench do.
type Shown struct {
	Pairs int     `json:"pairs"`
	LowS  float64 `json:"low_s"` // the least that two of a pair lay apart in the window, s
	HighS float64 `json:"high_s"`
}

// leastPairs is how many pairs must show what a condition comes to before it is judged by them: one or two may as
// well show how repeats lie apart (common practice, no source).
const leastPairs = 3

// said tells whether there are enough pairs to judge by.
func (s *Shown) said() bool { return s != nil && s.Pairs >= leastPairs }

// asFar is how much less or more the two of a pair may differ in a temperature than those on the bench.
const asFar = 2.0

// aspect is a condition as far as a logbook knows it.
type aspect struct {
	name   string
	value  func(k *Known) Value    // as its entry on the bench has it; nil: a temperature
	warmth func(k *Known) *float64 // °C; nil: not noted
	differ func(a, b *Known) bool  // whether two runs differ in it, or one notes what the other does not
}

func worded(name string, of func(k *Known) string) aspect {
	return aspect{name: name, value: func(k *Known) Value { return wordsOf(of(k)) },
		differ: func(a, b *Known) bool { return of(a) != of(b) }}
}

// separate is a condition that two runs can differ in without the rest, by one or two names.
type separate struct {
	aspects  []aspect
	anyDay   bool // it is the same on another day
	isTheDay bool
}

// differs tells whether two runs differ in it, by any of its names. Pages hold every run of a logbook against every
// other: nothing is copied on the way.
func (c *separate) differs(a, b *Known) bool {
	for i := range c.aspects {
		if c.aspects[i].differ(a, b) {
			return true
		}
	}
	return false
}

// alone are the conditions that two runs can differ in without the rest. Some are one thing by two names: another
// stall has another label, a pack that was preconditioned is warmer. A warmer pack is that whatever the day was like:
// warmer days stand before warmer packs.
var alone = []separate{
	{aspects: []aspect{worded("software", func(k *Known) string { return k.Software })}},
	{aspects: []aspect{worded("stall", func(k *Known) string { return k.Stall }),
		{name: "stall_kw", value: func(k *Known) Value { return tenthsOf(noted(k.StallKW)) },
			differ: func(a, b *Known) bool { return a.StallKW != b.StallKW }}}},
	{aspects: []aspect{worded("adapter", func(k *Known) string { return cmp.Or(k.Adapter, "none") })}},
	{aspects: []aspect{worded("profile", func(k *Known) string { return k.Profile })}},
	{aspects: []aspect{worded("climate", func(k *Known) string { return k.Climate })}},
	{aspects: []aspect{{name: "ambient_c", warmth: func(k *Known) *float64 { return k.AmbientC },
		differ: otherDay}}, isTheDay: true},
	{aspects: []aspect{{name: "battery_c", warmth: func(k *Known) *float64 { return k.StartC },
		differ: func(a, b *Known) bool { return !warmAs(a.StartC, b.StartC) }},
		worded("preconditioned", func(k *Known) string { return k.Preconditioned })}, anyDay: true},
}

func noted(kw float64) *float64 {
	if kw == 0 {
		return nil
	}
	return &kw
}

func otherDay(a, b *Known) bool {
	if a.AmbientC == nil || b.AmbientC == nil {
		return a.AmbientC != b.AmbientC
	}
	return math.Abs(*a.AmbientC-*b.AmbientC) > sameOutsideC
}

// differAlone tells in which of alone two runs of a car differ; -1 where they differ in none, in more, or one notes
// what the other does not.
func differAlone(a, b *Known) int {
	found := -1
	for i := range alone {
		c := &alone[i]
		if !c.differs(a, b) {
			continue
		}
		if found >= 0 && !(c.anyDay && alone[found].isTheDay) {
			return -1
		}
		found = i
	}
	return found
}

// shown looks in a logbook for pairs that differ in one condition alone, as runs on the bench do: of one of their
// cars, over the window, at stalls that were noted, neither replugged, and not both on the bench. Of words the two are
// the same that differ on the bench; temperatures lie at least half as far apart as there, and at most twice.
func shown(known []Known, entries []Entry, differs []Differs, window Span) map[string]*Shown {
	var runs []Known
	var took []float64
	var onBench []bool
	for _, k := range known {
		ofCar := slices.ContainsFunc(entries, func(e Entry) bool { return k.Car != "" && carOf(e).Name == k.Car })
		if s, ok := k.took(window.FromPct, window.ToPct); ok && ofCar && k.undisturbed() && k.Stall != "" {
			runs, took = append(runs, k), append(took, s)
			onBench = append(onBench, slices.ContainsFunc(entries, func(e Entry) bool { return e.ID == k.ID }))
		}
	}
	here := make([]float64, len(differs)) // how far the values of those on the bench lie apart; NaN: they are words
	for i, d := range differs {
		here[i] = math.NaN()
		if low, high, ok := extremes(d.Values); ok {
			here[i] = high.number - low.number
		}
	}
	out := map[string]*Shown{}
	for i := range runs {
		for j := range i {
			a, b := &runs[i], &runs[j]
			if a.Car != b.Car || onBench[i] && onBench[j] {
				continue
			}
			in := differAlone(a, b)
			if in < 0 {
				continue
			}
			by := math.Abs(took[i] - took[j])
			for k := range alone[in].aspects {
				x := &alone[in].aspects[k]
				at := slices.IndexFunc(differs, func(d Differs) bool { return d.Condition == x.name })
				if at < 0 || !x.differ(a, b) || !x.as(differs[at].Values, here[at], a, b) {
					continue
				}
				s := out[x.name]
				if s == nil {
					s = &Shown{LowS: by, HighS: by}
					out[x.name] = s
				}
				s.Pairs++
				s.LowS, s.HighS = min(s.LowS, by), max(s.HighS, by)
			}
		}
	}
	return out
}

// as tells whether two runs differ as those on the bench do, whose values and how far those lie apart are given.
func (x *aspect) as(values []Value, here float64, a, b *Known) bool {
	if x.value != nil {
		v, w := x.value(a), x.value(b)
		return v.Noted() && w.Noted() && slices.Contains(values, v) && slices.Contains(values, w)
	}
	v, w := x.warmth(a), x.warmth(b)
	if v == nil || w == nil {
		return false
	}
	there := math.Abs(*v - *w)
	return there >= here/asFar && there <= here*asFar
}
