package runs

import (
	"fmt"
	"net/http"

	"zincroad/core/curve"
	"zincroad/web/chart"
	"zincroad/web/ui"
)

// how explains one of a run's figures with the run's numbers.
func (s *Room) how(w http.ResponseWriter, r *http.Request) {
	row, res, err := s.loadRun(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	f, err := ui.FigureOf(r, curve.Figures)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	q := chart.ReadQuery(r.URL.Query())
	x := res.Reading(q.Clock, q.Side)
	numbers := append(f.Numbers(x), fmt.Sprintf("side: %s; times from %s", x.Side, clockName(x.Clock)))
	for _, rec := range row.Recordings {
		numbers.Say("recording %s: %d readings, %s side", rec.Name, rec.Readings, rec.Side)
	}
	s.Explain(
		w,
		r,
		ui.Explained{Name: f.Name, Of: fmt.Sprintf("run %d", row.ID), Definition: f.Definition, Numbers: numbers,
			Back: fmt.Sprintf("/runs/%d", row.ID), BackText: fmt.Sprintf("Back to run %d", row.ID)},
		ui.Frame{Page: "run", Run: row},
	)
}
