package follow

import (
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
)

// defaultToPct is where a session is taken to stop when nothing says so.
const defaultToPct = 80

// SessionOf is the session that a run made at the stall is held against: as it was planned
// (nil: it was not), with what is noted of the run since.
func SessionOf(planned *forecast.Plan, r *run.Run) forecast.Plan {
	var p forecast.Plan
	if planned != nil {
		p = *planned
	}
	p.Car, p.Stall, p.Adapter = r.Car, r.Stall, r.Adapter
	if m := r.Method; m != nil {
		if v, ok := run.Value(m.ToPct); ok {
			p.ToPct = v
		}
		if v, ok := run.Value(m.FromPct); ok {
			p.FromPct = v
		}
	}
	if p.ToPct == 0 {
		p.ToPct = defaultToPct
	}
	if c := r.Conditions; c != nil {
		if v, ok := run.Value(c.AmbientC); ok {
			p.AmbientC = v
		}
		if v, ok := run.Value(c.BatteryC); ok {
			p.Battery = pack.Nodes{ColdestC: v, WarmestC: v}
		}
		if c.Profile != "" {
			p.Gentle = c.Profile == "gentle"
		}
	}
	return p
}
