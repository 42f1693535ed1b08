package bench

import (
	"math"
	"strconv"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
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

	inconclusive bool // the window allows no conclusion
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
	Text       say.Text       `json:"text"`
	Confidence say.Confidence `json:"confidence"`
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
