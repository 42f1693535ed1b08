package web

import (
	"errors"
	"net/http"

	"zincroad/logbook"
)

// form reads a posted form; false when it could not be read and that was answered.
func (s *Server) form(w http.ResponseWriter, r *http.Request) (*fields, bool) {
	if err := r.ParseForm(); err != nil {
		s.fail(w, r, badRequest("the form could not be read"))
		return nil, false
	}
	f := newFields(r.PostForm)
	f.Typed = true
	return f, true
}

// formOf reads a form posted to a run's page, with the run.
func (s *Server) formOf(w http.ResponseWriter, r *http.Request) (*logbook.Run, *fields, bool) {
	row, err := s.rowOf(r)
	if err != nil {
		s.fail(w, r, err)
		return nil, nil, false
	}
	f, ok := s.form(w, r)
	return row, f, ok
}

// keep stores what a form says and goes on to the address that store gives. False
// means that the form has faults to be shown, a name that is taken among them.
func (s *Server) keep(w http.ResponseWriter, r *http.Request, f *fields, name, taken string, store func() (string, error)) bool {
	if !f.ok() {
		return false
	}
	to, err := store()
	switch {
	case errors.Is(err, logbook.ErrTaken):
		f.fault(name, "%s", taken)
		return false
	case err != nil:
		s.fail(w, r, err)
	default:
		http.Redirect(w, r, to, http.StatusSeeOther)
	}
	return true
}
