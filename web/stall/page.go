package stall

import (
	"crypto/rand"
	"errors"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/run"
	"zincroad/logbook"
	"zincroad/web/details"
	"zincroad/web/ui"
)

// Routes are the room's own paths but those that take longer than a page: EndRun and Events.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.stallStart)
	r.Post("/start", s.Do(s.startLive))
	r.Get("/{id}", s.liveRun)
	r.Post("/{id}/readings", s.typeReading)
	r.Post("/{id}/marks", s.liveMark)
	r.Post("/{id}/marks/{mark}/take-back", s.takeBackMark)
	r.Post("/{id}/move", s.moveStall)
	r.Get("/{id}/sources", s.Do(s.feedsPage))
	r.Post("/{id}/sources", s.Do(s.addFeed))
	r.Post("/{id}/sources/{feed}/delete", s.Do(s.deleteFeed))
	r.Get("/{id}/how/{figure}", s.Do(s.howLive))
	r.Get("/{id}/details", s.liveDetails)
	r.Post("/{id}/details", s.Do(s.saveLiveDetails))
	r.Get("/{id}/end", s.endForm)
}

// liveDetails is the form for what no log holds, while the run is under way: car and
// stall are enough to start with.
func (s *Room) liveDetails(w http.ResponseWriter, r *http.Request) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return
	}
	s.showLiveDetails(w, r, http.StatusOK, row, ui.NewFields(details.Values(row)))
}

type detailsView struct {
	*details.Form
	Row *logbook.Run
}

func (s *Room) showLiveDetails(w http.ResponseWriter, r *http.Request, status int, row *logbook.Run, f *ui.Fields) {
	e := &details.Form{Fields: f, UnderWay: true}
	if err := details.Choices(r.Context(), s.book, e); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, "stall-details", status,
		ui.Frame{Title: "Details", Page: "stall", Site: ui.SiteOf(row), Data: detailsView{e, row}})
}

// saveLiveDetails keeps what no log holds while the run goes on; its start stays what readings count from.
func (s *Room) saveLiveDetails(w http.ResponseWriter, r *http.Request) error {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return nil
	}
	before := *row
	details.Read(f, row)
	who, err := s.book.LastActor(r.Context(), "runs", row.ID)
	if err != nil {
		return err
	}
	details.Meanwhile(f, &before, row, who)
	row.StartedAt = before.StartedAt // the clock of everything that is recorded
	if !f.OK() {
		s.showLiveDetails(w, r, http.StatusUnprocessableEntity, row, f)
		return nil
	}
	if err := details.Store(r.Context(), s.book, f, row); err != nil {
		return err
	}
	s.live.kick(row.ID)
	http.Redirect(w, r, ui.StallRunPath(row.ID), http.StatusSeeOther)
	return nil
}

// liveOf gives a live run, or answers for one that is not.
func (s *Room) liveOf(w http.ResponseWriter, r *http.Request) (*logbook.Run, bool) {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		s.Fail(w, r, err)
		return nil, false
	}
	if !row.Live {
		http.Redirect(w, r, ui.RunPath(row.ID), http.StatusSeeOther)
		return nil, false
	}
	return row, true
}

// liveViewOf gives what the page of a live run shows now, or answers for one that
// is not.
func (s *Room) liveViewOf(w http.ResponseWriter, r *http.Request) (*liveView, bool) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return nil, false
	}
	v, err := s.live.view(r.Context(), row.ID)
	if err != nil {
		s.Fail(w, r, err)
		return nil, false
	}
	return v, true
}

func (s *Room) liveRun(w http.ResponseWriter, r *http.Request) {
	v, ok := s.liveViewOf(w, r)
	if !ok {
		return
	}
	s.Render(w, r, "stall-live", http.StatusOK,
		ui.Frame{Title: "At the stall", Page: "stall", Site: ui.SiteOf(v.Row), Data: v})
}

// sent is what a page says of something that it sends: its own key, and when it happened.
type sent struct {
	Key   string
	TS    float64 // s after the run's start
	Clock string  // what became of a clock that was set meanwhile; empty: it was not
}

// formOf reads a form posted to a run's page at the stall, with the run. What is sent counts from the run's start; from
// one that was taken away meanwhile it cannot.
func (s *Room) formOf(w http.ResponseWriter, r *http.Request) (*logbook.Run, *ui.Fields, bool) {
	row, f, ok := s.FormOf(s.book, w, r)
	if ok && row.StartedAt == nil {
		s.Fail(w, r, ui.BadRequest("run %d has no start any more to count from: give it one on its page", row.ID))
		return nil, nil, false
	}
	return row, f, ok
}

func (s *Room) sentOf(f *ui.Fields, row *logbook.Run) sent {
	key := f.Text("key")
	if key == "" {
		key = rand.Text()
	}
	now := s.Now().UTC()
	ago, clock := whenSent(f, now)
	return sent{key, max(0, now.Sub(*row.StartedAt).Seconds()-ago.Seconds()), clock}
}

// answer says how it went: in JSON to a page's script, else by going back.
func (s *Room) answer(w http.ResponseWriter, r *http.Request, row *logbook.Run, err error, fault string, at ...sent) {
	switch {
	case errors.Is(err, logbook.ErrNotFound):
		fault = "The run, or the reading to be corrected, is not there any more."
	case err != nil:
		s.Fail(w, r, err)
		return
	}
	script := ui.IsScript(r)
	if !script && fault != "" {
		s.Fail(w, r, ui.BadRequest("%s", fault))
		return
	}
	if !script {
		http.Redirect(w, r, ui.StallRunPath(row.ID), http.StatusSeeOther)
		return
	}
	s.live.kick(row.ID)
	status := http.StatusOK
	if fault != "" {
		status = http.StatusUnprocessableEntity
	}
	said := map[string]any{"stored": fault == "", "fault": fault, "now_ms": s.Now().UnixMilli()}
	if len(at) > 0 && at[0].Clock != "" {
		said["clock"] = at[0].Clock
	}
	ui.Answer(w, r, status, said)
}

// typeReading stores a reading that was typed, or corrects one. What the car alone
// knows goes to the car's side.
func (s *Room) typeReading(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	set := lineSetOf(f.Values.Get("set"))
	line := f.Text("line")
	values, fault := readLine(line, set, f.Values.Get("line__unit"))
	at := s.sentOf(f, row)
	if fault == "" && !f.OK() {
		for _, fault = range f.Errors {
			break
		}
	}
	if fault != "" {
		s.answer(w, r, row, nil, fault)
		return
	}
	sample := logbook.Sample{TS: at.TS, HeardS: s.Now().UTC().Sub(*row.StartedAt).Seconds(), Values: values}
	err := s.book.Type(r.Context(), row.ID, set.Side, at.Key, line, f.Text("correcting"), sample)
	s.answer(w, r, row, err, "", at)
}

// liveMarkKinds are the marks that a tester can make at the stall.
var liveMarkKinds = []string{
	run.PlugIn,
	run.Unplug,
	run.Stop,
	run.Attempt,
	run.Heater,
	run.Fan,
	run.Neighbour,
	run.Note,
}

// liveMark stores a mark that a page sends, once.
func (s *Room) liveMark(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	m := &logbook.Mark{RunID: row.ID, Kind: f.Word("kind", liveMarkKinds), Note: f.Text("note")}
	at := s.sentOf(f, row)
	m.TS = at.TS
	if then := f.Number("at_s", 0, m.TS); then != nil { // where the power shows that it was
		m.TS = *then
	}
	fault := ""
	switch {
	case !f.OK():
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
	s.answer(w, r, row, s.book.LiveMark(r.Context(), m, at.Key), "", at)
}

// takeBackMark takes a mark away that a thumb made by mistake.
func (s *Room) takeBackMark(w http.ResponseWriter, r *http.Request) {
	row, _, ok := s.formOf(w, r)
	if !ok {
		return
	}
	id, err := ui.IDParam(r, "mark")
	if err == nil {
		err = s.book.TakeBackMark(r.Context(), row.ID, id)
	}
	s.answer(w, r, row, err, "")
}

// moveStall takes the run to another stall, as after a failed attempt.
func (s *Room) moveStall(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	id := f.ID("stall")
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
		err = s.book.LiveMark(r.Context(),
			&logbook.Mark{RunID: row.ID, TS: at.TS, Kind: run.Note, Note: "moved to " + st.FullName()}, at.Key)
	}
	s.answer(w, r, row, err, "")
}
