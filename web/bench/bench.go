package bench

import (
	"context"
	"encoding/csv"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/chart"
	"zincroad/web/ui"
)

// benchView is the runs laid side by side.
type benchView struct {
	Query      template.URL // of the address
	Broken     []int64      // runs that could not be laid down: their figures cannot be made
	IDs        []int64
	Entries    []benchEntry
	Ref        int
	Heading    string
	Differ     string
	Conditions []bench.Condition
	Posts      []bench.Row
	Windows    []bench.Row
	Chart      chart.View
	Counted    string // from when times count, which side is read, which window is compared
	Clocks     []chart.Choice
	Sides      []chart.Choice
	Others     []logbook.Choice // runs that could be added
	CSVHref    string
	XLSXHref   string
	JSONHref   string
	SVGHref    string
	Compared   *compared // nil: one run alone
	Proposals  []proposed
	Hatches    string           // of the causes, once for all of the proposals' pictures
	Kept       *logbook.Bench   // the kept bench that is open; nil: none
	View       string           // how it is looked at, for keeping
	Newer      []logbook.Choice // runs that came since it was kept
	Benches    []logbook.Bench  // all kept ones, on the empty bench
	Cuts       []chart.Choice   // the windows that can be compared; empty: there is one
	Lines      []chart.Choice   // each run, or groups; empty: too few
	By         []chart.Choice   // what they can be grouped by
	Unnamed    int              // of how many runs the line is one of the crowd
	Beside     []string         // which single run lies inside or outside of which band

	extra url.Values // what every link of the page keeps
}

type benchEntry struct {
	Row       *logbook.Run
	described *run.Run
	reading   *curve.Reading
	Name      string // short, for the ends of lines
	Full      string
	Left      string // the runs without this one
	RefTo     string // address with this run as the reference
	RaceTo    string // address with this run racing the reference
	IsRef     bool
	Style     int
	Window    string
	Among     string // how it lies to those like it; empty: nothing to say
	Without   string // the bench without it, where it lies outside; empty: it does not
}

// benchRuns gives the runs that the address names, else those that were picked.
func benchRuns(r *http.Request) []int64 {
	ids := ui.ParseIDs(r.URL.Query().Get("runs"), ",")
	if len(ids) == 0 {
		ids = ui.Picked(r)
	}
	return ids[:min(len(ids), bench.MaxRuns)]
}

func (s *Room) bench(w http.ResponseWriter, r *http.Request) error {
	v, err := s.benchView(r)
	if err != nil {
		return err
	}
	if v.Kept != nil && len(v.Kept.Runs) > 0 && r.URL.Query().Get("runs") == "" {
		http.Redirect(w, r, openKept(v.Kept), http.StatusSeeOther)
		return nil
	}
	frame := ui.Frame{Title: "Bench", Data: v}
	if len(v.IDs) > 1 && !slices.Equal(v.IDs, ui.Picked(r)) { // what was opened is the bench until another one is
		ui.SetPicked(w, v.IDs)
		frame.Bench = v.IDs
	}
	s.Render(w, r, "bench", http.StatusOK, frame)
	return nil
}

// benchView lays the runs that the address names side by side. One that is gone is left out, one
// whose figures cannot be made is named.
func (s *Room) benchView(r *http.Request) (*benchView, error) {
	v := &benchView{Query: queryOf(r), IDs: benchRuns(r), View: chosen(r.URL.Query()).Encode()}
	err := s.keptAs(r, v)
	if err != nil {
		return nil, err
	}
	q := chart.ReadQuery(r.URL.Query())
	q.In = ui.MeasuresOf(r)
	var subjects []chart.Subject
	var entries []bench.Entry
	var kept []int64
	all, err := s.read(r.Context(), v.IDs)
	if err != nil {
		return nil, err
	}
	v.Others = all.others
	for _, one := range all.runs {
		if one.results == nil {
			v.Broken = append(v.Broken, one.row.ID)
			continue
		}
		kept = append(kept, one.row.ID)
		x := one.results.Reading(q.Clock, q.Side)
		entries = append(entries, bench.Entry{ID: one.row.ID, Run: one.described, Reading: x})
		subjects = append(subjects, chart.Subject{Results: one.results, Reading: x})
		v.Entries = append(
			v.Entries,
			benchEntry{Row: one.row, described: one.described, reading: x, Full: fullName(one.row), Style: len(v.Entries)},
		)
	}
	v.IDs = kept
	if len(kept) == 0 {
		if err = s.propose(r, v, all.known); err != nil {
			return nil, err
		}
		v.Benches, err = s.book.Benches(r.Context())
		return v, err
	}
	for i, name := range bench.Names(entries, kept, q.In) {
		v.Entries[i].Name, subjects[i].Name = name, name
	}
	q.SincePct = commonStart(entries)
	v.Ref = v.refOf(r.URL.Query())
	v.Unnamed = v.crowd(entries, subjects)
	v.compare(r, q, entries, subjects)
	if len(entries) > 1 {
		against, err := strconv.ParseInt(r.URL.Query().Get("against"), 10, 64)
		other := -1
		if err == nil {
			other = slices.Index(kept, against)
		}
		v.Compared = s.concluded(r, v, entries, subjects, all.known, other)
	}
	v.Counted = v.counted(q)
	if v.Compared != nil {
		v.among()
		v.windows(q)
		v.Compared.weigh(v, q.In)
		v.group(q, r.URL.Query(), v.extra, subjects)
	}
	return v, nil
}

// refOf is the place of the run that the others are compared with.
func (v *benchView) refOf(address url.Values) int {
	ref, err := strconv.ParseInt(address.Get("ref"), 10, 64)
	if err != nil {
		return 0
	}
	return max(0, slices.Index(v.IDs, ref))
}

// mostNamed is how many lines colours and dashes tell apart.
const mostNamed = 8

// crowd puts all but a few of many runs behind: the reference, the fastest and the slowest of the window that
// is compared are named. It counts those behind.
func (v *benchView) crowd(entries []bench.Entry, subjects []chart.Subject) int {
	if len(subjects) <= mostNamed {
		return 0
	}
	fastest, slowest := bench.Ends(entries)
	named := 0
	for i := range subjects {
		if i == v.Ref || i == fastest || i == slowest {
			v.Entries[i].Style = named
			named++
			continue
		}
		subjects[i].Behind, v.Entries[i].Style = true, -1
	}
	return len(subjects) - named
}

// compare works out what stands on the bench.
func (v *benchView) compare(r *http.Request, q chart.Query, entries []bench.Entry, subjects []chart.Subject) {
	at := func(key string, id int64) url.Values {
		to := url.Values{"runs": {ui.JoinIDs(v.IDs, ",")}}
		if v.Kept != nil {
			to.Set("kept", fmt.Sprint(v.Kept.ID))
		}
		if v.Ref > 0 {
			to.Set("ref", fmt.Sprint(v.IDs[v.Ref]))
		}
		for _, k := range []string{"lines", "by", "window", "lead"} {
			if asked := r.URL.Query().Get(k); asked != "" {
				to.Set(k, asked)
			}
		}
		if key != "" {
			to.Set(key, fmt.Sprint(id))
		}
		return to
	}
	extra := at("", 0)
	v.extra = extra
	names := make([]say.Text, len(v.Entries))
	for i := range v.Entries {
		e := &v.Entries[i]
		names[i] = bench.InSentence(e.Name)
		e.IsRef = i == v.Ref
		left := slices.Delete(slices.Clone(v.IDs), i, i+1)
		e.Left = ui.JoinIDs(left, ",")
		e.RefTo = "/bench" + q.With("", "", at("ref", v.IDs[i]))
		e.RaceTo = "/bench" + q.With("", "", at("against", v.IDs[i])) + "#race"
	}
	v.Conditions = bench.Conditions(entries)
	v.Posts, v.Windows = bench.Posts(entries, v.Ref), bench.Windows(entries, v.Ref)
	v.Heading = fmt.Sprintf("%d runs on the bench.", len(entries))
	if len(entries) == 1 {
		v.Heading = "One run on the bench; add another to compare."
	} else {
		v.Differ = bench.Differences(v.Conditions).In(q.In)
		if s := bench.Headline(entries, names); s.Any() {
			v.Heading = s.In(q.In)
		}
	}
	v.Chart = chart.Of(subjects, q, extra, fmt.Sprintf("%d runs", len(subjects)))
	first := subjects[0].Reading
	v.Clocks = []chart.Choice{
		chart.A("plug-in", q.With("clock", "plug", extra), first.Clock == "plug"),
		chart.A("first power", q.With("clock", "power", extra), first.Clock == "power"),
	}
	v.Sides = []chart.Choice{
		chart.A("stall, else car", q.With("side", "", extra), q.Side == ""),
		chart.A("car", q.With("side", string(trace.CarSide), extra), q.Side == trace.CarSide),
		chart.A("stall", q.With("side", string(trace.StallSide), extra), q.Side == trace.StallSide),
	}
	v.CSVHref = "/bench.csv" + q.With("", "", extra)
	v.XLSXHref = "/bench.xlsx" + q.With("", "", extra)
	v.JSONHref = "/bench.json" + q.With("", "", extra)
	v.SVGHref = "/bench/curve.svg" + q.With("", "", extra)
}

// pickable is how many runs the bench offers to add; the list has them all.
const pickable = 200

// benchOthers lists runs to add, newest first.
func (s *Room) benchOthers(ctx context.Context, have []int64) ([]logbook.Choice, error) {
	list, err := s.book.Choices(ctx, pickable)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(list, func(x logbook.Choice) bool { return slices.Contains(have, x.ID) }), nil
}

// lay puts the named runs on the bench, with one more where it is asked for.
func (s *Room) lay(w http.ResponseWriter, r *http.Request) error {
	ids := ui.ParseIDs(r.FormValue("runs")+","+r.FormValue("add"), ",")
	if len(ids) > bench.MaxRuns {
		return ui.BadRequest("the bench holds %d runs; take one off first", bench.MaxRuns)
	}
	ui.SetPicked(w, ids)
	to := "/bench"
	if len(ids) > 0 {
		q := looked(r)
		q.Set("runs", ui.JoinIDs(ids, ","))
		if kept := ui.ParseIDs(r.FormValue("kept"), ","); len(kept) == 1 {
			q.Set("kept", ui.JoinIDs(kept, ","))
		}
		to += "?" + q.Encode()
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

// benchCSV gives the table of the bench as a file.
func (s *Room) benchCSV(w http.ResponseWriter, r *http.Request) error {
	v, err := s.benchView(r)
	if err != nil {
		return err
	}
	ui.Attach(w, "text/csv; charset=utf-8", "bench.csv")
	out := csv.NewWriter(w)
	head := []string{"row"}
	for _, e := range v.Entries {
		head = append(head, fmt.Sprintf("run %d t_s", e.Row.ID), fmt.Sprintf("run %d difference_s", e.Row.ID),
			fmt.Sprintf("run %d average_kw", e.Row.ID))
	}
	_ = out.Write(head)
	cell := func(v *float64, d int) string {
		if v == nil {
			return ""
		}
		return strconv.FormatFloat(*v, 'f', d, 64)
	}
	write := func(name string, row bench.Row) {
		line := []string{name}
		for _, c := range row.Cells {
			if c == nil {
				line = append(line, "", "", "")
				continue
			}
			line = append(line, cell(&c.TS, 1), cell(c.DeltaS, 1), cell(c.AverageKW, 2))
		}
		_ = out.Write(line)
	}
	for _, row := range v.Posts {
		write("post "+words.Figure(row.FromPct, 1), row)
	}
	for _, row := range v.Windows {
		write("window "+words.Figure(row.FromPct, 1)+"-"+words.Figure(row.ToPct, 1), row)
	}
	for _, c := range v.Conditions {
		line := []string{words.Cell(c.Name.Kept())}
		for _, value := range c.Values {
			line = append(line, words.Cell(value.Kept()), "", "")
		}
		_ = out.Write(line)
	}
	out.Flush()
	if err := out.Error(); err != nil {
		s.Log.Warn("sending the bench's table", "error", err)
	}
	return nil
}

func (s *Room) benchSVG(w http.ResponseWriter, r *http.Request) error {
	v, err := s.benchView(r)
	if err != nil {
		return err
	}
	if len(v.Entries) == 0 {
		return ui.BadRequest("there is no run on the bench")
	}
	s.SendSVG(w, r, "bench-curve.svg", v.Chart.SVG, v.Heading)
	return nil
}
