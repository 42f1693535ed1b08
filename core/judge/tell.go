package judge

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
)

// stretchFacts is what a whole stretch shows, from its pieces: of pairs the first is at its beginning, the second at
// its end. kW, A, V, °C and per cent; NaN: not read.
type stretchFacts struct {
	*known
	log              *Log
	kw               [2]float64 // on the fitted lines
	plugKW, packKW   float64    // means over time
	amps, volts      [2]float64
	plugA, packA     float64
	soc              [2]float64
	coldest, warmest [2]float64
	inlet            [2]float64
	asked, offered   float64    // what flowed as a share of what the car requested; what the stall offered, kW
	warm             [2]float64 // the warm pack's power at both ends
	share            float64    // of it that flowed
	long             float64    // s
	fall             float64    // how it begins: logarithm of its first power over the last before; 0: no leap
	fellS, fellPct   float64    // first instant of that, and the charge there
	plugInS          float64    // of its leg
	ampsRead         bool
	leg              int
	shape            shape          // of its last piece
	stairs           []say.Quantity // at which charge it fell, in per cent
}

// tell gathers a stretch's facts from its pieces, weighted by time where one number stands for all. The grids
// are those of the first piece and of the last.
func (l *Log) tell(k *known, first, g *grid, pieces []*facts) stretchFacts {
	a, b := pieces[0], pieces[len(pieces)-1]
	t := stretchFacts{known: k, log: l, kw: [2]float64{a.line[0], b.line[1]}, volts: [2]float64{a.volts0, b.volts1},
		soc: [2]float64{a.soc0, b.soc1}, coldest: [2]float64{a.coldest0, b.coldest1},
		warmest: [2]float64{a.warmest0, b.warmest1}, inlet: [2]float64{a.inlet0, b.inlet1}, fall: a.fall, fellS: a.fellS,
		fellPct: a.fellPct, plugInS: g.plugInS, ampsRead: g.ampsRead}
	t.amps[0], _ = first.ends(first.amps, a.piece)
	_, t.amps[1] = g.ends(g.amps, b.piece)
	t.warm = [2]float64{k.warmKW(a.soc0, a.packV0), k.warmKW(b.soc1, b.packV1)}
	mean := func(of func(*facts) float64) float64 {
		sum, w := 0.0, 0.0
		for _, f := range pieces {
			if v := of(f); !math.IsNaN(v) {
				sum, w = sum+v*(f.toS-f.fromS), w+f.toS-f.fromS
			}
		}
		if w == 0 {
			return math.NaN()
		}
		return sum / w
	}
	t.plugKW, t.packKW = mean(func(f *facts) float64 { return f.plugKW }), mean(func(f *facts) float64 { return f.packKW })
	t.plugA, t.packA = mean(func(f *facts) float64 { return f.plugA }), mean(func(f *facts) float64 { return f.packA })
	t.asked, t.offered = mean(func(f *facts) float64 { return f.asked }), mean(func(f *facts) float64 { return f.offered })
	t.share = mean(func(f *facts) float64 { return f.share })
	t.long = b.toS - a.fromS
	lastStair := math.Inf(-1)
	for _, f := range pieces {
		if f.fall < 0 && f.fellPct > lastStair+1.5 {
			lastStair = f.fellPct
			t.stairs = append(t.stairs, say.Fig(f.fellPct, 0))
		}
	}
	return t
}

// fromTo is how a value went, as one number where it stayed; nil where it was not read at both ends.
func fromTo(v [2]float64, unit string) say.Text {
	switch {
	case math.IsNaN(v[0]) || math.IsNaN(v[1]):
		return nil
	case stayed(v):
		return say.T("judge.at", say.Q(v[0], unit, 0))
	}
	return say.T("judge.from-to", say.Q(v[0], unit, 0), say.Q(v[1], unit, 0))
}

// power is how the power went.
func (t stretchFacts) power() say.Text { return or(fromTo(t.kw, "kW"), "judge.unread") }

// stayed tells whether a value is the same number at both ends.
func stayed(v [2]float64) bool { return math.Round(v[0]) == math.Round(v[1]) }

// went says how a value went, with the verb that is true of it.
func went(v [2]float64, unit string) say.Text {
	how := fromTo(v, unit)
	switch {
	case !how.Any():
		return say.T("judge.not-read")
	case stayed(v):
		return say.T("judge.stood", how)
	case v[1] > v[0]:
		return say.T("judge.rose", how)
	}
	return say.T("judge.fell", how)
}

// evidence says in words why a cause is named, with the numbers used; what decides first.
func (t stretchFacts) evidence(c limit.Cause) []say.Text {
	var out []say.Text
	tell := func(code string, args ...any) { out = append(out, say.T(code, args...)) }
	switch c {
	case limit.Ramp:
		tell("judge.power-in", went(t.kw, "kW"), say.Duration(math.Round(t.long)))
	case limit.StallCurrent, limit.AdapterCurrent, limit.CarCurrent, limit.CableHot:
		t.flatAmps(c, tell)
	case limit.StallPower, limit.CarPower, limit.CarConverter, limit.SharedCabinet:
		t.flatKW(c, tell)
	case limit.StallVoltage, limit.Finish:
		tell("judge.volts-stood-at-while", say.Fig(t.volts[1], 1), fromTo(t.amps, "A"))
		if c == limit.Finish && !math.IsNaN(t.packMaxV) {
			tell("judge.the-pack-top-is", say.Fig(t.packMaxV, 1))
		}
		if c == limit.StallVoltage && !math.IsInf(t.stallMaxV, 1) {
			tell("judge.the-stall-gives-up", say.Fig(t.stallMaxV, 1))
		}
	case limit.PackTaper:
		if math.IsNaN(t.soc[0]) || math.IsNaN(t.soc[1]) {
			tell("judge.power-in", went(t.kw, "kW"), say.Duration(math.Round(t.long)))
		} else {
			tell("judge.power-from-to", went(t.kw, "kW"), say.Fig(t.soc[0], 0), say.Fig(t.soc[1], 0))
		}
	case limit.Cold:
		t.cold(tell)
	case limit.Hot:
		tell("judge.power-went-with-the", t.power(), or(fromTo(t.warmest, "°C"), "judge.unread-temperature"))
	case limit.TimerStep, limit.SoCStep, limit.StallFault:
		t.dropped(c, tell)
	case limit.Unknown:
		tell("judge.power-went-no-limit", t.power())
	}
	t.warmHere(c, tell)
	switch {
	case math.IsNaN(t.asked) || c == limit.Ramp:
	case t.asked > deliveredAll:
		tell("judge.all-that-the-car")
	default:
		tell("judge.of-what-the-car", say.Fig(100*t.asked, 0))
	}
	return out
}

// what names the limit as a noun with its figure: as it is rated where it is, else as it was read.
func (t stretchFacts) what(c limit.Cause) say.Text {
	of := func(whose string, rating, read float64, unit string) say.Text {
		if math.IsInf(rating, 1) {
			rating = read
		}
		return say.T(whose, say.Q(rating, unit, 0))
	}
	switch c {
	case limit.StallPower:
		return of("judge.stalls", t.stallKW, t.plugKW, "kW")
	case limit.StallCurrent:
		return of("judge.stalls", t.stallA, t.plugA, "A")
	case limit.StallVoltage:
		return of("judge.stalls", t.stallMaxV, t.volts[1], "V")
	case limit.AdapterCurrent:
		return of("judge.adapters", t.adapterA, t.plugA, "A")
	case limit.CarPower:
		return of("judge.cars", t.carKW, t.packKW, "kW")
	case limit.CarCurrent:
		return of("judge.cars", t.carA, t.amps[1], "A")
	case limit.CarConverter:
		return of("judge.converters", t.converterKW, t.plugKW, "kW")
	case limit.SoCStep:
		return say.T("judge.cars", t.steps())
	case limit.PackTaper:
		return say.T("judge.cars", say.T("judge.own-taper"))
	}
	if code, ok := nouns[c]; ok {
		return say.T(code)
	}
	return say.T("judge.not-shown")
}

// nouns name the limits that have no figure.
var nouns = map[limit.Cause]string{
	limit.Ramp:          "judge.the-ramp",
	limit.Cold:          "judge.cold-pack",
	limit.Hot:           "judge.hot-pack",
	limit.TimerStep:     "judge.timer",
	limit.Finish:        "judge.top-voltage",
	limit.StallFault:    failingStall,
	limit.SharedCabinet: "judge.shared-cabinet",
	limit.CableHot:      "judge.warm-cable",
	limit.Paused:        "judge.pause",
}

// steps name the steps of charge at which a stretch fell.
func (t stretchFacts) steps() say.Text {
	n := len(t.stairs)
	switch {
	case n > mostStairs:
		return say.T("judge.steps-from-to", n, t.stairs[0], t.stairs[n-1])
	case n > 1:
		each := make([]say.Text, n)
		for i, q := range t.stairs {
			each[i] = say.T("judge.of", q)
		}
		return say.T("judge.steps-at", say.Listed(each...))
	}
	return say.T("judge.step-at", say.Fig(t.fellPct, 0))
}

// mostStairs is how many steps are named one by one.
const mostStairs = 4

// whoseAmps and whoseKW say whose a limit of amps or of power is.
var whoseAmps = map[limit.Cause]string{
	limit.StallCurrent:   "judge.whose-stall",
	limit.CarCurrent:     "judge.whose-car",
	limit.AdapterCurrent: "judge.whose-adapter",
	limit.CableHot:       "judge.whose-cable",
}

var whoseKW = map[limit.Cause]string{
	limit.StallPower:    "judge.whose-stall",
	limit.CarPower:      "judge.whose-car",
	limit.SharedCabinet: "judge.whose-cabinet",
	limit.CarConverter:  "judge.whose-converter",
}

// ofOneParty are a party's limits of power and of current, which without amps look alike.
var ofOneParty = map[limit.Whose][2]limit.Cause{
	limit.OfCar:   {limit.CarPower, limit.CarCurrent},
	limit.OfStall: {limit.StallPower, limit.StallCurrent},
}

// pair names two causes of one kind together, "a limit of 290 A, the stall's or the car's": that there is such a
// limit is sure where only whose it is is not. Empty where they are not of one kind.
func (t stretchFacts) pair(a, b limit.Cause) say.Text {
	for party, both := range ofOneParty {
		if !t.ampsRead && (a == both[0] && b == both[1] || a == both[1] && b == both[0]) {
			return say.T("judge.one-party", say.T(parties[party]))
		}
	}
	if whoseAmps[a] != "" && whoseAmps[b] != "" {
		return say.T("judge.a-limit-of-a", say.Fig((t.amps[0]+t.amps[1])/2, 0), say.T(whoseAmps[a]), say.T(whoseAmps[b]))
	}
	if whoseKW[a] != "" && whoseKW[b] != "" {
		return say.T("judge.a-limit-of-kw", say.Fig(t.plugKW, 0), say.T(whoseKW[a]), say.T(whoseKW[b]))
	}
	return nil
}

// or is otherwise where there is nothing to say.
func or(t say.Text, otherwise string) say.Text {
	if !t.Any() {
		return say.T(otherwise)
	}
	return t
}

// flatAmps says what speaks for a limit of amps: how level they were while the volts rose, and what is known of the
// rating, or in place of one what car and stall did elsewhere.
func (t stretchFacts) flatAmps(c limit.Cause, tell func(string, ...any)) {
	if t.ampsRead {
		tell("judge.amps-level-at-while", say.Fig((t.amps[0]+t.amps[1])/2, 0), fromTo(t.volts, "V"), fromTo(t.kw, "kW"))
	} else {
		tell("judge.power-crept-as-at", fromTo(t.kw, "kW"))
	}
	rating, whose := math.Inf(1), say.Text(nil)
	switch c {
	case limit.StallCurrent, limit.CableHot:
		rating, whose = t.stallA, say.T("judge.stall")
	case limit.AdapterCurrent:
		rating, whose = t.adapterA, say.T("judge.adapter")
	case limit.CarCurrent:
		rating, whose = t.carA, say.T("judge.car")
	}
	switch {
	case c == limit.CableHot:
		if !math.IsNaN(t.inlet[1]) {
			tell("judge.the-inlet-had", fromTo(t.inlet, "°C"))
		}
		if !math.IsInf(rating, 1) {
			tell("judge.the-stall-is-rated", say.Fig(rating, 0))
		}
	case math.IsInf(rating, 1):
		tell("judge.no-rating-of-the", whose)
		if most := t.elsewhere.Car.TookA(); most > 1.06*t.packA {
			tell("judge.the-car-took-a", say.Fig(most, 0))
		}
		if most := t.elsewhere.StallMostA; most > 1.06*t.plugA {
			tell("judge.this-stall-gave-a", say.Fig(most, 0))
		}
	default:
		tell("judge.the-is-rated-for", whose, say.Fig(rating, 0))
	}
}

// flatKW says what speaks for a limit of power: how level it was while amps gave way to the volts, and the rating,
// what the stall offered, or a neighbour's mark.
func (t stretchFacts) flatKW(c limit.Cause, tell func(string, ...any)) {
	at := t.plugKW
	if c == limit.CarPower {
		at = t.packKW
	}
	if t.ampsRead {
		tell("judge.power-level-at-kw-while", say.Fig(at, 0), fromTo(t.volts, "V"), fromTo(t.amps, "A"))
	} else {
		tell("judge.power-level-at-kw", say.Fig(at, 0))
	}
	rating, what := math.Inf(1), ""
	switch c {
	case limit.StallPower:
		if t.offered > 0 && math.Abs(math.Log(t.plugKW/t.offered)) < 0.03 {
			tell("judge.the-stall-offers-kw", say.Fig(t.offered, 0))
		}
		rating, what = t.stallKW, "judge.stall-rated-kw"
	case limit.CarPower:
		rating, what = t.carKW, "judge.car-takes"
	case limit.CarConverter:
		rating, what = t.converterKW, "judge.converter-takes"
	case limit.SharedCabinet:
		rating, what = t.sharedKW/2, "judge.half-cabinet"
	}
	if c == limit.SharedCabinet && t.offered > 0 && math.Abs(math.Log(t.plugKW/t.offered)) < 0.03 {
		tell("judge.the-stall-offers-of", say.Fig(t.offered, 0), say.Fig(t.stallKW, 0))
	}
	if math.IsInf(rating, 1) {
		tell("judge.no-such-rating-is")
	} else {
		tell(what, say.Fig(rating, 0))
	}
	if c == limit.SharedCabinet && t.log.markNear(run.Neighbour, t.fellS) {
		tell("judge.a-neighbour-was-marked")
	}
}

// cold says what speaks for a cold pack: power that rises with the coldest cell, from where this pack is warm, and
// that the stall would have given more.
func (t stretchFacts) cold(tell func(string, ...any)) {
	if math.IsNaN(t.coldest[0]) {
		if t.kw[1] > t.kw[0] {
			tell("judge.power-by-itself-as", went(t.kw, "kW"))
		} else {
			tell("judge.power-no-cell-was", went(t.kw, "kW"))
		}
		return
	}
	tell("judge.power-while", went(t.kw, "kW"), or(t.log.ColdestOf, "judge.coldest"), went(t.coldest, "°C"))
	if t.warmKnown {
		tell("judge.this-pack-takes-its", say.Q(t.warmC, "°C", 0))
	} else {
		tell("judge.packs-take-their-full", say.Q(t.warmC, "°C", 0))
	}
	least := math.Inf(1)
	for _, kw := range []float64{t.stallKW, t.stallA * t.volts[0] / 1000} {
		least = min(least, kw)
	}
	if !math.IsInf(least, 1) && least > 1.05*max(t.kw[0], t.kw[1]) {
		tell("judge.the-stall-would-have", say.Fig(least, 0))
	}
}

// dropped says what speaks for a cause that begins with a fall: how far, how long after plug-in and at which charge,
// and which sign of a timer or a step there is besides.
func (t stretchFacts) dropped(c limit.Cause, tell func(string, ...any)) {
	if t.fall < 0 {
		after := t.fellS - t.plugInS
		tell("judge.power-fell-by-at", say.Fig(100*(1-math.Exp(t.fall)), 0), say.Fig(t.kw[0], 0),
			say.Duration(math.Round(after)), say.Fig(t.fellPct, 1))
	} else if c != limit.StallFault {
		tell("judge.power-went", t.power())
	}
	switch c {
	case limit.TimerStep:
		for _, o := range t.falls.list {
			if o.leg != t.leg && math.Abs(o.afterPlug-(t.fellS-t.plugInS)) <= sameTimerS {
				tell("judge.as-long-after-the")
				break
			}
		}
		if away := math.Abs(t.fellS - t.plugInS - roundTimerS*math.Round((t.fellS-t.plugInS)/roundTimerS)); away <= 3 {
			tell("judge.a-round-time-after")
		}
	case limit.SoCStep:
		if t.stepAt(t.fellPct) {
			tell("judge.the-car-envelope-has")
		} else if math.Abs(t.fellPct-roundStepPct*math.Round(t.fellPct/roundStepPct)) <= 0.5 {
			tell("judge.a-round-state-of")
		}
	case limit.StallFault:
		t.failing(tell)
	}
}

// failing says how far under what the stall is rated for its power stays.
func (t stretchFacts) failing(tell func(string, ...any)) {
	switch {
	case t.shape == ampsLevel && t.ampsRead && !math.IsInf(t.stallA, 1):
		tell("judge.amps-level-at-under", say.Fig(t.plugA, 0), say.Fig(t.stallA, 0))
	case t.shape == ampsLevel && t.ampsRead:
		tell("judge.amps-level-at", say.Fig(t.plugA, 0))
	case !math.IsInf(t.stallKW, 1):
		tell("judge.power-went-under-the", t.power(), say.Fig(t.stallKW, 0))
	default:
		tell("judge.power-went", t.power())
	}
}

// warmHere says what the warm pack would take there.
func (t stretchFacts) warmHere(c limit.Cause, tell func(string, ...any)) {
	if math.IsNaN(t.warm[0]) || math.IsNaN(t.warm[1]) || c == limit.Ramp {
		return
	}
	if kind := t.reference(t.log); kind.Basis != ByKind {
		tell("judge.warm-this-pack-takes", fromTo(t.warm, "kW"), kind.Words())
	}
}
