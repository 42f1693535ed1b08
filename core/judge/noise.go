package judge

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// What wobble is taken for at least: as a share of kW and amps, of readings that were typed, and
// of amps that come from a voltage nobody read.
const (
	leastWobble  = 0.0025
	typedWobble  = 0.015
	guessedVolts = 0.006
)

// noise settles how much kW, amps and volts wobble from cell to cell: the robust spread of each
// against the middle of its neighbours, and what a display by steps leaves open.
func (g *grid) noise(side *SideLog) {
	g.despike(g.kw)
	if g.ampsRead {
		g.despike(g.amps)
	}
	g.relKW, g.relAmps = slowWobbleOf(g, g.kw), slowWobbleOf(g, g.amps)
	g.noiseV = max(0.05, wobbleOf(g.volts, false))
	middle := trace.Median(g.kw)
	g.relKW = max(leastWobble, g.relKW)
	if !g.fine {
		g.relKW = max(g.relKW, 0.29*stepOf(side.KW.V)/max(1, middle))
	}
	if middle = trace.Median(g.amps); g.ampsRead {
		g.relAmps = max(leastWobble, g.relAmps, 0.29*stepOf(side.Amps.V)/max(1, middle))
	} else {
		g.relAmps = max(g.relKW, 0.003)
		if !g.voltsRead {
			g.relAmps = max(g.relKW, guessedVolts)
		}
	}
	if g.typed {
		g.relKW, g.relAmps = max(g.relKW, typedWobble), max(g.relAmps, typedWobble)
	}
}

// What makes one cell a spike: its neighbours agree within so much, and it lies so far off them.
const (
	spikeAgree = 0.02
	spikeOff   = 0.03
	spikeSD    = 6.0
)

// despike puts the middle of its neighbours in the place of a single cell that leaps away from both:
// a reading that was garbled. What lasts two cells stays.
func (g *grid) despike(v []float64) {
	if g.typed {
		return
	}
	sd := wobbleOf(v, true)
	for i := 1; i+1 < len(v); i++ {
		m := (v[i-1] + v[i+1]) / 2
		if m > 1 && math.Abs(v[i-1]-v[i+1]) < spikeAgree*m && math.Abs(v[i]-m) > max(spikeOff, spikeSD*sd)*m {
			v[i] = m
		}
	}
}

// wobbleOf is the robust spread of a column against the middle of its two neighbours, 1.4826
// times the median distance over √1.5, as a share of it where so asked.
func wobbleOf(v []float64, share bool) float64 {
	var away []float64
	for i := 1; i+1 < len(v); i++ {
		d := math.Abs(v[i] - (v[i-1]+v[i+1])/2)
		if share {
			if v[i] < 1 {
				continue
			}
			d /= v[i]
		}
		if !math.IsNaN(d) { // a neighbour was not read
			away = append(away, d)
		}
	}
	if len(away) == 0 {
		return 0
	}
	return 1.4826 * trace.Median(away) / math.Sqrt(1.5)
}

// The blocks by which slow wobble is found: cells in one, and how many times the quick wobble's
// variance the slow one's may be taken for.
const (
	blockCells = 6
	mostSlow   = 12.0
)

// slowWobbleOf is wobbleOf for a column whose wobble may be slow: what the means of blocks of cells
// scatter more than independent cells would is added, so that a wander of half a minute is not
// taken for a slope.
func slowWobbleOf(g *grid, v []float64) float64 {
	if g.typed {
		return typedWobbleOf(v)
	}
	quick := wobbleOf(v, true)
	if len(v) < 8*blockCells {
		return quick
	}
	var blocks []float64
	for i := 0; i+blockCells <= len(v); i += blockCells {
		sum := 0.0
		for _, x := range v[i : i+blockCells] {
			sum += x
		}
		blocks = append(blocks, sum/blockCells)
	}
	quick = max(quick, 1e-4)
	slow := wobbleOf(blocks, true) * math.Sqrt(blockCells) / quick
	return quick * math.Sqrt(min(mostSlow, max(1, slow*slow)))
}

// typedWobbleOf is wobbleOf for readings that lie minutes apart, where a change of the power is as wide as a reading's
// neighbours: each spoils two of the distances, and two changes are allowed for. Of the distances that are left the
// middle one counts, by the place that it has among all; with too few nothing is known but what readings usually do.
func typedWobbleOf(v []float64) float64 {
	var away []float64
	for i := 1; i+1 < len(v); i++ {
		if d := math.Abs(v[i]-(v[i-1]+v[i+1])/2) / v[i]; v[i] >= 1 && !math.IsNaN(d) {
			away = append(away, d)
		}
	}
	rank := (len(away) - spoilt + 1) / 2
	if rank < leastRank {
		return 0
	}
	slices.Sort(away)
	share := (float64(rank) - 0.5) / float64(len(away))
	return away[rank-1] / (math.Sqrt2 * math.Erfinv(share)) / math.Sqrt(1.5)
}

// The distances that changes of the power spoil, and the least rank by which the rest is known.
const (
	spoilt    = 4
	leastRank = 3
)

// stepOf is the step of a display that shows whole or half units; 0 for finer ones.
func stepOf(v []float64) float64 {
	whole, half := true, true
	for _, x := range v {
		whole = whole && x == math.Trunc(x)
		half = half && 2*x == math.Trunc(2*x)
	}
	switch {
	case whole:
		return 1
	case half:
		return 0.5
	}
	return 0
}
