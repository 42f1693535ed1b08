package web

import (
	"net/http"

	"zincroad/core/prepare"
)

// howPlan explains one of a plan's figures with the plan's numbers.
func (s *Server) howPlan(w http.ResponseWriter, r *http.Request) {
	f, err := figureOf(r, prepare.Figures)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v, err := s.planned(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.explain(w, r, howView{Name: f.Name, Of: "this plan", Definition: f.Definition, Numbers: f.Numbers(v.explained()),
		Back: "/prepare?" + string(v.Query), BackText: "Back to the plan"}, Frame{Page: "prepare"})
}

// explained is the plan with what its figures are worked out of.
func (v *planView) explained() prepare.Explained {
	x := prepare.Explained{Plan: v.Plan, Why: v.Headline, Fit: v.fit, Assumed: v.Assumed, NotKnown: v.NotKnown}
	if v.Plan != nil {
		x.FromPct, x.ToPct = v.Plan.Plan.FromPct, v.Plan.Plan.ToPct
	} else {
		x.FromPct, x.ToPct = v.used("from", v.Method.FromPct), v.used("to", v.Method.ToPct)
	}
	return x
}
