package bench

import (
	"crypto/sha256"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/pack"
	"zincroad/core/parallel"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
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
	least, most := math.Inf(1), math.Inf(-1)
	if d.HighS != nil {
		least, most = *d.LowS, *d.HighS
	}
	if d.Shown.said() {
		least, most = min(least, d.Shown.LowS), max(most, d.Shown.HighS)
	}
	switch {
	case least > most: // nothing says how much
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

// InWords is a condition in the middle of a sentence, and each of its values with its unit.
func InWords(name string, values ...Value) (condition say.Text, written []say.Text) {
	c := conditionOf(name)
	for _, v := range values {
		written = append(written, v.in(c.unit))
	}
	return human(name), written
}

// human is a condition in the middle of a sentence.
func human(name string) say.Text { return say.T("condition." + name) }

// head is a condition as a table heads its row.
func (c condition) head() say.Text { return say.T("head." + c.name) }

// whatIf works out what conditions could come to in one window, each forecast once.
type whatIf struct {
	entries  []Entry
	from, to float64
	bases    []int // the reference, and the run furthest from it
	kept     Forecasts

	mu   sync.Mutex // over what follows: conditions are gone through side by side
	cars map[*run.Car]*run.Car
	done map[forecast.Plan]func() float64
}

func newWhatIf(entries []Entry, bases []int, window Span, kept Forecasts) *whatIf {
	return &whatIf{entries: entries, from: window.FromPct, to: window.ToPct, bases: bases, kept: kept,
		cars: map[*run.Car]*run.Car{}, done: map[forecast.Plan]func() float64{}}
}

// took is the window's time of a run with one condition changed; NaN where it cannot be worked out.
func (w *whatIf) took(e Entry, change func(*forecast.Plan)) float64 {
	p, ok := planOf(e, w.from, w.to)
	if !ok {
		return math.NaN()
	}
	w.mu.Lock()
	p.Car = w.car(e.Run.Car)
	change(&p)
	once, ok := w.done[p]
	if !ok {
		once = sync.OnceValue(func() float64 { return w.timeOf(p) })
		w.done[p] = once
	}
	w.mu.Unlock()
	return once()
}

// Forecasts keeps how long plans take, from one comparison to the next: the same runs are looked at again and again. It
// is asked side by side.
type Forecasts interface {
	Get(plan string) (tookS float64, known bool)
	Add(plan string, tookS float64) (forgot bool)
}

// timeOf is how long a plan takes for the window, s; NaN where it does not cover it.
func (w *whatIf) timeOf(p forecast.Plan) float64 {
	plan, all := named(p)
	if all && w.kept != nil {
		if tookS, known := w.kept.Get(plan); known {
			return tookS
		}
	}
	tookS := math.NaN()
	// It begins at the window's first post, and ends at its last.
	if f, err := forecast.Quick(p); err == nil && !f.Note.Any() {
		tookS = f.TS
	}
	if all && w.kept != nil {
		w.kept.Add(plan, tookS)
	}
	return tookS
}

// named is a name that a plan shares with its equals alone, whatever its pointers are; false where it has none.
func named(p forecast.Plan) (name string, ok bool) {
	if p.Known != nil { // what a car's runs taught is not written out
		return "", false
	}
	text, err := json.Marshal(p)
	if err != nil {
		return "", false
	}
	sum := sha256.Sum256(text)
	return string(sum[:]), true
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
			share = judge.PackShare
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

// raised lifts a curve by each per cent to the straight lines between neighbouring posts.
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
func (w *whatIf) effect(name string, values []Value) (low, high *float64) {
	if !(w.to > w.from) {
		return nil, nil
	}
	ends := w.bases
	if a, b, _ := extremes(values); a != b && name != "preconditioned" {
		ends = []int{slices.Index(values, a), slices.Index(values, b)}
	}
	if len(ends) < 2 || values[ends[0]] == values[ends[1]] {
		for i, v := range values {
			if v != values[ends[0]] && v.Noted() {
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
