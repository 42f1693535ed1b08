package stall

import (
	"net/http"

	"zincroad/core/follow"
	"zincroad/web/ui"
)

// howLive explains one of a live run's figures with the numbers of this moment.
func (s *Room) howLive(w http.ResponseWriter, r *http.Request) error {
	f, err := ui.FigureOf(r, follow.Figures)
	if err != nil {
		return err
	}
	v, ok := s.liveViewOf(w, r)
	if !ok {
		return nil
	}
	s.Explain(w, r, ui.Explained{Name: f.Name, Of: "this run, now", Definition: f.Definition,
		Numbers: f.Numbers(follow.Explained{State: v.State, Plan: v.Plan, Wall: v.Wall}),
		Back:    ui.StallRunPath(v.Row.ID), BackText: "Back to the run"}, ui.Frame{Page: "stall"})
	return nil
}
