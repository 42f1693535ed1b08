package curve_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/internal/sampled"
)

// The runs of a further model, which nothing was ever fitted to: its cars' computers hold a table of amps against
// charge and the coldest cell, in steps of 5 A that they leave late; its stalls are made of modules of 50 kW; its
// auxiliaries come and go. It shares nothing with the arithmetic that reads it but the logs' helpers (common
// practice, no source, and its own numbers).

// modular is one car at one stall of that model.
type modular struct {
	*model
	kwh, cells, ohm, warmC, hotC float64
	table                        []float64 // A every ten per cent, warm
	carKW, carA                  float64
	stallKW, gives, stallA       float64
	lentS, lentForS, lent        float64 // when a neighbour takes modules, for how long, kW
	cableFromS                   float64 // when the cable is hot
	stepPct, stepTo              float64 // where the car steps down, to which share
	airC, fromC                  float64
	fromPct, toPct               float64
}

func newModular(seed uint64) *modular {
	rng := rand.New(rand.NewPCG(seed, 515))
	inf := math.Inf(1)
	m := &modular{model: newModel(rng), carKW: inf, carA: inf, lentS: inf, cableFromS: inf, stepPct: inf, stepTo: 1}
	m.kwh, m.cells = m.between(38, 100), []float64{96, 108, 192}[rng.IntN(3)]
	m.ohm = 0.085 * m.cells / 96 * 60 / m.kwh
	m.warmC, m.hotC = m.between(18, 31), m.between(46, 51)
	top := m.between(1.3, 3.2) * m.kwh * 1000 / m.cells / 3.7
	for i, share := range []float64{0.85, 1, 1, 0.97, 0.88, 0.75, 0.6, 0.5, 0.4, 0.24, 0.08} {
		m.table = append(m.table, top*(share+0.04*float64(i%3-1)*rng.Float64()))
	}
	m.stallKW = []float64{50, 100, 150, 200, 300, 400}[rng.IntN(6)]
	m.stallA, m.gives = []float64{125, 250, 400, 500, 600, 600}[rng.IntN(6)], 1-0.12*rng.Float64()*float64(rng.IntN(2))
	if m.stallKW < 100 {
		m.stallA = 150
	}
	m.airC, m.fromPct, m.toPct = m.between(-6, 28), m.between(6, 25), m.between(70, 90)
	m.fromC = max(m.airC, m.warmC+m.between(0, 6))
	switch rng.IntN(8) {
	case 0, 1:
		m.airC = m.between(-8, 10)
		m.fromC = m.airC + m.between(2, 9)
	case 2:
		m.lentS, m.lentForS = m.between(150, 500), m.between(200, 700)
		m.lent = 50 * float64(1+rng.IntN(int(max(1, m.stallKW/100))))
	case 3:
		m.cableFromS = m.between(200, 700)
	case 4:
		m.stepPct, m.stepTo = 25+5*float64(rng.IntN(8)), m.between(0.5, 0.8)
	case 5:
		m.airC, m.fromC = m.between(28, 38), m.hotC-m.between(3, 8)
	case 6:
		m.carKW = math.Round(top * m.cells * 3.75 / 1000 * m.between(0.55, 0.85))
	case 7:
		m.carA = math.Round(top * m.between(0.55, 0.85))
	}
	return m
}

// warmth is what the coldest cell leaves of the table's amps: all from where the pack is warm, a third at 15 K less.
func (m *modular) warmth(coldC float64) float64 {
	under := max(0, m.warmC-coldC)
	return 1 / (1 + math.Pow(under/9, 1.5))
}

// play runs the session: each second the least of what all allow, with what makes it.
func (m *modular) play() (seconds []second, car, stall *trace.Recording) {
	car, stall = m.blank(trace.CarSide), m.blank(trace.StallSide)
	soc, coldC, warmC, inletC := m.fromPct, m.fromC, m.fromC+2.5, m.airC+2
	held, aux, given := 0.0, m.between(0.5, 2.5), 0.0
	for t := 0.0; t < 7000 && soc < m.toPct; t++ {
		rest := m.cells * (3.3 + 0.85*soc/100 - 0.1*math.Sin(soc/16))
		i := min(9, int(soc/10))
		warm := m.table[i] + (m.table[i+1]-m.table[i])*(soc/10-float64(i))
		cause := limit.PackTaper
		if soc >= m.stepPct {
			warm, cause = warm*m.stepTo, limit.SoCStep
		}
		takes := warm * m.warmth(coldC)
		if m.warmth(coldC) < 0.985 {
			cause = limit.Cold
		}
		if over := warmC - m.hotC; over > 0 {
			takes, cause = takes*max(0.4, 1-0.09*over), limit.Hot
		}
		if math.Abs(takes-held) > 4 || t < 60 { // stairs of 5 A that are left late
			held = 5 * math.Floor(takes/5)
		}
		volts := func(a float64) float64 { return rest + a*m.ohm }
		atKW := func(kw float64) float64 {
			return (-rest + math.Sqrt(rest*rest+4000*kw*m.ohm)) / 2 / m.ohm
		}
		if m.rng.Float64() < 1./240 {
			aux = m.between(0.4, 4)
		}
		has, whose := m.stallKW*m.gives, limit.StallPower
		if t >= m.lentS && t < m.lentS+m.lentForS {
			has, whose = has-m.lent, limit.SharedCabinet
		}
		amps, cable := m.stallA, limit.StallCurrent
		if t >= m.cableFromS {
			amps, cable = 0.55*m.stallA, limit.CableHot
		}
		list := []ceilingOf{{cause, held}, {whose, atKW(max(1, has-aux))}, {cable, amps - aux*1000/rest}}
		if !math.IsInf(m.carKW, 1) {
			list = append(list, ceilingOf{limit.CarPower, atKW(m.carKW)})
		}
		if !math.IsInf(m.carA, 1) {
			list = append(list, ceilingOf{limit.CarCurrent, m.carA})
		}
		least := math.Inf(1)
		for _, l := range list {
			least = min(least, l.amps)
		}
		given = min(given+8, max(1, least)) // 8 A a second up, at once down
		causes := []limit.Cause{}
		for _, l := range list {
			if l.amps <= least*1.012 {
				causes = append(causes, l.cause)
			}
		}
		if given < least*0.98 {
			causes = []limit.Cause{limit.Ramp}
		}
		v := volts(given)
		packKW := given * v / 1000
		plugKW := packKW + aux
		seconds = append(seconds, second{t, causes, soc, plugKW})
		if inletC += 0.002 * (given/m.stallA - 0.2); t >= m.cableFromS-120 {
			inletC = min(78, inletC+0.25)
		}
		put(car, t, soc, packKW, given, v, coldC, warmC, inletC, math.NaN(), m.airC)
		put(stall, t, math.NaN(), plugKW, plugKW*1000/v, v, math.NaN(), math.NaN(), math.NaN(), math.NaN(), math.NaN())
		heatKW := given * given * m.ohm / 1000
		coldC += (heatKW*0.9 - 0.02*(coldC-m.airC)) / (m.kwh * 4.5)
		warmC += (heatKW*1.1 - 0.03*(warmC-m.airC)) / (m.kwh * 4.5)
		soc += given * rest / 1000 / m.kwh / 36
	}
	return seconds, car, stall
}

// fifthSession is one run of that model, as somebody would log and note it.
func fifthSession(seed uint64, rough Rough) labelled {
	m := newModular(seed)
	seconds, car, stall := m.play()
	without(car, trace.RequestedPower)
	without(stall, trace.SoC, trace.BatteryTempMin, trace.BatteryTempMax, trace.InletTemp, trace.RequestedPower,
		trace.AmbientTemp)
	if rough.wobble {
		m.wobble(car, 0.004)
		m.wobble(stall, 0.003)
		round(car, trace.SoC, 1)
		round(car, trace.BatteryTempMin, 1)
		round(car, trace.BatteryTempMax, 1)
		round(stall, trace.Power, 1)
		var rows []int
		for i := 0; i < len(car.T); i += 1 + m.rng.IntN(4) {
			rows = append(rows, i)
		}
		keep(car, rows)
	}
	recordings := []*trace.Recording{car, stall}
	switch side := m.rng.IntN(4); {
	case rough.wobble && side == 0:
		recordings = recordings[:1]
	case rough.wobble && side == 1:
		recordings = recordings[1:]
		put := stall.Columns
		put[trace.SoC] = make([]float64, len(stall.T))
		for i := range stall.T {
			put[trace.SoC][i] = math.Floor(seconds[i].soc)
		}
	}
	r := &run.Run{Title: "fifth", Recordings: recordings, Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}},
		Stall:      &run.Stall{RatedKW: n(m.stallKW), MaxA: n(m.stallA), MaxV: n(1000)},
		Conditions: &run.Condition{AmbientC: n(math.Round(m.airC))}}
	r.Car = &run.Car{Chemistry: "NMC", UsableKWh: n(math.Round(m.kwh)), CellsInSeries: n(m.cells),
		WarmC: n(math.Round(m.warmC))}
	if !math.IsInf(m.carKW, 1) {
		r.Car.MaxKW = n(m.carKW)
	}
	if !math.IsInf(m.carA, 1) {
		r.Car.MaxA = n(m.carA)
	}
	if seed%2 == 0 { // every other car's envelope is noted
		for i, a := range m.table {
			soc := 10 * float64(i)
			rest := m.cells * (3.3 + 0.85*soc/100 - 0.1*math.Sin(soc/16))
			r.Car.Envelope = append(r.Car.Envelope, run.Point{SoCPct: soc, KW: math.Round(a * (rest + a*m.ohm) / 1000)})
		}
	}
	return labelled{run: r, truth: seconds}
}

// Whose limit it was is right on cars and stalls that nothing was fitted to, and what is called strong is.
func TestFifthGallery(t *testing.T) {
	for _, k := range kinds[:2] {
		s := gallery(0, sampled.Of(uint64(48)), k.rough, fifthSession)
		t.Logf("%s %s; party %.1f", k.name, s, share(s.party, s.all))
		assert.GreaterOrEqual(t, share(s.party, s.all), 90.0, "%s\n%s", k.name, s.details())
		assert.GreaterOrEqual(t, share(s.rightBy["strong"], s.by["strong"]), 90.0, "%s\n%s", k.name, s.details())
	}
}
