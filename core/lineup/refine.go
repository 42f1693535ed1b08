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
