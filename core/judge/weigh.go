package judge

import (
	"math"

	"zincroad/core/gauss"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// causes are the states of the judgement: every cause but paused, which readings below 1 kW say
// by themselves.
var causes = func() (out []limit.Cause) {
	for _, s := range limit.Signs {
		if s.Cause != limit.Paused {
			out = append(out, s.Cause)
		}
	}
	return out
}()

var indexOf = func() map[limit.Cause]int {
	m := map[limit.Cause]int{}
	for i, c := range causes {
		m[c] = i
	}
	return m
}()

// shape is how power and amps run over a piece.
type shape int

const (
	ampsLevel shape = iota // amps level, kW with the volts
	kwLevel                // kW level, amps against the volts
	voltsTop               // volts at their top, amps decaying
	falls                  // both fall
	climbs                 // both climb over minutes
	surges                 // both climb over seconds
	shapes
)

// temper is how much of the readings' own evidence counts: wobble is not independent from cell to
// cell, and no log is exactly level. Chi-squared takes cells for independent; neighbours that wobble together make
// about a third as many independent ones, so about a third of the misfit is evidence.
//
// mostOdds bounds what one kind of evidence may say, in nats: 9 is 1 in 8,000. However long a piece is, its line alone
// never settles a matter against everything else.
const (
	temper   = 0.30
	mostOdds = 9.0
)

// What tells a climb over seconds from one over minutes, and a line that leans from one that does
// not: as shares a minute. A ramp is over within a minute or so and gains far more than 30 % of its power in one; a
// pack that warms gains a few per cent. A level limit may creep by a third of a per cent a minute: half a per cent of
// wobble over two minutes looks like that.
const (
	surgeShare = 0.30
	leanShare  = 0.0035
)

// facts are what one piece shows, and what the ceilings are there.
//
// Powers are in kW, currents in A, voltages in V, temperatures in °C, charge in per cent. What was not read is NaN. Of
// pairs the first is at the beginning of the piece, the second at its end, each the middle of its outer fifth.
type facts struct {
	*piece
	shape                        [shapes]float64 // probability of each
	lean                         float64         // of kW, as a share a minute
	leanAmps                     float64         // of amps
	plugKW, packKW, plugA, packA float64         // middles, at the plug and into the pack
	kw, amps, volts0, volts1     float64         // of the side that is judged
	packV0, packV1               float64         // of the pack, where a converter makes those others
	soc0, soc1                   float64
	coldest0, coldest1           float64
	warmest0, warmest1           float64
	inlet0, inlet1               float64
	gap                          float64    // kW requested beyond what flowed
	asked, offered               float64    // what flowed of what the car requested; what the stall offered, kW
	share                        float64    // of it that flowed, middle
	taperEnd                     [2]float64 // what flowed as a share of the taper alone, at both ends
	ofTaper                      float64    // the same, middle
}

func (g *grid) middle(col []float64, p *piece) float64 {
	var v []float64
	for i := p.a; i < p.b; i++ {
		if !math.IsNaN(col[i]) {
			v = append(v, col[i])
		}
	}
	if len(v) == 0 {
		return math.NaN()
	}
	return trace.Median(v)
}

// ends are a column's values at both ends of a piece, each the middle of the outer fifth.
func (g *grid) ends(col []float64, p *piece) (first, last float64) {
	fifth := max(1, (p.b-p.a)/5)
	return g.middle(col, &piece{a: p.a, b: p.a + fifth}), g.middle(col, &piece{a: p.b - fifth, b: p.b})
}

// look gathers the facts of a piece.
func (g *grid) look(p *piece, k *known) *facts {
	f := &facts{piece: p}
	f.kw, f.amps = g.middle(g.kw, p), g.middle(g.amps, p)
	f.plugKW, f.packKW, f.plugA, f.packA = g.middle(g.plugKW, p), g.middle(g.packKW, p), g.middle(g.plugA, p),
		g.middle(g.packA, p)
	f.volts0, f.volts1 = g.ends(g.volts, p)
	f.packV0, f.packV1 = g.ends(g.packV, p)
	f.soc0, f.soc1 = g.ends(g.soc, p)
	f.coldest0, f.coldest1 = g.ends(g.coldest, p)
	f.warmest0, f.warmest1 = g.ends(g.warmest, p)
	f.inlet0, f.inlet1 = g.ends(g.inlet, p)
	f.asked, f.offered, f.gap = g.middle(g.asked, p), g.middle(g.offered, p), g.middle(g.gap, p)
	var shares, tapers []float64
	for i := p.a; i < p.b; i++ {
		if w := k.warmKW(g.soc[i], g.packV[i]); w > 0 {
			shares = append(shares, g.packKW[i]/w)
			tapers = append(tapers, g.packKW[i]/k.taper.KW(g.soc[i]))
		}
	}
	f.share, f.ofTaper = math.NaN(), math.NaN()
	if len(shares) > 0 {
		f.ofTaper = trace.Median(tapers)
		outer := max(1, len(tapers)/5)
		f.taperEnd = [2]float64{trace.Median(tapers[:outer]), trace.Median(tapers[len(tapers)-outer:])}
		f.share = trace.Median(shares)
	}
	g.shapeOf(f)
	return f
}

// shapeOf weighs the shapes of a piece against each other: level amps, level power and a straight line, each by how
// well it fits and how many numbers it takes (G. Schwarz, Ann. Stat. 6 (1978) 461: half the logarithm of the number
// of cells for each). What the straight line gets is then dealt out by where it leans: down, up over minutes, or up
// over seconds. A piece at the top of the volts, or on the way up between two levels, has its shape by that: fifty
// and thirty times what the fits say, for they cannot see it.
func (g *grid) shapeOf(f *facts) {
	long := max(1, g.t[f.b-1]-g.t[f.a]) / 60
	top := max(f.line[0], f.line[1], 1)
	f.lean = (f.line[1] - f.line[0]) / top / long
	f.leanAmps = f.lean - (f.volts1-f.volts0)/max(1, f.volts0)/long
	if f.b-f.a < 2 {
		f.lean, f.leanAmps = 0, 0
	}
	n := math.Log(float64(max(2, f.b-f.a)))
	odds := func(misfit, numbers float64) float64 { return -temper * (misfit + numbers*n/2) }
	a, w, s := odds(f.misfit[levelAmps], 1), odds(f.misfit[levelKW], 1), odds(f.misfit[straight], 2)
	best := max(a, w, s)
	a, w, s = math.Exp(max(-mostOdds, a-best)), math.Exp(max(-mostOdds, w-best)), math.Exp(max(-mostOdds, s-best))
	// A line that leans hardly at all is level for all that a log can say.
	if level := 1 / (1 + math.Pow(math.Abs(f.leanAmps)/leanShare, 4)); f.b-f.a > 1 {
		a += s * level * 0.5
		s *= 1 - level*0.5
	}
	if level := 1 / (1 + math.Pow(math.Abs(f.lean)/leanShare, 4)); f.b-f.a > 1 {
		w += s * level * 0.5
		s *= 1 - level*0.5
	}
	switch {
	case f.rises:
		f.shape[surges] = 50 * (a + w + s)
	case f.top:
		f.shape[voltsTop] = 30 * (a + w + s)
		f.shape[falls] += s
	case f.lean > surgeShare:
		f.shape[surges] += s
	case f.lean > 0:
		minutes := 1.0
		if f.lean > surgeShare/3 {
			minutes = (surgeShare - f.lean) / (surgeShare * 2 / 3)
		}
		f.shape[climbs] += s * minutes
		f.shape[surges] += s * (1 - minutes)
	default:
		f.shape[falls] += s
	}
	f.shape[ampsLevel] += a
	f.shape[kwLevel] += w
	sum := 0.0
	for _, v := range f.shape {
		sum += v
	}
	for i := range f.shape {
		f.shape[i] /= sum
	}
}

// normal is the density of a normal distribution.
func normal(x, mean, sd float64) float64 {
	z := (x - mean) / sd
	return math.Exp(-z*z/2) / (sd * 2.5066282746310002)
}

// slide is 0 where x is well above the middle and least where it is well below; half of least at the middle, and
// within a twentieth of either end three widths away.
func slide(x, middle, width, least float64) float64 {
	return least / (1 + math.Exp((x-middle)/width))
}

// weigh is what speaks for each cause in a piece beside how its power runs (weighView), as logarithms: temperatures,
// requests and offers, the top of the volts. Only differences between causes count.
func (l *Log) weigh(s *span, i int, k *known) []float64 {
	g, f := s.grid, s.pieces[i]
	out := make([]float64, len(causes))
	add := func(c limit.Cause, v float64) {
		if !math.IsNaN(v) { // what cannot be worked out says nothing
			out[indexOf[c]] += v
		}
	}
	if long := f.toS - f.fromS; long > 30 { // a ramp is over in seconds
		add(limit.Ramp, -min(8, long/20)*(1-f.shape[surges]))
	}
	l.weighWarmth(f, k, add)
	l.weighAsked(g, f, k, add)
	k.weighElsewhere(f, add)
	l.weighEnd(s, i, add)
	l.weighTop(g, f, k, add)
	return out
}

// prior is how common a cause is before anything is read, as a logarithm; 0 for the usual ones, -2 for one in seven of
// those. Unknown is dear: it is for what nothing explains, and must not win by fitting everything a little.
var prior = map[limit.Cause]float64{
	limit.Ramp:           -0.5,
	limit.StallVoltage:   -1,
	limit.StallFault:     -1.3,
	limit.SharedCabinet:  -2,
	limit.CableHot:       -1.2,
	limit.Hot:            -0.7,
	limit.TimerStep:      -1,
	limit.SoCStep:        -0.7,
	limit.Unknown:        -6,
	limit.AdapterCurrent: -0.3,
}

// never is the price of what cannot be, in nats: more than all other evidence together can make up for, and finite, so
// that a chain in which everything is impossible still has an order.
const never = -25

// weighWarmth judges by inlet and cells: a warm inlet explains a fall before anything that only the fall speaks for,
// and so does a hot pack.
func (l *Log) weighWarmth(f *facts, k *known, add func(limit.Cause, float64)) {
	warm, hotC := max(f.warmest0, f.warmest1), k.ledBackFrom()
	// A cable or an inlet is led back from 55 to 65 °C and more (common practice, no source); from 70 on it is hardly
	// ever left alone. Where it was read that warm, it explains a fall before anything that only a fall speaks for.
	if inlet := max(f.inlet0, f.inlet1); !math.IsNaN(inlet) {
		through := (f.inlet0 + f.inlet1) / 2 // what it holds, it holds warm from beginning to end
		if math.IsNaN(through) {
			through = inlet
		}
		add(limit.CableHot, slide(through, 55, 5, -9)+2.5/(1+math.Exp((68-through)/2)))
		for c, price := range map[limit.Cause]float64{limit.StallFault: -2.5, limit.TimerStep: -2, limit.SoCStep: -2} {
			add(c, price/(1+math.Exp((63-inlet)/2)))
		}
	} else {
		add(limit.CableHot, -2)
	}
	if !math.IsNaN(warm) { // temperature explains first
		for c, price := range map[limit.Cause]float64{limit.StallFault: -1.5, limit.TimerStep: -2.5, limit.SoCStep: -2} {
			add(c, price/(1+math.Exp((hotC-warm)/0.8)))
		}
	}
}

// ledBackFrom is the warmest cell's temperature from which the pack is led back: as noted, else 45 °C or so, as a rule
// (common practice, no source). Two degrees under it is where it begins to be thought of.
func (k *known) ledBackFrom() float64 {
	if math.IsNaN(k.hotC) {
		return 45
	}
	return k.hotC
}

// delivered is how near to what is requested counts as all of it.
const (
	deliveredAll = 0.965
)

// weighAsked judges by what the car requested and the stall offered. Where the car holds, it requests what flows, with
// heater and cabin, which only the plug's meter shows; where the stall holds, it requests more by anything, or goes by
// what it is offered. Where the stall holds, what it offers flows; where the car does, it offers more by anything.
func (l *Log) weighAsked(g *grid, f *facts, k *known, add func(limit.Cause, float64)) {
	if !math.IsNaN(f.gap) {
		flows := f.packKW
		if g.gapAtPlug {
			flows = f.plugKW
		}
		sd := math.Hypot(requestSD*flows, 0.4)
		own := normal(f.gap, 0, sd)
		if !g.gapAtPlug {
			own = onTop(f.gap, besideKW, sd)
		}
		beyond := 1e-6
		if m := beyondShare * flows; f.gap > 0 {
			beyond += 1 / m / (1 + f.gap/m) / (1 + f.gap/m)
		}
		ofCarP := math.Log((1-oddRequest)*own + oddRequest*beyond)
		outside := math.Log((1-followsOffer)*beyond + followsOffer*own)
		for _, c := range causes {
			switch {
			case heldOutside(c):
				add(c, outside)
			case c == limit.CarConverter || c == limit.Ramp || c == limit.Unknown: // some ask for more than it passes on
				add(c, logAdd(ofCarP, outside)-math.Ln2)
			default:
				add(c, ofCarP)
			}
		}
	}
	if f.offered > 0 {
		x := math.Log(f.plugKW / f.offered)
		at := normal(x, 0, offeredSD)
		above := 0.02
		if x < 0 {
			above += math.Exp(x) // an offer above what flows may be any
		}
		for _, c := range []limit.Cause{limit.StallPower, limit.StallCurrent, limit.SharedCabinet, limit.CableHot} {
			add(c, math.Log(offerTold*at+(1-offerTold)*above))
		}
		for _, c := range causes {
			if c.Sign().Whose == limit.OfCar && c != limit.CarConverter {
				add(c, math.Log(above))
			}
		}
		add(limit.Unknown, math.Log(above))
		add(limit.StallFault, math.Log(above)) // it gives less than it offers
		add(limit.Ramp, math.Log(0.5*at+0.5*above))
		if at > 1 && !math.IsInf(k.sharedKW, 1) && f.offered < 0.8*k.stallKW { // somebody else has the rest
			add(limit.SharedCabinet, 5)
		}
	}
}

// heldOutside tells whether a cause holds outside the car: the stall, its cable, an adapter.
func heldOutside(c limit.Cause) bool {
	return c.Sign().Whose == limit.OfStall || c == limit.AdapterCurrent
}

// onTop is the density of a reading that a share of exponentially distributed size, with that mean, lies on top of.
func onTop(x, mean, sd float64) float64 {
	z := (x - sd*sd/mean) / sd
	return math.Exp(sd*sd/(2*mean*mean)-x/mean+gauss.LogPhi(z)) / mean
}

// From which leap up something let go, as a logarithm: a cold pack's computer goes up by less at a time. What it says
// of what held before, in nats: only the stall's side lets go by itself, and a cabinet when a neighbour leaves.
const (
	letsGoFrom   = 0.09
	notTheCars   = -4.0
	neighbourWas = 4.0
)

// weighEnd judges by a leap up at a piece's end.
func (l *Log) weighEnd(s *span, i int, add func(limit.Cause, float64)) {
	if i+1 >= len(s.pieces) || s.pieces[i].rises || s.pieces[i].shape[surges] > 0.5 {
		return
	}
	next := s.pieces[i+1]
	if next.fall < letsGoFrom {
		return
	}
	for _, c := range []limit.Cause{limit.TimerStep, limit.SoCStep, limit.PackTaper, limit.CarPower, limit.CarCurrent} {
		add(c, notTheCars)
	}
	if l.markNear(run.Neighbour, next.fromS) {
		add(limit.SharedCabinet, neighbourWas)
	}
}

// What a limit differs by from run to run at most, and what it says against one that nobody noted that more was had
// elsewhere, in nats: stalls are derated on some days, cars are colder on some.
const (
	elsewhereMore = 1.06
	hadMore       = -2.0
)

// weighElsewhere judges whose a limit is that nobody noted: not the car's where it took more elsewhere, not the stall's
// where it gave more in another run.
func (k *known) weighElsewhere(f *facts, add func(limit.Cause, float64)) {
	e := k.elsewhere
	if math.IsInf(k.carA, 1) && e.Car.TookA() > elsewhereMore*f.packA {
		add(limit.CarCurrent, hadMore)
	}
	if math.IsInf(k.stallA, 1) && e.StallMostA > elsewhereMore*f.plugA {
		add(limit.StallCurrent, hadMore)
	}
	if math.IsInf(k.stallKW, 1) && e.StallMostKW > elsewhereMore*f.plugKW {
		add(limit.StallPower, hadMore)
	}
}

// weighTop judges by the volts: a top stands still while the amps fall, at the rating where one is known; under any
// other limit the volts move with charge and amps.
func (l *Log) weighTop(g *grid, f *facts, k *known, add func(limit.Cause, float64)) {
	pack, plug := k.packMaxV, min(k.stallMaxV, k.adapterV)
	if !g.voltsRead {
		add(limit.Finish, topUnread)
		add(limit.StallVoltage, pick(plug < pack, topUnread+2, topUnread))
		return
	}
	sd := max(topSDV, 1.5*g.noiseV, 0.5*stepOf(g.volts))
	moved := f.volts1 - f.volts0
	stands := logNormal(moved, 0, 2*sd*sd) - logNormal(moved, 0, voltsMoveV*voltsMoveV)
	if f.b-f.a < fewCells {
		stands = min(0, stands)
	}
	stands = max(stands, -12)
	at := func(c limit.Cause, volts, rating float64) {
		if math.IsInf(rating, 1) || math.IsNaN(rating) {
			add(c, stands+pick(g.bends, 1, -1))
			return
		}
		x := volts/rating - 1
		add(c, stands+math.Log(0.9*normal(x, 0, 0.003)+0.1*normal(x, 0, 0.012)+0.002)-math.Log(topSpread))
	}
	at(limit.Finish, f.packV1, pack)
	at(limit.StallVoltage, f.volts1, plug)
	if k.converter {
		add(limit.StallVoltage, never)
	}
}
