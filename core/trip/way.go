package trip

import (
	"math"

	"zincroad/core/prepare"
)

const (
	gravity = 9.81
	// wheelShare is how much of the pack's energy reaches the wheels, and how much of theirs comes back (from memory).
	wheelShare = 0.9
	// UsualMassKg stands in for a car's mass with its load (common practice, no source).
	UsualMassKg = 2100
	wattHour    = 3600.0
)

// Weather is what the way is driven in, where its consumption is to go by speed and weather.
type Weather struct {
	HeadwindKmh float64 // below 0: it comes from behind
	Rain        bool
	ClimateKW   float64 // drawn by the cabin
}

// way is what driving takes from the start on: the pack's kWh at each kilometre, linear between.
type way struct {
	km, kWh []float64
	flat    float64 // Wh/km on the level
}

// wayOf works out what driving takes. On the level it is the noted consumption, or what that comes to at the trip's
// speed, temperature and weather (prepare.Road). On a slope the wheels have the car's weight to lift besides: a force
// of mass × g × the slope. What they take they take through the drive's losses, and what they brake comes back through
// them.
func (r *road) wayOf(whPerKm float64) way {
	wheels, hourly := whPerKm, 0.0
	if r.Weather != nil {
		on := prepare.Road{AmbientC: r.AmbientC, SpeedKmh: r.SpeedKmh, HeadwindKmh: r.Weather.HeadwindKmh,
			Rain: r.Weather.Rain, ClimateKW: r.Weather.ClimateKW}
		wheels, hourly, _ = on.Parts(r.car, r.capacityKWh())
	}
	w := way{km: []float64{0, r.DistanceKm}, flat: wheels + hourly}
	w.kWh = []float64{0, w.flat * r.DistanceKm / 1000}
	if r.Track == nil || len(r.Track.HeightM) == 0 {
		return w
	}
	w.km, w.kWh = w.km[:1], w.kWh[:1]
	longer := r.DistanceKm / r.Track.LengthKm()
	for i := 1; i < len(r.Track.Km); i++ {
		km := (r.Track.Km[i] - r.Track.Km[i-1]) * longer
		lift := r.massKg() * gravity * (r.Track.HeightM[i] - r.Track.HeightM[i-1]) / wattHour // Wh at the wheels
		atWheels := wheels*wheelShare*km + lift
		if atWheels > 0 {
			atWheels /= wheelShare
		} else {
			atWheels *= wheelShare
		}
		w.km = append(w.km, r.Track.Km[i]*longer)
		w.kWh = append(w.kWh, w.kWh[i-1]+(atWheels+hourly*km)/1000)
	}
	return w
}

// massKg is the car's with its load, or what stands in for it.
func (t *Trip) massKg() float64 {
	if t.MassKg == 0 {
		return UsualMassKg
	}
	return t.MassKg
}

// at is what driving takes as far as a kilometre.
func (w *way) at(km float64) float64 {
	i := 1
	for i < len(w.km)-1 && w.km[i] < km {
		i++
	}
	return w.kWh[i-1] + (w.kWh[i]-w.kWh[i-1])*(km-w.km[i-1])/(w.km[i]-w.km[i-1])
}

// leg is the driving from one place to another, in points of charge. Downhill the charge may rise: what would go over
// a full pack is lost.
type leg struct {
	takesPct   float64 // from door to door, nothing lost
	deepestPct float64 // the lowest it comes to lies so far under the charge that it is left with
	fallsPct   float64 // the most that it falls by from any place to one behind it: what is left of a full pack
	endsPct    float64 // the most that it falls by from any place to the end
}

// arrives is the charge at the end of a leg that is left with so much, and the least on it.
func (l leg) arrives(leavePct float64) (pct, lowestPct float64) {
	return math.Min(leavePct-l.takesPct, topPct-l.endsPct), math.Min(leavePct-l.deepestPct, topPct-l.fallsPct)
}

// legs are all legs between places, by place (0 is the start) and place behind it.
func (r *road) legsOf() [][]leg {
	n := len(r.order)
	out := make([][]leg, n+1)
	perKWh := 100 / r.capacityKWh()
	half := func(place int) float64 { // of a detour, kWh
		if place < 0 || place >= n {
			return 0
		}
		return r.Sites[r.order[place]].DetourKm / 2 * r.way.flat / 1000
	}
	for from := -1; from < n; from++ {
		out[from+1] = make([]leg, n+1)
		began := r.way.at(r.placeKm(from)) - half(from)
		var l leg
		high := began // the most charge since the leg began is where driving had taken least
		pass := func(kWh float64) {
			high = math.Min(high, kWh)
			l.takesPct = (kWh - began) * perKWh
			l.deepestPct = math.Max(l.deepestPct, l.takesPct)
			l.endsPct = (kWh - high) * perKWh
			l.fallsPct = math.Max(l.fallsPct, l.endsPct)
		}
		pass(began + half(from))
		next := 0
		for to := from + 1; to <= n; to++ {
			km := r.placeKm(to)
			for next < len(r.way.km) && r.way.km[next] < km {
				if r.way.km[next] > r.placeKm(from) {
					pass(r.way.kWh[next])
				}
				next++
			}
			pass(r.way.at(km))
			here, mark := l, high
			pass(r.way.at(km) + half(to))
			out[from+1][to] = l
			l, high = here, mark // the leg to a place behind it does not turn off here
		}
	}
	return out
}

// Charge is how full the car is at a kilometre of the way.
type Charge struct{ Km, Pct float64 }

// along is the charge from place to place, left with so much.
func (r *road) along(from, to int, leavePct float64) []Charge {
	a, b := r.placeKm(from), r.placeKm(to)
	perKWh := 100 / r.capacityKWh()
	out := []Charge{{a, leavePct}}
	last := r.way.at(a)
	for i := range r.way.km {
		if km := r.way.km[i]; km > a && km < b {
			out = append(out, Charge{km, math.Min(topPct, out[len(out)-1].Pct-(r.way.kWh[i]-last)*perKWh)})
			last = r.way.kWh[i]
		}
	}
	end, _ := r.leg(from, to).arrives(leavePct)
	return append(out, Charge{b, end})
}
