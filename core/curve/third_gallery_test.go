package curve_test

import (
	"math"
	"math/rand/v2"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// The third gallery is of cars that are led by amps: a table of current against charge, times a table of warmth, as a
// battery's own controller has them, with limits that come together as they happen to, stalls that climb and fail in
// ways of their own, and logs of two clocks.

// amped is one such session.
type amped struct {
	*model
	volts, table     []float64 // at rest, per cell, and C, each at every 10 % of charge
	stairs           bool      // the table is one of stairs
	coldFloorC       float64   // where hardly anything is left
	hotFromC, hotToC float64
	hotLeast         float64
	rampKind         int // 0 a line, 1 a bend, 2 a wait half-way
	rampS            float64
	modules          int // of the stall
	tripS            float64
	tripTo           int
	hotCable         bool
}

func newAmped(seed uint64) *amped {
	rng := rand.New(rand.NewPCG(seed, 4711))
	m := &amped{model: newModel(rng)}
	m.iron = rng.Float64() < 0.25
	m.volts = []float64{3.30, 3.46, 3.55, 3.60, 3.64, 3.70, 3.79, 3.88, 3.97, 4.06, 4.17}
	if m.iron {
		m.volts = []float64{3.05, 3.22, 3.26, 3.28, 3.29, 3.295, 3.30, 3.32, 3.33, 3.335, 3.40}
	}
	top := m.between(1.3, 3.2)
	m.stairs = rng.Float64() < 0.3
	c, bend := top*m.between(0.8, 1), 3+rng.IntN(3)
	for i := range 11 {
		switch {
		case i == 1:
			c = top
		case i >= bend && i < 10:
			c *= m.between(0.72, 0.9)
		case i == 10:
			c *= 0.3
		}
		m.table = append(m.table, c)
	}
	if m.stairs {
		for i := range m.table {
			if i >= bend && (i-bend)%2 == 1 {
				m.table[i] = m.table[i-1]
			}
			if i < bend {
				m.table[i] = top
			}
		}
	}
	m.coldFloorC, m.hotFromC = m.between(-12, -4), m.between(47, 50)
	m.hotToC, m.hotLeast = m.between(54, 58), m.between(0.3, 0.5)
	m.rampKind, m.rampS = rng.IntN(3), m.between(10, 60)
	m.tripS, m.modules = math.Inf(1), 4+2*rng.IntN(3)
	m.stallKW = []float64{50, 100, 150, 200, 300, 400}[rng.IntN(6)]
	m.stallA, m.stallMaxV = []float64{125, 200, 350, 400, 500, 600}[rng.IntN(6)], 1000
	if m.stallKW >= 150 && m.stallA < 300 {
		m.stallA = 500
	}
	if rng.Float64() < 0.35 {
		m.cold = m.between(-3, 20)
	}
	if rng.Float64() < 0.12 {
		m.cold, m.cooling = m.between(38, 44), m.between(0.2, 1)
	}
	if rng.Float64() < 0.12 {
		m.adapterA = math.Round(m.between(12, 30)) * 10
	}
	if rng.Float64() < 0.15 {
		m.cells, m.converterKW, m.stallMaxV = 192, math.Round(m.between(50, 130)), 500
	}
	m.peakKW = math.Inf(1)
	if rng.Float64() < 0.3 {
		m.peakKW = math.Round(top * m.capacityKWh * m.between(0.6, 0.95))
	}
	if m.carA = math.Inf(1); rng.Float64() < 0.25 {
		m.carA = math.Round(top * m.capacityKWh * 1000 / m.cells / 3.7 * m.between(0.6, 0.95))
	}
	switch rng.IntN(8) {
	case 0:
		m.cold, m.cooling = m.warmC+m.between(0.5, 4), 6
		m.timerS, m.timerShare = []float64{120, 160, 180, 300, 600}[rng.IntN(5)], m.between(0.45, 0.75)
		if rng.Float64() < 0.7 {
			m.replugPct = m.between(35, 55)
		}
	case 1:
		m.tripS, m.tripTo = m.between(200, 900), 1+rng.IntN(m.modules/2)
		if rng.Float64() < 0.4 {
			m.tripS = 0
		}
	case 2:
		m.sharedKW, m.neighbourOn, m.neighbourS = m.stallKW, m.between(200, 700), m.between(200, 800)
	case 3:
		m.hotCable, m.stallKW, m.stallA = true, 300, m.between(300, 500)
	case 4:
		m.fromPct, m.toPct = m.between(50, 70), 99
	}
	return m
}

func (m *amped) at(table []float64, soc float64) float64 {
	i := min(9, int(soc/10))
	x := soc/10 - float64(i)
	return table[i] + (table[i+1]-table[i])*x
}

// packA is what the controller allows a warm pack, and whether it is on a stair that is not the first.
func (m *amped) packA(soc float64) (amps float64, stair bool) {
	ah := m.capacityKWh * 1000 / (m.cells * 3.68)
	if m.iron {
		ah = m.capacityKWh * 1000 / (m.cells * 3.29)
	}
	if m.stairs {
		c := m.table[min(10, int(soc/10))]
		return c * ah, c < m.table[0]
	}
	return m.at(m.table, soc) * ah, false
}

// play runs the session.
func (m *amped) play() (seconds []second, car, stall *trace.Recording, marks []run.Mark) {
	car, stall = m.blank(trace.CarSide), m.blank(trace.StallSide)
	soc, cold, warm, inlet, ambient := m.fromPct, m.cold, m.cold+m.warm, 18.0, m.between(-4, 26)
	marks = append(marks, run.Mark{TS: 0, Kind: run.PlugIn})
	plugged, flowing, now, climbing, off, lead := 0.0, math.NaN(), 0.0, true, -1.0, 0.0
	neighbour, derated, first := false, math.Inf(1), -1.0
	for t := 0.0; t < 9500 && soc < m.toPct; t++ {
		if m.replugPct > 0 && soc >= m.replugPct && off < 0 {
			off = t + 60
			marks = append(marks, run.Mark{TS: t, Kind: run.Unplug}, run.Mark{TS: off, Kind: run.PlugIn})
			plugged, flowing, now, climbing = off, math.NaN(), 0, true
		}
		if t < off {
			continue
		}
		rest := m.cells * m.at(m.volts, soc)
		ohm := m.ohm * (1 + 0.02*math.Max(0, 25-cold))
		most, stair := m.packA(soc)
		whose := limit.PackTaper
		if first < 0 {
			first = most
		}
		if stair && most < first*0.99 { // a stair that was gone down
			whose = limit.SoCStep
		}
		chill := math.Min(1, math.Max(0.03, (cold-m.coldFloorC)/(m.warmC-m.coldFloorC)))
		heat := 1 - (1-m.hotLeast)*math.Min(1, math.Max(0, (warm-m.hotFromC)/(m.hotToC-m.hotFromC)))
		timed := 1.0
		if t-plugged >= m.timerS {
			timed = m.timerShare
		}
		switch least := math.Min(math.Min(chill, heat), timed); {
		case least == 1:
		case least == chill:
			most, whose = most*chill, limit.Cold
		case least == heat:
			most, whose = most*heat, limit.Hot
		default:
			most, whose = most*timed, limit.TimerStep
		}
		list := []ceilingOf{{whose, most}, {limit.CarCurrent, m.carA}}
		if !math.IsInf(m.peakKW, 1) {
			list = append(list, ceilingOf{limit.CarPower, amps(m.peakKW, rest, ohm)})
		}
		wants := list[0].amps
		for _, c := range list {
			wants = math.Min(wants, c.amps)
		}
		aux := 0.35 + m.between(0, 0.05)
		if cold < m.warmC-2 {
			aux += 3
		}
		passes := 0.99
		if m.converterKW > 0 {
			passes = 0.965
		}
		plug := func(kw float64) float64 { return amps(math.Max(0, kw*passes-aux), rest, ohm) }
		given, kw := m.stallA*m.label, m.stallKW*m.label
		if m.converterKW > 0 {
			list = append(list, ceilingOf{limit.CarConverter, plug(m.converterKW)},
				ceilingOf{limit.StallCurrent, plug(given * rest / 2 / 1000)})
			wants = math.Min(wants, list[2].amps)
		} else {
			beside := aux * 1000 / rest
			if inlet >= 75 && math.IsInf(derated, 1) {
				derated = t
			}
			if t >= derated {
				left := math.Max(0.55, 1-0.05*math.Floor((t-derated)/20+1))
				list = append(list, ceilingOf{limit.CableHot, given*left - beside})
			}
			list = append(list, ceilingOf{limit.StallCurrent, given - beside},
				ceilingOf{limit.AdapterCurrent, m.adapterA - beside})
		}
		inlet += (ambient + 8 + 2.2e-4*now*now - inlet) / 500
		if m.hotCable {
			inlet += (95*math.Min(1, now/given/0.55) - inlet) / 300
		}
		list = append(list, ceilingOf{limit.StallPower, plug(kw)})
		if beside := m.neighbourS > 0 && t >= m.neighbourOn && t < m.neighbourOn+m.neighbourS; beside {
			if !neighbour && m.rng.Float64() < 0.5 {
				marks = append(marks, run.Mark{TS: t + 2, Kind: run.Neighbour})
			}
			neighbour = true
			list = append(list, ceilingOf{limit.SharedCabinet, plug(kw / 2)})
		} else if neighbour {
			neighbour, climbing, flowing, lead = false, true, t, now
		}
		if t >= m.tripS {
			list = append(list, ceilingOf{limit.StallFault, plug(kw * float64(m.tripTo) / float64(m.modules))})
		}
		top, end := m.cells*4.2, limit.Finish
		if m.iron {
			top = m.cells * 3.62
		}
		if m.converterKW == 0 && m.stallMaxV < top {
			top, end = m.stallMaxV, limit.StallVoltage
		}
		list = append(list, ceilingOf{end, math.Max(0, (top-rest)/ohm)})
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
		if t-plugged < m.handshakeS {
			now, causes = 0, []limit.Cause{limit.Ramp}
		} else {
			if math.IsNaN(flowing) {
				flowing, lead = t, 0
			}
			up := math.Inf(1)
			if s := t - flowing; climbing {
				full := math.Min(m.stallA, m.stallKW*1000/rest)
				switch m.rampKind {
				case 0:
					up = full * s / m.rampS
				case 1:
					up = full * 1.02 * (1 - math.Exp(-3.5*s/m.rampS))
				default:
					up = 30 + full*math.Max(0, s-m.rampS/3)/(m.rampS*2/3)
				}
				up = math.Max(up, 4) + lead
			}
			if up < low {
				now, causes = up, []limit.Cause{limit.Ramp}
			} else {
				climbing, now = false, low
			}
		}
		v := rest + now*ohm
		packKW := v * now / 1000
		plugKW, plugV := (packKW+aux)/passes, v
		if m.converterKW > 0 {
			plugV = rest / 2
		}
		if now == 0 {
			plugKW = 0
		}
		askA := wants
		if now == 0 {
			askA = 0
		}
		ask := ((rest+askA*ohm)*askA/1000 + aux) / passes
		seconds = append(seconds, second{t, causes, soc, plugKW})
		put(car, t, soc, packKW, now, v, cold, warm, inlet, math.NaN(), ambient)
		put(stall, t, soc, plugKW, plugKW*1000/plugV, plugV, math.NaN(), math.NaN(), math.NaN(), ask, math.NaN())
		soc += packKW / m.capacityKWh / 36 * rest / v
		joule, mass, heater := now*now*ohm/1000, m.capacityKWh*6, 0.0
		if cold < m.warmC-2 {
			heater = 3
		}
		cool := 0.0
		if warm > 34 {
			cool = m.cooling * math.Min(1, (warm-34)/8)
		}
		cold += (joule*0.9 + heater - cool) / mass
		warm += (joule*1.06 + heater - cool - 0.015*(warm-cold)) / mass
		if now < 2 && t > plugged+400 {
			break
		}
	}
	return seconds, car, stall, marks
}

// thirdSession is one run of the third gallery.
func thirdSession(seed uint64, rough Rough) labelled {
	m := newAmped(seed)
	if rough.label {
		m.label = 1 - m.between(0.03, 0.14)
	}
	seconds, car, stall, marks := m.play()
	without(car, trace.RequestedPower)
	without(stall, trace.SoC, trace.BatteryTempMin, trace.BatteryTempMax, trace.InletTemp, trace.AmbientTemp)
	if rough.noRequested || m.rng.Float64() < 0.5 && m.tripTo == 0 {
		without(stall, trace.RequestedPower)
	}
	if rough.wobble {
		m.wobble(car, 0.005)
		m.wobble(stall, 0.005)
		round(stall, trace.Power, 1)
		round(car, trace.SoC, []float64{0.1, 0.5, 1}[m.rng.IntN(3)])
		round(car, trace.BatteryTempMin, 1)
		round(car, trace.BatteryTempMax, 1)
		every := []int{1, 2, 5}[m.rng.IntN(3)]
		var rows []int
		for i := 0; i < len(car.T); i += 1 + m.rng.IntN(2*every) {
			rows = append(rows, i)
		}
		keep(car, rows)
		rows = nil
		for i, each := 0, []int{1, 2, 5, 10}[m.rng.IntN(4)]; i < len(stall.T); i += each {
			rows = append(rows, i)
		}
		keep(stall, rows)
	} else {
		m.wobble(car, 0.001)
		m.wobble(stall, 0.001)
	}
	if rough.noTemps {
		without(car, trace.BatteryTempMin, trace.BatteryTempMax, trace.InletTemp)
	}
	r := &run.Run{Title: "third", Marks: marks, Recordings: []*trace.Recording{car, stall}}
	r.Car = &run.Car{Chemistry: "NMC", UsableKWh: n(math.Round(m.capacityKWh*10) / 10), CellsInSeries: n(m.cells),
		WarmC: n(math.Round(m.warmC))}
	if m.iron {
		r.Car.Chemistry = "LFP"
		r.Car.PackMaxV = n(m.cells * 3.62)
	}
	if !math.IsInf(m.peakKW, 1) {
		r.Car.MaxKW = n(m.peakKW)
	}
	if !math.IsInf(m.carA, 1) {
		r.Car.MaxA = n(m.carA)
	}
	if m.converterKW > 0 {
		r.Car.ConverterKW = n(m.converterKW)
	}
	if !rough.noEnvelope {
		for soc := 0.0; soc <= 100; soc += 5 {
			for _, s := range []float64{soc - 0.01, soc + 0.1} {
				a, _ := m.packA(math.Min(99.99, math.Max(0, s)))
				kw := math.Round(a*(m.cells*m.at(m.volts, soc)+a*m.ohm)/100) / 10
				if k := len(r.Car.Envelope); k > 0 && (math.Abs(r.Car.Envelope[k-1].KW-kw) < 0.02*kw && s > soc || s > 100) {
					continue
				}
				r.Car.Envelope = append(r.Car.Envelope, run.Point{SoCPct: math.Min(100, math.Max(0, s)), KW: kw})
			}
		}
	}
	r.Stall = &run.Stall{RatedKW: n(m.stallKW), MaxA: n(m.stallA), MaxV: n(m.stallMaxV)}
	if m.sharedKW > 0 {
		r.Stall.SharedKW = n(m.sharedKW)
	}
	if !math.IsInf(m.adapterA, 1) {
		r.Adapter = &run.Adapter{Name: "adapter", MaxA: n(m.adapterA)}
	}
	if rough.noRatings {
		r.Stall, r.Adapter, r.Car.MaxKW, r.Car.MaxA = nil, nil, nil, nil
	}
	if rough.carOnly {
		r.Recordings = r.Recordings[:1]
	}
	return labelled{r, seconds}
}
