// Package api is the program's interface for other programs: /api/v1, described by OpenAPI at /api/v1/openapi.json.
// What goes out and comes in has the open formats that the commands have; errors are problem details (RFC 9457).
package api

import (
	"context"
	_ "embed"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/formats/intake"
	"zincroad/logbook"
	"zincroad/web/rights"
)

// Document describes the interface, in OpenAPI 3.1.
//
//go:embed openapi.json
var Document []byte

// Prefix is what its addresses begin with.
const Prefix = "/api/v1"

// Book is what the interface needs of the logbook.
type Book interface {
	Door(ctx context.Context) (logbook.Door, error)
	MayChange(ctx context.Context, a logbook.Actor, id int64) (bool, error)
	ClaimKey(ctx context.Context, actor, key string) (*logbook.Answered, error)
	KeepAnswer(ctx context.Context, actor, key string, a *logbook.Answered) error
	DropKey(ctx context.Context, actor, key string) error
	TokenOf(ctx context.Context, secret string, now time.Time) (*logbook.Token, error)

	Road(ctx context.Context, f logbook.RoadFilter) ([]logbook.RoadRow, int, float64, error)
	Run(ctx context.Context, id int64) (*logbook.Run, error)
	Load(ctx context.Context, row *logbook.Run) (*run.Run, error)
	Results(ctx context.Context, row *logbook.Run) (*logbook.Results, error)
	Parcel(ctx context.Context, row *logbook.Run) (*logbook.Parcel, error)
	WriteReadings(ctx context.Context, w io.Writer, rec *logbook.Recording) error
	Save(ctx context.Context, in *intake.Bundle) (int64, error)
	Twin(ctx context.Context, files []intake.File) (*logbook.Run, bool, error)
	SaveDetailsUnchanged(ctx context.Context, row *logbook.Run, marks ...logbook.Mark) error
	DeleteRun(ctx context.Context, id int64) error
	RestoreRun(ctx context.Context, id int64) error
	Learned(ctx context.Context, car *run.Car, of logbook.Of) (*logbook.Learned, error)

	SaveCar(ctx context.Context, c *logbook.Car) error
	Site(ctx context.Context, id int64) (*logbook.Site, error)
	SaveSite(ctx context.Context, s *logbook.Site) error
	Stall(ctx context.Context, id int64) (*logbook.Stall, error)
	SaveStall(ctx context.Context, s *logbook.Stall) error
	Type(ctx context.Context, runID int64, side trace.Side, key, line, correcting string, s logbook.Sample) error

	Cars(ctx context.Context) ([]logbook.Car, error)
	Car(ctx context.Context, id int64) (*logbook.Car, error)
	Sites(ctx context.Context) ([]logbook.Site, error)
}

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	log  *slog.Logger
	book Book
	now  func() time.Time
	from func(*http.Request) (string, error) // the address that a request came from
}

// New makes the room; from gives the address that a request came from.
func New(log *slog.Logger, book Book, now func() time.Time, from func(*http.Request) (string, error)) *Room {
	return &Room{log: log, book: book, now: now, from: from}
}

// Routes are the room's own paths, below /api/v1.
func (s *Room) Routes(r chi.Router) {
	r.Get("/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write(Document)
	})
	r.Group(func(r chi.Router) {
		r.Use(s.letIn)
		r.Post("/runs", s.once(s.do(s.bringIn))) // with a bound of its own
		r = r.With(func(next http.Handler) http.Handler { return http.MaxBytesHandler(next, mostJSON) })
		get := func(path string, h handler) { r.Get(path, s.do(h)) }
		get("/runs", s.runs)
		get("/runs/{id}", s.run)
		get("/runs/{id}/reading", s.reading)
		get("/runs/{id}/readings", s.readings)
		get("/runs/{id}/folder", s.folder)
		get("/cars", s.cars)
		get("/cars/{id}", s.car)
		get("/cars/{id}/learned", s.learned)
		get("/sites", s.sites)
		get("/stalls", s.stalls)
		for path, h := range map[string]handler{"/bench": s.bench, "/forecast": s.forecast, "/fit": s.fit, "/trip": s.trip} {
			r.Post(path, s.do(h))
		}
		r.Patch("/runs/{id}", s.once(s.do(s.change)))
		r.Post("/runs/{id}/live/readings", s.once(s.do(s.liveReading)))
		r.Post("/cars", s.once(s.do(s.addCar)))
		r.Patch("/cars/{id}", s.once(s.do(s.changeCar)))
		r.Post("/sites", s.once(s.do(s.addSite)))
		r.Patch("/sites/{id}", s.once(s.do(s.changeSite)))
		r.Post("/stalls", s.once(s.do(s.addStall)))
		r.Patch("/stalls/{id}", s.once(s.do(s.changeStall)))
		r.Delete("/runs/{id}", s.once(s.do(s.remove)))
		r.Post("/runs/{id}/restore", s.once(s.do(s.restore)))
	})
	r.NotFound(s.do(func(http.ResponseWriter, *http.Request) error {
		return problem{Status: http.StatusNotFound, Title: "Nothing is there", Detail: "openapi.json lists what is"}
	}))
	r.MethodNotAllowed(s.do(func(_ http.ResponseWriter, r *http.Request) error {
		return problem{Status: http.StatusMethodNotAllowed, Title: "Not done this way",
			Detail: r.Method + " does nothing here; openapi.json lists what does"}
	}))
}

// mostJSON is how large a body of JSON may be, in bytes, as of a form.
const mostJSON = 2 << 20

type handler func(http.ResponseWriter, *http.Request) error

// letIn finds out for whom whoever asks works, by a token; without one for nobody in particular where nothing keeps
// strangers out and the request comes from this machine, and else not at all. What is not theirs to do is refused.
func (s *Room) letIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, err := s.asking(r)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		judge := rights.Judge{Actor: logbook.ActorOf(ctx), Routes: chi.RouteContext(ctx).Routes, Runs: s.book}
		no, err := judge.May(ctx, r.Method, r.URL.Path)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		if no != nil {
			s.fail(w, r, problem{Status: http.StatusForbidden, Title: "Not with this token",
				Detail: "it has the role " + string(judge.Actor.Role) + ", and this needs a " + string(no.Needs.Role) +
					whose(no, judge.Actor)})
			return
		}
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// whose adds that a run is somebody else's, where that is why.
func whose(no *rights.Missing, a logbook.Actor) string {
	if a.May(no.Needs.Role) {
		return " whose run it is, or a keeper"
	}
	return ""
}

func (s *Room) asking(r *http.Request) (context.Context, error) {
	ctx := r.Context()
	secret, bearer := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if bearer {
		t, err := s.book.TokenOf(ctx, strings.TrimSpace(secret), s.now())
		if errors.Is(err, logbook.ErrNotFound) {
			return nil, problem{Status: http.StatusUnauthorized, Title: "This token lets nobody in",
				Detail: "it was never made, has ended or was withdrawn"}
		}
		if err != nil {
			return nil, err
		}
		ctx = context.WithValue(ctx, actorKey{}, fmt.Sprint("token ", t.ID))
		return logbook.By(ctx, logbook.Actor{Name: t.Name, PersonID: t.MadeBy, Role: t.Role, Crew: t.Crew}), nil
	}
	door, err := s.book.Door(ctx)
	if err != nil {
		return nil, err
	}
	from, err := s.from(r)
	if err != nil {
		return nil, err
	}
	if ip := net.ParseIP(from); door.Open() && ip != nil && ip.IsLoopback() {
		return ctx, nil
	}
	return nil, problem{Status: http.StatusUnauthorized, Title: "A token is needed",
		Detail: "zincroad token add NAME makes one; send it as Authorization: Bearer TOKEN"}
}

// do answers with a handler, or with the problem that it gives.
func (s *Room) do(h handler) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if err := h(w, r); err != nil {
			s.fail(w, r, err)
		}
	}
}

// answer sends a value as JSON, with sentences in the place of texts, in °C and km.
func answer(w http.ResponseWriter, status int, v any) error {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	return say.WriteJSON(w, v, units.People{})
}
