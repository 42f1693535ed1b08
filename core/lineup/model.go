package lineup

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"zincroad/core/trace"
)

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
