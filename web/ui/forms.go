package ui

import (
	"context"
	"errors"
	"net/http"

	"zincroad/logbook"
)

// Form reads a posted form; false when it could not be read and that was answered.
func (s *Pages) Form(w http.ResponseWriter, r *http.Request) (*Fields, bool) {
	if err := r.ParseForm(); err != nil {
		s.Fail(w, r, BadRequest("the form could not be read"))
		return nil, false
	}
	f := NewFields(r.PostForm)
	f.Typed = true
	return f, true
}

// runGiver gives a run by its number.
type runGiver interface {
	Run(ctx context.Context, id int64) (*logbook.Run, error)
}

// RunOf gives the run that the address names.
func RunOf(book runGiver, r *http.Request) (*logbook.Run, error) {
	id, err := IDParam(r, "id")
	if err != nil {
		return nil, err
	}
	return book.Run(r.Context(), id)
}

// FormOf reads a form posted to a run's page, with the run.
func (s *Pages) FormOf(book runGiver, w http.ResponseWriter, r *http.Request) (*logbook.Run, *Fields, bool) {
	row, err := RunOf(book, r)
	if err != nil {
		s.Fail(w, r, err)
		return nil, nil, false
	}
	f, ok := s.Form(w, r)
	return row, f, ok
}

// Keep stores what a form says and goes on to the address that store gives. False
// means that the form has faults to be shown, a name that is taken among them.
func (s *Pages) Keep(w http.ResponseWriter, r *http.Request, f *Fields, name, taken string,
	store func() (string, error)) bool {
	if !f.OK() {
		return false
	}
	to, err := store()
	switch {
	case errors.Is(err, logbook.ErrTaken):
		f.Fault(name, "%s", taken)
		return false
	case err != nil:
		s.Fail(w, r, err)
	default:
		http.Redirect(w, r, to, http.StatusSeeOther)
	}
	return true
}
