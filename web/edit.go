package web

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/logbook"
)

// editView is the form for a run's details and marks.
type editView struct {
	*fields
	Cars     []logbook.Car
	Sites    []logbook.Site
	Adapters []logbook.Adapter
	Kinds    []string
	Marks    []markRow
	NewMark  markRow
	Arriving bool // a file that is being brought in may name a new car
	UnderWay bool // a live run's start is what its readings count from
}

type markRow struct {
	ID               int64
	Time, Kind, Note string
	Error            string
}

func (s *Server) editRun(w http.ResponseWriter, r *http.Request) {
	s.showEdit(w, r, http.StatusOK, nil, nil)
}

// showEdit shows a run's page with its form open. typed holds what was typed
// before a fault; mark is a mark that could not be stored.
func (s *Server) showEdit(w http.ResponseWriter, r *http.Request, status int, typed *fields, mark *markRow) {
	v, err := s.runView(r, url.Values{})
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if typed == nil {
		typed = newFields(valuesOf(v.Row))
	}
	e := &editView{fields: typed, Kinds: run.MarkKinds, NewMark: markRow{Kind: run.Note}}
	if err := s.choices(r.Context(), e); err != nil {
		s.fail(w, r, err)
		return
	}
	for _, m := range v.Row.Marks {
		row := markRow{ID: m.ID, Time: words.Clock(m.TS), Kind: m.Kind, Note: m.Note}
		if mark != nil && mark.ID == m.ID {
			row = *mark
		}
		e.Marks = append(e.Marks, row)
	}
	if mark != nil && mark.ID == 0 {
		e.NewMark = *mark
	}
	v.Edit = e
	var n *Notice
	q := r.URL.Query()
	if gone := q.Get("gone"); gone != "" && r.Method == http.MethodGet {
		n = &Notice{Text: "The mark at " + gone + " is gone.", Undo: fmt.Sprintf("/runs/%d/marks", v.Row.ID),
			Fields: map[string]string{"time": gone, "kind": q.Get("kind"), "note": q.Get("note")}}
	}
	s.showRun(w, r, status, v, n)
}

// choices fills in what the form's menus offer.
func (s *Server) choices(ctx context.Context, e *editView) (err error) {
	if e.Cars, err = s.book.Cars(ctx); err != nil {
		return err
	}
	if e.Sites, err = s.book.Sites(ctx); err != nil {
		return err
	}
	e.Adapters, err = s.book.Adapters(ctx)
	return err
}

func idValue(id *int64) string {
	if id == nil {
		return ""
	}
	return strconv.FormatInt(*id, 10)
}

// valuesOf fills the form from what is stored.
func valuesOf(row *logbook.Run) url.Values {
	v := url.Values{}
	set := func(name, value string) { v.Set(name, value) }
	set("title", row.Title)
	set("timezone", row.Timezone)
	if row.StartedAt != nil {
		set("started_at", local(*row.StartedAt, row.Timezone).Format(inputTime+":05"))
	}
	set("car", idValue(row.CarID))
	if row.Software != nil {
		set("software", row.Software.Version)
	}
	set("stall", idValue(row.StallID))
	set("adapter", idValue(row.AdapterID))
	set("method_name", row.MethodName)
	set("from_pct", plainNumber(row.FromPct))
	set("to_pct", plainNumber(row.ToPct))
	set("clock", row.Clock)
	set("method_climate", row.MethodClimate)
	set("ambient_c", plainNumber(row.AmbientC))
	set("battery_c", plainNumber(row.BatteryC))
	set("preconditioned", row.Preconditioned)
	set("preconditioned_min", plainNumber(row.PreconditionedMin))
	set("profile", row.Profile)
	set("climate", row.Climate)
	set("weather", row.Weather)
	return v
}

// readDetails reads the form into a run; faults stand at their fields.
func readDetails(f *fields, row *logbook.Run) {
	row.Title, row.Weather, row.MethodName = f.text("title"), f.text("weather"), f.text("method_name")
	zone, loc := f.zone("timezone")
	row.Timezone = zone
	row.StartedAt = f.moment("started_at", loc)
	row.CarID, row.StallID, row.AdapterID = f.id("car"), f.id("stall"), f.id("adapter")
	row.FromPct, row.ToPct = f.window()
	row.Clock = f.word("clock", run.Clocks)
	row.MethodClimate = f.word("method_climate", run.Climates)
	row.AmbientC = f.ranged("ambient_c", "conditions.ambient_c")
	row.BatteryC = f.ranged("battery_c", "conditions.battery_c")
	row.Preconditioned = f.word("preconditioned", run.Preconditioned)
	row.PreconditionedMin = f.ranged("preconditioned_min", "conditions.preconditioned_min")
	row.Profile = f.word("profile", run.Profiles)
	row.Climate = f.word("climate", run.Climates)
	if f.text("software") != "" && row.CarID == nil {
		f.fault("software", "Choose the car that this software ran on first.")
	}
}

func (s *Server) saveDetails(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	readDetails(f, row)
	if !f.ok() {
		s.showEdit(w, r, http.StatusUnprocessableEntity, f, nil)
		return
	}
	if err := s.storeDetails(r.Context(), f, row); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/runs/%d", row.ID), http.StatusSeeOther)
}

// storeDetails stores a run's details with the software version it names.
func (s *Server) storeDetails(ctx context.Context, f *fields, row *logbook.Run) error {
	row.SoftwareID = nil
	if version := f.text("software"); version != "" && row.CarID != nil {
		id, err := s.book.SoftwareOf(ctx, *row.CarID, version)
		if err != nil {
			return err
		}
		row.SoftwareID = &id
	}
	return s.book.SaveDetails(ctx, row)
}

func (s *Server) saveMark(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	m := logbook.Mark{RunID: row.ID, TS: f.minutes("time"), Kind: f.word("kind", run.MarkKinds), Note: f.text("note")}
	if id := f.id("mark"); id != nil {
		m.ID = *id
	}
	if m.Kind == "" {
		f.fault("kind", "Choose what kind of mark this is.")
	}
	if !f.ok() {
		bad := markRow{ID: m.ID, Time: r.PostForm.Get("time"), Kind: r.PostForm.Get("kind"), Note: r.PostForm.Get("note")}
		for _, text := range f.Errors {
			bad.Error = text
		}
		s.showEdit(w, r, http.StatusUnprocessableEntity, nil, &bad)
		return
	}
	if err := s.book.SaveMark(r.Context(), &m); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/runs/%d/edit#marks", row.ID), http.StatusSeeOther)
}

func (s *Server) deleteMark(w http.ResponseWriter, r *http.Request) {
	runID, err1 := idParam(r, "id")
	markID, err2 := idParam(r, "mark")
	if err1 != nil || err2 != nil {
		s.fail(w, r, fmt.Errorf("that mark: %w", logbook.ErrNotFound))
		return
	}
	m, err := s.book.DeleteMark(r.Context(), runID, markID)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	q := url.Values{"gone": {words.Clock(m.TS)}, "kind": {m.Kind}, "note": {m.Note}}
	http.Redirect(w, r, fmt.Sprintf("/runs/%d/edit?%s#marks", runID, q.Encode()), http.StatusSeeOther)
}

func (s *Server) deleteRun(w http.ResponseWriter, r *http.Request) {
	id, err := idParam(r, "id")
	if err == nil {
		err = s.book.DeleteRun(r.Context(), id)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var left []int64
	for _, x := range benchOf(r) {
		if x != id {
			left = append(left, x)
		}
	}
	setBench(w, left)
	http.Redirect(w, r, fmt.Sprintf("/?gone=%d", id), http.StatusSeeOther)
}

func (s *Server) restoreRun(w http.ResponseWriter, r *http.Request) {
	id, err := idParam(r, "id")
	if err == nil {
		err = s.book.RestoreRun(r.Context(), id)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/runs/%d", id), http.StatusSeeOther)
}
