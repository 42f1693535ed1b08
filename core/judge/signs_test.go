package judge_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
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
	other   judge.Elsewhere
}

func rising(from, perMin float64) func(float64) float64 {
	return func(t float64) float64 { return from + perMin*t/60 }
}

func always(v float64) func(float64) float64 { return func(float64) float64 { return v } }

// judge logs the session and judges it.
func (s session) judge(t *testing.T) []judge.Stretch {
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
	l := &judge.Log{OfCar: car, OfStall: s.stall, Adapter: s.adapter, Marks: s.marks, Elsewhere: s.other}
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
	l.Legs = []judge.Leg{{PlugInS: 0, FirstS: 10, ToS: float64(s.seconds)}}
	return judge.Judge(l).Stretches
}

// at is the stretch that covers a time.
func at(t *testing.T, list []judge.Stretch, seconds float64) judge.Stretch {
	t.Helper()
	for _, s := range list {
		if s.FromS <= seconds && seconds < s.ToS {
			return s
		}
	}
	require.Fail(t, "no stretch", "at %g s: %v", seconds, list)
	return judge.Stretch{}
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
	// share takes so much of what the warm pack would, which is a share of time.
	share := func(from float64, of func(t float64) float64, warm func(soc float64) float64) func(t, v float64) float64 {
		soc := from
		return func(t, v float64) float64 {
			kw := of(t) * warm(soc)
			soc += kw / 75 / 36
			return kw * 1000 / v
		}
	}
	strong := &run.Stall{RatedKW: n(350), MaxA: n(600), MaxV: n(920)}
	ledBack := func(t float64) float64 { return 1 - 0.08*min(1, max(0, t-600)/300) }
	stairs := func(soc float64) float64 {
		if soc < 40 {
			return 196
		}
		return 140
	}
	withStairs := func(c *run.Car) {
		c.Envelope = []run.Point{{SoCPct: 0, KW: 196}, {SoCPct: 40, KW: 196}, {SoCPct: 40.1, KW: 140}, {SoCPct: 100, KW: 140}}
	}
	for _, tt := range []struct {
		name  string
		s     session
		when  float64
		want  limit.Cause
		never []limit.Cause
	}{
		{"amps level at the stall's rating, kW creeping", session{seconds: 900, fromPct: 10, amps: levelA(350)}, 500,
			limit.StallCurrent, nil},
		{"near miss: amps level at the car's rating", session{seconds: 900, fromPct: 10, amps: levelA(170),
			car: func(c *run.Car) { c.MaxA = n(170) }}, 500, limit.CarCurrent, nil},
		{"near miss: amps level at the adapter's", session{seconds: 900, fromPct: 10, amps: levelA(200),
			adapter: &run.Adapter{MaxA: n(200)}}, 500, limit.AdapterCurrent, nil},
		{"kW level while volts rise and amps fall", session{seconds: 900, fromPct: 10, amps: levelKW(147),
			stall: &run.Stall{RatedKW: n(150), MaxA: n(500)}}, 500, limit.StallPower, nil},
		{"near miss: kW level at the car's limit", session{seconds: 900, fromPct: 10, amps: levelKW(77),
			car: func(c *run.Car) { c.MaxKW = n(77) }}, 500, limit.CarPower, nil},
		{"kW level at the converter's", session{seconds: 900, fromPct: 10, amps: levelKW(108), volts: rising(690, 3),
			car: func(c *run.Car) {
				c.CellsInSeries, c.PackMaxV, c.ConverterKW = n(192), n(806), n(111)
			}, stall: &run.Stall{RatedKW: n(150), MaxA: n(500), MaxV: n(500)}}, 500, limit.CarConverter, nil},
		{"near miss: the same level at a stall of 920 V", session{seconds: 900, fromPct: 10, amps: levelKW(108),
			volts: rising(690, 3), car: func(c *run.Car) {
				c.CellsInSeries, c.PackMaxV, c.ConverterKW = n(192), n(806), n(111)
			}, stall: &run.Stall{RatedKW: n(110), MaxA: n(500), MaxV: n(920)}}, 500, limit.StallPower,
			[]limit.Cause{limit.CarConverter}},
		{"power falls with the envelope", session{seconds: 700, fromPct: 58, amps: taper(58), volts: rising(380, 1),
			stall: &run.Stall{RatedKW: n(350), MaxA: n(600)}}, 400, limit.PackTaper, nil},
		{"volts stand at the pack's top, amps decay", session{seconds: 900, fromPct: 80, amps: func(t, _ float64) float64 {
			return 150 * math.Exp(-max(0, t-200)/500)
		}, volts: func(t float64) float64 { return min(403, 395+8*t/200) }}, 600, limit.Finish, nil},
		{"near miss: volts stand at the stall's top", session{seconds: 900, fromPct: 50,
			amps:  func(t, _ float64) float64 { return 150 * math.Exp(-max(0, t-200)/500) },
			volts: func(t float64) float64 { return min(390, 382+8*t/200) },
			stall: &run.Stall{RatedKW: n(350), MaxA: n(600), MaxV: n(390)}}, 600, limit.StallVoltage,
			[]limit.Cause{limit.Finish}},
		{"low power that climbs with the coldest cell", session{seconds: 900, fromPct: 10, coldest: rising(8, 0.8),
			amps: func(t, v float64) float64 { return (50 + 70*t/900) * 1000 / v }}, 500, limit.Cold, nil},
		{"near miss: kW level while the coldest cell comes up by ten kelvin", session{seconds: 900, fromPct: 10,
			coldest: rising(12, 0.7), amps: levelKW(150), stall: &run.Stall{},
			car: func(c *run.Car) { c.MaxKW, c.MaxA = nil, nil }}, 500, "", []limit.Cause{limit.Cold}},
		{"near miss: kW that creeps with the volts in a warm pack", session{seconds: 900, fromPct: 10,
			coldest: rising(27, 0.3), amps: levelA(350)}, 500, limit.StallCurrent, []limit.Cause{limit.Cold}},
		{"a drop at a hot pack that comes back and drops again", session{seconds: 1200, fromPct: 10,
			coldest: always(46), warmest: rising(47, 0.2), amps: func(t, v float64) float64 {
				if int(t/200)%2 == 1 {
					return 95 * 1000 / v
				}
				return 149 * 1000 / v
			}}, 300, limit.Hot, nil},
		{"near miss: the same drop in a pack of 30 °C, once", session{seconds: 1200, fromPct: 10, coldest: always(30),
			warmest: always(32), amps: func(t, v float64) float64 {
				if t > 313 {
					return 95 * 1000 / v
				}
				return 149 * 1000 / v
			}}, 600, "", []limit.Cause{limit.Hot, limit.Cold}},
		{"delivered clearly under requested", session{seconds: 900, fromPct: 10, amps: levelKW(70),
			asked: func(_, _ float64) float64 { return 140 }}, 500, limit.StallFault, nil},
		{"near miss: all that is requested flows", session{seconds: 900, fromPct: 10, amps: levelKW(147),
			asked: func(kw, _ float64) float64 { return kw * 1.01 }, stall: &run.Stall{RatedKW: n(350), MaxA: n(600)},
			car: func(c *run.Car) { c.MaxKW = n(147) }}, 500, limit.CarPower, []limit.Cause{limit.StallFault}},
		{"half of a cabinet while a neighbour is there", session{seconds: 900, fromPct: 10,
			marks: []run.Mark{{TS: 302, Kind: run.Neighbour}},
			stall: &run.Stall{RatedKW: n(150), MaxA: n(500), SharedKW: n(150)},
			amps: func(t, v float64) float64 {
				if t > 300 && t < 700 {
					return 75 * 1000 / v
				}
				return 147 * 1000 / v
			}}, 500, limit.SharedCabinet, nil},
		{"a warm inlet, and amps that fall to a level", session{seconds: 900, fromPct: 10, inlet: rising(40, 4),
			amps: func(t, _ float64) float64 {
				if t > 500 {
					return 190
				}
				return 350
			}}, 700, limit.CableHot, []limit.Cause{limit.StallFault}},
		{"a pack of 50 °C that takes ever less of what it took", session{seconds: 1400, fromPct: 56, volts: rising(380, 1),
			coldest: rising(43, 0.3), warmest: rising(46, 0.35), amps: share(56, ledBack, envelopeKW), stall: strong}, 1000,
			limit.Hot, nil},
		{"near miss: the same in a pack of 35 °C", session{seconds: 1400, fromPct: 56, volts: rising(380, 1),
			coldest: always(33), warmest: always(35), amps: share(56, ledBack, envelopeKW), stall: strong}, 1000, "",
			[]limit.Cause{limit.Hot}},
		{"a step of the envelope, from level to level", session{seconds: 1100, fromPct: 15, volts: rising(380, 1),
			amps: share(15, always(1), stairs), car: withStairs, stall: strong}, 900, limit.SoCStep, nil},
		{"near miss: the same step at six tenths of it", session{seconds: 1500, fromPct: 15, volts: rising(380, 1),
			amps: share(15, always(0.6), stairs), car: withStairs, stall: strong}, 1300, "",
			[]limit.Cause{limit.SoCStep}},
		{"a warm inlet, and amps that stay where they were until it was", session{seconds: 900, fromPct: 10,
			inlet: rising(28, 4), amps: func(t, _ float64) float64 {
				if t > 700 {
					return 190
				}
				return 250
			}, stall: &run.Stall{RatedKW: n(350), MaxA: n(350)}}, 500, "", []limit.Cause{limit.CableHot}},
		{"a level far under what the car is known to take", session{seconds: 900, fromPct: 10, amps: levelKW(40),
			stall: &run.Stall{RatedKW: n(43)}, car: func(c *run.Car) { c.MaxKW, c.MaxA = nil, nil }}, 500,
			limit.StallPower, nil},
		{"near miss: the same with a cool inlet", session{seconds: 900, fromPct: 10, inlet: always(31),
			amps: func(t, _ float64) float64 {
				if t > 500 {
					return 190
				}
				return 350
			}}, 700, "", []limit.Cause{limit.CableHot}},
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
	drop := func(fromPct, atS float64) judge.Stretch {
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
	assert.Equal(t, limit.TimerStep, got.Cause, "%v", got.Evidence)
	assert.NotEqual(t, say.Strong, got.Confidence)
	got = drop(10.0+20-310/18.12, 311)
	assert.Equal(t, limit.SoCStep, got.Cause, "%v", got.Evidence)
	assert.NotEqual(t, say.Strong, got.Confidence)
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
	assert.Equal(t, limit.Paused, at(t, list, 430).Cause)
	assert.Equal(t, limit.StallCurrent, at(t, list, 700).Cause)
	assert.Equal(t, limit.Ramp, at(t, list, 5).Cause, "the handshake is the ramp's")
}

// Of a car that is known to take 196 kW, a limit of its own at 31 kW that nobody noted is no more than a guess: it may
// as well be the stall, though that is rated for more.
func TestAnUnnotedLimitFarUnderTheEnvelopeIsNotSure(t *testing.T) {
	s := session{seconds: 900, fromPct: 10, amps: levelKW(31), stall: &run.Stall{RatedKW: n(100), MaxA: n(200)},
		car: func(c *run.Car) { c.MaxKW, c.MaxA = nil, nil }}
	got := at(t, s.judge(t), 500)
	assert.NotEqual(t, say.Strong, got.Confidence, "%s: %v", got.Cause, got.Evidence)
	assert.Contains(t, []limit.Cause{got.Cause, got.RunnerUp}, limit.StallFault)
}

// One typed reading of nothing among others of 100 kW, two minutes apart: power was gone, for how long nobody knows.
func TestAPauseBetweenTypedReadings(t *testing.T) {
	l := &judge.Log{OfCar: &run.Car{Chemistry: "NMC", UsableKWh: n(75)}, OfStall: &run.Stall{RatedKW: n(100)},
		Legs: []judge.Leg{{PlugInS: 0, FirstS: 30, ToS: 2000}}}
	for i := range 16 {
		at, kw := 60+120*float64(i), 100.0
		if i == 6 {
			kw = 0
		}
		l.Stall.KW.T, l.Stall.KW.V = append(l.Stall.KW.T, at), append(l.Stall.KW.V, kw)
		l.SoC.T, l.SoC.V = append(l.SoC.T, at), append(l.SoC.V, 10+4*float64(i))
	}
	list := judge.Judge(l).Stretches
	pause := at(t, list, 780)
	assert.Equal(t, limit.Paused, pause.Cause)
	assert.Equal(t, say.Likely, pause.Confidence)
	assert.InDelta(t, 720, pause.FromS, 1e-9, "half-way from the reading before")
	assert.InDelta(t, 840, pause.ToS, 1e-9)
	require.Len(t, pause.Evidence, 1)
	assert.Contains(t, pause.Evidence[0].Kept(), "first 2 min after")
	for i := 1; i < len(list); i++ {
		assert.InDelta(t, list[i-1].ToS, list[i].FromS, 1e-9, "one after the other")
	}
	assert.Equal(t, limit.StallPower, at(t, list, 700).Cause)
	assert.Equal(t, limit.StallPower, at(t, list, 900).Cause)
}

// A pack that warms while it follows its own taper takes a little less than that until it is warm: cold to the minute
// in which its coldest cell comes up to 25 °C, its own pace from there on, though the power is as straight as ever.
func TestColdEndsWhereThePackIsWarm(t *testing.T) {
	soc := 56.0
	s := session{seconds: 1300, fromPct: 56, volts: rising(380, 1), coldest: rising(20, 0.5),
		stall: &run.Stall{RatedKW: n(350), MaxA: n(600), MaxV: n(920)},
		amps: func(t, v float64) float64 {
			kw := envelopeKW(soc) * (1 - 0.03*max(0, 5-0.5*t/60))
			soc += kw / 75 / 36
			return kw * 1000 / v
		}}
	list := s.judge(t)
	cold, warm := at(t, list, 300), at(t, list, 900)
	assert.Equal(t, limit.Cold, cold.Cause, "%v", cold.Evidence)
	assert.Equal(t, limit.PackTaper, warm.Cause, "%v", warm.Evidence)
	assert.InDelta(t, 600, warm.FromS, 60)
}

// Of a car that steps the voltage up, the stall shows half of the pack's: what the car's own amps come to is not half
// as much.
func TestOwnAmpsOfACarWithAConverter(t *testing.T) {
	l := &judge.Log{
		OfCar: &run.Car{Chemistry: "NMC", UsableKWh: n(75), CellsInSeries: n(192), MaxA: n(150), ConverterKW: n(90),
			WarmC: n(25), Envelope: []run.Point{{SoCPct: 0, KW: 220}, {SoCPct: 100, KW: 220}}},
		OfStall: &run.Stall{RatedKW: n(150), MaxA: n(400), MaxV: n(500)},
		Legs:    []judge.Leg{{PlugInS: 0, FirstS: 10, ToS: 900}},
	}
	put := func(into *trace.Series, at, v float64) { into.T, into.V = append(into.T, at), append(into.V, v) }
	for i := range 900 {
		at, kw := float64(i), min(90, max(0, float64(i-10)*5))
		put(&l.Stall.KW, at, kw)
		put(&l.Stall.Volts, at, 350)
		put(&l.Stall.Amps, at, kw*1000/350)
		put(&l.SoC, at, 20+at/30)
	}
	j := judge.Judge(l)
	warm := j.Warm(false)
	require.NotZero(t, warm.Len())
	// 192 cells of 3.6 to 3.9 V under load, times 150 A.
	for _, kw := range warm.V {
		assert.True(t, kw > 102 && kw < 115, "%g kW", kw)
	}
	for _, line := range j.Lines(0, 900) {
		if line.Cause == limit.CarCurrent {
			assert.Greater(t, line.KW[len(line.KW)/2], 102.0)
		}
	}
	assert.Equal(t, limit.CarConverter, at(t, j.Stretches, 500).Cause)
}

// A display in whole kW beside volts and amps with decimals: a level of 43.2 kW that reads 43 and now and then 44 is
// power that is level, by the product of the other two, and not amps that go down in steps.
func TestWholeKWBesideVoltsAndAmps(t *testing.T) {
	l := &judge.Log{OfCar: &run.Car{Chemistry: "NMC", UsableKWh: n(75), CellsInSeries: n(96), WarmC: n(25)},
		Legs: []judge.Leg{{PlugInS: 0, FirstS: 10, ToS: 3000}}}
	r := rand.New(rand.NewPCG(4, 4))
	put := func(into *trace.Series, at, v float64) { into.T, into.V = append(into.T, at), append(into.V, v) }
	for i := range 300 {
		at := float64(i) * 10
		volts := 335 + at*45/3000
		kw := min(43.2, at) * (1 + 0.007*r.NormFloat64())
		put(&l.Stall.KW, at, math.Round(kw))
		put(&l.Stall.Volts, at, volts)
		put(&l.Stall.Amps, at, kw*1000/volts)
		put(&l.SoC, at, 20+at/80)
	}
	s := at(t, judge.Judge(l).Stretches, 1500)
	assert.Equal(t, judge.LevelKW, s.Level, "%s: %v", s.Cause, s.Evidence)
	assert.Greater(t, s.ToS-s.FromS, 2500.0)
}

// What is said is no surer than it is known: the limit, the limit with a word of doubt, whose it was, or neither.
func TestHolderSaysNoMoreThanIsKnown(t *testing.T) {
	for _, tt := range []struct {
		h    judge.Holder
		want string
	}{
		{judge.Holder{What: say.T("judge.stalls", say.Q(150, "kW", 0)), Confidence: say.Strong}, "the stall's 150 kW"},
		{judge.Holder{What: say.Own("a cold pack"), Confidence: say.Likely}, "probably a cold pack"},
		{judge.Holder{What: say.T("judge.stalls", say.Q(150, "kW", 0)), Confidence: say.Unsure, Whose: limit.OfStall,
			WhoseConfidence: say.Strong}, "the stall, perhaps by its 150 kW"},
		{judge.Holder{What: say.T("judge.cars", say.T("judge.own-taper")), Confidence: say.Unsure, Whose: limit.OfCar,
			WhoseConfidence: say.Likely},
			"probably the car, perhaps by its own taper"},
		{judge.Holder{What: say.T("judge.failing-stall"), Confidence: say.Unsure, Whose: limit.OfStall,
			WhoseConfidence: say.Strong}, "the stall, perhaps failing"},
		{judge.Holder{What: say.Own("a cold pack"), Confidence: say.Unsure, Whose: limit.Open,
			WhoseConfidence: say.Unsure},
			"the car or the stall, which of them cannot be told from this log"},
		{judge.Holder{What: say.Own("a limit of 68 kW, the stall's or the car's"), Confidence: say.Unsure, Pair: true,
			Whose: limit.Open}, "a limit of 68 kW, the stall's or the car's"},
	} {
		assert.Equal(t, tt.want, tt.h.Words().Kept())
	}
}

// A stall whose rating nobody noted is not what held a car to 200 A, where it gave another one 300; nor is the car,
// where it took more elsewhere.
func TestWhatWasHadElsewhereSpeaksAgainstALimit(t *testing.T) {
	chance := func(c limit.Cause, other judge.Elsewhere) float64 {
		s := session{seconds: 900, fromPct: 10, amps: levelA(200), stall: &run.Stall{}, other: other,
			car: func(c *run.Car) { c.MaxKW, c.MaxA, c.Envelope = nil, nil, nil }}
		list := s.judge(t)
		for i := range list {
			if list[i].FromS <= 500 && 500 < list[i].ToS {
				return list[i].Chance(c)
			}
		}
		return 0
	}
	assert.Less(t, chance(limit.StallCurrent, judge.Elsewhere{StallMostA: 300}),
		0.6*chance(limit.StallCurrent, judge.Elsewhere{}))
	assert.Less(t, chance(limit.CarCurrent, judge.Elsewhere{Car: &vehicle.Model{MostA: 300}}),
		0.6*chance(limit.CarCurrent, judge.Elsewhere{}))
}
