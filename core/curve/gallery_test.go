package curve_test

import (
	"math"
	"math/rand/v2"
	"slices"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// The labelled gallery: sessions of a model of their own, second by second, with the cause that
// held each second. It shares nothing with the arithmetic that reads them: its cells, its cold and
// heat, its cables and cabinets are written here from the field's rules of thumb (common practice,
// no source) and drawn anew for every run.

// labelled is one session with what held each second of it.
type labelled struct {
	run   *run.Run
	truth []second
}

// second is one second of truth; where two limits lie within 1 % of each other both are right.
type second struct {
	t      float64
	causes []limit.Cause
	soc    float64
	plug   float64 // kW at the plug
}

// family is one kind of session.
type family func(m *model)

// families lists the kinds, in the order in which the gallery goes round.
var families = []struct {
	name string
	make family
}{
	{"stall's power", func(m *model) { m.stallKW, m.stallA = m.between(90, 160), 700 }},
	{"stall's current", func(m *model) { m.stallA, m.stallKW = m.between(180, 320), 350 }},
	{"cold pack", func(m *model) { m.cold, m.warm = m.between(-2, 12), m.between(0, 3) }},
	{"converter", func(m *model) {
		m.cells, m.peakKW, m.stallMaxV, m.stallKW = 192, m.between(180, 260), 500, m.between(150, 250)
		m.converterKW = m.between(90, 130)
	}},
	{"adapter", func(m *model) { m.adapterA = m.between(150, 300) }},
	{"shared cabinet", func(m *model) {
		m.stallKW = m.between(150, 240)
		m.sharedKW = m.stallKW * m.between(0.9, 1.1)
		m.neighbourOn = m.between(300, 700)
		m.neighbourS = m.between(240, 900)
	}},
	{"warm cable", func(m *model) { m.stallA, m.stallKW, m.cableHotS = m.between(350, 500), 300, m.between(350, 900) }},
	{"hot pack", func(m *model) { m.cold, m.warm, m.cooling, m.hotC = 36, 4, m.between(0.5, 1.5), m.between(46, 52) }},
	{"timer", func(m *model) {
		m.timerS, m.timerShare = 20*math.Round(m.between(8, 16)), m.between(0.5, 0.75)
		if m.rng.Float64() < 0.6 {
			m.replugPct = m.between(40, 55)
		}
	}},
	{"steps of charge", func(m *model) {
		for i := range 2 + m.rng.IntN(3) {
			m.steps = append(m.steps, 25+float64(i)*15+5*float64(m.rng.IntN(2)))
		}
		m.stepShare = m.between(0.7, 0.88)
	}},
	{"failing stall", func(m *model) {
		m.stallKW, m.stallA = 200, 500
		if m.faultShare = m.between(0.3, 0.7); m.rng.Float64() < 0.5 {
			m.faultS = m.between(300, 800)
		}
		m.requested = true
	}},
	{"to the top", func(m *model) {
		m.fromPct, m.toPct = m.between(55, 70), 99.5
		if m.rng.Float64() < 0.4 {
			m.stallMaxV = math.Round(m.restV(m.fromPct) + (m.topV()-m.restV(m.fromPct))*m.between(0.3, 0.9))
		}
	}},
}

// model is one session's car, stall and day.
type model struct {
	rng *rand.Rand

	capacityKWh, cells, ohm, peakKW, carA float64
	bendPct, endShare                     float64 // where the taper begins, and what is left of the peak at 100 %
	iron                                  bool
	steps                                 []float64
	stepShare, timerS, timerShare         float64
	warmC, hotC, cooling, cold, warm      float64 // warm: how much warmer the warmest cell is
	converterKW                           float64

	stallKW, stallA, stallMaxV, adapterA, sharedKW    float64
	neighbourOn, neighbourS, cableHotS                float64
	faultS, faultShare                                float64 // faultS 0: from the start
	fromPct, toPct, replugPct, handshakeS, rampKWPerS float64
	requested                                         bool
	pauseAt, pauseS                                   float64 // the power is gone for a while, the plug stays in

	label float64 // what the stall gives of its label
}

func (m *model) between(a, b float64) float64 { return a + (b-a)*m.rng.Float64() }

func newModel(rng *rand.Rand) *model {
	m := &model{rng: rng, label: 1}
	m.capacityKWh, m.cells = m.between(45, 95), []float64{96, 96, 102, 108}[rng.IntN(4)]
	m.peakKW = m.capacityKWh * m.between(1.4, 2.4)
	m.ohm = m.between(0.06, 0.1) * m.cells / 96 * 60 / m.capacityKWh
	m.carA = 600
	if rng.Float64() < 0.3 {
		m.carA = m.peakKW * 1000 / (m.cells * 3.75) * m.between(0.8, 0.98)
	}
	m.bendPct, m.endShare = m.between(28, 60), m.between(0.08, 0.2)
	if m.iron = rng.Float64() < 0.25; m.iron {
		m.ohm *= 0.6
	}
	m.warmC, m.hotC, m.cooling = m.between(20, 28), 55, m.between(4, 8)
	m.cold, m.warm = m.between(28, 33), m.between(1, 4)
	m.stallKW, m.stallA, m.stallMaxV, m.adapterA = 300, 500, 920, math.Inf(1)
	m.sharedKW, m.cableHotS, m.timerS = 0, math.Inf(1), math.Inf(1)
	m.fromPct, m.toPct = m.between(5, 14), m.between(78, 88)
	m.handshakeS, m.rampKWPerS = m.between(8, 40), m.between(2, 9)
	m.faultShare, m.faultS, m.stepShare = 1, 0, 1
	if rng.Float64() < 0.08 {
		m.pauseAt, m.pauseS = m.between(400, 900), m.between(20, 90)
	}
	return m
}

// restV is the pack's voltage at rest: nickel climbs by a bent line, iron phosphate hardly.
func (m *model) restV(soc float64) float64 {
	x := soc / 100
	if m.iron {
		return m.cells * (3.17 + 0.13*math.Min(1, x/0.15) + 0.04*x + 0.06*math.Pow(x, 12))
	}
	return m.cells * (3.35 + 0.62*x + 0.12*x*x + 0.1*(1-math.Exp(-x/0.05)))
}

func (m *model) topV() float64 {
	if m.iron {
		return m.cells * 3.6
	}
	return m.cells * 4.2
}

// taperKW is what the warm pack takes, and whether a stair is what makes it take so much.
func (m *model) taperKW(soc float64) (kw float64, stair bool) {
	kw = m.peakKW
	if len(m.steps) > 0 {
		for _, s := range m.steps {
			if soc >= s {
				kw, stair = kw*m.stepShare, true
			}
		}
	}
	if over := soc - m.bendPct; over > 0 {
		line := m.peakKW * (1 - (1-m.endShare)*over/(100-m.bendPct))
		if line < kw {
			return line, false
		}
	}
	return kw, stair
}

// ceilingOf is one limit at one second, as a current into the pack.
type ceilingOf struct {
	cause limit.Cause
	amps  float64
}

// amps is the current at which the terminals take so much.
func amps(kw, rest, ohm float64) float64 {
	return (math.Sqrt(rest*rest+4*ohm*kw*1000) - rest) / (2 * ohm)
}

// play runs the session second by second.
func (m *model) play() (seconds []second, car, stall *trace.Recording, marks []run.Mark) {
	car, stall = m.blank(trace.CarSide), m.blank(trace.StallSide)
	soc, cold, warm, inlet, ambient := m.fromPct, m.cold, m.cold+m.warm, 15.0, m.between(-2, 24)
	plugged, first, now, ramping := 0.0, math.NaN(), 0.0, true
	hot, cableHot, energy, offUntil := false, false, 0.0, -1.0
	cabinetOn := false
	marks = append(marks, run.Mark{TS: 0, Kind: run.PlugIn})
	// It ends when power has fallen off for good, which it has not while it pauses.
	ended := func(t float64) bool {
		return now < 4 && t > 300+plugged && (m.pauseS == 0 || t < m.pauseAt || t > m.pauseAt+m.pauseS+5)
	}
	for t := 0.0; t < 9000 && soc < m.toPct && !ended(t); t++ {
		rest := m.restV(soc)
		if m.replugPct > 0 && soc >= m.replugPct && offUntil < 0 {
			offUntil = t + 45
			marks = append(marks, run.Mark{TS: t, Kind: run.Unplug}, run.Mark{TS: offUntil, Kind: run.PlugIn})
			plugged, first, now, ramping = offUntil, math.NaN(), 0, true
		}
		if t < offUntil {
			continue
		}
		kw, stair := m.taperKW(soc)
		why := limit.PackTaper
		if stair {
			why = limit.SoCStep
		}
		share := 1.0
		if cold < m.warmC {
			share = math.Max(0.08, 1-0.045*(m.warmC-cold))
		}
		if share < 1 {
			kw, why = kw*share, limit.Cold
		}
		if warm > m.hotC {
			hot = true
		} else if warm < m.hotC-3 {
			hot = false
		}
		if hot && 0.6 < share {
			kw, why = kw*0.6, limit.Hot
		}
		if t-first >= m.timerS-m.handshakeS && m.timerShare < share {
			kw, why = kw*m.timerShare, limit.TimerStep
		}
		list := []ceilingOf{{why, amps(kw, rest, m.ohm)}, {limit.CarCurrent, m.carA},
			{limit.CarPower, amps(m.peakKW, rest, m.ohm)}}
		wants := math.Min(list[0].amps, math.Min(m.carA, list[2].amps))
		loss, aux := 0.012, 0.5
		at := func(plugKW float64) float64 { return amps(math.Max(0, plugKW*0.985-aux), rest, m.ohm) }
		if m.converterKW > 0 {
			list = append(list, ceilingOf{limit.CarConverter, amps(m.converterKW*0.97, rest, m.ohm)})
			list = append(list, ceilingOf{limit.StallCurrent, amps(m.stallA*m.label*rest/2/1000, rest, m.ohm)})
		} else {
			given := m.stallA * m.label
			if t >= m.cableHotS && !cableHot {
				cableHot = true
			}
			if inlet += (30 + 1.6e-4*now*now - inlet) / 400; t >= m.cableHotS-240 {
				inlet += 0.13
			}
			if inlet = math.Min(inlet, 88); cableHot {
				list = append(list, ceilingOf{limit.CableHot, given * 0.55})
			}
			list = append(list, ceilingOf{limit.StallCurrent, given}, ceilingOf{limit.AdapterCurrent, m.adapterA})
		}
		list = append(list, ceilingOf{limit.StallPower, at(m.stallKW * m.label)})
		cabinet := m.neighbourS > 0 && t >= m.neighbourOn && t < m.neighbourOn+m.neighbourS
		if cabinet != cabinetOn {
			cabinetOn = cabinet
			if m.rng.Float64() < 0.7 {
				marks = append(marks, run.Mark{TS: t + 3, Kind: run.Neighbour})
			}
			ramping = ramping || !cabinet
		}
		if cabinet {
			list = append(list, ceilingOf{limit.SharedCabinet, at(m.sharedKW / 2)})
		}
		if m.faultShare < 1 && t >= m.faultS {
			list = append(list, ceilingOf{limit.StallFault, at(m.faultShare * m.peakKW)})
		}
		top, whose := m.topV(), limit.Finish
		if m.converterKW == 0 && m.stallMaxV < top {
			top, whose = m.stallMaxV, limit.StallVoltage
		}
		list = append(list, ceilingOf{whose, math.Max(0, (top-rest)/m.ohm)})
		low := math.Inf(1)
		for _, c := range list {
			low = math.Min(low, c.amps)
		}
		var causes []limit.Cause
		for _, c := range list {
			if c.amps <= low*1.01 {
				causes = append(causes, c.cause)
			}
		}
		pause := m.pauseS > 0 && t >= m.pauseAt && t < m.pauseAt+m.pauseS
		switch {
		case pause && !math.IsNaN(first):
			now, ramping, causes = 0, true, []limit.Cause{limit.Paused}
		case t-plugged < m.handshakeS:
			now, causes = 0, []limit.Cause{limit.Ramp}
		case ramping && low > now+m.rampKWPerS*1000/rest:
			now, causes = now+m.rampKWPerS*1000/rest, []limit.Cause{limit.Ramp}
		default:
			ramping, now = false, low
		}
		if now > 0 && math.IsNaN(first) {
			first = t
		}
		volts := rest + now*m.ohm
		packKW := volts * now / 1000
		plugKW := packKW + loss*packKW + aux
		if m.converterKW > 0 {
			plugKW = packKW/0.97 + aux
		}
		if now == 0 {
			plugKW = 0
		}
		energy += plugKW / 3600
		seconds = append(seconds, second{t, causes, soc, plugKW})
		plugA, plugV := plugKW*1000/volts, volts
		if m.converterKW > 0 {
			plugV = rest / 2
			plugA = plugKW * 1000 / plugV
		}
		ask := wants
		if math.IsNaN(first) {
			ask = 0
		}
		askKW := (rest + ask*m.ohm) * ask / 1000
		put(car, t, soc, packKW, now, volts, cold, warm, inlet, askKW, ambient)
		put(stall, t, soc, plugKW, plugA, plugV, math.NaN(), math.NaN(), math.NaN(), askKW*(1+loss)+aux, math.NaN())
		stall.Columns[trace.Energy] = append(stall.Columns[trace.Energy], energy)
		soc += packKW / m.capacityKWh / 36 * rest / volts
		joule := now * now * m.ohm / 1000
		mass := m.capacityKWh * 6.2
		heater := 0.0
		if cold < m.warmC {
			heater = 5
		}
		cool := 0.0
		if warm > 30 {
			cool = m.cooling * math.Min(1, (warm-30)/10)
		}
		cold += ((joule+heater)*0.9 - cool) / mass * (1 - 0.02)
		warm += ((joule+heater)*1.05 - cool - 0.02*(warm-cold)) / mass
	}
	return seconds, car, stall, marks
}

func (m *model) blank(side trace.Side) *trace.Recording {
	return &trace.Recording{Name: string(side) + ".csv", Side: side, Columns: map[trace.Channel][]float64{}}
}

var shown = []trace.Channel{trace.SoC, trace.Power, trace.Current, trace.Voltage, trace.BatteryTempMin,
	trace.BatteryTempMax, trace.InletTemp, trace.RequestedPower, trace.AmbientTemp}

func put(r *trace.Recording, t float64, values ...float64) {
	r.T = append(r.T, t)
	for i, c := range shown {
		r.Columns[c] = append(r.Columns[c], values[i])
	}
}

// without leaves channels out of a recording.
func without(r *trace.Recording, channels ...trace.Channel) {
	for _, c := range channels {
		delete(r.Columns, c)
	}
}

// keep leaves only some readings.
func keep(r *trace.Recording, rows []int) {
	pick := func(col []float64) []float64 {
		out := make([]float64, len(rows))
		for i, j := range rows {
			out[i] = col[j]
		}
		return out
	}
	r.T = pick(r.T)
	for c, col := range r.Columns {
		r.Columns[c] = pick(col)
	}
}

func round(r *trace.Recording, c trace.Channel, step float64) {
	for i, v := range r.Columns[c] {
		r.Columns[c][i] = math.Round(v/step) * step
	}
}

// postsAlone leaves what a tester types who looks up at each ten per cent: the car's charge and power.
func postsAlone(r *run.Run) {
	r.Recordings = slices.DeleteFunc(r.Recordings, func(rec *trace.Recording) bool {
		return rec.Columns[trace.SoC] == nil
	})
	for _, rec := range r.Recordings {
		var rows []int
		last := math.Floor(rec.Columns[trace.SoC][0] / 10)
		for i, soc := range rec.Columns[trace.SoC] {
			if math.Floor(soc/10) > last {
				rows, last = append(rows, i), math.Floor(soc/10)
			}
		}
		keep(rec, rows)
		for c := range rec.Columns {
			if c != trace.SoC && c != trace.Power {
				delete(rec.Columns, c)
			}
		}
		round(rec, trace.Power, 1)
		round(rec, trace.SoC, 1)
	}
}

// wobble makes amps, volts and power swing by a share, slowly and quickly.
func (m *model) wobble(r *trace.Recording, share float64) {
	slow := 0.0
	for i := range r.T {
		slow = 0.93*slow + 0.37*m.rng.NormFloat64()
		by := 1 + share*(0.7*slow+0.7*m.rng.NormFloat64())
		for _, c := range []trace.Channel{trace.Power, trace.Current} {
			if col := r.Columns[c]; col != nil {
				col[i] *= by
			}
		}
		if col := r.Columns[trace.Voltage]; col != nil {
			col[i] += 0.15 * m.rng.NormFloat64()
		}
	}
}

// Rough says how a log lies, and what is left out of it; nothing set is a clean one.
type Rough struct {
	wobble, label                                                      bool
	noRatings, noEnvelope, noTemps, noAmps, noRequested, noSoCDecimals bool
	carOnly, stallOnly, typed, posts, noSoC                            bool
}

// session makes one labelled run: of a seed always the same.
func session(seed uint64, rough Rough) labelled {
	rng := rand.New(rand.NewPCG(seed, 12))
	f := families[seed%uint64(len(families))]
	m := newModel(rng)
	f.make(m)
	if rough.label {
		m.label = 1 - m.between(0.03, 0.14)
	}
	seconds, car, stall, marks := m.play()
	if !m.requested && rng.Float64() < 0.5 || rough.noRequested {
		without(car, trace.RequestedPower)
		without(stall, trace.RequestedPower)
	} else {
		without(car, trace.RequestedPower)
	}
	without(stall, trace.SoC, trace.BatteryTempMin, trace.BatteryTempMax, trace.InletTemp, trace.AmbientTemp)
	if rough.wobble {
		m.wobble(car, 0.005)
		m.wobble(stall, 0.005)
		round(stall, trace.Power, 1)
		round(car, trace.SoC, 1)
		round(car, trace.BatteryTempMin, 0.5)
		round(car, trace.BatteryTempMax, 0.5)
		var rows []int
		for i := 0; i < len(car.T); i += 1 + rng.IntN(4) {
			rows = append(rows, i)
		}
		keep(car, rows)
	} else {
		m.wobble(car, 0.001)
		m.wobble(stall, 0.001)
		round(car, trace.SoC, 0.1)
	}
	if rough.noSoCDecimals {
		round(car, trace.SoC, 1)
	}
	if rough.noSoC {
		without(car, trace.SoC)
	}
	if rough.noTemps {
		without(car, trace.BatteryTempMin, trace.BatteryTempMax, trace.InletTemp)
	}
	if rough.noAmps {
		for _, r := range []*trace.Recording{car, stall} {
			without(r, trace.Current, trace.Voltage)
		}
	}
	return labelled{m.written(rough, seconds, car, stall, marks), seconds}
}

// written is the run as a tester would write it down.
func (m *model) written(rough Rough, seconds []second, car, stall *trace.Recording, marks []run.Mark) *run.Run {
	r := &run.Run{Title: "gallery", Marks: marks, Recordings: []*trace.Recording{car, stall}}
	r.Car = &run.Car{Chemistry: "NMC", UsableKWh: run.N(math.Round(m.capacityKWh)), CellsInSeries: run.N(m.cells),
		PackMaxV: run.N(m.topV()), MaxKW: run.N(math.Round(m.peakKW)), WarmC: run.N(math.Round(m.warmC))}
	if m.iron {
		r.Car.Chemistry = "LFP"
	}
	if m.carA < 600 {
		r.Car.MaxA = run.N(math.Round(m.carA))
	}
	if m.converterKW > 0 {
		r.Car.ConverterKW = run.N(math.Round(m.converterKW))
	}
	if !rough.noEnvelope {
		for soc := 0.0; soc <= 100; soc += 5 {
			kw, _ := m.taperKW(soc - 0.01)
			r.Car.Envelope = append(r.Car.Envelope, run.Point{SoCPct: soc, KW: kw})
			if slices.Contains(m.steps, soc) {
				kw, _ = m.taperKW(soc + 0.5)
				r.Car.Envelope = append(r.Car.Envelope, run.Point{SoCPct: soc + 0.1, KW: kw})
			}
		}
	}
	r.Stall = &run.Stall{RatedKW: run.N(m.stallKW), MaxA: run.N(m.stallA), MaxV: run.N(m.stallMaxV)}
	if m.sharedKW > 0 {
		r.Stall.SharedKW = run.N(m.sharedKW)
	}
	if !math.IsInf(m.adapterA, 1) {
		r.Adapter = &run.Adapter{Name: "adapter", MaxA: run.N(m.adapterA)}
	}
	if rough.noRatings {
		r.Stall, r.Adapter = nil, nil
		r.Car.MaxKW, r.Car.MaxA = nil, nil
	}
	switch {
	case rough.carOnly:
		r.Recordings = r.Recordings[:1]
	case rough.stallOnly:
		r.Recordings = r.Recordings[1:]
		stall.Columns[trace.SoC] = make([]float64, len(stall.T))
		for i, t := range stall.T {
			stall.Columns[trace.SoC][i] = math.NaN()
			for _, s := range seconds {
				if s.t == t {
					stall.Columns[trace.SoC][i] = math.Round(s.soc)
					break
				}
			}
		}
	case rough.typed:
		r.Recordings = r.Recordings[:1]
		var rows []int
		last := math.Inf(-1)
		for i, t := range car.T {
			if t-last > 100+80*m.rng.Float64() {
				rows, last = append(rows, i), t
			}
		}
		keep(car, rows)
		without(car, trace.Current, trace.Voltage, trace.InletTemp)
		round(car, trace.Power, 1)
		round(car, trace.SoC, 1)
	case rough.posts:
		postsAlone(r)
	}
	return r
}
