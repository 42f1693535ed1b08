package ui

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/sun"
	"zincroad/core/units"
	"zincroad/logbook"
)

// BrokenRun is a run whose figures cannot be made.
type BrokenRun struct {
	Row *logbook.Run
	Err error
}

// Error says what went wrong.
func (b *BrokenRun) Error() string { return b.Err.Error() }

// Unwrap gives it.
func (b *BrokenRun) Unwrap() error { return b.Err }

// isNight tells whether a page at the stall is to be dark where its reader chose nothing: while the sun is down where
// the site says where it lies, else from seven in the evening to seven in the morning of the reader's clock.
func isNight(readers time.Time, site *logbook.Site) bool {
	if site != nil && site.Latitude != nil && site.Longitude != nil {
		return !sun.IsUp(readers, *site.Latitude, *site.Longitude)
	}
	return readers.Hour() >= 19 || readers.Hour() < 7
}

// SiteOf gives the site that a run is at; nil where none is noted.
func SiteOf(row *logbook.Run) *logbook.Site {
	if row == nil || row.Stall == nil {
		return nil
	}
	return row.Stall.Site
}

// Frame is what every page needs around its own data.
type Frame struct {
	Title  string
	Page   string // which entry of the navigation is lit
	Run    *logbook.Run
	Site   *logbook.Site // of a page at the stall, where it is known
	Bench  []int64
	Units  units.People  // the reader's
	In     *units.People // the page's own, where it has some
	Theme  string        // day, night, or empty: as the device says
	Notice *Notice
	Data   any
	Door   Door // whether there is a password, and the reader is signed in
	Away   bool // the database itself does not answer: the page is of a copy
}

// Door is where a reader stands: the zero value is a program that asks nobody who they are.
type Door struct {
	Set  bool   // strangers are kept out
	In   bool   // the reader is in
	Crew bool   // people come in by name
	Name string // of the reader, where they did
	News int    // notes that mention them, which they have not seen
}

type doorKey struct{}

// WithDoor notes for the pages of a request where its reader stands.
func WithDoor(ctx context.Context, at Door) context.Context {
	return context.WithValue(ctx, doorKey{}, at)
}

// DoorOf tells where the reader of a request stands.
func DoorOf(ctx context.Context) Door {
	at, _ := ctx.Value(doorKey{}).(Door)
	if a := logbook.ActorOf(ctx); at.In && a.PersonID != 0 {
		at.Name = a.Name
	}
	return at
}

// errRefused is what somebody may not do.
var errRefused = errors.New("refused")

// Refused is an error that the reader is told with this sentence: it is not theirs to do.
func Refused(says string) error { return fmt.Errorf("%s: %w", says, errRefused) }

type awayKey struct{}

// WithAway notes for the pages of a request that the database itself does not answer.
func WithAway(ctx context.Context) context.Context { return context.WithValue(ctx, awayKey{}, true) }

// Notice is one sentence on top of a page, with a way to undo what it tells.
type Notice struct {
	Text   string
	Undo   string // where to post for undoing
	Fields map[string]string
	Bad    bool
}

// Render shows a page.
func (s *Pages) Render(w http.ResponseWriter, r *http.Request, name string, status int, f Frame) {
	if f.Bench == nil {
		f.Bench = Picked(r)
	}
	f.Door = DoorOf(r.Context())
	f.Away, _ = r.Context().Value(awayKey{}).(bool)
	if f.Units = MeasuresOf(r); f.In != nil {
		f.Units = *f.In
	}
	if c, err := r.Cookie("theme"); err == nil && (c.Value == "night" || c.Value == "day") {
		f.Theme = c.Value
	} else if strings.HasPrefix(name, "stall-") && isNight(s.NowFor(r), f.Site) {
		f.Theme = "night"
	}
	if f.Page == "" {
		f.Page = name
	}
	var b bytes.Buffer
	reader := ReaderOf(r)
	reader.People = f.Units
	if err := s.Draw(&b, reader, name, "base", f); err != nil {
		s.Log.Error("rendering", "page", name, "error", err)
		http.Error(w, "This page could not be drawn; the log says why.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_, _ = w.Write(Trimmed(r.Context(), b.Bytes()))
}

// Part shows one named piece of a page, for changes in place.
func (s *Pages) Part(w http.ResponseWriter, r *http.Request, page, name string, data any) {
	var b bytes.Buffer
	if err := s.Draw(&b, ReaderOf(r), page, name, data); err != nil {
		s.Log.Error("rendering", "part", name, "error", err)
		http.Error(w, "This could not be drawn; the log says why.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = w.Write(Trimmed(r.Context(), b.Bytes()))
}

// Do makes a handler of one that returns an error, which is answered by Fail.
func (s *Pages) Do(h func(http.ResponseWriter, *http.Request) error) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if err := h(w, r); err != nil {
			s.Fail(w, r, err)
		}
	}
}

// Fail answers with an error page of one sentence.
func (s *Pages) Fail(w http.ResponseWriter, r *http.Request, err error) {
	status, text := http.StatusInternalServerError, "Something went wrong here; the log says what."
	why := "the program cannot store it now"
	failed := func(what string) {
		if errors.Is(r.Context().Err(), context.Canceled) { // nobody waits any more; that it did not come is no fault
			s.Log.Info("given up by its reader", "path", Hidden(r.URL.Path), "error", err)
			return
		}
		s.Log.Error(what, "path", Hidden(r.URL.Path), "error", err)
	}
	if broken := (*BrokenRun)(nil); errors.As(err, &broken) && r.Context().Err() == nil {
		s.Log.Error("a run without figures", "run", broken.Row.ID, "error", err)
		s.Render(w, r, "broken", status, Frame{Title: fmt.Sprintf("Run %d", broken.Row.ID), Run: broken.Row,
			Data: broken.Row})
		return
	}
	switch {
	case errors.Is(err, logbook.ErrNotFound):
		status, text = http.StatusNotFound, Sentence(
			strings.TrimSuffix(err.Error(), ": not found"),
		)+" Nothing of that is in this logbook."
	case errors.Is(err, errRefused):
		status, text = http.StatusForbidden, strings.TrimSuffix(err.Error(), ": "+errRefused.Error())
	case errors.Is(err, logbook.ErrForbid):
		status, text = http.StatusForbidden, "This is not yours to do: ask a keeper."
	case errors.Is(err, errBadRequest):
		status, text = http.StatusBadRequest, Sentence(strings.TrimSuffix(err.Error(), ": "+errBadRequest.Error()))
	case errors.Is(err, logbook.ErrNoRoom):
		status, text = http.StatusInsufficientStorage, "Nothing can be stored now: the disk is full, or the database only "+
			"reads. What is stored can be read; go back, and send this once more when there is room."
		why = "the disk is full"
		failed("no room")
	case errors.Is(err, logbook.ErrAway):
		status, text = http.StatusServiceUnavailable, "The database does not answer, and nothing can be stored until it does."
		if r.Method == http.MethodPost {
			text += " Go back, and send this once more then."
		}
		why = "the database does not answer"
		failed("no database")
	case errors.Is(err, ErrBusy):
		status, text = http.StatusServiceUnavailable, Sentence(ErrBusy.Error())
		w.Header().Set("Retry-After", "60")
	case logbook.IsRule(err):
		status, text = http.StatusConflict, Sentence(err.Error())
	case errors.Is(err, context.DeadlineExceeded):
		status, text = http.StatusGatewayTimeout, "This took too long and was given up; nothing was stored."
	default:
		failed("request failed")
	}
	if IsScript(r) {
		if status < 500 { // for good
			Answer(w, r, status, map[string]any{"stored": false, "fault": text})
		} else {
			Answer(w, r, status, map[string]any{"stored": false, "why": why})
		}
		return
	}
	s.Render(w, r, "error", status, Frame{Title: "Not done", Page: "none", Data: text})
}

// IsScript tells whether a page's script sent something, and wants to hear in JSON what became of it.
func IsScript(r *http.Request) bool {
	return strings.Contains(r.Header.Get("Accept"), "application/json")
}

// Answer tells a page's script what became of what it sent, by its own key: a page takes only the answer to that for
// one.
func Answer(w http.ResponseWriter, r *http.Request, status int, said map[string]any) {
	said["key"] = r.PostFormValue("key")
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(said)
}

var errBadRequest = errors.New("bad request")

// BadRequest is a request that cannot be done as it is: one sentence for the reader.
func BadRequest(format string, args ...any) error {
	return fmt.Errorf("%s: %w", fmt.Sprintf(format, args...), errBadRequest)
}

// Sentence gives a text a capital and a full stop.
func Sentence(s string) string {
	if s == "" {
		return s
	}
	s = strings.ToUpper(s[:1]) + s[1:]
	if !strings.ContainsAny(s[len(s)-1:], ".!?") {
		s += "."
	}
	return s
}

// IDParam gives the number of that name in the address; no number is a page that is not there.
func IDParam(r *http.Request, name string) (int64, error) {
	id, err := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	if err != nil || id < 1 {
		return 0, fmt.Errorf("%q is no number of a page: %w", chi.URLParam(r, name), logbook.ErrNotFound)
	}
	return id, nil
}

// IsPart tells whether htmx asked for a change in place.
func IsPart(r *http.Request) bool {
	return r.Header.Get("HX-Request") == "true" && r.Header.Get("HX-History-Restore-Request") != "true"
}

// Back returns to the page that a form stood on, within this site.
func Back(w http.ResponseWriter, r *http.Request, otherwise string) {
	to := Inside(r.FormValue("back"))
	if to == "/" {
		to = otherwise
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// Inside is an address to go on to, where it is one of this site; else the first page. Browsers leave out tabs and ends
// of lines, and take a backslash for a slash.
func Inside(to string) string {
	odd := func(r rune) bool { return r <= ' ' || r == '\\' || r == 0x7f }
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsFunc(to, odd) {
		return "/"
	}
	return to
}
