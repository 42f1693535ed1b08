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

	AtHome    Way = "at-home"     // the heater by its switch, parked before leaving
	AtTheSite Way = "at-the-site" // and parked there, before the plug goes in

	HeaterHard        Way = "heater+hard"        // the heater on while driving hard
	ChargedHeater     Way = "charged+heater"     // an earlier DC charge, and the heater by its switch on the way
	ChargedNavigation Way = "charged+navigation" // and by navigation
)

// Ways lists them all.
var Ways = []Way{Nothing, Steady, Heater, AtHome, AtTheSite, Navigation, Hard, HeaterHard, Charged, ChargedHeater,
	ChargedNavigation}

// ByNavigation tells whether the car's navigation turns the heater on in a way.
func (w Way) ByNavigation() bool { return w == Navigation || w == ChargedNavigation }

// ChargesBefore tells whether a way begins with a DC charge.
func (w Way) ChargesBefore() bool {
	return w == Charged || w == ChargedHeater || w == ChargedNavigation
}

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
	case AtHome:
		return "heater, parked at home"
	case AtTheSite:
		return "heater, parked there"
	case HeaterHard:
		return "heater and driving hard"
	case ChargedHeater:
		return "DC charge, then heater"
	case ChargedNavigation:
		return "DC charge, then navigation"
	}
	return string(w)
}

// Verb begins a sentence on what a way costs.
func (w Way) Verb() string {
	switch w {
	case Hard:
		return "Driving hard"
	case HeaterHard:
		return "Heating and driving hard"
	case Charged, ChargedHeater, ChargedNavigation:
		return "Charging before"
	}
	return "Heating"
}

// Preconditioned is the word of a run's conditions for a way.
func (w Way) Preconditioned() string {
	switch w {
	case Heater, Navigation, AtHome, AtTheSite, HeaterHard:
		return "car"
	case Hard, Steady:
		return "driven"
	case Charged, ChargedHeater, ChargedNavigation:
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

// navigation is what preconditioning by navigation asks for in one car.
type navigation struct{ minPct, leadS, minKW float64 }

// navigationOf gives a car's own limits, and the usual ones for what is not noted.
func navigationOf(c *run.Car) navigation {
	n := navigation{NavigationMinPct, NavigationLeadMin * 60, NavigationMinKW}
	if c == nil || c.Navigation == nil {
		return n
	}
	if v, ok := run.Value(c.Navigation.MinPct); ok {
		n.minPct = v
	}
	if v, ok := run.Known(c.Navigation.LeadMin); ok {
		n.leadS = v * 60
	}
	if v, ok := run.Value(c.Navigation.MinKW); ok {
		n.minKW = v
	}
	return n
}

// How a pack is warmed by driving. Power changes as a car speeds up and slows
// down, so that the mean of the squared current is twice the square of its mean;
// and a fiftieth of what the motors take reaches the pack as warm coolant (both
// from memory). Hard driving, acceleration and full regeneration in turn, is so much more uneven that a quarter of
// an hour to half an hour of it on a motorway warms a pack by 10 to 15 K (common practice, no source). No more heat
// reaches the pack than is burnt.
const (
	unevenness  = 2.0
	motorWaste  = 0.02
	hardUneven  = 8.0 // mean of the squared current of hard driving over the square of its mean
	hardFactor  = 1.7 // and its consumption over that of steady driving
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
	case Heater, AtHome, AtTheSite, HeaterHard, ChargedHeater:
		switch {
		case !heated:
			return "no battery heater is noted for this car"
		case c.Preconditioning == "navigation":
			return "this car heats only on the way to a stall in its navigation"
		case c.Preconditioning != "manual":
			return "no switch for its heater is noted"
		}
	case Navigation, ChargedNavigation:
		switch {
		case c.Preconditioning != "navigation":
			return "not in this car, as far as noted"
		case !heated:
			return "no battery heater is noted for this car"
		case s != nil:
			least := navigationOf(c).minKW
			if kw, ok := run.Known(s.RatedKW); ok && kw < least {
				return fmt.Sprintf("the navigation heats only for stalls of %.0f kW and more", least)
			}
		}
	}
	return ""
}
