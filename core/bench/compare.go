package bench

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"

	"gonum.org/v1/gonum/stat"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/vehicle"
)

// Format is the name and version of the open format of a comparison.
const Format = "zincroad-bench/1"

// Comparison is runs laid side by side, and what is concluded: the open format's own shape.
type Comparison struct {
	Format     string       `json:"format"`
	Reference  int          `json:"reference"` // the run that differences are to, counted from 0
	Window     Span         `json:"window"`    // that all that follows is of, where it is of one
	Runs       []Laid       `json:"runs"`      // in their order
	Fairness   Fairness     `json:"fairness"`
	Race       Race         `json:"race"`            // their clocks laid over each other
	Bands      []Band       `json:"minutes_by_band"` // of ten points each, over the window: they add up to its times
	AddPoints  []AddPoints  `json:"add_points"`
	Distance   []ToDistance `json:"distance"`   // empty: the cars' consumption is not known
	DistanceMi []ToDistance `json:"-"`          // the same for round miles
	Groups     []Group      `json:"groups"`     // in the order of their first runs
	Difference *Difference  `json:"difference"` // nil: there is no second group
	Verdicts   []Said       `json:"verdicts"`   // in the order in which they are read

	names  []say.Text
	times  []*float64 // in the window, s
	copyOf []int      // of each run the first one that is the same log, itself as a rule
}

// Span is the window that is compared. Common: every run covers it.
type Span struct {
	FromPct float64 `json:"from_pct"`
	ToPct   float64 `json:"to_pct"`
	Common  bool    `json:"common"`
}

// Laid is one run's time in the window; nil where it does not cover it.
type Laid struct {
	Title     string   `json:"title"`
	TS        *float64 `json:"t_s"`
	AverageKW *float64 `json:"average_kw"`
	DeltaS    *float64 `json:"delta_s"` // later than the reference is positive; 0 for the reference
}

// Band is ten points of charge: each run's time, the difference to the reference's, and what held it
// there.
type Band struct {
	FromPct float64         `json:"from_pct"`
	ToPct   float64         `json:"to_pct"`
	TS      []*float64      `json:"t_s"`
	DeltaS  []*float64      `json:"delta_s"`
	Causes  [][]limit.Cause `json:"causes"`

	Said []limit.Cause `json:"-"` // what held each run most and can be said; empty: nothing can
}

// Held is what held a run in the band: what can be said, else what it perhaps was; empty: nothing was found.
func (b Band) Held(run int) say.Text {
	switch {
	case b.Said[run] != "":
		return b.Said[run].Text()
	case len(b.Causes[run]) > 0:
		return say.T("judge.perhaps", b.Causes[run][0].Text())
	}
	return nil
}

// AddPoints is how long each run took to add so many points from where it started, from clock zero.
type AddPoints struct {
	Points float64    `json:"points"`
	TS     []*float64 `json:"t_s"`
}

// ToDistance is how long each run took to add so much distance, from clock zero, all by the same kind
// of consumption: observed, or rated.
type ToDistance struct {
	Km    float64    `json:"km"`
	TS    []*float64 `json:"t_s"`
	Basis string     `json:"basis"`
}

// Group is runs that are alike in what they are grouped by.
type Group struct {
	By    map[string]Value `json:"by"`
	Runs  []int            `json:"runs"`
	MeanS *float64         `json:"mean_s"` // nil: none of them covers the window
	SdS   *float64         `json:"sd_s"`   // nil: fewer than two do
}

// Said is one conclusion.
type Said struct {
	Text       say.Text `json:"text"`
	Confidence string   `json:"confidence"`
}

// Ask says what is to be compared. Zero values: the first run is the reference, the window is found,
// the groups are what the comparison isolates.
type Ask struct {
	Reference      int
	FromPct, ToPct float64 // both 0: found
	GroupBy        string  // a condition; empty: found

	Names []say.Text // of the runs, in a sentence; empty: by their titles

	// Known are the runs of the logbook, or of the cars on the bench at least; empty: there is none. They say how
	// far repeats lie apart, and runs that differ in one condition alone.
	Known []Known

	Forecasts Forecasts // nil: every plan is forecast anew
}

// ParseWindow reads a window such as 10-80 or 10–80 %; 0, 0 and false where it is none.
func ParseWindow(s string) (from, to float64, ok bool) {
	a, b, found := strings.Cut(strings.ReplaceAll(s, "–", "-"), "-")
	from, err1 := strconv.ParseFloat(strings.TrimSpace(a), 64)
	to, err2 := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(b), "%")), 64)
	if !found || err1 != nil || err2 != nil || !(from >= 0 && from < to && to <= 100) {
		return 0, 0, false
	}
	return from, to, true
}

// Source is where a run's windows and its state of charge come from: its readings, or what was kept
// of them.
type Source interface {
	// WindowOf is the window between any two states of charge, and where it begins from the reading's
	// zero; false where the run does not cover it.
	WindowOf(x *curve.Reading, from, to float64) (w curve.Window, fromS float64, ok bool)
	SoC() trace.Series // while charging, on the run's own clock
}

// Subject is a run on the bench with what is needed to compare it beyond its reading.
type Subject struct {
	Entry
	Work Source
}

// SubjectOf reads a run for the bench: from plug-in, on its headline side.
func SubjectOf(r *run.Run) Subject { return subjectFrom(r, curve.Of(r)) }

func subjectFrom(r *run.Run, w curve.Work) Subject {
	return Subject{Entry{Run: r, Reading: w.Read(curve.Options{Clock: curve.PlugClock})}, w}
}

// manyRuns is from how many of a car on its cold and heat are learned once for all.
const manyRuns = 5

// SubjectsOf reads runs for the bench, each by what the others of its car and of its stall taught, too: cars and stalls
// are one by their names.
func SubjectsOf(runs []*run.Run) []Subject {
	out := make([]Subject, len(runs))
	taught := make([]curve.Taught, len(runs))
	all := map[string]*vehicle.Model{}
	for i, r := range runs {
		w := curve.Of(r)
		out[i], taught[i] = subjectFrom(r, w), w.Taught()
	}
	for i, r := range runs {
		var ofCar, atStall []curve.Taught
		for k, o := range runs {
			if k == i {
				continue
			}
			if r.Car != nil && o.Car != nil && r.Car.Name != "" && r.Car.Name == o.Car.Name {
				ofCar = append(ofCar, taught[k])
			}
			if r.Stall != nil && o.Stall != nil && r.Stall.Name != "" && r.Stall.Site == o.Stall.Site &&
				r.Stall.Name == o.Stall.Name {
				atStall = append(atStall, taught[k])
			}
		}
		if len(ofCar)+len(atStall) == 0 {
			continue
		}
		few := ofCar
		if len(ofCar) > manyRuns {
			few = nil
		}
		known := curve.Learn(r.Car, taught[i].Car.Profile, few, atStall)
		if few == nil && len(ofCar) > 0 { // one of many changes little of what is known of cold and heat
			name := r.Car.Name + "\n" + taught[i].Car.Profile
			if _, ok := all[name]; !ok {
				all[name] = curve.Learn(r.Car, taught[i].Car.Profile, append(ofCar, taught[i]), nil).Car
			}
			if m := all[name]; m != nil {
				known.Car = m.From(r.Car, r.Car.Software, curve.Lessons(ofCar))
			}
		}
		out[i] = subjectFrom(r, curve.OfKnown(r, known))
	}
	return out
}

// Compare lays runs side by side. It needs at least one; the reference must be one of them.
func Compare(subjects []Subject, ask Ask) *Comparison {
	c := &Comparison{names: ask.Names, Format: Format, Reference: ask.Reference, Runs: []Laid{}, Bands: []Band{},
		AddPoints: []AddPoints{}, Distance: []ToDistance{}, Groups: []Group{}, Verdicts: []Said{}}
	entries := make([]Entry, len(subjects))
	for i, s := range subjects {
		entries[i] = s.Entry
	}
	c.Window = windowOf(subjects, ask)
	c.lay(subjects)
	refS := 0.0
	if t := c.times[ask.Reference]; t != nil {
		refS = *t
	}
	bases := []int{ask.Reference}
	if far, ok := c.Furthest(); ok {
		bases = append(bases, far)
	}
	what := newWhatIf(entries, bases, c.Window, ask.Forecasts)
	c.Fairness = fairness(entries, what, ask.Known, refS)
	if far, ok := c.Furthest(); ok {
		c.Fairness.hold(what, entries, *c.Runs[far].DeltaS)
	}
	c.Race = raceOf(lanesOf(subjects), ask.Reference)
	c.bands(subjects)
	c.addPoints(subjects)
	c.distance(subjects)
	c.group(entries, ask)
	c.say(subjects)
	return c
}

// windowOf is the window that is compared: the one that was asked for, else the one of the standard
// ones that all cover, 10-80 before the widest, else what all cover, cut out to whole per cents.
func windowOf(subjects []Subject, ask Ask) Span {
	covers := func(from, to float64) bool {
		for _, s := range subjects {
			if _, _, ok := s.Work.WindowOf(s.Reading, from, to); !ok {
				return false
			}
		}
		return true
	}
	if ask.ToPct > ask.FromPct {
		return Span{ask.FromPct, ask.ToPct, covers(ask.FromPct, ask.ToPct)}
	}
	best := Span{}
	for _, w := range curve.StandardWindows {
		if covers(w[0], w[1]) && (w == [2]float64{10, 80} || w[1]-w[0] > best.ToPct-best.FromPct &&
			best != (Span{10, 80, true})) {
			best = Span{w[0], w[1], true}
		}
	}
	if best.Common && best.ToPct-best.FromPct >= 40 {
		return best
	}
	from, to := 0.0, 100.0
	for _, s := range subjects {
		if s.Reading.SoC == nil {
			return best
		}
		from, to = max(from, math.Ceil(rampOver(s))), min(to, math.Floor(s.Reading.SoC.ToPct))
	}
	if to-from > best.ToPct-best.FromPct && covers(from, to) {
		return Span{from, to, true}
	}
	return best
}

// rampOver is the charge at which a run's first ramp is over: where it has reached nine tenths of its first three
// minutes' best, else where another ceiling held it; its start where neither was seen.
func rampOver(s Subject) float64 {
	x := s.Reading
	if x.RampS != nil {
		if v, ok := s.Work.SoC().At(x.FirstPower + *x.RampS); ok {
			return v
		}
	}
	if len(x.Ceilings) > 0 && x.Ceilings[0].Cause == limit.Ramp && x.Ceilings[0].ToPct != nil {
		return *x.Ceilings[0].ToPct
	}
	return x.SoC.FromPct
}

// leastWindow is how many points a window must have for anything to be concluded from it.
const leastWindow = 20.0

// concludes tells whether anything can be concluded from the window, and why not where it cannot: it is too short, or
// it holds the ramp of some runs and not of others.
func (c *Comparison) concludes(subjects []Subject) (why say.Text, ok bool) {
	window := say.Window(c.Window.FromPct, c.Window.ToPct)
	if c.Window.ToPct-c.Window.FromPct < leastWindow {
		return say.T("bench.is-too-short-a", window, say.Fig(leastWindow, 0)), false
	}
	var in, out []say.Text
	for i, s := range subjects {
		if c.times[i] == nil || s.Reading.SoC == nil {
			continue
		}
		from := c.Window.FromPct
		if rampOver(s) > from+rampSlackPct && s.Reading.SoC.FromPct >= from-rampSlackPct {
			in = append(in, c.name(i))
		} else {
			out = append(out, c.name(i))
		}
	}
	if len(in) > 0 && len(out) > 0 {
		return say.T("bench.holds-the-ramp-of", window, say.Listed(in[:min(len(in), 3)]...)), false
	}
	return nil, true
}

// rampSlackPct is how little of a ramp in a window does not matter, points.
const rampSlackPct = 0.5

// lay works out each run's time in the window.
func (c *Comparison) lay(subjects []Subject) {
	c.times = make([]*float64, len(subjects))
	for i, s := range subjects {
		first := slices.IndexFunc(subjects[:i], func(o Subject) bool { return sameLog(o.Entry, s.Entry) })
		c.copyOf = append(c.copyOf, pickIndex(first, i))
		l := Laid{Title: s.Run.Title}
		if w, _, ok := s.Work.WindowOf(s.Reading, c.Window.FromPct, c.Window.ToPct); ok && c.Window.ToPct > c.Window.FromPct {
			l.TS, l.AverageKW = &w.TS, w.AverageKW
			c.times[i] = &w.TS
		}
		c.Runs = append(c.Runs, l)
	}
	if ref := c.times[c.Reference]; ref != nil {
		for i, t := range c.times {
			if t != nil {
				d := *t - *ref
				c.Runs[i].DeltaS = &d
			}
		}
	}
}

func pickIndex(found, otherwise int) int {
	if found >= 0 {
		return found
	}
	return otherwise
}

// Furthest is the run whose time in the window lies furthest from the reference's; false where no other
// run has one.
func (c *Comparison) Furthest() (run int, ok bool) {
	for i, r := range c.Runs {
		if i != c.Reference && r.DeltaS != nil && (!ok || math.Abs(*r.DeltaS) > math.Abs(*c.Runs[run].DeltaS)) {
			run, ok = i, true
		}
	}
	return run, ok
}

// lanesOf gives each run's state of charge from its own clock zero, which is what laying clocks over each other means,
// and when it ended: at its last power, where it had any, for a display that is read on says nothing of the race.
func lanesOf(subjects []Subject) []lane {
	out := make([]lane, len(subjects))
	for i, s := range subjects {
		soc := s.Work.SoC()
		l := lane{endS: math.NaN()}
		if n := len(s.Reading.Legs); n > 0 {
			l.endS = s.Reading.Legs[n-1].FlowedToS
		}
		for k, t := range soc.T {
			l.soc.T, l.soc.V = append(l.soc.T, t-s.Reading.ZeroS), append(l.soc.V, soc.V[k])
		}
		if math.IsNaN(l.endS) {
			l.endS = l.soc.Span().To
		}
		out[i] = l
	}
	return out
}

// bandPct is how many points of charge a band has.
const bandPct = 10.0

// bandCause is the share of a band's time that a cause must have to be named there.
const bandCause = 0.15

// bands splits the window by tens: minutes, differences and causes.
func (c *Comparison) bands(subjects []Subject) {
	for from := c.Window.FromPct; from < c.Window.ToPct; {
		to := min(c.Window.ToPct, bandPct*(math.Floor(from/bandPct+1e-9)+1))
		b := Band{FromPct: from, ToPct: to}
		for _, s := range subjects {
			w, at, ok := s.Work.WindowOf(s.Reading, from, to)
			if !ok {
				b.TS, b.DeltaS, b.Causes = append(b.TS, nil), append(b.DeltaS, nil), append(b.Causes, []limit.Cause{})
				b.Said = append(b.Said, "")
				continue
			}
			b.TS, b.DeltaS = append(b.TS, &w.TS), append(b.DeltaS, nil)
			causes := causesIn(s.Reading, at, at+w.TS, false)
			b.Causes = append(b.Causes, causes)
			sure := append(causesIn(s.Reading, at, at+w.TS, true), "")[0]
			if len(causes) > 0 && sure != causes[0] {
				sure = "" // something unsure held it longer
			}
			b.Said = append(b.Said, sure)
		}
		if ref := b.TS[c.Reference]; ref != nil {
			for i, t := range b.TS {
				if t != nil {
					d := *t - *ref
					b.DeltaS[i] = &d
				}
			}
		}
		c.Bands = append(c.Bands, b)
		from = to
	}
}

// causesIn lists what held a run between two times, most first; of what can be said, or of all.
func causesIn(x *curve.Reading, from, to float64, said bool) []limit.Cause {
	took := map[limit.Cause]float64{}
	for _, h := range x.Ceilings {
		if said && h.Confidence == unsure {
			continue
		}
		if long := min(to, h.ToS) - max(from, h.FromS); long > 0 {
			took[h.Cause] += long
		}
	}
	out := []limit.Cause{}
	for _, s := range limit.Signs {
		if took[s.Cause] >= bandCause*(to-from) && took[s.Cause] > 0 {
			out = append(out, s.Cause)
		}
	}
	slices.SortStableFunc(out, func(a, b limit.Cause) int { return cmp.Compare(took[b], took[a]) })
	return out
}

// addPoints lists how long each run took to add 10, 20, 30 … points from its start.
func (c *Comparison) addPoints(subjects []Subject) {
	for points := bandPct; points <= 100; points += bandPct {
		row := AddPoints{Points: points}
		any := false
		for _, s := range subjects {
			var t *float64
			if s.Reading.SoC != nil {
				start := s.Reading.SoC.FromPct
				if at := s.Work.SoC().FirstReachAll([]float64{start + points})[0]; !math.IsNaN(at) {
					v := at - s.Reading.ZeroS
					t, any = &v, true
				}
			}
			row.TS = append(row.TS, t)
		}
		if any {
			c.AddPoints = append(c.AddPoints, row)
		}
	}
}

// distance lists how long each run took to add 100, 200 … km: by the consumption that was observed, where
// it is known of every car, else by the rated one. Minutes by the one beside minutes by the other say nothing.
func (c *Comparison) distance(subjects []Subject) {
	basis := ""
	for _, b := range []string{curve.Observed, curve.Rated} {
		lacks := func(s Subject) bool { return s.Reading.DistanceBy(b) == nil }
		if !slices.ContainsFunc(subjects, lacks) {
			basis = b
			break
		}
	}
	reached := func(steps []float64, unit float64) (rows []ToDistance) {
		for _, n := range steps {
			row := ToDistance{Km: n * unit, Basis: basis}
			any := false
			for _, s := range subjects {
				var t *float64
				if d := s.Reading.DistanceBy(basis); d != nil {
					t = d.To(n * unit)
				}
				any = any || t != nil
				row.TS = append(row.TS, t)
			}
			if any {
				rows = append(rows, row)
			}
		}
		return rows
	}
	c.Distance = append(c.Distance, reached([]float64{100, 200, 300}, 1)...)
	c.DistanceMi = reached([]float64{50, 100, 200}, units.KmPerMile)
}

// group puts runs together by a condition and works out the difference of the first two groups: that
// of the reference, and the largest other one.
func (c *Comparison) group(entries []Entry, ask Ask) {
	by := ask.GroupBy
	if by == "" {
		by = c.Fairness.Isolates
	}
	if by == "" && c.Fairness.Verdict == Confounded {
		for _, d := range c.Fairness.Differs {
			if d.Matters == Does {
				by = d.Condition
				break
			}
		}
	}
	if by == "" && c.Fairness.Verdict == Unlike && slices.ContainsFunc(c.Fairness.Differs, func(d Differs) bool {
		return d.Condition == "car"
	}) {
		by = "car"
	}
	index := slices.IndexFunc(conditionsOfRuns, func(x condition) bool { return x.name == by })
	var groups []Group
	for i, e := range entries {
		by := map[string]Value{}
		if index >= 0 {
			x := conditionsOfRuns[index]
			v := x.value(e)
			if !v.Noted() {
				v = wordsOf(notNoted)
			}
			at := slices.IndexFunc(groups, func(g Group) bool {
				w := g.By[x.name]
				return w == v || w.Noted() && v.Noted() && x.alike(w, v)
			})
			if at >= 0 {
				groups[at].Runs = append(groups[at].Runs, i)
				continue
			}
			by[x.name] = v
		} else if len(groups) > 0 {
			groups[0].Runs = append(groups[0].Runs, i)
			continue
		}
		groups = append(groups, Group{By: by, Runs: []int{i}})
	}
	for i := range groups {
		v := c.timesOf(groups[i].Runs)
		if mean, sd := stat.MeanStdDev(v, nil); len(v) > 0 {
			groups[i].MeanS = &mean
			if len(v) > 1 {
				groups[i].SdS = &sd
			}
		}
	}
	if groups != nil {
		c.Groups = groups
	}
	c.difference(ask)
}

// timesOf are the times of runs in the window: of those that have one, a log that was laid down twice
// once.
func (c *Comparison) timesOf(runs []int) (out []float64) {
	seen := map[int]bool{}
	for _, i := range runs {
		if c.times[i] != nil && !seen[c.copyOf[i]] {
			seen[c.copyOf[i]] = true
			out = append(out, *c.times[i])
		}
	}
	return out
}

// sameLog tells whether two entries are the same run: as long as it is, all its posts lie at the same
// moment to the last digit.
func sameLog(a, b Entry) bool {
	return len(a.Reading.Posts) > 2 && slices.EqualFunc(a.Reading.Posts, b.Reading.Posts, func(p, q curve.Post) bool {
		return p.SoCPct == q.SoCPct && p.TS == q.TS
	}) && a.Run.StartedAt.Equal(b.Run.StartedAt)
}

// difference works out that of the reference's group and the largest other one. One run against one
// goes by the repeats of a logbook, else by those on the bench itself.
func (c *Comparison) difference(ask Ask) {
	first, second := -1, -1
	times := make([][]float64, len(c.Groups))
	for i, g := range c.Groups {
		times[i] = c.timesOf(g.Runs)
		if slices.Contains(g.Runs, c.Reference) {
			first = i
		}
	}
	for i := range times {
		if i != first && len(times[i]) > 0 && (second < 0 || len(times[i]) > len(times[second])) {
			second = i
		}
	}
	if first < 0 {
		return
	}
	a := times[first]
	var b []float64
	switch {
	case second >= 0:
		b = times[second]
	case len(times) == 1 && len(c.Runs) == 2 && len(a) == 2: // two repeats: the one against the other
		a, b = a[:1], a[1:]
		if c.Reference == 1 {
			a, b = b, a
		}
		second = first
	}
	if len(a) == 0 || len(b) == 0 {
		return
	}
	repeats := times
	if len(a) == 1 && len(b) == 1 {
		if known := RepeatsOf(ask.Known, c.Window.FromPct, c.Window.ToPct); len(known) > 0 {
			repeats = known
		}
	}
	d := between(a, b, repeats)
	d.Groups = [2]int{first, second}
	if c.Window.ToPct-c.Window.FromPct < leastWindow { // it is shown, and nothing is concluded from it
		d.LowS, d.HighS, d.Real, d.By = nil, nil, Undecided, ""
	}
	c.Difference = &d
}

// confidences of what is said.
const (
	strong = curve.Strong
	likely = curve.Likely
	unsure = curve.Unsure
)

// say puts the comparison into sentences: the difference first, where it comes from, what it isolates,
// whether it is one.
func (c *Comparison) say(subjects []Subject) {
	add := func(confidence, code string, args ...any) {
		c.Verdicts = append(c.Verdicts, Said{say.T(code, args...), confidence})
	}
	if c.Window.ToPct <= c.Window.FromPct {
		add(strong, "bench.the-runs-share-no")
		return
	}
	other, ok := c.Furthest()
	window := say.Window(c.Window.FromPct, c.Window.ToPct)
	why, concludes := c.concludes(subjects)
	if ok {
		c.sayHeading(add, other)
		if concludes {
			c.sayWhere(add, other)
		}
	}
	if !concludes {
		c.Verdicts = append(c.Verdicts, Said{why, strong})
	}
	c.sayFair(add)
	if concludes {
		c.sayReal(add)
		c.sayDetour(add, subjects)
	}
	if m := c.Race.With(other).Meetings; ok && len(m) > 0 {
		add(likely, "bench.they-meet-at-at", say.Clock(m[0].TS), say.Fig(m[0].SoCPct, 0))
	}
	if !c.Window.Common {
		add(strong, "bench.not-every-run-covers", window)
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
func (c *Comparison) sayWhere(add func(string, string, ...any), other int) {
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
		c.Verdicts = append(c.Verdicts, Said{text.And("stop"), likely})
		return
	}
}

// sayFair says whether the comparison is fair. That it is not can be said for sure whatever else was not noted; that it
// is cannot, for what nobody noted may have differed.
func (c *Comparison) sayFair(add func(string, string, ...any)) {
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
			add(likely, "bench.fair-as-far-as", human(f.Isolates))
		} else {
			add(strong, "bench.fair-only-differs", human(f.Isolates))
		}
	case Confounded:
		c.sayConfounded(add, what)
	default:
		if slices.ContainsFunc(f.Differs, func(d Differs) bool { return d.Condition == "car" }) {
			add(strong, "bench.the-cars-differ-minutes")
		} else if len(f.NotNoted) > 0 {
			add(likely, "bench.repeats-as-far-as")
		} else {
			add(strong, "bench.repeats-nothing-that-was")
		}
	}
	if len(f.NotNoted) > 0 {
		notes := make([]say.Text, len(f.NotNoted))
		for i, n := range f.NotNoted {
			notes[i] = human(n)
		}
		add(strong, "bench.not-noted-for-every", say.Listed(notes...))
	}
}

// sayReal says whether the difference is one. "No difference" is said as surely as "real": both have an interval that
// settles it. Only what no interval settles is unsure.
func (c *Comparison) sayReal(add func(string, string, ...any)) {
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
		add(strong, "bench.the-difference-of-is", say.Signed(d.TS), between)
	case NotReal:
		add(strong, "bench.no-difference-that-matters", say.Signed(d.TS), between)
	default:
		if d.LowS == nil {
			usual := usualApart(meanOf(c.timesOf(c.Groups[d.Groups[0]].Runs)))
			apart := say.Duration(math.Round(usual))
			if math.Abs(d.TS) > usual {
				add(likely, "bench.one-run-against-one-like", apart, say.Signed(d.TS))
			} else {
				add(unsure, "bench.one-run-against-one", apart, say.Signed(d.TS))
			}
		} else {
			add(unsure, "bench.undecided-more-repeats-would", say.Signed(d.TS), between)
		}
	}
}

// sayDetour says what driving to the faster of two stalls would be worth, where the stall alone is
// known to have made the difference: the minutes saved are the minutes that may be driven for it.
func (c *Comparison) sayDetour(add func(string, string, ...any), subjects []Subject) {
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
	confidence := likely
	if d.Real == Undecided {
		confidence = unsure
	}
	if saved < smallestS {
		add(confidence, "bench.the-kw-stall-saved-less", say.Fig(*first, 0), window)
		return
	}
	add(confidence, "bench.the-kw-stall-saved", say.Fig(*first, 0), say.Duration(math.Round(saved)), window)
}
