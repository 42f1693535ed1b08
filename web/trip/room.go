// Package trip is the room of ways with stops: where to charge on them, how much, for how long.
package trip

import (
	"context"
	"embed"

	"github.com/go-chi/chi/v5"

	"zincroad/core/run"
	"zincroad/core/vehicle"
	"zincroad/logbook"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book Book
}

// Book is what the room needs of the logbook: cars with what their runs taught, sites, and ways.
type Book interface {
	Cars(ctx context.Context) ([]logbook.Car, error)
	Known(ctx context.Context, car *run.Car, of logbook.Of) (*vehicle.Model, error)
	SaveTrip(ctx context.Context, name string, stops []*logbook.Preparation) error
	Trips(ctx context.Context) ([]logbook.Trip, error)
	Runs(ctx context.Context, ids []int64) ([]*logbook.Run, error)
	SeveralResults(ctx context.Context, rows []*logbook.Run) ([]*logbook.Results, error)
	Sites(ctx context.Context) ([]logbook.Site, error)
	Ways(ctx context.Context) ([]logbook.Way, error)
	SaveWay(ctx context.Context, w *logbook.Way) error
	DeleteWay(ctx context.Context, id int64) error
	RestoreWay(ctx context.Context, id int64) error
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book}, nil
}

// Routes are the room's pages.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.Do(s.page))
	r.Get("/how/{figure}", s.Do(s.how))
	r.Post("/keep", s.Do(s.keep))
	r.Post("/ways", s.Do(s.takeWay))
	r.Post("/ways/{id}/delete", s.Do(s.deleteWay))
	r.Post("/ways/{id}/restore", s.Do(s.restoreWay))
}
