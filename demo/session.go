package demo

import (
	"math"
	"math/rand/v2"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// session is a small model of a charging session, stepped once a second. It knows
// just enough to make logs that look like a tester's: a pack with a voltage that
// depends on chemistry, charge and current, a power envelope, limits of car and
// stall, a cold pack that warms up, and the habits that testers write about.
type session struct {
	car   run.Car
	stall run.Stall
	seed  uint64

	startPct, stopPct  float64
	batteryC, ambientC float64

	handshakeS   float64
	pauseAtPct   float64 // unplug here and plug in again; 0: never
	pauseS       float64
	timerS       float64 // after this long plugged in the car takes timerShare of its power; 0: never
	timerShare   float64
	neighbourAtS [2]float64 // a neighbour takes half the cabinet between these times
	gentle       bool
	climateKW    float64 // drawn beside charging

	approachMin, approachC float64 // the car's log begins so long before plug-in, with a pack of that temperature

	carEveryS, stallEveryS float64 // time between readings; 0: that side was not logged
	socStep                float64 // resolution of the car's SoC
	temps                  bool    // the car's log has cell temperatures
	gap                    [2]float64
	stallClockS            float64 // by how much the stall's clock is behind the car's
}

// step is the state after one second.
type step struct {
	t, soc, volts, amps, requested float64
	stallKW, energy                float64
	minC, maxC, heater             float64
}

// Cell voltages against state of charge at rest; rounded from what cells of each kind do (common
// practice, no source).
var restVolts = map[string][][2]float64{
	"NMC": {{0, 3.25}, {10, 3.48}, {30, 3.60}, {50, 3.68}, {70, 3.87}, {90, 4.08}, {100, 4.18}},
	"LFP": {{0, 3.00}, {10, 3.20}, {30, 3.28}, {60, 3.30}, {90, 3.34}, {100, 3.45}},
}

func along(points [][2]float64, x float64) float64 {
	for i := 1; i < len(points); i++ {
		if a, b := points[i-1], points[i]; x <= b[0] {
			return a[1] + (b[1]-a[1])*math.Max(0, x-a[0])/(b[0]-a[0])
		}
	}
	return points[len(points)-1][1]
}

// open50 is a pack's voltage at rest when half full.
func open50(rest [][2]float64, cells float64) float64 { return cells * along(rest, 50) }

// simulate steps through the session from plug-in to unplug.
func (s *session) simulate() (steps []step, marks []run.Mark) {
	rest := restVolts[s.car.Chemistry]
	cells, usable := *s.car.CellsInSeries, *s.car.UsableKWh
	envelope := make([][2]float64, len(s.car.Envelope))
	for i, p := range s.car.Envelope {
		envelope[i] = [2]float64{p.SoCPct, p.KW}
	}
	mark := func(t float64, kind, note string) { marks = append(marks, run.Mark{TS: t, Kind: kind, Note: note}) }
	mark(0, run.PlugIn, "")

	// 75 mΩ·Ah a cell (from memory), whatever its size.
	warmOhms := 0.075 * cells / (usable * 1000 / open50(rest, cells))
	st := step{soc: s.startPct, minC: s.batteryC, maxC: s.batteryC + 1.5}
	power, pluggedAt, paused, done := 0.0, 0.0, false, false
	resumeAt, stopAt := math.Inf(1), math.Inf(1)
	heated := false
	day := 1 + 0.008*rand.New(rand.NewPCG(s.seed, 3)).NormFloat64() // no two days are the same
	for t := 0.0; t < 4*3600; t++ {
		open := cells * along(rest, st.soc)
		ohms := warmOhms * (1 + 1.2*math.Max(0, 25-st.minC)/25)
		limit := along(envelope, st.soc) * day
		if s.gentle {
			limit = math.Min(limit*0.78, 0.55**s.car.MaxKW)
		}
		limit *= cold(st.minC, valueOr(s.car.WarmC, 24))
		if s.timerS > 0 && t-pluggedAt-s.handshakeS > s.timerS {
			limit *= s.timerShare
		}
		requested := limit
		volts := open + st.amps*ohms
		limit = math.Min(limit, valueOr(s.car.MaxA, 900)*volts/1000)
		limit = math.Min(limit, valueOr(s.stall.MaxA, 900)*volts/1000)
		if valueOr(s.stall.MaxV, 1000) < volts {
			limit = math.Min(limit, valueOr(s.car.ConverterKW, 0))
		}
		cabinet := *s.stall.RatedKW * 0.985
		if shared := s.neighbourAtS; t >= shared[0] && t < shared[1] {
			cabinet = valueOr(s.stall.SharedKW, cabinet) / 2
		}
		limit = math.Min(limit, cabinet-1-s.climateKW)
		switch {
		case done || t-pluggedAt < s.handshakeS || paused && t < resumeAt:
			limit, power = 0, 0
		default:
			power = math.Min(limit, power+math.Max(3, limit/14))
		}
		st.t, st.requested = t, requested
		st.amps = power * 1000 / volts
		st.volts = open + st.amps*ohms
		st.heater = 0
		if h := valueOr(s.car.HeaterKW, 0); power > 0 &&
			(st.minC < 15 || heated && st.minC < valueOr(s.car.WarmC, 24)-1) &&
			h > 0 {
			st.heater = h
			if !heated {
				heated = true
				mark(t, run.Heater, "battery heater on")
			}
		}
		intoCells := st.amps * open / 1000
		st.soc += intoCells / 3600 / usable * 100
		heat := st.amps*st.amps*ohms/1000 + 0.7*st.heater
		mass := valueOr(s.car.BatteryMassKg, 450)
		warming := heat / (mass * 0.95) // kW over kJ/K
		cooling := math.Max(0, st.maxC-34) * 0.00022
		st.minC += 0.85*warming - 0.6*cooling
		st.maxC += 1.12*warming - cooling
		st.stallKW = 0
		if power > 0 {
			st.stallKW = power + st.amps*st.amps*0.000011 + 0.55 + st.heater + s.climateKW
		}
		st.energy += st.stallKW / 3600
		steps = append(steps, st)

		if s.pauseAtPct > 0 && !paused && st.soc >= s.pauseAtPct {
			paused, resumeAt = true, t+s.pauseS
			pluggedAt = resumeAt
			mark(t, run.Unplug, "")
			mark(resumeAt, run.PlugIn, "same stall, same connector")
		}
		if !done && st.soc >= s.stopPct {
			done, stopAt = true, t+20
			mark(t, run.Stop, "")
			mark(stopAt, run.Unplug, "")
		}
		if t >= stopAt+15 {
			break
		}
	}
	if s.neighbourAtS[1] > 0 {
		mark(s.neighbourAtS[0], run.Neighbour, "another car plugs in beside")
		mark(s.neighbourAtS[1], run.Neighbour, "leaves again")
	}
	return steps, marks
}

// cold is the share of its warm power that a pack takes: half at 13 °C when it
// wants 24 (common practice, no source), a fifth at most near freezing.
func cold(minC, warmC float64) float64 {
	return math.Max(0.12, math.Min(1, 0.5+0.5*(minC-(warmC-11))/11))
}

func valueOr(n run.Number, other float64) float64 {
	if v, ok := run.Known(n); ok {
		return v
	}
	return other
}

// record turns the steps into what the loggers of both sides wrote down.
func (s *session) record(steps []step) []*trace.Recording {
	rng := rand.New(rand.NewPCG(s.seed, 7))
	var out []*trace.Recording
	if s.carEveryS > 0 {
		out = append(out, s.carLog(steps, rng))
	}
	if s.stallEveryS > 0 {
		out = append(out, s.stallLog(steps, rng))
	}
	return out
}

// carLog is what the car's logger would have written: in uneven bursts, with the display's steps
// of charge and the noise of its meters.
func (s *session) carLog(steps []step, rng *rand.Rand) *trace.Recording {
	rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{},
		SoCResolutionPct: s.socStep, PowerTolerancePct: 2}
	next := 0.0
	for _, st := range append(s.approach(), steps...) {
		if st.t < next && st.t >= 0 || s.gap[0] < st.t && st.t < s.gap[1] {
			continue
		}
		next = st.t + s.carEveryS*(0.6+0.8*rng.Float64()) // adapters answer in uneven bursts
		put := appender(rec, st.t)
		put(trace.SoC, math.Floor(st.soc/s.socStep+1e-9)*s.socStep, 2)
		put(trace.Voltage, st.volts+0.15*rng.NormFloat64(), 1)
		amps := st.amps * (1 + 0.0015*rng.NormFloat64())
		if st.t >= 0 {
			amps = math.Max(0, amps)
		}
		put(trace.Current, amps, 1)
		if s.temps {
			put(trace.BatteryTempMin, math.Floor(st.minC*2)/2, 1)
			put(trace.BatteryTempMax, math.Floor(st.maxC*2)/2, 1)
			put(trace.HeaterPower, st.heater, 1)
		}
	}
	return rec
}

// approach is the way to the stall, a step every 10 s: driven at up to 60 kW, the pack warmed by its heater
// and by what it gives.
func (s *session) approach() (steps []step) {
	if s.approachMin == 0 {
		return nil
	}
	rng := rand.New(rand.NewPCG(s.seed, 11))
	volts := open50(restVolts[s.car.Chemistry], *s.car.CellsInSeries)
	way := s.approachMin * 60
	const everyS, averageKW = 10.0, 17.0
	for t := -way; t < -everyS; t += everyS {
		gone := 1 + t/way
		kw := math.Max(-20, averageKW+14*rng.NormFloat64())
		if t > -40 { // parking
			kw = 0.6
		}
		warm := s.approachC + (s.batteryC-s.approachC)*math.Min(1, gone*1.05)
		steps = append(steps, step{
			t: t, soc: s.startPct - t/3600*averageKW/(*s.car.UsableKWh)*100, amps: -kw * 1000 / volts, volts: volts,
			minC: warm, maxC: warm + 1.5 + 2*gone*(1-gone), heater: valueOr(s.car.HeaterKW, 0),
		})
	}
	return steps
}

// stallLog is what the stall's own log would say, every few seconds, by whole per cents.
func (s *session) stallLog(steps []step, rng *rand.Rand) *trace.Recording {
	rec := &trace.Recording{Name: "stall.csv", Side: trace.StallSide, Columns: map[trace.Channel][]float64{}}
	next := 0.0
	for _, st := range steps {
		if st.t < next {
			continue
		}
		next = st.t + s.stallEveryS
		put := appender(rec, st.t-s.stallClockS)
		put(trace.SoC, math.Floor(st.soc), 0)
		put(trace.Power, math.Max(0, st.stallKW*(1+0.002*rng.NormFloat64())), 1)
		put(trace.Energy, st.energy, 2)
		if st.requested > 0 {
			put(trace.RequestedPower, st.requested, 0)
		}
	}
	return rec
}

// appender starts a reading and gives what adds a channel to it, rounded as the
// logger rounds.
func appender(rec *trace.Recording, t float64) func(trace.Channel, float64, int) {
	rec.T = append(rec.T, t)
	return func(c trace.Channel, v float64, decimals int) {
		p := math.Pow(10, float64(decimals))
		rec.Columns[c] = append(rec.Columns[c], math.Round(v*p)/p)
	}
}
