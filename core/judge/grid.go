package judge

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/trace"
)

// grid is one stretch of flowing power as it is judged: cells of several readings each, so
// that neighbours' wobble averages out and a log of an hour is some hundred numbers.
type grid struct {
	t, from, to                  []float64 // middle, beginning and end of a cell, s
	kw, amps, volts              []float64 // of the judged side; amps from kW and volts where they were not read
	plugKW, packKW, plugA, packA []float64
	packV                        []float64  // the pack's, where a converter makes the judged side's others
	soc, coldest, warmest, inlet []float64  // NaN: not read
	asked                        []float64  // delivered over requested; NaN: not read
	offered                      []float64  // kW that the stall offers; NaN
	gap                          []float64  // kW requested beyond what flowed; NaN: not read
	gapAtPlug                    bool       // what flowed was read at the plug: heater and cabin are in it
	converter                    bool       // the car's lies between plug and pack
	raw                          [2]rawSide // at the plug and into the pack, as read
	relKW, relAmps, noiseV       float64    // wobble of kW and of amps as a share, of volts in V
	ampsRead                     bool
	voltsRead                    bool
	fine                         bool // kw is made of volts and amps, which show more than it
	typed                        bool
	kwOnly                       bool    // only the power is described
	bends                        bool    // the volts rose to their top and stayed
	startS                       float64 // when power came here
	plugInS                      float64
	leg                          int
}

// The cells: so fine where power has just come, so coarse otherwise; how many at most.
const (
	fineS, fineForS = 2.0, 150.0
	cellS           = 5.0
	mostCells       = 500
)

// Readings far apart were typed, unless there are so many of them, not so far apart, that a logger
// wrote them.
const (
	typedAlwaysS = 60.0
	loggedFrom   = 60
)

// gridOf lays one stretch of flowing power into cells.
func (l *Log) gridOf(k *known, side *SideLog, power trace.Series, leg int) *grid {
	every := trace.MedianInterval(power.T)
	g := cellsOf(power, every)
	g.leg, g.plugInS = leg, l.Legs[leg].PlugInS
	l.columns(g, k, side, every)
	return g
}

// cellsOf lays power into cells, with nothing else in them.
func cellsOf(power trace.Series, every float64) *grid {
	n := power.Len()
	g := &grid{startS: power.T[0]}
	g.typed = every >= trace.TypedFromS && (every >= typedAlwaysS || n < loggedFrom)
	width := max(cellS, (power.T[n-1]-power.T[0])/mostCells)
	for i := 0; i < n; {
		w := width
		if power.T[i]-power.T[0] < fineForS {
			w = fineS
		}
		j := i + 1
		for j < n && power.T[j]-power.T[i] < w-1e-9 {
			j++
		}
		end := power.T[j-1] + min(every, w)
		if j < n {
			end = power.T[j]
		}
		from := power.T[i]
		mid := (power.T[i] + power.T[j-1]) / 2
		g.t, g.from, g.to = append(g.t, mid), append(g.from, from), append(g.to, end)
		g.kw = append(g.kw, middleOf(power.V[i:j]))
		i = j
	}
	return g
}

// columns fills in what else was read in each cell.
func (l *Log) columns(g *grid, k *known, side *SideLog, every float64) {
	reach := max(30, 3*every)
	n := len(g.t)
	g.ampsRead, g.voltsRead = side.Amps.Len() > 1, side.Volts.Len() > 1
	col := func() []float64 { return make([]float64, n) }
	g.amps, g.volts, g.plugKW, g.packKW, g.plugA, g.packA = col(), col(), col(), col(), col(), col()
	g.packV = col()
	g.soc, g.coldest, g.warmest, g.inlet, g.asked, g.offered = col(), col(), col(), col(), col(), col()
	other := &l.Stall
	if side == other {
		other = &l.Car
	}
	for i := range n {
		l.cell(g, k, side, other, i, reach)
	}
	g.finer(side)
	g.noise(side)
	g.readRaw(l, side, reach)
	g.readGap(l, reach)
	g.converter = k.converter
}

// slowS is for how long temperatures and charge stand for themselves, s.
const slowS = 240

// cell fills in what was read in one cell, of the judged side and of the other.
func (l *Log) cell(g *grid, k *known, side, other *SideLog, i int, reach float64) {
	from, to := g.from[i], max(g.to[i], g.from[i]+1e-6)
	at := func(s trace.Series) float64 { return meanIn(s, from, to, reach) }
	slow := func(s trace.Series) float64 {
		if v := near1(s, g.t[i], max(slowS, reach)); math.IsNaN(v) {
			return v
		}
		return smooth(s, g.t[i])
	}
	g.soc[i], g.coldest[i], g.warmest[i], g.inlet[i] = slow(l.SoC), slow(l.ColdestC), slow(l.WarmestC), slow(l.InletC)
	volts, amps := at(side.Volts), at(side.Amps)
	if math.IsNaN(volts) && amps > 1 {
		volts = g.kw[i] * 1000 / amps
	}
	if math.IsNaN(volts) && !k.converter {
		volts = at(other.Volts)
	}
	if math.IsNaN(volts) {
		volts = k.packVolts(g.soc[i], g.kw[i])
	}
	if math.IsNaN(amps) {
		amps = g.kw[i] * 1000 / volts
	}
	g.volts[i], g.amps[i], g.packV[i] = volts, amps, volts
	if k.converter {
		if g.packV[i] = at(l.Car.Volts); math.IsNaN(g.packV[i]) {
			g.packV[i] = k.packVolts(g.soc[i], g.kw[i])
		}
	}
	g.plugKW[i], g.packKW[i] = at(l.Stall.KW), at(l.Car.KW)
	passes := 1.0
	if k.converter {
		passes = limit.ConverterShare
	}
	if math.IsNaN(g.plugKW[i]) {
		g.plugKW[i] = (g.packKW[i]/passes)*1.02 + 0.5
	}
	if math.IsNaN(g.packKW[i]) {
		g.packKW[i] = passes * PackShare * g.plugKW[i]
	}
	g.plugA[i], g.packA[i] = at(l.Stall.Amps), at(l.Car.Amps)
	if math.IsNaN(g.plugA[i]) && !(k.converter && side == &l.Car) {
		g.plugA[i] = amps
	}
	if math.IsNaN(g.packA[i]) && !(k.converter && side == &l.Stall) {
		g.packA[i] = amps
	}
	g.asked[i] = l.askedFor(from, to, reach)
	g.offered[i] = l.offeredKW(g.volts[i], at)
}

// rawSide is what one side showed in each cell, NaN where it showed nothing, and how its power wobbles.
type rawSide struct {
	kw, amps, volts []float64
	white, step     float64 // standard deviation from cell to cell as a share; of a display's step, kW
}

// mostWhite is how much a side's cells may differ by themselves at most, as a share: what is more is movement (common
// practice, no source). Between typed readings movement is not told from it, which makes what is said of them modest: a
// display that flickers by a twentieth looks the same.
const mostWhite = 0.05

// readRaw fills in what each side showed.
func (g *grid) readRaw(l *Log, judged *SideLog, reach float64) {
	n := len(g.t)
	for i, side := range []*SideLog{atPlug: &l.Stall, atPack: &l.Car} {
		r := &g.raw[i]
		r.kw, r.amps, r.volts = make([]float64, n), make([]float64, n), make([]float64, n)
		for c := range n {
			from, to := g.from[c], max(g.to[c], g.from[c]+1e-6)
			r.kw[c], r.amps[c], r.volts[c] = meanIn(side.KW, from, to, reach), meanIn(side.Amps, from, to, reach),
				meanIn(side.Volts, from, to, reach)
		}
		if side == judged {
			copy(r.kw, g.kw)
		}
		r.white = min(mostWhite, max(leastWobble, wobbleOf(r.kw, true)))
		if r.step = 0.29 * stepOf(side.KW.V); side == judged && g.fine {
			r.step = 0
		}
		if g.typed {
			r.white = max(r.white, typedWobble)
		}
	}
}

// coarseKW is from which step a display's power is read finer from its own volts and amps; near which share of their
// product it must stay.
const (
	coarseKW   = 0.5
	productOff = 0.06
)

// finer takes power that a display shows in whole kW from volts and amps of the same side, as far as these show more:
// a level of 43.4 kW that reads 43 in most cells and 44 in some is no level, else, and its amps look the more so.
func (g *grid) finer(side *SideLog) {
	if !g.ampsRead || !g.voltsRead || g.typed || stepOf(side.KW.V) < coarseKW || stepOf(side.Amps.V) >= 1 {
		return
	}
	ratios := make([]float64, 0, len(g.kw))
	for i, kw := range g.kw {
		if product := g.volts[i] * g.amps[i] / 1000; product > 5 {
			ratios = append(ratios, kw/product)
		}
	}
	if len(ratios) < leastCells {
		return
	}
	by := trace.Median(ratios)
	if math.Abs(by-1) > productOff {
		return
	}
	for i := range g.kw {
		if product := g.volts[i] * g.amps[i] / 1000 * by; math.Abs(product-g.kw[i]) <= coarseKW+productOff*g.kw[i] {
			g.kw[i] = product
		}
	}
	g.fine = true
}

// readGap fills in what the car requested beyond what flowed.
func (g *grid) readGap(l *Log, reach float64) {
	g.gap = make([]float64, len(g.t))
	for i := range g.t {
		from, to := g.from[i], max(g.to[i], g.from[i]+1e-6)
		g.gap[i] = math.NaN()
		flows := g.raw[atPlug].kw[i]
		if g.gapAtPlug = !math.IsNaN(flows); !g.gapAtPlug {
			flows = g.raw[atPack].kw[i]
		}
		for side, s := range []*SideLog{atPlug: &l.Stall, atPack: &l.Car} {
			asked := meanIn(s.RequestedKW, from, to, reach)
			if math.IsNaN(asked) {
				volts := g.raw[side].volts[i]
				if math.IsNaN(volts) {
					volts = g.volts[i]
				}
				asked = meanIn(s.RequestedA, from, to, reach) * volts / 1000
			}
			if gap := asked - flows; asked >= 1 && !(gap < g.gap[i]) {
				g.gap[i] = gap
			}
		}
	}
}
