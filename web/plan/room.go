// Package plan is Prepare: a plan worked out anew for each change, kept plans, methods, and the matrix of
// wanted runs.
package plan

import (
	"context"
	"embed"
	"html/template"

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

// Book is what the room needs of the logbook: what plans are made of.
type Book interface {
	ui.Namer
	Adapters(ctx context.Context) ([]logbook.Adapter, error)
	Cars(ctx context.Context) ([]logbook.Car, error)
	DeleteMethod(ctx context.Context, id int64) (*logbook.OwnMethod, error)
	DeletePreparation(ctx context.Context, id int64) error
	DeleteWanted(ctx context.Context, id int64) (*logbook.Wanted, error)
	Known(ctx context.Context, car *run.Car, of logbook.Of) (*vehicle.Model, error)
	Made(ctx context.Context) ([]logbook.Made, error)
	LastActor(ctx context.Context, entity string, id int64) (string, error)
	Methods(ctx context.Context) ([]logbook.OwnMethod, error)
	Preparation(ctx context.Context, id int64) (*logbook.Preparation, error)
	Preparations(ctx context.Context) ([]logbook.Preparation, error)
	RestorePreparation(ctx context.Context, id int64) error
	Roads(ctx context.Context) (map[[2]int64]float64, error)
	SaveMethod(ctx context.Context, m *logbook.OwnMethod) error
	SavePreparation(ctx context.Context, p *logbook.Preparation) error
	SaveWanted(ctx context.Context, w *logbook.Wanted) error
	Sites(ctx context.Context) ([]logbook.Site, error)
	Wanted(ctx context.Context) ([]logbook.Wanted, error)
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, template.FuncMap{"gridparts": partsOf})
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book}, nil
}
