package judge

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// piece is a stretch of cells in which one simple rule describes power and amps: level amps, level
// power, or a straight line.
type piece struct {
	a, b int // cells a to b-1

	line               [2]float64 // kW at the first and the last cell's middle, on the fitted line
	levelKW, levelAmps float64
	misfit             [3]float64 // of level amps, level kW, line: half chi-squared, without prices

	fromS, toS float64 // settled ends
	fall       float64 // how it begins: logarithm of its first power over the last one before; 0: no leap
	moved      float64 // the same where nobody read how suddenly
	fellS      float64 // first instant of that leap
	fellPct    float64 // state of charge there
	top        bool    // volts stand at their top
	rises      bool    // it is the way up from one level to the next
	bySign     bool    // a timer or a step there has no more than a round figure for it
	warms      bool    // where it begins, the coldest cell has come up to where the pack is warm
	before     bool    // there is a piece before it in the same stretch of power
}

// The rules a piece may follow, as indices of misfit.
const (
	levelAmps = iota
	levelKW
	straight
)

// Prices of the description: of each number in it half the logarithm of the count of cells (G.
// Schwarz, Ann. Stat. 6 (1978) 461), and of each change point this much besides, since wobble is
// not independent from cell to cell.
const (
	changePrice = 9.0
	leastCells  = 3 // that a line goes through
)

// sums are running sums over cells, so that the misfit of any stretch costs a few operations.
type sums struct {
	t0                       float64
	w, wt, wtt, wy, wty, wyy []float64 // of kW
	wa, way, wayy            []float64 // of amps
	n                        int
	half                     float64
	kwOnly                   bool // amps were not read, or do not matter
}

// newSums adds up cells from to to-1. A cell counts by one over the square of its standard deviation: the wobble of
// this log as a share of the power, and 0.05 kW (0.1 A) so that nothing is exact; a cell that is filled in part counts
// for that part. In the first minutes (fineForS), where cells are narrower so that the ramp is seen, a line may miss by
// five times as much: no ramp is one.
func newSums(g *grid, from, to int) *sums {
	n := to - from
	s := &sums{t0: g.t[from], n: n, half: math.Log(float64(max(2, n))) / 2}
	flat := make([]float64, 9*(n+1))
	for _, p := range []*[]float64{&s.w, &s.wt, &s.wtt, &s.wy, &s.wty, &s.wyy, &s.wa, &s.way, &s.wayy} {
		*p, flat = flat[:n+1], flat[n+1:]
	}
	for i := range n {
		c := from + i
		t := (g.t[c] - s.t0) / 60
		sd := g.relKW*math.Abs(g.kw[c]) + 0.05
		wide := g.to[c] - g.from[c]
		if wide < 0.9*cellS && !g.typed && g.t[c]-g.startS < fineForS { // no ramp is a straight line
			sd *= 5
		}
		w := min(1, wide/cellS) / (sd * sd)
		if g.typed {
			w = 1 / (sd * sd)
		}
		y := g.kw[c]
		s.w[i+1], s.wt[i+1], s.wtt[i+1] = s.w[i]+w, s.wt[i]+w*t, s.wtt[i]+w*t*t
		s.wy[i+1], s.wty[i+1], s.wyy[i+1] = s.wy[i]+w*y, s.wty[i]+w*t*y, s.wyy[i]+w*y*y
		sd = g.relAmps*math.Abs(g.amps[c]) + 0.1
		w = min(1, wide/cellS) / (sd * sd)
		if g.typed {
			w = 1 / (sd * sd)
		}
		y = g.amps[c]
		s.wa[i+1], s.way[i+1], s.wayy[i+1] = s.wa[i]+w, s.way[i]+w*y, s.wayy[i]+w*y*y
	}
	return s
}

// flat is half of chi-squared about the weighted mean of cells i to j-1, and that mean.
func flat(w, wy, wyy []float64, i, j int) (half, mean float64) {
	sw, sy := w[j]-w[i], wy[j]-wy[i]
	mean = sy / sw
	return max(0, wyy[j]-wyy[i]-sy*mean) / 2, mean
}

// line is half of chi-squared about the weighted line through cells i to j-1, its height at the
// middle of the weights, its slope a minute, and that middle.
func (s *sums) line(i, j int) (half, mean, slope, middle float64) {
	sw, st, stt := s.w[j]-s.w[i], s.wt[j]-s.wt[i], s.wtt[j]-s.wtt[i]
	sy, sty, syy := s.wy[j]-s.wy[i], s.wty[j]-s.wty[i], s.wyy[j]-s.wyy[i]
	middle, mean = st/sw, sy/sw
	vt, vty := stt-st*middle, sty-st*mean
	vy := syy - sy*mean
	if vt > 1e-12*stt && vt > 0 {
		slope = vty / vt
		vy -= slope * vty
	}
	return max(0, vy) / 2, mean, slope, middle
}

// cost is the price of describing cells i to j-1 as one piece.
func (s *sums) cost(i, j int) float64 {
	kw, _ := flat(s.w, s.wy, s.wyy, i, j)
	amps := kw
	if !s.kwOnly {
		amps, _ = flat(s.wa, s.way, s.wayy, i, j)
	}
	level := min(amps, kw)
	if j-i < leastCells || level <= s.half { // no line can be cheaper: its own price is twice as high
		return level + s.half
	}
	bent, _, _, _ := s.line(i, j)
	return min(level+s.half, bent+2*s.half)
}

// split finds the change points of least total price exactly: the best description of the first j
// cells is the best of the first i and one piece from i to j, for the best i. A beginning i that is
// worse at j by more than a split at j could cost is dropped (R. Killick, P. Fearnhead, I. Eckley, J.
// Am. Stat. Assoc. 107 (2012) 1590), but only from where what follows j is long enough for a line
// of its own: until then a piece that goes on over j may be cheaper than its two parts.
func (s *sums) split() []int {
	n := s.n
	best := make([]float64, n+1)
	last := make([]int, n+1)
	for j := 1; j <= n; j++ {
		best[j] = math.Inf(1)
	}
	best[0] = -changePrice
	type start struct{ at, until int } // until: from there on it cannot begin the best piece
	starts := []start{{0, math.MaxInt}}
	costs := make([]float64, 0, n)
	for j := 1; j <= n; j++ {
		costs = costs[:0]
		for _, x := range starts {
			c := best[x.at] + s.cost(x.at, j)
			costs = append(costs, c)
			if c+changePrice < best[j] {
				best[j], last[j] = c+changePrice, x.at
			}
		}
		kept := starts[:0]
		for k, x := range starts {
			if x.until == math.MaxInt && j-x.at >= leastCells && costs[k]-2*s.half > best[j]+changePrice {
				x.until = j + leastCells
			}
			if j+1 < x.until {
				kept = append(kept, x)
			}
		}
		starts = append(kept, start{j, math.MaxInt})
	}
	var cuts []int
	for j := n; j > 0; j = last[j] {
		cuts = append(cuts, j)
	}
	slices.Reverse(cuts)
	return cuts
}

// describe fills in what a piece's own fit says.
func (s *sums) describe(p *piece, from int) {
	i, j := p.a-from, p.b-from
	p.misfit[levelAmps], p.levelAmps = flat(s.wa, s.way, s.wayy, i, j)
	p.misfit[levelKW], p.levelKW = flat(s.w, s.wy, s.wyy, i, j)
	half, mean, slope, middle := s.line(i, j)
	p.misfit[straight] = half
	at := func(k int) float64 { // time of a cell in minutes, back from the running sums
		w := s.w[k+1] - s.w[k]
		return (s.wt[k+1] - s.wt[k]) / w
	}
	p.line = [2]float64{mean + slope*(at(i)-middle), mean + slope*(at(j-1)-middle)}
}

// pieces splits a stretch of power into its pieces, with the leaps between them.
func (g *grid) pieces() []piece {
	n := len(g.t)
	var out []piece
	add := func(from, to int, top bool) {
		if to <= from {
			return
		}
		s := newSums(g, from, to)
		s.kwOnly = g.kwOnly
		a := from
		for _, c := range s.split() {
			p := piece{a: a, b: from + c, top: top}
			s.describe(&p, from)
			out = append(out, p)
			a = from + c
		}
	}
	top := g.topFrom()
	add(0, top, false)
	add(top, n, true)
	return g.mergeAlike(g.swallow(out))
}

// part is what a piece is between two of its cells.
func (g *grid) part(p piece, a, b int) piece {
	if a == p.a && b == p.b {
		return p
	}
	q := p
	q.a, q.b = a, b
	s := newSums(g, a, b)
	s.kwOnly = g.kwOnly
	s.describe(&q, a)
	if a > p.a {
		q.fromS, q.fall, q.moved, q.before, q.bySign = g.from[a], 0, 0, true, false
		q.fellS = q.fromS
	}
	if b < p.b {
		q.toS = g.from[b]
	}
	return q
}

// swallow gives the way down between two levels to the one behind it: it belongs to the cause
// that made the fall.
func (g *grid) swallow(list []piece) []piece {
	var out []piece
	for i := 0; i < len(list); i++ {
		p := &list[i]
		long := g.to[p.b-1] - g.from[p.a]
		if i == 0 && len(list) > 1 && long <= suddenS && !g.typed && list[1].line[0] > 1.1*p.line[1] {
			p.rises = true
		}
		if len(out) > 0 && i+1 < len(list) && long <= suddenS && !g.typed && !p.top {
			before, next := out[len(out)-1].line[1], &list[i+1]
			first, last := p.line[0], p.line[1]
			if first <= 1.02*before && last <= first && next.line[0] <= 1.02*last &&
				math.Log(max(0.5, next.line[0])/max(0.5, before)) <= -suddenShare {
				next.a = p.a
				continue
			}
			if last >= first && first >= before && next.line[0] >= last {
				p.rises = true
			}
		}
		out = append(out, *p)
	}
	return out
}

// decide works out where pieces meet: at the leap where there is one, else where the fitted lines
// cross near by. Cells are seconds wide, and the description may change a cell too late; the lines know better. A
// leap must be larger than the wobble, than what either line moves by itself in that time, and than 1.5 kW, which is
// what a display of whole kW may jump by for nothing.
func (g *grid) mergeAlike(list []piece) []piece {
	for i := range list {
		p := &list[i]
		if i == 0 {
			p.fromS = g.from[p.a]
		} else {
			q := &list[i-1]
			p.before = true
			at := g.from[p.a]
			if g.typed {
				at = (g.t[q.b-1] + g.t[p.a]) / 2
			}
			last, first := g.shown(q.line[1], q.b-leastCells, q.b), p.line[0]
			leap := math.Log(max(0.5, first) / max(0.5, last))
			wide := g.t[p.a] - g.t[q.b-1]
			slow, least := max(g.leans(q), g.leans(p))*(wide+cellS), suddenShare
			if g.t[q.b-1]-g.t[q.a] < suddenS { // beside the way from one level to another
				least = 2 * suddenShare
			}
			if math.Abs(leap) >= max(least, 5*g.relKW) && math.Abs(first-last) > 2.5*slow && math.Abs(first-last) > 1.5 {
				if p.fall = leap; g.typed { // nobody knows how suddenly
					p.fall, p.moved = 0, leap
				}
			} else if t, ok := g.crossing(q, p); ok {
				at = t
			}
			p.fellS = at
			p.fromS, q.toS = at, at
		}
		if i+1 == len(list) {
			p.toS = g.to[p.b-1]
		}
	}
	return list
}

// shown is a line's power no farther than what some cells show: a line through the way up to a level goes on beyond
// the level, and what falls short of that has not fallen.
func (g *grid) shown(kw float64, from, to int) float64 {
	cells := g.kw[max(0, from):min(len(g.kw), to)]
	return min(max(kw, slices.Min(cells)), slices.Max(cells))
}

// The top of the volts: flat within so much of it, for so long, while the amps fall by so much.
const (
	topFlatV    = 0.3
	topLeastS   = 45.0
	topAmpsFall = 0.04
)

// topFrom is the cell from which the volts stand at their top to the end, the number of cells where they do not:
// within 0.3 V (or one and a half times their noise) of where they end, with nothing higher before, for 45 s and more,
// while the amps fall by 4 % and more. It also notes whether they bend into it, which those of a pack whose volts
// hardly move do not.
func (g *grid) topFrom() int {
	n := len(g.t)
	if !g.voltsRead || g.typed || n < 8 {
		return n
	}
	smooth := make([]float64, n)
	for i := range n {
		smooth[i] = trace.Median(g.volts[max(0, i-2):min(n, i+3)])
	}
	tail := trace.Median(smooth[max(0, n-9):])
	band := max(topFlatV, 1.5*g.noiseV)
	from := n
	for i := n - 1; i >= 0 && math.Abs(smooth[i]-tail) <= band; i-- {
		from = i
	}
	if from >= n-2 {
		return n
	}
	for i := range from { // nothing before was higher: this is the top
		if smooth[i] > tail+2*band {
			return n
		}
	}
	if long := g.to[n-1] - g.from[from]; long < topLeastS || g.amps[n-1] > (1-topAmpsFall)*g.amps[from] {
		return n
	}
	long := g.t[n-1] - g.t[from]
	for i := from - 1; i >= 0 && g.t[from]-g.t[i] < min(300, long); i-- {
		g.bends = g.bends || smooth[i] < tail-2.5*band
	}
	return from
}
