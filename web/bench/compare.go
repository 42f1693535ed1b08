package bench

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"net/http"
	"slices"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/web/chart"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// said is what the bench concludes: a first line, and the rest.
type said struct {
	First bench.Said
	Rest  []bench.Said
}

// reachRow is one line of "minutes to": so much distance or so many points.
type reachRow struct {
	Name   string
	Values []string
}

// differRow is one condition in which the runs differ.
type differRow struct {
	Name, Values say.Text
	Could        string
	Shown        string // what pairs of the logbook came to; empty: it has none
	Matters      bench.Matters
}

// compared is everything that the page shows of a comparison.
type compared struct {
	*bench.Comparison
	Said     said
	Weighed  string         // the difference beside what it could come from; empty: there is none to tell
	Grey     string         // what its grey zone is
	Race     string         // two strips on one clock; empty: there is nobody to race
	Leads    []chart.Choice // what the lead is counted in; empty: charge alone
	RaceData string         // by the minute and by the round posts, for its cursor: JSON
	Against  string         // whose race against the reference
	Minutes  string         // where they go
	Reach    []reachRow
	ReachOf  []reachRow // the same by run, where they are too many for columns beside each other
	Differs  []differRow

	furthest int        // the run furthest from the reference
	against  int        // the run that the reference is raced against; -1: there is nobody to race
	racing   bench.Race // of the two, by what the lead is counted in
	unit     string
	scale    float64 // from kept units into the reader's
}

// concluded compares the runs on the bench, and draws the reference against one other: the one that
// the address names, else the one furthest from it. It compares the window and groups by the condition
// that the address names, else what it finds itself.
func (s *Room) concluded(r *http.Request, v *benchView, entries []bench.Entry, subjects []chart.Subject,
	known []bench.Known, against int) *compared {
	address := r.URL.Query()
	list := make([]bench.Subject, len(entries))
	for i, e := range entries {
		list[i] = bench.KeptSubject(e, subjects[i].Results.Curves[e.Reading.Side], subjects[i].Results.Curves[curve.OfRun])
	}
	ask := bench.Ask{Reference: v.Ref, GroupBy: groupedBy(address), Known: known, Forecasts: s.forecasts}
	ask.FromPct, ask.ToPct, _ = bench.ParseWindow(address.Get("window"))
	for _, e := range v.Entries {
		ask.Names = append(ask.Names, bench.InSentence(e.Name))
	}
	c := bench.Compare(list, ask)
	out := &compared{Comparison: c}
	if len(c.Verdicts) > 0 {
		out.Said = said{c.Verdicts[0], c.Verdicts[1:]}
	}
	racing := against >= 0 && against < len(entries) && against != v.Ref
	if !racing {
		against, racing = c.Furthest()
	}
	out.furthest, _ = c.Furthest()
	out.against = -1
	if racing {
		out.against = against
		out.lead(v, subjects, against, address.Get("lead"), ui.MeasuresOf(r))
		out.race(v, entries, subjects, against)
		out.minutes(against, v.Ref)
	}
	out.reach(v.Entries, ui.MeasuresOf(r))
	out.conditions()
	return out
}

func racer(v *benchView, entries []bench.Entry, subjects []chart.Subject, i int) draw.Racer {
	t, kw := subjects[i].Column(trace.Power)
	return draw.Racer{Name: v.Entries[i].Name, T: t, KW: kw, Posts: entries[i].Reading.Posts,
		Style: max(0, v.Entries[i].Style)}
}

// raceStop is one stop of the race's cursor.
type raceStop struct {
	TS   float64 `json:"t"`
	Text string  `json:"text"`
}

// lead chooses what the race goes by, and offers what there is: charge, energy or distance added.
func (x *compared) lead(v *benchView, subjects []chart.Subject, other int, asked string, in units.People) {
	x.racing, x.unit, x.scale = x.Comparison.Race.With(other), bench.Points, 1
	to := func(key string) string {
		with := maps.Clone(v.extra)
		with.Del("lead")
		if key != "" {
			with.Set("lead", key)
		}
		if other != x.furthest {
			with.Set("against", fmt.Sprint(v.IDs[other]))
		}
		return "/bench?" + with.Encode() + "#race"
	}
	choices := []chart.Choice{}
	for _, by := range []struct {
		key, name, unit string
		what            trace.Channel
	}{{"energy", "energy", "kWh", curve.EnergyAdded}, {"distance", "distance", "km", curve.DistanceAdded}} {
		race, ok := bench.RaceAdded([]bench.Subject{v.having(by.what, v.Ref, subjects), v.having(by.what, other, subjects)},
			0, by.what)
		if !ok {
			continue
		}
		if by.key == asked {
			x.racing, x.unit, x.scale = race.With(1), in.Name(by.unit), in.Show(by.unit, 1)
			for i := range x.racing.Lead {
				x.racing.Lead[i].Points *= x.scale
			}
			if w := x.racing.Widest; w != nil {
				x.racing.Widest = &bench.Lead{TS: w.TS, Run: w.Run, Points: w.Points * x.scale}
			}
		}
		choices = append(choices, chart.A(by.name, to(by.key), by.key == asked))
	}
	if len(choices) > 0 {
		x.Leads = append([]chart.Choice{chart.A("charge", to(""), x.unit == bench.Points)}, choices...)
	}
}

// having is a run with the curve of the side that has a column: its own, else the other one.
func (v *benchView) having(what trace.Channel, i int, subjects []chart.Subject) bench.Subject {
	e, curves := v.Entries[i], subjects[i].Results.Curves
	red := curves[e.reading.Side]
	for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
		if red.Columns[what] == nil {
			red = curves[side]
		}
	}
	return bench.KeptSubject(bench.Entry{Run: e.described, Reading: e.reading}, red, curves[curve.OfRun])
}

// race draws the reference above and the other below, with the stops of its cursor: every minute, and
// every round post of either.
func (x *compared) race(v *benchView, entries []bench.Entry, subjects []chart.Subject, other int) {
	x.Against = v.Entries[other].Name
	r := draw.RaceStrips{Title: fmt.Sprintf("Race of %s above and %s below, power against time", v.Entries[v.Ref].Name,
		x.Against), Above: racer(v, entries, subjects, v.Ref), Below: racer(v, entries, subjects, other),
		FromPct: x.Window.FromPct, ToPct: x.Window.ToPct, Race: x.racing, Unit: x.unit}
	x.Race = r.SVG()
	stops := []raceStop{}
	for _, l := range r.Race.Lead {
		stops = append(
			stops,
			raceStop{l.TS, words.Clock(l.TS) + " · " + ahead(l.Points, x.unit, v.Entries[v.Ref].Name, x.Against)},
		)
	}
	for _, i := range []int{v.Ref, other} {
		for _, p := range entries[i].Reading.Posts {
			if math.Mod(p.SoCPct, 10) == 0 && p.TS >= 0 {
				stops = append(stops, raceStop{p.TS, fmt.Sprintf("%s · %s reaches %s %%", words.Clock(p.TS), v.Entries[i].Name,
					words.Figure(p.SoCPct, 0))})
			}
		}
	}
	if n := len(r.Race.Lead); n > 0 {
		first := v.Ref
		if end := func(i int) float64 { return unplugged(entries[i].Reading) }; end(other) < end(v.Ref) {
			first = other
		}
		at := unplugged(entries[first].Reading)
		stops = append(stops, raceStop{at, fmt.Sprintf("%s · %s unplugs, %s", words.Clock(at), v.Entries[first].Name,
			ahead(r.Race.Lead[n-1].Points, x.unit, v.Entries[v.Ref].Name, x.Against))})
	}
	slices.SortStableFunc(stops, func(a, b raceStop) int { return cmp.Compare(a.TS, b.TS) })
	data, err := json.Marshal(stops)
	if err == nil {
		x.RaceData = string(data)
	}
}

// unplugged is when a run's last leg ended, from its clock's zero; 0 for a run without one.
func unplugged(x *curve.Reading) float64 {
	if n := len(x.Legs); n > 0 {
		return x.Legs[n-1].ToS
	}
	return 0
}

// ahead says who leads by how much; the points, or what else the lead is counted in, are the second one's.
func ahead(points float64, unit, first, second string) string {
	by := words.Figure(math.Abs(points), 1) + " " + unit
	switch {
	case math.Abs(points) < 0.05:
		return "level"
	case points > 0:
		return fmt.Sprintf("%s %s ahead", second, by)
	}
	return fmt.Sprintf("%s %s ahead", first, by)
}

// minutes draws where the minutes go, with what held the slower one in each band.
func (x *compared) minutes(other, ref int) {
	var rows []draw.MinutesRow
	sum, whole := 0.0, true
	for _, b := range x.Bands {
		r := draw.MinutesRow{Label: words.Window(b.FromPct, b.ToPct), A: math.NaN(), B: math.NaN()}
		if t := b.TS[ref]; t != nil {
			r.A = *t
		}
		if t := b.TS[other]; t != nil {
			r.B = *t
		}
		if d := b.DeltaS[other]; d != nil {
			sum += *d
			slow := other
			if *d < 0 {
				slow = ref
			}
			r.Cause = draw.Part{Cause: b.Said[slow], Minutes: *d / 60, Words: bandWords(*d, b.Held(slow).Kept())}
		}
		whole = whole && b.DeltaS[other] != nil
		rows = append(rows, r)
	}
	total := words.SignedClock(sum) + " in all"
	if !whole {
		total = words.SignedClock(sum) + " where both charged"
	}
	if len(rows) > 0 {
		x.Minutes = draw.Minutes("Where the minutes go: each bar begins where the one above ended", total, rows)
	}
}

// sameS is how near two runs' times in a band must be to be the same.
const sameS = 3

// bandWords says how much two runs lie apart in a band, and what held the slower one.
func bandWords(delta float64, held string) string {
	if math.Abs(delta) < sameS {
		if held == "" {
			return "same"
		}
		return "same: " + held
	}
	return words.SignedClock(math.Round(delta)) + "  " + held
}

// reach lists the minutes to distances and to points added, of the runs that have a line of their own.
func (x *compared) reach(entries []benchEntry, in units.People) {
	row := func(name string, times []*float64) {
		r := reachRow{Name: name}
		for i, t := range times {
			if entries[i].Style < 0 {
				continue
			}
			v := "–"
			if t != nil {
				v = words.Clock(math.Round(*t))
			}
			r.Values = append(r.Values, v)
		}
		x.Reach = append(x.Reach, r)
	}
	distances, unit, name := x.Distance, 1.0, " km, "
	if in.Miles {
		distances, unit, name = x.DistanceMi, units.KmPerMile, " mi, "
	}
	for _, d := range distances {
		row("+"+words.Figure(math.Round(d.Km/unit), 0)+name+d.Basis, d.TS)
	}
	for _, p := range x.AddPoints {
		if p.Points == 30 || p.Points == 50 || p.Points == 70 {
			row("+"+words.Figure(p.Points, 0)+" points", p.TS)
		}
	}
	at := 0
	for _, e := range entries {
		if e.Style < 0 {
			continue
		}
		of := reachRow{Name: fmt.Sprint(e.Row.ID)}
		for _, r := range x.Reach {
			of.Values = append(of.Values, r.Values[at])
		}
		x.ReachOf = append(x.ReachOf, of)
		at++
	}
	if len(x.ReachOf) <= mostColumns {
		x.ReachOf = nil
	}
}

// mostColumns is how many runs the narrow column beside the curves has room for side by side.
const mostColumns = 4

// conditions puts what differs into rows, what matters first.
func (x *compared) conditions() {
	for _, d := range x.Fairness.Differs {
		could := ""
		if d.HighS != nil {
			could = clocks(*d.LowS, *d.HighS)
		}
		name, _ := bench.InWords(d.Condition)
		row := differRow{Name: name, Values: bench.Distinct(d.Condition, d.Values, bench.MostValues), Could: could,
			Matters: d.Matters}
		if p := d.Shown; p != nil {
			row.Shown = fmt.Sprintf("in the logbook, %d %s: %s", p.Pairs, words.Plural(p.Pairs, "pair"), clocks(p.LowS, p.HighS))
		}
		x.Differs = append(x.Differs, row)
	}
	slices.SortStableFunc(x.Differs, func(a, b differRow) int { return rank(a.Matters) - rank(b.Matters) })
}

// weigh draws the difference beside what it could come from.
func (x *compared) weigh(v *benchView, in units.People) {
	if x.Difference == nil {
		return
	}
	second, _ := v.groupName(x.Groups[x.Difference.Groups[1]], in)
	if d, ok := draw.WeighedOf(x.Comparison, second, in); ok {
		x.Weighed, x.Grey = d.SVG(), d.Grey
	}
}

// clocks are two durations, from the one to the other; equal ones once.
func clocks(low, high float64) string {
	a, b := words.Clock(math.Round(low)), words.Clock(math.Round(high))
	if a == b {
		return a
	}
	return a + " to " + b
}

func rank(m bench.Matters) int {
	return map[bench.Matters]int{bench.Does: 0, bench.Maybe: 1, bench.DoesNot: 2}[m]
}
