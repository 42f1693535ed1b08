package runs

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/figure"
	"zincroad/core/lineup"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/chart"
	"zincroad/web/ui"
)

// how explains one of a run's figures with the run's numbers: from which recordings, what was put right in them, and
// what the figure would be as they were recorded.
func (s *Room) how(w http.ResponseWriter, r *http.Request) error {
	row, res, err := s.loadRun(r)
	if err != nil {
		return err
	}
	f, err := ui.FigureOf(r, curve.Figures)
	if err != nil {
		return err
	}
	q := chart.ReadQuery(r.URL.Query())
	x := res.Reading(q.Clock, q.Side)
	numbers := f.Numbers(x)
	numbers.Say("how.side", x.Side, clockName(x.Clock))
	for _, rec := range row.Recordings {
		numbers.Say("how.recording", rec.Name, rec.Readings, rec.Side)
	}
	v := ui.Explained{Name: f.Name, Of: fmt.Sprintf("run %d", row.ID), Definition: f.Definition, Numbers: numbers,
		Back: ui.RunPath(row.ID), BackText: fmt.Sprintf("Back to run %d", row.ID)}
	if !q.Recorded {
		if err := s.putRight(r.Context(), &v, row, f, x); err != nil {
			return err
		}
	}
	s.Explain(w, r, v, ui.Frame{Page: "run", Run: row})
	return nil
}

// mostPutRight is how many corrections of a recording are listed one by one.
const mostPutRight = 5

// leastMovedS is how far a clock was moved where that is worth a word: what is shown to a tenth of a second.
const leastMovedS = 0.05

// putRight says which corrections a figure of a reading goes by, and what it would be without any.
func (s *Room) putRight(ctx context.Context, v *ui.Explained, row *logbook.Run, f figure.Figure[*curve.Reading],
	x *curve.Reading) error {
	list, err := s.book.Corrections(ctx, row.ID)
	if err != nil {
		return err
	}
	list = slices.DeleteFunc(list, func(c logbook.Correction) bool { return c.TakenBack })
	for i, rec := range row.Recordings {
		if i < len(x.Recordings) {
			n := x.Recordings[i]
			by := []lineup.By{lineup.ByShape, lineup.ByHand, lineup.ByPower}
			if slices.Contains(by, n.LinedUpBy) && math.Abs(n.ClockOffsetS) >= leastMovedS {
				v.PutRight = append(v.PutRight, fmt.Sprintf("%s: %s s added to its times, by %s", rec.Name,
					words.Figure(n.ClockOffsetS, 1), clockBy(n.LinedUpBy)))
			}
		}
		var said []string
		for _, c := range list {
			if c.RecordingID == rec.ID {
				is := describe(c, &trace.Recording{})
				said = append(said, fmt.Sprintf("%s of reading %d: %s", is.What, c.N+1, is.Value))
			}
		}
		if more := len(said) - mostPutRight; more > 0 {
			said = append(said[:mostPutRight], fmt.Sprintf("and %d more", more))
		}
		if len(said) > 0 {
			v.PutRight = append(v.PutRight, fmt.Sprintf("%s, by hand: %s", rec.Name, strings.Join(said, "; ")))
		}
	}
	if len(v.PutRight) == 0 {
		return nil
	}
	as, err := s.book.AsRecorded(ctx, row)
	if err != nil {
		return err
	}
	recorded := as.Reading(x.Clock, x.Side)
	if recorded.Clock != x.Clock || recorded.Side != x.Side {
		return nil // that side says nothing as it was recorded: another's numbers are no answer
	}
	is := f.Numbers(x)
	for _, line := range f.Numbers(recorded) {
		if !slices.ContainsFunc(is, line.Is) {
			v.AsRecorded = append(v.AsRecorded, line)
		}
	}
	v.Same = len(v.AsRecorded) == 0
	return nil
}

func clockBy(by lineup.By) string {
	if by == lineup.ByShape {
		return "the shape of its power"
	}
	return string(by)
}
