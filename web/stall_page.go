package web

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/run"
	"zincroad/logbook"
)

func (s *Server) stallPageRoutes(r chi.Router) {
	r.Get("/", s.stallStart)
	r.Post("/start", s.startLive)
	r.Get("/{id}", s.liveRun)
	r.Post("/{id}/readings", s.typeReading)
	r.Post("/{id}/marks", s.liveMark)
	r.Post("/{id}/marks/{mark}/take-back", s.takeBackMark)
	r.Post("/{id}/move", s.moveStall)
	r.Get("/{id}/sources", s.feedsPage)
	r.Post("/{id}/sources", s.addFeed)
	r.Post("/{id}/sources/{feed}/delete", s.deleteFeed)
	r.Get("/{id}/how/{figure}", s.howLive)
	r.Get("/{id}/details", s.liveDetails)
	r.Post("/{id}/details", s.saveLiveDetails)
	r.Get("/{id}/end", s.endForm)
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
	e := &editView{fields: f, UnderWay: true}
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

// liveViewOf gives what the page of a live run shows now, or answers for one that
// is not.
func (s *Server) liveViewOf(w http.ResponseWriter, r *http.Request) (*liveView, bool) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return nil, false
	}
	v, err := s.live.view(r.Context(), row.ID)
	if err != nil {
		s.fail(w, r, err)
		return nil, false
	}
	return v, true
}

func (s *Server) liveRun(w http.ResponseWriter, r *http.Request) {
	v, ok := s.liveViewOf(w, r)
	if !ok {
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
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(http.StatusServiceUnavailable)
		_ = json.NewEncoder(w).Encode(map[string]any{"stored": false, "key": r.PostForm.Get("key")})
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
	// A page takes only the answer to its own key for one.
	_ = json.NewEncoder(w).Encode(map[string]any{"stored": fault == "", "fault": fault, "key": r.PostForm.Get("key")})
}

// typeReading stores a reading that was typed, or corrects one. What the car alone
// knows goes to the car's side.
func (s *Server) typeReading(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	set := lineSetOf(f.Values.Get("set"))
	line := f.text("line")
	values, fault := readLine(line, set, f.Values.Get("line__unit"))
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

// takeBackMark takes a mark away that a thumb made by mistake.
func (s *Server) takeBackMark(w http.ResponseWriter, r *http.Request) {
	row, _, ok := s.formOf(w, r)
	if !ok {
		return
	}
	id, err := idParam(r, "mark")
	if err == nil {
		err = s.book.TakeBackMark(r.Context(), row.ID, id)
	}
	s.answer(w, r, row, err, "")
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

// isNight tells whether a page is to be dark where nobody chose: at the stall, from
// seven in the evening to seven in the morning.
func isNight(t time.Time) bool { return t.Hour() >= 19 || t.Hour() < 7 }
