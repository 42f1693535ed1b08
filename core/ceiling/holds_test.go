package ceiling_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/ceiling"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

var n = run.N

// level is a series of so many readings, one every five seconds up to a time, that goes
// from one value to another.
func level(untilS, from, to float64, count int) trace.Series {
	var s trace.Series
	for i := range count {
		share := float64(i) / float64(count-1)
		s.T = append(s.T, untilS-5*float64(count-1-i))
		s.V = append(s.V, from+(to-from)*share)
	}
	return s
}

// evidence is of a car of 75 kWh at a stall of 150 kW and 350 A, ten minutes after plug-in.
func evidence(change func(*ceiling.Evidence)) ceiling.Evidence {
	e := ceiling.Evidence{NowS: 600, PlugInS: 0, KW: level(600, 80, 80, 19), KWSide: trace.StallSide, SoCPct: 30,
		ColdestC: math.NaN(), WarmestC: math.NaN(),
		Car: &run.Car{Chemistry: "NMC", UsableKWh: n(75), CellsInSeries: n(96), MaxKW: n(200), MaxA: n(520), WarmC: n(25),
			Envelope: []run.Point{{SoCPct: 0, KW: 196}, {SoCPct: 60, KW: 196}, {SoCPct: 100, KW: 14}}},
		Stall: &run.Stall{RatedKW: n(150), MaxA: n(350)}}
	if change != nil {
		change(&e)
	}
	e.Limits, e.Pack = ceiling.LimitsAsNoted(e.Car, e.Stall, nil, ceiling.Assumptions{})
	return e
}

func holds(t *testing.T, change func(*ceiling.Evidence)) ceiling.Holding {
	t.Helper()
	h := ceiling.Holds(evidence(change))
	require.NotNil(t, h)
	return *h
}

// What each limit looks like when it is the only one that could: the level of its rating,
// or what the pack would take.
func TestEachLimitIsKnownByItsLevel(t *testing.T) {
	for want, change := range map[ceiling.Cause]func(*ceiling.Evidence){
		ceiling.Paused:     func(e *ceiling.Evidence) { e.KW = level(600, 0.2, 0.2, 19) },
		ceiling.Ramp:       func(e *ceiling.Evidence) { e.NowS, e.KW = 40, level(40, 5, 90, 7) },
		ceiling.StallPower: func(e *ceiling.Evidence) { e.KW, e.Amps = level(600, 148, 148, 19), level(600, 399, 395, 19) },
		ceiling.StallCurrent: func(e *ceiling.Evidence) {
			e.KW, e.Amps, e.Volts = level(600, 128, 131, 19), level(600, 350, 350, 19), level(600, 366, 374, 19)
		},
		ceiling.PackTaper: func(e *ceiling.Evidence) {
			e.SoCPct, e.KW, e.Amps = 80, level(600, 111, 109.5, 19), level(600, 292, 287, 19)
		},
		ceiling.Cold: func(e *ceiling.Evidence) {
			e.ColdestC = 14 // half of the warm power, by its share
			e.KW, e.Amps = level(600, 97, 102, 19), level(600, 268, 278, 19)
		},
	} {
		h := holds(t, change)
		assert.Equal(t, want, h.Cause, "%s", h.Reason)
		assert.True(t, h.Sure, "%s: %s", want, h.Reason)
	}
}

func TestWithoutPowerThereIsNothingToSay(t *testing.T) {
	assert.Nil(t, ceiling.Holds(evidence(func(e *ceiling.Evidence) { e.KW = trace.Series{} })))
}

// A level that no rating explains is nobody's for sure.
func TestNothingIsSureWithoutAReason(t *testing.T) {
	h := holds(t, func(e *ceiling.Evidence) { e.Amps = level(600, 215, 215, 19) })
	assert.False(t, h.Sure, "%s: %s", h.Cause, h.Reason)
	h = holds(t, func(e *ceiling.Evidence) { e.Car, e.Stall = nil, nil })
	assert.Equal(t, ceiling.Unknown, h.Cause)
}

// A fall that came as long after the plug-in before is the car's timer.
func TestATimerComesAgain(t *testing.T) {
	fall := func(s trace.Series, at float64) trace.Series {
		for ts := at - 60; ts <= at+60; ts += 5 {
			kw := 140.0
			if ts >= at {
				kw = 70
			}
			s.T, s.V = append(s.T, ts), append(s.V, kw)
		}
		return s
	}
	again := func(e *ceiling.Evidence) {
		e.PlugInS, e.EarlierS, e.NowS = 1000, []float64{0}, 1360
		e.KW = fall(fall(trace.Series{}, 300), 1300)
	}
	h := holds(t, again)
	assert.Equal(t, ceiling.TimerStep, h.Cause, h.Reason)
	once := func(e *ceiling.Evidence) { e.NowS, e.KW = 360, fall(trace.Series{}, 300) }
	h = holds(t, once)
	assert.Equal(t, ceiling.Unknown, h.Cause)
	assert.Contains(t, h.Reason, "a replug tells")
}

// Without a capacity there is no pack, and what the stall is rated for still counts.
func TestLimitsAsNoted(t *testing.T) {
	l, p := ceiling.LimitsAsNoted(nil, &run.Stall{RatedKW: n(150)}, nil, ceiling.Assumptions{})
	assert.Nil(t, p)
	assert.Equal(t, 150.0, l.StallKW)
	assert.True(t, math.IsInf(l.StallA, 1))
	l, p = ceiling.LimitsAsNoted(&run.Car{UsableKWh: n(75), MaxKW: n(120)}, nil, nil, ceiling.Assumptions{})
	assert.IsType(t, &pack.Pack{}, p)
	assert.Equal(t, "car, 120 kW", l.Label(ceiling.CarPower))
}
