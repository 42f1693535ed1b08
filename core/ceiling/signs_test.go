package ceiling_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/ceiling"
	"zincroad/core/run"
	"zincroad/core/trace"
)

var n = run.N

// session is what a car of 75 kWh and 96 nickel cells would log at a stall of 150 kW and 350 A, one
// reading a second after a ramp of 30 s: amps and volts against seconds and state of charge, as
// each test wants them.
type session struct {
	seconds int
	amps    func(t, volts float64) float64
	volts   func(t float64) float64
	coldest func(t float64) float64
	warmest func(t float64) float64
	inlet   func(t float64) float64
	asked   func(kw, t float64) float64
	fromPct float64
	marks   []run.Mark
	car     func(*run.Car)
	stall   *run.Stall
	adapter *run.Adapter
}

func rising(from, perMin float64) func(float64) float64 {
	return func(t float64) float64 { return from + perMin*t/60 }
}

func always(v float64) func(float64) float64 { return func(float64) float64 { return v } }

// judge logs the session and judges it.
func (s session) judge(t *testing.T) []ceiling.Stretch {
	t.Helper()
	car := &run.Car{
		Chemistry:     "NMC",
		UsableKWh:     n(75),
		CellsInSeries: n(96),
		PackMaxV:      n(403),
		MaxKW:         n(200),
		MaxA:          n(520),
		WarmC:         n(25),
		Envelope:      []run.Point{{SoCPct: 0, KW: 196}, {SoCPct: 55, KW: 196}, {SoCPct: 100, KW: 16}},
	}
	if s.car != nil {
		s.car(car)
	}
	l := &ceiling.Log{OfCar: car, OfStall: s.stall, Adapter: s.adapter, Marks: s.marks}
	if l.OfStall == nil {
		l.OfStall = &run.Stall{RatedKW: n(150), MaxA: n(350), MaxV: n(920)}
	}
	if s.volts == nil {
		s.volts = rising(352, 1.6)
	}
	if s.coldest == nil {
		s.coldest = always(30)
	}
	soc := s.fromPct
	put := func(into *trace.Series, at, v float64) { into.T, into.V = append(into.T, at), append(into.V, v) }
	for i := range s.seconds {
		at := float64(i)
		volts := s.volts(at)
		amps := s.amps(at, volts)
		if at < 40 {
			amps = min(amps, max(0, at-9)*15)
		}
		if at < 10 {
			amps = 0
		}
		kw := amps * volts / 1000
		put(&l.Car.Amps, at, amps)
		put(&l.Car.Volts, at, volts)
		put(&l.Car.KW, at, kw)
		put(&l.SoC, at, soc)
		put(&l.ColdestC, at, s.coldest(at))
		if s.warmest != nil {
			put(&l.WarmestC, at, s.warmest(at))
		}
		if s.inlet != nil {
			put(&l.InletC, at, s.inlet(at))
		}
		if s.asked != nil && kw > 1 {
			put(&l.Car.RequestedKW, at, s.asked(kw, at))
		}
		soc += kw / 75 / 36
	}
	l.Legs = []ceiling.Leg{{PlugInS: 0, FirstS: 10, ToS: float64(s.seconds)}}
	return ceiling.Judge(l).Stretches
}

// at is the stretch that covers a time.
func at(t *testing.T, list []ceiling.Stretch, seconds float64) ceiling.Stretch {
	t.Helper()
	for _, s := range list {
		if s.FromS <= seconds && seconds < s.ToS {
			return s
		}
	}
	require.Fail(t, "no stretch", "at %g s: %v", seconds, list)
	return ceiling.Stretch{}
}

// level keeps amps, or power, where they are.
func levelA(a float64) func(t, v float64) float64 { return func(_, _ float64) float64 { return a } }
func levelKW(p float64) func(t, v float64) float64 {
	return func(_, v float64) float64 { return p * 1000 / v }
}

// envelopeKW is what the session's pack takes warm.
func envelopeKW(soc float64) float64 {
	if soc <= 55 {
		return 196
	}
	return 196 - 4*(soc-55)
}

// Every sign that practitioners go by (common practice, no source), each with a near miss that must
// not be taken for it.
func TestSigns(t *testing.T) {
	taper := func(from float64) func(t, v float64) float64 {
		soc := from
		return func(_, v float64) float64 {
			kw := envelopeKW(soc)
			soc += kw / 75 / 36
			return kw * 1000 / v
		}
	}
	for _, tt := range []struct {
		name  string
		s     session
		when  float64
		want  ceiling.Cause
		never []ceiling.Cause
	}{
		{"amps level at the stall's rating, kW creeping", session{seconds: 900, fromPct: 10, amps: levelA(350)}, 500,
			ceiling.StallCurrent, nil},
		{"near miss: amps level at the car's rating", session{seconds: 900, fromPct: 10, amps: levelA(170),
			car: func(c *run.Car) { c.MaxA = n(170) }}, 500, ceiling.CarCurrent, nil},
		{"near miss: amps level at the adapter's", session{seconds: 900, fromPct: 10, amps: levelA(200),
			adapter: &run.Adapter{MaxA: n(200)}}, 500, ceiling.AdapterCurrent, nil},
		{"kW level while volts rise and amps fall", session{seconds: 900, fromPct: 10, amps: levelKW(147),
			stall: &run.Stall{RatedKW: n(150), MaxA: n(500)}}, 500, ceiling.StallPower, nil},
		{"near miss: kW level at the car's limit", session{seconds: 900, fromPct: 10, amps: levelKW(77),
			car: func(c *run.Car) { c.MaxKW = n(77) }}, 500, ceiling.CarPower, nil},
		{"kW level at the converter's", session{seconds: 900, fromPct: 10, amps: levelKW(108), volts: rising(690, 3),
			car: func(c *run.Car) {
				c.CellsInSeries, c.PackMaxV, c.ConverterKW = n(192), n(806), n(111)
			}, stall: &run.Stall{RatedKW: n(150), MaxA: n(500), MaxV: n(500)}}, 500, ceiling.CarConverter, nil},
		{"near miss: the same level at a stall of 920 V", session{seconds: 900, fromPct: 10, amps: levelKW(108),
			volts: rising(690, 3), car: func(c *run.Car) {
				c.CellsInSeries, c.PackMaxV, c.ConverterKW = n(192), n(806), n(111)
			}, stall: &run.Stall{RatedKW: n(110), MaxA: n(500), MaxV: n(920)}}, 500, ceiling.StallPower,
			[]ceiling.Cause{ceiling.CarConverter}},
		{"power falls with the envelope", session{seconds: 700, fromPct: 58, amps: taper(58), volts: rising(380, 1),
			stall: &run.Stall{RatedKW: n(350), MaxA: n(600)}}, 400, ceiling.PackTaper, nil},
		{"volts stand at the pack's top, amps decay", session{seconds: 900, fromPct: 80, amps: func(t, _ float64) float64 {
			return 150 * math.Exp(-max(0, t-200)/500)
		}, volts: func(t float64) float64 { return min(403, 395+8*t/200) }}, 600, ceiling.Finish, nil},
		{"near miss: volts stand at the stall's top", session{seconds: 900, fromPct: 50,
			amps:  func(t, _ float64) float64 { return 150 * math.Exp(-max(0, t-200)/500) },
			volts: func(t float64) float64 { return min(390, 382+8*t/200) },
			stall: &run.Stall{RatedKW: n(350), MaxA: n(600), MaxV: n(390)}}, 600, ceiling.StallVoltage,
			[]ceiling.Cause{ceiling.Finish}},
		{"low power that climbs with the coldest cell", session{seconds: 900, fromPct: 10, coldest: rising(8, 0.8),
			amps: func(t, v float64) float64 { return (50 + 70*t/900) * 1000 / v }}, 500, ceiling.Cold, nil},
		{"near miss: kW that creeps with the volts in a warm pack", session{seconds: 900, fromPct: 10,
			coldest: rising(27, 0.3), amps: levelA(350)}, 500, ceiling.StallCurrent, []ceiling.Cause{ceiling.Cold}},
		{"a drop at a hot pack that comes back and drops again", session{seconds: 1200, fromPct: 10,
			coldest: always(46), warmest: rising(47, 0.2), amps: func(t, v float64) float64 {
				if int(t/200)%2 == 1 {
					return 95 * 1000 / v
				}
				return 149 * 1000 / v
			}}, 300, ceiling.Hot, nil},
		{"near miss: the same drop in a pack of 30 °C, once", session{seconds: 1200, fromPct: 10, coldest: always(30),
			warmest: always(32), amps: func(t, v float64) float64 {
				if t > 313 {
					return 95 * 1000 / v
				}
				return 149 * 1000 / v
			}}, 600, "", []ceiling.Cause{ceiling.Hot, ceiling.Cold}},
		{"delivered clearly under requested", session{seconds: 900, fromPct: 10, amps: levelKW(70),
			asked: func(_, _ float64) float64 { return 140 }}, 500, ceiling.StallFault, nil},
		{"near miss: all that is requested flows", session{seconds: 900, fromPct: 10, amps: levelKW(147),
			asked: func(kw, _ float64) float64 { return kw * 1.01 }, stall: &run.Stall{RatedKW: n(350), MaxA: n(600)},
			car: func(c *run.Car) { c.MaxKW = n(147) }}, 500, ceiling.CarPower, []ceiling.Cause{ceiling.StallFault}},
		{"half of a cabinet while a neighbour is there", session{seconds: 900, fromPct: 10,
			marks: []run.Mark{{TS: 302, Kind: run.Neighbour}}, stall: &run.Stall{RatedKW: n(150), MaxA: n(500), SharedKW: n(150)},
			amps: func(t, v float64) float64 {
				if t > 300 && t < 700 {
					return 75 * 1000 / v
				}
				return 147 * 1000 / v
			}}, 500, ceiling.SharedCabinet, nil},
		{"a warm inlet, and amps that fall to a level", session{seconds: 900, fromPct: 10, inlet: rising(40, 4),
			amps: func(t, _ float64) float64 {
				if t > 500 {
					return 190
				}
				return 350
			}}, 700, ceiling.CableHot, []ceiling.Cause{ceiling.StallFault}},
		{"near miss: the same with a cool inlet", session{seconds: 900, fromPct: 10, inlet: always(31),
			amps: func(t, _ float64) float64 {
				if t > 500 {
					return 190
				}
				return 350
			}}, 700, "", []ceiling.Cause{ceiling.CableHot}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got := at(t, tt.s.judge(t), tt.when)
			if tt.want != "" {
				assert.Equal(t, tt.want, got.Cause, "%s: %v, next %s", got.Confidence, got.Evidence, got.RunnerUp)
			}
			for _, c := range tt.never {
				assert.NotEqual(t, c, got.Cause, "%v", got.Evidence)
			}
			assert.NotEmpty(t, got.Evidence, "never without evidence")
			assert.NotEmpty(t, got.What)
		})
	}
}

// A round time after plug-in speaks for a timer, a round state of charge for a step; on such a sign
// alone neither is sure. As long after another plug-in, it is the timer for sure.
func TestTimersAndSteps(t *testing.T) {
	drop := func(fromPct, atS float64) ceiling.Stretch {
		s := session{seconds: 900, fromPct: fromPct, warmest: always(33), amps: func(t, v float64) float64 {
			if t >= atS {
				return 90 * 1000 / v
			}
			return 149 * 1000 / v
		}}
		return at(t, s.judge(t), atS+100)
	}
	// 149 kW into 75 kWh is a point in 18.1 s: from 11.7 % the charge at 300 s is far from any multiple of five.
	got := drop(11.7, 300)
	assert.Equal(t, ceiling.TimerStep, got.Cause, "%v", got.Evidence)
	assert.NotEqual(t, ceiling.Strong, got.Confidence)
	got = drop(10.0+20-310/18.12, 311)
	assert.Equal(t, ceiling.SoCStep, got.Cause, "%v", got.Evidence)
	assert.NotEqual(t, ceiling.Strong, got.Confidence)
}

// Power of nothing for a while, the plug in, is a pause; no leg without power has a cause but the
// stall's voltage where that cannot reach the pack's.
func TestPauses(t *testing.T) {
	s := session{seconds: 900, fromPct: 10, amps: func(t, _ float64) float64 {
		if t > 400 && t < 460 {
			return 0
		}
		return 350
	}}
	list := s.judge(t)
	assert.Equal(t, ceiling.Paused, at(t, list, 430).Cause)
	assert.Equal(t, ceiling.StallCurrent, at(t, list, 700).Cause)
	assert.Equal(t, ceiling.Ramp, at(t, list, 5).Cause, "the handshake is the ramp's")
}
