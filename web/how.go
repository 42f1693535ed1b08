package web

import (
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"zincroad/core/curve"
	"zincroad/core/figure"
	"zincroad/core/follow"
	"zincroad/core/prepare"
	"zincroad/logbook"
)

// howView explains one figure with the numbers that it came from.
type howView struct {
	Name       string
	Of         string // what it is the figure of
	Definition string
	Numbers    []string
	Back       string // the page that it stands on, and what leads there
	BackText   string
}

// figureOf gives the figure that the address names.
func figureOf[T any](r *http.Request, list figure.List[T]) (figure.Figure[T], error) {
	key := chi.URLParam(r, "figure")
	f, ok := list.Find(key)
	if !ok {
		return f, fmt.Errorf("the figure %q: %w", key, logbook.ErrNotFound)
	}
	return f, nil
}

// explain shows how a figure is worked out, as a page or as what a page's dialog holds.
func (s *Server) explain(w http.ResponseWriter, r *http.Request, v howView, f Frame) {
	if isPart(r) {
		s.part(w, r, "how", "explained", v)
		return
	}
	f.Title, f.Data = v.Name, v
	s.render(w, r, "how", http.StatusOK, f)
}

// how explains one of a run's figures with the run's numbers.
func (s *Server) how(w http.ResponseWriter, r *http.Request) {
	row, res, err := s.loadRun(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	f, err := figureOf(r, curve.Figures)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	q := readChartQuery(r.URL.Query())
	x := res.Reading(q.Clock, q.Side)
	numbers := append(f.Numbers(x), fmt.Sprintf("side: %s; times from %s", x.Side, clockName(x.Clock)))
	for _, rec := range row.Recordings {
		numbers.Say("recording %s: %d readings, %s side", rec.Name, rec.Readings, rec.Side)
	}
	s.explain(w, r, howView{Name: f.Name, Of: fmt.Sprintf("run %d", row.ID), Definition: f.Definition, Numbers: numbers,
		Back: fmt.Sprintf("/runs/%d", row.ID), BackText: fmt.Sprintf("Back to run %d", row.ID)},
		Frame{Page: "run", Run: row})
}

// definitionGroup is the figures of one kind of page.
type definitionGroup struct {
	Of    string
	Texts []figure.Text
}

func allDefinitions() []definitionGroup {
	return []definitionGroup{
		{"A run", curve.Figures.Texts()},
		{"A plan", prepare.Figures.Texts()},
		{"A run under way", follow.Figures.Texts()},
	}
}
