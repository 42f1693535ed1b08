package web

import (
	"fmt"
	"net/http"

	"zincroad/core/follow"
)

// howLive explains one of a live run's figures with the numbers of this moment.
func (s *Server) howLive(w http.ResponseWriter, r *http.Request) {
	f, err := figureOf(r, follow.Figures)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v, ok := s.liveViewOf(w, r)
	if !ok {
		return
	}
	s.explain(w, r, howView{Name: f.Name, Of: "this run, now", Definition: f.Definition,
		Numbers: f.Numbers(follow.Explained{State: v.State, Plan: v.Plan, Wall: v.Wall}),
		Back:    fmt.Sprintf("/stall/%d", v.Row.ID), BackText: "Back to the run"}, Frame{Page: "stall"})
}
