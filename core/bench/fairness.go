package bench

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zincroad/core/ceiling"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
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
	Values    []string `json:"values"`    // of each run, in their order
	LowS      *float64 `json:"low_s"`
	HighS     *float64 `json:"high_s"`
	Matters   Matters  `json:"matters"`
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
	Verdict    Verdict   `json:"verdict"`
	Isolates   string    `json:"isolates"` // the one condition that matters; empty: none, or more than one
	Differs    []Differs `json:"differs"`
	NotNoted   []string  `json:"not_noted"`
	ToMakeFair []string  `json:"to_make_fair"`
}

// condition is one thing that can make runs incomparable.
type condition struct {
	name  string
	value func(e Entry) string // empty: not noted
	// same tells whether two noted values are the same; nil: equal words
	same   func(a, b string) bool
	needed bool // a comparison is weaker where it is not noted
	minor  bool // it acts through another one, and nobody misses it
}

func figure(v *float64) string {
	if v == nil {
		return ""
	}
	return words.Figure(*v, 1)
}

// within compares two written figures.
func within(by float64) func(a, b string) bool {
	return func(a, b string) bool {
		var x, y float64
		if _, err := fmt.Sscan(a, &x); err != nil {
			return a == b
		}
		if _, err := fmt.Sscan(b, &y); err != nil {
			return a == b
		}
		return math.Abs(x-y) <= by
	}
}

// rounded is how close two thermometers, two displays and two labels are the same.
var conditionsOfRuns = []condition{
	{name: "car", value: func(e Entry) string { return carOf(e).Name }, needed: true},
	{name: "software", value: func(e Entry) string { return carOf(e).Software }},
	{name: "stall", value: func(e Entry) string { return stallName(e.Run.Stall) }},
	{name: "stall_kw", value: func(e Entry) string {
		if e.Run.Stall == nil {
			return ""
		}
		return figure(e.Run.Stall.RatedKW)
	}},
	{name: "adapter", value: func(e Entry) string {
		if e.Run.Adapter == nil || e.Run.Adapter.Name == "" {
			return "none"
		}
		return e.Run.Adapter.Name
	}},
	{name: "ambient_c", value: func(e Entry) string { return figure(Outside(e)) }, same: within(sameTempC), needed: true},
	{name: "battery_c", value: func(e Entry) string { return figure(BatteryAtStart(e)) }, same: within(2), needed: true},
	{name: "preconditioned", value: func(e Entry) string { return conditionsOf(e).Preconditioned }},
	{name: "preconditioned_min", value: func(e Entry) string { return figure(conditionsOf(e).PreconditionedMin) },
		same: within(2), minor: true},
	{name: "profile", value: func(e Entry) string { return conditionsOf(e).Profile }},
	{name: "climate", value: func(e Entry) string { return conditionsOf(e).Climate }},
	{name: "weather", value: func(e Entry) string { return conditionsOf(e).Weather }, minor: true},
	{name: "start_pct", value: func(e Entry) string {
		if e.Reading.SoC == nil {
			return ""
		}
		return words.Figure(e.Reading.SoC.FromPct, 1)
	}, same: within(1)},
	{name: "recording", value: func(e Entry) string {
		kind := "logged"
		if e.Reading.IntervalS >= trace.TypedFromS {
			kind = "typed"
		}
		return kind + ", " + string(e.Reading.Side)
	}},
}

// fairness judges a comparison over a window that took the reference so long.
func fairness(entries []Entry, what *whatIf, refS float64) Fairness {
	f := Fairness{Differs: []Differs{}, NotNoted: []string{}, ToMakeFair: []string{}}
	sameCar := true
	for _, c := range conditionsOfRuns {
		values := make([]string, len(entries))
		noted, differ := 0, false
		for i, e := range entries {
			values[i] = c.value(e)
			if values[i] != "" {
				noted++
			}
		}
		for i := range values {
			for k := range i {
				if values[i] == "" || values[k] == "" {
					continue
				}
				equal := values[i] == values[k]
				if c.same != nil {
					equal = c.same(values[i], values[k])
				}
				differ = differ || !equal
			}
		}
		if noted < len(entries) && (noted > 0 && !c.minor || c.needed) {
			f.NotNoted = append(f.NotNoted, c.name)
		}
		if !differ {
			continue
		}
		if c.name == "car" {
			sameCar = false
		}
		d := Differs{Condition: c.name, Values: values}
		d.LowS, d.HighS = what.effect(c.name, values)
		d.Matters = matter(c.name, d, entries, refS)
		f.Differs = append(f.Differs, d)
	}
	f.settle(entries, sameCar)
	return f
}

// matter says whether a difference of a condition is worth a word: by how much it could come to
// against the smallest difference that matters, or by its kind where nothing says how much.
func matter(name string, d Differs, entries []Entry, refS float64) Matters {
	smallest := max(smallestS, smallestShare*refS)
	switch name {
	case "car", "software", "profile":
		return Does
	case "weather", "preconditioned_min": // they act through the pack's temperature
		return DoesNot
	case "start_pct":
		if within(5)(lowest(d.Values), highest(d.Values)) {
			return DoesNot
		}
		return Maybe
	case "recording":
		if strings.Contains(strings.Join(d.Values, " "), "typed") {
			return Maybe
		}
		return DoesNot
	}
	if d.HighS == nil {
		switch name {
		case "stall", "adapter", "climate":
			return Maybe
		}
		return Does
	}
	switch {
	case *d.HighS < smallest/2:
		return DoesNot
	case *d.LowS >= smallest/2:
		return Does
	}
	return Maybe
}

func lowest(v []string) string  { return extreme(v, func(a, b float64) bool { return a < b }) }
func highest(v []string) string { return extreme(v, func(a, b float64) bool { return a > b }) }

func extreme(values []string, before func(a, b float64) bool) string {
	best, at := "", 0.0
	for _, s := range values {
		var v float64
		if _, err := fmt.Sscan(s, &v); err == nil && (best == "" || before(v, at)) {
			best, at = s, v
		}
	}
	return best
}

// settle draws the verdict from what differs.
func (f *Fairness) settle(entries []Entry, sameCar bool) {
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
		if s == nil || first == nil || figure(s.RatedKW) != figure(first.RatedKW) || figure(s.MaxA) != figure(first.MaxA) {
			return false
		}
	}
	return true
}

// remedies say how the comparison could be made fair.
func (f *Fairness) remedies(matter []string, sameCar bool) {
	say := func(format string, args ...any) { f.ToMakeFair = append(f.ToMakeFair, fmt.Sprintf(format, args...)) }
	if !sameCar {
		say("compare by C-rate or by distance a minute, not by minutes: the cars differ")
	}
	if len(matter) > 1 {
		for _, c := range matter[1:] {
			say("make one more run that differs in %s alone, not in %s", human(matter[0]), human(c))
		}
	}
	for _, d := range f.Differs {
		if d.Condition == "start_pct" {
			say("compare over the window that both cover, or by points added: the starts differ")
		}
	}
	for _, c := range f.NotNoted {
		say("note %s", human(c))
	}
}

// UnitOf is the unit of a condition's values with a space before it; empty for words.
func UnitOf(c string) string {
	switch c {
	case "ambient_c", "battery_c":
		return " °C"
	case "start_pct":
		return " %"
	case "stall_kw":
		return " kW"
	case "preconditioned_min":
		return " min"
	}
	return ""
}

// Human is a condition in words, in the middle of a sentence.
func Human(c string) string { return human(c) }

func human(c string) string {
	switch c {
	case "ambient_c":
		return "the temperature outside"
	case "battery_c":
		return "the battery's temperature at plug-in"
	case "start_pct":
		return "the charge at the start"
	case "stall_kw":
		return "the stall's power"
	case "preconditioned":
		return "preconditioning"
	case "preconditioned_min":
		return "how long it was preconditioned"
	case "recording":
		return "how it was recorded"
	}
	return "the " + c
}

// whatIf works out what conditions could come to in one window, each forecast once.
type whatIf struct {
	entries  []Entry
	from, to float64
	bases    []int // the reference, and the run furthest from it
	cars     map[*run.Car]*run.Car
	done     map[forecast.Plan]float64
}

// newWhatIf takes the reference and the run whose time lies furthest from its.
func newWhatIf(entries []Entry, ref int, times []*float64, from, to float64) *whatIf {
	w := &whatIf{entries: entries, from: from, to: to, bases: []int{ref}, cars: map[*run.Car]*run.Car{},
		done: map[forecast.Plan]float64{}}
	far, by := -1, -1.0
	for i, t := range times {
		if i == ref || t == nil || times[ref] == nil {
			continue
		}
		if d := math.Abs(*t - *times[ref]); d > by {
			far, by = i, d
		}
	}
	if far >= 0 {
		w.bases = append(w.bases, far)
	}
	return w
}

// took is the window's time of a run with one condition changed; NaN where it cannot be worked out.
func (w *whatIf) took(e Entry, change func(*forecast.Plan)) float64 {
	p, ok := planOf(e, w.from, w.to)
	if !ok {
		return math.NaN()
	}
	p.Car = w.car(e.Run.Car)
	change(&p)
	if t, ok := w.done[p]; ok {
		return t
	}
	t := math.NaN()
	if f, err := forecast.Once(p); err == nil {
		if x, ok := f.Window(w.from, w.to); ok {
			t = x.TS
		}
	}
	w.done[p] = t
	return t
}

// car is a run's car that takes no less than the runs on the bench show of it: a curve that was noted
// or is only its kind's, and lies below what it took at a post, would make a stall that held it look
// like one that does not matter.
func (w *whatIf) car(c *run.Car) *run.Car {
	if out, ok := w.cars[c]; ok {
		return out
	}
	out := *c
	w.cars[c] = &out
	p, err := pack.For(c)
	if err != nil {
		return &out
	}
	shown := map[float64]float64{}
	for _, e := range w.entries {
		if carOf(e).Name != c.Name {
			continue
		}
		share := 1.0
		if e.Reading.Side == trace.StallSide {
			share = ceiling.PackShare
		}
		for _, post := range e.Reading.Posts {
			if post.PowerKW != nil {
				shown[post.SoCPct] = max(shown[post.SoCPct], *post.PowerKW*share)
			}
		}
	}
	taper, above, most := p.Taper(c, false), false, 0.0
	points := make([]run.Point, 0, len(shown)+100)
	for soc := 0.0; soc <= 100; soc++ {
		kw := taper.KW(soc)
		if v, ok := shown[soc]; ok && v > kw {
			kw, above = v, true
		}
		points = append(points, run.Point{SoCPct: soc, KW: kw})
		most = max(most, shown[soc])
	}
	if above {
		out.Envelope = raised(points, shown)
	}
	if kw, ok := run.Known(c.MaxKW); ok && most > kw {
		out.MaxKW = run.N(most)
	}
	return &out
}

// raised lifts a curve by each per cent to the straight lines between neighbouring posts at both of
// which a run was as high.
func raised(points []run.Point, shown map[float64]float64) []run.Point {
	last := math.NaN()
	for soc := 0.0; soc <= 100; soc++ {
		if _, ok := shown[soc]; !ok {
			continue
		}
		for between := last + 1; between < soc; between++ {
			share := (between - last) / (soc - last)
			kw := shown[last] + share*(shown[soc]-shown[last])
			points[int(between)].KW = max(points[int(between)].KW, kw)
		}
		last = soc
	}
	return points
}

// effect is how much a condition could matter in the window, in s: by the forecast run both ways,
// between its two values that lie furthest apart (of words, the two bases'), with all else as the
// reference has it and as the run furthest from that has it; nil where it cannot be worked out. The
// range is what the model leaves open: half of the least to half as much again as the most (common
// practice, no source).
func (w *whatIf) effect(name string, values []string) (low, high *float64) {
	if !(w.to > w.from) {
		return nil, nil
	}
	ends := w.bases
	if a, b := lowest(values), highest(values); a != b && name != "preconditioned" {
		ends = []int{slices.Index(values, a), slices.Index(values, b)}
	}
	if len(ends) < 2 || values[ends[0]] == values[ends[1]] {
		for i, v := range values {
			if v != values[ends[0]] && v != "" {
				ends = []int{ends[0], i}
				break
			}
		}
	}
	least, most := math.Inf(1), math.Inf(-1)
	for _, base := range w.bases {
		var took [2]float64
		for k, i := range ends[:min(2, len(ends))] {
			change, ok := changeTo(name, w.entries[i])
			if !ok {
				return nil, nil
			}
			took[k] = w.took(w.entries[base], change)
		}
		by := math.Abs(took[1] - took[0])
		if math.IsNaN(by) {
			return nil, nil
		}
		least, most = math.Min(least, by), math.Max(most, by)
	}
	a, b := 0.5*least, 1.5*most
	return &a, &b
}

// planOf is a run as a forecast would have planned it, over a window; false without a capacity.
func planOf(e Entry, from, to float64) (forecast.Plan, bool) {
	if e.Run.Car == nil {
		return forecast.Plan{}, false
	}
	if _, err := pack.For(e.Run.Car); err != nil {
		return forecast.Plan{}, false
	}
	p := forecast.Plan{Car: e.Run.Car, Stall: e.Run.Stall, Adapter: e.Run.Adapter, FromPct: from, ToPct: to, AmbientC: 15,
		Gentle: conditionsOf(e).Profile == "gentle"}
	if a := Outside(e); a != nil {
		p.AmbientC = *a
	}
	p.Battery = pack.Nodes{ColdestC: pack.DefaultWarmC, WarmestC: pack.DefaultWarmC + 2}
	if b := BatteryAtStart(e); b != nil {
		p.Battery = pack.Nodes{ColdestC: *b, WarmestC: *b + 2}
	}
	return p, true
}

// climateKW is what a cabin draws with its climate control on (common practice, no source).
const climateKW = 3.0

// changeTo is what a run's own value of a condition does to a plan; false where the forecast knows
// nothing of it.
func changeTo(name string, e Entry) (func(*forecast.Plan), bool) {
	switch name {
	case "ambient_c":
		a := Outside(e)
		if a == nil {
			return nil, false
		}
		return func(p *forecast.Plan) {
			p.AmbientC = *a
			if BatteryAtStart(e) == nil { // then the pack is as warm as the day, or what warmed it
				t := *a
				if pre := conditionsOf(e).Preconditioned; pre != "" && pre != "none" {
					t = max(t, pack.DefaultWarmC)
				}
				p.Battery = pack.Nodes{ColdestC: t, WarmestC: t + 2}
			}
		}, true
	case "battery_c":
		b := BatteryAtStart(e)
		if b == nil {
			return nil, false
		}
		return func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: *b, WarmestC: *b + 2} }, true
	case "preconditioned":
		b := BatteryAtStart(e)
		if b == nil {
			return nil, false
		}
		return func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: *b, WarmestC: *b + 2} }, true
	case "stall", "stall_kw":
		if e.Run.Stall == nil {
			return nil, false
		}
		return func(p *forecast.Plan) { p.Stall = e.Run.Stall }, true
	case "adapter":
		return func(p *forecast.Plan) { p.Adapter = e.Run.Adapter }, true
	case "climate":
		kw := 0.0
		if conditionsOf(e).Climate == "on" {
			kw = climateKW
		}
		return func(p *forecast.Plan) { p.ClimateKW = kw }, true
	case "profile":
		return func(p *forecast.Plan) { p.Gentle = conditionsOf(e).Profile == "gentle" }, true
	}
	return nil, false
}

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
