package prepare

import (
	"fmt"

	"zincroad/core/run"
)

// Way is a way to get the battery to the stall as warm as it is wanted.
type Way string

// The ways, from weak to strong.
const (
	Nothing    Way = "nothing"    // straight there; what is too much is burnt parked
	Steady     Way = "steady"     // what is too much is driven off at a steady speed
	Heater     Way = "heater"     // the car's own heater by its switch
	Navigation Way = "navigation" // preconditioning on the way to a stall
	Hard       Way = "hard"       // hard acceleration and full regeneration in turn
	Charged    Way = "charged"    // a DC charge earlier, driven off again
)

// Ways lists them all.
var Ways = []Way{Nothing, Steady, Heater, Navigation, Hard, Charged}

// Words says a way in a few words.
func (w Way) Words() string {
	switch w {
	case Nothing:
		return "straight there, parked"
	case Steady:
		return "drive it down"
	case Heater:
		return "heater by its switch"
	case Navigation:
		return "by navigation"
	case Hard:
		return "drive hard"
	case Charged:
		return "DC charge before"
	}
	return string(w)
}

// Verb begins a sentence on what a way costs.
func (w Way) Verb() string {
	switch w {
	case Hard:
		return "Driving hard"
	case Charged:
		return "Charging before"
	}
	return "Heating"
}

// Preconditioned is the word of a run's conditions for a way.
func (w Way) Preconditioned() string {
	switch w {
	case Heater, Navigation:
		return "car"
	case Hard, Steady:
		return "driven"
	case Charged:
		return "charged"
	}
	return "none"
}

// What navigation preconditioning asks for, where nothing else is known of a car
// (common practice, no source: some cars only for fast stalls, only above about
// 20 %, only 20 to 30 minutes ahead).
const (
	NavigationMinKW   = 50
	NavigationMinPct  = 20
	NavigationLeadMin = 30
)

// How a pack is warmed by driving. Power changes as a car speeds up and slows
// down, so that the mean of the squared current is twice the square of its mean;
// and a fiftieth of what the motors take reaches the pack as warm coolant (both
// from memory). Hard driving is acceleration at 2.5 and regeneration at 1.2 times
// the capacity in turn: √((2.5² + 1.2²)/2) = 1.96.
const (
	unevenness  = 2.0
	motorWaste  = 0.02
	hardCRate   = 1.96 // root mean square current of hard driving over the capacity, 1/h
	hardFactor  = 1.7  // and its consumption over that of steady driving
	hardLongest = 40 * 60
	heatLongest = 4 * 3600
)

// EarlierPoints is how many points of charge an earlier DC charge puts in.
const EarlierPoints = 30

// Possible tells why a car cannot be warmed in a way at a stall; empty when it can.
// A stall of nil is not known yet.
func (w Way) Possible(c *run.Car, s *run.Stall) string {
	_, heated := run.Known(c.HeaterKW)
	switch w {
	case Heater:
		switch {
		case !heated:
			return "no battery heater is noted for this car"
		case c.Preconditioning == "navigation":
			return "this car heats only on the way to a stall in its navigation"
		case c.Preconditioning != "manual":
			return "no switch for its heater is noted"
		}
	case Navigation:
		switch {
		case c.Preconditioning != "navigation":
			return "not in this car, as far as noted"
		case !heated:
			return "no battery heater is noted for this car"
		case s != nil:
			if kw, ok := run.Known(s.RatedKW); ok && kw < NavigationMinKW {
				return fmt.Sprintf("the navigation heats only for stalls of %d kW and more", NavigationMinKW)
			}
		}
	}
	return ""
}
