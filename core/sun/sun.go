// Package sun tells day from night where a place is known.
package sun

import (
	"math"
	"time"
)

// risenDeg is how high the sun's middle stands when its upper edge is seen on the horizon: half of
// its disc and the bend of the light in the air (The Astronomical Almanac: 50 minutes of arc, from memory).
const risenDeg = -50.0 / 60

// IsUp tells whether the sun stands over the horizon of a place, given in degrees north and east.
func IsUp(at time.Time, latitude, longitude float64) bool {
	return HeightDeg(at, latitude, longitude) > risenDeg
}

// HeightDeg is how high the middle of the sun stands over the horizon, in degrees, without the bend of
// the light in the air. Good to a tenth of a degree from 1950 to 2050 (The Astronomical Almanac,
// "Low precision formulas for the Sun's coordinates", from memory).
func HeightDeg(at time.Time, latitude, longitude float64) float64 {
	days := at.Sub(time.Date(2000, 1, 1, 12, 0, 0, 0, time.UTC)).Hours() / 24
	meanLongitude := 280.460 + 0.9856474*days
	anomaly := radians(357.528 + 0.9856003*days)
	ecliptic := radians(meanLongitude + 1.915*math.Sin(anomaly) + 0.020*math.Sin(2*anomaly))
	tilt := radians(23.439 - 0.0000004*days)
	ascension := math.Atan2(math.Cos(tilt)*math.Sin(ecliptic), math.Cos(ecliptic))
	declination := math.Asin(math.Sin(tilt) * math.Sin(ecliptic))
	sidereal := radians(280.46062 + 360.98564737*days + longitude)
	north := radians(latitude)
	sine := math.Sin(north)*math.Sin(declination) +
		math.Cos(north)*math.Cos(declination)*math.Cos(sidereal-ascension)
	return math.Asin(math.Max(-1, math.Min(1, sine))) * 180 / math.Pi
}

func radians(deg float64) float64 { return deg * math.Pi / 180 }
