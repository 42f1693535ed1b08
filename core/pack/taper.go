package pack

import (
	"cmp"
	"fmt"
	"slices"

	"zincroad/core/run"
)

// Taper is the power that a warm pack takes against state of charge, at its
// terminals: the car's envelope, or a common shape where there is none.
type Taper struct {
	points [][2]float64
	steps  []step
}

// step is a fall at one state of charge; it shows until the power has come down
// another tenth below the level that it fell to.
type step struct{ fromPct, toPct float64 }

// commonTaper is the shape of a curve that nobody has drawn yet, as a share of the
// peak (common practice, no source: between 60 and 80 % it always comes down).
var commonTaper = [][2]float64{{0, 0.8}, {8, 1}, {42, 1}, {60, 0.72}, {80, 0.48}, {92, 0.24}, {100, 0.06}}

// commonCRate is the peak of a car of which no power is known, in 1/h.
const commonCRate = 1.6

// Taper gives the car's taper, and notes in Assumed where it had to assume one.
// In the gentle profile it is 78 % of the full one and capped at 55 % of the peak:
// gentle "caps the peak and lowers the whole curve" (common practice; the two
// shares from memory).
func (p *Pack) Taper(c *run.Car, gentle bool) *Taper {
	t := &Taper{}
	for _, pt := range c.Envelope {
		t.points = append(t.points, [2]float64{pt.SoCPct, pt.KW})
	}
	slices.SortStableFunc(t.points, func(a, b [2]float64) int { return cmp.Compare(a[0], b[0]) })
	if len(t.points) == 0 {
		peak, ok := run.Known(c.MaxKW)
		from := "a common curve under the car's power limit; no source"
		if !ok {
			peak = commonCRate * p.UsableKWh
			from = fmt.Sprintf("a common curve with a peak of %.1f times the capacity; no source", commonCRate)
		}
		for _, pt := range commonTaper {
			t.points = append(t.points, [2]float64{pt[0], pt[1] * peak})
		}
		p.assume("power against charge", fmt.Sprintf("%.0f kW at its best", peak), from)
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
