package forecast

import (
	"math"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/vehicle"
)

// Done is a run that was made, as it is held against what the other runs of its car foretell.
type Done struct {
	Run     *run.Run
	Reading *curve.Reading // from plug-in
	Taught  curve.Taught
}

// HeldOut foretells each run of a car from the others alone: its longest window that is listed, begun as it began. Left
// out are runs that another profile, a replug, or too little of charge makes no session of, and those that a stall
// held for long by what its ratings do not say: nobody foretells a neighbour.
func HeldOut(car *run.Car, profile string, runs []Done) []vehicle.HeldOut {
	out := []vehicle.HeldOut{}
	var all *vehicle.Model
	if len(runs) > fewRuns {
		lessons := make([]vehicle.Lesson, len(runs))
		for i := range runs {
			lessons[i] = runs[i].Taught.Car
		}
		all = vehicle.Learn(car, "", profile, lessons)
	}
	for i, d := range runs {
		plan, w, ok := d.began(car, profile)
		if !ok {
			continue
		}
		var others []vehicle.Lesson
		for k := range runs {
			if k != i {
				others = append(others, runs[k].Taught.Car)
			}
		}
		software := ""
		if d.Run.Car != nil {
			software = d.Run.Car.Software
		}
		if all != nil {
			plan.Known = all.From(car, software, others)
		} else {
			plan.Known = vehicle.Learn(car, software, profile, others)
		}
		if !plan.Known.Rests() {
			continue
		}
		u := DefaultUncertainty
		if plan.Battery = d.startsWith(plan); d.Reading.Battery == nil {
			u.BatteryK = unreadBatteryK
		}
		f, err := Of(plan, u)
		if err != nil {
			continue
		}
		told, ok := f.Window(w.FromPct, w.ToPct)
		if !ok {
			continue
		}
		h := vehicle.HeldOut{Run: d.Run.Title, FromPct: w.FromPct, ToPct: w.ToPct, MeasuredS: w.TS, ForetoldS: told.TS,
			LowS: told.LowS}
		if !math.IsNaN(told.HighS) {
			h.HighS = run.N(told.HighS)
		}
		out = append(out, h)
	}
	return out
}

// began is a run's session as it began, and the window that it is held against.
func (d *Done) began(car *run.Car, profile string) (Plan, curve.Window, bool) {
	x := d.Reading
	p := Plan{Car: car, Stall: d.Run.Stall, Adapter: d.Run.Adapter, AmbientC: usualAmbientC}
	if x.SoC == nil || len(x.Legs) != 1 || x.Legs[0].FromPct == nil {
		return p, curve.Window{}, false
	}
	if c := d.Run.Conditions; c != nil {
		if p.Gentle = c.Profile == "gentle"; p.Gentle != (profile == "gentle") {
			return p, curve.Window{}, false
		}
		if v, ok := run.Value(c.AmbientC); ok {
			p.AmbientC = v
		}
	}
	if d.byStall() > mostByStall {
		return p, curve.Window{}, false
	}
	var best curve.Window
	for _, w := range x.Windows {
		if w.ToPct-w.FromPct > best.ToPct-best.FromPct {
			best = w
		}
	}
	p.FromPct, p.ToPct = *x.Legs[0].FromPct, best.ToPct
	return p, best, best.ToPct-best.FromPct >= leastHeldPct && p.FromPct < best.ToPct
}

// byStall is for how much of the charge something of the stall's that is no rating held a run, as a share.
func (d *Done) byStall() float64 {
	held, all := 0.0, 0.0
	for _, c := range d.Reading.Ceilings {
		all += c.ToS - c.FromS
		switch c.Cause {
		case limit.SharedCabinet, limit.CableHot, limit.StallFault, limit.Paused:
			held += c.ToS - c.FromS
		}
	}
	if all == 0 {
		return 0
	}
	return held / all
}

// startsWith is the battery at a run's plug-in: as it was read or noted, else warm where it was warmed for it, else a
// little over the air from the drive.
func (d *Done) startsWith(p Plan) pack.Nodes {
	both := func(c float64) pack.Nodes { return pack.Nodes{ColdestC: c, WarmestC: c} }
	if b := d.Reading.Battery; b != nil && b.StartC != nil {
		return both(*b.StartC)
	}
	if c := d.Run.Conditions; c != nil {
		if v, ok := run.Value(c.BatteryC); ok {
			return both(v)
		}
		if c.Preconditioned != "" && c.Preconditioned != run.Preconditioned[0] {
			if b, err := pack.For(p.AsKnown().Car); err == nil {
				return both(b.WarmC)
			}
			return both(pack.DefaultWarmC)
		}
	}
	return both(p.AmbientC + DrivenK)
}

// DrivenK is what a drive warms a pack over the air (from memory), K.
const DrivenK = 8.0

// usualAmbientC stands for a temperature outside that nobody noted, °C; leastHeldPct is how much charge a window must
// cover to say how well a car is known.
const (
	usualAmbientC = 15.0
	leastHeldPct  = 20.0

	fewRuns        = 5   // of more, one changes little of what is known of cold and heat
	mostByStall    = 0.1 // of the time
	unreadBatteryK = 10.0
)
