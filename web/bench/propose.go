package bench

import (
	"math"
	"net/http"

	"zincroad/core/bench"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// mostProposals is how many comparisons an empty bench proposes.
const mostProposals = 9

// proposed is a comparison that the logbook already holds, with its two runs as pictures on one axis.
type proposed struct {
	bench.Proposal
	Window string
	Sides  []proposedSide
}

type proposedSide struct {
	Value, Took, SVG string
}

// propose fills an empty bench with what the logbook already holds.
func (s *Room) propose(r *http.Request, v *benchView, known []bench.Known) error {
	in := ui.MeasuresOf(r)
	found := bench.OneApart(known, mostProposals)
	var ids []int64
	for _, p := range found {
		ids = append(ids, p.Two[0].ID, p.Two[1].ID)
	}
	strips, err := s.book.Strips(r.Context(), ids)
	if err != nil {
		return err
	}
	for _, p := range found {
		one := proposed{Proposal: p, Window: words.Window(p.FromPct, p.ToPct)}
		first, second := strips[p.Two[0].ID], strips[p.Two[1].ID]
		end := 0.0
		for _, strip := range []([]float64){first.T, second.T} {
			if n := len(strip); n > 0 {
				end = math.Max(end, strip[n-1])
			}
		}
		top := topOf(map[int64]logbook.Strip{0: first, 1: second})
		for _, x := range p.Two {
			value := x.Value.In(in)
			one.Sides = append(one.Sides, proposedSide{Value: value, Took: words.Clock(math.Round(x.TookS)),
				SVG: small(strips[x.ID], "Run "+ui.JoinIDs([]int64{x.ID}, "")+", "+value+": power against time", end, top).Wide()})
		}
		v.Proposals = append(v.Proposals, one)
	}
	v.Hatches = draw.HatchDefs()
	return nil
}
