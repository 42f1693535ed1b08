// Package decide says what to do with a charge that is foretold: at which charge to unplug, over which window to
// charge, what the gentle profile costs, whether a replug pays.
//
// Every answer is a comparison of forecasts (core/forecast) of one car at one stall. What two of them have in
// common, as a capacity that is not quite known, moves both; so differences are taken between forecasts of the same
// beginnings, and what is left between them is called a difference only from FlatPct on.
package decide

import (
	"math"

	"zincroad/core/forecast"
	"zincroad/core/vehicle"
)

// FlatPct is how far apart two courses must be in time to be told apart at all: like charges of one car differ by more
// (common practice, no source; two to five per cent).
const FlatPct = 2.0

// Asked is a charge to decide about.
type Asked struct {
	Session     forecast.Plan  // as it arrives; to ToPct, where it is asked what gentle costs
	KnownFull   *vehicle.Model // what runs in the full profile taught; nil: nothing
	KnownGentle *vehicle.Model // and in the gentle one; nil: as the full one, by rule
	Uncertainty forecast.Uncertainty

	StopS    float64 // what a stop costs beside the charging: off the road, paying, plugging, back; s
	AddPct   float64 // how many points are to be charged, where it is asked from which charge on
	PriceKWh float64 // what a kWh costs elsewhere; 0: it is not asked

	Others   []Other // stalls that it could be made at instead
	SpeedKmh float64 // of a detour
}

// Advice is what the answers come to; what cannot be worked out is nil.
type Advice struct {
	Unplug  *Unplug
	Starts  []Start // rising by their charge; empty: no window of that many points fits
	Gentle  *Gentle
	Detours []Detour // the quickest first
	Replug  *Replug  // nil where the car's runs and notes know no timer
}

// Of works the answers out. It fails where the charge itself cannot be foretold.
func Of(a Asked) (*Advice, error) {
	out := &Advice{}
	var err error
	if out.Unplug, err = whenToUnplug(a); err != nil {
		return nil, err
	}
	out.Starts = starts(a)
	out.Gentle = gentle(a)
	out.Detours = Detours(a.Session, a.Others, a.SpeedKmh)
	out.Replug = replug(a)
	return out, nil
}

// same tells whether two times cannot be told apart.
func same(a, b float64) bool { return math.Abs(a-b) <= FlatPct/100*math.Max(a, b) }
