package prepare

import (
	"math"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/say"
)

// Night is the planned charge now against the same one after a night, when the pack is as cold as it is outside.
type Night struct {
	NowC, NowS         float64 // coldest cell at plug-in, °C; time to the charge to stop at, s
	MorningC, MorningS float64
}

// nightColdK is from how much warmer than outside a pack is on that a night is spoken of: both are noted in whole
// degrees, and a pack that cools by less takes the same charge as well as can be told (common practice, no source).
const nightColdK = 3

// night works out what a night would make of it, but for the charge as planned; nil where the pack is no warmer than it
// will be, or does not get there.
func (p *Prepared) night() *Night {
	out := p.Plan.Road.AmbientC
	n := &Night{NowC: p.Approach.Plug().Battery.Ordered().ColdestC, MorningC: out}
	if !(n.NowC-out >= nightColdK) {
		return nil
	}
	brief, err := forecast.Quick(p.Plan.session(p.Plan.FromPct, p.Plan.ToPct, pack.Nodes{ColdestC: out, WarmestC: out}))
	if err != nil || brief.Note.Any() {
		return nil
	}
	n.MorningS = brief.TS
	return n
}

// Said is what a night makes of it, in a sentence.
func (n *Night) Said() say.Text {
	more := math.Round(n.MorningS/60) - math.Round(n.NowS/60)
	if more < 1 {
		return say.T("prepare.a-night-makes-no")
	}
	return say.T("prepare.after-a-night-outside", say.Fig(more, 0))
}
