package forecast

import (
	"math"
	"sync"

	"zincroad/core/limit"
	"zincroad/core/run"
)

// Uncertainty is how far off a forecast's beginnings may be; each moves the
// forecast on its own, and the moves add up as the root of the sum of squares.
type Uncertainty struct {
	TaperPct      float64 // of the pack's envelope, either way
	CapacityPct   float64 // of the usable capacity, either way
	BatteryK      float64 // of the battery's temperature at plug-in, either way
	StallSharePct float64 // what the stall may give of its label at worst
	HeatPct       float64 // of what warms the pack by a kelvin, either way; 0: it is known
	WarmK         float64 // of the temperature from which the pack is warm, either way; 0: it is known
	ModelPct      float64 // of the whole time, either way, that no part of the model explains; 0: nothing
	BeginS        float64 // of the time from plug-in to full power, either way; 0: it is known
}

// assumedTaperPct is how far off the envelope may be that stands in, by the kind of
// car, for one that nobody has drawn, either way in % (common practice, no source).
const assumedTaperPct = 18

// DefaultUncertainty is what a careful tester gets near (common practice, no
// source): two warm runs of one car differ by a few percent, usable capacity
// changes with updates and age, a pack's temperature is known to a few kelvin, and
// a stall gives 88 % of its label on a bad day.
var DefaultUncertainty = Uncertainty{TaperPct: 4, CapacityPct: 2, BatteryK: 3, StallSharePct: limit.TypicalSharePct}

// spread works the session out anew with each uncertainty on its own, and as each other plan has it, and sets
// the low and high ends of posts and windows.
func (f *Forecast) spread(plan Plan, u Uncertainty, variants []Plan) {
	vary := func(change func(*Plan)) {
		p := plan
		change(&p)
		variants = append(variants, p)
	}
	share := plan.TaperShare
	if share <= 0 {
		share = 1
	}
	for _, sign := range []float64{-1, 1} {
		if u.TaperPct > 0 {
			vary(func(p *Plan) { p.TaperShare = share * (1 + sign*u.TaperPct/100) })
		}
		if u.CapacityPct > 0 {
			vary(func(p *Plan) { p.Car = ofCapacity(p.Car, 1+sign*u.CapacityPct/100) })
		}
		if u.BatteryK > 0 {
			vary(func(p *Plan) { p.Battery.ColdestC += sign * u.BatteryK; p.Battery.WarmestC += sign * u.BatteryK })
		}
	}
	if u.WarmK > 0 {
		for _, sign := range []float64{-1, 1} {
			vary(func(p *Plan) { p.Car = warmFrom(p.Car, sign*u.WarmK) })
		}
	}
	if u.HeatPct > 0 {
		for _, sign := range []float64{-1, 1} {
			vary(func(p *Plan) { p.Car = heatedBy(p.Car, 1+sign*u.HeatPct/100) })
		}
	}
	if u.BeginS > 0 {
		vary(func(p *Plan) { p.HandshakeS = begin(p) + u.BeginS })
		vary(func(p *Plan) { p.HandshakeS = max(1, begin(p)-u.BeginS) })
	}
	if now := plan.Assumed.PowerSharePct; u.StallSharePct > 0 && (now == 0 || now > u.StallSharePct) {
		vary(func(p *Plan) { p.Assumed.PowerSharePct = u.StallSharePct })
	}
	runs := make([][]float64, len(variants))
	var all sync.WaitGroup
	for i, v := range variants {
		all.Go(func() {
			if s, err := NewSession(v); err == nil {
				runs[i], _ = s.follow(func(Step) {})
			}
		})
	}
	all.Wait()
	for i := range f.Posts {
		p := &f.Posts[i]
		p.LowS, p.HighS = band(p.TS, u.ModelPct, runs, func(trail []float64) float64 { return reached(trail, p.SoCPct) })
	}
	for i := range f.Windows {
		w := &f.Windows[i]
		w.LowS, w.HighS = band(w.TS, u.ModelPct, runs,
			func(trail []float64) float64 { return reached(trail, w.ToPct) - reached(trail, w.FromPct) })
	}
}

// begin is how long a plan's car takes from plug-in to first power, s.
func begin(p *Plan) float64 {
	if p.HandshakeS > 0 {
		return p.HandshakeS
	}
	return defaultHandshakeS
}

// ofCapacity is a car whose pack holds so much of what is noted, and is the same
// otherwise.
func ofCapacity(c *run.Car, share float64) *run.Car {
	out := *c
	for _, kwh := range []*run.Number{&out.UsableKWh, &out.GrossKWh} {
		if v, ok := run.Known(*kwh); ok {
			v *= share
			*kwh = &v
		}
	}
	return &out
}

// band adds the moves of a time up on either side; a variant in which it never
// comes makes the high end NaN. So much of the time moves it to both sides beside.
func band(t, ownPct float64, runs [][]float64, of func([]float64) float64) (low, high float64) {
	own := ownPct / 100 * t
	down, up := own*own, own*own
	for _, trail := range runs {
		switch d := of(trail) - t; {
		case math.IsNaN(d):
			up = math.NaN()
		case d < 0:
			down += d * d
		default:
			up += d * d
		}
	}
	return max(0, t-math.Sqrt(down)), t + math.Sqrt(up)
}
