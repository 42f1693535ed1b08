package pack

import (
	"cmp"
	"slices"

	"zincroad/core/run"
	"zincroad/core/say"
)

// Taper is the power that a warm pack takes against state of charge, at its
// terminals: the car's envelope, or a common shape where there is none.
type Taper struct {
	Assumed bool // nobody has drawn the car's own: a shape by its kind stands in

	points [][2]float64
	steps  []step
}

// step is a fall at one state of charge; it shows until the power has come down
// another tenth below the level that it fell to.
type step struct{ fromPct, toPct float64 }

// Shapes of curves that nobody has drawn yet, as shares of the peak, by the kind of
// car (common practice, no source). Between 60 and 80 % they all come down; a nickel
// pack that takes a high peak for its size holds it for a few points only: one of
// 80 kWh with 250 kW took 63 minutes from 0 to 100 %, and 70 at a stall of 150 kW.
// Between the C-rates of two shapes the shares are joined.
var (
	shapeSoC     = []float64{0, 6, 18, 30, 45, 60, 70, 80, 90, 95, 100}
	nickelShapes = []shape{
		{1.2, []float64{0.85, 1, 1, 1, 1, 0.9, 0.75, 0.55, 0.3, 0.2, 0.08}},
		{1.9, []float64{0.8, 1, 1, 1, 0.78, 0.6, 0.5, 0.38, 0.22, 0.14, 0.05}},
		{3, []float64{0.8, 1, 1, 0.8, 0.58, 0.42, 0.34, 0.255, 0.165, 0.11, 0.04}},
	}
	ironShapes = []shape{{2, []float64{0.8, 1, 1, 0.97, 0.92, 0.76, 0.63, 0.5, 0.28, 0.18, 0.06}}}
)

// shape is one kind's, at the C-rate (peak over capacity, 1/h) that it is for.
type shape struct {
	cRate  float64
	shares []float64
}

// An 800 V class pack is built to hold its peak at half the current: its curve is that
// of a lower C-rate (common practice, no source: 10 to 80 % in about 24 minutes where
// the stall does not hold it).
const (
	highVoltageCells = 150
	highVoltageC     = 1.9
)

// shapeOf gives the shape of a chemistry at a C-rate.
func shapeOf(chemistry string, cRate float64) [][2]float64 {
	kinds := nickelShapes
	if chemistry == "LFP" {
		kinds = ironShapes
	}
	out := make([][2]float64, len(shapeSoC))
	for i, soc := range shapeSoC {
		points := make([][2]float64, len(kinds))
		for k, s := range kinds {
			points[k] = [2]float64{s.cRate, s.shares[i]}
		}
		out[i] = [2]float64{soc, along(points, cRate)}
	}
	return out
}

// commonCRate is the peak of a car of which no power is known, in 1/h.
const commonCRate = 1.6

// Taper gives the car's taper, and notes in Assumed where it had to assume one by the
// kind of car.
// In the gentle profile it is the car's own gentle envelope where that is noted, else 78 % of the full one and
// capped at 55 % of the peak:
// gentle "caps the peak and lowers the whole curve" (common practice; the two
// shares from memory).
func (p *Pack) Taper(c *run.Car, gentle bool) *Taper {
	t := &Taper{}
	drawn := c.Envelope
	if gentle && len(c.GentleEnvelope) > 0 {
		drawn, gentle = c.GentleEnvelope, false
	}
	for _, pt := range drawn {
		t.points = append(t.points, [2]float64{pt.SoCPct, pt.KW})
	}
	slices.SortStableFunc(t.points, func(a, b [2]float64) int { return cmp.Compare(a[0], b[0]) })
	if len(t.points) == 0 {
		peak, ok := run.Known(c.MaxKW)
		if !ok {
			peak = commonCRate * p.UsableKWh
		}
		kind := say.T("pack.nickel")
		if c.Chemistry == "LFP" {
			kind = say.T("pack.iron")
		}
		cRate := peak / p.UsableKWh
		if p.Cells > highVoltageCells {
			cRate = min(cRate, highVoltageC)
		}
		for _, pt := range shapeOf(c.Chemistry, cRate) {
			t.points = append(t.points, [2]float64{pt[0], pt[1] * peak})
		}
		t.Assumed = true
		from := say.T("pack.the-usual-curve-of", kind, say.Fixed(peak/p.UsableKWh, 1))
		if !ok {
			from = from.And("pack.peak-assumed")
		}
		p.assume(say.T("pack.power-against-charge"), say.T("pack.kw-at-its-best", say.Fixed(peak, 0)), from)
	}
	if gentle {
		t.gentle()
	}
	t.findSteps()
	return t
}

func (t *Taper) gentle() {
	peak := t.PeakKW()
	lower := make([][2]float64, 0, 101)
	for soc := 0.0; soc <= 100; soc++ {
		lower = append(lower, [2]float64{soc, min(0.78*t.KW(soc), 0.55*peak)})
	}
	t.points = lower
}

// PeakKW is the taper's highest power.
func (t *Taper) PeakKW() float64 {
	peak := 0.0
	for _, p := range t.points {
		peak = max(peak, p[1])
	}
	return peak
}

// KW is the power at a state of charge in percent; beyond the ends it is the end's.
func (t *Taper) KW(socPct float64) float64 { return along(t.points, socPct) }

// findSteps lists where the power falls by an eighth or more within 1.5 points.
func (t *Taper) findSteps() {
	for i := 1; i < len(t.points); i++ {
		a, b := t.points[i-1], t.points[i]
		if b[0]-a[0] > 1.5 || b[1] > 0.875*a[1] {
			continue
		}
		to := b[0]
		for to < 100 && t.KW(to) > 0.9*b[1] {
			to++
		}
		t.steps = append(t.steps, step{a[0], to})
	}
}

// AtStep tells whether the taper at this state of charge is what a fall at a fixed
// state of charge has left.
func (t *Taper) AtStep(socPct float64) bool {
	for _, s := range t.steps {
		if socPct > s.fromPct && socPct < s.toPct {
			return true
		}
	}
	return false
}
