package prepare_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/say"
)

var n = run.N

// A 75 kWh car with everything noted; its pack's own figures are the defaults.
func car(change func(*run.Car)) *run.Car {
	c := &run.Car{
		Name:            "Spindle 75",
		Chemistry:       "NMC",
		UsableKWh:       n(75),
		CellsInSeries:   n(96),
		MaxKW:           n(200),
		BatteryMassKg:   n(460),
		HeaterKW:        n(4.4),
		WarmC:           n(25),
		Preconditioning: "manual",
		ConsumptionWhKm: n(200),
	}
	if change != nil {
		change(c)
	}
	return c
}

var bigStall = &run.Stall{Site: "Lower Weir", Name: "1", RatedKW: n(350), MaxA: n(500), MinV: n(150), MaxV: n(1000)}

func plan(change func(*prepare.Plan)) prepare.Plan {
	p := prepare.Plan{
		Car:     car(nil),
		Stall:   bigStall,
		NowPct:  34,
		Now:     pack.Nodes{ColdestC: 6, WarmestC: 6},
		FromPct: 10,
		ToPct:   80,
		Km:      18,
		Road:    prepare.Road{AmbientC: 2},
		BurnPct: prepare.DefaultBurnPct,
	}
	if change != nil {
		change(&p)
	}
	return p
}

// By hand from the formula in the documentation: at 80 km/h and 20 °C
// 0.62·(80/110)² + 0.34 + 0.04·110/80 = 0.72293; at 0 °C the air is 293.15/273.15
// as dense and the tyres 12 % worse: 0.78774.
func TestConsumption(t *testing.T) {
	for _, tt := range []struct {
		name string
		road prepare.Road
		want float64
	}{
		{"as observed", prepare.Road{AmbientC: 20, SpeedKmh: 110}, 200},
		{"slower", prepare.Road{AmbientC: 20}, 200 * 0.72293},
		{"cold", prepare.Road{AmbientC: 0, SpeedKmh: 80}, 200 * 0.78774},
		{"with the cabin heated", prepare.Road{AmbientC: 20, SpeedKmh: 80, ClimateKW: 2}, 200*0.72293 + 25},
		{"rain", prepare.Road{AmbientC: 20, SpeedKmh: 110, Rain: true}, 200 * (1 + 0.15*0.34)},
		{"wind from ahead", prepare.Road{AmbientC: 20, SpeedKmh: 110, HeadwindKmh: 22}, 200 * (1 + 0.62*0.44)},
		{"a gale from behind", prepare.Road{AmbientC: 20, SpeedKmh: 110, HeadwindKmh: -132}, 200 * (1 - 0.62*1.04)},
	} {
		got, assumed := tt.road.WhPerKm(car(nil), 75)
		assert.InDelta(t, tt.want, got, 0.01, tt.name)
		assert.Empty(t, assumed, tt.name)
	}
}

// 310 km seen for 353 rated (common practice, no source): 75 kWh and 353 km rated
// are 75000/310 Wh/km.
func TestConsumptionFromRatedRange(t *testing.T) {
	c := car(func(c *run.Car) { c.ConsumptionWhKm, c.RatedRangeKm = nil, n(353) })
	got, assumed := prepare.Road{AmbientC: 20, SpeedKmh: 110}.WhPerKm(c, 75)
	assert.InDelta(t, 75000.0/310, got, 0.01)
	require.Len(t, assumed, 1)
	assert.Contains(t, assumed[0].From.Kept(), "rated range")
}

// 24 % of 75 kWh are 18 kWh. At 110 km/h and 20 °C the car takes 22 kW; 0.375 kWh
// are burnt parked at 3 kW: 450 s. The other 17.625 kWh last 0.80114 h, 2884.1 s.
func TestDriveDownByHand(t *testing.T) {
	p := prepare.Of(plan(func(p *prepare.Plan) { p.Road = prepare.Road{AmbientC: 20, SpeedKmh: 110} }))
	require.Empty(t, p.Refusals)
	assert.InDelta(t, -450-2884.1, p.Approach.LeaveS(), 0.5)
	assert.InDelta(t, 0.80114*110, p.Approach.Km, 0.05)
	assert.InDelta(t, 0.80114*110-18, p.Approach.LoopKm, 0.05)
	assert.InDelta(t, -450, p.Approach.Phase(prepare.Burn).FromS, 0.1)
	assert.InDelta(t, 18*0.2/75*100, p.DirectPct, 1e-6)
	assert.InDelta(t, (18-3.6)/3*3600, p.ParkedS, 0.5, "all of it parked, after the direct way")
	assert.InDelta(t, 0.5, p.BurntPct, 0.001, "0.375 of 75 kWh")
	assert.InDelta(t, 26.6667, p.TakesPct(100), 0.001, "20 of 75 kWh")
}

// The moment of plug-in has the wanted charge, and what the phases take is what
// the battery loses, whatever the plan.
func TestEveryApproachArrivesAtTheWantedCharge(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		pl := plan(func(p *prepare.Plan) {
			p.NowPct = rapid.Float64Range(30, 90).Draw(t, "now")
			p.FromPct = rapid.Float64Range(6, 20).Draw(t, "from")
			p.Km = rapid.Float64Range(0, 25).Draw(t, "km")
			p.Road.AmbientC = rapid.Float64Range(-15, 30).Draw(t, "outside")
			p.BurnPct = rapid.Float64Range(0, 3).Draw(t, "burn")
			p.Way = rapid.SampledFrom(prepare.Ways).Draw(t, "way")
			if rapid.Bool().Draw(t, "set") {
				p.WarmMin = n(rapid.Float64Range(0, 120).Draw(t, "minutes"))
			}
			if p.Way == prepare.Navigation || p.Way == prepare.ChargedNavigation {
				p.Car = car(func(c *run.Car) { c.Preconditioning = "navigation" })
			}
		})
		p := prepare.Of(pl)
		require.Empty(t, p.Refusals)
		a := p.Approach
		require.InDelta(t, pl.FromPct, a.Plug().SoCPct, 0.02)
		// What is driven in less than half a second is no phase: 15 m at 110 km/h.
		require.GreaterOrEqual(t, a.Km, pl.Km-max(0.01, pl.Road.Speed()*0.5/3600))
		taken, last := 0.0, math.Inf(-1)
		for _, ph := range a.Phases {
			require.GreaterOrEqual(t, ph.ToS, ph.FromS)
			require.GreaterOrEqual(t, ph.FromS, last-1e-6, "phases follow each other")
			last = ph.ToS
			taken += ph.KW * (ph.ToS - ph.FromS) / 3600
		}
		require.InDelta(t, 0, last, 1e-6)
		begin := pl.NowPct
		if a.Phase(prepare.Charge) != nil {
			begin = min(begin+prepare.EarlierPoints, 90)
		}
		require.InDelta(t, (begin-pl.FromPct)*0.75, taken, 0.02)
		for i := 1; i < len(a.Moments); i++ {
			require.GreaterOrEqual(t, a.Moments[i].TS, a.Moments[i-1].TS)
		}
		require.GreaterOrEqual(t, a.Plug().Battery.Ordered().ColdestC, min(pl.Road.AmbientC, 6)-1e-6)
	})
}

// A heater for as long as it takes: the coldest cell is just where it is wanted,
// and one minute less is not enough.
func TestHeatsNoLongerThanNeeded(t *testing.T) {
	pl := plan(func(p *prepare.Plan) { p.Way, p.NowPct, p.TargetC = prepare.Heater, 60, n(15) })
	p := prepare.Of(pl)
	require.Empty(t, p.Refusals)
	require.False(t, p.Approach.Short)
	assert.GreaterOrEqual(t, p.Approach.Plug().Battery.Ordered().ColdestC, 15.0)
	pl.WarmMin = n(p.Approach.WarmS/60 - 1)
	assert.Less(t, prepare.Of(pl).Approach.Plug().Battery.Ordered().ColdestC, 15.0)
	from, ok := p.Approach.HeatFromS()
	require.True(t, ok)
	assert.InDelta(t, -p.Approach.WarmS, from, 1)
	assert.InDelta(t, 4.4*p.Approach.WarmS/3600, p.Approach.KWh, 0.01)
}

// Navigation heats at most 30 minutes ahead and not below 20 % (common practice,
// no source).
func TestNavigationHeatsOnlyAboveItsLeastCharge(t *testing.T) {
	p := prepare.Of(plan(func(p *prepare.Plan) {
		p.Way, p.Car = prepare.Navigation, car(func(c *run.Car) { c.Preconditioning = "navigation" })
		p.Road.SpeedKmh, p.NowPct = 110, 60
	}))
	require.Empty(t, p.Refusals)
	warm := p.Approach.Phase(prepare.Warm)
	require.NotNil(t, warm)
	burn := p.Approach.Phase(prepare.Burn)
	assert.GreaterOrEqual(t, warm.FromS, burn.FromS-30*60-1)
	assert.InDelta(t, p.Approach.StopsS, warm.ToS, 1)
	for _, m := range p.Approach.Moments {
		if m.TS <= warm.ToS+1e-6 {
			assert.GreaterOrEqual(t, m.SoCPct, 19.99)
		}
	}
	assert.True(t, p.Approach.Short, "a few minutes cannot warm it from 6 °C to 25")
}

// Facts of the trade (common practice, no source), with the defaults of a 450 kg
// pack and nothing fitted to them.
func TestWarmingAsTestersReportIt(t *testing.T) {
	t.Run("hard driving takes a pack from 17.5 to 30 °C in about a quarter of an hour", func(t *testing.T) {
		p := prepare.Of(plan(func(p *prepare.Plan) {
			p.Way, p.TargetC, p.NowPct, p.Km = prepare.Hard, n(30), 80, 5
			p.Now, p.Road = pack.Nodes{ColdestC: 17.5, WarmestC: 17.5}, prepare.Road{AmbientC: 10, SpeedKmh: 120}
			p.WarmMin = n(15)
		}))
		require.Empty(t, p.Refusals)
		before := 0.0
		for _, m := range p.Approach.Moments {
			if m.TS <= p.Approach.Phase(prepare.Warm).FromS+1e-6 {
				before = m.Battery.MeanC()
			}
		}
		rise := p.Approach.Plug().Battery.MeanC() - before
		assert.InDelta(t, 12.5, rise, 4)
	})
	t.Run("motorway driving at 2 °C settles in the high teens, and takes 150 to 200 km to show", func(t *testing.T) {
		long := prepare.Of(plan(func(p *prepare.Plan) {
			p.Car = car(func(c *run.Car) { c.UsableKWh, c.BatteryMassKg = n(75), n(450); c.ConsumptionWhKm = n(180) })
			p.NowPct, p.FromPct, p.BurnPct = 100, 6, 0
			p.Now, p.Road = pack.Nodes{ColdestC: 6, WarmestC: 6}, prepare.Road{AmbientC: 2, SpeedKmh: 120}
		}))
		require.Empty(t, long.Refusals)
		end := long.Approach.Plug().Battery.MeanC()
		assert.InDelta(t, 15, end, 3, "after %.0f km", long.Approach.Km)
		var at50, at175 float64
		for _, m := range long.Approach.Moments {
			km := (m.TS - long.Approach.LeaveS()) / 3600 * 120
			if km <= 50 {
				at50 = m.Battery.MeanC()
			}
			if km <= 175 {
				at175 = m.Battery.MeanC()
			}
		}
		assert.Less(t, at50, 10.5)
		assert.Greater(t, at175, at50+2.5)
	})
	t.Run("at 14 °C a car begins at about half of what it peaks at preconditioned", func(t *testing.T) {
		// "60 kW without and 120 to 130 with": what the cold pack takes at first. This car's
		// heater goes on in the session, so that its power climbs later.
		pl := plan(func(p *prepare.Plan) {
			p.Car = car(func(c *run.Car) { c.MaxKW, c.HeaterKW = n(128), n(6) })
			p.Way, p.NowPct, p.ToPct = prepare.Heater, 70, 40
			p.Now, p.Road = pack.Nodes{ColdestC: 14, WarmestC: 14}, prepare.Road{AmbientC: 14, SpeedKmh: 60}
		})
		p := prepare.Of(pl)
		require.Empty(t, p.Refusals)
		assert.InDelta(t, 125, option(p, prepare.Heater).PeakKW, 8)
		pl.Way = prepare.Nothing
		cold := prepare.Of(pl).Forecast.Steps[90] // past handshake and ramp
		assert.InDelta(t, 62, cold.PackKW, 10)
		assert.Positive(t, option(p, prepare.Heater).SavedS)
	})
}

func option(p *prepare.Prepared, w prepare.Way) prepare.Option {
	for _, o := range p.Options {
		if o.Way == w {
			return o
		}
	}
	return prepare.Option{}
}

// Above 20 °C outside preheating hardly matters; below about 10 it does (common
// practice, no source).
func TestPreheatingPaysInTheCold(t *testing.T) {
	saved := func(c float64) prepare.Option {
		p := prepare.Of(plan(func(p *prepare.Plan) {
			p.Way, p.NowPct, p.Now, p.Road.AmbientC = prepare.Heater, 60, pack.Nodes{ColdestC: c, WarmestC: c}, c
		}))
		require.Empty(t, p.Refusals)
		return option(p, prepare.Heater)
	}
	warm, cold := saved(23), saved(4)
	assert.Less(t, math.Abs(warm.SavedS), 90.0)
	assert.False(t, warm.Pays())
	assert.Greater(t, cold.SavedS, 300.0)
	assert.True(t, cold.Pays())
}

func TestRefusals(t *testing.T) {
	for _, tt := range []struct {
		name   string
		change func(*prepare.Plan)
		at     string
		says   string
	}{
		{"above the present charge", func(p *prepare.Plan) { p.FromPct = 40 }, "from", "at 34 % now"},
		{"does not get there", func(p *prepare.Plan) { p.Km = 300 }, "now", "does not get there"},
		{"arrives too low", func(p *prepare.Plan) { p.NowPct = 12 }, "now", "under the 10 %"},
		{"window upside down", func(p *prepare.Plan) { p.ToPct = 8 }, "to", "above the charge to start from"},
		{"no capacity", func(p *prepare.Plan) { p.Car = &run.Car{} }, "car", "usable capacity"},
		{"voltages upside down", func(p *prepare.Plan) {
			p.Car = car(func(c *run.Car) { c.PackMinV, c.PackMaxV = n(400), n(300) })
		}, "car", "lowest voltage is above"},
		{"voltages do not meet", func(p *prepare.Plan) { p.Stall = &run.Stall{MinV: n(600), MaxV: n(1000)} }, "stall",
			"cannot charge this car"},
		{"no such way", func(p *prepare.Plan) { p.Way = prepare.Navigation }, "way", "not in this car"},
		{"too slow a stall for the navigation", func(p *prepare.Plan) {
			p.Way, p.Car = prepare.Navigation, car(func(c *run.Car) { c.Preconditioning = "navigation" })
			p.Stall = &run.Stall{RatedKW: n(22)}
		}, "way", "50 kW"},
		{"run-out without a fallback", func(p *prepare.Plan) { p.FromPct = 2 }, "fallback", "second stall"},
		{"run-out with one too far", func(p *prepare.Plan) {
			p.FromPct, p.Fallback = 3, &prepare.Fallback{Name: "Upper Weir", Km: 30}
		}, "fallback", "Upper Weir is 30 km on"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			p := prepare.Of(plan(tt.change))
			require.NotEmpty(t, p.Refusals)
			assert.Equal(t, tt.at, p.Refusals[0].At)
			assert.Contains(t, p.Refusals[0].Reason.Kept(), tt.says)
			assert.Nil(t, p.Approach)
		})
	}
}

// 6 km at 2 °C and 80 km/h: 200 × (0.62·0.52893·293.15/275.15 + 0.34·1.108 + 0.055)
// = 156.22 Wh/km, 0.937 kWh, 1.2498 % of 75 kWh.
func TestFallback(t *testing.T) {
	p := prepare.Of(plan(func(p *prepare.Plan) { p.Fallback = &prepare.Fallback{Name: "Upper Weir", Km: 6} }))
	require.NotNil(t, p.Fallback)
	assert.InDelta(t, 1.2498, p.Fallback.NeedPct, 0.001)
	assert.InDelta(t, 10-1.2498, p.Fallback.LeftPct, 0.001)
	assert.True(t, p.Fallback.Reachable)

	zero := prepare.Of(plan(func(p *prepare.Plan) {
		p.FromPct, p.Fallback = 0, &prepare.Fallback{Name: "Lower Weir 2", SameSite: true}
	}))
	assert.Empty(t, zero.Refusals, "a second stall at the site will do")

	near := prepare.Of(plan(func(p *prepare.Plan) {
		p.FromPct, p.Fallback = 1, &prepare.Fallback{Name: "Lower Weir", Km: 1.6}
	}))
	assert.Empty(t, near.Refusals, "a mile takes a third of a percent: more than half of one is left")
	never := prepare.Of(plan(func(p *prepare.Plan) { p.NowPct, p.FromPct, p.Km = 3, 1, 60 }))
	assert.Len(t, never.Refusals, 1, "a car that does not get there runs out of nothing at the stall")
}

// A warm pack before a night at −5 °C is charged sooner than behind it; where it is as cold as that already,
// nothing is said.
func TestBeforeANight(t *testing.T) {
	p := prepare.Of(plan(func(p *prepare.Plan) {
		p.Now, p.Road.AmbientC = pack.Nodes{ColdestC: 24, WarmestC: 26}, -5
	}))
	require.NotNil(t, p.Night)
	assert.Equal(t, -5.0, p.Night.MorningC)
	assert.Greater(t, p.Night.NowC, 15.0)
	assert.Greater(t, p.Night.MorningS, p.Night.NowS+180, "a pack of −5 °C takes minutes more")
	more := math.Round(p.Night.MorningS/60) - math.Round(p.Night.NowS/60)
	assert.Contains(t, p.Night.Said().Kept(), fmt.Sprintf("takes %.0f min more", more))
	posts := p.Forecast.Posts
	assert.InDelta(t, posts[len(posts)-1].TS, p.Night.NowS, 1, "the same charge as the forecast's")
	cold := prepare.Of(plan(func(p *prepare.Plan) {
		p.Now, p.Road.AmbientC, p.Way = pack.Nodes{ColdestC: -5, WarmestC: -5}, -5, prepare.Nothing
	}))
	require.NotNil(t, cold.Approach)
	assert.Nil(t, cold.Night)
}

func TestMethodsAreWhole(t *testing.T) {
	for _, m := range prepare.Methods {
		assert.Less(t, m.FromPct, m.ToPct, m.Name)
		assert.NotEmpty(t, m.Why, m.Name)
		assert.NotEmpty(t, m.Same, m.Name)
		assert.NotEmpty(t, m.Log, m.Name)
		assert.Contains(t, run.Clocks, m.Clock, m.Name)
		assert.Contains(t, run.Climates, m.Climate, m.Name)
		assert.Positive(t, m.Repeats, m.Name)
		got, ok := prepare.MethodOf(m.Key)
		assert.True(t, ok && got.Name == m.Name, m.Name)
	}
	_, ok := prepare.MethodOf("none of them")
	assert.False(t, ok)
}

// The cautions come with what makes them due, and none comes twice.
func TestCautions(t *testing.T) {
	method := func(key string) prepare.Method { m, _ := prepare.MethodOf(key); return m }
	list := func(key string, change func(*prepare.Plan)) []string {
		c := prepare.ListOf(prepare.Of(plan(change)), method(key)).Cautions
		seen := map[string]bool{}
		for _, s := range c {
			assert.False(t, seen[s.Kept()], s)
			seen[s.Kept()] = true
		}
		return say.AllKept(c)
	}
	plain := list("stop", nil)
	assert.Contains(t, plain[0], "under load")
	for _, s := range plain {
		assert.NotContains(t, s, "0 %")
	}
	assert.Contains(t, list("full", func(p *prepare.Plan) { p.FromPct, p.ToPct = 0, 100 }),
		"Do not run to 0 % without a reachable fallback, and never where stopping would be dangerous.")
	hard := list("stop", func(p *prepare.Plan) { p.Way = prepare.Hard })
	assert.Contains(t, hard[1], "legal")
	adapter := list("stop", func(p *prepare.Plan) { p.Adapter = &run.Adapter{Name: "Bobbin"} })
	assert.Contains(t, adapter[1], "never chain")
}

func BenchmarkPrepare(b *testing.B) {
	pl := plan(func(p *prepare.Plan) { p.Way = prepare.Heater; p.NowPct = 60 })
	for b.Loop() {
		prepare.Of(pl)
	}
}

// A wish that cannot be met is said: 24 points of 75 kWh are 18 kWh, and with the way of
// 18 km driven (about 3.4 kWh) a heater of 4.4 kW cannot take more than 3.3 h; 60 minutes
// can be, five hours cannot.
func TestAWishThatCannotBeMetIsSaid(t *testing.T) {
	of := func(minutes float64, way prepare.Way, change func(*run.Car)) *prepare.Approach {
		p := prepare.Of(plan(func(p *prepare.Plan) { p.Way, p.WarmMin, p.Car = way, n(minutes), car(change) }))
		require.Empty(t, p.Refusals)
		return p.Approach
	}
	a := of(60, prepare.AtHome, nil)
	assert.Empty(t, a.Limit)
	assert.InDelta(t, 3600, a.WarmS, 1)
	a = of(300, prepare.AtHome, nil)
	assert.Equal(t, "charge and distance allow no more", a.Limit.Kept())
	assert.Less(t, a.WarmS, 3.4*3600)
	nav := func(c *run.Car) { c.Preconditioning = "navigation" }
	assert.Equal(t, "navigation and charge allow no more", of(60, prepare.Navigation, nav).Limit.Kept(),
		"30 minutes ahead")

	stops := func(c *run.Car) { c.HeaterStopC = n(9) }
	a = of(60, prepare.AtTheSite, stops)
	assert.Equal(t, "the heater stops by itself at 9 °C", a.Limit.Kept())
	assert.InDelta(t, 9, a.Plug().Battery.Ordered().ColdestC, 0.7)
}

// Heated while parked: at home it ends as the car sets off, there as the plug goes in,
// which keeps the pack warmer; and both take what they take from what is driven off.
func TestHeatingWhileParked(t *testing.T) {
	of := func(way prepare.Way) *prepare.Approach {
		p := prepare.Of(plan(func(p *prepare.Plan) { p.Way, p.WarmMin = way, n(45) }))
		require.Empty(t, p.Refusals)
		return p.Approach
	}
	home, there := of(prepare.AtHome), of(prepare.AtTheSite)
	from, ok := home.HeatFromS()
	require.True(t, ok)
	assert.InDelta(t, home.LeaveS(), from, 1)
	assert.InDelta(t, from+45*60, home.DepartS(), 1)
	from, _ = there.HeatFromS()
	assert.InDelta(t, -45*60, from, 1)
	assert.InDelta(t, there.LeaveS(), there.DepartS(), 1)
	for _, a := range []*prepare.Approach{home, there} {
		assert.InDelta(t, 3.3, a.KWh, 0.001, "4.4 kW for 45 min")
		assert.InDelta(t, 10, a.Plug().SoCPct, 0.02)
	}
	assert.InDelta(t, home.Km, there.Km, 0.01)
	assert.Greater(t, there.Plug().Battery.Ordered().ColdestC, of(prepare.Steady).Plug().Battery.Ordered().ColdestC+3)
}

// Two ways together warm more than either alone.
func TestWaysTogether(t *testing.T) {
	warm := func(way prepare.Way, change func(*run.Car)) float64 {
		p := prepare.Of(plan(func(p *prepare.Plan) { p.Way, p.WarmMin, p.NowPct, p.Car = way, n(20), 60, car(change) }))
		require.Empty(t, p.Refusals)
		return p.Approach.Plug().Battery.Ordered().ColdestC
	}
	both := warm(prepare.HeaterHard, nil)
	assert.Greater(t, both, warm(prepare.Heater, nil))
	assert.Greater(t, both, warm(prepare.Hard, nil))
	assert.Greater(t, warm(prepare.ChargedHeater, nil), warm(prepare.Charged, nil))
	nav := func(c *run.Car) { c.Preconditioning = "navigation" }
	assert.Greater(t, warm(prepare.ChargedNavigation, nav), warm(prepare.Charged, nav))
}

// Navigation's limits are the car's own where they are noted.
func TestNavigationLimitsOfTheCar(t *testing.T) {
	of := func(nav *run.Navigation) *prepare.Prepared {
		return prepare.Of(plan(func(p *prepare.Plan) {
			p.Way, p.NowPct, p.TargetC = prepare.Navigation, 60, n(60)
			p.Car = car(func(c *run.Car) { c.Preconditioning, c.Navigation = "navigation", nav })
		}))
	}
	usual, early := of(nil).Approach, of(&run.Navigation{LeadMin: n(60), MinPct: n(0)}).Approach
	assert.LessOrEqual(t, usual.WarmS, 30*60.0)
	assert.Less(t, usual.StopsS, 0.0, "not below 20 %")
	assert.InDelta(t, 60*60, early.WarmS, 1)
	assert.Zero(t, early.StopsS)
	strict := of(&run.Navigation{MinKW: n(400)})
	require.NotEmpty(t, strict.Refusals)
	assert.Contains(t, strict.Refusals[0].Reason.Kept(), "only for stalls of 400 kW and more")
}
