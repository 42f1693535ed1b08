package publish

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"zincroad/internal/password"
	"zincroad/logbook"
	"zincroad/web/report"
)

// Prefix is under what links stand.
const Prefix = "/r"

// publicPolicy lets a report have its own styles and pictures, and its form go back here; it fetches nothing.
const publicPolicy = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; " +
	"form-action 'self'; frame-ancestors 'none'; base-uri 'none'"

// public sets what every answer to a link has: no store keeps it, so that a withdrawn link is gone at once, and no
// other place hears of its address.
func public(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", publicPolicy)
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cache-Control", "no-store")
		h.Set("X-Robots-Tag", "noindex, nofollow")
		next.ServeHTTP(w, r)
	})
}

func tooMany(w http.ResponseWriter, _ *http.Request) {
	http.Error(w, "Too many tries from this address; wait a minute.", http.StatusTooManyRequests)
}

// linked is the link of a request, once its password was given where it has one; false where that was answered. A link
// that never was, one that ended and one that was withdrawn are answered alike.
func (s *Room) linked(w http.ResponseWriter, r *http.Request) (*logbook.Link, bool) {
	link, err := s.book.LinkOf(r.Context(), chi.URLParam(r, "secret"), s.Now())
	switch {
	case errors.Is(err, logbook.ErrNotFound):
		http.Error(w, "There is no report here, or no more.", http.StatusNotFound)
		return nil, false
	case err != nil:
		s.Log.Error("opening a link", "error", err)
		http.Error(w, "The report cannot be read just now; try again in a minute.", http.StatusServiceUnavailable)
		return nil, false
	}
	if link.Password == "" {
		return link, true
	}
	if r.Method != http.MethodPost {
		s.ask(w, http.StatusOK, "")
		return nil, false
	}
	if err := r.ParseForm(); err != nil {
		http.Error(w, "The form could not be read.", http.StatusBadRequest)
		return nil, false
	}
	ok, err := password.Matches(r.Context(), link.Password, r.PostForm.Get("password"))
	if err != nil {
		s.Log.Error("holding a link's password", "error", err)
	}
	if !ok {
		s.ask(w, http.StatusForbidden, "That is not it.")
		return nil, false
	}
	return link, true
}

// ask asks for a link's password.
func (s *Room) ask(w http.ResponseWriter, status int, said string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	if err := report.AskPassword(w, said, s.Font); err != nil {
		s.Log.Error("asking for a link's password", "error", err)
	}
}

// open shows the report of a link.
func (s *Room) open(w http.ResponseWriter, r *http.Request) {
	link, ok := s.linked(w, r)
	if !ok {
		return
	}
	ctx := logbook.InCrew(r.Context(), link.Crew)
	kept, err := s.book.Report(ctx, link.ReportID)
	if err == nil {
		err = s.book.LinkOpened(ctx, link.ID, s.Now())
	}
	var cover *report.Cover
	if err == nil {
		cover, err = s.coverOf(kept)
	}
	if err != nil {
		s.Log.Error("opening a report", "error", err)
		http.Error(w, "The report cannot be read just now; try again in a minute.", http.StatusServiceUnavailable)
		return
	}
	if kept.WithData {
		cover.DataHref = Prefix + "/" + chi.URLParam(r, "secret") + "/data.zip"
		cover.DataAsks = link.Password != ""
	}
	if cover.Index = link.Listed; link.Listed {
		w.Header().Del("X-Robots-Tag")
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := cover.Write(w); err != nil {
		s.Log.Warn("sending a report", "error", err)
	}
}

// openData gives the data of a link's report.
func (s *Room) openData(w http.ResponseWriter, r *http.Request) {
	link, ok := s.linked(w, r)
	if !ok {
		return
	}
	if err := s.sendData(logbook.InCrew(r.Context(), link.Crew), w, link.ReportID); err != nil {
		http.Error(w, "There is no report here, or no more.", http.StatusNotFound)
	}
}

func (s *Room) sendData(ctx context.Context, w http.ResponseWriter, id int64) error {
	data, err := s.book.ReportData(ctx, id)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="report-%d-data.zip"`, id))
	_, _ = w.Write(data)
	return nil
}
