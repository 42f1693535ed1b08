package vehicle

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"zincroad/core/gauss"
)

// NodePct is how far apart the nodes of charge are at which the envelope is known.
const NodePct = 2.5

// nodes is how many there are, from 0 to 100 %.
const nodes = int(100/NodePct) + 1

// How far what is looked for may lie off before a run is read: all as logarithms of power.
const (
	kindLevelSD = 0.25 // the whole curve of a car from the usual one of its kind, its peak being noted (from memory)
	noPeakSD    = 0.45 // the same where no peak is (common practice: peaks of 1 to 3 C)
	shapeSD     = 0.22 // and each part of it, over about shapePct of charge
	shapePct    = 18.0
	detailSD    = 0.08 // and what is finer, over about detailPct
	detailPct   = 5.0
	stepSD      = 0.5   // either side of a fall at one charge, from the other
	ownSD       = 0.025 // one run's whole curve from the car's: meters, days (common practice: repeats within 2 to 3 %)
	readSD      = 0.02  // one point from its run's curve
	lawSD       = 0.15  // the laws of cold and heat, as a share of what they take off as a logarithm (from memory)
	noWarmthSD  = 0.06  // the same where the cells were not read: they may be cooler than warm
	versionSD   = 0.12  // another software version, over about versionPct of charge (from memory)
	versionPct  = 30.0
	versionStep = 25.0 // how far apart a version's own knots are, % of charge
)

// Chances of a point beside what its run says: whoever judged it may be wrong, and one may be garbled.
const (
	leastOwn = 0.005
	mostOwn  = 0.97
	garbled  = 0.0005
)

// point is one point of a run as the course sees it.
type point struct {
	at      int     // node on its left
	right   float64 // share of the one on its right
	soc     float64
	y       float64 // logarithm of kW
	own     float64
	limit   float64 // how likely one of the car's own fixed limits held it
	sd      float64
	run     int
	version int // 0: the one that is asked for
	cold    float64
	hot     float64 // °C; NaN: not read
}

// course is the envelope by its points: what is solved for is the logarithm at each node, each run's own share, and
// each other version's own curve at its knots.
type course struct {
	points   []point
	runs     int
	versions int // beside the one that is asked for
	mean     [nodes]float64
	prior    *mat.SymDense // inverse covariance of all unknowns
	size     int
	breaks   []float64 // charges of falls, rising
}

// knots is how many a version's own curve has.
const knots = int(100/versionStep) + 1

// newCourse lays out what is looked for: the mean at each node, and how far from it the envelope may lie.
func newCourse(mean [nodes]float64, peakNoted bool, points []point, runs, versions int, breaks []float64) *course {
	c := &course{points: points, runs: runs, versions: versions, mean: mean, breaks: breaks}
	c.size = nodes + runs + versions*knots
	level := noPeakSD
	if peakNoted {
		level = kindLevelSD
	}
	cov := mat.NewSymDense(nodes, nil)
	for i := range nodes {
		for k := i; k < nodes; k++ {
			a, b := NodePct*float64(i), NodePct*float64(k)
			v := level*level + shapeSD*shapeSD*bell(a-b, shapePct) + detailSD*detailSD*bell(a-b, detailPct)
			if c.side(a) == c.side(b) {
				v += stepSD * stepSD * min(1, float64(len(breaks)))
			}
			if i == k {
				v += 1e-6
			}
			cov.SetSym(i, k, v)
		}
	}
	c.prior = mat.NewSymDense(c.size, nil)
	c.put(0, inverse(cov))
	for r := range runs {
		c.prior.SetSym(nodes+r, nodes+r, 1/(ownSD*ownSD))
	}
	own := mat.NewSymDense(knots, nil)
	for i := range knots {
		for k := i; k < knots; k++ {
			own.SetSym(i, k, versionSD*versionSD*bell(versionStep*float64(i-k), versionPct))
		}
		own.SetSym(i, i, versionSD*versionSD*(1+1e-4))
	}
	for v := range versions {
		c.put(nodes+runs+v*knots, inverse(own))
	}
	return c
}

// put lays a block into the prior.
func (c *course) put(at int, block *mat.SymDense) {
	for i := range block.SymmetricDim() {
		for k := i; k < block.SymmetricDim(); k++ {
			c.prior.SetSym(at+i, at+k, block.At(i, k))
		}
	}
}

// side counts the falls below a charge.
func (c *course) side(soc float64) int {
	n := 0
	for _, b := range c.breaks {
		if soc > b {
			n++
		}
	}
	return n
}

// bell falls from one as far as something lies apart, over about so much of it.
func bell(apart, over float64) float64 { return math.Exp(-apart * apart / (2 * over * over)) }

// inverse is a covariance's inverse; of one that has none, as no prior here is, of its diagonal.
func inverse(s *mat.SymDense) *mat.SymDense {
	var ch mat.Cholesky
	out := mat.NewSymDense(s.SymmetricDim(), nil)
	if ch.Factorize(s) && ch.InverseTo(out) == nil {
		return out
	}
	for i := range s.SymmetricDim() {
		out.SetSym(i, i, 1/s.At(i, i))
	}
	return out
}

// part is one unknown's share in what a point shows.
type part struct {
	of    int
	share float64
}

// parts lists what a point is made of.
func (c *course) parts(p *point, into []part) []part {
	out := append(into, part{p.at, 1 - p.right})
	if p.right > 0 {
		out = append(out, part{p.at + 1, p.right})
	}
	out = append(out, part{nodes + p.run, 1})
	if p.version > 0 {
		at := p.soc / versionStep
		k := min(knots-2, int(at))
		base := nodes + c.runs + (p.version-1)*knots + k
		out = append(out, part{base, 1 - (at - float64(k))}, part{base + 1, at - float64(k)})
	}
	return out
}

// solution is the envelope as some warmth has it.
type solution struct {
	x        []float64            // all unknowns, the nodes' as they are, not from their mean
	inverse  func() *mat.SymDense // the covariance of all of them
	evidence float64              // logarithm, but for what is the same for each warmth
	seen     []float64            // of each point: how likely the car held it
	garbled  []float64            // and that it says nothing
}

// rounds is how often the points are weighed anew at most. They are taken roughly first, coarsest times as rough as
// they are and each round less by a share, so that most of the runs settle where the envelope is before any is called
// garbled.
const (
	rounds   = 30
	coarsest = 8.0
	finer    = 0.6
)

// settled is how little an unknown must move for the rest to be of no account, as a logarithm: a thousandth of a kW in
// two.
const settled = 5e-4

// solve finds the envelope where a share (as a logarithm) is taken off at each point by its temperature.
// It begins at what another warmth gave, or at the mean.
func (c *course) solve(off, begin []float64) *solution {
	n := len(c.points)
	s := &solution{x: make([]float64, c.size), seen: make([]float64, n), garbled: make([]float64, n)}
	copy(s.x, c.mean[:])
	if begin != nil {
		copy(s.x, begin)
	}
	var ch mat.Cholesky
	sound := false
	for round := range rounds {
		coarse := max(1, coarsest*math.Pow(finer, float64(round)))
		g, h := c.pulls(s, off, coarse)
		if sound = ch.Factorize(h); !sound {
			break
		}
		var step mat.VecDense
		if ch.SolveVecTo(&step, g) != nil {
			break
		}
		most := 0.0
		for i := range c.size {
			d := max(-longestStep, min(longestStep, step.AtVec(i)))
			s.x[i] += d
			most = max(most, math.Abs(d))
		}
		if most < settled && coarse == 1 {
			break
		}
	}
	if !sound {
		s.evidence = math.Inf(-1)
		s.inverse = func() *mat.SymDense { return inverse(c.prior) }
		return s
	}
	s.evidence = c.evidence(s, off, ch.LogDet())
	s.inverse = func() *mat.SymDense {
		cov := mat.NewSymDense(c.size, nil)
		if ch.InverseTo(cov) != nil {
			return inverse(c.prior)
		}
		return cov
	}
	return s
}

// pulls are the slope and the bend of how likely all is at a solution (Newton's): the prior's, and each point's, taken
// so many times as rough as it is.
func (c *course) pulls(s *solution, off []float64, coarse float64) (*mat.VecDense, *mat.SymDense) {
	h := mat.NewSymDense(c.size, nil)
	h.CopySym(c.prior)
	g := mat.NewVecDense(c.size, nil)
	from := mat.NewVecDense(c.size, nil)
	for i := range c.size {
		from.SetVec(i, s.x[i]-c.meanAt(i))
	}
	g.MulVec(c.prior, from)
	g.ScaleVec(-1, g)
	var buffer [8]part
	for i := range c.points {
		p := &c.points[i]
		parts := c.parts(p, buffer[:0])
		f := off[i]
		for _, q := range parts {
			f += q.share * s.x[q.of]
		}
		slope, bend := s.weigh(i, p, p.off(off[i])*coarse, f)
		for _, a := range parts {
			g.SetVec(a.of, g.AtVec(a.of)+slope*a.share)
			for _, b := range parts {
				if a.of <= b.of {
					h.SetSym(a.of, b.of, h.At(a.of, b.of)+bend*a.share*b.share)
				}
			}
		}
	}
	return g, h
}

// longestStep is how far an unknown is moved in one round.
const longestStep = 0.5

func (c *course) meanAt(i int) float64 {
	if i < nodes {
		return c.mean[i]
	}
	return 0
}

// weigh says how a point pulls at what is expected there, f: its slope and bend (both of minus the misfit, the bend
// positive).
func (s *solution) weigh(i int, p *point, sd, f float64) (slope, bend float64) {
	own, under, wild := p.densities(f, sd)
	sum := own + under + wild
	r, w := own/sum, under/sum
	s.seen[i], s.garbled[i] = r, 1-r-w
	z := (p.y - f) / sd
	slope, bend = r*z/sd, r/(sd*sd)
	// censored: the logarithm of the normal integral of -z, and its derivatives
	ratio := math.Exp(-z*z/2-gauss.LogPhi(-z)) / math.Sqrt(2*math.Pi)
	slope += w * ratio / sd
	bend += w * max(0, ratio*(ratio-z)) / (sd * sd)
	return slope, bend
}

// off is how far a point may lie off where its temperature takes a share (as a logarithm) off: the law of cold and heat
// is rougher the more it takes.
func (p *point) off(share float64) float64 { return math.Hypot(p.sd, lawSD*share) }

// densities are how well a point goes with what is expected, f, give or take sd: seen, censored and garbled, each one
// at its best. A point that happens to lie on the curve is no sign that the car held it: a curve can be drawn through
// any run, and whoever judged the run weighed that.
func (p *point) densities(f, sd float64) (own, under, wild float64) {
	z := (p.y - f) / sd
	own = p.own * (1 - garbled) * math.Exp(-z*z/2) * p.sd / sd
	under = (1 - p.own) * (1 - garbled) * math.Exp(gauss.LogPhi(-z))
	return own, under, garbled
}

// evidence is how likely all readings are under a solution: Laplace's approximation, but for what no warmth changes.
func (c *course) evidence(s *solution, off []float64, logDet float64) float64 {
	from := mat.NewVecDense(c.size, nil)
	for i := range c.size {
		from.SetVec(i, s.x[i]-c.meanAt(i))
	}
	e := -0.5*mat.Inner(from, c.prior, from) - 0.5*logDet
	var buffer [8]part
	for i := range c.points {
		p := &c.points[i]
		f := off[i]
		for _, q := range c.parts(p, buffer[:0]) {
			f += q.share * s.x[q.of]
		}
		own, under, wild := p.densities(f, p.off(off[i]))
		e += tempered * math.Log(own+under+wild)
	}
	return e
}

// tempered is how much of a point counts for which warmth it speaks: neighbours in a run lie off together.
const tempered = 0.3
