package prepare

import (
	"math"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
)

// Road is what the way to the stall is like.
type Road struct {
	AmbientC    float64
	SpeedKmh    float64 // mean speed; 0: DefaultSpeedKmh
	HeadwindKmh float64 // below 0: it comes from behind
	Rain        bool
	ClimateKW   float64 // drawn by the cabin while driving
}

// DefaultSpeedKmh is a country road with some motorway.
const DefaultSpeedKmh = 80

// Consumption is noted as it was observed on the highway: at 110 km/h and 20 °C
// (common practice, no source). Of that, so much goes into air and tyres; the rest
// is drawn by the hour whatever the speed (from memory).
const (
	observedKmh   = 110
	observedC     = 20
	airShare      = 0.62
	tyreShare     = 0.34
	tyresPerK     = 0.006 // tyres roll harder by so much a kelvin below 20 °C
	rainOnTyres   = 1.15
	observedShare = 310.0 / 353 // of the rated range is seen on the highway (common practice, no source)
)

// unknownWhKm stands in for a car of which neither consumption nor range is known.
const unknownWhKm = 190

// Speed is the mean speed, or its default.
func (r Road) Speed() float64 {
	if r.SpeedKmh > 0 {
		return r.SpeedKmh
	}
	return DefaultSpeedKmh
}

// WhPerKm is a car's consumption on this road, from the observed one C at 110 km/h
// and 20 °C, with w the wind from ahead:
//
//	C × (0.62 ((v+w)/110)² × 293.15/(T+273.15) + 0.34 (1 + 0.006 max(0, 20−T)) + 0.04 × 110/v) + 1000 × climate/v
//
// Air drag goes with the square of the speed through the air and with the air's density. In rain
// the tyres' part is 15 % larger. The second result lists what stood in for a
// consumption that is not noted.
func (r Road) WhPerKm(c *run.Car, usableKWh float64) (float64, []pack.Assumption) {
	wheels, hourly, assumed := r.Parts(c, usableKWh)
	return wheels + hourly, assumed
}

// Parts is WhPerKm in what goes to the wheels and what is drawn by the hour, whatever the speed; both in Wh/km. With
// more wind from behind than the car's speed, air pushes.
func (r Road) Parts(c *run.Car, usableKWh float64) (wheels, hourly float64, assumed []pack.Assumption) {
	base, assumed := observed(c, usableKWh)
	v := r.Speed()
	through := v + r.HeadwindKmh
	thinner := (observedC + 273.15) / (r.AmbientC + 273.15)
	air := airShare * through * math.Abs(through) / (observedKmh * observedKmh) * thinner
	tyres := tyreShare * (1 + tyresPerK*math.Max(0, observedC-r.AmbientC))
	if r.Rain {
		tyres *= rainOnTyres
	}
	return base * (air + tyres), base*(1-airShare-tyreShare)*observedKmh/v + 1000*r.ClimateKW/v, assumed
}

// observed is the consumption on the highway: the car's own, else from its rated
// range, of which 310 in 353 are seen there.
func observed(c *run.Car, usableKWh float64) (float64, []pack.Assumption) {
	if v, ok := run.Known(c.ConsumptionWhKm); ok {
		return v, nil
	}
	v, from := float64(unknownWhKm), say.T("prepare.consumption-unknown")
	if km, ok := run.Known(c.RatedRangeKm); ok {
		v = usableKWh * 1000 / (km * observedShare)
		from = say.T("prepare.consumption-rated")
	}
	return v, []pack.Assumption{{What: say.T("prepare.consumption"),
		Value: say.T("prepare.value", say.Q(v, "Wh/km", 0)), From: from}}
}
