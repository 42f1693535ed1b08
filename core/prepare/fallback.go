package prepare

import (
	"zincroad/core/say"
)

// Fallback is where to go when the stall is dead.
type Fallback struct {
	Name     string
	Km       float64 // from the stall
	SameSite bool    // another stall of the same site
}

// Reach is what is left for the fallback at the start of the charge.
type Reach struct {
	Fallback
	NeedPct   float64 // the way there takes
	LeftPct   float64 // on arrival there
	Km        float64 // how far the charge would take the car
	Reachable bool
}

// RunOutPct is the start of a charge below which a plan is a run-out: it may not
// be made without a fallback within reach.
const RunOutPct = 5

// reservePct is what must be left on arrival at a fallback: a display rounds to a whole percent, and may be half of one
// too high.
const reservePct = 0.5

// reach works out what is left for the fallback.
func (p *Prepared) reach() {
	f := p.Plan.Fallback
	if f == nil {
		return
	}
	r := &Reach{Fallback: *f, NeedPct: p.TakesPct(f.Km), Km: p.Plan.FromPct / p.TakesPct(1)}
	if f.SameSite {
		r.NeedPct = 0
	}
	r.LeftPct = p.Plan.FromPct - r.NeedPct
	r.Reachable = f.SameSite || r.LeftPct >= reservePct
	p.Fallback = r
}

// refuseRunOut refuses a plan that would run a car out with nowhere within reach when the stall is
// dead.
func (p *Prepared) refuseRunOut() {
	from := say.Fig(p.Plan.FromPct, 1)
	if r := p.Fallback; r != nil {
		p.refuse("fallback", "prepare.no-run-out-planned", r.Name, say.Q(r.Fallback.Km, "km", 0), say.Fig(r.NeedPct, 1), from)
		return
	}
	p.refuse("fallback", "prepare.no-run-out-planned-starting", from, RunOutPct)
}
