// Package road is the list of all runs as strips, and which of them are picked for the bench.
package road

import (
	"context"
	"embed"

	"github.com/go-chi/chi/v5"

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

// Book is what the room needs of the logbook: the list.
type Book interface {
	Deleted(ctx context.Context) ([]logbook.Run, error)
	Road(ctx context.Context, f logbook.RoadFilter) (rows []logbook.RoadRow, total int, longestS float64, err error)
	Unread(ctx context.Context) (int, error)
	Words(ctx context.Context) (logbook.Words, error)
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book}, nil
}

// Routes are the room's own paths.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.Do(s.road))
	r.Get("/unread", s.Do(s.unread))
	r.Post("/bench/pick", s.Do(s.pick))
}
