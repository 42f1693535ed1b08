// Package web is Zinc Road's interface: pages, forms and files over HTTP. It
// shows what logbook keeps and core worked out, and does no arithmetic of its own.
package web

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"zincroad/core/units"
	"zincroad/logbook"
)

//go:embed templates
var templateFiles embed.FS

//go:embed all:static
var staticFiles embed.FS

// Server answers requests from one logbook; safe for concurrent use.
type Server struct {
	book      *logbook.Book
	log       *slog.Logger
	templates map[string]*template.Template
	font      []byte           // for pictures that stand alone
	now       func() time.Time // where a page needs the time of day
	live      *liveHub
	closing   chan struct{} // closed when the program ends, so that streams end
}

// requestTimeout is how long a page may take; imports have importTimeout.
const (
	requestTimeout = 30 * time.Second
	importTimeout  = 10 * time.Minute
	maxUpload      = 256 << 20
)

// New makes a server. It fails when its own templates or files are broken.
func New(book *logbook.Book, log *slog.Logger) (*Server, error) {
	s := &Server{book: book, log: log, templates: map[string]*template.Template{}, now: time.Now, closing: make(chan struct{})}
	s.live = &liveHub{s: s, by: map[int64]*watch{}}
	pages, err := fs.Glob(templateFiles, "templates/page_*.html")
	if err != nil {
		return nil, fmt.Errorf("templates: %w", err)
	}
	for _, p := range pages {
		name := strings.TrimSuffix(strings.TrimPrefix(p, "templates/page_"), ".html")
		t, err := template.New(name).Funcs(functions).ParseFS(templateFiles, "templates/base.html", "templates/parts.html", p)
		if err != nil {
			return nil, fmt.Errorf("template %s: %w", name, err)
		}
		s.templates[name] = t
	}
	if s.font, err = staticFiles.ReadFile("static/archivo.woff2"); err != nil {
		return nil, fmt.Errorf("the font is missing from the program, build it with make build: %w", err)
	}
	return s, nil
}

// SetClock gives the pages another clock than the machine's; before serving.
func (s *Server) SetClock(now func() time.Time) { s.now = now }

// Close ends the streams of live pages, so that the server can stop at once.
func (s *Server) Close() { close(s.closing) }

// Handler gives everything that is served.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(middleware.RequestID, s.logged, middleware.Recoverer, headers, http.NewCrossOriginProtection().Handler)
	r.Use(middleware.Compress(5, "text/html", "text/css", "text/javascript", "image/svg+xml", "application/json", "text/csv"))

	static, _ := fs.Sub(staticFiles, "static")
	r.Handle("/static/*", http.StripPrefix("/static/", cached(http.FileServerFS(static))))
	r.Get("/healthz", s.health)

	r.Group(func(r chi.Router) {
		r.Use(limited(requestTimeout))
		r.Get("/", s.road)
		r.Get("/unread", s.unread)
		r.Route("/runs/{id}", s.runRoutes)
		r.Get("/bench", s.bench)
		r.Get("/bench.csv", s.benchCSV)
		r.Get("/bench/curve.svg", s.benchSVG)
		r.Post("/bench/pick", s.pick)
		r.Post("/bench/lay", s.lay)
		r.Route("/prepare", s.prepareRoutes)
		r.Route("/stall", s.stallPageRoutes)
		r.Route("/garage", s.garageRoutes)
		r.Route("/sites", s.siteRoutes)
		r.Get("/definitions", s.definitions)
		r.Post("/night", s.night)
		r.Post("/units", s.setUnits)
	})
	r.Group(func(r chi.Router) {
		r.Use(limited(importTimeout))
		r.Route("/desk", s.deskRoutes)
		r.Post("/stall/{id}/end", s.endRun) // may bring a photo along, over a phone's network
	})
	r.Get("/stall/{id}/events", s.liveEvents)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		s.fail(w, r, fmt.Errorf("there is no page %s: %w", r.URL.Path, logbook.ErrNotFound))
	})
	return r
}

// logged writes one line for each request that was slow or went wrong.
func (s *Server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		level := slog.LevelDebug
		stream := strings.HasPrefix(ww.Header().Get("Content-Type"), "text/event-stream")
		if ww.Status() >= 500 || !stream && time.Since(began) > time.Second {
			level = slog.LevelWarn
		}
		s.log.Log(r.Context(), level, "request", "method", r.Method, "path", r.URL.Path, "status", ww.Status(), "took", time.Since(began).Round(time.Microsecond))
	})
}

// headers keep pages to their own files: nothing is loaded from elsewhere.
func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: blob:; style-src 'self'; font-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}

func limited(d time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			ctx, cancel := context.WithTimeout(r.Context(), d)
			defer cancel()
			next.ServeHTTP(w, r.WithContext(ctx))
		})
	}
}

func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=3600")
		next.ServeHTTP(w, r)
	})
}

func (s *Server) health(w http.ResponseWriter, r *http.Request) {
	if err := s.book.Ping(r.Context()); err != nil {
		http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
		return
	}
	fmt.Fprintln(w, "ok")
}

// Frame is what every page needs around its own data.
type Frame struct {
	Title  string
	Page   string // which entry of the navigation is lit
	Run    *logbook.Run
	Bench  []int64
	Units  units.People  // the reader's
	In     *units.People // the page's own, where it has some
	Theme  string        // day, night, or empty: as the device says
	Notice *Notice
	Data   any
}

// Notice is one sentence on top of a page, with a way to undo what it tells.
type Notice struct {
	Text   string
	Undo   string // where to post for undoing
	Fields map[string]string
	Bad    bool
}

// render shows a page.
func (s *Server) render(w http.ResponseWriter, r *http.Request, name string, status int, f Frame) {
	f.Bench = benchOf(r)
	if f.Units = measuresOf(r); f.In != nil {
		f.Units = *f.In
	}
	if c, err := r.Cookie("theme"); err == nil && (c.Value == "night" || c.Value == "day") {
		f.Theme = c.Value
	} else if strings.HasPrefix(name, "stall-") && isNight(s.nowFor(r)) {
		f.Theme = "night"
	}
	if f.Page == "" {
		f.Page = name
	}
	var b bytes.Buffer
	if err := s.templates[name].ExecuteTemplate(&b, "base", f); err != nil {
		s.log.Error("rendering", "page", name, "error", err)
		http.Error(w, "This page could not be drawn; the log says why.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_, _ = w.Write(localised(b.Bytes(), f.Units))
}

// part shows one named piece of a page, for changes in place.
func (s *Server) part(w http.ResponseWriter, r *http.Request, page, name string, data any) {
	var b bytes.Buffer
	if err := s.templates[page].ExecuteTemplate(&b, name, data); err != nil {
		s.log.Error("rendering", "part", name, "error", err)
		http.Error(w, "This could not be drawn; the log says why.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = w.Write(localised(b.Bytes(), measuresOf(r)))
}

// fail answers with an error page of one sentence.
func (s *Server) fail(w http.ResponseWriter, r *http.Request, err error) {
	status, text := http.StatusInternalServerError, "Something went wrong here; the log says what."
	if broken := (*brokenRun)(nil); errors.As(err, &broken) && r.Context().Err() == nil {
		s.log.Error("a run without figures", "run", broken.row.ID, "error", err)
		s.render(w, r, "broken", status, Frame{Title: fmt.Sprintf("Run %d", broken.row.ID), Run: broken.row,
			Data: broken.row})
		return
	}
	switch {
	case errors.Is(err, logbook.ErrNotFound):
		status, text = http.StatusNotFound, sentence(strings.TrimSuffix(err.Error(), ": not found"))+" Nothing of that is in this logbook."
	case errors.Is(err, errBadRequest):
		status, text = http.StatusBadRequest, sentence(strings.TrimSuffix(err.Error(), ": "+errBadRequest.Error()))
	case logbook.IsRule(err):
		status, text = http.StatusConflict, sentence(err.Error())
	case errors.Is(err, context.DeadlineExceeded):
		status, text = http.StatusGatewayTimeout, "This took too long and was given up; nothing was stored."
	default:
		s.log.Error("request failed", "path", r.URL.Path, "error", err)
	}
	s.render(w, r, "error", status, Frame{Title: "Not done", Page: "none", Data: text})
}

var errBadRequest = errors.New("bad request")

func badRequest(format string, args ...any) error {
	return fmt.Errorf("%s: %w", fmt.Sprintf(format, args...), errBadRequest)
}

// sentence gives a text a capital and a full stop.
func sentence(s string) string {
	if s == "" {
		return s
	}
	s = strings.ToUpper(s[:1]) + s[1:]
	if !strings.ContainsAny(s[len(s)-1:], ".!?") {
		s += "."
	}
	return s
}

func idParam(r *http.Request, name string) (int64, error) {
	id, err := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	if err != nil || id < 1 {
		return 0, fmt.Errorf("%q is no number of a page: %w", chi.URLParam(r, name), logbook.ErrNotFound)
	}
	return id, nil
}

// isPart tells whether htmx asked for a change in place.
func isPart(r *http.Request) bool {
	return r.Header.Get("HX-Request") == "true" && r.Header.Get("HX-History-Restore-Request") != "true"
}

// night switches the theme and comes back to the page.
func (s *Server) night(w http.ResponseWriter, r *http.Request) {
	theme := "day"
	if r.FormValue("theme") == "night" {
		theme = "night"
	}
	http.SetCookie(w, &http.Cookie{Name: "theme", Value: theme, Path: "/", MaxAge: 365 * 86400, SameSite: http.SameSiteLaxMode, HttpOnly: true})
	back(w, r, "/")
}

// back returns to the page that a form stood on, within this site.
func back(w http.ResponseWriter, r *http.Request, otherwise string) {
	to := r.FormValue("back")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.Contains(to, `\`) {
		to = otherwise
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

func (s *Server) definitions(w http.ResponseWriter, r *http.Request) {
	s.render(w, r, "definitions", http.StatusOK, Frame{Title: "How figures are worked out", Page: "none"})
}
