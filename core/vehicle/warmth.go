package vehicle

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/pack"
	"zincroad/core/run"
)

// offs is what each point's temperature takes off, as logarithms.
func (l *learner) offs(warmC, halfK, hotC float64) []float64 {
	out := make([]float64, len(l.course.points))
	for i, p := range l.course.points {
		if !math.IsNaN(p.cold) {
			out[i] += math.Log(max(leastShare, pack.ColdShare(warmC-p.cold, halfK)))
		}
		if !math.IsNaN(p.hot) {
			out[i] += math.Log(pack.HotShare(p.hot - hotC))
		}
	}
	return out
}

// The warmths that are tried: these first, then about the best of them.
var (
	warmCs   = []float64{13, 18, 23, 28, 33}
	halfKs   = []float64{6.5, 11, 18}
	besideK  = []float64{-2.5, -1.2, 0, 1.2, 2.5}
	besideOf = []float64{0.75, 1, 1.33}
	hotCs    = []float64{40, 43, 46, 48, 50, 53}
)

// learnCold weighs each warmth that may hold.
func (l *learner) learnCold() {
	at, sd := l.warmC, l.m.warmSDK
	var begin []float64
	try := func(warm, half float64) {
		s := l.course.solve(l.offs(warm, half, l.hotC), begin)
		begin = s.x
		z, y := (warm-at)/sd, math.Log(half/pack.UsualHalfK)/usualHalfSD
		l.tried = append(l.tried, tried{warm, half, s.evidence - z*z/2 - y*y/2})
	}
	for _, warm := range warmCs {
		for _, half := range halfKs {
			try(warm, half)
		}
	}
	near := slices.MaxFunc(l.tried, func(a, b tried) int { return cmp.Compare(a.weight, b.weight) })
	l.tried = nil
	for _, by := range besideK {
		for _, share := range besideOf {
			try(near.warmC+by, near.halfK*share)
		}
	}
	best := slices.MaxFunc(l.tried, func(a, b tried) int { return cmp.Compare(a.weight, b.weight) }).weight
	var sum, warm, square, half float64
	for i := range l.tried {
		x := &l.tried[i]
		x.weight = math.Exp(x.weight - best)
		sum, warm, half = sum+x.weight, warm+x.weight*x.warmC, half+x.weight*math.Log(x.halfK)
		square += x.weight * x.warmC * x.warmC
	}
	for i := range l.tried {
		l.tried[i].weight /= sum
	}
	l.warmC, l.halfK = warm/sum, math.Exp(half/sum)
	l.m.warmSDK = math.Sqrt(max(0.5, square/sum-l.warmC*l.warmC))
	l.m.WarmC, l.m.HalfK = run.N(l.warmC), run.N(l.halfK)
}

// learnHot weighs from where the car takes power back.
func (l *learner) learnHot() {
	var weights []float64
	best := math.Inf(-1)
	for _, hot := range hotCs {
		z := (hot - l.hotC) / usualHotSD
		w := l.course.solve(l.offs(l.warmC, l.halfK, hot), nil).evidence - z*z/2
		weights, best = append(weights, w), max(best, w)
	}
	sum, mean := 0.0, 0.0
	for i, hot := range hotCs {
		w := math.Exp(weights[i] - best)
		sum, mean = sum+w, mean+w*hot
	}
	l.hotC = mean / sum
	l.m.HotC = run.N(l.hotC)
}
