package bench

import (
	"slices"

	"zincroad/core/curve"
	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Gist is what a run says in short: kept with it, so that thousands can be ranked without reading their
// figures.
type Gist struct {
	Windows   []GistWindow `json:"windows"`
	Km100S    *float64     `json:"km100_s,omitempty"` // from plug-in to +100 km by the observed consumption
	Km200S    *float64     `json:"km200_s,omitempty"`
	UsableKWh *float64     `json:"usable_kwh,omitempty"` // measured, else noted of the car
	OutsideS  *float64     `json:"outside_s,omitempty"`  // lost in the headline window outside the car; nil: not judged
	UpsetS    *float64     `json:"upset_s,omitempty"`    // of that, what no label tells of: a neighbour, a fault, a pause
	ColdS     *float64     `json:"cold_s,omitempty"`     // to a cold pack
	Lost      []GistLost   `json:"lost,omitempty"`       // by cause, the most first
}

// upsets are the causes that come and go at one stall: what was noted of two runs is the same with them and without.
var upsets = []limit.Cause{limit.SharedCabinet, limit.StallFault, limit.CableHot, limit.Paused}

// undisturbed tells whether a run's time comes of what was noted of it: charged in one session, with nothing that came
// and went for long enough to matter. One that was not judged counts.
func (k *Known) undisturbed() bool {
	if k.PlugIns > 1 || k.Gist.UpsetS == nil {
		return k.PlugIns <= 1
	}
	took := 0.0
	if k.WindowS != nil {
		took = *k.WindowS
	}
	return *k.Gist.UpsetS < max(smallestS, heldShare*took)
}

// GistLost is how long a run was held back by a cause, in its headline window.
type GistLost struct {
	Cause limit.Cause `json:"cause"`
	S     float64     `json:"s"`
}

// GistWindow is a window's time and the mean power into the pack; that is 96 % of the stall's where the
// car's side was not read.
type GistWindow struct {
	FromPct float64  `json:"from"`
	ToPct   float64  `json:"to"`
	TS      float64  `json:"s"`
	PackKW  *float64 `json:"kw,omitempty"`
}

// GistOf puts a run in short, from the figures of its own choice and those of its car's side; car is nil where
// that side has no power. Both are on the clock from plug-in, whatever the run's own method counts from: times
// from two clocks cannot be ranked.
func GistOf(r *run.Run, head, car *curve.Reading) Gist {
	out := Gist{Windows: []GistWindow{}}
	share := 1.0
	if car == nil {
		car = head
		if head.Side == trace.StallSide {
			share = judge.PackShare
		}
	}
	for _, w := range head.Windows {
		g := GistWindow{FromPct: w.FromPct, ToPct: w.ToPct, TS: w.TS}
		if in, ok := car.Window(w.FromPct, w.ToPct); ok && in.AverageKW != nil {
			kw := *in.AverageKW * share
			g.PackKW = &kw
		}
		out.Windows = append(out.Windows, g)
	}
	if d := head.DistanceBy(curve.Observed); d != nil {
		out.Km100S, out.Km200S = d.To(100), d.To(200)
	}
	switch {
	case head.Usable != nil:
		out.UsableKWh = &head.Usable.Value
	case r.Car != nil:
		out.UsableKWh = r.Car.UsableKWh
	}
	if head.Pace != nil {
		outside, upset, cold := 0.0, 0.0, 0.0
		for _, l := range head.Pace.Lost {
			out.Lost = append(out.Lost, GistLost{l.Cause, l.Minutes * 60})
			if slices.Contains(upsets, l.Cause) {
				upset += l.Minutes * 60
			}
			switch whose := l.Cause.Sign().Whose; {
			case l.Cause == limit.Cold:
				cold += l.Minutes * 60
			case whose == limit.OfStall || whose == limit.Between && l.Cause != limit.Ramp:
				outside += l.Minutes * 60
			}
		}
		out.OutsideS, out.UpsetS, out.ColdS = &outside, &upset, &cold
	}
	return out
}

// Window gives a window of the gist.
func (g Gist) Window(from, to float64) (GistWindow, bool) {
	for _, w := range g.Windows {
		if w.FromPct == from && w.ToPct == to {
			return w, true
		}
	}
	return GistWindow{}, false
}
