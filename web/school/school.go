// Package school is the room that teaches: how a curve is read and a test is made fair, with pictures that the
// forecast draws.
package school

import (
	"embed"
	"net/http"
	"sync"

	"github.com/go-chi/chi/v5"

	"zincroad/web/stall"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	lessons func() ([]lesson, error)
	stall   *stall.Room // on whose page a run is practised
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, stall *stall.Room) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, lessons: sync.OnceValues(lessons), stall: stall}, nil
}

// Routes are the room's pages.
func (s *Room) Routes(r chi.Router) {
	r.Get("/help", s.Do(s.help))
	r.Get("/help/curve", s.Do(s.readCurve))
	r.Post("/help/curve", s.Do(s.markCurve))
	r.Get("/help/practice", s.Do(s.practice))
	r.Post("/help/practice", s.Do(s.markPractice))
	r.Post("/help/practice/now", s.Do(s.practiceNow))
}

// helpView is the page that teaches the field in ten minutes.
type helpView struct {
	Lessons  []lesson
	Cautions []string
}

func (s *Room) help(w http.ResponseWriter, r *http.Request) error {
	list, err := s.lessons()
	if err != nil {
		return err
	}
	s.Render(w, r, "help", http.StatusOK, ui.Frame{Title: "Help", Page: "help",
		Data: helpView{Lessons: list, Cautions: ui.Cautions}})
	return nil
}
