package desk

import (
	"context"
	_ "embed"
	"errors"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/formats/boxed"
	"zincroad/formats/buslog"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Routes are the room's own paths.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.desk)
	r.Post("/files", s.Do(s.takeFile))
	r.Post("/sample", s.Do(s.takeSample))
	r.Get("/sheet", s.Do(s.sheet))
	r.Post("/typed/check", s.checkTyped)
	r.Post("/film", s.Do(s.takeFilm))
	r.Post("/film/sift", s.Do(s.siftFilm))
	r.Post("/typed", s.Do(s.takeTyped))
	r.Get("/arrivals/{id}", s.Do(s.arrival))
	r.Post("/arrivals/{id}/look", s.lookAgain)
	r.Post("/arrivals/{id}/keep", s.Do(s.keepArrival))
	r.Post("/arrivals/{id}/drop", s.Do(s.dropArrival))
	r.Post("/arrivals/{id}/add", s.Do(s.addArrival))
}

// deskView is what came in last, what waits, and what needs a word.
type deskView struct {
	Waiting []logbook.Arrival
	Latest  *latestView
	CameIn  []cameRow
	Fault   []csvlog.Fault
	File    string
	Now     time.Time // by the pages' clock
}

// cameIn is how many runs are listed of those that came in.
const cameIn = 8

func (s *Room) desk(w http.ResponseWriter, r *http.Request) {
	s.showDesk(w, r, http.StatusOK, deskView{})
}

func (s *Room) showDesk(w http.ResponseWriter, r *http.Request, status int, v deskView) {
	v.Now = s.Now()
	var err error
	if v.Waiting, err = s.book.Arrivals(r.Context()); err != nil {
		s.Fail(w, r, err)
		return
	}
	list, err := s.book.CameIn(r.Context(), cameIn)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v.CameIn = cameRows(list)
	if len(list) > 0 {
		if v.Latest, err = s.latest(r.Context(), list[0].ID); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	s.Render(w, r, "desk", status, ui.Frame{Title: "Desk", Data: v})
}

// takeFile takes a dropped file. A run folder without a fault goes straight into the
// logbook; everything else waits for the tester's word.
func (s *Room) takeFile(w http.ResponseWriter, r *http.Request) error {
	name, content, err := ui.Upload(w, r)
	if errors.Is(err, ui.ErrBusy) {
		return err
	}
	if err != nil {
		s.refuse(w, r, "file", []csvlog.Fault{{File: "upload", Reason: err.Error()}})
		return nil
	}
	if !buslog.Looks(content) { // that waits for its car, which says what is on the bus
		list, err := boxed.All(r.Context(), name, content, intake.Choices{})
		if err != nil {
			s.refuse(w, r, name, intake.Refusal(name, err))
			return nil
		}
		if to, done, err := s.takeFolders(r.Context(), list); err != nil {
			return err
		} else if done {
			ui.GoTo(w, r, to)
			return nil
		}
	}
	id, err := s.book.Arrive(r.Context(), name, content)
	if err != nil {
		return err
	}
	ui.GoTo(w, r, ui.ArrivalPath(id))
	return nil
}

// sample is a run of the demo's: one of docs/samples.
//
//go:embed sample/run-folder.zip
var sample []byte

// takeSample takes the sample in, or shows it where it is in the logbook already.
func (s *Room) takeSample(w http.ResponseWriter, r *http.Request) error {
	list, err := boxed.All(r.Context(), "run-folder.zip", sample, intake.Choices{})
	if err != nil {
		return err
	}
	twin, found, err := s.book.Twin(r.Context(), list[0].Files)
	if err != nil {
		return err
	}
	if found {
		ui.GoTo(w, r, ui.RunPath(twin.ID))
		return nil
	}
	id, err := s.book.Save(r.Context(), list[0])
	if err != nil {
		return err
	}
	ui.GoTo(w, r, ui.RunPath(id))
	return nil
}

// takeFolders stores the run folders of a file that needs nobody's word, and says where to go then.
// Those that are in the logbook already are passed over where there are several.
func (s *Room) takeFolders(ctx context.Context, list []*intake.Bundle) (to string, done bool, err error) {
	for _, b := range list {
		if b.Kind != intake.FolderKind || len(list) == 1 && b.LeftOut > 0 {
			return "", false, nil
		}
	}
	for _, b := range list {
		twin, found, err := s.book.Twin(ctx, b.Files)
		if err != nil {
			return "", false, err
		}
		if found {
			s.Log.Info("the same files again", "run", twin.ID)
			if len(list) == 1 {
				return "", false, nil
			}
			continue
		}
		id, err := s.book.Save(ctx, b)
		if err != nil {
			return "", false, err
		}
		to = ui.RunPath(id)
	}
	if len(list) > 1 {
		to = "/desk"
	}
	return to, true, nil
}

// refuse says why a file was not taken; nothing of it was stored.
func (s *Room) refuse(w http.ResponseWriter, r *http.Request, name string, faults []csvlog.Fault) {
	if ui.IsPart(r) {
		w.Header().Set("HX-Retarget", "body")
	}
	s.showDesk(w, r, http.StatusUnprocessableEntity, deskView{File: name, Fault: faults})
}
