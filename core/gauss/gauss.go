// Package gauss is what the judgement and what is learned of a car need of the normal distribution beyond gonum.
package gauss

import (
	"math"
)

// LogPhi is the logarithm of the normal distribution's integral up to z: far below, where the integral itself is lost
// in rounding, by its asymptote (Abramowitz and Stegun, Handbook of Mathematical Functions (1964), 26.2.12).
func LogPhi(z float64) float64 {
	if z < -8 {
		return -z*z/2 - math.Log(-z) - 0.92 // half of log 2π
	}
	return math.Log(math.Erfc(-z/math.Sqrt2) / 2)
}
