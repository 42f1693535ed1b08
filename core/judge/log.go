package judge

import (
	"math"
	"slices"

	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
)

// Log is what was read of a run on one clock, and what is known of its car and stall.
// A series that was not read is empty; of what is not known the pointer is nil.
type Log struct {
	Legs       []Leg   // in order of time
	Car, Stall SideLog // at the pack's terminals, and at the plug: losses and what is drawn beside lie between

	SoC                        trace.Series // %
	ColdestC, WarmestC, InletC trace.Series // °C, of the pack's cells and of the car's inlet
	Marks                      []run.Mark   // in order of time
	ColdestOf                  say.Text     // what ColdestC was read of; empty: the coldest cell

	OfCar      *run.Car
	OfStall    *run.Stall
	Adapter    *run.Adapter   // between the two; nil: none
	Conditions *run.Condition // of the run
	Elsewhere  Elsewhere      // what other runs taught of car and stall
}

// Leg is the time between a plug-in and its unplug, in s of the log's clock.
type Leg struct {
	PlugInS float64 // or the first reading, where the plug-in is not known
	FirstS  float64 // first power
	ToS     float64 // the unplug, or the last reading
}

// SideLog is what one side of the plug showed.
type SideLog struct {
	KW, Amps, Volts         trace.Series // as read, kW, A, V
	RequestedKW, RequestedA trace.Series // what the car asked for
	OfferedKW, OfferedA     trace.Series // what the stall would give
}

// Elsewhere is what other runs say of this car and this stall; its zero value says nothing.
type Elsewhere struct {
	Car         *vehicle.Model // the car as its other runs know it; nil: there are none
	StallMostA  float64        // the most amps that this stall gave any car; 0: not known
	StallMostKW float64        // the most kW
}

// known are the fixed figures that a log is judged by; +Inf is "not known", NaN for
// temperatures and voltages.
type known struct {
	stallKW, stallA, sharedKW, adapterA, adapterV, stallMaxV float64
	carKW, carA, converterKW                                 float64
	mostKW, mostA                                            float64 // the same, or as other runs were held
	packMaxV, warmC, hotC                                    float64
	converter                                                bool
	pack                                                     *pack.Pack
	taper                                                    *pack.Taper
	given                                                    bool           // the envelope is noted or learnt, not by kind
	learnt                                                   *vehicle.Model // that the envelope is of; nil: none

	elsewhere Elsewhere
	falls     *fallen // every sudden fall of the run

	warmKnown bool
}

// learn gathers what is known of car and stall.
func (l *Log) learn() *known {
	inf := math.Inf(1)
	k := &known{
		stallKW:     inf,
		stallA:      inf,
		sharedKW:    inf,
		adapterA:    inf,
		adapterV:    inf,
		stallMaxV:   inf,
		carKW:       inf,
		carA:        inf,
		converterKW: inf,
		packMaxV:    math.NaN(),
		warmC:       pack.DefaultWarmC,
		hotC:        math.NaN(),
	}
	if s := l.OfStall; s != nil {
		k.stallKW, k.stallA = limit.OrInf(s.RatedKW), limit.OrInf(s.MaxA)
		k.sharedKW, k.stallMaxV = limit.OrInf(s.SharedKW), limit.OrInf(s.MaxV)
	}
	if a := l.Adapter; a != nil {
		k.adapterA, k.adapterV = limit.OrInf(a.MaxA), limit.OrInf(a.MaxV)
	}
	c := l.OfCar
	if c == nil {
		return k
	}
	k.carKW, k.carA, k.converterKW = limit.OrInf(c.MaxKW), limit.OrInf(c.MaxA), limit.OrInf(c.ConverterKW)
	if w, ok := run.Value(c.WarmC); ok {
		k.warmC, k.warmKnown = w, true
	}
	if c.Pack != nil {
		if h, ok := run.Value(c.Pack.HotC); ok {
			k.hotC = h
		}
	}
	if v, ok := run.Known(c.PackMaxV); ok {
		k.packMaxV = v
	}
	gentle := l.Conditions != nil && l.Conditions.Profile == "gentle"
	if p, err := pack.For(c); err == nil {
		k.pack = p
		if math.IsNaN(k.packMaxV) && (c.CellsInSeries != nil || c.PackNominalV != nil) {
			k.packMaxV = p.MaxV
		}
		of := *c
		k.mostKW, k.mostA = k.carKW, k.carA
		if m := l.Elsewhere.Car; m.Rests() && len(of.Envelope) == 0 && !(gentle && len(of.GentleEnvelope) > 0) {
			of, k.learnt = *m.Apply(c), m
			k.mostKW, k.mostA = limit.OrInf(of.MaxKW), limit.OrInf(of.MaxA)
			if m.WarmC != nil && !k.warmKnown && m.WarmSDK() <= warmLearntK {
				k.warmC, k.warmKnown = *m.WarmC, true
			}
		}
		k.taper = p.Taper(&of, gentle)
		k.given = !k.taper.Assumed
	}
	k.elsewhere = l.Elsewhere
	k.converter = l.stepsUp(k)
	return k
}

// warmLearntK is how well other runs must know from where the pack is warm for it to be as good as noted, K.
const warmLearntK = 3.0

// voltsApart is how far the volts of both sides must lie apart to speak for a converter: a tenth and more. A cable
// loses a few per cent at most.
const voltsApart = 1.1

// unnotedLowV is the top voltage of a stall that was built for 400 V cars (common practice, no source).
const unnotedLowV = 600.0

// stepsUp tells whether the car's converter makes the pack's voltage of the stall's: where both were read and lie
// apart, where the emptiest pack is noted above the stall's range and power flowed all the same, or where a
// converter is noted and the stall's range, as far as it is, ends below the pack's.
func (l *Log) stepsUp(k *known) bool {
	if ratio := l.voltsRatio(); !math.IsNaN(ratio) {
		return ratio >= voltsApart
	}
	if v, ok := run.Known(l.OfCar.PackMinV); ok && v > k.stallMaxV {
		return true
	}
	switch {
	case math.IsInf(k.converterKW, 1):
		return false
	case math.IsNaN(k.packMaxV):
		return k.stallMaxV < unnotedLowV
	}
	return k.stallMaxV < k.packMaxV || math.IsInf(k.stallMaxV, 1) && k.packMaxV > 500
}

// voltsRatio is the car's volts over the stall's, the middle of what was read while amps flowed; NaN where one of them
// was not read.
func (l *Log) voltsRatio() float64 {
	var ratios []float64
	for i, t := range l.Car.Volts.T {
		if kw, ok := l.Car.KW.At(t); !ok || kw < run.PowerFloorKW {
			continue
		}
		if v, ok := l.Stall.Volts.At(t); ok && v > 50 {
			ratios = append(ratios, l.Car.Volts.V[i]/v)
		}
	}
	if len(ratios) == 0 {
		return math.NaN()
	}
	return trace.Median(ratios)
}

// warmKW is the warm pack's power at a charge, never above the car's own limits at a
// voltage; NaN where nothing is known of it.
func (k *known) warmKW(soc, volts float64) float64 {
	if k.taper == nil || math.IsNaN(soc) {
		return math.NaN()
	}
	kw := min(k.taper.KW(soc), k.mostKW)
	if !math.IsInf(k.mostA, 1) && !math.IsNaN(volts) {
		kw = min(kw, k.mostA*volts/1000)
	}
	return kw
}

// stepAt tells whether the noted envelope has a stair at a charge: a fall within a point that the
// slope before and behind it does not explain.
func (k *known) stepAt(soc float64) bool {
	if k.taper == nil || !k.given || math.IsNaN(soc) {
		return false
	}
	if k.learnt != nil { // a smooth curve teaches no step
		return k.learnt.FallsNear(soc, sameStepPct)
	}
	for _, at := range []float64{soc - 0.6, soc, soc + 0.6} {
		fall := k.taper.KW(at+0.8) / k.taper.KW(at-0.4)
		slope := min(k.taper.KW(at-0.4)/k.taper.KW(at-1.6), k.taper.KW(at+2)/k.taper.KW(at+0.8))
		if fall < 0.97 && fall < slope-0.025 {
			return true
		}
	}
	return false
}

// stairsIn tells whether the noted envelope has a stair between two charges.
func (k *known) stairsIn(fromPct, toPct float64) bool {
	for soc := fromPct; soc <= toPct; soc += 0.5 {
		if k.stepAt(soc) {
			return true
		}
	}
	return false
}

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

// judged chooses the side whose amps and volts are judged: the car's where it has them, since
// the pack's voltage is what tells a limit of current from one of power; the stall's where the car
// steps the voltage up, since the stall's limits are then its own.
func (l *Log) judged(k *known) *SideLog {
	full := func(s *SideLog) bool { return s.Amps.Len() > 1 && s.Volts.Len() > 1 }
	part := func(s *SideLog) bool { return s.Amps.Len() > 1 || s.Volts.Len() > 1 }
	order := []*SideLog{&l.Car, &l.Stall}
	if k.converter {
		order = []*SideLog{&l.Stall, &l.Car}
	}
	for _, fits := range []func(*SideLog) bool{full, part} {
		for _, s := range order {
			if fits(s) && s.KW.Len() > 1 {
				return s
			}
		}
	}
	best := order[0]
	for _, s := range order {
		if s.KW.Len() > 2*best.KW.Len() {
			best = s
		}
	}
	return best
}

// middleOf is what some readings of one cell say together: their mean without the lowest and the
// highest where there are more than three, so that one that was garbled does not count.
func middleOf(v []float64) float64 {
	sum, low, high := 0.0, math.Inf(1), math.Inf(-1)
	for _, x := range v {
		sum += x
		if x < low {
			low = x
		}
		if x > high {
			high = x
		}
	}
	if n := len(v); n > 3 {
		return (sum - low - high) / float64(n-2)
	}
	return sum / float64(len(v))
}

// meanIn is the middle of a series' readings in a span; where it has none there, its value on the
// joined line if readings lie within reach on both sides, else NaN.
func meanIn(s trace.Series, from, to, reachS float64) float64 {
	i, _ := slices.BinarySearch(s.T, from)
	j := i
	for j < len(s.T) && s.T[j] < to {
		j++
	}
	if j > i {
		return middleOf(s.V[i:j])
	}
	return near1(s, (from+to)/2, reachS)
}

// near1 is a series' value at a time on its joined line where both neighbours lie within reach,
// else the one neighbour's that does; NaN where none does.
func near1(s trace.Series, t, reachS float64) float64 {
	i, _ := slices.BinarySearch(s.T, t)
	before, after := i > 0 && t-s.T[i-1] <= reachS, i < len(s.T) && s.T[i]-t <= reachS
	switch {
	case before && after:
		v, _ := s.At(t)
		return v
	case before:
		return s.V[i-1]
	case after:
		return s.V[i]
	}
	return math.NaN()
}

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
		r.white = min(0.05, max(0.0025, wobbleOf(r.kw, true)))
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

// packVolts is what the pack's voltage comes to at a charge (NaN: half of it) and a power, where nobody read it; 400 V
// where nothing is known of the pack.
func (k *known) packVolts(soc, kw float64) float64 {
	if k.pack == nil {
		return 400
	}
	if math.IsNaN(soc) {
		soc = 50
	}
	rest := k.pack.RestV(soc)
	return rest + pack.Amps(kw, rest, k.pack.ResistanceOhm)*k.pack.ResistanceOhm
}

// offeredKW is what the stall offers at a voltage: the lower of its kW and its amps, as far as they were read; NaN.
func (l *Log) offeredKW(volts float64, at func(trace.Series) float64) float64 {
	kw, byAmps := at(l.Stall.OfferedKW), at(l.Stall.OfferedA)*volts/1000
	if math.IsNaN(kw) || byAmps < kw {
		return byAmps
	}
	return kw
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

// askedFor is what was delivered over what was requested, as each side shows it: the lowest of
// the sides, in kW or amps; NaN where nothing was requested or read.
func (l *Log) askedFor(from, to, reach float64) float64 {
	low := math.NaN()
	for _, s := range []*SideLog{&l.Stall, &l.Car} {
		for _, pair := range [][2]trace.Series{{s.KW, s.RequestedKW}, {s.Amps, s.RequestedA}} {
			given, asked := pair[0], pair[1]
			if asked.Len() == 0 {
				continue
			}
			if given.Len() == 0 { // the other side's is the only one that was read
				if given = l.Car.KW; s == &l.Car {
					given = l.Stall.KW
				}
				if pair[1].Len() == s.RequestedA.Len() && s.RequestedKW.Len() == 0 {
					if given = l.Car.Amps; s == &l.Car {
						given = l.Stall.Amps
					}
				}
			}
			g, a := meanIn(given, from, to, reach), meanIn(asked, from, to, reach)
			if a >= 1 && !math.IsNaN(g) && !(g/a > low) {
				low = g / a
			}
		}
	}
	return low
}

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
	quick := wobbleOf(v, true)
	if g.typed || len(v) < 8*blockCells {
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

// PackShare of the stall's power reaches the pack (common practice, no source).
const PackShare = 0.96
