package bench

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
)

// Among is how a run's time in the window lies to those of the other runs of its group.
type Among struct {
	TS          float64 // the run's own, s
	Others      int     // of the group, with a time
	LowS, HighS float64 // s; where 95 of 100 further runs like the others would lie; NaN: fewer than leastOthers
}

// leastOthers is how many like runs tell where another one should lie.
const leastOthers = 3

// Inside tells whether the run lies where one like the others would; false too where they are too few.
func (a Among) Inside() bool { return a.TS >= a.LowS && a.TS <= a.HighS }

// Known tells whether there were others enough.
func (a Among) Known() bool { return !math.IsNaN(a.LowS) }

// Among lays a run against the others of its group that are among those: the mean of their times give or
// take t · s · √(1 + 1/n), the prediction interval of one further value (ISO 16269-8, 6.3). False: the run has no time in the window.
func (c *Comparison) Among(run int, those []int) (Among, bool) {
	if run < 0 || run >= len(c.Runs) || c.Runs[run].TS == nil {
		return Among{}, false
	}
	a := Among{TS: *c.Runs[run].TS, LowS: math.NaN(), HighS: math.NaN()}
	var others []float64
	for _, g := range c.Groups {
		if !slices.Contains(g.Runs, run) {
			continue
		}
		for _, i := range g.Runs {
			if i != run && c.Runs[i].TS != nil && slices.Contains(those, i) {
				others = append(others, *c.Runs[i].TS)
			}
		}
	}
	a.Others = len(others)
	if n := float64(a.Others); a.Others >= leastOthers {
		mean, half := stat.Mean(others, nil), student(n-1)*stat.StdDev(others, nil)*math.Sqrt(1+1/n)
		a.LowS, a.HighS = mean-half, mean+half
	}
	return a, true
}
