package follow_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

var n = run.N

func car() *run.Car {
	return &run.Car{
		Chemistry:     "NMC",
		UsableKWh:     n(75),
		CellsInSeries: n(96),
		MaxKW:         n(200),
		MaxA:          n(520),
		BatteryMassKg: n(460),
		HeaterKW:      n(4.4),
		WarmC:         n(25),
		Envelope: []run.Point{
			{SoCPct: 0, KW: 150},
			{SoCPct: 6, KW: 196},
			{SoCPct: 46, KW: 190},
			{SoCPct: 47, KW: 142},
			{SoCPct: 80, KW: 104},
			{SoCPct: 100, KW: 14},
		},
	}
}

func plan(change func(*forecast.Plan)) forecast.Plan {
	p := forecast.Plan{
		Car:      car(),
		Stall:    &run.Stall{RatedKW: n(350), MaxA: n(500), MinV: n(150), MaxV: n(1000)},
		FromPct:  10,
		ToPct:    80,
		Battery:  pack.Nodes{ColdestC: 26, WarmestC: 27},
		AmbientC: 8,
	}
	if change != nil {
		change(&p)
	}
	return p
}

// logged is what the first seconds of a forecast session look like on the stall's
// side with the car's temperatures, plugged in 60 s after the run's start.
func logged(t *testing.T, p forecast.Plan, seconds int) *run.Run {
	t.Helper()
	f, err := forecast.Once(p)
	require.NoError(t, err)
	stall := &trace.Recording{Name: "stall.csv", Side: trace.StallSide, Columns: map[trace.Channel][]float64{}}
	car := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	put := func(r *trace.Recording, c trace.Channel, v float64) { r.Columns[c] = append(r.Columns[c], v) }
	for i := 0; i < seconds && i < len(f.Steps); i += 5 {
		st := f.Steps[i]
		stall.T, car.T = append(stall.T, 60+st.T), append(car.T, 60+st.T)
		put(stall, trace.Power, st.StallKW)
		put(car, trace.SoC, math.Floor(st.SoCPct*10)/10)
		put(car, trace.Current, st.Amps)
		put(car, trace.Voltage, st.PackV)
		put(car, trace.BatteryTempMin, st.Battery.Ordered().ColdestC)
		put(car, trace.BatteryTempMax, st.Battery.Ordered().WarmestC)
	}
	return &run.Run{Recordings: []*trace.Recording{car, stall}, Marks: []run.Mark{{TS: 60, Kind: run.PlugIn}}}
}

func at(t *testing.T, p forecast.Plan, seconds int) *follow.State {
	t.Helper()
	base, err := forecast.Of(p, forecast.DefaultUncertainty)
	require.NoError(t, err)
	return follow.Of(logged(t, p, seconds), p, base, 60+float64(seconds))
}

func TestPhasesByMarks(t *testing.T) {
	mark := func(ts float64, kind string) run.Mark { return run.Mark{TS: ts, Kind: kind} }
	power := func(from, to float64) []*trace.Recording {
		return []*trace.Recording{
			{
				Name:    "s",
				Side:    trace.StallSide,
				T:       []float64{from, to},
				Columns: map[trace.Channel][]float64{trace.Power: {50, 50}},
			},
		}
	}
	for _, tt := range []struct {
		name     string
		marks    []run.Mark
		recs     []*trace.Recording
		want     follow.Phase
		leg      int
		attempts int
		lost     float64
	}{
		{"just there", nil, nil, follow.Arrived, 0, 0, 0},
		{"plugged in", []run.Mark{mark(10, run.PlugIn)}, nil, follow.Waiting, 1, 0, 0},
		{"refused", []run.Mark{mark(10, run.PlugIn), mark(70, run.Attempt)}, nil, follow.Arrived, 0, 1, 990},
		{"refused, then charging", []run.Mark{mark(10, run.PlugIn), mark(70, run.Attempt), mark(300, run.PlugIn)},
			power(330, 900), follow.Charging, 1, 1, 290},
		{"charging", []run.Mark{mark(10, run.PlugIn)}, power(30, 990), follow.Charging, 1, 0, 0},
		{"between legs", []run.Mark{mark(10, run.PlugIn), mark(500, run.Unplug)}, power(30, 490), follow.Between, 1, 0, 0},
		{"plugged in again", []run.Mark{mark(10, run.PlugIn), mark(500, run.Unplug), mark(560, run.PlugIn)},
			power(30, 490), follow.Waiting, 2, 0, 0},
		{"refused, and started again without unplugging", []run.Mark{mark(10, run.PlugIn), mark(40, run.Attempt),
			mark(70, run.Attempt)}, power(100, 990), follow.Charging, 1, 2, 60},
		{"the logger was first", nil, power(30, 990), follow.Charging, 1, 0, 0},
	} {
		t.Run(tt.name, func(t *testing.T) {
			s := follow.Of(&run.Run{Marks: tt.marks, Recordings: tt.recs}, plan(nil), nil, 1000)
			assert.Equal(t, tt.want, s.Phase)
			assert.Equal(t, tt.leg, s.Leg)
			assert.Equal(t, tt.attempts, s.Attempts)
			assert.InDelta(t, tt.lost, s.LostS, 0.01)
		})
	}
}

// A session that goes as forecast raises no alert, and what is expected of the rest
// is what the forecast said, within a minute, whichever part is over.
func TestAsForecast(t *testing.T) {
	p := plan(nil)
	base, err := forecast.Once(p)
	require.NoError(t, err)
	end, ok := base.Post(80)
	require.True(t, ok)
	for _, seconds := range []int{240, 480, 780, 1000} {
		s := at(t, p, seconds)
		require.Equal(t, follow.Charging, s.Phase)
		assert.Nil(t, s.Alert, "%d s", seconds)
		require.NotNil(t, s.End, "%d s", seconds)
		assert.InDelta(t, end.TS, s.End.TS, 0.02*(end.TS-float64(seconds))+1, "%d s", seconds)
		assert.LessOrEqual(t, s.End.LowS-1, end.TS, "%d s", seconds)
		assert.LessOrEqual(t, end.TS, s.End.HighS+1, "%d s", seconds)
		require.NotNil(t, s.Next)
		assert.Greater(t, s.Next.TS, float64(seconds)-10)
	}
}

// What a session is made to be held by is what is seen to hold it.
func TestWhatSeemsToHold(t *testing.T) {
	for _, tt := range []struct {
		name    string
		change  func(*forecast.Plan)
		seconds int
		want    limit.Cause
	}{
		{"stall's amps", func(p *forecast.Plan) { p.Stall = &run.Stall{RatedKW: n(150), MaxA: n(350), MaxV: n(500)} },
			400, limit.StallCurrent},
		{"stall's kW", func(p *forecast.Plan) { p.Stall = &run.Stall{RatedKW: n(90), MaxA: n(400), MaxV: n(920)} }, 500,
			limit.StallPower},
		{"adapter", func(p *forecast.Plan) { p.Adapter = &run.Adapter{Name: "Bobbin", MaxA: n(250), MaxV: n(1000)} },
			400, limit.AdapterCurrent},
		{"car's amps", func(p *forecast.Plan) { p.Car.MaxA = n(170) }, 400, limit.CarCurrent},
		{"car's kW", func(p *forecast.Plan) { p.Car.MaxKW = n(77) }, 600, limit.CarPower},
		{"cold", func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: 8, WarmestC: 8}; p.Car.HeaterKW = nil }, 400,
			limit.Cold},
		{"half of a cabinet", func(p *forecast.Plan) {
			p.Stall = &run.Stall{RatedKW: n(350), MaxA: n(500), MaxV: n(1000), SharedKW: n(180)}
			p.NeighbourOnS, p.NeighbourS = 200, 1000
		}, 500, limit.SharedCabinet},
		{"taper", nil, 1080, limit.PackTaper},
		{"ramp", nil, 35, limit.Ramp},
	} {
		t.Run(tt.name, func(t *testing.T) {
			s := at(t, plan(tt.change), tt.seconds)
			require.NotNil(t, s.Holding)
			assert.Equal(t, tt.want, s.Holding.Cause, s.Holding.Reason)
		})
	}
}

// A car whose full power ends five minutes after plug-in: the first time a replug is
// what tells, and after one the fall is known again.
func TestAFallFiveMinutesAfterPlugIn(t *testing.T) {
	timed := plan(func(p *forecast.Plan) {
		p.Car.TimerS, p.Car.TimerSharePct = n(300), n(60)
		p.ReplugAtPct, p.ReplugS = 34, 40
	})
	unaware := plan(nil)
	f, err := forecast.Once(timed)
	require.NoError(t, err)
	require.Len(t, f.Legs, 2)
	hold := func(seconds float64) *follow.Holding {
		t.Helper()
		r := logged(t, timed, int(seconds))
		if seconds > f.Legs[1].FromS {
			r.Marks = append(r.Marks, run.Mark{TS: 60 + f.Legs[0].ToS, Kind: run.Unplug},
				run.Mark{TS: 60 + f.Legs[1].FromS, Kind: run.PlugIn})
		}
		s := follow.Of(r, unaware, nil, 60+seconds)
		require.NotNil(t, s.Holding)
		return s.Holding
	}
	h := hold(360)
	assert.Equal(t, say.Unsure, h.Confidence, "a fall that nothing explains: %s", h.Reason)
	assert.Regexp(
		t,
		`^power fell by \d+ % at once, to 1[012]\d kW, 5 min \d+ s after plug-in .*; a replug tells a timer`,
		h.Reason,
	)
	h = hold(f.Legs[1].FromS + 290)
	assert.NotEqual(t, limit.TimerStep, h.Cause, "not yet: %s", h.Reason)
	h = hold(f.Legs[1].FromS + 360)
	assert.Equal(t, limit.TimerStep, h.Cause)
	assert.Contains(t, h.Reason.Kept(), "as long after the other plug-in as well")
	assert.True(t, h.Sure())
}

// A stall that says what it offers settles it: all of it flows, or it does not.
func TestWhatTheStallOffers(t *testing.T) {
	for _, tt := range []struct {
		name    string
		shared  run.Number
		offered float64
		want    limit.Cause
		says    string
	}{
		{"all of it flows", nil, 70, limit.StallPower, "the stall offers 70 kW"},
		{"of a shared cabinet", n(140), 70, limit.SharedCabinet, "offers 70 of its 350 kW"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := logged(t, plan(func(p *forecast.Plan) { p.Stall = &run.Stall{RatedKW: n(70)} }), 500)
			kw := r.Recordings[1].Columns[trace.Power]
			r.Recordings[1].Columns[trace.OfferedPower] = make([]float64, len(kw))
			for i := range kw {
				r.Recordings[1].Columns[trace.OfferedPower][i] = tt.offered
			}
			s := follow.Of(r, plan(func(p *forecast.Plan) { p.Stall.SharedKW = tt.shared }), nil, 560)
			require.NotNil(t, s.Holding)
			assert.Equal(t, tt.want, s.Holding.Cause, s.Holding.Reason)
			assert.Contains(t, s.Holding.Reason.Kept(), tt.says)
		})
	}
}

// A stall that gives 250 A where the forecast had 500: the alert says by how much
// and since when, and the end that is expected moves to what the stall gives.
func TestLeavesTheForecast(t *testing.T) {
	planned := plan(nil)
	base, err := forecast.Of(planned, forecast.DefaultUncertainty)
	require.NoError(t, err)
	given := plan(func(p *forecast.Plan) {
		p.Stall = &run.Stall{RatedKW: n(350), MaxA: n(250), MinV: n(150), MaxV: n(1000)}
	})
	really, err := forecast.Once(given)
	require.NoError(t, err)
	s := follow.Of(logged(t, given, 420), planned, base, 480)
	require.NotNil(t, s.Alert)
	assert.Less(t, s.Alert.ByKW, -50.0)
	assert.InDelta(t, 70, s.Alert.SinceTS, 40)
	require.NotNil(t, s.Holding)
	assert.Equal(t, limit.StallFault, s.Holding.Cause, "level from the start, under what stall and pack are noted for")
	end, _ := really.Post(80)
	require.NotNil(t, s.End)
	assert.InEpsilon(t, end.TS, s.End.TS, 0.04)
	was, _ := base.Post(80)
	assert.Greater(t, s.End.TS, was.TS+300)
}

// An adapter that falls silent does not hold the state of charge where it was, as
// long as the stall's screen goes on.
func TestFollowsTheSideThatGoesOn(t *testing.T) {
	r := logged(t, plan(nil), 600)
	stall := r.Recordings[1]
	stall.Columns[trace.SoC] = make([]float64, len(stall.T))
	for i := range stall.T {
		stall.Columns[trace.SoC][i] = float64(20 + i/4)
	}
	last := stall.Columns[trace.SoC][len(stall.T)-1]
	s := follow.Of(r, plan(nil), nil, 660)
	assert.NotEqual(t, last, s.SoC.V, "both go on: the car's")
	car := r.Recordings[0]
	car.T = car.T[:len(car.T)-20] // 100 s
	for c, col := range car.Columns {
		car.Columns[c] = col[:len(car.T)]
	}
	s = follow.Of(r, plan(nil), nil, 660)
	assert.Equal(t, last, s.SoC.V)
	assert.Equal(t, trace.StallSide, s.KWSide)

	r = logged(t, plan(nil), 500)
	stall = r.Recordings[1]
	stall.T, stall.Columns[trace.Power] = stall.T[:80], stall.Columns[trace.Power][:80] // silent for 100 s
	s = follow.Of(r, plan(nil), nil, 560)
	assert.Equal(t, trace.CarSide, s.KWSide)
	assert.Less(t, s.KW.AgeS, 10.0)
	require.NotNil(t, s.Holding, "what holds it is still to be seen from the car's side")
	assert.Equal(t, limit.StallCurrent, s.Holding.Cause)
}

// A run is held against a forecast from how it really began, whichever source was
// first, and from the plan where nothing was read.
func TestBeginning(t *testing.T) {
	was := plan(nil)
	r := &run.Run{Recordings: []*trace.Recording{
		{
			Name:    "late",
			Side:    trace.CarSide,
			T:       []float64{50},
			Columns: map[trace.Channel][]float64{trace.SoC: {14}, trace.BatteryTempMin: {9}},
		},
		{
			Name:         "early",
			Side:         trace.StallSide,
			T:            []float64{100},
			ClockOffsetS: -80,
			Columns:      map[trace.Channel][]float64{trace.SoC: {12}},
		}}}
	got := follow.Beginning(r, was)
	assert.Equal(t, 12.0, got.FromPct, "read at 20 s by the run's clock")
	assert.Equal(t, pack.Nodes{ColdestC: 9, WarmestC: 10}, got.Battery, "as even as it was planned: not 9 and 27")
	assert.Equal(t, was, follow.Beginning(&run.Run{}, was))
	assert.Equal(t, plan(nil), was, "the plan itself is as it was")
}

// Whole percents on the display are carried on by the energy since the last flip:
// 60 kW for 90 s are 1.5 kWh, of which 96 % are 1.92 % of 75 kWh.
func TestCountsOnBetweenFlips(t *testing.T) {
	r := &run.Run{Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}}, Recordings: []*trace.Recording{
		{
			Name:    "stall",
			Side:    trace.StallSide,
			T:       []float64{0, 30, 60, 90, 120},
			Columns: map[trace.Channel][]float64{trace.Power: {60, 60, 60, 60, 60}, trace.SoC: {40, 41, 41, 41, 41}},
		}}}
	s := follow.Of(r, plan(nil), nil, 120)
	assert.InDelta(t, 41+1.92, s.Counted, 0.01)
	assert.Equal(t, 41.0, s.SoC.V)
}

// Between two typed readings minutes apart what is expected stays where it is: nobody
// has stopped charging because nobody has looked. The power that was read last is
// carried on for two minutes, and a forecast's is within 3 % of it there: that moves
// the end by less than 4 s; a second more for rounding.
func TestExpectationStandsBetweenTypedReadings(t *testing.T) {
	p := plan(nil)
	r := &run.Run{Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}}, Recordings: []*trace.Recording{
		{
			Name: "typed",
			Side: trace.StallSide,
			T:    []float64{60, 240, 480},
			Columns: map[trace.Channel][]float64{
				trace.Power:          {180, 182, 184},
				trace.SoC:            {13, 24, 38},
				trace.BatteryTempMin: {26, 27, 28},
			},
		}}}
	ends := map[float64]float64{}
	for _, now := range []float64{481, 540, 620, 800} {
		s := follow.Of(r, p, nil, now)
		require.NotNil(t, s.End, "%g", now)
		ends[now] = s.End.TS
	}
	for now, end := range ends {
		assert.InDelta(t, ends[481], end, 5, "at %g s", now)
	}
}

// Typed readings alone, minutes apart, and nothing else known: no figure is made up.
func TestWithHardlyAnything(t *testing.T) {
	r := &run.Run{Marks: []run.Mark{{TS: 5, Kind: run.PlugIn}}, Recordings: []*trace.Recording{
		{
			Name:    "typed",
			Side:    trace.StallSide,
			T:       []float64{60, 300},
			Columns: map[trace.Channel][]float64{trace.Power: {80, 82}},
		}}}
	s := follow.Of(r, forecast.Plan{ToPct: 80}, nil, 360)
	assert.Equal(t, follow.Charging, s.Phase)
	assert.False(t, s.SoC.Known())
	assert.Nil(t, s.End)
	assert.Nil(t, s.Alert)
	assert.True(t, math.IsNaN(s.Counted))
}
