// Package stall is At the stall: a run under way, from its start to its end, and what it hears.
package stall

import (
	"context"
	"embed"

	"zincroad/core/judge"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/logbook"
	"zincroad/web/plan"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book    Book
	plans   *plan.Room // by which a run can be started
	live    *liveHub
	closing chan struct{} // closed when the program ends, so that streams end
}

// Book is what the room needs of the logbook: a run under way.
type Book interface {
	ui.Namer
	AddFeed(ctx context.Context, f *logbook.Feed, side trace.Side) error
	AddPhoto(ctx context.Context, p *logbook.Photo) error
	Adapters(ctx context.Context) ([]logbook.Adapter, error)
	Cars(ctx context.Context) ([]logbook.Car, error)
	DeleteFeed(ctx context.Context, runID, id int64) error
	Elsewhere(ctx context.Context, row *logbook.Run, car *run.Car) (judge.Elsewhere, error)
	EndLive(ctx context.Context, id int64) error
	Feeds(ctx context.Context, runID int64) ([]logbook.Feed, error)
	LastActor(ctx context.Context, entity string, id int64) (string, error)
	LastFeed(ctx context.Context, row *logbook.Run, kind string) (*logbook.Feed, error)
	Listen(ctx context.Context, tell func(runID int64)) error
	LiveMark(ctx context.Context, m *logbook.Mark, key string) error
	LiveRuns(ctx context.Context) ([]logbook.Run, error)
	Methods(ctx context.Context) ([]logbook.OwnMethod, error)
	MoveLive(ctx context.Context, runID, stallID int64) error
	Photos(ctx context.Context, runID int64) ([]logbook.Photo, error)
	Preparations(ctx context.Context) ([]logbook.Preparation, error)
	Roads(ctx context.Context) (map[[2]int64]float64, error)
	Run(ctx context.Context, id int64) (*logbook.Run, error)
	SaveDetails(ctx context.Context, row *logbook.Run, marks ...logbook.Mark) error
	Since(ctx context.Context, rec logbook.Recording, n int) (*trace.Recording, error)
	Sites(ctx context.Context) ([]logbook.Site, error)
	SoftwareOf(ctx context.Context, carID int64, version string) (int64, error)
	Stall(ctx context.Context, id int64) (*logbook.Stall, error)
	StartLive(ctx context.Context, row *logbook.Run) (int64, error)
	TakeBackMark(ctx context.Context, runID, markID int64) error
	Type(ctx context.Context, runID int64, side trace.Side, key, line, correcting string, s logbook.Sample) error
	TypedLines(ctx context.Context, runID int64) ([]logbook.TypedLine, error)
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book, plans *plan.Room) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	s := &Room{Pages: pages, book: book, plans: plans, closing: make(chan struct{})}
	s.live = &liveHub{s: s, by: map[int64]*watch{}}
	return s, nil
}

// Close ends the streams of live pages, so that the server can stop at once.
func (s *Room) Close() { close(s.closing) }
