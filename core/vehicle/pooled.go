package vehicle

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// near is how near two runs' falls and limits must lie to be one: charge in %, time in s, a level as a share.
const (
	nearPct   = 1.5
	nearS     = 5.0
	nearLevel = 0.02
)

// apartPct and apartS are how far apart falls must lie otherwise to be of one kind by no chance.
const (
	apartPct = 3.0
	apartS   = 60.0
)

// seenIn is what one run says of something that several may say.
type seenIn struct {
	run  int
	at   float64 // where: charge, time or level
	sure bool    // of a level
	fall Fall    // of a fall
}

// clusters gathers what several runs say within a distance of each other.
func clusters(all []seenIn, near func(a, b float64) bool) [][]seenIn {
	slices.SortStableFunc(all, func(a, b seenIn) int { return cmp.Compare(a.at, b.at) })
	var out [][]seenIn
	for i := 0; i < len(all); {
		k := i + 1
		for k < len(all) && near(all[i].at, all[k].at) {
			k++
		}
		out = append(out, all[i:k])
		i = k
	}
	return out
}

func countRuns(group []seenIn) int {
	runs := map[int]bool{}
	for _, s := range group {
		runs[s.run] = true
	}
	return len(runs)
}

func middle(group []seenIn, of func(seenIn) float64) float64 {
	var v []float64
	for _, s := range group {
		v = append(v, of(s))
	}
	return trace.Median(v)
}

// fallsIn lists the falls of all runs by where they lie: by charge, or by time after first power.
func fallsIn(lessons []Lesson, where func(Fall) float64) []seenIn {
	var all []seenIn
	for r, x := range lessons {
		for _, f := range x.Falls {
			all = append(all, seenIn{run: r, at: where(f), fall: f})
		}
	}
	return all
}

// shared tells whether falls that lie together are one thing of the car's: as one run is sure, as two runs by
// themselves call them, or as two runs had them that went there another way: the same time at another charge is no
// chance, nor is the same charge at another time.
func shared(g []seenIn, called Called, otherwise func(Fall) float64, apart float64) bool {
	by, low, high := map[int]bool{}, math.Inf(1), math.Inf(-1)
	for _, s := range g {
		if s.fall.Called == called {
			if s.fall.Sure {
				return true
			}
			by[s.run] = true
		}
		low, high = min(low, otherwise(s.fall)), max(high, otherwise(s.fall))
	}
	return len(by) > 1 || countRuns(g) > 1 && high-low >= apart
}

// besidePct is how far either side of a fall a run must have charged to show whether it has it, %.
const besidePct = 3.0

// passes tells whether a run charged from one charge to another.
func (x *Lesson) passes(fromPct, toPct float64) bool {
	below, above := false, false
	for _, p := range x.Points {
		below, above = below || p.SoCPct <= fromPct, above || p.SoCPct >= toPct
	}
	return below && above
}

func countWhere(lessons []Lesson, has func(*Lesson) bool) (n int) {
	for i := range lessons {
		if has(&lessons[i]) {
			n++
		}
	}
	return n
}

func atCharge(f Fall) float64 { return f.SoCPct }
func atTime(f Fall) float64   { return f.AfterS }

// stepsOf are the falls at one charge that the runs share: half of those at least that passed it.
func stepsOf(lessons []Lesson) []Step {
	var out []Step
	for _, g := range clusters(fallsIn(lessons, atCharge), func(a, b float64) bool { return b-a <= nearPct }) {
		soc := middle(g, func(s seenIn) float64 { return s.at })
		passed := countWhere(lessons, func(x *Lesson) bool { return x.passes(soc-besidePct, soc+besidePct) })
		if shared(g, AStep, atTime, apartS) && 2*countRuns(g) >= passed {
			out = append(out, Step{SoCPct: soc, Runs: countRuns(g)})
		}
	}
	return out
}

// timersOf are the falls at one time after first power that the runs share, half of those at least that were that long.
func timersOf(lessons []Lesson) []Timer {
	var out []Timer
	for _, g := range clusters(fallsIn(lessons, atTime), func(a, b float64) bool { return b-a <= nearS }) {
		after := middle(g, func(s seenIn) float64 { return s.at })
		long := countWhere(lessons, func(x *Lesson) bool { return x.FlowedS > after+nearS })
		if shared(g, ATimer, atCharge, apartPct) && 2*countRuns(g) >= long {
			out = append(out, Timer{AfterS: after, PluggedS: middle(g, func(s seenIn) float64 { return s.fall.PluggedS }),
				Share: middle(g, func(s seenIn) float64 { return s.fall.Share }),
				Runs:  countRuns(g)})
		}
	}
	return out
}

// limits are the car's own fixed limits as they held, and the most that it took.
func (m *Model) limits(lessons []Lesson) {
	for kind, into := range map[string]*run.Number{LevelKW: &m.MaxKW, LevelA: &m.MaxA, LevelConverter: &m.ConverterKW} {
		var all []seenIn
		for r, x := range lessons {
			for _, h := range x.Held {
				if h.Kind == kind {
					all = append(all, seenIn{run: r, at: h.At, sure: h.Sure})
				}
			}
		}
		best := 0
		for _, g := range clusters(all, func(a, b float64) bool { return b <= a*(1+nearLevel) }) {
			sure := slices.ContainsFunc(g, func(s seenIn) bool { return s.sure }) // one is, or two say so
			if n := countRuns(g); n > best && (n > 1 || sure) {
				best, *into = n, run.N(middle(g, func(s seenIn) float64 { return s.at }))
			}
		}
	}
	for _, x := range lessons {
		m.MostKW, m.MostA = max(m.MostKW, mostOf(x)), max(m.MostA, x.MostA)
	}
	// a limit that the car went over in another run is none
	if m.MaxA != nil && m.MostA > *m.MaxA*(1+2*nearLevel) {
		m.MaxA = nil
	}
	if m.MaxKW != nil && m.MostKW > *m.MaxKW*(1+2*nearLevel) {
		m.MaxKW = nil
	}
}

func mostOf(x Lesson) float64 {
	most := x.MostKW
	for _, p := range x.Points {
		most = max(most, p.KW)
	}
	return most
}

// leastRangePct is how far a capacity may be off at least, %: it changes by as much with the weather (from memory).
const leastRangePct = 1.0

// leastHeaterKW is what must be drawn more while cold for a heater.
const leastHeaterKW = 1.0

// ofPack pools what the runs say of the pack and of what is drawn beside it.
func (m *Model) ofPack(lessons []Lesson) {
	if v, pct, ok := weighted(lessons, func(x *Lesson) run.Number { return x.UsableKWh }); ok {
		m.Usable = &Bound{v, v * (1 - pct/100), v * (1 + pct/100)}
	}
	if v, pct, ok := weighted(lessons, func(x *Lesson) run.Number { return x.RestKWh }); ok {
		m.RestKWh, m.RestRangePct = run.N(v), pct
	}
	m.Cells = pooled(lessons, func(x *Lesson) run.Number { return x.Cells })
	m.resistance(lessons)
	m.AuxKW = pooled(lessons, func(x *Lesson) run.Number { return x.AuxKW })
	if cold := pooled(lessons, func(x *Lesson) run.Number { return x.HeatingKW }); cold != nil {
		beside := 0.0
		if m.AuxKW != nil {
			beside = *m.AuxKW
		}
		if *cold-beside >= leastHeaterKW {
			m.HeaterKW = run.N(*cold - beside)
		}
	}
	m.LossPct = pooled(lessons, func(x *Lesson) run.Number { return x.LossPct })
	m.BeginS = pooled(lessons, func(x *Lesson) run.Number { return x.BeginS })
	m.RampS = pooled(lessons, func(x *Lesson) run.Number { return x.RampS })
}

// drop takes out what no car has, by bounds far outside of what is driven (from memory): a forecast that went by it
// would be a wrong one that looks sure.
func (m *Model) drop(car *run.Car) {
	within := func(n *run.Number, low, high float64) {
		if v, ok := run.Value(*n); ok && !(v >= low && v <= high) {
			*n = nil
		}
	}
	within(&m.RestKWh, 5, 400)
	within(&m.Cells, 40, 300)
	within(&m.ActivationKJ, 0, 80)
	within(&m.HeaterKW, 0, 15)
	within(&m.AuxKW, 0, 15)
	within(&m.BeginS, 0, 600)
	within(&m.RampS, 0, 300)
	bare := *m
	bare.Ohm, bare.HeatKJK, bare.CoolingKW, bare.ActivationKJ = nil, nil, nil, nil
	p, err := pack.For(bare.Apply(car))
	if err != nil {
		m.Ohm, m.HeatKJK, m.CoolingKW = nil, nil, nil
		return
	}
	const times = 5.0 // what is usual of its size, or a fifth of it
	within(&m.Ohm, p.ResistanceOhm/times, p.ResistanceOhm*times)
	within(&m.HeatKJK, p.Thermal.HeatCapacityKJK/times, p.Thermal.HeatCapacityKJK*times)
	within(&m.CoolingKW, 0, p.Thermal.CoolingKW*times)
}

// heat settles heat capacity and cooling, by the resistance that the car's model has: a forecast makes its heat of the
// same one, so that where that is off, what it warms by is not.
func (m *Model) heat(car *run.Car, lessons []Lesson) {
	p, err := pack.For(m.Apply(car))
	if err != nil {
		return
	}
	var cold, warm, cooling Heat
	for _, x := range lessons {
		for _, h := range x.Warming {
			if h.AtC < p.WarmC-nearWarmK {
				cold = cold.Plus(h.at25(p))
			} else {
				warm = warm.Plus(h.at25(p))
			}
		}
		for _, h := range x.Cooling {
			cooling = cooling.Plus(h.at25(p))
		}
	}
	// the coldest cell is what counts, and gets its own share of the heat
	made := func(h Heat) float64 { return 2*pack.ColdJoule*h.JouleA2S*p.ResistanceOhm/1000 + h.HeaterKJ }
	capacity := p.Thermal.HeatCapacityKJK
	if warm.ColdestK >= leastK {
		capacity = made(warm) / warm.ColdestK
		m.HeatKJK = run.N(capacity)
	}
	if cold.ColdestK >= leastK { // what amps and a known heater do not explain is a heater's
		rest := (capacity*cold.ColdestK - made(cold)) / cold.ForS / (2 * pack.ColdHeater * p.Thermal.HeaterShare)
		switch {
		case rest >= leastHeaterKW && cold.HeaterKJ == 0:
			m.HeaterKW = run.N(rest)
		case m.HeatKJK == nil:
			capacity = made(cold) / cold.ColdestK
			m.HeatKJK = run.N(capacity)
		}
	}
	if cooling.ForS > 0 {
		gave := cooling.JouleA2S*p.ResistanceOhm/1000 + cooling.HeaterKJ
		m.CoolingKW = run.N(max(leastCoolingKW, (gave-capacity*cooling.MeanK)/cooling.ForS))
	}
}

// nearWarmK is how far below where the pack is warm a heater has done its work, K; leastK how far the cells must have
// risen to know by what.
const (
	nearWarmK = 2.0
	leastK    = 4.0
)

// leastCoolingKW is what any pack gives off when it is hot (from memory).
const leastCoolingKW = 0.2

// Plus is both together, at the first one's temperature.
func (h Heat) Plus(o Heat) Heat {
	return Heat{h.AtC, h.JouleA2S + o.JouleA2S, h.HeaterKJ + o.HeaterKJ, h.ColdestK + o.ColdestK, h.MeanK + o.MeanK,
		h.ForS + o.ForS}
}

// at25 is the heat as the resistance at 25 °C would have made it.
func (h Heat) at25(p *pack.Pack) Heat {
	h.JouleA2S *= math.Exp(p.ActivationJ * pack.Arrhenius(h.AtC))
	return h
}

// How one run's resistance may be off, and what is usual of how it falls with warmth.
const (
	ohmSD        = 0.1  // as a logarithm (from memory: volts of one reading, amps of the next)
	activationSD = 8000 // J/mol (from memory)
)

// resistance fits the runs' resistances by Arrhenius' law: a straight line of their logarithm, its slope held to what
// is usual as far as the runs do not know it.
func (m *Model) resistance(lessons []Lesson) {
	var n, sx, sy, sxx, sxy float64
	for _, x := range lessons {
		if r, ok := run.Known(x.Ohm); ok {
			u, y := pack.Arrhenius(x.OhmC), math.Log(r)
			n, sx, sy, sxx, sxy = n+1, sx+u, sy+y, sxx+u*u, sxy+u*y
		}
	}
	if n == 0 {
		return
	}
	// least squares of y = a + b u, with b drawn to pack.Activation by its spread
	prior := ohmSD * ohmSD / (activationSD * activationSD)
	det := n*(sxx+prior) - sx*sx
	b := (n*(sxy+prior*pack.Activation) - sx*sy) / det
	b = max(0, b)
	m.Ohm, m.ActivationKJ = run.N(math.Exp((sy-b*sx)/n)), run.N(b/1000)
}

// weighted is the mean of what the runs say, each by how well it knows, and how far that may be off, in % either way.
func weighted(lessons []Lesson, of func(*Lesson) run.Number) (value, pct float64, ok bool) {
	var sum, weights float64
	for i := range lessons {
		if v, known := run.Known(of(&lessons[i])); known {
			w := 1 / max(0.01, lessons[i].UsablePct*lessons[i].UsablePct)
			sum, weights = sum+w*v, weights+w
		}
	}
	if weights == 0 {
		return 0, 0, false
	}
	return sum / weights, max(leastRangePct, 1/math.Sqrt(weights)), true
}
