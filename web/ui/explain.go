package ui

import (
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"zincroad/core/figure"
	"zincroad/core/say"
	"zincroad/logbook"
)

// Explained explains one figure with the numbers that it came from.
type Explained struct {
	Name       string
	Of         string // what it is the figure of
	Definition string
	Numbers    []say.Text
	PutRight   []string   // what was put right in what it is made of
	AsRecorded []say.Text // those of its numbers that would be others without that
	Same       bool       // none would
	Back       string     // the page that it stands on, and what leads there
	BackText   string
}

// FigureOf gives the figure that the address names.
func FigureOf[T any](r *http.Request, list figure.List[T]) (figure.Figure[T], error) {
	key := chi.URLParam(r, "figure")
	f, ok := list.Find(key)
	if !ok {
		return f, fmt.Errorf("the figure %q: %w", key, logbook.ErrNotFound)
	}
	return f, nil
}

// Explain shows how a figure is worked out, as a page or as what a page's dialog holds.
func (s *Pages) Explain(w http.ResponseWriter, r *http.Request, v Explained, f Frame) {
	if IsPart(r) {
		s.Part(w, r, "how", "explained", v)
		return
	}
	f.Title, f.Data = v.Name, v
	s.Render(w, r, "how", http.StatusOK, f)
}
