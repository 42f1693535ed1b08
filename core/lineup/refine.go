package lineup

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"zincroad/core/trace"
)

// leeway is what the two sides may differ by in one quantity besides their clocks, one standard
// deviation each.
type leeway struct {
	wander float64 // of the scale, between knots
	factor float64 // of the one side's scale against the other's
	offset float64 // of the level, where the quantity is nothing
	bend   float64 // of the scale at the level, growing with it
	lagS   float64 // by which what is shown is older than what was measured
	same   bool    // both show the one figure that the car works out
}

const (
	knotS   = 600 // how fast the two sides wander apart
	driftSD = 300 // of a clock, millionths; a quartz has 20 to 100
)

// How the fit goes.
const (
	denseS     = 3    // readings up to so far apart are smoothed, others taken one by one
	leastBellS = 2.0  // width of the smoothing
	broadS     = 15   // of that which tells how the scales differ
	wholly     = 0.97 // of a bell must be known
	partly     = 0.4
	mostRounds = 12

	// Displays are taken for the same figure; where after so many rounds they differ by more
	// than sameWithin points, they are not, and say nothing of the clocks.
	settleRound = 3
	sameWithin  = 0.15
	roundingSD  = 0.3 // of a display's step

	nearS     = 1e-3 // a step of the fit that moves no figure
	nearPPM   = 0.1
	huberK    = 2.5
	mostStepS = 4
	mostTurn  = 1000 // millionths
	memoryS   = 60   // residuals nearer than this may belong together
	minuteS   = 60

	// When a display flips beats with when it is read, for minutes on end.
	displayMemoryS = 300
)

// channelPair is one quantity as both recordings have it: the denser one smooth on a grid, the
// other at its own moments.
type channelPair struct {
	dense grid
	broad grid         // the same without what is quick
	at    trace.Series // the other's readings, smoothed where they are dense themselves
	level float64      // typical size
	every float64      // s between the points of at
	bell  float64      // width of the smoothing of at, s; 0: none

	leeway leeway
	offset float64 // by which two displays of one figure may differ, one standard deviation
	edges  []edge  // sharper than the readings can tell
	edgeSD float64 // of when such an edge was, as both tell it, s
}

// edge is a step of the dense series from one reading to the next.
type edge struct{ at, jump float64 }

// pairOf prepares one quantity; false where one of the two has too little of it or stands still.
func pairOf(ch channelOf, dense, other trace.Series, everyDense, everyOther float64) (channelPair, bool) {
	if dense.Len() < leastPoints || other.Len() < leastPoints {
		return channelPair{}, false
	}
	p := channelPair{every: math.Max(1, everyOther), leeway: ch.leeway,
		edgeSD: math.Sqrt((everyDense*everyDense + everyOther*everyOther) / 12)}
	if ch.leeway.same {
		// One display may round where the other cuts off: up to half of its step apart.
		p.offset = roundingSD * math.Max(leastStep(dense), leastStep(other))
		if dense, other = flips(dense), flips(other); dense.Len() < leastPoints || other.Len() < leastPoints {
			return channelPair{}, false
		}
	}
	g := gridOf(dense, dense.T[0], 1, false)
	if everyOther <= denseS && !ch.leeway.same {
		p.bell = math.Max(leastBellS, 1.2*math.Max(everyDense, everyOther))
		o := gridOf(other, other.T[0], 1, false).smooth(p.bell, wholly)
		// What a bell lets through changes so slowly that a point each of its widths holds all of it: at half the rate of
		// those points, exp(-pi*pi/2), less than a hundredth, is left.
		p.every = math.Floor(p.bell)
		for k := 0; k < len(o.v); k += int(p.every) {
			if o.w[k] > 0 {
				p.at.T, p.at.V = append(p.at.T, o.fromS+float64(k)), append(p.at.V, o.v[k])
			}
		}
		p.dense = g.smooth(p.bell, wholly)
	} else {
		p.at = other
		p.dense = g.smooth(math.Max(1, everyDense), wholly)
	}
	p.broad = g.smooth(math.Max(broadS, 3*everyDense), partly)
	p.level = level(p.at)
	if ch.leeway.lagS == 0 {
		p.edges = edgesOf(dense, p.level)
	}
	return p, p.at.Len() >= leastPoints && p.level > 0
}

// What is an edge (common practice, no source).
const (
	edgeShare  = 0.003 // of the level
	edgeNoise  = 4     // times the scatter of a mean of edgeWindow readings
	edgeWindow = 5     // readings before and behind
)

// edgesOf lists the steps from one level to another between two neighbouring readings: when such
// a step was is known no better than the readings are apart. A ramp that a straight line fits
// better than two levels is none.
func edgesOf(s trace.Series, level float64) []edge {
	n := s.Len()
	if n < 2*edgeWindow {
		return nil
	}
	scatter := make([]float64, n-1)
	for i := range scatter {
		scatter[i] = math.Abs(s.V[i+1] - s.V[i])
	}
	least := math.Max(edgeShare*level, edgeNoise*1.05*trace.Median(scatter)*math.Sqrt(2.0/edgeWindow))
	jump := func(i int) float64 { // from reading i-1 to i
		d := 0.0
		for k := range edgeWindow {
			d += s.V[i+k] - s.V[i-1-k]
		}
		return math.Abs(d) / edgeWindow
	}
	var out []edge
	for i := edgeWindow; i+edgeWindow <= n; i++ {
		j := jump(i)
		if j < least || i > edgeWindow && jump(i-1) > j || i+edgeWindow < n && jump(i+1) >= j {
			continue
		}
		if levels, line := misfits(s.V[i-edgeWindow : i+edgeWindow]); levels < line {
			out = append(out, edge{(s.T[i-1] + s.T[i]) / 2, j})
		}
	}
	return out
}

// misfits gives the sums of squares that two levels, one for each half, and a straight line leave
// of some values.
func misfits(v []float64) (levels, line float64) {
	n := len(v)
	mean := func(x []float64) float64 {
		sum := 0.0
		for _, y := range x {
			sum += y
		}
		return sum / float64(len(x))
	}
	a, b, all := mean(v[:n/2]), mean(v[n/2:]), mean(v)
	up, sq := 0.0, 0.0
	for i, y := range v {
		x := float64(i) - float64(n-1)/2
		up, sq = up+x*y, sq+x*x
		m := a
		if i >= n/2 {
			m = b
		}
		levels += (y - m) * (y - m)
	}
	for i, y := range v {
		d := y - all - up/sq*(float64(i)-float64(n-1)/2)
		line += d * d
	}
	return levels, line
}

// level is the root mean square of a series.
func level(s trace.Series) float64 {
	sum := 0.0
	for _, v := range s.V {
		sum += v * v
	}
	return math.Sqrt(sum / math.Max(1, float64(s.Len())))
}

// fit is one candidate made exact: a point of the other recording at its own time u lies at
// u + shiftS + rate (u - middleS) on the clock of the dense one; rates are in millionths.
type fit struct {
	shiftS, rate, middleS float64
	varShift, varRate     float64
	cov                   float64 // of the two
	scale                 float64 // of the first quantity: other over dense
	residual              float64 // robust, as a share of the level, of the first quantity
	points                int
	spanS                 float64 // from the first to the last of the other's points that both cover
	byDisplay             bool    // fine displays of the state of charge took part
	lasting               float64 // disagreement for a minute and more, as a share of the level
	costs                 []float64
}

// refine fits shift and rate, together with what else may differ, by least squares that large
// residuals do not rule (Huber), from a shift that is right within a few seconds. The variances are those of
// the score with its own correlation in time (Newey and West 1987, from memory), so that slow
// disagreement of the two sides widens them.
func refine(pairs []channelPair, shiftS float64) (fit, bool) {
	f := fit{shiftS: shiftS}
	f.middleS = middle(pairs[0].at, pairs[0].dense, shiftS)
	models := make([]*model, len(pairs))
	for i := range pairs {
		models[i] = newModel(&pairs[i])
	}
	for round := range mostRounds {
		size := 2
		for _, m := range models {
			m.first = size
			m.look(f)
			size += m.columns()
		}
		if len(models[0].rows) < leastPoints {
			return f, false
		}
		sums := equations{size: size, normal: make([]float64, size*size), right: make([]float64, size)}
		sums.normal[0] = 1e-6
		sums.normal[size+1] = 1 / (driftSD * driftSD)
		sums.right[1] = -f.rate / (driftSD * driftSD)
		for _, m := range models {
			m.addTo(&sums)
		}
		step, inv, ok := sums.solve()
		if !ok {
			return f, false
		}
		// Where the first guess is far off, the whole step is made shorter.
		shorter := math.Min(1, math.Min(mostStepS/math.Abs(step[0]), mostTurn/math.Abs(step[1])))
		for k := range step {
			step[k] *= shorter
		}
		for _, m := range models {
			m.take(step)
		}
		if round == settleRound {
			models = slices.DeleteFunc(models, func(m *model) bool { return m.pair.leeway.same && m.scale > sameWithin })
			if len(models) == 0 {
				return f, false
			}
		}
		by, turn := step[0], step[1]
		f.shiftS += by
		f.rate += turn
		if math.Abs(f.shiftS-shiftS) > apartS || math.Abs(f.rate) > 10*driftSD {
			return f, false
		}
		if round > settleRound+1 && math.Abs(by) < nearS && math.Abs(turn) < nearPPM || round == mostRounds-1 {
			f.measure(models, inv())
			return f, true
		}
	}
	return f, false
}

// equations are normal equations, row by row; only the upper half is filled.
type equations struct {
	size          int
	normal, right []float64
}

// solve gives the step that the equations ask for, and what gives their inverse; false where they
// have no single answer. Columns are brought to one size first: seconds, shares and millionths
// stand side by side.
func (e *equations) solve() (step []float64, inverse func() mat.Matrix, ok bool) {
	size := make([]float64, e.size)
	for i := range size {
		size[i] = 1 / math.Sqrt(e.normal[i*e.size+i])
	}
	for i := range size {
		for j := i; j < e.size; j++ {
			e.normal[i*e.size+j] *= size[i] * size[j]
		}
		e.right[i] *= size[i]
	}
	var chol mat.Cholesky
	if !chol.Factorize(mat.NewSymDense(e.size, e.normal)) {
		return nil, nil, false
	}
	var x mat.VecDense
	if chol.SolveVecTo(&x, mat.NewVecDense(e.size, e.right)) != nil {
		return nil, nil, false
	}
	step = x.RawVector().Data
	for i := range step {
		step[i] *= size[i]
	}
	return step, func() mat.Matrix {
		var inv mat.SymDense
		_ = chol.InverseTo(&inv) // the factors were good enough to solve with
		for i := range size {
			for j := i; j < e.size; j++ {
				inv.SetSym(i, j, inv.At(i, j)*size[i]*size[j])
			}
		}
		return &inv
	}, true
}

// middle is the middle of the other's points that the dense one covers.
func middle(at trace.Series, dense grid, shiftS float64) float64 {
	from, to := math.Inf(1), math.Inf(-1)
	for _, u := range at.T {
		if _, _, ok := dense.at(u + shiftS); ok {
			from, to = math.Min(from, u), math.Max(to, u)
		}
	}
	if from > to {
		return 0
	}
	return (from + to) / 2
}

// row is one point in which both are known.
type row struct {
	u, at      float64 // own time, time on the dense clock
	seen, v    float64 // the other's value, the dense one's
	broad      float64 // the dense one's without what is quick
	slope      float64 // of the dense one, per s
	w          float64
	residual   float64
	jShift     float64
	edge       int // 1 more than the edge that it is part of; 0: none
	knot       int // the knot before it
	knotWeight float64
}

// model is what one quantity is expected to be, by the dense one's value v of a moment that is a
// lag ago, and its broad course b:
//
//	ratio v + offset + (factor + wander) b + bend b b / level
//
// How the scales differ is taken from the broad course alone. Taken from v itself, the scatter of
// v would make the factor too small (as of every regression on what scatters), and a ramp that is
// a little too low looks like one that is a little late.
type model struct {
	pair  *channelPair
	rows  []row
	first int // its first column; the columns are offset, factor, bend, lag, then the knots
	theta []float64
	from  float64 // of the first knot
	knots int
	scale float64 // of residuals
	ratio float64 // of the two levels

	middleS float64 // about which the rate turns
}

func newModel(p *channelPair) *model {
	return &model{pair: p, theta: []float64{0, 0, 0, 0}}
}

// fixed is how many columns a quantity has besides its knots.
const fixed = 4

func (m *model) columns() int { return fixed + m.knots }

// look lays the points on the dense clock as it is believed to be now, and weighs them.
func (m *model) look(f fit) {
	p := m.pair
	m.middleS = f.middleS
	m.rows = m.rows[:0]
	for i, u := range p.at.T {
		at := u + f.shiftS + f.rate*1e-6*(u-f.middleS) + m.theta[3]
		if v, slope, ok := p.dense.at(at); ok {
			broad, _, ok := p.broad.at(at)
			if !ok {
				broad = v
			}
			m.rows = append(m.rows, row{u: u, at: at, seen: p.at.V[i], v: v, broad: broad, slope: slope})
		}
	}
	if len(m.rows) == 0 {
		return
	}
	if m.knots == 0 {
		m.ratio = 1
	}
	if m.knots == 0 && !p.leeway.same {
		m.ratio = levelOf(m.rows, func(r *row) float64 { return r.seen }) /
			math.Max(1e-9, levelOf(m.rows, func(r *row) float64 { return r.broad }))
	}
	if m.knots == 0 {
		m.from = m.rows[0].at
		m.knots = int((m.rows[len(m.rows)-1].at-m.from)/knotS) + 2
		m.theta = append(m.theta, make([]float64, m.knots)...)
	}
	deviations := make([]float64, len(m.rows))
	for i := range m.rows {
		r := &m.rows[i]
		x := (r.at - m.from) / knotS
		r.knot = max(0, min(m.knots-2, int(x)))
		r.knotWeight = math.Max(0, math.Min(1, x-float64(r.knot)))
		r.residual = r.seen - m.value(r)
		r.jShift = m.ratio * r.slope
		deviations[i] = math.Abs(r.residual)
	}
	m.scale = math.Max(1.4826*trace.Median(deviations), 1e-4*p.level)
	together := math.Max(1, 2*math.Sqrt(math.Pi)*p.bell/p.every)
	for i := range m.rows {
		r := &m.rows[i]
		r.w = math.Min(1, huberK*m.scale/math.Max(1e-12, math.Abs(r.residual))) / (m.scale * m.scale * together)
	}
	m.weighEdges(1 / (m.scale * m.scale * together))
}

// weighEdges takes from the points of each edge what they seem to know of when it was beyond what
// readings so far apart can tell. A smoothed step of height a would say a a w / (2 sqrt(pi) bell).
func (m *model) weighEdges(w float64) {
	p := m.pair
	bell := math.Max(p.bell, 1)
	k := 0
	for i := range m.rows {
		r := &m.rows[i]
		for k < len(p.edges) && r.at > p.edges[k].at+3*bell {
			k++
		}
		if k == len(p.edges) || math.Abs(r.at-p.edges[k].at) > 3*bell {
			continue
		}
		r.edge = k + 1
		says := p.edges[k].jump * p.edges[k].jump * w / (2 * math.Sqrt(math.Pi) * bell)
		r.w = math.Min(r.w, w*math.Min(1, 1/(p.edgeSD*p.edgeSD*says)))
	}
}

func (m *model) value(r *row) float64 {
	return m.ratio*r.v + m.theta[0] + m.theta[1]*r.broad + m.theta[2]*r.broad*r.broad/m.pair.level +
		r.broad*((1-r.knotWeight)*m.theta[fixed+r.knot]+r.knotWeight*m.theta[fixed+1+r.knot])
}

// gradient gives the columns that a row touches and how.
func (m *model) gradient(r *row) (columns [8]int, g [8]float64) {
	k := m.first
	return [8]int{0, 1, k, k + 1, k + 2, k + 3, k + fixed + r.knot, k + fixed + 1 + r.knot},
		[8]float64{r.jShift, r.jShift * (r.u - m.middleS) * 1e-6, 1, r.broad, r.broad * r.broad / m.pair.level,
			r.jShift, (1 - r.knotWeight) * r.broad, r.knotWeight * r.broad}
}

// addTo adds the normal equations of the quantity, and what is believed beforehand of how the
// two sides differ.
func (m *model) addTo(sums *equations) {
	for i := range m.rows {
		r := &m.rows[i]
		columns, g := m.gradient(r)
		for x, cx := range columns {
			wx := r.w * g[x]
			sums.right[cx] += wx * r.residual
			upper := sums.normal[cx*sums.size:]
			for y := x; y < len(columns); y++ { // columns rise
				upper[columns[y]] += wx * g[y]
			}
		}
	}
	for k := range m.theta {
		sd, value := m.believed(k)
		c := m.first + k
		sums.normal[c*sums.size+c] += 1 / (sd * sd)
		sums.right[c] -= (m.theta[k] - value) / (sd * sd)
	}
}

// believed is what is known beforehand of a column: its standard deviation about a value.
func (m *model) believed(k int) (sd, value float64) {
	l := m.pair.leeway
	switch k {
	case 0:
		if l.same {
			return m.pair.offset, 0
		}
		return l.offset * m.pair.level, 0
	case 1:
		return l.factor, 0
	case 2:
		return l.bend, 0
	case 3:
		return math.Max(l.lagS, 1e-3), 0
	}
	return l.wander, 0
}

func (m *model) take(step []float64) {
	for k := range m.theta {
		m.theta[k] += step[m.first+k]
	}
}

// measure works out how far the fit can be trusted: variances of shift and rate from how each
// moment pulls at them, pulls of moments near to each other taken together.
func (f *fit) measure(models []*model, inverse mat.Matrix) {
	first := models[0]
	f.scale = first.ratio
	f.residual = first.scale / first.pair.level
	f.points = len(first.rows)
	f.spanS = first.rows[len(first.rows)-1].u - first.rows[0].u
	size, _ := inverse.Dims()
	for _, m := range models {
		f.byDisplay = f.byDisplay || m.pair.leeway.same && m.pair.offset <= roundingSD*finestStep*1.01
		pulls := make([][2]float64, len(m.rows))
		edges := map[int][2]float64{}
		for i := range m.rows {
			r := &m.rows[i]
			columns, g := m.gradient(r)
			var pull [2]float64
			for x, c := range columns {
				pull[0] += inverse.At(0, c) * g[x] * r.w
				pull[1] += inverse.At(1, c) * g[x] * r.w
			}
			if r.edge > 0 {
				e := edges[r.edge]
				edges[r.edge] = [2]float64{e[0] + pull[0]*r.jShift, e[1] + pull[1]*r.jShift}
				continue
			}
			pulls[i] = [2]float64{pull[0] * r.residual, pull[1] * r.residual}
		}
		memory := float64(memoryS)
		if m.pair.leeway.same {
			memory = displayMemoryS
		}
		a, b, ab := together(m.rows, pulls, memory)
		f.varShift, f.varRate, f.cov = f.varShift+a, f.varRate+b, f.cov+ab
		for _, e := range edges {
			v := m.pair.edgeSD * m.pair.edgeSD
			f.varShift, f.varRate, f.cov = f.varShift+v*e[0]*e[0], f.varRate+v*e[1]*e[1], f.cov+v*e[0]*e[1]
		}
		for k := range m.theta {
			sd, _ := m.believed(k)
			c := m.first + k
			x, y := inverse.At(0, c)/sd, inverse.At(1, c)/sd
			f.varShift, f.varRate, f.cov = f.varShift+x*x, f.varRate+y*y, f.cov+x*y
		}
	}
	if size > 1 {
		x, y := inverse.At(0, 1)/driftSD, inverse.At(1, 1)/driftSD
		f.varShift, f.varRate, f.cov = f.varShift+x*x, f.varRate+y*y, f.cov+x*y
	}
	for i := range first.rows {
		f.costs = append(f.costs, first.rows[i].residual)
	}
	f.lasting = lasting(first.rows, first.scale) / first.pair.level
}

// lasting is the median size of what is left on average of a minute, beyond what scatter leaves
// of it: how far the two courses disagree for long.
func lasting(rows []row, scale float64) float64 {
	var means []float64
	for i := 0; i < len(rows); {
		from, sum, n := rows[i].u, 0.0, 0
		for ; i < len(rows) && rows[i].u < from+minuteS; i++ {
			sum += rows[i].residual
			n++
		}
		means = append(means, math.Max(0, math.Abs(sum/float64(n))-scale/math.Sqrt(float64(n))))
	}
	return trace.Median(means)
}

// levelOf is the root mean square of what rows have.
func levelOf(rows []row, of func(*row) float64) float64 {
	sum := 0.0
	for i := range rows {
		v := of(&rows[i])
		sum += v * v
	}
	return math.Sqrt(sum / math.Max(1, float64(len(rows))))
}

// together sums products of pulls, each with those that are less than a memory apart, the
// farther the less.
func together(rows []row, pulls [][2]float64, memoryS float64) (a, b, ab float64) {
	for i := range rows {
		p := pulls[i]
		a, b, ab = a+p[0]*p[0], b+p[1]*p[1], ab+p[0]*p[1]
		for j := i + 1; j < len(rows) && rows[j].u-rows[i].u < memoryS; j++ {
			q, w := pulls[j], 1-(rows[j].u-rows[i].u)/memoryS
			a, b = a+2*w*p[0]*q[0], b+2*w*p[1]*q[1]
			ab += w * (p[0]*q[1] + p[1]*q[0])
		}
	}
	return math.Max(a, 0), math.Max(b, 0), ab
}
