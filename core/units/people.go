package units

import (
	"math"
)

// People's units: how a tester wants temperatures and distances shown and typed. What
// is kept is always °C and km. The zero value is what is kept.
type People struct {
	Fahrenheit bool
	Miles      bool
}

// Peoples are all there are.
var Peoples = []People{{}, {Fahrenheit: true}, {Miles: true}, {Fahrenheit: true, Miles: true}}

// KmPerMile is the international mile in km, exactly (NIST SP 811, B.8).
const KmPerMile = 1.609344

// Name gives the unit that a kept unit is shown in.
func (p People) Name(kept string) string {
	switch kept {
	case "°C":
		if p.Fahrenheit {
			return "°F"
		}
	case "km":
		if p.Miles {
			return "mi"
		}
	case "km/h":
		if p.Miles {
			return "mph"
		}
	case "Wh/km":
		if p.Miles {
			return "Wh/mi"
		}
	}
	return kept
}

// Show gives a kept value in the unit that Name gives.
func (p People) Show(kept string, v float64) float64 {
	if p.Name(kept) == kept {
		return v
	}
	return fromKept(p.Name(kept), v)
}

// Keep gives the kept value of one that was typed in the unit that Name gives.
func (p People) Keep(kept string, v float64) float64 {
	k, _ := In(p.Name(kept), kept, v)
	return k
}

// In gives a value with a unit of its own in the kept unit; false where the two do not
// measure the same.
func In(unit, kept string, v float64) (float64, bool) {
	switch {
	case unit == kept:
		return v, true
	case unit == "°F" && kept == "°C":
		return (v - 32) / 1.8, true
	case unit == "K" && kept == "°C":
		return v - 273.15, true
	case unit == "mi" && kept == "km", unit == "mph" && kept == "km/h":
		return v * KmPerMile, true
	case unit == "Wh/mi" && kept == "Wh/km":
		return v / KmPerMile, true
	case unit == "kWh/100 km" && kept == "Wh/km":
		return v * 10, true
	case unit == "m" && kept == "km":
		return v / 1000, true
	}
	return math.NaN(), false
}

// Out gives a kept value in a unit that In reads for it.
func Out(unit, kept string, v float64) float64 {
	if unit == kept {
		return v
	}
	return fromKept(unit, v)
}

func fromKept(unit string, v float64) float64 {
	switch unit {
	case "°F":
		return v*1.8 + 32
	case "mi", "mph":
		return v / KmPerMile
	case "Wh/mi":
		return v * KmPerMile
	}
	return v
}
