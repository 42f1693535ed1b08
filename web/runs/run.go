package runs

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/chart"
	"zincroad/web/details"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// Routes are the room's own paths, below a run's.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.Do(s.run))
	r.Get("/edit", s.editRun)
	r.Post("/details", s.Do(s.saveDetails))
	r.Post("/marks", s.Do(s.saveMark))
	r.Post("/marks/{mark}/delete", s.Do(s.deleteMark))
	r.Post("/delete", s.Do(s.deleteRun))
	r.Post("/share", s.Do(s.share))
	r.Post("/owner", s.Do(s.give))
	r.Post("/notes", s.Do(s.addNote))
	r.Post("/notes/{note}/delete", s.Do(s.removeNote))
	r.Post("/restore", s.Do(s.restoreRun))
	s.recordingRoutes(r)
	s.historyRoutes(r)
	r.Get("/strip.svg", s.stripSVG)
	r.Get("/curve.svg", s.curveSVG)
	r.Get("/how/{figure}", s.Do(s.how))
	r.Get("/evidence", s.Do(s.evidence))
	r.Get("/costs", s.Do(s.costs))
	r.Get("/photos/{photo}", s.Do(s.photo))
	r.Post("/photos/{photo}/delete", s.deletePhoto)
	r.Post("/photos/{photo}/restore", s.restorePhoto)
}

// runView is everything a run's page shows.
type runView struct {
	Row      *logbook.Run
	Reading  *curve.Reading
	Query    chart.Query
	Heading  curve.Finding
	Rest     []finding
	More     []finding // those behind the first eight
	Pace     string    // the bar of what the window took
	PaceOf   string    // against what
	PaceName string
	Signs    []limit.Sign
	Ladder   []rung // minutes to so much distance, by each consumption
	Facts    []fact
	Approach string // the way to the stall; empty: not logged
	Strip    string
	Stack    string // what else was read, under it; empty: nothing
	Chart    chart.View
	Cursor   template.JS
	Posts    []postColumn
	Clocks   []chart.Choice
	Sides    []chart.Choice
	Counted  string         // from when times count, and which side's readings are read
	Readings []chart.Choice // corrected, as recorded; none where the two are the same
	Legs     []curve.Leg
	Picked   bool
	Windows  []curve.Window
	Headline curve.Window
	Start    *float64 // battery at start, °C
	Outside  *float64
	Edit     *details.Form
	Photos   []logbook.Photo

	Whose    *whose
	Notes    *notes               // nil: there is no crew
	Planned  *logbook.Preparation // the plan that the run was made by; nil: none
	Forecast string               // what was to be expected of it; empty: nothing
	Refused  string               // why a further recording was not taken
}

// NoteOf is what the figures say of recording i, in the run's own order; nil where they say nothing.
func (v *runView) NoteOf(i int) *curve.RecordingNote {
	if v.Reading == nil || i >= len(v.Reading.Recordings) {
		return nil
	}
	return &v.Reading.Recordings[i]
}

// Key says what the letters and hatches of the strip stand for.
func (v *runView) Key() []draw.Keyed {
	if v.Reading == nil {
		return nil
	}
	var held []draw.Stretch
	for _, c := range v.Reading.Ceilings {
		held = append(held, draw.Stretch{FromS: c.FromS, ToS: c.ToS, Cause: c.Cause})
	}
	return draw.KeyOf(held)
}

type fact struct {
	Strong any // a word, or a quantity
	Text   string
}

type finding struct {
	curve.Finding
	Number  int
	Picture string // address of the picture of its evidence; empty: there is none
	Open    bool
}

// mostFindings is how many findings are shown before "more".
const mostFindings = 8

type postColumn struct {
	SoCPct float64
	TS     float64
	StepS  *float64 // minutes since the post before
	KW     *float64
	Ends   bool
}

func (s *Room) run(w http.ResponseWriter, r *http.Request) error {
	v, err := s.runView(r, r.URL.Query())
	if err != nil {
		return err
	}
	var n *ui.Notice
	if id, err := strconv.ParseInt(r.URL.Query().Get("photo"), 10, 64); err == nil && id > 0 {
		n = &ui.Notice{Text: "The photo is removed.", Undo: ui.PhotoPath(v.Row.ID, id, "/restore")}
	}
	if m := recordingNotice(v.Row, r.URL.Query()); m != nil {
		n = m
	}
	s.showRun(w, r, http.StatusOK, v, n)
	return nil
}

// recordingNotice says that a recording came or went, with the way back.
func recordingNotice(row *logbook.Run, q url.Values) *ui.Notice {
	if name := q.Get("away"); name != "" {
		return &ui.Notice{Text: name + " is removed; its file waits on the Desk."}
	}
	if q.Get("master") != "" && len(row.Recordings) > 1 && q.Get("master") == fmt.Sprint(row.Recordings[0].ID) {
		return &ui.Notice{Text: row.Recordings[0].Name + " gives the run its time now.",
			Undo: ui.RecordingPath(row.ID, row.Recordings[1].ID, "/master")}
	}
	for _, rec := range row.Recordings {
		if fmt.Sprint(rec.ID) != q.Get("added") || rec.Position == 0 {
			continue
		}
		text := fmt.Sprintf("%s is added as the %s's.", rec.Name, rec.Side)
		if n := q.Get("left_out"); n != "" {
			text = fmt.Sprintf("%s is added as the %s's; %s of its rows were left out.", rec.Name, rec.Side, n)
		}
		return &ui.Notice{Text: text, Undo: ui.RecordingPath(row.ID, rec.ID, "/away")}
	}
	return nil
}

func (s *Room) showRun(w http.ResponseWriter, r *http.Request, status int, v *runView, n *ui.Notice) {
	if v.Row.Live {
		http.Redirect(w, r, ui.StallRunPath(v.Row.ID), http.StatusSeeOther)
		return
	}
	if v.Row.DeletedAt.Valid {
		n = &ui.Notice{
			Text: "This run is removed; it is in no list.",
			Undo: ui.RunPath(v.Row.ID, "/restore"),
		}
	}
	s.Render(w, r, "run", status, ui.Frame{Title: fmt.Sprintf("Run %d", v.Row.ID), Run: v.Row, Data: v, Notice: n})
}

// loadRun gives the run that the address names with its results.
func (s *Room) loadRun(r *http.Request) (*logbook.Run, *logbook.Results, error) {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return nil, nil, err
	}
	row, err := s.book.Run(r.Context(), id)
	if err != nil {
		return nil, nil, err
	}
	results := s.book.Results
	if chart.ReadQuery(r.URL.Query()).Recorded {
		results = s.book.AsRecorded
	}
	res, err := results(r.Context(), row)
	if err != nil {
		err = &ui.BrokenRun{Row: row, Err: err}
	}
	return row, res, err
}

// runView gathers everything that a run's page shows.
func (s *Room) runView(r *http.Request, query url.Values) (*runView, error) {
	row, res, err := s.loadRun(r)
	if err != nil {
		return nil, err
	}
	q := chart.ReadQuery(query)
	q.In = ui.MeasuresOf(r)
	x := res.Reading(q.Clock, q.Side)
	v := &runView{Row: row, Reading: x, Query: q, Windows: x.Windows, Legs: x.Legs}
	described := row.Describe()
	v.Headline, _ = x.Headline(described.Method)
	entry := bench.Entry{Run: described, Reading: x}
	v.Start, v.Outside = bench.BatteryAtStart(entry), bench.Outside(entry)
	v.Facts = factsOf(row, v, ui.ReaderOf(r))
	v.Heading, v.Rest = headingOf(x, q.In)
	for i := range v.Rest {
		if at := stretchOf(x, v.Rest[i].Finding); at >= 0 {
			v.Rest[i].Picture = fmt.Sprintf(
				"/runs/%d/evidence%s",
				row.ID,
				q.With("", "", url.Values{"stretch": {fmt.Sprint(at)}}),
			)
			v.Rest[i].Open = i == 0
		}
	}
	v.Pace, v.PaceOf = paceBar(x.Pace)
	if x.Pace != nil {
		v.PaceName = words.Window(x.Pace.FromPct, x.Pace.ToPct) + " in " + words.Duration(v.Headline.TS)
	}
	v.Signs, v.Ladder = usedSigns(x), ladderOf(x, q.In)
	sub := chart.Subject{Name: fmt.Sprintf("Run %d", row.ID), Results: res, Reading: x}
	strip := largeStrip(row, x, &sub, v.Rest, q.In)
	if row.Plan != nil {
		known, err := s.book.Elsewhere(r.Context(), row, described.Car)
		if err != nil {
			return nil, err
		}
		v.Forecast = ghostOf(row, described, known.Car, res, x, strip)
	}
	v.Strip, v.Stack = strip.Large(), stackOf(strip, &sub, q.In)
	if x.Approach != nil {
		way := draw.Approach{Approach: x.Approach, WarmC: math.NaN(), Unit: q.In.Name("°C"),
			PeopleC: func(c float64) float64 { return q.In.Show("°C", c) }}
		if described.Car != nil && described.Car.WarmC != nil {
			way.WarmC = *described.Car.WarmC
		}
		v.Approach = way.SVG()
	}
	if len(v.Rest) > mostFindings {
		v.Rest, v.More = v.Rest[:mostFindings], v.Rest[mostFindings:]
	}
	if v.Whose, err = s.whoseIs(r.Context(), row); err != nil {
		return nil, err
	}
	if v.Notes, err = s.notesOn(r, row, x.ZeroS); err != nil {
		return nil, err
	}
	if v.Planned, err = s.plannedBy(r.Context(), row); err != nil {
		return nil, err
	}
	v.Chart, v.Cursor = runChart(&sub, q, row)
	v.Posts = postColumns(x, v.Headline)
	v.Counted = counted(x, q.Recorded)
	v.Clocks = []chart.Choice{
		chart.A("plug-in", q.With("clock", "plug", nil), x.Clock == curve.PlugClock),
		chart.A("first power", q.With("clock", "power", nil), x.Clock == curve.PowerClock),
	}
	for _, other := range res.Of() {
		if other.Clock == x.Clock {
			v.Sides = append(v.Sides,
				chart.A(string(other.Side), q.With("side", string(other.Side), nil), other.Side == x.Side))
		}
	}
	if v.Readings, err = s.readings(r.Context(), row, x, q); err != nil {
		return nil, err
	}
	if v.Photos, err = s.book.Photos(r.Context(), row.ID); err != nil {
		return nil, err
	}
	for _, id := range ui.Picked(r) {
		v.Picked = v.Picked || id == row.ID
	}
	return v, nil
}

// readings are the choices of what the readings are read as, where anything was put right or moved.
func (s *Room) readings(
	ctx context.Context,
	row *logbook.Run,
	x *curve.Reading,
	q chart.Query,
) ([]chart.Choice, error) {
	list, err := s.book.Corrections(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	changed := q.Recorded || slices.ContainsFunc(list, func(c logbook.Correction) bool { return !c.TakenBack })
	for i, n := range x.Recordings {
		changed = changed || i < len(row.Recordings) && n.ClockOffsetS != row.Recordings[i].ClockOffsetS
	}
	if !changed {
		return nil, nil
	}
	return []chart.Choice{
		chart.A("corrected", q.With("as", "", nil), !q.Recorded),
		chart.A("as recorded", q.With("as", "recorded", nil), q.Recorded),
	}, nil
}

// headingOf takes the first finding as the page's heading; the others are numbered.
func headingOf(x *curve.Reading, in units.People) (curve.Finding, []finding) {
	if len(x.Findings) == 0 {
		return curve.Finding{
			Text:       say.T("curve.nothing-yet"),
			Confidence: say.Strong,
		}, nil
	}
	var rest []finding
	for i, f := range x.Findings[1:] {
		if in.Miles && f.TextMi.Any() {
			f.Text = f.TextMi
		}
		rest = append(rest, finding{Finding: f, Number: i + 1})
	}
	return x.Findings[0], rest
}

// factsOf is the line above the heading: car, stall and conditions.
func factsOf(row *logbook.Run, v *runView, reader ui.Reader) []fact {
	var out []fact
	if row.Car != nil {
		f := fact{Strong: row.Car.Name}
		if row.Software != nil {
			f.Text = "software " + row.Software.Version
		}
		out = append(out, f)
	}
	if st := row.Stall; st != nil {
		f := fact{Strong: st.Site.Name + ", stall " + st.Name}
		if kw, ok := run.Known(st.RatedKW); ok {
			f.Text = words.Figure(kw, 0) + " kW"
		}
		if a, ok := run.Known(st.MaxA); ok {
			f.Text = strings.TrimSpace(f.Text + " " + words.Figure(a, 0) + " A")
		}
		out = append(out, f)
	}
	if v.Outside != nil {
		out = append(out, fact{say.Q(*v.Outside, "°C", 0), "outside"})
	}
	if v.Start != nil {
		out = append(out, fact{say.Q(*v.Start, "°C", 0), "battery"})
	}
	if row.Preconditioned != "" {
		out = append(out, fact{"", ui.PreconditionedName(row.Preconditioned)})
	}
	if row.Profile == "gentle" {
		out = append(out, fact{"gentle", "profile"})
	}
	if row.Climate != "" {
		out = append(out, fact{"", "climate " + row.Climate})
	}
	if row.StartedAt != nil {
		out = append(out, fact{"", reader.Date(ui.Minute(ui.Local(*row.StartedAt, row.Timezone)))})
	}
	if n, lostS := run.Lost(row.Describe().Marks, v.Reading.ZeroS); n > 0 {
		out = append(out, fact{words.Duration(math.Round(lostS)),
			fmt.Sprintf("lost before it to %d failed %s", n, words.Plural(n, "attempt"))})
	}
	return out
}

// counted says from when a run's times count, and which side's readings are read.
func counted(x *curve.Reading, recorded bool) string {
	out := fmt.Sprintf("Times from %s; the %s's readings", clockName(x.Clock), x.Side)
	if recorded {
		out += ", as they were recorded"
	}
	return out
}

func clockName(c curve.Clock) string {
	if c == curve.PowerClock {
		return "first power"
	}
	return "plug-in"
}

// plannedBy gives the kept plan of a run, nil where it has none or that is gone.
func (s *Room) plannedBy(ctx context.Context, row *logbook.Run) (*logbook.Preparation, error) {
	if row.PreparationID == nil {
		return nil, nil
	}
	p, err := s.book.Preparation(ctx, *row.PreparationID)
	if errors.Is(err, logbook.ErrNotFound) {
		return nil, nil
	}
	return p, err
}

func postColumns(x *curve.Reading, headline curve.Window) []postColumn {
	var out []postColumn
	for i, p := range x.Posts {
		c := postColumn{SoCPct: p.SoCPct, TS: p.TS, KW: p.PowerKW,
			Ends: p.SoCPct == headline.FromPct || p.SoCPct == headline.ToPct}
		if i > 0 {
			step := p.TS - x.Posts[i-1].TS
			c.StepS = &step
		}
		out = append(out, c)
	}
	return out
}

// rung is one row of the ladder of distance: a value for each consumption that is known.
type rung struct {
	Name   string
	Values []string
}

// ladderOf puts the distances that were added beside each other, by each consumption.
func ladderOf(x *curve.Reading, in units.People) []rung {
	var out []rung
	if len(x.Distance) == 0 {
		return nil
	}
	steps, unit, name := curve.PlusKm, 1.0, " km"
	if in.Miles {
		steps, unit, name = curve.PlusMiles, units.KmPerMile, " mi"
	}
	for _, n := range steps {
		r := rung{Name: "+" + words.Figure(n, 0) + name}
		reached := false
		for _, d := range x.Distance {
			at := "–"
			if t := d.To(n * unit); t != nil {
				at, reached = words.Clock(*t), true
			}
			r.Values = append(r.Values, at)
		}
		if reached {
			out = append(out, r)
		}
	}
	all, pace := rung{Name: "in all"}, rung{Name: "in the window"}
	for _, d := range x.Distance {
		all.Values = append(all.Values, say.Q(d.AddedKm, "km", 0).In(in))
		perMin := "–"
		if d.KmPerMin != nil {
			perMin = say.Q(*d.KmPerMin, "km", 1).In(in) + " a minute"
		}
		pace.Values = append(pace.Values, perMin)
	}
	return append(out, all, pace)
}
