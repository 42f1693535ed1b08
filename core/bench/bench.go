// Package bench lays runs side by side and says what the comparison can carry: posts and windows with their
// differences to a reference run, where on the way a difference arose and what held the power meanwhile, in
// which conditions the runs differ and whether that can matter, and whether the difference is one at all.
//
// # How a comparison is judged
//
// Two runs never differ in one thing alone. So three questions are asked one after the other, and the answer to
// a later one never covers up a bad answer to an earlier one.
//
//  1. What differs? Every condition of conditionsOfRuns is compared as it was noted. What nobody noted is
//     listed by itself: it may have differed, and a comparison is weaker for it, not cleaner.
//
//  2. What could it have come to? Each condition that differs is changed alone, in the reference and in the run
//     furthest from it, and both are forecast (whatIf). Where the logbook holds enough pairs of runs that
//     differ in that condition and in no other (shown), what they came to widens the answer; it never narrows
//     it, for a forecast that nobody has held against runs is a model, and a few pairs are an accident. A
//     condition matters where all of what it could come to is at least half of the smallest difference worth a
//     word (60 s or 3 %, common practice, no source), does not where none of it is, and may in between. Half,
//     because two such conditions may add up. Another car, software or profile always matters: no forecast
//     knows what was changed.
//
//  3. Is the difference one at all? With repeats on both sides by Welch's interval, which lets the sides
//     scatter each in its own way; one run against several by their prediction interval, since it is itself one
//     more draw; one against one by how far like runs of the logbook lie apart (pooled), or not at all. An
//     interval that holds nought and is narrower than what matters says that there is no difference; one that
//     is wider says nothing, and "undecided" is then the answer.
//
// The verdict names a condition only where it is the one that matters (Clean). Causes that the reading of a run
// itself calls unsure are not named as what made a difference.
//
// # Rankings and matrices
//
// Ranking and Matrix go by what is kept of each run (Known and its Gist), not by readings, so that they answer
// over thousands of runs. They take medians, because a logbook's runs are not a sample: one failed start or one
// cold morning would pull a mean by minutes. A car without a run that counts is listed with the reason, not
// left out.
package bench

import (
	"math"
	"slices"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/say"
)

// Least and most runs on a bench.
const (
	MinRuns = 2
	MaxRuns = 60
)

// Entry is one run on the bench.
type Entry struct {
	ID      int64          // in the logbook; 0: it is in none
	Run     *run.Run       // without its recordings
	Reading *curve.Reading // for the bench's clock and side
}

// Row is one post or window across the runs. A cell is nil where the run has none.
type Row struct {
	FromPct, ToPct float64 // equal for a post
	Cells          []*Cell // one for each run, in their order
}

// Cell is a time in seconds with its difference to the reference run's, nil for
// the reference itself and where it has none; AverageKW is nil for posts.
type Cell struct {
	TS        float64  // a post's from the clock's zero, a window's own
	DeltaS    *float64 // later than the reference is positive
	AverageKW *float64 // over the window
}

// Posts lists every post that at least one run reached, in order.
func Posts(entries []Entry, ref int) []Row {
	var at []float64
	for _, e := range entries {
		for _, p := range e.Reading.Posts {
			at = append(at, p.SoCPct)
		}
	}
	slices.Sort(at)
	var rows []Row
	for _, soc := range slices.Compact(at) {
		rows = append(rows, row(soc, soc, entries, ref, func(r *curve.Reading) *Cell {
			t, ok := r.Post(soc)
			if !ok {
				return nil
			}
			return &Cell{TS: t}
		}))
	}
	return rows
}

// Windows lists every window that at least one run covers, in order.
func Windows(entries []Entry, ref int) []Row {
	var at [][2]float64
	for _, e := range entries {
		for _, w := range e.Reading.Windows {
			at = append(at, [2]float64{w.FromPct, w.ToPct})
		}
	}
	slices.SortFunc(at, func(a, b [2]float64) int { return slices.Compare(a[:], b[:]) })
	var rows []Row
	for _, w := range slices.Compact(at) {
		rows = append(rows, row(w[0], w[1], entries, ref, func(r *curve.Reading) *Cell {
			x, ok := r.Window(w[0], w[1])
			if !ok {
				return nil
			}
			return &Cell{TS: x.TS, AverageKW: x.AverageKW}
		}))
	}
	return rows
}

// row makes one row of a table: each run's cell, and by how much it differs from the reference's.
// A run that does not have it has a nil cell and no difference.
func row(from, to float64, entries []Entry, ref int, cell func(*curve.Reading) *Cell) Row {
	out := Row{FromPct: from, ToPct: to}
	for _, e := range entries {
		out.Cells = append(out.Cells, cell(e.Reading))
	}
	if ref < 0 || ref >= len(entries) || out.Cells[ref] == nil {
		return out
	}
	for i, c := range out.Cells {
		if c != nil && i != ref {
			d := c.TS - out.Cells[ref].TS
			c.DeltaS = &d
		}
	}
	return out
}

// Condition is one thing that can make runs incomparable, with each run's value
// in words; "not noted" where a run does not say.
type Condition struct {
	Key    string     // as the open format spells it
	Name   say.Text   // as the page heads its row
	Values []say.Text // one for each run, in their order
	Same   bool       // all runs say the same
	Known  bool       // every run says something
}

const notNoted = "not noted"

// Conditions lists what the runs say about each condition, and whose power and which clock is shown.
func Conditions(entries []Entry) []Condition {
	shown := append(slices.Clone(conditionsOfRuns),
		condition{name: "side", value: func(e Entry) Value { return wordsOf(string(e.Reading.Side)) }},
		condition{name: "clock", value: func(e Entry) Value { return wordsOf(string(e.Reading.Clock)) }})
	out := make([]Condition, 0, len(shown))
	for _, c := range shown {
		if c.sorts {
			continue
		}
		values := c.values(entries)
		differ, noted := c.differs(values)
		row := Condition{Key: c.name, Name: c.head(), Known: noted == len(entries),
			Same: !differ && (noted == len(entries) || noted == 0)}
		for _, v := range values {
			row.Values = append(row.Values, v.in(c.unit))
		}
		out = append(out, row)
	}
	return out
}

func carOf(e Entry) run.Car {
	if e.Run.Car == nil {
		return run.Car{}
	}
	return *e.Run.Car
}

func conditionsOf(e Entry) run.Condition {
	if e.Run.Conditions == nil {
		return run.Condition{}
	}
	return *e.Run.Conditions
}

func stallName(s *run.Stall) string {
	if s == nil {
		return ""
	}
	return strings.TrimSpace(s.Site + " " + s.Name)
}

// Outside gives the outside temperature: as noted, else as logged at plug-in.
func Outside(e Entry) *float64 {
	if c := conditionsOf(e).AmbientC; c != nil {
		return c
	}
	return e.Reading.Ambient
}

// BatteryAtStart gives the pack's temperature at plug-in: as logged, else as noted.
func BatteryAtStart(e Entry) *float64 {
	if b := e.Reading.Battery; b != nil && b.StartC != nil {
		return b.StartC
	}
	return conditionsOf(e).BatteryC
}

// Differences puts the conditions into one sentence: what differs, and what some
// runs do not say.
func Differences(conditions []Condition) say.Text {
	var differ, unknown []say.Text
	for _, c := range conditions {
		switch {
		case !c.Same && c.Known:
			differ = append(differ, say.T("bench.differs-in", c.Name, say.List(distinct(c.Values)...)))
		case !c.Known:
			unknown = append(unknown, c.Name)
		}
	}
	s := say.T("bench.differ-in-nothing")
	if len(differ) > 0 {
		s = say.T("bench.differ-in", say.Listed(differ...))
	}
	if len(unknown) > 0 {
		s = s.And("bench.also-not-noted", say.Listed(unknown...))
	}
	return s
}

func distinct(values []say.Text) []say.Text {
	var out []say.Text
	for _, v := range values {
		if !slices.ContainsFunc(out, v.Is) {
			out = append(out, v)
		}
	}
	return out
}

// Headline compares the runs in one sentence over the widest window that all of
// them cover; empty where there is none.
func Headline(entries []Entry, names []say.Text) say.Text {
	r, fast, slow := ends(entries)
	if fast < 0 {
		return nil
	}
	window := say.Window(r.FromPct, r.ToPct)
	gap := r.Cells[slow].TS - r.Cells[fast].TS
	if math.Round(gap) == 0 {
		return say.T("bench.took-all-of-them", window, say.Duration(r.Cells[fast].TS))
	}
	return say.T("bench.in-for-more-for", window, say.Duration(r.Cells[fast].TS), names[fast], say.Duration(gap),
		names[slow])
}

// Ends are the fastest and the slowest run in the widest window that all cover, 10-80 where they do; -1 where
// there is none.
func Ends(entries []Entry) (fastest, slowest int) {
	_, fastest, slowest = ends(entries)
	return fastest, slowest
}

// ends is Ends with the row that it goes by. 10-80 comes before a window of as many points, since it is what testers
// quote, and a wider one before it, since it holds more of what sets runs apart.
func ends(entries []Entry) (r Row, fast, slow int) {
	rows := Windows(entries, 0)
	best := -1
	for i, r := range rows {
		if slices.Contains(r.Cells, nil) {
			continue
		}
		if best < 0 || r.ToPct-r.FromPct > rows[best].ToPct-rows[best].FromPct ||
			r.FromPct == 10 && r.ToPct == 80 && rows[best].ToPct-rows[best].FromPct <= 70 {
			best = i
		}
	}
	if best < 0 {
		return r, -1, -1
	}
	r = rows[best]
	for i, c := range r.Cells {
		if c.TS < r.Cells[fast].TS {
			fast = i
		}
		if c.TS > r.Cells[slow].TS {
			slow = i
		}
	}
	return r, fast, slow
}
