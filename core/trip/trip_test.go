package trip

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/internal/sampled"
)

// somewhere is a trip that the car could go, or not.
func somewhere(rng *rand.Rand, sites int) Trip {
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	t := Trip{Car: &run.Car{Name: "Alder", UsableKWh: run.N(math.Round(between(45, 90))), Chemistry: "NMC",
		MaxKW: run.N(math.Round(between(80, 220))), ConsumptionWhKm: run.N(math.Round(between(150, 230)))},
		DistanceKm: math.Round(between(300, 800)), SpeedKmh: math.Round(between(80, 130)),
		StartPct: math.Round(between(60, 100)), ArrivePct: 10, ReservePct: 6, AmbientC: between(-5, 25), BatteryC: 18,
		BatteryAtStopsC: run.N(math.Round(between(15, 35))), Weigh: Weigh(Weighs[rng.IntN(3)])}
	for i := range sites {
		t.Sites = append(t.Sites, Site{Name: fmt.Sprint("Mill ", i+1),
			AtKm:     math.Round(t.DistanceKm * (float64(i) + between(0.2, 0.9)) / float64(sites)),
			DetourKm: math.Round(between(0, 8)), DetourMin: math.Round(between(0, 9)), OverheadMin: 5,
			Stall: &run.Stall{RatedKW: run.N([]float64{50, 100, 150, 300}[rng.IntN(4)]), MaxA: run.N(500), MaxV: run.N(920),
				Tariff: &run.Tariff{Currency: "EUR", PerKWh: run.N(between(0.3, 0.8)), SessionFee: run.N(between(0, 2))}}})
	}
	return t
}

// everything tries all ways to stop, each left with every other per cent of charge, and gives the least of what is
// weighed; +Inf where there is no way.
func everything(r *road) float64 {
	n := len(r.order)
	least := math.Inf(1)
	var from func(at int, leave, minutes, cost float64, stops int)
	from = func(at int, leave, minutes, cost float64, stops int) {
		if _, ok := r.goes(at, n, leave); ok {
			total := minutes + r.drivingMin(at, n)
			switch r.Weigh {
			case Money:
				total = cost
			case Stops:
				total = float64(stops)
			}
			least = math.Min(least, total)
		}
		for next := at + 1; next < n; next++ {
			arrive, ok := r.goes(at, next, leave)
			if !ok {
				continue
			}
			reached := minutes + r.drivingMin(at, next) + r.Sites[r.order[next]].overheadMin(r.SpeedKmh)
			plugged := r.tables.arrive(r.order[next], arrive, *r.BatteryAtStopsC)
			for to := 2 * int(math.Ceil((arrive+leastPct)/2)); to <= 100; to += 2 {
				c, ok := plugged.to(to)
				if !ok {
					break
				}
				from(next, float64(to), reached+c.min, cost+c.cost, stops+1)
			}
		}
	}
	from(-1, r.StartPct, 0, 0, 0)
	return least
}

// The best plan of a trip is never worse than the best of all that there are, and every plan adds up, under no reserve.
func TestFindsTheBest(t *testing.T) {
	rng := rand.New(rand.NewPCG(28, 1))
	ways := 0
	all := sampled.Of(200)
	for i := range all {
		sites := 1 + i%2
		if i%8 == 0 {
			sites = 3
		}
		trip := somewhere(rng, sites)
		plans, err := Find(trip)
		require.NoError(t, err)
		r := &road{Trip: &trip}
		ready(t, r)
		least := everything(r)
		if math.IsInf(least, 1) {
			if len(plans.Plans) == 0 {
				assert.NotEmpty(t, plans.Unreachable)
			}
			continue
		}
		require.NotEmpty(t, plans.Plans, "trip %d: %s", i, plans.Unreachable)
		ways++
		got := plans.Plans[0]
		value := map[Weigh]float64{Minutes: got.Minutes, Money: got.Cost, Stops: float64(len(got.Stops))}[trip.Weigh]
		assert.LessOrEqual(t, value, least*1.007+1e-6, "trip %d by %s", i, trip.Weigh)
		for _, p := range plans.Plans {
			addsUp(t, &trip, p)
		}
	}
	assert.Greater(t, ways, all*2/5, "of %d", all)
}

// ready makes a trip's tables as Find does.
func ready(t *testing.T, r *road) {
	t.Helper()
	var err error
	r.car = r.Car
	r.pack, err = pack.For(r.car)
	require.NoError(t, err)
	for i := range r.Sites {
		r.order = append(r.order, i)
	}
	r.way = r.wayOf(*r.car.ConsumptionWhKm)
	r.legs = r.legsOf()
	r.tables = newTables(r)
}

// addsUp holds a plan against the trip: charge by kilometres, minutes by their parts, and each charge by a forecast of
// its own.
func addsUp(t *testing.T, trip *Trip, p Plan) {
	t.Helper()
	perKm := *trip.Car.ConsumptionWhKm / 10 / *trip.Car.UsableKWh
	pct, at, charging, overhead, cost := trip.StartPct, 0.0, 0.0, 0.0, 0.0
	out := 0.0 // half of the last detour
	for _, s := range p.Stops {
		site := trip.Sites[s.Site]
		pct -= perKm * (site.AtKm - at + out + site.DetourKm/2)
		assert.InDelta(t, pct, s.ArrivePct, 1e-6, "%s at %s", p.Name, site.Name)
		assert.GreaterOrEqual(t, s.ArrivePct, trip.ReservePct-1e-6)
		alone, err := forecast.Quick(forecast.Plan{Car: trip.Car, Stall: site.Stall, FromPct: s.ArrivePct, ToPct: s.LeavePct,
			Battery: pack.Nodes{ColdestC: s.BatteryC, WarmestC: s.BatteryC}, AmbientC: trip.AmbientC})
		require.NoError(t, err)
		assert.InDelta(t, alone.TS/60, s.ChargeMin, 0.01*alone.TS/60+0.1, "%s at %s, from %.1f to %g", p.Name, site.Name,
			s.ArrivePct, s.LeavePct)
		assert.InDelta(t, alone.StallKWh, s.EnergyKWh, 0.02*alone.StallKWh+0.1)
		pct, at, out = s.LeavePct, site.AtKm, site.DetourKm/2
		detour := site.DetourMin
		if detour == 0 {
			detour = site.DetourKm / trip.SpeedKmh * 60
		}
		charging, overhead, cost = charging+s.ChargeMin, overhead+detour+site.OverheadMin, cost+s.Cost
		assert.NotEmpty(t, s.Why)
	}
	assert.InDelta(t, pct-perKm*(trip.DistanceKm-at+out), p.ArrivePct, 1e-6, p.Name)
	assert.GreaterOrEqual(t, p.ArrivePct, trip.ArrivePct-1e-6, p.Name)
	assert.InDelta(t, trip.DistanceKm/trip.SpeedKmh*60, p.DrivingMin, 1e-6)
	assert.InDelta(t, charging, p.ChargingMin, 1e-6)
	assert.InDelta(t, overhead, p.OverheadMin, 1e-6)
	assert.InDelta(t, cost, p.Cost, 1e-6)
	assert.InDelta(t, p.DrivingMin+p.ChargingMin+p.OverheadMin, p.Minutes, 1e-6)
}

// A worked example by hand: 60 kWh, 200 Wh/km is a third of a per cent a kilometre. 90 % are 270 km, less the reserve;
// at km 200, 10 km aside, 90 - (200+5)/3 = 21.67 % are left, and (100+5)/3 + 10 = 45 % is what the rest needs.
func TestOneStopByHand(t *testing.T) {
	trip := Trip{Car: &run.Car{UsableKWh: run.N(60), Chemistry: "NMC", MaxKW: run.N(150), ConsumptionWhKm: run.N(200)},
		DistanceKm: 300, SpeedKmh: 100, StartPct: 90, ArrivePct: 10, ReservePct: 6, AmbientC: 20, BatteryC: 25,
		BatteryAtStopsC: run.N(28), Weigh: Minutes,
		Sites: []Site{{Name: "Weir Mill", AtKm: 200, DetourKm: 10, DetourMin: 8, OverheadMin: 5,
			Stall: &run.Stall{RatedKW: run.N(150), MaxA: run.N(500), MaxV: run.N(920)}}}}
	plans, err := Find(trip)
	require.NoError(t, err)
	require.NotEmpty(t, plans.Plans)
	p := plans.Plans[0]
	require.Len(t, p.Stops, 1)
	assert.Equal(t, "fastest", p.Name)
	assert.InDelta(t, 21.667, p.Stops[0].ArrivePct, 0.001)
	assert.Equal(t, 45.0, p.Stops[0].LeavePct)
	assert.InDelta(t, 180, p.DrivingMin, 1e-9)
	assert.InDelta(t, 13, p.OverheadMin, 1e-9)
	assert.Contains(t, p.Stops[0].Why.Kept(), "the end")
	assert.Empty(t, p.Currency)
}

// What cannot be reached is said with the gap; a wrong trip is refused.
func TestUnreachable(t *testing.T) {
	trip := Trip{Car: &run.Car{UsableKWh: run.N(60), ConsumptionWhKm: run.N(200)}, DistanceKm: 800, SpeedKmh: 100,
		StartPct: 90, ArrivePct: 10, ReservePct: 6, AmbientC: 20, BatteryC: 25, Weigh: Minutes,
		Sites: []Site{{Name: "Weir Mill", AtKm: 200, Stall: &run.Stall{RatedKW: run.N(150)}},
			{Name: "Slate Quarry", AtKm: 600, Stall: &run.Stall{RatedKW: run.N(150)}}}}
	plans, err := Find(trip)
	require.NoError(t, err)
	assert.Empty(t, plans.Plans)
	assert.Contains(t, plans.Unreachable.Kept(), "From Weir Mill to Slate Quarry: 400 km take 133 %")

	for _, wrong := range []func(*Trip){
		func(t *Trip) { t.SpeedKmh = 0 }, func(t *Trip) { t.StartPct = 120 }, func(t *Trip) { t.Weigh = "luck" },
		func(t *Trip) { t.Sites[0].AtKm = 900 }, func(t *Trip) { t.Sites[0].DetourKm = -1 },
		func(t *Trip) { t.Car = &run.Car{UsableKWh: run.N(60)} }, func(t *Trip) { t.Car = nil },
		func(t *Trip) { t.BatteryC = math.NaN() },
	} {
		bad := trip
		bad.Sites = append([]Site{}, trip.Sites...)
		wrong(&bad)
		_, err := Find(bad)
		assert.Error(t, err)
	}
}

// A stronger stall, a warmer pack, or a site nearer to the way never makes the fastest plan slower.
func TestBetterIsNeverSlower(t *testing.T) {
	rng := rand.New(rand.NewPCG(28, 2))
	for i := range sampled.Of(40) {
		trip := somewhere(rng, 3)
		trip.Weigh = Minutes
		was, err := Find(trip)
		require.NoError(t, err)
		if len(was.Plans) == 0 {
			continue
		}
		for name, change := range map[string]func(*Trip){
			"stronger": func(t *Trip) { s := *t.Sites[0].Stall; s.RatedKW = run.N(*s.RatedKW + 60); t.Sites[0].Stall = &s },
			"warmer":   func(t *Trip) { t.BatteryAtStopsC = run.N(min(36, *t.BatteryAtStopsC+5)) },
			"nearer":   func(t *Trip) { t.Sites[1].DetourKm /= 2 },
		} {
			better := trip
			better.Sites = append([]Site{}, trip.Sites...)
			change(&better)
			is, err := Find(better)
			require.NoError(t, err)
			require.NotEmpty(t, is.Plans)
			assert.LessOrEqual(t, is.Plans[0].Minutes, was.Plans[0].Minutes+0.05, "trip %d, %s", i, name)
		}
	}
}

// Where the pack's temperature is worked out, a cold start makes the first stop longer than a warm one, and driving
// brings a warm pack down towards the air.
func TestThePackOnTheWay(t *testing.T) {
	trip := Trip{Car: &run.Car{UsableKWh: run.N(60), Chemistry: "NMC", MaxKW: run.N(150), ConsumptionWhKm: run.N(180)},
		DistanceKm: 500, SpeedKmh: 110, StartPct: 80, ArrivePct: 10, ReservePct: 6, AmbientC: 0, Weigh: Minutes,
		Sites: []Site{{Name: "Weir Mill", AtKm: 180, Stall: &run.Stall{RatedKW: run.N(150), MaxA: run.N(500)}},
			{Name: "Slate Quarry", AtKm: 330, Stall: &run.Stall{RatedKW: run.N(150), MaxA: run.N(500)}}}}
	first := func(startC float64) Stop {
		trip.BatteryC = startC
		plans, err := Find(trip)
		require.NoError(t, err)
		require.NotEmpty(t, plans.Plans)
		return plans.Plans[0].Stops[0]
	}
	cold, warm := first(2), first(30)
	assert.Less(t, cold.BatteryC, warm.BatteryC)
	assert.Less(t, warm.BatteryC, 30.0)
	perPoint := func(s Stop) float64 { return s.ChargeMin / (s.LeavePct - s.ArrivePct) }
	assert.Greater(t, perPoint(cold), perPoint(warm))
}
