package web

import (
	"net/http"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/decide"
	"zincroad/core/figure"
	"zincroad/core/follow"
	"zincroad/core/prepare"
	"zincroad/core/trip"
	"zincroad/web/ui"
)

// definitionGroup is the figures of one kind of page.
type definitionGroup struct {
	Of    string
	Texts []figure.Text
}

func allDefinitions() []definitionGroup {
	return []definitionGroup{
		{"A run", curve.Figures.Texts()},
		{"Runs side by side", bench.Figures.Texts()},
		{"A plan", prepare.Figures.Texts()},
		{"What to do with it", decide.Figures.Texts()},
		{"A trip", trip.Figures.Texts()},
		{"A run under way", follow.Figures.Texts()},
	}
}

func (s *Server) definitions(w http.ResponseWriter, r *http.Request) {
	s.Render(w, r, "definitions", http.StatusOK, ui.Frame{Title: "How figures are worked out", Page: "none"})
}
