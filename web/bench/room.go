// Package bench lays runs side by side.
package bench

import (
	"context"
	"embed"

	"github.com/go-chi/chi/v5"
	lru "github.com/hashicorp/golang-lru/v2"

	corebench "zincroad/core/bench"
	"zincroad/logbook"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book      Book
	forecasts *lru.Cache[string, float64] // how long plans take, by their names
}

// mostForecasts is how many are kept: a bench asks for some 16 to 40 each time it is looked at.
const mostForecasts = 4096

// Book is what the room needs of the logbook: runs to lay side by side, and what was kept of it.
type Book interface {
	Bench(ctx context.Context, id int64) (*logbook.Bench, error)
	Benches(ctx context.Context) ([]logbook.Bench, error)
	Strips(ctx context.Context, runs []int64) (map[int64]logbook.Strip, error)
	Comparable(ctx context.Context, most int, beside ...int64) ([]corebench.Known, error)
	DeleteBench(ctx context.Context, id int64) error
	KeepBench(ctx context.Context, k *logbook.Bench) error
	NewerRuns(ctx context.Context, id int64, limit int) ([]logbook.Choice, error)
	RestoreBench(ctx context.Context, id int64) error
	Choices(ctx context.Context, limit int) ([]logbook.Choice, error)
	Runs(ctx context.Context, ids []int64) ([]*logbook.Run, error)
	SeveralResults(ctx context.Context, rows []*logbook.Run) ([]*logbook.Results, error)
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	forecasts, err := lru.New[string, float64](mostForecasts)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book, forecasts: forecasts}, nil
}

// Routes are the room's own paths.
func (s *Room) Routes(r chi.Router) {
	r.Get("/bench", s.Do(s.bench))
	r.Get("/bench/ranking", s.Do(s.ranking))
	r.Get("/bench/matrix", s.Do(s.matrix))
	r.Get("/bench/how/{figure}", s.Do(s.how))
	r.Get("/bench.csv", s.Do(s.benchCSV))
	r.Get("/bench.xlsx", s.Do(s.benchXLSX))
	r.Get("/bench/curve.svg", s.Do(s.benchSVG))
	r.Get("/bench.json", s.Do(s.benchJSON))
	r.Post("/bench/lay", s.Do(s.lay))
	r.Post("/bench/keep", s.Do(s.keep))
	r.Post("/bench/kept/{id}/delete", s.Do(s.forget))
	r.Post("/bench/kept/{id}/restore", s.Do(s.bringBack))
}
