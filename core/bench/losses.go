package bench

import (
	"cmp"
	"slices"

	"zincroad/core/limit"
)

// Losses is what a car's runs lost to each cause, in their headline windows, on average over the runs that were judged.
type Losses struct {
	Car, Software string
	Runs          []int64 // that were judged
	Lost          []GistLost
	TotalS        float64
}

// LossesOf takes the runs of each car and software together, the one that loses most first. Every judged run counts,
// cold, held or disturbed: what it met is what is asked.
func LossesOf(runs []Known) []Losses {
	var out []Losses
	var sums []map[limit.Cause]float64 // of each
	for _, k := range runs {
		if k.Car == "" || k.Gist.OutsideS == nil {
			continue
		}
		at := slices.IndexFunc(out, func(l Losses) bool { return l.Car == k.Car && l.Software == k.Software })
		if at < 0 {
			at = len(out)
			out = append(out, Losses{Car: k.Car, Software: k.Software})
			sums = append(sums, map[limit.Cause]float64{})
		}
		out[at].Runs = append(out[at].Runs, k.ID)
		for _, l := range k.Gist.Lost {
			sums[at][l.Cause] += l.S
		}
	}
	for i := range out {
		l := &out[i]
		for _, s := range limit.Signs { // in their order: a map has none
			if sum := sums[i][s.Cause]; sum > 0 {
				mean := sum / float64(len(l.Runs))
				l.Lost = append(l.Lost, GistLost{s.Cause, mean})
				l.TotalS += mean
			}
		}
		slices.SortStableFunc(l.Lost, func(a, b GistLost) int { return cmp.Compare(b.S, a.S) })
	}
	slices.SortStableFunc(out, func(a, b Losses) int { return cmp.Compare(b.TotalS, a.TotalS) })
	return out
}
