package plan

import (
	"net/http"

	"zincroad/core/prepare"
	"zincroad/core/say"
	"zincroad/web/ui"
)

// howPlan explains one of a plan's figures with the plan's numbers.
func (s *Room) howPlan(w http.ResponseWriter, r *http.Request) error {
	f, err := ui.FigureOf(r, prepare.Figures)
	if err != nil {
		return err
	}
	v, err := s.Planned(r)
	if err != nil {
		return err
	}
	s.Explain(
		w,
		r,
		ui.Explained{Name: f.Name, Of: "this plan", Definition: f.Definition, Numbers: f.Numbers(v.explained()),
			Back: "/prepare?" + string(v.Query), BackText: "Back to the plan"},
		ui.Frame{Page: "prepare"},
	)
	return nil
}

// explained is the plan with what its figures are worked out of.
func (v *View) explained() prepare.Explained {
	x := prepare.Explained{Plan: v.Plan, Why: say.Own(v.Headline), Fit: v.fit, Assumed: v.Assumed, NotKnown: v.NotKnown}
	if v.Plan != nil {
		x.FromPct, x.ToPct = v.Plan.Plan.FromPct, v.Plan.Plan.ToPct
	} else {
		x.FromPct, x.ToPct = v.used("from", v.Method.FromPct), v.used("to", v.Method.ToPct)
	}
	return x
}
