package say

import (
	"math"

	"zincroad/core/units"
	"zincroad/core/words"
)

// In writes a quantity for a reader of some units.
func (q Quantity) In(p units.People) string { return q.written(p, false) }

// written is the number, rounded once, in the reader's unit, and the unit unless it is bare.
func (q Quantity) written(p units.People, bare bool) string {
	if q.Decimals == nameAlone {
		return p.Name(q.Unit)
	}
	if math.IsNaN(q.Value) || math.IsInf(q.Value, 0) {
		return "?"
	}
	switch q.Unit {
	case clock:
		return words.Clock(q.Value)
	case signedClock:
		return words.SignedClock(q.Value)
	case duration:
		return words.Duration(q.Value)
	case signed:
		return signOf(q.Value) + words.Duration(math.Round(math.Abs(q.Value)))
	case hours:
		return words.Hours(q.Value)
	}
	v, unit := p.Show(q.Unit, q.Value), p.Name(q.Unit)
	if q.Unit == "K" && p.Fahrenheit { // a difference
		v, unit = q.Value*1.8, "°F"
	}
	number := words.Figure(v, q.Decimals)
	if q.Fixed {
		number = words.Fixed(v, q.Decimals)
	}
	if bare || unit == "" {
		return number
	}
	return number + " " + unit
}

// signOf is the sign before seconds that round to something.
func signOf(s float64) string {
	switch {
	case math.Round(s) > 0:
		return "+"
	case math.Round(s) < 0:
		return "−"
	}
	return ""
}
