package decide_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/decide"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/vehicle"
)

var n = run.N

// larch is a car of 60 kWh that takes what its envelope says, warm from the first moment. Its cells keep nearly one
// voltage, so that a point is as many kWh everywhere.
func larch(envelope ...run.Point) *run.Car {
	return &run.Car{Chemistry: "LFP", UsableKWh: n(60), CellsInSeries: n(104), PackMinV: n(280), PackMaxV: n(380),
		WarmC: n(20), Envelope: envelope}
}

// stairs takes 120 kW up to half, and 15 kW from there on.
func stairs() *run.Car {
	return larch(run.Point{SoCPct: 0, KW: 120}, run.Point{SoCPct: 50, KW: 120}, run.Point{SoCPct: 51, KW: 15},
		run.Point{SoCPct: 100, KW: 15})
}

func level() *run.Car {
	return larch(run.Point{SoCPct: 0, KW: 60}, run.Point{SoCPct: 100, KW: 60})
}

func asked(c *run.Car) decide.Asked {
	return decide.Asked{
		Session:     forecast.Plan{Car: c, FromPct: 10, ToPct: 80, AmbientC: 20, Battery: pack.Nodes{ColdestC: 25, WarmestC: 25}},
		Uncertainty: forecast.DefaultUncertainty,
		StopS:       300,
		AddPct:      40,
	}
}

func of(t *testing.T, a decide.Asked) *decide.Advice {
	t.Helper()
	out, err := decide.Of(a)
	require.NoError(t, err)
	require.NotNil(t, out.Unplug)
	return out
}

// At 120 kW a point of 0.6 kWh takes 18 s, at 15 kW 144 s. A stop of 5 min spread over the 40 points to half comes to 26 s
// a point: those at 144 s would raise it. Where a stop costs three hours, 288 s a point, even they lower it, to the top.
func TestUnplugWhereThePaceFalls(t *testing.T) {
	t.Parallel()
	a := asked(stairs())
	u := of(t, a).Unplug
	assert.InDelta(t, 50, u.BestPct, 1)
	assert.InDelta(t, 50, u.HighPct, 2)
	assert.InDelta(t, 300.0/40+18+0.5, u.PointS, 1.5, "and half a second a point for handshake and ramp")
	a.StopS = 3 * 3600
	assert.InDelta(t, 100, of(t, a).Unplug.BestPct, 0)
}

// What Unplug says is held against trying every charge, each a session of its own.
func TestNoChargeToUnplugAtIsBetter(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(3, 9))
	for range 6 {
		kw := 60 + 120*rng.Float64()
		a := asked(larch(run.Point{SoCPct: 0, KW: kw}, run.Point{SoCPct: 30 + 40*rng.Float64(), KW: kw * (0.5 + 0.4*rng.Float64())},
			run.Point{SoCPct: 100, KW: 8}))
		a.StopS = 60 + 900*rng.Float64()
		a.Session.FromPct = math.Round(5 + 20*rng.Float64())
		u := of(t, a).Unplug
		least, at := math.Inf(1), 0.0
		for p := a.Session.FromPct + 5; p <= 100; p++ {
			s := a.Session
			s.ToPct = p
			brief, err := forecast.Quick(s)
			require.NoError(t, err)
			if brief.Note.Any() {
				break
			}
			if x := (a.StopS + brief.TS) / (p - s.FromPct); x < least {
				least, at = x, p
			}
		}
		assert.InDelta(t, least, u.PointS, 0.01*least)
		assert.True(t, u.LowPct <= at && at <= u.HighPct, "%.0f is not in %.0f to %.0f", at, u.LowPct, u.HighPct)
	}
}

// The longer a stop costs beside, the longer one stays: the theorem's own consequence.
func TestADearerStopIsNeverLeftEarlier(t *testing.T) {
	t.Parallel()
	a := asked(larch(run.Point{SoCPct: 0, KW: 130}, run.Point{SoCPct: 40, KW: 120}, run.Point{SoCPct: 100, KW: 10}))
	before := 0.0
	for _, s := range []float64{30, 120, 300, 600, 1200, 3600} {
		a.StopS = s
		best := of(t, a).Unplug.BestPct
		assert.GreaterOrEqual(t, best, before, "a stop of %.0f s", s)
		before = best
	}
}

// 0.50 a minute is 0.25 a kWh at 120 kW and 2.00 at 15 kW.
func TestAKWhThatCostsMoreThanElsewhere(t *testing.T) {
	t.Parallel()
	a := asked(stairs())
	a.Session.Stall = &run.Stall{RatedKW: n(350), Tariff: &run.Tariff{Currency: "EUR", PerMin: []run.Tier{{Price: n(0.5)}}}}
	u := of(t, a).Unplug
	assert.True(t, math.IsNaN(u.DearPct), "nobody asked")
	a.PriceKWh = 0.6
	u = of(t, a).Unplug
	assert.InDelta(t, 50, u.DearPct, 0)
	for _, ten := range u.Tens {
		switch ten.FromPct {
		case 20, 30:
			assert.InDelta(t, 0.25, ten.PerKWh, 0.02)
		case 60, 80:
			assert.InDelta(t, 2, ten.PerKWh, 0.1)
		}
	}
	a.PriceKWh = 3
	assert.True(t, math.IsNaN(of(t, a).Unplug.DearPct))
}

// A stall's level 100 A charge a point of 1.75 Ah (60 kWh at some 343 V) in 63 s, from wherever. With stairs at half, a
// start at 20 goes ten points up them, at 126 s more each; what the volts and the knee change is within a tenth.
func TestWhichStart(t *testing.T) {
	t.Parallel()
	a := asked(larch(run.Point{SoCPct: 0, KW: 150}, run.Point{SoCPct: 100, KW: 150}))
	a.Session.Stall = &run.Stall{RatedKW: n(350), MaxA: n(100)}
	for _, s := range of(t, a).Starts {
		assert.True(t, s.Least, "from %.0f", s.FromPct)
		assert.InDelta(t, 40*63, s.TS, 90)
		assert.Less(t, s.LowS, s.TS)
		assert.Greater(t, s.HighS, s.TS)
	}
	list := of(t, asked(stairs())).Starts
	require.Len(t, list, 7, "from 5, and from 10 to 60")
	for _, s := range list {
		assert.Equal(t, s.FromPct <= 10, s.Least, "from %.0f", s.FromPct)
	}
	assert.InEpsilon(t, 10*126, list[2].TS-list[1].TS, 0.1)
}

// The gentle curve is half of the full one up to 60, and the same from there on.
func TestWhatGentleCosts(t *testing.T) {
	t.Parallel()
	a := asked(larch(run.Point{SoCPct: 0, KW: 120}, run.Point{SoCPct: 59, KW: 120}, run.Point{SoCPct: 60, KW: 40},
		run.Point{SoCPct: 100, KW: 40}))
	a.Session.Car.GentleEnvelope = []run.Point{{SoCPct: 0, KW: 60}, {SoCPct: 59, KW: 60}, {SoCPct: 60, KW: 40}, {SoCPct: 100, KW: 40}}
	g := of(t, a).Gentle
	require.NotNil(t, g)
	assert.InDelta(t, 50*0.6*3600*(1.0/60-1.0/120), g.MoreS, 45, "fifty points of 0.6 kWh, at half the power")
	assert.InDelta(t, 60, g.NonePct, 3)
	assert.InDelta(t, 120, g.Full.PeakKW, 3)
	assert.InDelta(t, 2, g.Full.CRate, 0.05)
	assert.InDelta(t, 1, g.Gentle.CRate, 0.05)
	assert.GreaterOrEqual(t, g.Full.WarmestC, g.Gentle.WarmestC-0.5, "less power warms less")
	planned := a
	planned.Session.Gentle = true // the plan's own profile changes neither side
	assert.Equal(t, g, of(t, planned).Gentle)
	a.Session.FromPct = 62
	assert.InDelta(t, 62, of(t, a).Gentle.NonePct, 0, "up there it costs nothing")
}

// A plan in the gentle profile rests on what gentle runs taught; its full side must not.
func TestEachProfileRestsOnItsOwnRuns(t *testing.T) {
	t.Parallel()
	taught := func(kw float64, profile string) *vehicle.Model {
		l := vehicle.Lesson{Run: "a run", Profile: profile}
		for soc := 0.0; soc <= 100; soc += vehicle.NodePct {
			l.Points = append(l.Points, vehicle.Point{SoCPct: soc, KW: kw, Own: 1, ColdC: n(30), HotC: n(32)})
		}
		return vehicle.Learn(&run.Car{UsableKWh: n(60)}, "", profile, []vehicle.Lesson{l})
	}
	a := asked(larch())
	a.KnownFull, a.KnownGentle = taught(160, "full"), taught(50, "gentle")
	a.Session.Known, a.Session.Gentle = a.KnownGentle, true
	g := of(t, a).Gentle
	require.NotNil(t, g)
	assert.InEpsilon(t, 160, g.Full.PeakKW, 0.1)
	assert.InEpsilon(t, 50, g.Gentle.PeakKW, 0.1)
}

// A timer that takes half the power after five minutes: a replug gives it back, for its pause.
func TestReplug(t *testing.T) {
	t.Parallel()
	a := asked(level())
	assert.Nil(t, of(t, a).Replug, "no timer is known")
	a.Session.Car.TimerS, a.Session.Car.TimerSharePct = n(300), n(50)
	r := of(t, a).Replug
	require.NotNil(t, r)
	assert.True(t, r.FromNotes)
	// Five minutes at 60 kW are 5 kWh, 8.3 points; a little less for the ramp.
	assert.InDelta(t, 10+8.3, r.AtPct, 0.7)
	// 70 points of 0.6 kWh: 300 s at 60 kW and the rest at 30 kW, against a second time of 300 s at 60 kW.
	assert.InDelta(t, 300-60-40, r.PlainS-r.ReplugS, 45, "what it gives back, less its pause and its handshake")
	planned := a
	planned.Session.ReplugAtPct = 40 // the plan's own replug is not held against another
	assert.Equal(t, r, of(t, planned).Replug)
	a.Session.Car.TimerS = n(3 * 3600)
	assert.Nil(t, of(t, a).Replug, "it never ends within the charge")
}

func TestWhatCannotBeForetold(t *testing.T) {
	t.Parallel()
	_, err := decide.Of(decide.Asked{Session: forecast.Plan{Car: &run.Car{}, FromPct: 10, ToPct: 80}})
	require.Error(t, err)
	a := asked(stairs())
	a.Session.Stall = &run.Stall{RatedKW: n(350), MaxV: n(200)} // it cannot reach the pack's volts
	out, err := decide.Of(a)
	require.NoError(t, err)
	assert.Nil(t, out.Unplug)
	assert.Empty(t, out.Starts)
	assert.Nil(t, out.Gentle)
}

// 42 kWh into the pack take 5,040 s at 30 kW and half of it at 60; at 88 % of that 2,864 s. At 80 km/h the 42 min between
// are 56 km. Pumps, losses and the ramp take some per cent of 30 kW.
func TestWorthADetour(t *testing.T) {
	t.Parallel()
	kw := func(kw, price float64) *run.Stall {
		return &run.Stall{RatedKW: n(kw), Tariff: &run.Tariff{Currency: "EUR", PerKWh: n(price)}}
	}
	a := asked(larch(run.Point{SoCPct: 0, KW: 150}, run.Point{SoCPct: 100, KW: 150}))
	a.Session.Stall, a.SpeedKmh = kw(30, 0.50), 80
	a.Others = []decide.Other{{1, "Mill 1", kw(60, 0.60)}, {2, "Mill 2", kw(30, 0.40)}, {3, "Mill 3", kw(20, 0.40)},
		{4, "Mill 4", &run.Stall{RatedKW: n(350), MaxV: n(200)}}}
	list := of(t, a).Detours
	require.Len(t, list, 3, "one cannot charge it")
	assert.Equal(t, []string{"Mill 1", "Mill 2", "Mill 3"}, []string{list[0].Name, list[1].Name, list[2].Name})
	assert.InEpsilon(t, 2520, list[0].SavedS, 0.08)
	assert.InEpsilon(t, 5040-2864, list[0].LeastS, 0.08)
	assert.InEpsilon(t, 56, list[0].WorthKm, 0.08)
	assert.InEpsilon(t, 0.1*43, list[0].MoreIs, 0.08)
	assert.Zero(t, list[1].WorthKm, "as strong")
	assert.InEpsilon(t, -0.1*43, list[1].MoreIs, 0.08)
	assert.Zero(t, list[2].WorthKm)
	assert.True(t, list[2].Longer())
	assert.Contains(t, decide.SaidOfDetours(list, 10, 80, "EUR").Kept(), "Mill 1 saves 4")
	assert.Contains(t, decide.SaidOfDetours(list[1:], 10, 80, "EUR").Kept(), "none is worth a detour. Mill 2 takes as long for 4.")

	// 33 kW give 3 of 30 more, but 29 at 88 %: nothing for certain.
	a.Others = []decide.Other{{5, "Mill 5", kw(33, 0.50)}}
	assert.Contains(t, decide.SaidOfDetours(of(t, a).Detours, 10, 80, "EUR").Kept(), "only where it gives all of its label")

	// Of a car whose curve nobody noted and no run showed, a stronger stall's minutes would be those of any such car; a
	// weaker one holds it whatever it takes.
	a.Session.Car = larch()
	a.Others = []decide.Other{{1, "Mill 1", kw(60, 0.60)}, {3, "Mill 3", kw(20, 0.40)}}
	list = of(t, a).Detours
	assert.True(t, list[0].Untold)
	assert.Zero(t, list[0].WorthKm)
	assert.False(t, list[1].Untold)
	assert.True(t, list[1].Longer())
	assert.Contains(t, decide.SaidOfDetours(list, 10, 80, "EUR").Kept(), "Whether Mill 1 would be quicker cannot be told")
}

// A cold pack takes a fraction of its power until charging has warmed it, so that one stays longer than with a warm one,
// were the next stop as cold: both are said, and neither alone.
func TestAColdPackIsSaidToBeOne(t *testing.T) {
	t.Parallel()
	a := asked(larch(run.Point{SoCPct: 0, KW: 130}, run.Point{SoCPct: 40, KW: 120}, run.Point{SoCPct: 100, KW: 10}))
	warm := of(t, a).Unplug
	assert.True(t, math.IsNaN(warm.WarmPct))
	a.Session.Battery, a.Session.AmbientC = pack.Nodes{ColdestC: 2, WarmestC: 2}, 2
	cold := of(t, a).Unplug
	assert.Greater(t, cold.BestPct, warm.BestPct+3)
	assert.InDelta(t, warm.BestPct, cold.WarmPct, 2)
	assert.Contains(t, cold.Said("", 0)[0].Kept(), "with a pack that is warm by then")
	for _, s := range cold.Said("", 0) {
		assert.NotContains(t, s.Kept(), "no difference", "it is the smaller doubt of the two")
	}
}
