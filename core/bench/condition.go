package bench

import (
	"math"
	"slices"
	"time"

	"zincroad/core/say"
	"zincroad/core/trace"
)

// condition is one thing that can make runs incomparable.
type condition struct {
	name  string // in the open format
	unit  string // of its values; empty: words
	value func(e Entry) Value
	// same tells whether two noted values are the same; nil: equal words
	same   func(a, b Value) bool
	needed bool // a comparison is weaker where it is not noted
	minor  bool // it acts through another one, and nobody misses it
	sorts  bool // runs are sorted by it; it makes none incomparable by itself
}

// alike tells whether two noted values are the same.
func (c condition) alike(a, b Value) bool { return a == b || c.same != nil && c.same(a, b) }

// differs tells whether any two noted values are not the same, and counts those that are noted.
func (c condition) differs(values []Value) (differ bool, noted int) {
	for i, v := range values {
		if !v.Noted() {
			continue
		}
		noted++
		for _, w := range values[:i] {
			differ = differ || w.Noted() && !c.alike(v, w)
		}
	}
	return differ, noted
}

func (c condition) values(entries []Entry) []Value {
	out := make([]Value, len(entries))
	for i, e := range entries {
		out[i] = c.value(e)
	}
	return out
}

// conditionOf gives a condition by its name; one without words where there is none.
func conditionOf(name string) condition {
	for _, c := range conditionsOfRuns {
		if c.name == name {
			return c
		}
	}
	return condition{name: name}
}

// within compares two written figures.
func within(by float64) func(a, b Value) bool {
	return func(a, b Value) bool {
		return a == b || a.isNumber() && b.isNumber() && math.Abs(a.number-b.number) <= by
	}
}

// sameOutsideC is how near two readings of the air outside are the same.
const sameOutsideC = 1.0

// conditionsOfRuns are what can make runs incomparable. How near two thermometers, two displays and two
// minutes are the same is common practice, no source.
var conditionsOfRuns = []condition{
	{name: "car", needed: true,
		value: func(e Entry) Value { return wordsOf(carOf(e).Name) }},
	{name: "software",
		value: func(e Entry) Value { return wordsOf(carOf(e).Software) }},
	{name: "stall",
		value: func(e Entry) Value { return wordsOf(stallName(e.Run.Stall)) }},
	{name: "stall_kw", unit: "kW", value: func(e Entry) Value {
		if e.Run.Stall == nil {
			return Value{}
		}
		return tenthsOf(e.Run.Stall.RatedKW)
	}},
	{name: "adapter", value: func(e Entry) Value {
		if e.Run.Adapter == nil || e.Run.Adapter.Name == "" {
			return wordsOf("none")
		}
		return wordsOf(e.Run.Adapter.Name)
	}},
	{name: "ambient_c", unit: "°C",
		same: within(sameOutsideC), needed: true, value: func(e Entry) Value { return tenthsOf(Outside(e)) }},
	{name: "battery_c", unit: "°C",
		same: within(2), needed: true, value: func(e Entry) Value { return tenthsOf(BatteryAtStart(e)) }},
	{name: "preconditioned",
		value: func(e Entry) Value { return wordsOf(conditionsOf(e).Preconditioned) }},
	{name: "preconditioned_min", unit: "min",
		same: within(2), minor: true, value: func(e Entry) Value { return tenthsOf(conditionsOf(e).PreconditionedMin) }},
	{name: "profile",
		value: func(e Entry) Value { return wordsOf(conditionsOf(e).Profile) }},
	{name: "climate",
		value: func(e Entry) Value { return wordsOf(conditionsOf(e).Climate) }},
	{name: "weather", minor: true,
		value: func(e Entry) Value { return wordsOf(conditionsOf(e).Weather) }},
	{name: "start_pct", unit: "%", same: within(1),
		value: func(e Entry) Value {
			if e.Reading.SoC == nil {
				return Value{}
			}
			return tenthsOf(&e.Reading.SoC.FromPct)
		}},
	{name: "recording", value: func(e Entry) Value {
		kind := "logged"
		if e.Reading.IntervalS >= trace.TypedFromS {
			kind = "typed"
		}
		return wordsOf(kind + ", " + string(e.Reading.Side))
	}},
	{name: "year", sorts: true, value: func(e Entry) Value {
		if e.Run.StartedAt.IsZero() {
			return Value{}
		}
		return wordsOf(e.Run.StartedAt.Format("2006"))
	}},
	{name: "date", sorts: true, value: func(e Entry) Value {
		if e.Run.StartedAt.IsZero() {
			return Value{}
		}
		return wordsOf(e.Run.StartedAt.Format(time.DateOnly))
	}},
	{name: "chemistry", sorts: true,
		value: func(e Entry) Value { return wordsOf(carOf(e).Chemistry) }},
	{name: "season", sorts: true,
		value: func(e Entry) Value { return wordsOf(seasonOf(e.Run.StartedAt)) }},
	{name: "label", sorts: true,
		value: func(e Entry) Value { return wordsOf(conditionsOf(e).Label) }},
}

// Sorts lists the ways to group runs beside the conditions that make them incomparable, as far as they are
// noted of every run and differ.
func Sorts(entries []Entry) (names []string) {
	for _, c := range conditionsOfRuns {
		if differ, noted := c.differs(c.values(entries)); c.sorts && differ && noted == len(entries) {
			names = append(names, c.name)
		}
	}
	return names
}

// InWords is a condition in the middle of a sentence, and each of its values with its unit.
func InWords(name string, values ...Value) (condition say.Text, written []say.Text) {
	c := conditionOf(name)
	for _, v := range values {
		written = append(written, v.in(c.unit))
	}
	return human(name), written
}

// Headed is a condition as a table heads its row.
func Headed(name string) say.Text { return conditionOf(name).head() }

// MostValues is how many values of a condition a row or a label names.
const MostValues = 8

// Distinct are values of a condition, each once and at most so many, with how many more there are.
func Distinct(name string, values []Value, most int) say.Text {
	var seen []say.Text
	_, written := InWords(name, values...)
	for _, v := range written {
		if !slices.ContainsFunc(seen, v.Is) {
			seen = append(seen, v)
		}
	}
	if more := len(seen) - most; more > 0 {
		seen = append(seen[:most], say.T("bench.more", more))
	}
	return say.List(seen...)
}

// human is a condition in the middle of a sentence.
func human(name string) say.Text { return say.T("condition." + name) }

// head is a condition as a table heads its row.
func (c condition) head() say.Text { return say.T("head." + c.name) }

// ConditionNames are the conditions that runs can be grouped by.
func ConditionNames() []string {
	out := make([]string, len(conditionsOfRuns))
	for i, c := range conditionsOfRuns {
		out[i] = c.name
	}
	return out
}

// IsCondition tells whether runs can be grouped by a condition.
func IsCondition(name string) bool { return slices.Contains(ConditionNames(), name) }
