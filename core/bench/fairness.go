package bench

import (
	"slices"
	"strings"

	"zincroad/core/parallel"
	"zincroad/core/say"
)

// Matters says whether a condition that differs can have made a difference worth a word.
type Matters string

// The answers.
const (
	DoesNot Matters = "no"
	Maybe   Matters = "maybe"
	Does    Matters = "yes"
)

// Differs is one condition in which runs differ, and how much it could matter in the window, in s:
// nil where nothing says how much.
type Differs struct {
	Condition string   `json:"condition"` // as run.json spells it
	Values    []Value  `json:"values"`    // of each run, in their order
	LowS      *float64 `json:"low_s"`
	HighS     *float64 `json:"high_s"`
	Matters   Matters  `json:"matters"`

	// what the logbook shows that it came to; nil: there is none, or it has no such pair
	Shown *Shown `json:"logbook,omitempty"`

	Explains Explains `json:"explains,omitempty"` // of the difference that was seen; empty: nothing says
	ByS      *float64 `json:"by_s,omitempty"`     // what it does to the reference, with its sign, s
	MostS    *float64 `json:"most_s,omitempty"`   // of one that is too small, what it could make at most, s
}

// Verdict says what a comparison is.
type Verdict string

// Clean: exactly one condition that matters differs. Confounded: more than one. Unlike: none does
// (repeats), or the cars differ.
const (
	Clean      Verdict = "clean"
	Confounded Verdict = "confounded"
	Unlike     Verdict = "unlike"
)

// Fairness is what a comparison can and cannot say.
type Fairness struct {
	Verdict    Verdict    `json:"verdict"`
	Isolates   string     `json:"isolates"` // the one condition that matters; empty: none, or more than one
	Differs    []Differs  `json:"differs"`
	NotNoted   []string   `json:"not_noted"`
	ToMakeFair []say.Text `json:"to_make_fair"`
}

// fairness judges a comparison over a window that took the reference so long, by the forecast and by what a logbook
// shows.
func fairness(entries []Entry, what *whatIf, known []Known, refS float64) Fairness {
	f := Fairness{Differs: []Differs{}, NotNoted: []string{}, ToMakeFair: []say.Text{}}
	sameCar := true
	for _, c := range conditionsOfRuns {
		if c.sorts {
			continue
		}
		values := c.values(entries)
		differ, noted := c.differs(values)
		if noted < len(entries) && (noted > 0 && !c.minor || c.needed) {
			f.NotNoted = append(f.NotNoted, c.name)
		}
		if !differ {
			continue
		}
		if c.name == "car" {
			sameCar = false
		}
		f.Differs = append(f.Differs, Differs{Condition: c.name, Values: values})
	}
	pairs := shown(known, entries, f.Differs, Span{FromPct: what.from, ToPct: what.to})
	var effects []func()
	for i := range f.Differs {
		d := &f.Differs[i]
		effects = append(effects, func() { d.LowS, d.HighS = what.effect(d.Condition, d.Values) })
	}
	parallel.Do(effects...)
	for i := range f.Differs {
		f.Differs[i].Shown = pairs[f.Differs[i].Condition]
		f.Differs[i].Matters = matter(f.Differs[i].Condition, f.Differs[i], entries, refS)
	}
	f.conclude(entries, sameCar)
	return f
}

// matter says whether a difference of a condition is worth a word: by how much it could come to
// against the smallest difference that matters, or by its kind where nothing says how much. Where the forecast
// and enough pairs of the logbook both speak, it could come to what either says.
func matter(name string, d Differs, entries []Entry, refS float64) Matters {
	smallest := max(smallestS, smallestShare*refS)
	switch name {
	case "car", "software", "profile":
		return Does
	case "weather", "preconditioned_min": // they act through the pack's temperature
		return DoesNot
	case "start_pct":
		if low, high, _ := extremes(d.Values); within(5)(low, high) {
			return DoesNot
		}
		return Maybe
	case "adapter": // one that differs, differs
		if d.HighS == nil || *d.HighS < smallest/2 {
			return Maybe
		}
	case "recording":
		if slices.ContainsFunc(d.Values, func(v Value) bool { return strings.HasPrefix(v.words, "typed") }) {
			return Maybe
		}
		return DoesNot
	}
	least, most, known := d.couldCome()
	switch {
	case !known:
		switch name {
		case "stall", "adapter", "climate":
			return Maybe
		}
		return Does
	case most < smallest/2:
		return DoesNot
	case least >= smallest/2:
		return Does
	}
	return Maybe
}

// conclude draws the verdict from what differs.
func (f *Fairness) conclude(entries []Entry, sameCar bool) {
	at := func(name string) *Differs {
		for i := range f.Differs {
			if f.Differs[i].Condition == name {
				return &f.Differs[i]
			}
		}
		return nil
	}
	batteryNoted := !slices.Contains(f.NotNoted, "battery_c")
	if a := at("ambient_c"); a != nil && batteryNoted && at("battery_c") == nil && a.Matters != DoesNot {
		a.Matters = DoesNot // the packs were as warm
	}
	if p := at("preconditioned"); p != nil && batteryNoted && at("battery_c") == nil {
		p.Matters = DoesNot // whatever was done came to the same temperature
	}
	// The same ratings at another stall are the same stall; another label is what the stall is.
	if s := at("stall"); s != nil {
		if kw := at("stall_kw"); kw != nil {
			s.Matters = DoesNot
		} else if sameRatings(entries) {
			s.Matters = DoesNot
		}
	}
	matter := []string{}
	for _, d := range f.Differs {
		if d.Matters != DoesNot {
			matter = append(matter, d.Condition)
		}
	}
	// A pack that was preconditioned is warmer: that is one difference, not two; nor is the weather
	// outside a third where both packs' temperature is known.
	if slices.Contains(matter, "preconditioned") {
		matter = slices.DeleteFunc(matter, func(c string) bool { return c == "battery_c" })
	}
	if slices.Contains(matter, "preconditioned") || slices.Contains(matter, "battery_c") {
		if batteryNoted {
			matter = slices.DeleteFunc(matter, func(c string) bool { return c == "ambient_c" })
		}
	}
	switch {
	case !sameCar:
		f.Verdict = Unlike
	case len(matter) == 0:
		f.Verdict = Unlike
	case len(matter) == 1:
		f.Verdict, f.Isolates = Clean, matter[0]
	default:
		f.Verdict = Confounded
	}
	f.remedies(matter, sameCar)
}

func sameRatings(entries []Entry) bool {
	first := entries[0].Run.Stall
	for _, e := range entries {
		s := e.Run.Stall
		if s == nil || first == nil || tenthsOf(s.RatedKW) != tenthsOf(first.RatedKW) ||
			tenthsOf(s.MaxA) != tenthsOf(first.MaxA) {
			return false
		}
	}
	return true
}

// remedies say how the comparison could be made fair.
func (f *Fairness) remedies(matter []string, sameCar bool) {
	tell := func(code string, args ...any) { f.ToMakeFair = append(f.ToMakeFair, say.T(code, args...)) }
	if !sameCar {
		tell("bench.compare-by-c-rate")
	}
	if len(matter) > 1 {
		for _, c := range matter[1:] {
			tell("bench.make-one-more-run", human(matter[0]), human(c))
		}
	}
	for _, d := range f.Differs {
		if d.Condition == "start_pct" {
			tell("bench.compare-over-the-window")
		}
	}
	for _, c := range f.NotNoted {
		tell("bench.note", human(c))
	}
}
