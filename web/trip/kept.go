package trip

import (
	"context"
	"fmt"

	"zincroad/core/words"
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
	var out []kept
	for _, t := range trips {
		k := kept{Name: t.Name}
		planned, became, charged := 0.0, 0.0, 0
		for _, stop := range t.Stops {
			one := keptStop{Title: stop.Title, Plan: ui.PlanPath(stop.ID),
				Planned: stop.Choices["from"] + " to " + stop.Choices["to"] + " %"}
			if stop.ChargeS != nil {
				one.Planned += " in " + words.Hours(*stop.ChargeS)
			}
			if stop.RunID != nil {
				tookS, said, err := s.became(ctx, *stop.RunID)
				if err != nil {
					return nil, err
				}
				one.Run, one.Became = ui.RunPath(*stop.RunID), said
				if stop.ChargeS != nil && tookS > 0 {
					planned, became, charged = planned+*stop.ChargeS, became+tookS, charged+1
				}
			}
			k.Stops = append(k.Stops, one)
		}
		if charged > 0 {
			k.Sum = fmt.Sprintf("%d of %d charged: %s planned for that, %s taken", charged, len(t.Stops),
				words.Hours(planned), words.Hours(became))
		}
		out = append(out, k)
	}
	return out, nil
}

// became is how long a run charged, and that in words with its charge.
func (s *Room) became(ctx context.Context, id int64) (tookS float64, said string, err error) {
	row, err := s.book.Run(ctx, id)
	if err != nil {
		return 0, "", err
	}
	res, err := s.book.Results(ctx, row)
	if err != nil {
		return 0, "", err
	}
	x := res.Head()
	for _, l := range x.Legs {
		tookS += l.FlowedToS - l.FromS
	}
	said = words.Hours(tookS)
	if x.SoC != nil {
		said = fmt.Sprintf("%s to %s %% in %s", words.Figure(x.SoC.FromPct, 0), words.Figure(x.SoC.ToPct, 0), said)
	}
	return tookS, said, nil
}
