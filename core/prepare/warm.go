package prepare

import (
	"zincroad/core/run"
	"zincroad/core/say"
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
func (w Way) Words() say.Text {
	switch w {
	case Nothing:
		return say.T("prepare.straight-there-parked")
	case Steady:
		return say.T("prepare.drive-it-down")
	case Heater:
		return say.T("prepare.heater-by-its-switch")
	case Navigation:
		return say.T("prepare.by-navigation")
	case Hard:
		return say.T("prepare.drive-hard")
	case Charged:
		return say.T("prepare.dc-charge-before")
	case AtHome:
		return say.T("prepare.heater-parked-at-home")
	case AtTheSite:
		return say.T("prepare.heater-parked-there")
	case HeaterHard:
		return say.T("prepare.heater-and-driving-hard")
	case ChargedHeater:
		return say.T("prepare.dc-charge-then-heater")
	case ChargedNavigation:
		return say.T("prepare.dc-charge-then-navigation")
	}
	return say.Own(string(w))
}

// Verb begins a sentence on what a way costs.
func (w Way) Verb() say.Text {
	switch w {
	case Hard:
		return say.T("prepare.driving-hard")
	case HeaterHard:
		return say.T("prepare.heating-and-driving")
	case Charged, ChargedHeater, ChargedNavigation:
		return say.T("prepare.charging-before")
	}
	return say.T("prepare.heating")
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
func (w Way) Possible(c *run.Car, s *run.Stall) say.Text {
	_, heated := run.Known(c.HeaterKW)
	switch w {
	case Heater, AtHome, AtTheSite, HeaterHard, ChargedHeater:
		switch {
		case !heated:
			return say.T("prepare.no-battery-heater-is")
		case c.Preconditioning == "navigation":
			return say.T("prepare.this-car-heats-only")
		case c.Preconditioning != "manual":
			return say.T("prepare.no-switch-for-its")
		}
	case Navigation, ChargedNavigation:
		switch {
		case c.Preconditioning != "navigation":
			return say.T("prepare.not-in-this-car")
		case !heated:
			return say.T("prepare.no-battery-heater-is")
		case s != nil:
			least := navigationOf(c).minKW
			if kw, ok := run.Known(s.RatedKW); ok && kw < least {
				return say.T("prepare.the-navigation-heats-only", say.Fixed(least, 0))
			}
		}
	}
	return nil
}
