package ceiling

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// causes are the states of the judgement: every cause but paused, which readings below 1 kW say
// by themselves.
var causes = func() (out []Cause) {
	for _, s := range Signs {
		if s.Cause != Paused {
			out = append(out, s.Cause)
		}
	}
	return out
}()

var indexOf = func() map[Cause]int {
	m := map[Cause]int{}
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

// shapeUnder is how likely each shape is under a cause: of a hundred pieces that the stall's amps hold, 93 have level
// amps, two look as if the power were level, and so on. Rows add up to one. What a row gives its second and third
// shapes is what wobble, rounding and a short piece make of the first; causes with two faces have two large numbers
// (a timer holds now amps, now power; a hot pack is led down, and left alone in between). A shape that a cause cannot
// have still gets a few thousandths: one odd piece must not rule a cause out of a whole run.
//
// Common practice, no source; the gallery of the tests holds them.
var shapeUnder = map[Cause][shapes]float64{
	Ramp:           {.004, .004, .002, .002, .03, .958},
	StallPower:     {.02, .93, .01, .02, .015, .005},
	StallCurrent:   {.93, .02, .01, .02, .015, .005},
	StallVoltage:   {.02, .02, .90, .05, .005, .005},
	AdapterCurrent: {.93, .02, .01, .02, .015, .005},
	CarPower:       {.02, .93, .01, .02, .015, .005},
	CarCurrent:     {.93, .02, .01, .02, .015, .005},
	CarConverter:   {.05, .90, .01, .02, .015, .005},
	PackTaper:      {.05, .07, .05, .77, .055, .005},
	Cold:           {.06, .06, .005, .08, .78, .015},
	Hot:            {.10, .15, .01, .60, .12, .02},
	TimerStep:      {.25, .40, .01, .31, .02, .01},
	SoCStep:        {.30, .50, .01, .16, .02, .01},
	Finish:         {.01, .01, .93, .04, .005, .005},
	StallFault:     {.40, .45, .01, .08, .05, .01},
	SharedCabinet:  {.08, .86, .01, .03, .015, .005},
	CableHot:       {.78, .05, .01, .13, .025, .005},
	Unknown:        {.1, .1, .05, .35, .35, .05},
}

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
	asked, offered               float64        // what flowed of what the car requested; what the stall offered, kW
	warmKW                       float64        // into the pack, warm; NaN: not known
	share                        float64        // of it that flowed, middle
	atRated                      map[Cause]bool // the limits whose rating is what flowed
	taperEnd                     [2]float64     // what flowed as a share of the taper alone, at both ends
	ofTaper                      float64        // the same, middle
	shareEnd                     [2]float64     // of the warm pack's power, at both ends
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
	f.asked, f.offered = g.middle(g.asked, p), g.middle(g.offered, p)
	var shares, tapers []float64
	for i := p.a; i < p.b; i++ {
		if w := k.warmKW(g.soc[i], g.packV[i]); w > 0 {
			shares = append(shares, g.packKW[i]/w)
			tapers = append(tapers, g.packKW[i]/k.taper.KW(g.soc[i]))
		}
	}
	f.share, f.warmKW, f.ofTaper = math.NaN(), math.NaN(), math.NaN()
	if len(shares) > 0 {
		f.ofTaper = trace.Median(tapers)
		outer := max(1, len(tapers)/5)
		f.taperEnd = [2]float64{trace.Median(tapers[:outer]), trace.Median(tapers[len(tapers)-outer:])}
		f.share = trace.Median(shares)
		f.warmKW = f.packKW / f.share
		fifth := max(1, len(shares)/5)
		f.shareEnd = [2]float64{trace.Median(shares[:fifth]), trace.Median(shares[len(shares)-fifth:])}
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

// between is the density of a uniform distribution.
func between(x, low, high float64) float64 {
	if x < low || x > high {
		return 0
	}
	return 1 / (high - low)
}

// atRating is the logarithm of how dense readings lie about a rating: at it, or 3 to 14 % under
// it, as labels promise more than is given; hardly ever elsewhere. Without a rating anything goes.
//
// The density is over the logarithm of reading by rating: half of all readings at it (0.8 % give or take), four tenths
// evenly from 15 % under to 2 % over, and a floor of 0.0008 for a rating that was noted wrongly. Without a rating it
// is flat at 0.45, which lies between: a known limit that fits gains on an unknown one (by 4.1 nats at best), one that
// does not fit loses to it (by 6.3).
func atRating(reading, rating float64) float64 {
	if math.IsInf(rating, 1) || !(reading > 0) { // nothing and less is no level
		return math.Log(0.45)
	}
	x := math.Log(reading / rating)
	return math.Log(0.5*normal(x, 0, 0.008) + 0.40*between(x, -0.16, 0.02) + 0.0008)
}

// atGuess is atRating for amps that come from a voltage which was not read but worked out: that is good to five per
// cent or so, and a little low while the pack is under load.
func atGuess(reading, rating float64) float64 {
	if math.IsInf(rating, 1) || !(reading > 0) { // nothing and less is no level
		return math.Log(0.45)
	}
	x := math.Log(reading / rating)
	return math.Log(0.6*normal(x, -0.01, 0.05) + 0.30*between(x, -0.22, 0.08) + 0.01)
}

// atOwn is atRating for a limit that the car keeps itself, which it may exceed for a while: a car's figure is of its
// pack, not of a label, so readings lie nearer to it, and on both sides.
func atOwn(reading, rating float64) float64 {
	if math.IsInf(rating, 1) || !(reading > 0) { // nothing and less is no level
		return math.Log(0.35)
	}
	x := math.Log(reading / rating)
	return math.Log(0.6*normal(x, 0, 0.012) + 0.30*between(x, -0.05, 0.08) + 0.0008)
}

// slide is 0 where x is well above the middle and least where it is well below; half of least at the middle, and
// within a twentieth of either end three widths away.
func slide(x, middle, width, least float64) float64 {
	return least / (1 + math.Exp((x-middle)/width))
}

// weigh is how well each cause agrees with what a piece shows, as logarithms: the sum of what the shape, the levels,
// the temperatures, the request and the top of the volts say, each on its own. They are taken for independent, which
// is roughly so: they come from different channels. Only differences between causes count.
func (l *Log) weigh(g *grid, f *facts, k *known) []float64 {
	out := make([]float64, len(causes))
	for i, c := range causes {
		p := 0.0
		under := shapeUnder[c]
		switch c {
		case PackTaper:
			under = f.taperShape(k)
		case Cold:
			under = f.coldShape(k)
		}
		for s, v := range under {
			// By how common the shape is over all causes: a shape that half of them have says little for any.
			p += v * f.shape[s] / shapeMean[s]
		}
		if out[i] = math.Log(p) + prior[c]; math.IsNaN(out[i]) {
			out[i] = prior[c]
		}
	}
	add := func(c Cause, v float64) {
		if !math.IsNaN(v) { // what cannot be worked out says nothing
			out[indexOf[c]] += v
		}
	}
	if long := f.toS - f.fromS; long > 30 { // a ramp is over in seconds
		add(Ramp, -min(8, long/20)*(1-f.shape[surges]))
	}
	l.weighLevels(g, f, k, add)
	l.weighWarmth(f, k, add)
	l.weighAsked(f, k, add)
	l.weighTop(g, f, k, add)
	f.atRated = k.meets(f)
	return out
}

// meets lists the limits whose rating is what flowed, within two per cent: there a piece of three readings says
// enough, for chance hardly puts them on a rating.
func (k *known) meets(f *facts) map[Cause]bool {
	out := map[Cause]bool{}
	for c, pair := range map[Cause][2]float64{StallPower: {f.plugKW, k.stallKW}, StallCurrent: {f.plugA, k.stallA},
		AdapterCurrent: {f.plugA, k.adapterA}, CarPower: {f.packKW, k.carKW}, CarCurrent: {f.packA, k.carA},
		CarConverter: {f.plugKW, k.converterKW}, SharedCabinet: {f.plugKW, k.sharedKW / 2}} {
		if math.Abs(math.Log(pair[0]/pair[1])) < 0.02 {
			out[c] = true
		}
	}
	return out
}

// taperShape is how power and amps run where the warm pack's own power is followed: as its
// envelope does there, where that is known. Four cases by how far the envelope moves over the piece: it climbs (as
// many do up to 20 or 30 %), it is level, it falls slowly, it falls.
func (f *facts) taperShape(k *known) [shapes]float64 {
	if !k.given || math.IsNaN(f.soc0) || f.soc1 <= f.soc0 {
		return shapeUnder[PackTaper]
	}
	moved := math.Log(k.taper.KW(f.soc1) / k.taper.KW(f.soc0))
	switch {
	case moved > 0.01:
		return [shapes]float64{.2, .1, .005, .03, .655, .01}
	case moved > -0.01:
		return [shapes]float64{.08, .62, .02, .25, .025, .005}
	case moved > -0.03:
		return [shapes]float64{.04, .25, .03, .66, .015, .005}
	}
	return [shapes]float64{.01, .03, .07, .875, .01, .005}
}

// coldShape is how power and amps run where cold holds: as the warm pack's do there, less of it,
// and ever more of it as the pack warms. So a cold pack's power may well fall where its envelope
// falls faster than it warms.
func (f *facts) coldShape(k *known) [shapes]float64 {
	gains := math.Log(f.shareEnd[1] / f.shareEnd[0])
	if !k.given || math.IsNaN(f.share) || math.IsNaN(f.coldest0) || f.coldest1 < f.coldest0 || gains < 0.01 {
		return shapeUnder[Cold]
	}
	return [shapes]float64{.1, .25, .005, .35, .285, .01}
}

// shapeMean is how common each shape is over all causes.
var shapeMean = func() (m [shapes]float64) {
	for _, c := range causes {
		for s, v := range shapeUnder[c] {
			m[s] += v / float64(len(causes))
		}
	}
	return m
}()

// prior is how common a cause is before anything is read, as a logarithm; 0 for the usual ones, -2 for one in seven of
// those. Unknown is dear: it is for what nothing explains, and must not win by fitting everything a little.
var prior = map[Cause]float64{
	Ramp: -0.5, StallVoltage: -1, StallFault: -2, SharedCabinet: -1, CableHot: -1.2, Hot: -0.7, TimerStep: -1,
	SoCStep: -0.7,
	Unknown: -4, AdapterCurrent: -0.3,
}

// never is the price of what cannot be, in nats: more than all other evidence together can make up for, and finite, so
// that a chain in which everything is impossible still has an order.
const never = -25

// weighLevels compares power and amps with what each limit would give.
func (l *Log) weighLevels(g *grid, f *facts, k *known, add func(Cause, float64)) {
	// The stall's and the adapter's limits are met at the plug, the car's at the pack: a converter and what the car
	// uses besides lie between.
	add(StallPower, atRating(f.plugKW, k.stallKW))
	if f.offered > 0 && math.Abs(math.Log(f.plugKW/f.offered)) < 0.03 { // the stall itself says what it gives
		add(StallPower, atRating(f.plugKW, f.offered)-atRating(f.plugKW, k.stallKW))
	}
	atAmps := atRating
	if !g.ampsRead && !g.voltsRead { // amps from a voltage that nobody read
		atAmps = atGuess
	}
	add(StallCurrent, atAmps(f.plugA, k.stallA))
	add(CarPower, atOwn(f.packKW, k.carKW))
	if g.ampsRead || g.voltsRead {
		add(CarCurrent, atOwn(f.packA, k.carA))
	} else {
		add(CarCurrent, atGuess(f.packA, k.carA))
	}
	// Most runs have no adapter; one that is there has its rating printed on it.
	if math.IsInf(k.adapterA, 1) {
		add(AdapterCurrent, -6)
		if l.Adapter == nil {
			add(AdapterCurrent, never)
		}
	} else {
		add(AdapterCurrent, atAmps(f.plugA, k.adapterA))
	}
	if !k.converter {
		add(CarConverter, never)
	} else {
		x := math.Log(f.plugKW / k.converterKW)
		add(CarConverter, math.Log(0.5*normal(x, 0, 0.015)+0.4*between(x, -0.12, 0.06)+0.0008))
	}
	// Of a cabinet that nobody noted nobody knows whether it is shared; of one that was, half of it is what two get.
	switch {
	case math.IsInf(k.sharedKW, 1):
		add(SharedCabinet, -2.5)
	default:
		x := math.Log(f.plugKW / (k.sharedKW / 2))
		add(SharedCabinet, math.Log(0.5*normal(x, 0, 0.01)+0.35*between(x, -0.16, 0.02)+0.03))
	}
	// Whose a limit is, that nobody noted: the car took more elsewhere, or this stall gave more. By more than six per
	// cent, which is more than the same limit differs by from run to run.
	if e := k.elsewhere; e.CarMostA > 1.06*f.packA && math.IsInf(k.carA, 1) {
		add(CarCurrent, -2)
	}
	if e := k.elsewhere; e.StallMostA > 1.06*f.plugA && math.IsInf(k.stallA, 1) {
		add(StallCurrent, -2)
	}
	if e := k.elsewhere; e.StallMostKW > 1.06*f.plugKW && math.IsInf(k.stallKW, 1) {
		add(StallPower, -2)
	}
	// A limit that is known and lies below what flowed cannot be right; one far above what flowed
	// does not hold. What is warm, derated or broken gives less than it is rated for.
	for c, rating := range map[Cause]float64{CableHot: k.stallA, StallFault: k.stallA} {
		if !math.IsInf(rating, 1) && f.plugA > 0.98*rating {
			add(c, -5)
		}
	}
	if math.IsNaN(f.share) {
		return
	}
	// A car whose envelope is known takes that, whatever makes it: a limit of its own that nobody noted, far under it,
	// would be one that it had not then.
	if x := f.ofTaper; k.given {
		if math.IsInf(k.carKW, 1) {
			add(CarPower, slide(x, 0.7, 0.05, -2.5))
		}
		if math.IsInf(k.carA, 1) {
			add(CarCurrent, slide(x, 0.7, 0.05, -2.5))
		}
	}
	// How near to its own warm power a pack lies that follows it: within 3 % of an envelope that was noted or learnt,
	// 10 % of what its kind takes as a rule, and as near as this run itself has shown where it follows it for long.
	x := math.Log(f.ofTaper)
	near, wide := 0.03, 0.09
	switch {
	case k.settled:
		near, wide = k.spread, 2.5*k.spread+0.01
	case !k.given:
		near, wide = 0.1, 0.3
	}
	own := math.Log(0.55*normal(x, k.bias, near) + 0.4*normal(x, k.bias-0.02, wide) + 0.003)
	add(PackTaper, own)
	// A step of charge ends on the envelope too, and may lie under it for other reasons.
	if k.given {
		add(SoCStep, max(-0.5, own))
		if drift := math.Log(f.taperEnd[1] / f.taperEnd[0]); f.b-f.a > leastCells { // it stays as near all the while
			add(PackTaper, -min(4, drift*drift/(2*0.03*0.03)))
		}
	}
	// Where the pack takes all that it can, nothing else holds it: limits outside may lie within a per cent of that,
	// what makes less of a pack or a stall takes a per cent and a half at least, or nobody would call it that.
	if x = math.Log(f.share) - k.bias; k.given || k.settled { // what else holds, holds it under what the warm pack takes
		for _, c := range []Cause{StallPower, StallCurrent, AdapterCurrent, CarConverter, SharedCabinet} {
			add(c, slide(-x, 0, 0.008, -3.5))
		}
		for _, c := range []Cause{StallFault, CableHot, Cold, Hot, TimerStep} {
			add(c, slide(-x, 0.015, 0.012, -3.5))
		}
	}
}

// weighWarmth judges by cells and inlet. Cold goes by the coldest cell, since the pack is charged as carefully as that
// needs; heat by the warmest. From which temperature a pack is warm is known to a degree or so where it was noted (a
// slope 0.8 K wide), else to a few (2.5). A pack half a degree and more under it does not give its warm power,
// whatever else fits: that is what the price on the other causes of the car says, growing with each degree.
func (l *Log) weighWarmth(f *facts, k *known, add func(Cause, float64)) {
	cold, warm := (f.coldest0+f.coldest1)/2, max(f.warmest0, f.warmest1)
	width := 2.5
	if k.warmKnown {
		width = 0.8
	}
	if !math.IsNaN(cold) {
		still := f.stillWhileItWarms()
		add(Cold, slide(k.warmC-cold, 0, width, -9)-4*still)
		if short := k.warmC - cold; short > 0.4 && k.warmKnown { // a pack so cold takes less than a warm one
			under := 1.0 // unless this one was seen to take all of it
			if k.given && !math.IsNaN(f.share) {
				under = 1 / (1 + math.Exp((f.share/math.Exp(k.bias)-0.985)/0.006))
			}
			for _, c := range []Cause{PackTaper, SoCStep, TimerStep} {
				add(c, -min(7, 3.5+0.35*(short-0.4))*under)
			}
			add(CarPower, -min(7, 3.5+0.35*(short-0.4))*under*(1-still))
			add(CarCurrent, -min(4, 0.35*(short-0.4))*under*(1-still))
		}
		if f.coldest1 < f.coldest0-0.5 && f.lean > 0 {
			add(Cold, -1)
		}
	} else {
		add(Cold, l.coldByConditions(k))
	}
	hotC := k.ledBackFrom()
	switch {
	case !math.IsNaN(warm):
		add(Hot, slide(warm, hotC-2, 1.8, -9))
		if through := (f.warmest0 + f.warmest1) / 2; !math.IsNaN(through) { // so hot hardly any is left alone
			add(Hot, 2/(1+math.Exp(hotC+4.5-through)))
		}
	case !math.IsNaN(cold):
		add(Hot, slide(max(f.coldest0, f.coldest1), hotC-6, 2.5, -9))
	default:
		add(Hot, -2.5)
	}
	// A cable or an inlet is led back from 55 to 65 °C and more (common practice, no source); from 70 on it is hardly
	// ever left alone. Where it was read that warm, it explains a fall before anything that only a fall speaks for.
	if inlet := max(f.inlet0, f.inlet1); !math.IsNaN(inlet) {
		through := (f.inlet0 + f.inlet1) / 2 // what it holds, it holds warm from beginning to end
		if math.IsNaN(through) {
			through = inlet
		}
		add(CableHot, slide(through, 55, 5, -9)+2.5/(1+math.Exp((68-through)/2)))
		for c, price := range map[Cause]float64{StallFault: -2.5, TimerStep: -2, SoCStep: -2} {
			add(c, price/(1+math.Exp((63-inlet)/2)))
		}
	} else {
		add(CableHot, -2)
	}
	if !math.IsNaN(warm) { // temperature explains first
		for c, price := range map[Cause]float64{StallFault: -1.5, TimerStep: -2.5, SoCStep: -2} {
			add(c, price/(1+math.Exp((hotC-warm)/0.8)))
		}
	}
}

// By how much a pack warms while its power stands still: two kelvin show nothing, six that no cold holds it.
const stillFromK, stillAllK = 2, 6

// stillWhileItWarms is how sure a piece's power or amps stand still while its coldest cell comes up by several
// kelvin, 0 to 1: a cold pack takes more with each of them.
func (f *facts) stillWhileItWarms() float64 {
	by := (f.coldest1 - f.coldest0 - stillFromK) / (stillAllK - stillFromK)
	if math.IsNaN(by) {
		return 0
	}
	return min(1, max(0, by)) * (f.shape[ampsLevel] + f.shape[kwLevel])
}

// ledBackFrom is the warmest cell's temperature from which the pack is led back: as noted, else 45 °C or so, as a rule
// (common practice, no source). Two degrees under it is where it begins to be thought of.
func (k *known) ledBackFrom() float64 {
	if math.IsNaN(k.hotC) {
		return 45
	}
	return k.hotC
}

// coldByConditions is what the conditions say of cold where no cell was read: the noted battery's temperature, else
// the air's. A pack stands a few degrees over the air, and some twelve more where it was preconditioned in any way
// (common practice, no source; hence the wide slopes). Where nothing is noted, cold is a little less likely than it is
// in general, for a tester who goes out in the cold says so.
func (l *Log) coldByConditions(k *known) float64 {
	c := l.Conditions
	if c == nil {
		return -0.7
	}
	if b, ok := run.Value(c.BatteryC); ok {
		return slide(k.warmC-b, 1, 2.5, -6) + 0.5
	}
	if a, ok := run.Value(c.AmbientC); ok {
		if c.Preconditioned != "" && c.Preconditioned != "none" {
			a += 12
		}
		return slide(k.warmC-a, 6, 4, -3)
	}
	return -0.7
}

// delivered is how near to what is requested counts as all of it.
const (
	deliveredAll = 0.965
	deliveredSD  = 0.012
)

var ofStall = []Cause{StallPower, StallCurrent, StallVoltage, StallFault, SharedCabinet, CableHot, AdapterCurrent}

var ofCar = []Cause{CarPower, CarCurrent, PackTaper, Cold, Hot, TimerStep, SoCStep, Finish}

// weighAsked judges by what the car requested and the stall offered: what is delivered under the request is held
// outside the car. Requests and power are not read at one moment, and a request counts what the cable loses: 96.5 % of
// it is all of it, give or take 1.2. It is the surest evidence there is, 4 nats for the stall's causes and 5.5 against
// the car's, and still no proof: a few cars ask for what they know they will not get.
func (l *Log) weighAsked(f *facts, k *known, add func(Cause, float64)) {
	if math.IsNaN(f.asked) {
		add(StallFault, -1.2)
	} else {
		under := 1 / (1 + math.Exp((f.asked-deliveredAll)/deliveredSD)) // probability that it is held outside
		for _, c := range ofStall {
			add(c, math.Log(0.02+0.96*under))
		}
		for _, c := range ofCar {
			add(c, math.Log(0.004+0.99*(1-under)))
		}
	}
	if f.offered > 0 {
		if x := math.Log(f.plugKW / f.offered); math.Abs(x) < 0.03 {
			add(StallPower, 2)
			add(SharedCabinet, 1.5)
			if !math.IsInf(k.sharedKW, 1) && f.offered < 0.8*k.stallKW { // somebody else has the rest
				add(SharedCabinet, 5)
				add(StallPower, -3)
			}
		} else if x < -0.06 {
			add(StallPower, -4)
			add(SharedCabinet, -4)
		}
	}
}

// weighTop judges whose the top of the volts is: the pack's own, the stall's or the adapter's, by whose rating they
// stand at (within 0.3 %; volts are read better than amps). Where no rating is known, a curve that bends into its top
// speaks for one; a pack whose volts hardly move all the way looks the same without any.
func (l *Log) weighTop(g *grid, f *facts, k *known, add func(Cause, float64)) {
	if !f.top {
		add(Finish, -2)
		switch {
		case !g.voltsRead && k.stallMaxV < k.packMaxV: // it may stand there unseen
			add(StallVoltage, -0.5)
			add(StallFault, -1)
		default:
			add(StallVoltage, -3)
		}
		return
	}
	at := func(c Cause, volts, rating float64) {
		if math.IsInf(rating, 1) || math.IsNaN(rating) {
			if g.bends {
				add(c, math.Log(3))
			} else {
				add(c, math.Log(0.3)) // a pack whose volts hardly move looks the same
			}
			return
		}
		x := volts/rating - 1
		add(c, math.Log(0.9*normal(x, 0, 0.003)+0.1*normal(x, 0, 0.012)+0.002))
	}
	at(Finish, f.packV1, k.packMaxV)
	at(StallVoltage, f.volts1, min(k.stallMaxV, k.adapterV))
	if k.converter {
		add(StallVoltage, never)
	}
}
