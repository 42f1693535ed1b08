// Package garage is what runs are made with: cars with their software, adapters, sites with their stalls.
package garage

import (
	"context"
	"embed"
	"net/http"

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

// Book is what the room needs of the logbook: cars and sites.
type Book interface {
	LastActor(ctx context.Context, entity string, id int64) (string, error)
	Adapters(ctx context.Context) ([]logbook.Adapter, error)
	Bus(ctx context.Context, carID int64) (*logbook.CarBus, error)
	SaveBus(ctx context.Context, bus *logbook.CarBus) error
	Car(ctx context.Context, id int64) (*logbook.Car, error)
	CarRuns(ctx context.Context, carID int64, latest int) (list []logbook.CarRun, all int, err error)
	CarCapacities(ctx context.Context, carID int64) ([]logbook.CarCapacity, error)
	SetTeaches(ctx context.Context, runID int64, teaches vehicle.Teaches) error
	Cars(ctx context.Context) ([]logbook.Car, error)
	DeleteAdapter(ctx context.Context, id int64) error
	DeleteCar(ctx context.Context, id int64) error
	DeleteSite(ctx context.Context, id int64) error
	DeleteSoftware(ctx context.Context, id int64) error
	DeleteStall(ctx context.Context, id int64) error
	Learned(ctx context.Context, car *run.Car, of logbook.Of) (*logbook.Learned, error)
	Run(ctx context.Context, id int64) (*logbook.Run, error)
	Roads(ctx context.Context) (map[[2]int64]float64, error)
	SaveAdapter(ctx context.Context, a *logbook.Adapter) error
	SaveCar(ctx context.Context, c *logbook.Car) error
	SavePlace(ctx context.Context, siteID int64, baseKm *float64, roads map[int64]*float64) error
	SaveSite(ctx context.Context, s *logbook.Site) error
	SaveSoftware(ctx context.Context, s *logbook.Software) error
	SaveStall(ctx context.Context, s *logbook.Stall) error
	Site(ctx context.Context, id int64) (*logbook.Site, error)
	Sites(ctx context.Context) ([]logbook.Site, error)
	Software(ctx context.Context, id int64) (*logbook.Software, error)
	Stall(ctx context.Context, id int64) (*logbook.Stall, error)
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book}, nil
}

// lastActor tells who changed something last; it matters to whoever changes what was there already.
func (s *Room) lastActor(r *http.Request, entity string, id int64) func() (string, error) {
	return func() (string, error) { return s.book.LastActor(r.Context(), entity, id) }
}
