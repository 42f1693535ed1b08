package web

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/typed"
	"zincroad/logbook"
)

func (s *Server) stallPageRoutes(r chi.Router) {
	r.Get("/", s.stallStart)
	r.Post("/start", s.startLive)
	r.Get("/{id}", s.liveRun)
	r.Post("/{id}/readings", s.typeReading)
	r.Post("/{id}/marks", s.liveMark)
	r.Post("/{id}/move", s.moveStall)
	r.Get("/{id}/sources", s.feedsPage)
	r.Post("/{id}/sources", s.addFeed)
	r.Post("/{id}/sources/{feed}/delete", s.deleteFeed)
	r.Get("/{id}/details", s.liveDetails)
	r.Post("/{id}/details", s.saveLiveDetails)
	r.Get("/{id}/end", s.endForm)
}

type startView struct {
	*fields
	Live     []logbook.Run
	Plans    []logbook.Preparation
	Cars     []logbook.Car
	Sites    []logbook.Site
	Methods  []prepare.Method
	Cautions []string
}

func (s *Server) stallStart(w http.ResponseWriter, r *http.Request) {
	s.showStart(w, r, http.StatusOK, newFields(url.Values{}))
}

func (s *Server) showStart(w http.ResponseWriter, r *http.Request, status int, f *fields) {
	v := startView{fields: f, Methods: prepare.Methods, Cautions: stallCautions}
	var err error
	if v.Live, err = s.book.LiveRuns(r.Context()); err == nil {
		v.Plans, err = s.book.Preparations(r.Context())
	}
	if err == nil {
		v.Cars, err = s.book.Cars(r.Context())
	}
	if err == nil {
		v.Sites, err = s.book.Sites(r.Context())
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "stall-start", status, Frame{Title: "At the stall", Page: "stall", Data: v})
}

var stallCautions = []string{
	"Damaged cable, connector or inlet: do not use it, report it.",
	"Never pull a connector under load: stop first, then unplug.",
	"A logger is handled by a passenger or while parked. Follow the car's and the stall's instructions and local rules.",
}

// startLive begins a run, from a kept plan or from a car and a stall.
func (s *Server) startLive(w http.ResponseWriter, r *http.Request) {
	f, ok := s.form(w, r)
	if !ok {
		return
	}
	now := s.now().UTC()
	row := &logbook.Run{StartedAt: &now, Clock: "plug"}
	var err error
	if id := f.id("plan"); id != nil {
		err = s.fromPlan(r, row, *id)
	} else {
		err = s.fromNothing(r.Context(), f, row)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if !f.ok() {
		s.showStart(w, r, http.StatusUnprocessableEntity, f)
		return
	}
	id, err := s.book.StartLive(r.Context(), row)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/stall/%d", id), http.StatusSeeOther)
}

// fromPlan takes everything over from a kept plan. A plan that cannot be worked
// out any more still gives its car, stall and method.
func (s *Server) fromPlan(r *http.Request, row *logbook.Run, id int64) error {
	q := r.Clone(r.Context())
	q.URL = &url.URL{Path: "/prepare", RawQuery: fmt.Sprintf("kept=%d", id)}
	v, err := s.planned(q)
	if err != nil {
		return err
	}
	roads, err := s.book.Roads(r.Context())
	if err != nil {
		return err
	}
	p := v.plan(roads)
	row.Title, row.PreparationID = v.Title, &id
	if v.Car != nil {
		row.CarID = &v.Car.ID
		for _, sw := range v.Car.Softwares {
			if sw.Version == v.Values.Get("software") {
				row.SoftwareID = &sw.ID
			}
		}
	}
	if v.Stall != nil {
		row.StallID = &v.Stall.ID
	}
	if v.Adapter != nil {
		row.AdapterID = &v.Adapter.ID
	}
	row.MethodName, row.Clock, row.MethodClimate = v.Method.Name, v.Method.Clock, v.Method.Climate
	row.FromPct, row.ToPct = &p.FromPct, &p.ToPct
	row.Profile = "full"
	if p.Session.Gentle {
		row.Profile = "gentle"
	}
	row.Preconditioned = p.Way.Preconditioned()
	if !math.IsNaN(p.Road.AmbientC) {
		row.AmbientC = &p.Road.AmbientC
	}
	session := p.Session
	session.FromPct, session.ToPct = p.FromPct, p.ToPct
	session.AmbientC = orZero(p.Road.AmbientC)
	session.Battery = pack.Nodes{ColdestC: orZero(p.Now.ColdestC), WarmestC: orZero(p.Now.WarmestC)}
	if v.Plan != nil && v.Plan.Approach != nil {
		session.Battery = v.Plan.Approach.Plug().Battery
	}
	row.Plan = &session
	return nil
}

func orZero(v float64) float64 {
	if math.IsNaN(v) {
		return 0
	}
	return v
}

// fromNothing needs a car and a stall; the rest can come later.
func (s *Server) fromNothing(ctx context.Context, f *fields, row *logbook.Run) error {
	row.CarID, row.StallID = f.id("car"), f.id("stall")
	if row.CarID == nil {
		f.fault("car", "Which car? The forecast hangs on it.")
	}
	if row.StallID == nil {
		f.fault("stall", "Which stall?")
	}
	row.AmbientC = f.number("outside", -60, 60)
	m, _ := prepare.MethodOf("stop")
	row.MethodName, row.FromPct, row.ToPct = m.Name, &m.FromPct, &m.ToPct
	plan := forecast.Plan{FromPct: m.FromPct, ToPct: m.ToPct, AmbientC: 15, Battery: pack.Nodes{ColdestC: 15, WarmestC: 15}}
	if row.AmbientC != nil {
		plan.AmbientC = *row.AmbientC
		plan.Battery = pack.Nodes{ColdestC: plan.AmbientC, WarmestC: plan.AmbientC}
	}
	row.Plan = &plan
	if row.CarID == nil {
		return nil
	}
	car, err := s.book.Car(ctx, *row.CarID)
	if err == nil && len(car.Softwares) > 0 {
		row.SoftwareID = &car.Softwares[len(car.Softwares)-1].ID
	}
	return err
}

// liveDetails is the form for what no log holds, while the run is under way: car and
// stall are enough to start with.
func (s *Server) liveDetails(w http.ResponseWriter, r *http.Request) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return
	}
	s.showLiveDetails(w, r, http.StatusOK, row, newFields(valuesOf(row)))
}

type detailsView struct {
	*editView
	Row *logbook.Run
}

func (s *Server) showLiveDetails(w http.ResponseWriter, r *http.Request, status int, row *logbook.Run, f *fields) {
	e := &editView{fields: f}
	if err := s.choices(r.Context(), e); err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "stall-details", status, Frame{Title: "Details", Page: "stall", Data: detailsView{e, row}})
}

func (s *Server) saveLiveDetails(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	began := row.StartedAt
	readDetails(f, row)
	row.StartedAt = began // the clock of everything that is recorded
	if !f.ok() {
		s.showLiveDetails(w, r, http.StatusUnprocessableEntity, row, f)
		return
	}
	if err := s.storeDetails(r.Context(), f, row); err != nil {
		s.fail(w, r, err)
		return
	}
	s.live.kick(row.ID)
	http.Redirect(w, r, fmt.Sprintf("/stall/%d", row.ID), http.StatusSeeOther)
}

// liveOf gives a live run, or answers for one that is not.
func (s *Server) liveOf(w http.ResponseWriter, r *http.Request) (*logbook.Run, bool) {
	row, err := s.rowOf(r)
	if err != nil {
		s.fail(w, r, err)
		return nil, false
	}
	if !row.Live {
		http.Redirect(w, r, fmt.Sprintf("/runs/%d", row.ID), http.StatusSeeOther)
		return nil, false
	}
	return row, true
}

func (s *Server) liveRun(w http.ResponseWriter, r *http.Request) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return
	}
	v, err := s.live.view(r.Context(), row.ID)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "stall-live", http.StatusOK, Frame{Title: "At the stall", Page: "stall", Data: v})
}

// sent is what a page says of something that it sends: its own key, and how long
// ago it happened by its own clock.
type sent struct {
	Key string
	TS  float64 // s after the run's start
}

// maxAwayS is how late something may be sent.
const maxAwayS = 24 * 3600

func (s *Server) sentOf(f *fields, row *logbook.Run) sent {
	key := f.text("key")
	if key == "" {
		key = rand.Text()
	}
	ago := 0.0
	if n := f.number("ago_ms", 0, maxAwayS*1000); n != nil {
		ago = *n / 1000
	}
	return sent{key, max(0, s.now().UTC().Sub(*row.StartedAt).Seconds()-ago)}
}

// answer says how it went: in JSON to a page's script, else by going back.
func (s *Server) answer(w http.ResponseWriter, r *http.Request, row *logbook.Run, err error, fault string) {
	script := strings.Contains(r.Header.Get("Accept"), "application/json")
	switch {
	case errors.Is(err, logbook.ErrNotFound):
		fault = "The run, or the reading to be corrected, is not there any more."
	case err != nil && !script:
		s.fail(w, r, err)
		return
	case err != nil:
		s.log.Error("at the stall", "run", row.ID, "error", err)
		http.Error(w, `{"stored": false}`, http.StatusServiceUnavailable)
		return
	}
	if !script && fault != "" {
		s.fail(w, r, badRequest("%s", fault))
		return
	}
	if !script {
		http.Redirect(w, r, fmt.Sprintf("/stall/%d", row.ID), http.StatusSeeOther)
		return
	}
	s.live.kick(row.ID)
	w.Header().Set("Content-Type", "application/json")
	if fault != "" {
		w.WriteHeader(http.StatusUnprocessableEntity)
	}
	_ = json.NewEncoder(w).Encode(map[string]any{"stored": fault == "", "fault": fault})
}

// lineSet is an order of numbers that a tester types.
type lineSet struct {
	Key    string
	Name   string
	Side   trace.Side
	Fields []trace.Channel
}

// lineSets are the orders to choose from; a word behind a number goes before the order.
var lineSets = []lineSet{
	{"screen", "SoC kW °C, stall's screen", trace.StallSide, []trace.Channel{trace.SoC, trace.Power, trace.BatteryTempMin}},
	{"screen-va", "SoC kW V A, stall's screen", trace.StallSide, []trace.Channel{trace.SoC, trace.Power, trace.Voltage, trace.Current}},
	{"screen-kwh", "SoC kW kWh, stall's screen", trace.StallSide, []trace.Channel{trace.SoC, trace.Power, trace.Energy}},
	{"car", "SoC kW °C, car's display", trace.CarSide, []trace.Channel{trace.SoC, trace.Power, trace.BatteryTempMin}},
}

func lineSetOf(key string) lineSet {
	for _, l := range lineSets {
		if l.Key == key {
			return l
		}
	}
	return lineSets[0]
}

// Words name the numbers in order, for the field.
func (l lineSet) Words() string {
	var out []string
	for _, c := range l.Fields {
		in, _ := trace.Describe(c)
		if c == trace.SoC {
			out = append(out, "SoC")
		} else {
			out = append(out, in.Unit)
		}
	}
	return strings.Join(out, " ")
}

// readLine understands a line: a number with a unit by it, a bare one by its place
// in the order of the set. The fault is one sentence.
func readLine(line string, set lineSet) (map[trace.Channel]float64, string) {
	parts := strings.FieldsFunc(line, func(r rune) bool { return r == ' ' || r == ';' || r == '/' })
	if len(parts) == 0 {
		return nil, nothingTyped
	}
	if got := typed.ParseLine("0:00 "+line, 1); got.Problem == "" && got.Mark == nil && len(got.Values) > 0 {
		return got.Values, "" // every number with its unit, behind a space too
	}
	values := map[trace.Channel]float64{}
	for i, p := range parts {
		if p == "-" || p == "–" {
			continue // nothing to be read there
		}
		v, err := strconv.ParseFloat(strings.Replace(p, ",", ".", 1), 64)
		if err != nil {
			got := typed.ParseLine("0:00 "+p, 1)
			if got.Problem != "" || got.Mark != nil || len(got.Values) == 0 {
				return nil, fmt.Sprintf("%q: expected numbers in the order %s, or with their units.", p, set.Words())
			}
			maps.Copy(values, got.Values)
			continue
		}
		if i >= len(set.Fields) {
			return nil, fmt.Sprintf("%q: %d numbers, but %s are %d.", line, len(parts), set.Words(), len(set.Fields))
		}
		in, _ := trace.Describe(set.Fields[i])
		if !(v >= in.Min && v <= in.Max) {
			return nil, fmt.Sprintf("%s: expected %s from %s to %s %s.", p, in.Short, words.Figure(in.Min, 0), words.Figure(in.Max, 0), in.Unit)
		}
		values[set.Fields[i]] = v
	}
	if len(values) == 0 {
		return nil, nothingTyped
	}
	return values, ""
}

const nothingTyped = "Type a reading, such as 48 89 21."

// typeReading stores a reading that was typed, or corrects one. What the car alone
// knows goes to the car's side.
func (s *Server) typeReading(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	set := lineSetOf(f.Values.Get("set"))
	line := f.text("line")
	values, fault := readLine(line, set)
	at := s.sentOf(f, row)
	if fault == "" && !f.ok() {
		for _, fault = range f.Errors {
			break
		}
	}
	if fault != "" {
		s.answer(w, r, row, nil, fault)
		return
	}
	sample := logbook.Sample{TS: at.TS, HeardS: s.now().UTC().Sub(*row.StartedAt).Seconds(), Values: values}
	err := s.book.Type(r.Context(), row.ID, set.Side, at.Key, line, f.text("correcting"), sample)
	s.answer(w, r, row, err, "")
}

// liveMarkKinds are the marks that a tester can make at the stall.
var liveMarkKinds = []string{run.PlugIn, run.Unplug, run.Stop, run.Attempt, run.Heater, run.Fan, run.Neighbour, run.Note}

func (s *Server) liveMark(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	m := &logbook.Mark{RunID: row.ID, Kind: f.word("kind", liveMarkKinds), Note: f.text("note")}
	at := s.sentOf(f, row)
	m.TS = at.TS
	fault := ""
	switch {
	case !f.ok():
		for _, fault = range f.Errors {
			break
		}
	case m.Kind == "":
		fault = "Which mark?"
	}
	if fault != "" {
		s.answer(w, r, row, nil, fault)
		return
	}
	if m.Kind == run.Attempt && row.Stall != nil {
		m.Note = strings.TrimSpace(m.Note + " at " + row.Stall.FullName())
	}
	s.answer(w, r, row, s.book.LiveMark(r.Context(), m, at.Key), "")
}

// moveStall takes the run to another stall, as after a failed attempt.
func (s *Server) moveStall(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	id := f.id("stall")
	if id == nil {
		s.answer(w, r, row, nil, "Which stall?")
		return
	}
	st, err := s.book.Stall(r.Context(), *id)
	if err == nil {
		err = s.book.MoveLive(r.Context(), row.ID, *id)
	}
	if err == nil {
		at := s.sentOf(f, row)
		err = s.book.LiveMark(r.Context(), &logbook.Mark{RunID: row.ID, TS: at.TS, Kind: run.Note, Note: "moved to " + st.FullName()}, at.Key)
	}
	s.answer(w, r, row, err, "")
}

type endView struct {
	*fields
	Row    *logbook.Run
	Photos []logbook.Photo // that were kept already
}

// endFields are what the screen and the car say at the end.
var endFields = []struct {
	Name, Label, Unit string
	Side              trace.Side
	Channel           trace.Channel
}{
	{"soc", "Charge on the display", "%", trace.CarSide, trace.SoC},
	{"kwh", "Energy on the stall's screen", "kWh", trace.StallSide, trace.Energy},
	{"cost", "Price on the stall's screen", "", trace.StallSide, trace.Cost},
	{"coldest", "Coldest cell", "°C", trace.CarSide, trace.BatteryTempMin},
	{"warmest", "Warmest cell", "°C", trace.CarSide, trace.BatteryTempMax},
}

// EndFields are those of the form.
func (endView) EndFields() any { return endFields }

func (s *Server) endForm(w http.ResponseWriter, r *http.Request) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return
	}
	s.showEnd(w, r, http.StatusOK, row, newFields(url.Values{}))
}

func (s *Server) showEnd(w http.ResponseWriter, r *http.Request, status int, row *logbook.Run, f *fields) {
	photos, err := s.book.Photos(r.Context(), row.ID)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "stall-end", status, Frame{Title: "The end of the run", Page: "stall", Data: endView{f, row, photos}})
}

// endRun stores the last notes and goes to the run's page.
func (s *Server) endRun(w http.ResponseWriter, r *http.Request) {
	photo, fault := readPhoto(w, r)
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	if !row.Live {
		http.Redirect(w, r, fmt.Sprintf("/runs/%d", row.ID), http.StatusSeeOther)
		return
	}
	bySide := map[trace.Side]map[trace.Channel]float64{trace.CarSide: {}, trace.StallSide: {}}
	for _, ef := range endFields {
		in, _ := trace.Describe(ef.Channel)
		if n := f.number(ef.Name, in.Min, in.Max); n != nil {
			bySide[ef.Side][ef.Channel] = *n
		}
	}
	note := f.text("note")
	if fault != "" {
		f.fault("photo", "%s", fault)
	}
	// A picture is kept whatever else is wrong: a page cannot give it back to its form.
	if photo != nil {
		photo.RunID, photo.TS = row.ID, s.now().UTC().Sub(*row.StartedAt).Seconds()
		if err := s.book.AddPhoto(r.Context(), photo); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	if !f.ok() {
		s.showEnd(w, r, http.StatusUnprocessableEntity, row, f)
		return
	}
	if err := s.storeEnd(r.Context(), row, bySide, note); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/runs/%d", row.ID), http.StatusSeeOther)
}

func (s *Server) storeEnd(ctx context.Context, row *logbook.Run, bySide map[trace.Side]map[trace.Channel]float64, note string) error {
	at := s.now().UTC().Sub(*row.StartedAt).Seconds()
	for _, side := range []trace.Side{trace.StallSide, trace.CarSide} {
		values := bySide[side]
		if len(values) == 0 {
			continue
		}
		var parts []string
		for _, in := range trace.Channels {
			if v, ok := values[in.Channel]; ok {
				parts = append(parts, words.Figure(v, 2)+in.Unit)
			}
		}
		sample := logbook.Sample{TS: at, HeardS: at, Values: values}
		if err := s.book.Type(ctx, row.ID, side, "end-"+string(side), strings.Join(parts, " "), "", sample); err != nil {
			return err
		}
	}
	if note != "" {
		if err := s.book.LiveMark(ctx, &logbook.Mark{RunID: row.ID, TS: at, Kind: run.Note, Note: note}, "end-note"); err != nil {
			return err
		}
	}
	return s.book.EndLive(ctx, row.ID)
}

// isNight tells whether a page is to be dark where nobody chose: at the stall, from
// seven in the evening to seven in the morning.
func isNight(t time.Time) bool { return t.Hour() >= 19 || t.Hour() < 7 }
