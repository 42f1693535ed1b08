package prepare

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/stall"
)

// What stands for what a tester does not say of a plan.

// climateOnKW is what a cabin takes while charging (common practice, no source).
const climateOnKW = 2

// ClimateKW is what the cabin takes while charging by this method.
func (m Method) ClimateKW() float64 {
	if m.Climate == "on" {
		return climateOnKW
	}
	return 0
}

// TargetFor is the temperature in °C that the coldest cell is to have at plug-in: the
// method's, else where the car is warm; NaN for a method that is cold on purpose, or where
// nothing is known of the car's pack.
func (m Method) TargetFor(c *run.Car) float64 {
	if t, ok := run.Value(m.TargetC); ok {
		return t
	}
	if m.Cold {
		return math.NaN()
	}
	p, err := pack.For(c)
	if err != nil {
		return math.NaN()
	}
	return p.WarmC
}

// DefaultWay is how the battery is warmed for this method, by what the car has: navigation,
// else its own heater, else not at all.
func (m Method) DefaultWay(c *run.Car, s *run.Stall) Way {
	for _, w := range []Way{Navigation, Heater} {
		if !m.Cold && !w.Possible(c, s).Any() {
			return w
		}
	}
	return Steady
}

// Place is a stall that could be gone to instead.
type Place struct {
	Name, Site string
	SameSite   bool
	Km         float64 // from the planned stall; NaN: not known. At the same site it does not count
	Stall      *run.Stall
}

// BestFallback gives the index of the nearest place that can charge the car, the same site
// first; -1 where there is none, or none that is known how far it is.
func BestFallback(c *run.Car, places []Place) int {
	best, bestKm := -1, math.Inf(1)
	for i, p := range places {
		km := p.Km
		if p.SameSite {
			km = 0
		}
		if km < bestKm && Charges(c, p.Stall) {
			best, bestKm = i, km
		}
	}
	return best
}

// Charges tells whether a stall can charge a car at all. A car of which too little is known
// to say so is not.
func Charges(c *run.Car, s *run.Stall) bool {
	fit, err := stall.FitOf(c, s, nil, limit.Assumptions{}, false)
	return err == nil && fit.Fits
}
