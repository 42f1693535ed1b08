package decide

import (
	"math"
	"sync"

	"zincroad/core/forecast"
)

// Start is a window of the points that are asked for, by the charge it begins at.
type Start struct {
	FromPct, ToPct  float64
	TS, LowS, HighS float64 // from plug-in; HighS is NaN where it may never be gone through
	Least           bool    // none takes less, within FlatPct
}

// starts works out how long the same points take from each beginning. A start below the charge that the car arrives
// with would need driving on; it is listed all the same, for which charge to arrive with is the tester's to choose.
func starts(a Asked) []Start {
	var list []Start
	for _, from := range []float64{5, 10, 20, 30, 40, 50, 60, 70, 80, 90} {
		if a.AddPct > 0 && from+a.AddPct <= 100 {
			list = append(list, Start{FromPct: from, ToPct: from + a.AddPct})
		}
	}
	var all sync.WaitGroup
	for i := range list {
		all.Go(func() {
			s, session := &list[i], a.Session
			s.TS, s.HighS = math.NaN(), math.NaN()
			session.FromPct, session.ToPct = s.FromPct, s.ToPct
			f, err := forecast.Of(session, a.Uncertainty)
			if err != nil {
				return
			}
			if p, ok := f.Post(session.ToPct); ok {
				s.TS, s.LowS, s.HighS = p.TS, p.LowS, p.HighS
			}
		})
	}
	all.Wait()
	out := list[:0]
	least := math.Inf(1)
	for _, s := range list {
		if !math.IsNaN(s.TS) {
			out, least = append(out, s), min(least, s.TS)
		}
	}
	for i := range out {
		out[i].Least = same(out[i].TS, least)
	}
	return out
}
