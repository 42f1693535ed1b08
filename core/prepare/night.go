package prepare

import (
	"fmt"
	"math"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/words"
)

// Night is the planned charge now against the same one after a night, when the pack is as cold as it is outside.
type Night struct {
	NowC, NowS         float64 // coldest cell at plug-in, °C; time to the charge to stop at, s
	MorningC, MorningS float64
}

// nightColdK is from how much warmer than outside a pack is on that a night makes a difference worth a sentence.
const nightColdK = 3

// night works both out; nil where the pack is no warmer than it will be, or either charge does not get there.
func (p *Prepared) night() *Night {
	out := p.Plan.Road.AmbientC
	at := p.Approach.Plug().Battery
	n := &Night{NowC: at.Ordered().ColdestC, MorningC: out}
	if !(n.NowC-out >= nightColdK) {
		return nil
	}
	for _, one := range []struct {
		at pack.Nodes
		s  *float64
	}{{at, &n.NowS}, {pack.Nodes{ColdestC: out, WarmestC: out}, &n.MorningS}} {
		brief, err := forecast.Quick(p.Plan.session(p.Plan.FromPct, p.Plan.ToPct, one.at))
		if err != nil || brief.Note != "" {
			return nil
		}
		*one.s = brief.TS
	}
	return n
}

// Said is what a night makes of it, in a sentence.
func (n *Night) Said() string {
	more := math.Round(n.MorningS/60) - math.Round(n.NowS/60)
	if more < 1 {
		return "A night makes no difference to this charge."
	}
	return fmt.Sprintf("After a night outside the same charge takes %s min more.", words.Figure(more, 0))
}
