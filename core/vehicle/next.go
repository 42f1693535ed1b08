package vehicle

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"zincroad/core/say"
)

// NextRun is a warm run that could be made, and what it would tell of a window that somebody asks about.
type NextRun struct {
	FromPct, ToPct float64
	NowPct         float64 // how far off the window's minutes may be as it is, % either way in nine of ten
	ThenPct        float64 // and after that run
	StallKW        float64 // so strong must the stall be for the car to show what it takes
}

// tests are the windows that testers run, by the methods (core/prepare).
var tests = [][2]float64{{10, 80}, {0, 100}, {20, 80}, {5, 50}, {50, 100}, {60, 100}}

// leastGainPct is how much less the minutes must be off for a run to be worth making for it: two runs of one car lie as
// far apart (common practice: repeats within 2 to 3 %).
const leastGainPct = 2.0

// NextRuns lists the runs that would narrow what is foretold of a window, the one that narrows it most first; of those
// that do so alike the shortest. Empty where the window is known as well as one run is like the next.
//
// What the envelope may be off is a normal distribution; a run that sees it over a window changes its spread in a way
// that does not depend on what it will show (Rasmussen and Williams, Gaussian Processes for Machine Learning, 2006,
// equation 2.24), so that the answer is known before the run is made. The minutes of a window are off by the mean of
// what the envelope is off, each charge weighed by the time that it takes.
func (m *Model) NextRuns(fromPct, toPct float64) []NextRun {
	if m == nil || len(m.cov) != nodes || !(toPct > fromPct) {
		return nil
	}
	weights := m.timeShares(fromPct, toPct)
	known := mat.NewSymDense(nodes, nil) // without what any single run is off by, which no test takes away
	for i := range nodes {
		for k := i; k < nodes; k++ {
			known.SetSym(i, k, m.cov[i][k]-ownSD*ownSD)
		}
	}
	off := func(cov *mat.SymDense) float64 {
		return 100 * OfRange * math.Sqrt(max(0, mat.Inner(weights, cov, weights))+ownSD*ownSD)
	}
	now := off(known)
	var out []NextRun
	for _, t := range tests {
		then := seen(known, t[0], t[1])
		if then == nil {
			continue
		}
		n := NextRun{FromPct: t[0], ToPct: t[1], NowPct: now, ThenPct: off(then)}
		for soc := t[0]; soc <= t[1]; soc += NodePct {
			n.StallKW = max(n.StallKW, m.At(soc)*math.Exp(OfRange*m.SD(soc)))
		}
		if n.NowPct-n.ThenPct >= leastGainPct {
			out = append(out, n)
		}
	}
	slices.SortStableFunc(out, func(a, b NextRun) int {
		if math.Abs(a.ThenPct-b.ThenPct) >= leastGainPct/2 {
			return cmp.Compare(a.ThenPct, b.ThenPct)
		}
		return cmp.Compare(a.ToPct-a.FromPct, b.ToPct-b.FromPct)
	})
	return out
}

// SaidOfNext is what to test next to know a window better, the answer first.
func (m *Model) SaidOfNext(fromPct, toPct float64, list []NextRun) (out []say.Text) {
	window := say.Window(fromPct, toPct)
	if len(list) == 0 {
		return []say.Text{say.T("vehicle.nothing-next", window)}
	}
	first := list[0]
	out = append(out, say.T("vehicle.next-run", window, say.Window(first.FromPct, first.ToPct),
		say.Fig(math.Ceil(first.StallKW/stallStepKW)*stallStepKW, 0), say.Fig(first.NowPct, 0), say.Fig(first.ThenPct, 0)))
	if len(list) > 1 {
		second := list[1]
		out = append(out, say.T("vehicle.next-else", say.Window(second.FromPct, second.ToPct), say.Fig(second.ThenPct, 0)))
	}
	return out
}

// stallStepKW is in which steps stalls' powers are spoken of.
const stallStepKW = 50.0

// timeShares is which share of a window's minutes is spent at each node.
func (m *Model) timeShares(fromPct, toPct float64) *mat.VecDense {
	w, sum := mat.NewVecDense(nodes, nil), 0.0
	for i := range nodes {
		if soc := NodePct * float64(i); soc >= fromPct && soc <= toPct {
			s := 1 / max(1, m.At(soc))
			w.SetVec(i, s)
			sum += s
		}
	}
	if sum > 0 {
		w.ScaleVec(1/sum, w)
	}
	return w
}

// seen is what is left unknown after a run over a window that the car held itself; nil where that cannot be worked out.
func seen(known *mat.SymDense, fromPct, toPct float64) *mat.SymDense {
	var at []int
	for i := range nodes {
		if soc := NodePct * float64(i); soc >= fromPct && soc <= toPct {
			at = append(at, i)
		}
	}
	n := len(at)
	read := mat.NewSymDense(n, nil) // of what is read: unknown, the run's own, and of each point
	cross := mat.NewDense(nodes, n, nil)
	for a, i := range at {
		for b := a; b < n; b++ {
			v := known.At(i, at[b]) + ownSD*ownSD
			if a == b {
				v += readSD * readSD
			}
			read.SetSym(a, b, v)
		}
		for k := range nodes {
			cross.Set(k, a, known.At(k, i))
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(read) {
		return nil
	}
	var gain, took mat.Dense
	if err := chol.SolveTo(&gain, cross.T()); err != nil {
		return nil
	}
	took.Mul(cross, &gain)
	out := mat.NewSymDense(nodes, nil)
	for i := range nodes {
		for k := i; k < nodes; k++ {
			out.SetSym(i, k, known.At(i, k)-(took.At(i, k)+took.At(k, i))/2)
		}
	}
	return out
}
