package trip

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/internal/sampled"
)

// north is a track straight north from the equator, with a height for each kilometre.
func north(t *testing.T, heightM ...float64) *Track {
	t.Helper()
	var points []Point
	for i, h := range heightM {
		points = append(points, Point{LatDeg: float64(i) * 180 / math.Pi / earthKm, LonDeg: 20, HeightM: h})
	}
	track, err := NewTrack(points)
	require.NoError(t, err)
	return track
}

// slope is a way of so many kilometres that climbs evenly.
func slope(km int, fromM, toM float64) []float64 {
	var out []float64
	for i := range km + 1 {
		out = append(out, fromM+(toM-fromM)*float64(i)/float64(km))
	}
	return out
}

// A degree of a great circle of the mean sphere is 6371.0088 π/180 = 111.195 km; a quarter of it 10,007.6 (IUGG).
func TestTrackIsMeasured(t *testing.T) {
	track, err := NewTrack([]Point{{60, 10, math.NaN()}, {61, 10, math.NaN()}})
	require.NoError(t, err)
	assert.InDelta(t, 111.195, track.LengthKm(), 0.001)
	assert.Nil(t, track.HeightM)
	track, err = NewTrack([]Point{{0, 170, 0}, {0, -100, 0}})
	require.NoError(t, err)
	assert.InDelta(t, 10007.557, track.LengthKm(), 0.01)
	at, aside := track.Nearest(1, -179) // 11 degrees on, over the line where a day begins, and one aside
	assert.InDelta(t, 11*111.195, at, 1)
	assert.InDelta(t, 111.195, aside, 0.1)
	for _, wrong := range [][]Point{nil, {{1, 1, 0}}, {{1, 1, 0}, {1, 1, 0}}, {{91, 0, 0}, {0, 0, 0}},
		{{math.NaN(), 0, 0}, {0, 0, 0}}} {
		_, err := NewTrack(wrong)
		assert.Error(t, err)
	}
}

// A receiver that wanders by five metres makes no climb of a flat road: a place every 50 m sums up to 10 m each time,
// 4 km of it in 20; and where it lost the height the way goes on evenly.
func TestHeightsThatWander(t *testing.T) {
	var points []Point
	for i := range 401 {
		h := 100 + 5*float64(1-2*(i%2))
		if i > 200 && i < 260 {
			h = math.NaN()
		}
		points = append(points, Point{float64(i) * 0.05 * 180 / math.Pi / earthKm, 0, h})
	}
	track, err := NewTrack(points)
	require.NoError(t, err)
	assert.Less(t, track.ClimbM(), 25.0)
	for _, h := range track.HeightM {
		assert.InDelta(t, 100, h, 5)
	}
	assert.InDelta(t, 500, north(t, slope(20, 0, 500)...).ClimbM(), 15)
}

// driving is what a car of 2,000 kg takes that takes 200 Wh/km on the level, kWh.
func driving(t *testing.T, track *Track) float64 {
	t.Helper()
	r := &road{Trip: &Trip{DistanceKm: track.LengthKm(), SpeedKmh: 100, Track: track, MassKg: 2000}}
	w := r.wayOf(200)
	return w.at(r.DistanceKm)
}

// By hand: 2,000 kg lifted 500 m are 2000 × 9.81 × 500 / 3600 = 2,725 Wh at the wheels. Up, they cost that over 0.9;
// down a gentle slope they save as much, for the wheels still pull; down a steep one, 5 km of 10 %, they push with
// 2,725 - 5 × 180 = 1,825 Wh, of which 0.9 come back. The ends of a track are seen half a node high, hence the tenth.
func TestClimbsByHand(t *testing.T) {
	level := driving(t, north(t, slope(20, 300, 300)...))
	assert.InDelta(t, 4, level, 1e-6)
	assert.InDelta(t, 4+2.725/0.9, driving(t, north(t, slope(20, 0, 500)...)), 0.1)
	assert.InDelta(t, 4-2.725/0.9, driving(t, north(t, slope(20, 500, 0)...)), 0.1)
	assert.InDelta(t, -1.825*0.9, driving(t, north(t, slope(5, 500, 0)...)), 0.15)
}

// The air takes 62 of 100 at 110 km/h and 20 °C: at 55 km/h a quarter of that, and what is drawn by the hour twice.
func TestWeatherByHand(t *testing.T) {
	r := &road{Trip: &Trip{Car: &run.Car{UsableKWh: run.N(60)}, DistanceKm: 100, SpeedKmh: 55, AmbientC: 20,
		Weather: &Weather{}}, car: &run.Car{ConsumptionWhKm: run.N(200)}}
	w := r.wayOf(200)
	assert.InDelta(t, 20*(0.62/4+0.34+0.08), w.at(100), 1e-9)
	r.Weather.ClimateKW = 1.1
	w = r.wayOf(200)
	assert.InDelta(t, 20*(0.62/4+0.34+0.08)+2, w.at(100), 1e-9)
}

// Over a pass: the way down gives back what leaves enough at the stop behind it, but the top would be come to with less
// than the reserve, so the stop before it charges for the top. A plan never dips under the reserve on the way.
func TestAPassIsChargedFor(t *testing.T) {
	heights := append(slope(60, 200, 200), slope(20, 230, 1800)...)
	heights = append(heights, slope(20, 1720, 200)...)
	heights = append(heights, slope(40, 200, 200)...)
	track := north(t, heights...)
	trip := Trip{Car: &run.Car{UsableKWh: run.N(50), Chemistry: "NMC", MaxKW: run.N(100), ConsumptionWhKm: run.N(200)},
		DistanceKm: track.LengthKm(), SpeedKmh: 80, StartPct: 50, ArrivePct: 5, ReservePct: 10, AmbientC: 20, BatteryC: 25,
		BatteryAtStopsC: run.N(28), Weigh: Minutes, Track: track, MassKg: 2200,
		Sites: []Site{{Name: "Weir Mill", AtKm: 55, Stall: &run.Stall{RatedKW: run.N(100), MaxA: run.N(300)}},
			{Name: "Slate Quarry", AtKm: 101, Stall: &run.Stall{RatedKW: run.N(100), MaxA: run.N(300)}}}}
	plans, err := Find(trip)
	require.NoError(t, err)
	require.NotEmpty(t, plans.Plans, plans.Unreachable.Kept())
	fastest := plans.Plans[0]
	assert.Equal(t, 0, fastest.Stops[0].Site)
	lowest := 100.0
	for _, c := range fastest.Along {
		lowest = math.Min(lowest, c.Pct)
	}
	assert.GreaterOrEqual(t, lowest, 5-1e-9)
	flat := trip
	flat.Track = nil
	level, err := Find(flat)
	require.NoError(t, err)
	require.NotEmpty(t, level.Plans)
	assert.Greater(t, fastest.Stops[0].LeavePct, level.Plans[0].Stops[0].LeavePct+10)
	assert.InDelta(t, fastest.Minutes-fastest.ChargingMin-fastest.OverheadMin, fastest.DrivingMin, 1e-9)

	trip.Sites = trip.Sites[1:] // the stop behind the pass alone: the start is not enough for the top
	plans, err = Find(trip)
	require.NoError(t, err)
	assert.Contains(t, plans.Unreachable.Kept(), "From the start to Slate Quarry")
}

// A leg is what driving it metre by metre comes to, with nothing put into a full pack: 200 ways of random hills.
func TestLegsAgainstDriving(t *testing.T) {
	rng := rand.New(rand.NewPCG(28, 3))
	for range sampled.Of(200) {
		h := []float64{rng.Float64() * 2000}
		for range 30 + rng.IntN(60) {
			h = append(h, math.Max(0, h[len(h)-1]+(rng.Float64()-0.5)*250))
		}
		track := north(t, h...)
		trip := Trip{Car: &run.Car{UsableKWh: run.N(20 + 40*rng.Float64())}, Track: track, DistanceKm: track.LengthKm(),
			SpeedKmh: 90, MassKg: 1500 + 2000*rng.Float64()}
		for range 3 {
			trip.Sites = append(trip.Sites, Site{AtKm: rng.Float64() * trip.DistanceKm, DetourKm: 4 * rng.Float64()})
		}
		r := &road{Trip: &trip, order: []int{0, 1, 2}, car: trip.Car}
		for i := range r.order { // in order of the way
			for j := range i {
				if trip.Sites[r.order[j]].AtKm > trip.Sites[r.order[i]].AtKm {
					r.order[i], r.order[j] = r.order[j], r.order[i]
				}
			}
		}
		r.way = r.wayOf(120 + 100*rng.Float64())
		r.legs = r.legsOf()
		from := rng.IntN(4) - 1
		to := from + 1 + rng.IntN(3-from)
		leave := 60 + 40*rng.Float64()
		arrive, lowest := r.leg(from, to).arrives(leave)

		charge, least := leave, leave
		drive := func(kWh float64) {
			charge = math.Min(100, charge-kWh/r.capacityKWh()*100)
			least = math.Min(least, charge)
		}
		aside := func(place int) float64 {
			if place < 0 || place > 2 {
				return 0
			}
			return trip.Sites[r.order[place]].DetourKm / 2 * r.way.flat / 1000
		}
		drive(aside(from))
		a, b := r.placeKm(from), r.placeKm(to)
		const steps = 20_000
		for i := range steps {
			drive(r.way.at(a+(b-a)*float64(i+1)/steps) - r.way.at(a+(b-a)*float64(i)/steps))
		}
		drive(aside(to))
		assert.InDelta(t, charge, arrive, 0.05)
		assert.InDelta(t, least, lowest, 0.05)
		along := r.along(from, to, leave)
		assert.InDelta(t, arrive, along[len(along)-1].Pct, 1e-9)
	}
}
