// Package web is Zinc Road's interface: pages, forms and files over HTTP. It shows what
// logbook keeps and core worked out, and does no arithmetic of its own. Each room below it
// has the pages of one kind; this package has the server, what stands in front of every
// page, and the routes of all.
package web

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"zincroad/logbook"
	"zincroad/web/access"
	"zincroad/web/api"
	"zincroad/web/bench"
	"zincroad/web/desk"
	"zincroad/web/garage"
	"zincroad/web/hooks"
	"zincroad/web/plan"
	"zincroad/web/publish"
	"zincroad/web/road"
	"zincroad/web/runs"
	"zincroad/web/school"
	"zincroad/web/stall"
	"zincroad/web/trip"
	"zincroad/web/ui"
)

//go:embed templates
var templates embed.FS

//go:embed all:static
var staticFiles embed.FS

// Server answers requests from one logbook; safe for concurrent use.
type Server struct {
	*ui.Pages
	book    *logbook.Book
	metrics *metrics

	behindTLS bool

	access  *access.Room
	road    *road.Room
	runs    *runs.Room
	bench   *bench.Room
	plan    *plan.Room
	stall   *stall.Room
	desk    *desk.Room
	garage  *garage.Room
	trip    *trip.Room
	school  *school.Room
	hooks   *hooks.Room
	publish *publish.Room
	api     *api.Room
}

// requestTimeout is how long a page may take; imports have importTimeout.
const (
	requestTimeout = 30 * time.Second
	importTimeout  = 10 * time.Minute
	exportTimeout  = 30 * time.Minute // of what is streamed, over a phone's network
	uploadPatience = 2 * time.Minute
)

// Font is the letters of pages and pictures, as woff2.
func Font() ([]byte, error) {
	font, err := staticFiles.ReadFile("static/archivo.woff2")
	if err != nil {
		return nil, fmt.Errorf("the font is missing from the program, build it with make build: %w", err)
	}
	return font, nil
}

// New makes a server. It fails when its own templates or files are broken.
func New(book *logbook.Book, log *slog.Logger) (*Server, error) {
	font, err := Font()
	if err != nil {
		return nil, err
	}
	u, err := ui.New(log, font)
	if err != nil {
		return nil, err
	}
	u.Chosen, u.Usual = book.KeepChosen, func(ctx context.Context) (ui.Usual, error) { return ui.UsualOf(ctx, book) }
	s := &Server{book: book, metrics: newMetrics(book)}
	if s.Pages, err = u.Pages(templates, template.FuncMap{"definitions": allDefinitions}); err != nil {
		return nil, err
	}
	for _, open := range []func() error{
		func() (err error) {
			s.access, err = access.New(u, book, logbook.Sessions{Store: book.AccessStore})
			return err
		},
		func() (err error) { s.road, err = road.New(u, book); return err },
		func() (err error) { s.runs, err = runs.New(u, book); return err },
		func() (err error) { s.bench, err = bench.New(u, book); return err },
		func() (err error) { s.plan, err = plan.New(u, book); return err },
		func() (err error) { s.stall, err = stall.New(u, book, s.plan); return err },
		func() (err error) { s.desk, err = desk.New(u, book); return err },
		func() (err error) { s.garage, err = garage.New(u, book); return err },
		func() (err error) { s.trip, err = trip.New(u, book); return err },
		func() (err error) { s.school, err = school.New(u, s.stall); return err },
		func() (err error) { s.hooks, err = hooks.New(u, book); return err },
		func() (err error) { s.publish, err = publish.New(u, book, s.access.From, s.trip.Report); return err },
	} {
		if err := open(); err != nil {
			return nil, err
		}
	}
	s.api = api.New(log, book, func() time.Time { return s.Now() }, s.access.From)
	return s, nil
}

// BehindTLS makes cookies for TLS alone: a proxy in front speaks it, and says where requests come from. Before serving.
func (s *Server) BehindTLS() {
	s.access.BehindProxy()
	s.behindTLS = true
}

// Trust lets people in for whom an OpenID Connect provider vouches; before serving.
func (s *Server) Trust(p access.Provider) { s.access.Trust(p) }

// SetClock gives the pages another clock than the machine's; before serving.
func (s *Server) SetClock(now func() time.Time) { s.Now = now }

// FollowLive hears of live runs from the database until the context ends, so that pages
// show what any copy of the program stores. Without it they notice every few seconds.
func (s *Server) FollowLive(ctx context.Context) { s.stall.FollowLive(ctx) }

// Close ends the streams of live pages, so that the server can stop at once.
func (s *Server) Close() { s.stall.Close() }

// Handler gives everything that is served.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(
		middleware.RequestID,
		s.metrics.watch,
		s.logged,
		middleware.Recoverer,
		s.headers,
		http.NewCrossOriginProtection().Handler,
		readable,
		paced(bodyGrace),
		headAsGet,
	)
	r.Use(compressed("text/html", "text/css", "text/javascript", "image/svg+xml", "application/json", "text/csv"))

	static, _ := fs.Sub(staticFiles, "static")
	r.Handle("/static/*", http.StripPrefix("/static/", onlyFiles(cached(http.FileServerFS(static)))))
	r.Get("/offline.js", func(w http.ResponseWriter, r *http.Request) { // at the root: it is for pages there
		w.Header().Set("Cache-Control", "no-cache")
		http.ServeFileFS(w, r, static, "offline.js")
	})
	r.Get("/healthz", s.alive)
	r.Get("/readyz", s.ready)

	r.Group(func(r chi.Router) {
		r.Use(limited(requestTimeout), forms(maxForm), s.away, s.access.Gate, s.copied)
		s.access.Routes(r)
		s.road.Routes(r)
		s.bench.Routes(r.With(s.often(costlyAMinute)))
		r.Route("/runs/{id}", s.runs.Routes)
		r.With(s.often(costlyAMinute)).Route("/prepare", s.plan.Routes)
		r.With(s.often(costlyAMinute)).Route("/trip", s.trip.Routes)
		r.With(s.often(costlyAMinute)).Route("/reports", s.publish.Routes)
		r.Route("/stall", s.stall.Routes)
		r.Route("/garage", s.garage.Routes)
		r.Route("/sites", s.garage.SiteRoutes)
		s.school.Routes(r.With(s.often(costlyAMinute)))
		r.Route("/hooks", s.hooks.Routes)
		r.Get("/definitions", s.definitions)
		r.Post("/night", s.Night)
		r.Get("/settings", s.Settings)
		r.Post("/settings", s.SetSettings)
	})
	r.Group(func(r chi.Router) {
		r.Use(limited(importTimeout), s.often(costlyAMinute), s.away, s.access.Gate, s.copied)
		r.Use(ui.NewQueue(uploadPatience).Take)
		r.Route("/desk", s.desk.Routes)
		s.runs.Additions(r)
	})
	r.Group(func(r chi.Router) { // may bring a photo along, over a phone's network, and waits for nobody's file
		r.Use(limited(importTimeout), s.away, s.access.Gate, s.copied, ui.NewQueue(uploadPatience).Take)
		r.Post("/stall/{id}/end", s.Do(s.stall.EndRun))
	})
	r.Group(func(r chi.Router) {
		r.Use(limited(exportTimeout), s.often(filesAMinute), s.away, s.access.Gate, s.copied)
		s.runs.Exports(r)
	})
	r.Route(publish.Prefix, func(r chi.Router) { // whoever has a link
		r.Use(limited(requestTimeout), forms(maxForm))
		s.publish.Open(r)
	})
	r.Route(api.Prefix, func(r chi.Router) {
		r.Use(limited(importTimeout), s.often(apiAMinute))
		s.api.Routes(r)
	})
	r.With(s.access.Gate, s.access.Watch).Get("/stall/{id}/events", s.Do(s.stall.Events))
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		s.Fail(w, r, fmt.Errorf("there is no page %s: %w", r.URL.Path, logbook.ErrNotFound))
	})
	return r
}

// alive tells that the program answers.
func (s *Server) alive(w http.ResponseWriter, _ *http.Request) { fmt.Fprintln(w, "ok") }

// ready tells whether the program can do its work: the database answers, can be written to, and has the tables
// of this program. While a copy of the database answers in its place, pages are worth asking for all the same.
func (s *Server) ready(w http.ResponseWriter, r *http.Request) {
	if err := s.book.Ready(r.Context()); err != nil {
		s.Log.Warn("not ready", "error", err)
		if errors.Is(err, logbook.ErrAway) && s.book.Reads() {
			fmt.Fprintln(w, "ready to be read: "+logbook.NotReady(err)+", a copy of it does")
			return
		}
		http.Error(w, "not ready: "+logbook.NotReady(err), http.StatusServiceUnavailable)
		return
	}
	fmt.Fprintln(w, "ready")
}
