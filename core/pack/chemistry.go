package pack

// chemistry is what a kind of cell brings: its rest voltage against charge, the
// ends that a car works it between, and its resistance.
type chemistry struct {
	rest        [][2]float64 // state of charge in percent, volts
	mean        float64      // of rest over the charge
	nominal     float64      // volts on the label
	bottom, top float64      // volts at the terminals, lowest and highest
	ohmAh       float64      // resistance of a cell times its capacity, Ω·Ah, links included
}

// Rest voltages of cells against the charge that cars use of them. Nickel: rounded
// from published curves of NMC against graphite (from memory; held against the
// fitted functions of Chen et al., J. Electrochem. Soc. 167 (2020) 080534, in the
// tests). Iron phosphate: the flat curve with its two steps (from memory; held
// against Prada et al., J. Electrochem. Soc. 160 (2013) A616).
//
// Resistance: a cell of 50 Ah has 1.5 to 2 mΩ over a minute's pulse at 25 °C, so
// that resistance times capacity is about 85 mΩ·Ah whatever the size (from memory).
var (
	nickel = newChemistry([][2]float64{{0, 3.30}, {5, 3.42}, {10, 3.48}, {20, 3.56}, {30, 3.61}, {40, 3.65}, {50, 3.71},
		{60, 3.80}, {70, 3.89}, {80, 3.98}, {90, 4.06}, {100, 4.16}}, 3.67, 2.9, 4.2, 0.085)
	ironPhosphate = newChemistry(
		[][2]float64{{0, 3.00}, {3, 3.12}, {6, 3.18}, {10, 3.21}, {20, 3.255}, {30, 3.285}, {40, 3.295},
			{60, 3.305}, {65, 3.325}, {90, 3.335}, {97, 3.345}, {100, 3.40}},
		3.2,
		2.6,
		3.65,
		0.095,
	)
)

func newChemistry(rest [][2]float64, nominal, bottom, top, ohmAh float64) *chemistry {
	c := &chemistry{rest: rest, nominal: nominal, bottom: bottom, top: top, ohmAh: ohmAh}
	for i := 1; i < len(rest); i++ {
		c.mean += (rest[i][1] + rest[i-1][1]) / 2 * (rest[i][0] - rest[i-1][0]) / 100
	}
	return c
}

func chemistryOf(name string) *chemistry {
	if name == "LFP" {
		return ironPhosphate
	}
	return nickel
}

func (c *chemistry) volts(socPct float64) float64 { return along(c.rest, socPct) }

// along joins points linearly; outside them it is the end value. The points lie in the order of their first number.
func along(points [][2]float64, x float64) float64 {
	last := len(points) - 1
	if x <= points[0][0] {
		return points[0][1]
	}
	if !(x <= points[last][0]) {
		return points[last][1]
	}
	low, high := 0, last // x lies above the one, and not above the other
	for high-low > 1 {
		if mid := (low + high) / 2; x <= points[mid][0] {
			high = mid
		} else {
			low = mid
		}
	}
	a, b := points[low], points[high]
	return a[1] + (b[1]-a[1])*(x-a[0])/(b[0]-a[0])
}
