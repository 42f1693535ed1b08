package lineup

import (
	"math"

	"zincroad/core/trace"
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
