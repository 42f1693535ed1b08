package trip

import (
	"context"
	"fmt"
	"slices"

	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// kept is a trip that was kept, with what became of it.
type kept struct {
	Name, Sum string
	Stops     []keptStop
}

type keptStop struct{ Title, Plan, Planned, Run, Became string }

// kept lists the trips that were kept. The runs made by their plans stand beside the plans, each with its own charge
// and time: who arrives with less charges longer, and is not slower for it.
func (s *Room) kept(ctx context.Context) ([]kept, error) {
	trips, err := s.book.Trips(ctx)
	if err != nil {
		return nil, err
	}
	became, err := s.became(ctx, trips)
	if err != nil {
		return nil, err
	}
	var out []kept
	for _, t := range trips {
		k := kept{Name: t.Name}
		planned, taken, charged := 0.0, 0.0, 0
		for _, stop := range t.Stops {
			one := keptStop{Title: stop.Title, Plan: ui.PlanPath(stop.ID),
				Planned: stop.Choices["from"] + " to " + stop.Choices["to"] + " %"}
			if stop.ChargeS != nil {
				one.Planned += " in " + words.Hours(*stop.ChargeS)
			}
			if stop.RunID != nil {
				x := became[*stop.RunID]
				one.Run, one.Became = ui.RunPath(*stop.RunID), x.said
				if stop.ChargeS != nil && x.tookS > 0 {
					planned, taken, charged = planned+*stop.ChargeS, taken+x.tookS, charged+1
				}
			}
			k.Stops = append(k.Stops, one)
		}
		if charged > 0 {
			k.Sum = fmt.Sprintf("%d of %d charged: %s planned for that, %s taken", charged, len(t.Stops),
				words.Hours(planned), words.Hours(taken))
		}
		out = append(out, k)
	}
	return out, nil
}

// charge is how long a run charged, and that in words with its charge.
type charge struct {
	tookS float64
	said  string
}

// became are the charges of the runs that were made by trips' plans.
func (s *Room) became(ctx context.Context, trips []logbook.Trip) (map[int64]charge, error) {
	var ids []int64
	for _, t := range trips {
		for _, stop := range t.Stops {
			if stop.RunID != nil {
				ids = append(ids, *stop.RunID)
			}
		}
	}
	out := map[int64]charge{}
	if len(ids) == 0 {
		return out, nil
	}
	rows, err := s.book.Runs(ctx, ids)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(row *logbook.Run) bool { return row == nil })
	list, err := s.book.SeveralResults(ctx, rows)
	if err != nil {
		return nil, err
	}
	for i, res := range list {
		if res == nil {
			out[rows[i].ID] = charge{said: "its figures cannot be worked out"}
			continue
		}
		x, c := res.Head(), charge{}
		for _, l := range x.Legs {
			c.tookS += l.FlowedToS - l.FromS
		}
		if c.said = words.Hours(c.tookS); x.SoC != nil {
			c.said = fmt.Sprintf("%s to %s %% in %s", words.Figure(x.SoC.FromPct, 0), words.Figure(x.SoC.ToPct, 0), c.said)
		}
		out[rows[i].ID] = c
	}
	return out, nil
}
