package judge

import (
	"math"
	"slices"

	"zincroad/core/limit"
)

// weighing is what a stretch of power showed, piece by piece, before anything is guessed.
type weighing struct {
	course      []coursePart
	views       []*view
	alone, both []*weighed     // each piece, and each with the one before it
	anything    []float64      // how dense its readings lie where nothing is said of them, as a logarithm
	context     [][]float64    // by piece and cause: what else speaks for it
	entered     [][][2]float64 // by piece and cause: what its change point says for entering it, and for staying
	leapt       []bool         // whether the power leapt there
}

// weighSpan weighs each piece of a stretch of power, and each change point.
func (l *Log) weighSpan(s *span, k *known, falls *fallen) *weighing {
	n := len(s.pieces)
	w := &weighing{course: k.courseOf(l.SoC.Len() > 0), views: make([]*view, n), alone: make([]*weighed, n),
		both: make([]*weighed, n), anything: make([]float64, n), context: make([][]float64, n),
		entered: make([][][2]float64, n), leapt: make([]bool, n)}
	warms := l.warmths(k)
	for i, f := range s.pieces {
		w.views[i] = s.grid.viewOf(f.piece)
		w.alone[i] = l.weighView(w.views[i], k, w.course, warms)
		if i > 0 {
			w.both[i] = l.weighView(s.grid.viewOf(s.pieces[i-1].piece, f.piece), k, w.course, warms)
		}
		w.anything[i] = w.alone[i].fixed[indexOf[limit.Unknown]]
		w.context[i] = l.weigh(s, i, k)
		w.entered[i] = l.enter(s, i, k, falls)
		w.leapt[i] = f.fall != 0 || f.moved != 0
		for c, cause := range causes {
			w.entered[i][c][0] += prior[cause]
			switch {
			case cause == limit.SharedCabinet && math.IsInf(k.sharedKW, 1):
				w.entered[i][c][0] -= unnotedCabinet
			case cause == limit.StallFault && math.IsInf(k.stallKW, 1): // what it should give nobody knows
				w.entered[i][c][0]++
			}
		}
	}
	return w
}

// reads is how dense a piece's readings lie under each cause: under its model, or under none at all.
func (w *weighing) reads(h *guess, i int) []float64 {
	out := make([]float64, len(causes))
	for c, cause := range causes {
		out[c] = logAdd(w.alone[i].likely(h, c), w.anything[i]+escape(cause))
	}
	return out
}

// under is how each piece agrees with each cause, under a guess.
func (w *weighing) under(h *guess) [][]float64 {
	out := make([][]float64, len(w.views))
	for i := range out {
		out[i] = w.reads(h, i)
		own := &w.alone[i].parts[h.part]
		for c, cause := range causes {
			out[i][c] += w.context[i][c]
			if !ofPack(cause) { // the pack would have taken what flowed
				out[i][c] += own.allowed[h.w]
			}
		}
		out[i][indexOf[limit.CarPower]] += own.car[0]
		out[i][indexOf[limit.CarCurrent]] += own.car[1]
		h.binds(w.views[i], func(c limit.Cause, v float64) { out[i][indexOf[c]] += v })
	}
	return out
}

// changes is what each change point says for entering each cause and for staying in it, under a guess. Who stays keeps
// the level, or the course: by how much denser the readings lie together with those of the piece before.
func (w *weighing) changes(h *guess) [][][2]float64 {
	out := make([][][2]float64, len(w.views))
	var before []float64
	for i := range out {
		out[i] = slices.Clone(w.entered[i])
		reads := w.reads(h, i)
		for c, cause := range causes {
			if i == 0 {
				break
			}
			gain := w.goesOn(h, i, c, before[c], reads[c]) - reads[c]
			if w.leapt[i] && cause == limit.PackTaper { // a course does not leap
				out[i][c][1] += gain
				continue
			}
			out[i][c][1] += logAdd(math.Log(kept(cause))+gain, math.Log(1-kept(cause)))
		}
		before = reads
	}
	return out
}

// goesOn is how dense a piece's readings lie under a cause that held the piece before as well: as far as that one
// followed the cause's model at all, by both together; else this one begins it.
func (w *weighing) goesOn(h *guess, i, c int, before, reads float64) float64 {
	alone := w.alone[i-1].likely(h, c)
	if math.IsInf(alone, -1) {
		return reads
	}
	followed := min(1-1e-9, math.Exp(alone-before))
	on := logAdd(w.both[i].likely(h, c)-alone, w.anything[i]+escape(causes[c]))
	return logAdd(math.Log(followed)+on, math.Log(1-followed)+reads)
}

// ofPack tells whether a cause is one of the pack itself, or of no limit: then what the pack takes is no condition.
func ofPack(c limit.Cause) bool {
	switch c {
	case limit.PackTaper, limit.Cold, limit.Hot, limit.TimerStep, limit.SoCStep, limit.Ramp, limit.Finish:
		return true
	}
	return false
}

// escape is the logarithm of how likely readings follow no model of a cause at all.
func escape(c limit.Cause) float64 {
	switch c {
	case limit.PackTaper, limit.Cold, limit.Hot, limit.TimerStep, limit.SoCStep:
		return math.Log(noCourse)
	}
	return math.Log(noLevel)
}

// kept is how likely a limit that goes on holding keeps its level, or its course.
func kept(c limit.Cause) float64 {
	switch c {
	case limit.PackTaper, limit.Cold, limit.Hot, limit.TimerStep, limit.SoCStep:
		return courseKept
	case limit.SharedCabinet, limit.CableHot, limit.StallFault:
		return givenKept
	}
	return ratedKept
}

// posterior gives the probability of every state at every step of a chain: how well each agrees,
// and what it costs to be entered anew (from any other state, at a price) or to be stayed in, summed over
// all ways through the steps, forward and backward (L. R. Rabiner, Proc. IEEE 77 (1989) 257). All
// are logarithms; enter holds for each step and state the cost of entering it and of staying.
func posterior(agree [][]float64, enter [][][2]float64, price float64) (odds [][]float64, evidence float64) {
	n, m := len(agree), len(agree[0])
	forward, backward := table(n, m), table(n, m)
	for c := range m {
		forward[0][c] = agree[0][c] + enter[0][c][0]
	}
	for i := 1; i < n; i++ {
		for c := range m {
			anew := logSumBut(forward[i-1], c) + price + enter[i][c][0]
			stay := forward[i-1][c] + enter[i][c][1]
			forward[i][c] = agree[i][c] + logAdd(anew, stay)
		}
	}
	evidence = logSum(forward[n-1])
	next := make([]float64, m)
	for i := n - 2; i >= 0; i-- {
		for c := range m {
			next[c] = agree[i+1][c] + enter[i+1][c][0] + price + backward[i+1][c]
		}
		for c := range m {
			stay := agree[i+1][c] + enter[i+1][c][1] + backward[i+1][c]
			backward[i][c] = logAdd(logSumBut(next, c), stay)
		}
	}
	for i := range forward {
		for c := range m {
			forward[i][c] += backward[i][c]
		}
		total := logSum(forward[i])
		for c := range m {
			forward[i][c] = math.Exp(forward[i][c] - total)
		}
	}
	return forward, evidence
}

// table is n rows of m zeros.
func table(n, m int) [][]float64 {
	out := make([][]float64, n)
	for i := range out {
		out[i] = make([]float64, m)
	}
	return out
}

// logAdd is the logarithm of the sum of what a and b are logarithms of, without leaving the range of either.
func logAdd(a, b float64) float64 {
	if a < b {
		a, b = b, a
	}
	if math.IsInf(a, -1) {
		return a
	}
	return a + math.Log1p(math.Exp(b-a))
}

// logSumBut is logAdd of them all but one.
func logSumBut(v []float64, but int) float64 {
	top := math.Inf(-1)
	for i, x := range v {
		if i != but {
			top = max(top, x)
		}
	}
	if math.IsInf(top, -1) {
		return top
	}
	sum := 0.0
	for i, x := range v {
		if i != but {
			sum += math.Exp(x - top)
		}
	}
	return top + math.Log(sum)
}

// logSum is logAdd of them all.
func logSum(v []float64) float64 {
	top := math.Inf(-1)
	for _, x := range v {
		top = max(top, x)
	}
	sum := 0.0
	for _, x := range v {
		sum += math.Exp(x - top)
	}
	return top + math.Log(sum)
}
