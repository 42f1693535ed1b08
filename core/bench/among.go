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
	Like        []int   // those of them, by their place
	LowS, HighS float64 // s; where 95 of 100 further runs like the others would lie; NaN: fewer than leastOthers
}

// Inside tells whether the run lies where one like the others would; false too where they are too few.
func (a Among) Inside() bool { return a.TS >= a.LowS && a.TS <= a.HighS }

// Known tells whether there were others enough.
func (a Among) Known() bool { return !math.IsNaN(a.LowS) }

// Among lays a run against the others of its group that are among those, by the prediction interval of
// one further value. The same log once more is none of the others. False: the run has no time in the window.
func (c *Comparison) Among(run int, those []int) (Among, bool) {
	if run < 0 || run >= len(c.times) || c.times[run] == nil {
		return Among{}, false
	}
	a := Among{TS: *c.times[run], LowS: math.NaN(), HighS: math.NaN()}
	var others []int
	for _, g := range c.Groups {
		if !slices.Contains(g.Runs, run) {
			continue
		}
		for _, i := range g.Runs {
			if c.copyOf[i] != c.copyOf[run] && slices.Contains(those, i) {
				others = append(others, i)
			}
		}
	}
	a.Like = others
	times := c.timesOf(others)
	if a.Others = len(times); a.Others >= leastOthers {
		mean, half := stat.Mean(times, nil), predicted(times)
		a.LowS, a.HighS = mean-half, mean+half
	}
	return a, true
}
