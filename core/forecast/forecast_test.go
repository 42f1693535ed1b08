package forecast_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
)

var n = run.N

func tree() *run.Car {
	return &run.Car{
		Chemistry:     "NMC",
		UsableKWh:     n(75),
		CellsInSeries: n(96),
		PackMinV:      n(280),
		PackMaxV:      n(403),
		MaxKW:         n(200),
		MaxA:          n(520),
		BatteryMassKg: n(460),
		HeaterKW:      n(4.4),
		WarmC:         n(25),
		Envelope: []run.Point{{SoCPct: 0, KW: 150}, {SoCPct: 6, KW: 196},
			{SoCPct: 46, KW: 190}, {SoCPct: 47, KW: 142}, {SoCPct: 80, KW: 104}, {SoCPct: 100, KW: 14}},
	}
}

func mill() *run.Stall { return &run.Stall{RatedKW: n(350), MaxA: n(500), MinV: n(150), MaxV: n(1000)} }

func even(c float64) pack.Nodes { return pack.Nodes{ColdestC: c, WarmestC: c} }

// Random sessions keep what nature keeps: energy closes, nothing goes over a
// ceiling, nothing gets colder than the outside without cooling.
func TestSessionsKeepTheirBooks(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(7, 11))
	for range 60 {
		s := &run.Stall{
			RatedKW:  n(40 + 320*rng.Float64()),
			MaxA:     n(100 + 400*rng.Float64()),
			MaxV:     n(1000),
			SharedKW: n(120),
		}
		ambient := -20 + 50*rng.Float64()
		plan := forecast.Plan{
			Car:          tree(),
			Stall:        s,
			FromPct:      60 * rng.Float64(),
			ToPct:        70 + 25*rng.Float64(),
			AmbientC:     ambient,
			Battery:      even(ambient + 15*rng.Float64()),
			ClimateKW:    4 * rng.Float64(),
			ReplugAtPct:  50,
			NeighbourOnS: 300,
			NeighbourS:   400,
		}
		if rng.IntN(2) == 0 {
			plan.Adapter = &run.Adapter{MaxA: n(300)}
		}
		f, err := forecast.Once(plan)
		require.NoError(t, err)
		var stallKJ, carKJ, beside float64
		for _, st := range f.Steps {
			stallKJ += st.StallKW
			carKJ += st.PackV * st.Amps / 1000
			beside += st.LossKW + st.AuxKW
			require.LessOrEqual(t, st.StallKW, *s.RatedKW*(1+1e-9))
			require.LessOrEqual(t, st.StallKW*1000/math.Max(1, st.PackV), *s.MaxA*1.02+1,
				"amps at the plug; the cable's drop adds up to 2 %%")
			require.LessOrEqual(t, st.PackKW, 200*(1+1e-9))
			require.LessOrEqual(t, st.PackV, 403*(1+1e-9))
			if plan.Adapter != nil {
				require.LessOrEqual(t, st.Amps, 300.0)
			}
			require.GreaterOrEqual(t, st.Battery.Ordered().ColdestC, ambient-1e-9)
		}
		assert.InEpsilon(t, stallKJ/3600, f.Energy.StallKWh, 1e-9)
		assert.InEpsilon(t, stallKJ, carKJ+beside, 0.001, "stall energy = pack energy + losses + what was drawn beside")
	}
}

// At constant power, time is energy over power: 40 kW into a pack that takes more.
func TestConstantPowerByHand(t *testing.T) {
	s := &run.Stall{RatedKW: n(40)}
	f, err := forecast.Once(
		forecast.Plan{Car: tree(), Stall: s, FromPct: 20, ToPct: 70, Battery: even(28), AmbientC: 20},
	)
	require.NoError(t, err)
	w, ok := f.Window(20, 70)
	require.True(t, ok)
	// Half of 75 kWh, 0.35 kW for pumps, under 1 % each for cable and pack.
	want := 37.5 / (40 - 0.35) * 3600
	assert.InEpsilon(t, want, w.TS, 0.035)
	assert.Greater(t, w.TS, want, "losses make it longer")
	assert.InDelta(t, 40, f.Peak.KW, 0.01)
}

// Common practice, no source: at 14 °C outside one car peaked at 60 kW without
// preheating and at 120 to 130 with it, about half; a pack 11 K under its warmth
// takes half at first.
func TestColdHalvesThePower(t *testing.T) {
	warm, err := forecast.Of(
		forecast.Plan{Car: tree(), Stall: mill(), FromPct: 10, ToPct: 80, Battery: even(26), AmbientC: 14},
		forecast.DefaultUncertainty,
	)
	require.NoError(t, err)
	cold, err := forecast.Of(
		forecast.Plan{Car: tree(), Stall: mill(), FromPct: 10, ToPct: 80, Battery: even(13), AmbientC: 14},
		forecast.DefaultUncertainty,
	)
	require.NoError(t, err)
	assert.InDelta(t, 0.5, cold.Steps[60].PackKW/warm.Steps[60].PackKW, 0.07)
	assert.Equal(t, limit.Cold, cold.Ceilings[1].Cause)
	a, _ := warm.Window(10, 80)
	b, _ := cold.Window(10, 80)
	assert.Greater(t, b.TS, a.TS+60)
	for _, w := range []forecast.Window{a, b} {
		assert.Less(t, w.LowS, w.TS)
		assert.Greater(t, w.HighS, w.TS)
	}
}

// Where a limit in kW holds all the way, the time follows the capacity alone: 2 %
// more or less of it are 2 % of the time either way; what is drawn beside is the same.
func TestRangeUnderASteadyLimit(t *testing.T) {
	plan := forecast.Plan{
		Car:      tree(),
		Stall:    &run.Stall{RatedKW: n(40)},
		FromPct:  20,
		ToPct:    70,
		Battery:  even(28),
		AmbientC: 20,
	}
	f, err := forecast.Of(plan, forecast.Uncertainty{TaperPct: 4, CapacityPct: 2})
	require.NoError(t, err)
	w, ok := f.Window(20, 70)
	require.True(t, ok)
	assert.InEpsilon(t, 0.02*w.TS, w.HighS-w.TS, 0.03)
	assert.InEpsilon(t, 0.02*w.TS, w.TS-w.LowS, 0.03)
	assert.Equal(t, 75.0, *plan.Car.UsableKWh, "the plan's own car is as it was")
}

// Special cases are said, not computed.
func TestWhatCannotBe(t *testing.T) {
	frozen := tree()
	frozen.HeaterKW = nil
	f, err := forecast.Of(
		forecast.Plan{Car: frozen, Stall: mill(), FromPct: 10, ToPct: 80, Battery: even(-30), AmbientC: -30},
		forecast.DefaultUncertainty,
	)
	require.NoError(t, err)
	assert.Equal(t, "Stays at 10 %: held by cold.", f.Note.Kept())
	assert.Zero(t, f.Energy.CarKWh, "a frozen pack takes nothing")

	low := &run.Stall{RatedKW: n(50), MinV: n(50), MaxV: n(200)}
	f, err = forecast.Of(
		forecast.Plan{Car: tree(), Stall: low, FromPct: 10, ToPct: 80, Battery: even(20), AmbientC: 20},
		forecast.DefaultUncertainty,
	)
	require.NoError(t, err)
	assert.Contains(t, f.Note.Kept(), "cannot charge this car: it gives 50 to 200 V, the pack needs 280 to 403 V")
	assert.Empty(t, f.Posts)

	_, err = forecast.Of(forecast.Plan{Car: tree(), FromPct: 80, ToPct: 10}, forecast.DefaultUncertainty)
	assert.ErrorIs(t, err, forecast.ErrWindow)
	_, err = forecast.Of(forecast.Plan{Car: &run.Car{}, FromPct: 10, ToPct: 80}, forecast.DefaultUncertainty)
	assert.ErrorIs(t, err, pack.ErrCapacity)
}

func TestReplugRestartsTheTimer(t *testing.T) {
	c := tree()
	c.TimerS, c.TimerSharePct = n(300), n(60)
	f, err := forecast.Once(
		forecast.Plan{
			Car:         c,
			Stall:       mill(),
			FromPct:     10,
			ToPct:       80,
			Battery:     even(27),
			AmbientC:    15,
			ReplugAtPct: 40,
			ReplugS:     45,
		},
	)
	require.NoError(t, err)
	require.Len(t, f.Legs, 2)
	assert.InDelta(t, 45, f.Legs[1].FromS-f.Legs[0].ToS, 1)
	var causes []limit.Cause
	for _, h := range f.Ceilings {
		causes = append(causes, h.Cause)
	}
	assert.Contains(t, causes, limit.TimerStep)
	assert.Contains(t, causes, limit.Paused)
	for _, st := range f.Steps {
		if st.Cause == limit.TimerStep {
			assert.GreaterOrEqual(t, st.T-st.PluggedSince, 300.0)
		}
	}
}

func BenchmarkTwoHours(b *testing.B) {
	for b.Loop() {
		f, err := forecast.Of(
			forecast.Plan{Car: tree(), Stall: &run.Stall{RatedKW: n(40)}, ToPct: 100, Battery: even(5), AmbientC: 5,
				Assumed: limit.Assumptions{}},
			forecast.DefaultUncertainty,
		)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(f.Posts[len(f.Posts)-1].TS/3600, "hours-forecast")
	}
}

// Facts of the trade (common practice, no source), for cars as testers describe
// them; the packs are those of the defaults, and nothing is fitted to a fact.
func TestSessionsAsTestersReportThem(t *testing.T) {
	share := 100.0 // of the stall's label
	minutes := func(c *run.Car, s *run.Stall, from, to, batteryC float64) float64 {
		t.Helper()
		f, err := forecast.Once(
			forecast.Plan{
				Car:      c,
				Stall:    s,
				FromPct:  from,
				ToPct:    to,
				Battery:  pack.Nodes{ColdestC: batteryC, WarmestC: batteryC},
				AmbientC: 15,
				Assumed:  limit.Assumptions{PowerSharePct: share},
			},
		)
		require.NoError(t, err)
		w, ok := f.Window(from, to)
		require.True(t, ok)
		return w.TS / 60
	}
	t.Run("800 V through a converter takes about 35 minutes for 10 to 80 %, and 24 without", func(t *testing.T) {
		c := &run.Car{
			Chemistry:     "NMC",
			UsableKWh:     n(84),
			CellsInSeries: n(192),
			MaxKW:         n(220),
			ConverterKW:   n(105),
			HeaterKW:      n(2),
			WarmC:         n(24),
			Envelope: []run.Point{
				{SoCPct: 0, KW: 180},
				{SoCPct: 10, KW: 215},
				{SoCPct: 40, KW: 190},
				{SoCPct: 60, KW: 140},
				{SoCPct: 80, KW: 90},
				{SoCPct: 100, KW: 10},
			},
		}
		assert.InDelta(t, 35, minutes(c, &run.Stall{RatedKW: n(250), MaxA: n(500), MaxV: n(500)}, 10, 80, 25), 3.5)
		assert.InDelta(t, 24, minutes(c, &run.Stall{RatedKW: n(350), MaxA: n(500), MaxV: n(1000)}, 10, 80, 25), 2.4)
	})
	t.Run("two stalls whose curves meet at 65 % are 5 minutes apart at 80 %, not 40", func(t *testing.T) {
		c := &run.Car{Chemistry: "NMC", UsableKWh: n(75), CellsInSeries: n(96), MaxKW: n(250),
			Envelope: []run.Point{
				{SoCPct: 0, KW: 250},
				{SoCPct: 17, KW: 250},
				{SoCPct: 45, KW: 130},
				{SoCPct: 65, KW: 85},
				{SoCPct: 80, KW: 55},
				{SoCPct: 100, KW: 8},
			}}
		share = limit.TypicalSharePct // "a 150 kW stall gives 130 to 135"
		slow := minutes(c, &run.Stall{RatedKW: n(150), MaxA: n(425)}, 10, 80, 32)
		share = 100
		fast := minutes(c, &run.Stall{RatedKW: n(250), MaxA: n(675)}, 10, 80, 32)
		assert.InDelta(t, 5, slow-fast, 2.5)
	})
	t.Run("80 kWh of nickel with 250 kW and no envelope take 63 minutes from 0 to 100 %, 70 at 150 kW",
		func(t *testing.T) {
			c := &run.Car{Chemistry: "NMC", UsableKWh: n(80), CellsInSeries: n(96), MaxKW: n(250)}
			assert.InDelta(t, 63, minutes(c, &run.Stall{RatedKW: n(250), MaxA: n(675)}, 0, 100, 30), 4)
			assert.InDelta(t, 70, minutes(c, &run.Stall{RatedKW: n(150), MaxA: n(500)}, 0, 100, 30), 4)
			f, err := forecast.Of(forecast.Plan{Car: c, Stall: mill(), ToPct: 100, Battery: even(30), AmbientC: 20},
				forecast.DefaultUncertainty)
			require.NoError(t, err)
			w, _ := f.Window(0, 100)
			assert.Greater(t, w.HighS-w.LowS, 0.25*w.TS, "a wide range where the shape is assumed")
		})
	t.Run("a pack at 13 °C takes 27 of 54 kW and has its peak at 21 to 24 °C, half an hour later", func(t *testing.T) {
		c := &run.Car{
			Chemistry:     "NMC",
			UsableKWh:     n(64),
			CellsInSeries: n(98),
			MaxKW:         n(54),
			HeaterKW:      n(2),
			WarmC:         n(24),
			BatteryMassKg: n(400),
			Envelope:      []run.Point{{SoCPct: 0, KW: 54}, {SoCPct: 90, KW: 54}, {SoCPct: 100, KW: 10}},
		}
		f, err := forecast.Once(
			forecast.Plan{
				Car:      c,
				FromPct:  10,
				ToPct:    85,
				Battery:  pack.Nodes{ColdestC: 13, WarmestC: 13},
				AmbientC: 13,
			},
		)
		require.NoError(t, err)
		assert.InDelta(t, 27, f.Steps[90].PackKW, 2)
		for _, s := range f.Steps {
			if s.PackKW >= 0.97*54 {
				assert.InDelta(t, 22.5, s.Battery.Ordered().ColdestC, 2.5)
				assert.InDelta(t, 30, s.T/60, 15)
				return
			}
		}
		assert.Fail(t, "never at its peak")
	})
	t.Run("50 points take the same time from 20 and from 30 %, 10 more cost 7 minutes", func(t *testing.T) {
		c := &run.Car{Chemistry: "NMC", UsableKWh: n(88), CellsInSeries: n(96), MaxKW: n(120), WarmC: n(24),
			Envelope: []run.Point{
				{SoCPct: 0, KW: 100},
				{SoCPct: 30, KW: 110},
				{SoCPct: 60, KW: 108},
				{SoCPct: 75, KW: 92},
				{SoCPct: 80, KW: 75},
				{SoCPct: 90, KW: 55},
				{SoCPct: 100, KW: 10},
			}}
		a, b := minutes(c, nil, 20, 70, 26), minutes(c, nil, 30, 80, 26)
		assert.InDelta(t, 27, a, 2.7)
		assert.InDelta(t, a, b, 2)
		assert.InDelta(t, 7, minutes(c, nil, 30, 90, 26)-b, 3)
	})
}
