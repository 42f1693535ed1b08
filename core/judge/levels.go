package judge

import (
	"math"
)

// label is how levels lie about a rating, as they lie about what nobody noted else.
func label(rating float64, broad part) []part {
	if math.IsInf(rating, 1) {
		return []part{broad}
	}
	r := math.Log(rating)
	return []part{
		{atLabel, r, math.Hypot(labelSD, gainSD)},
		{underLabel, r - underBy, underSD},
		{farUnderLabel, r - farUnderBy, farUnderSD},
		{wrongLabel, broad.mean, broad.sd},
	}
}

// failed is how levels lie that a failing stall gives: far under its rating.
func failed(rating float64, broad part) []part {
	if math.IsInf(rating, 1) {
		return []part{broad}
	}
	return []part{{0.9, math.Log(rating) - failedBy, failedSD}, {0.1, broad.mean, broad.sd}}
}

// ownLimit is label for a limit that the car keeps itself.
func ownLimit(rating float64, broad part) []part {
	if math.IsInf(rating, 1) {
		return []part{broad}
	}
	r := math.Log(rating)
	return []part{
		{ownAt, r, math.Hypot(labelSD, gainSD)},
		{ownNear, r, ownNearSD},
		{wrongLabel, broad.mean, broad.sd},
	}
}

// cabinet is how the shares of a cabinet lie: half of what is noted, simple shares of the label, anything.
func cabinet(k *known, broad part) []part {
	var out []part
	rest := 1.0
	if !math.IsInf(k.sharedKW, 1) {
		out = append(out, part{0.5, math.Log(k.sharedKW / 2), 0.015}, part{0.25, math.Log(k.sharedKW/2) - 0.07, 0.05})
		rest = 0.25
	}
	if !math.IsInf(k.stallKW, 1) {
		for _, s := range []float64{1. / 4, 1. / 3, 1. / 2, 2. / 3, 3. / 4} {
			out = append(out, part{rest * 0.1, math.Log(k.stallKW * s), 0.03})
		}
		rest *= 0.5
	}
	return append(out, part{rest, broad.mean, broad.sd})
}
