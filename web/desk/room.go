// Package desk takes files in: what came, how it was understood, and the word that makes it a run.
package desk

import (
	"context"
	"embed"

	"zincroad/core/run"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
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

// Book is what the room needs of the logbook: files and runs.
type Book interface {
	Bus(ctx context.Context, carID int64) (*logbook.CarBus, error)
	AddRecordings(ctx context.Context, runID int64, in *intake.Bundle) error
	Adapters(ctx context.Context) ([]logbook.Adapter, error)
	ArrivalHead(ctx context.Context, id int64) (*logbook.Arrival, error)
	Arrival(ctx context.Context, id int64) (*logbook.Arrival, error)
	Arrivals(ctx context.Context) ([]logbook.Arrival, error)
	Arrive(ctx context.Context, name string, content []byte) (int64, error)
	CameIn(ctx context.Context, n int) ([]logbook.Run, error)
	Cars(ctx context.Context) ([]logbook.Car, error)
	Corrections(ctx context.Context, runID int64) ([]logbook.Correction, error)
	DropArrival(ctx context.Context, id int64) error
	Load(ctx context.Context, row *logbook.Run) (*run.Run, error)
	Remember(ctx context.Context, l csvlog.Layout) error
	Remembered(ctx context.Context, l csvlog.Layout) (csvlog.Layout, bool, error)
	Results(ctx context.Context, row *logbook.Run) (*logbook.Results, error)
	Run(ctx context.Context, id int64) (*logbook.Run, error)
	Save(ctx context.Context, in *intake.Bundle) (int64, error)
	SaveDetails(ctx context.Context, row *logbook.Run, marks ...logbook.Mark) error
	Sites(ctx context.Context) ([]logbook.Site, error)
	SoftwareOf(ctx context.Context, carID int64, version string) (int64, error)
	Twin(ctx context.Context, files []intake.File) (*logbook.Run, bool, error)
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book}, nil
}
