package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/csvlog"
	"zincroad/formats/runfolder"
	"zincroad/logbook"
	"zincroad/web/draw"
)

func (s *Server) runRoutes(r chi.Router) {
	r.Get("/", s.run)
	r.Get("/edit", s.editRun)
	r.Post("/details", s.saveDetails)
	r.Post("/marks", s.saveMark)
	r.Post("/marks/{mark}/delete", s.deleteMark)
	r.Post("/delete", s.deleteRun)
	r.Post("/restore", s.restoreRun)
	r.Get("/folder.zip", s.runFolder)
	r.Get("/readings.csv", s.readingsCSV)
	r.Get("/recordings/{recording}", s.recordingFile)
	s.recordingRoutes(r)
	r.Get("/strip.svg", s.stripSVG)
	r.Get("/curve.svg", s.curveSVG)
	r.Get("/how/{figure}", s.how)
	r.Get("/photos/{photo}", s.photo)
	r.Post("/photos/{photo}/delete", s.deletePhoto)
	r.Post("/photos/{photo}/restore", s.restorePhoto)
}

// runView is everything a run's page shows.
type runView struct {
	Row      *logbook.Run
	Reading  *curve.Reading
	Query    chartQuery
	Heading  curve.Finding
	Rest     []finding
	Facts    []fact
	Strip    string
	Chart    chartView
	Cursor   template.JS
	Posts    []postColumn
	Clocks   []choice
	Sides    []choice
	Legs     []curve.Leg
	Picked   bool
	Windows  []curve.Window
	Headline curve.Window
	Start    *float64 // battery at start, °C
	Outside  *float64
	Edit     *editView
	Photos   []logbook.Photo

	Planned  *logbook.Preparation // the plan that the run was made by; nil: none
	Forecast string               // what was to be expected of it; empty: nothing
}

type fact struct{ Strong, Text string }

type finding struct {
	curve.Finding
	Number int
}

type postColumn struct {
	SoCPct float64
	TS     float64
	StepS  *float64 // minutes since the post before
	KW     *float64
	Ends   bool
}

func (s *Server) run(w http.ResponseWriter, r *http.Request) {
	v, err := s.runView(r, r.URL.Query())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var n *Notice
	if id, err := strconv.ParseInt(r.URL.Query().Get("photo"), 10, 64); err == nil && id > 0 {
		n = &Notice{Text: "The photo is put aside.", Undo: fmt.Sprintf("/runs/%d/photos/%d/restore", v.Row.ID, id)}
	}
	s.showRun(w, r, http.StatusOK, v, n)
}

func (s *Server) showRun(w http.ResponseWriter, r *http.Request, status int, v *runView, n *Notice) {
	if v.Row.Live {
		http.Redirect(w, r, fmt.Sprintf("/stall/%d", v.Row.ID), http.StatusSeeOther)
		return
	}
	if v.Row.DeletedAt.Valid {
		n = &Notice{Text: "This run is put aside; it is in no list.", Undo: fmt.Sprintf("/runs/%d/restore", v.Row.ID)}
	}
	s.render(w, r, "run", status, Frame{Title: fmt.Sprintf("Run %d", v.Row.ID), Run: v.Row, Data: v, Notice: n})
}

// loadRun gives the run that the address names with its results.
func (s *Server) loadRun(r *http.Request) (*logbook.Run, *logbook.Results, error) {
	id, err := idParam(r, "id")
	if err != nil {
		return nil, nil, err
	}
	row, err := s.book.Run(r.Context(), id)
	if err != nil {
		return nil, nil, err
	}
	res, err := s.book.Results(r.Context(), row)
	if err != nil {
		err = &brokenRun{row, err}
	}
	return row, res, err
}

// brokenRun is a run whose figures cannot be made.
type brokenRun struct {
	row *logbook.Run
	err error
}

func (b *brokenRun) Error() string { return b.err.Error() }

func (b *brokenRun) Unwrap() error { return b.err }

func (s *Server) runView(r *http.Request, query url.Values) (*runView, error) {
	row, res, err := s.loadRun(r)
	if err != nil {
		return nil, err
	}
	q := readChartQuery(query)
	q.In = measuresOf(r)
	x := res.Reading(q.Clock, q.Side)
	v := &runView{Row: row, Reading: x, Query: q, Windows: x.Windows, Legs: x.Legs}
	described := row.Describe()
	v.Headline, _ = x.Headline(described.Method)
	entry := bench.Entry{Run: described, Reading: x}
	v.Start, v.Outside = bench.BatteryAtStart(entry), bench.Outside(entry)
	v.Facts = factsOf(row, v)
	v.Heading, v.Rest = headingOf(x)
	sub := subject{Name: fmt.Sprintf("Run %d", row.ID), Results: res, Reading: x}
	strip := largeStrip(row, x, &sub, v.Rest)
	v.Forecast = ghostOf(row, described, res, x, strip)
	v.Strip = strip.Large()
	if v.Planned, err = s.plannedBy(r.Context(), row); err != nil {
		return nil, err
	}
	v.Chart, v.Cursor = runChart(&sub, q, row)
	v.Posts = postColumns(x, v.Headline)
	v.Clocks = []choice{
		{"plug-in", q.with("clock", "plug", nil), x.Clock == curve.PlugClock},
		{"first power", q.with("clock", "power", nil), x.Clock == curve.PowerClock},
	}
	for _, other := range res.Readings {
		if other.Clock == x.Clock {
			v.Sides = append(v.Sides, choice{string(other.Side), q.with("side", string(other.Side), nil), other.Side == x.Side})
		}
	}
	if v.Photos, err = s.book.Photos(r.Context(), row.ID); err != nil {
		return nil, err
	}
	for _, id := range benchOf(r) {
		v.Picked = v.Picked || id == row.ID
	}
	return v, nil
}

// headingOf takes the first finding as the page's heading; the others are numbered.
func headingOf(x *curve.Reading) (curve.Finding, []finding) {
	if len(x.Findings) == 0 {
		return curve.Finding{Text: "Nothing can be said about this run yet: it has no power and no state of charge.", Confidence: curve.Strong}, nil
	}
	var rest []finding
	for i, f := range x.Findings[1:] {
		rest = append(rest, finding{f, i + 1})
	}
	return x.Findings[0], rest
}

// factsOf is the line above the heading: car, stall and conditions.
func factsOf(row *logbook.Run, v *runView) []fact {
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
		out = append(out, fact{words.Figure(*v.Outside, 0) + " °C", "outside"})
	}
	if v.Start != nil {
		out = append(out, fact{words.Figure(*v.Start, 0) + " °C", "battery"})
	}
	if row.Preconditioned != "" {
		out = append(out, fact{"", preconditionedName(row.Preconditioned)})
	}
	if row.Profile == "gentle" {
		out = append(out, fact{"gentle", "profile"})
	}
	if row.Climate != "" {
		out = append(out, fact{"", "climate " + row.Climate})
	}
	if n, lostS := run.Lost(row.Describe().Marks, v.Reading.ZeroS); n > 0 {
		out = append(out, fact{words.Clock(lostS), fmt.Sprintf("lost before it to %d failed %s", n, plural(n, "attempt"))})
	}
	return out
}

func clockName(c curve.Clock) string {
	if c == curve.PowerClock {
		return "first power"
	}
	return "plug-in"
}

// approachShare is how much of the approach is drawn, of the run's own length.
const approachShare = 0.12

// largeStrip puts the run's own strip together.
func largeStrip(row *logbook.Run, x *curve.Reading, sub *subject, rest []finding) *draw.Strip {
	t, kw := sub.column(trace.Power)
	strip := &draw.Strip{Title: "Power of run " + fmt.Sprint(row.ID) + " against time", Posts: x.Posts, Gaps: x.Gaps}
	from := -120.0
	if len(t) > 0 {
		from = min(from, -approachShare*t[len(t)-1])
	}
	for i := range t {
		if t[i] >= from {
			strip.T, strip.KW = append(strip.T, t[i]), append(strip.KW, kw[i])
		}
	}
	if w, ok := x.Headline(row.Describe().Method); ok {
		strip.FromPct, strip.ToPct = w.FromPct, w.ToPct
	}
	for _, m := range row.Marks {
		strip.Marks = append(strip.Marks, draw.Sign{TS: m.TS - x.ZeroS, Letter: draw.SignLetter(m.Kind), Title: words.Clock(m.TS-x.ZeroS) + " " + markName(m)})
	}
	for _, f := range rest {
		if f.Kind == curve.AboutEnergy {
			continue
		}
		strip.Badges = append(strip.Badges, draw.Badge{TS: (f.FromS + f.ToS) / 2, Number: f.Number, Title: f.Text})
	}
	return strip
}

// plannedBy gives the kept plan of a run, nil where it has none or that is gone.
func (s *Server) plannedBy(ctx context.Context, row *logbook.Run) (*logbook.Preparation, error) {
	if row.PreparationID == nil {
		return nil, nil
	}
	p, err := s.book.Preparation(ctx, *row.PreparationID)
	if errors.Is(err, logbook.ErrNotFound) {
		return nil, nil
	}
	return p, err
}

// ghostOf draws the forecast of a run that was made at the stall dotted behind its
// strip, from how it really began, and says what it expected.
func ghostOf(row *logbook.Run, described *run.Run, res *logbook.Results, x *curve.Reading, strip *draw.Strip) string {
	if row.Plan == nil || described.Car == nil {
		return ""
	}
	plan := follow.AsBegan(x, follow.SessionOf(row.Plan, described))
	f, err := forecast.Once(plan)
	if err != nil || len(f.Steps) == 0 {
		return ""
	}
	plug := res.Reading(curve.PlugClock, x.Side).ZeroS - x.ZeroS
	for i, st := range f.Steps {
		if i%10 != 0 && i != len(f.Steps)-1 {
			continue
		}
		kw := st.StallKW
		if x.Side == trace.CarSide {
			kw = st.PackKW
		}
		strip.GhostT, strip.GhostKW = append(strip.GhostT, st.T+plug), append(strip.GhostKW, kw)
	}
	w, ok := f.Window(plan.FromPct, plan.ToPct)
	if !ok {
		return ""
	}
	return fmt.Sprintf("Dotted: the forecast from how it began, %s in %s.", windowName(plan.FromPct, plan.ToPct),
		words.Duration(math.Round(w.TS/60)*60))
}

// markName says a mark in words.
func markName(m logbook.Mark) string {
	name := map[string]string{run.PlugIn: "plugged in", run.FirstPower: "first power", run.Unplug: "unplugged", run.Stop: "stop pressed",
		run.Attempt: "attempt", run.Heater: "heater", run.Fan: "fans", run.Neighbour: "neighbour", run.Note: ""}[m.Kind]
	switch {
	case name == "":
		return m.Note
	case m.Note == "":
		return name
	}
	return name + ": " + m.Note
}

// values gives a channel joined to the given times.
func (s *subject) values(c trace.Channel, t []float64) []float64 {
	at, v := s.column(c)
	if at == nil {
		return nil
	}
	series := trace.Series{}
	for i := range at {
		if !math.IsNaN(v[i]) {
			series.T, series.V = append(series.T, at[i]), append(series.V, v[i])
		}
	}
	out := make([]float64, len(t))
	for i := range t {
		out[i] = math.NaN()
		if x, ok := series.At(t[i]); ok {
			out[i] = x
		}
	}
	return out
}

// runChart draws a run's curve and puts the readings for the cursor into JSON, so
// that strip and curve share one.
func runChart(sub *subject, q chartQuery, row *logbook.Run) (chartView, template.JS) {
	v := chart([]subject{*sub}, q, nil, fmt.Sprintf("Run %d", row.ID))
	v.SVGHref = fmt.Sprintf("/runs/%d/curve.svg", row.ID) + q.with("", "", nil)
	red := sub.Results.Curves[sub.Reading.Side]
	t := trace.Floats{}
	for i, x := range red.T {
		unplugged := red.Columns[trace.Power] != nil && math.IsNaN(red.Columns[trace.Power][i])
		if x-sub.Reading.ZeroS >= -120 && !unplugged {
			t = append(t, x-sub.Reading.ZeroS)
		}
	}
	type column struct {
		Name     string       `json:"name"`
		Unit     string       `json:"unit"`
		Decimals int          `json:"decimals"`
		V        trace.Floats `json:"v"`
	}
	data := struct {
		T       trace.Floats `json:"t"`
		KW      trace.Floats `json:"kw"`
		X       trace.Floats `json:"x"`
		Y       trace.Floats `json:"y"`
		Columns []column     `json:"columns"`
	}{T: t, KW: sub.values(trace.Power, t), X: sub.against(v.Axis, t),
		Y: converted(sub.values(v.Channel.Channel, t), channelOf(v.Channel.Key).Unit, q.In)}
	for _, key := range []string{"soc", "power", "volts", "amps", "c-rate", "coldest", "warmest", "battery", "energy"} {
		for _, c := range channelChoices {
			if c.Key != key {
				continue
			}
			if col := sub.values(c.Channel, t); col != nil {
				data.Columns = append(data.Columns, column{c.Name, q.In.Name(c.Unit), c.Decimals, converted(col, c.Unit, q.In)})
			}
		}
	}
	b, err := json.Marshal(data)
	if err != nil {
		return v, "{}"
	}
	return v, template.JS(b) //nolint:gosec // made by encoding/json, which escapes < and >
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

// Files out.

func (s *Server) runFolder(w http.ResponseWriter, r *http.Request) {
	row, err := s.rowOf(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	full, files, err := s.book.Parcel(r.Context(), row)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var original []byte
	if row.Document != nil {
		original = []byte(*row.Document)
	}
	var b bytes.Buffer
	if err := runfolder.WriteZip(&b, full, original, files, row.CreatedAt); err != nil {
		s.fail(w, r, err)
		return
	}
	attach(w, "application/zip", fmt.Sprintf("run-%d.zip", row.ID))
	_, _ = b.WriteTo(w)
}

func (s *Server) rowOf(r *http.Request) (*logbook.Run, error) {
	id, err := idParam(r, "id")
	if err != nil {
		return nil, err
	}
	return s.book.Run(r.Context(), id)
}

// readingsCSV gives one recording, ?recording=ID, or the run's only one.
func (s *Server) readingsCSV(w http.ResponseWriter, r *http.Request) {
	row, err := s.rowOf(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	full, err := s.book.Load(r.Context(), row)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	for i, rec := range row.Recordings {
		if want := r.URL.Query().Get("recording"); want != "" && want != fmt.Sprint(rec.ID) {
			continue
		}
		attach(w, "text/csv; charset=utf-8", fmt.Sprintf("run-%d-%s", row.ID, rec.Name))
		if err := csvlog.Write(w, full.Recordings[i]); err != nil {
			s.log.Warn("sending readings", "error", err)
		}
		return
	}
	s.fail(w, r, fmt.Errorf("that recording: %w", logbook.ErrNotFound))
}

// recordingFile gives a recording's file exactly as it came.
func (s *Server) recordingFile(w http.ResponseWriter, r *http.Request) {
	row, err := s.rowOf(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	id, err := idParam(r, "recording")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	for _, rec := range row.Recordings {
		if rec.ID != id {
			continue
		}
		name, content, _, err := s.book.File(r.Context(), id)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		attach(w, "application/octet-stream", name)
		_, _ = w.Write(content)
		return
	}
	s.fail(w, r, fmt.Errorf("that recording: %w", logbook.ErrNotFound))
}

// attach announces a file; its name keeps to letters that every system takes.
func attach(w http.ResponseWriter, kind, name string) {
	safe := strings.Map(func(r rune) rune {
		if r < 32 || r > 126 || strings.ContainsRune(`"\/`, r) {
			return '-'
		}
		return r
	}, name)
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s"`, safe))
}

func (s *Server) stripSVG(w http.ResponseWriter, r *http.Request) {
	s.picture(w, r, "strip", func(v *runView) string { return v.Strip })
}

func (s *Server) curveSVG(w http.ResponseWriter, r *http.Request) {
	s.picture(w, r, "curve", func(v *runView) string { return v.Chart.SVG })
}

func (s *Server) picture(w http.ResponseWriter, r *http.Request, what string, of func(*runView) string) {
	v, err := s.runView(r, r.URL.Query())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.sendSVG(w, r, fmt.Sprintf("run-%d-%s.svg", v.Row.ID, what), of(v), captionOf(v))
}

// sendSVG sends a picture that needs no page; with ?show it is shown, else saved.
func (s *Server) sendSVG(w http.ResponseWriter, r *http.Request, name, svg, caption string) {
	// The picture brings its own styles and font, and nothing else.
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; font-src data:; frame-ancestors 'none'")
	if r.URL.Query().Has("show") {
		w.Header().Set("Content-Type", "image/svg+xml")
	} else {
		attach(w, "image/svg+xml", name)
	}
	_, _ = w.Write(localised([]byte(draw.Standalone(svg, caption, s.font)), measuresOf(r)))
}

// captionOf names a run on a picture that leaves the page: the conditions go with it.
func captionOf(v *runView) string {
	var parts []string
	for _, f := range v.Facts {
		parts = append(parts, strings.TrimSpace(f.Strong+" "+f.Text))
	}
	parts = append(parts, "clock from "+clockName(v.Reading.Clock), string(v.Reading.Side)+" side")
	if v.Row.StartedAt != nil {
		parts = append(parts, v.Row.StartedAt.Format(time.DateOnly))
	}
	return strings.Join(parts, " · ")
}
