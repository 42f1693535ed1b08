package judge

import (
	"math"

	"zincroad/core/trace"
)

// The sides of the plug, as indices.
const (
	atPlug = iota
	atPack
)

// block is some neighbouring cells of a piece: means of what was read. Logarithms of kW and of V; NaN: not read.
type block struct {
	index, piece     int        // in the view; of which of its pieces
	minutes          float64    // since the piece began
	kw               [2]float64 // logarithm, at the plug and into the pack
	spread           [2]float64 // standard deviation of that, of what wobbles from cell to cell
	volts            [2]float64 // logarithm
	soc              float64
	coldest, warmest float64
	power            float64 // kW
}

// view is a piece as it is weighed: a few blocks, and which side of the plug was read in each.
type view struct {
	blocks  []block
	rows    []rowOf
	guess   bool    // amps come of volts that nobody read
	since   float64 // min from plug-in to its beginning
	offered float64 // kW that the stall offers; +Inf: not read

	known          [8][]float64 // by side, and whether amps are a guess and auxiliaries move
	k, y, one, cov []float64    // room
}

// rowOf is one side's reading of one block.
type rowOf struct{ block, side int }

// viewOf gathers the cells of neighbouring pieces into blocks.
func (g *grid) viewOf(pieces ...*piece) *view {
	v := &view{guess: !g.ampsRead && !g.voltsRead, since: (g.t[pieces[0].a] - g.plugInS) / 60,
		offered: g.offeredOver(pieces)}
	for i, p := range pieces {
		g.gather(v, p, i, g.t[pieces[0].a])
	}
	for i := range v.blocks {
		b := &v.blocks[i]
		b.index = i
		for side := range 2 {
			if !math.IsNaN(b.kw[side]) {
				v.rows = append(v.rows, rowOf{i, side})
			}
		}
	}
	v.cov = make([]float64, len(v.blocks)*len(v.blocks))
	return v
}

// offeredOver is what the stall offers over some pieces, kW: what it says itself stands above its label; +Inf where it
// was not read.
func (g *grid) offeredOver(pieces []*piece) float64 {
	most := math.Inf(1)
	for _, p := range pieces {
		if kw := g.middle(g.offered, p); kw > 0 {
			most = min(most, kw)
		}
	}
	return most
}

// gather adds a piece's blocks to a view.
func (g *grid) gather(v *view, p *piece, number int, startS float64) {
	count := min(p.b-p.a, mostBlocks)
	long := g.t[p.b-1] - g.t[p.a]
	from := p.a
	for b := range count {
		to := from + 1
		for to < p.b && (b == count-1 || g.t[to]-g.t[p.a] < long*float64(b+1)/float64(count)) {
			to++
		}
		if from >= p.b {
			break
		}
		x := block{piece: number}
		x.minutes = (g.t[from] + g.t[to-1] - 2*startS) / 120
		cells := float64(to - from)
		mean := func(col []float64) float64 {
			var read []float64
			for i := from; i < to; i++ {
				if !math.IsNaN(col[i]) {
					read = append(read, col[i])
				}
			}
			if len(read) == 0 {
				return math.NaN()
			}
			return trace.Median(read)
		}
		x.soc, x.coldest, x.warmest = mean(g.soc), mean(g.coldest), mean(g.warmest)
		for side := range 2 {
			kw, amps, volts := mean(g.raw[side].kw), mean(g.raw[side].amps), mean(g.raw[side].volts)
			x.kw[side], x.volts[side] = math.Log(kw), math.Log(volts)
			if amps > 1 && kw > 0 {
				x.volts[side] = math.Log(kw * 1000 / amps)
			}
			if kw >= 1 {
				x.spread[side] = math.Hypot(g.raw[side].white/math.Sqrt(cells), g.raw[side].step/kw/math.Sqrt(min(cells, 4)))
				x.power = kw
			} else {
				x.kw[side] = math.NaN()
			}
		}
		for side := range 2 { // what was not read is the other side's, or what a pack of its kind has
			if math.IsNaN(x.volts[side]) && !g.converter {
				x.volts[side] = x.volts[1-side]
			}
			if math.IsNaN(x.volts[side]) {
				x.volts[side] = math.Log(mean(g.volts))
				if side == atPack && g.converter {
					x.volts[side] = math.Log(mean(g.packV))
				}
			}
		}
		v.blocks = append(v.blocks, x)
		from = to
	}
}

// part is one part of a mixture of normal distributions.
type part struct{ weight, mean, sd float64 }

// model is how the logarithm of a quantity runs over a piece: its mean in each block, and what its covariance between
// two blocks is, beside what meters and auxiliaries add.
type model struct {
	side  int  // where it acts
	amps  bool // on amps, else on kW
	mean  func(b *block) float64
	cov   func(a, b *block) float64
	level []part // a level on top of it, integrated out; nil: none
}

// likely is the logarithm of how dense the readings lie under a model.
func (v *view) likely(m model) float64 {
	other := false
	for _, r := range v.rows {
		other = other || r.side != m.side
	}
	if !other {
		return v.density(&m, auxStandsKW)
	}
	return logAdd(math.Log(auxStands)+v.density(&m, auxStandsKW), math.Log(1-auxStands)+v.density(&m, auxMovesKW))
}

// meters is what meters, wobble and auxiliaries add to the covariance of a view's rows, for a limit that acts on one
// side, row by row: the lower triangle.
func (v *view) meters(side int, amps bool, walk float64) []float64 {
	at := 0
	for i, x := range []bool{side == atPack, amps && v.guess, walk == auxMovesKW} {
		if x {
			at |= 1 << i
		}
	}
	if v.known[at] != nil {
		return v.known[at]
	}
	n := len(v.rows)
	out := make([]float64, n*n)
	for i, r := range v.rows {
		a := &v.blocks[r.block]
		for j := 0; j <= i; j++ {
			q := v.rows[j]
			b := &v.blocks[q.block]
			apart := math.Abs(a.minutes - b.minutes)
			c := wobbleShare * wobbleShare * math.Exp(-apart/wobbleMin)
			if amps && v.guess {
				c += guessSD * guessSD * math.Exp(-apart/guessMin)
			}
			if r.side != side && q.side != side {
				c += (auxSDKW*auxSDKW+walk*walk*min(a.minutes, b.minutes))/a.power/b.power + gainSD*gainSD
			}
			if i == j {
				c += a.spread[r.side]*a.spread[r.side] + leastSD*leastSD
			}
			out[i*n+j] = c
		}
	}
	v.known[at] = out
	return out
}

// density is likely for auxiliaries that wander by so many kW in a minute's root.
func (v *view) density(m *model, walk float64) float64 {
	n := len(v.rows)
	if n == 0 {
		return 0
	}
	y, one := v.y[:0], v.one[:0]
	for _, r := range v.rows {
		y, one = append(y, v.away(m, r)), append(one, 1)
	}
	k := v.covariance(m, walk)
	v.y, v.one = y, one
	logDet, ok := cholesky(k, n)
	if !ok {
		return math.Inf(-1)
	}
	forward(k, n, y)
	forward(k, n, one)
	yy, y1, o1 := dot(y, y), dot(one, y), dot(one, one)
	// How the readings scatter about their own height, and how that height lies.
	height := y1 / o1
	scatter := -(logDet + float64(n-1)*math.Log(2*math.Pi) + yy - y1*y1/o1 + math.Log(o1)) / 2
	level := m.level
	if level == nil {
		level = atNought
	}
	out := math.Inf(-1)
	for _, p := range level {
		if p.weight > 0 {
			out = logAdd(out, math.Log(p.weight)+logNormal(height, p.mean, p.sd*p.sd+1/o1))
		}
	}
	return scatter + out
}

// away is how far a reading lies from a model's mean, on the model's quantity, as a logarithm.
func (v *view) away(m *model, r rowOf) float64 {
	a := &v.blocks[r.block]
	x := a.kw[r.side]
	if m.amps {
		x += math.Log(1000) - a.volts[m.side]
	}
	if m.mean != nil {
		x -= m.mean(a)
	}
	switch share := usualAuxKW / a.power; { // what is drawn beside lies between
	case r.side == m.side:
	case m.side == atPack:
		x -= share
	default:
		x += share
	}
	return x
}

// covariance is a model's over the view's rows, with what meters add: the lower triangle, row by row, in the view's own
// room.
func (v *view) covariance(m *model, walk float64) []float64 {
	n := len(v.rows)
	k := append(v.k[:0], v.meters(m.side, m.amps, walk)...)
	v.k = k
	if m.cov == nil {
		return k
	}
	nb := len(v.blocks)
	cov := v.cov[:nb*nb]
	for a := range nb {
		for b := 0; b <= a; b++ {
			cov[a*nb+b] = m.cov(&v.blocks[a], &v.blocks[b])
			cov[b*nb+a] = cov[a*nb+b]
		}
	}
	for i, r := range v.rows {
		for j := 0; j <= i; j++ {
			k[i*n+j] += cov[r.block*nb+v.rows[j].block]
		}
	}
	return k
}

// atNought is the level of a model that has none of its own.
var atNought = []part{{weight: 1}}

// logNormal is the logarithm of a normal distribution's density.
func logNormal(x, mean, variance float64) float64 {
	return -(math.Log(2*math.Pi*variance) + (x-mean)*(x-mean)/variance) / 2
}

// cholesky turns the lower triangle of a covariance of n rows into its root, in place, and gives the logarithm of its
// determinant; false where it is none. Twenty rows at most, a thousand times a run: gonum's, with its allocations,
// takes three times as long.
func cholesky(k []float64, n int) (logDet float64, ok bool) {
	for i := range n {
		row := k[i*n : i*n+i+1]
		for j := range row {
			other := k[j*n : j*n+j+1]
			sum := row[j]
			for x := range j {
				sum -= row[x] * other[x]
			}
			if j < i {
				row[j] = sum / other[j]
				continue
			}
			if !(sum > 0) {
				return 0, false
			}
			logDet += math.Log(sum)
			row[i] = math.Sqrt(sum)
		}
	}
	return logDet, true
}

// forward solves the root's rows for y, in place.
func forward(root []float64, n int, y []float64) {
	for i := range n {
		row := root[i*n : i*n+i+1]
		sum := y[i]
		for x := range i {
			sum -= row[x] * y[x]
		}
		y[i] = sum / row[i]
	}
}

func dot(a, b []float64) (sum float64) {
	for i := range a {
		sum += a[i] * b[i]
	}
	return sum
}

// perVolt is what turns the logarithm of kW into that of A at a side's middle volts.
func (v *view) perVolt(side int) float64 {
	x := make([]float64, len(v.blocks))
	for i := range v.blocks {
		x[i] = v.blocks[i].volts[side]
	}
	return trace.Median(x) - math.Log(1000)
}
