package bench

import (
	"cmp"
	"math"
	"slices"
)

// Weighed is a difference beside what it could come from, all in s on one scale, so that the eye can weigh them: later
// than the reference is positive.
type Weighed struct {
	TS        float64  // the difference
	LowS      *float64 // its 95 % interval; nil: the runs are too few for one
	HighS     *float64
	UsualS    float64 // within what like runs usually lie of each other, where there is no interval; else 0
	SmallestS float64 // the smallest difference that matters
	Weights   []Weight
}

// Weight is a condition that differs and what it could come to, on the side to which it acts.
type Weight struct {
	Differs
	FromS, ToS float64 // NaN: nothing says how much
	Sided      bool    // its side is known; else it could come to as much on the other one
}

// Weighed puts a difference and what differs on one scale, what matters first; false where there are no two times to
// tell a difference of, or where the window allows no conclusion.
func (c *Comparison) Weighed() (Weighed, bool) {
	d := c.Difference
	if d == nil || c.inconclusive || max(d.Groups[0], d.Groups[1]) >= len(c.Groups) {
		return Weighed{}, false
	}
	w := Weighed{TS: d.TS, LowS: d.LowS, HighS: d.HighS, SmallestS: d.SmallestS}
	if d.LowS == nil {
		w.UsualS = usualApart(meanOf(c.timesOf(c.Groups[d.Groups[0]].Runs)))
	}
	// What a condition does with its sign is known of the run furthest from the reference: of no other difference.
	far, ok := c.Furthest()
	ofIt := ok && slices.Contains(c.Groups[d.Groups[1]].Runs, far)
	for _, x := range c.Fairness.Differs {
		one := Weight{Differs: x, FromS: math.NaN(), ToS: math.NaN()}
		low, high, known := x.couldCome()
		if known {
			one.FromS, one.ToS, one.Sided = low, high, ofIt && x.ByS != nil && *x.ByS != 0
			if one.Sided && *x.ByS < 0 {
				one.FromS, one.ToS = -high, -low
			}
		}
		w.Weights = append(w.Weights, one)
	}
	order := []Matters{Does, Maybe, DoesNot}
	slices.SortStableFunc(w.Weights, func(a, b Weight) int {
		return cmp.Compare(slices.Index(order, a.Matters), slices.Index(order, b.Matters))
	})
	return w, true
}

// couldCome is what a difference could come to, s without a sign: by the forecast, and by the logbook where it has
// enough pairs; false where neither says.
func (d Differs) couldCome() (lowS, highS float64, ok bool) {
	lowS, highS = math.Inf(1), math.Inf(-1)
	if d.HighS != nil {
		lowS, highS = *d.LowS, *d.HighS
	}
	if d.Shown.said() {
		lowS, highS = min(lowS, d.Shown.LowS), max(highS, d.Shown.HighS)
	}
	return lowS, highS, lowS <= highS
}
