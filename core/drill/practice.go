package drill

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/trace"
)

// Practice is a charge to be worked as at a stall: paying, plugging in, noting what the screens say and what happens,
// and saying at its end what cost it most.
type Practice struct {
	Seed           uint64
	Level          int
	FromPct, ToPct float64 // the method: from where, and where to unplug
	Screens        []Screen
	Surprises      []Surprise
	Refusals       int // how often payment is refused first
	Cause          limit.Cause
	Open           bool // power and charge alone do not say whose it was
}

// Screen is what car and stall show at a second since plug-in.
type Screen struct {
	SoCPct   float64 // of the car, whole
	KW       float64 // of the stall, whole
	KWh      float64 // of the stall, in tenths
	ColdestC float64 // of the car, whole
}

// Surprise is something that happens, and has to be noted.
type Surprise struct {
	Kind Happening
	TS   float64 // since plug-in; before it for a refused payment
}

// Happening is a kind of surprise, and of note.
type Happening string

// What happens, and can be noted by a key.
const (
	Checked    Happening = "checked"   // cable, plug and ground were looked at: the first thing to do
	Paid       Happening = "paid"      // payment was tried
	Refused    Happening = "refused"   // payment was refused
	PluggedIn  Happening = "plug"      // the plug went in
	Neighbour  Happening = "neighbour" // another car came to the cabinet
	NoCar      Happening = "left"      // and left
	HotCable   Happening = "cable"     // the cable got warm
	ColdPack   Happening = "cold"      // the pack is cold
	ScreenLies Happening = "screen"    // the stall's power and its energy do not agree
	Stopped    Happening = "stop"      // the charge was stopped: the last thing to do before unplugging
	Unplugged  Happening = "unplug"    // the plug came out
	Read       Happening = "read"      // a reading was typed
)

// happenings are the notes of what happens by itself.
var happenings = []Happening{Refused, Neighbour, NoCar, HotCable, ColdPack, ScreenLies}

// lies is by how much a lying screen has its power too high; its energy is right.
const lies = 1.15

// NewPractice makes the charge of a seed.
func NewPractice(seed uint64, level int) (*Practice, error) {
	level = min(max(level, 1), Levels)
	r := rand.New(rand.NewPCG(seed, 77))
	among := []limit.Cause{limit.PackTaper, limit.StallPower}
	if level > 1 {
		among = []limit.Cause{limit.Cold, limit.SharedCabinet, limit.CableHot, limit.StallPower}
	}
	if level > 2 {
		among = append(among, limit.TimerStep)
	}
	plan, happens := session(r, level, among)
	p := &Practice{Seed: seed, Level: level, FromPct: plan.FromPct, ToPct: 60, Cause: happens}
	plan.ToPct = 75 // it goes on for whoever forgets to unplug
	f, err := forecast.Once(plan)
	if err != nil {
		return nil, fmt.Errorf("making a practice: %w", err)
	}
	wrong := 1.0
	if level > 1 && r.IntN(3) == 0 || level == 1 && r.IntN(2) == 0 {
		p.Refusals = 1
		p.Surprises = append(p.Surprises, Surprise{Refused, -1})
	}
	switch happens {
	case limit.Cold:
		p.Surprises = append(p.Surprises, Surprise{ColdPack, 0})
	case limit.SharedCabinet:
		p.Surprises = append(p.Surprises, Surprise{Neighbour, plan.NeighbourOnS}, Surprise{NoCar, plan.NeighbourOnS +
			plan.NeighbourS})
	case limit.CableHot:
		p.Surprises = append(p.Surprises, Surprise{HotCable, plan.DerateS})
	case limit.TimerStep:
		p.Open = true // nobody at the screens can tell a timer from a cabinet
	}
	if level > 2 && r.IntN(2) == 0 {
		wrong = lies
		p.Surprises = append(p.Surprises, Surprise{ScreenLies, 60})
	}
	kwh := 0.0
	for _, st := range f.Steps {
		kwh += st.StallKW / 3600
		p.Screens = append(p.Screens, Screen{math.Floor(st.SoCPct), math.Round(st.StallKW * wrong), math.Floor(kwh*10) / 10,
			math.Round(st.Battery.ColdestC)})
	}
	end := p.reaches(p.ToPct)
	p.Surprises = slices.DeleteFunc(p.Surprises, func(s Surprise) bool { return s.TS > end-60 })
	return p, nil
}

// reaches is when the car shows a charge, in seconds since plug-in.
func (p *Practice) reaches(pct float64) float64 {
	for i, s := range p.Screens {
		if s.SoCPct >= pct {
			return float64(i)
		}
	}
	return float64(len(p.Screens))
}

// Note is one thing that somebody did or noted.
type Note struct {
	TS     float64 // of the practice's clock, which begins before plug-in
	Kind   Happening
	Values map[trace.Channel]float64 // of a reading
}

// Rule is one of those that a practice is marked by.
type Rule string

// The rules, with what each is worth.
const (
	Safety  Rule = "safety"  // looked at cable, plug and ground before plugging in, stopped before unplugging
	Plug    Rule = "plug"    // the plug-in was noted as it happened
	Posts   Rule = "posts"   // each ten per cent was caught
	Noticed Rule = "noticed" // what happened was noted
	Copied  Rule = "copied"  // what was noted is what the screens said
	Method  Rule = "method"  // unplugged where the method says
	Verdict Rule = "verdict" // what cost it most
)

// RuleMark is what one rule gave.
type RuleMark struct {
	Rule     Rule
	Of, Got  float64
	Hit, All int // of posts, surprises, readings; All 0: nothing to count
}

const (
	postLate    = 20.0 // seconds by which a post may be noted early or late
	noticeLate  = 90.0 // seconds within which something has to be noted
	pastTarget  = 2.0  // points of charge that may go past where the method ends
	socOff      = 1.0  // point by which a noted charge may be off: it moves on while one types
	kwOffShare  = 0.05 // share by which a noted power may be off
	readingLate = 6.0  // seconds that typing takes
)

// Mark marks what somebody did, and their verdict. plugS is when the plug went in on the practice's clock; NaN:
// never.
func (p *Practice) Mark(notes []Note, verdict Answer) []RuleMark {
	plug, out := math.NaN(), math.NaN()
	checked, stopped := false, false
	for _, n := range notes {
		switch n.Kind {
		case PluggedIn:
			if math.IsNaN(plug) {
				plug = n.TS
			}
		case Unplugged:
			if !math.IsNaN(plug) && math.IsNaN(out) {
				out = n.TS - plug
			}
		case Stopped:
			stopped = stopped || !math.IsNaN(plug) && math.IsNaN(out)
		case Checked:
			checked = checked || math.IsNaN(plug)
		}
	}
	marks := []RuleMark{{Rule: Safety, Of: 2}, {Rule: Plug, Of: 1}}
	if checked {
		marks[0].Got++
	}
	if stopped && !math.IsNaN(out) {
		marks[0].Got++
	}
	if !math.IsNaN(plug) {
		marks[1].Got = 1
	}
	end := math.Min(p.reaches(p.ToPct), orInf(out))
	posts := RuleMark{Rule: Posts, Of: 3}
	for pct := math.Ceil((p.FromPct+0.5)/10) * 10; pct <= p.ToPct; pct += 10 {
		posts.All++
		at := p.reaches(pct)
		for _, n := range notes {
			if v, ok := n.Values[trace.SoC]; ok && v == pct && math.Abs(n.TS-plug-at) <= postLate {
				posts.Hit++
				break
			}
		}
	}
	posts.Got = posts.Of * share(posts.Hit, posts.All)
	noticed := RuleMark{Rule: Noticed, Of: 2}
	for _, s := range p.Surprises {
		if s.TS > end {
			continue
		}
		noticed.All++
		for _, n := range notes {
			late := n.TS - plug - s.TS
			if n.Kind == s.Kind && (s.TS < 0 || late > -postLate && late < noticeLate) {
				noticed.Hit++
				break
			}
		}
	}
	// Noting what did not happen is no better than missing what did.
	for _, n := range notes {
		if slices.Contains(happenings, n.Kind) && !slices.ContainsFunc(p.Surprises, func(s Surprise) bool {
			return s.Kind == n.Kind
		}) {
			noticed.All++
		}
	}
	noticed.Got = noticed.Of * share(noticed.Hit, noticed.All)
	copied := RuleMark{Rule: Copied, Of: 1}
	for _, n := range notes {
		if n.Kind != Read {
			continue
		}
		copied.All++
		if p.showed(n, plug) {
			copied.Hit++
		}
	}
	if copied.All > 0 {
		copied.Got = copied.Of * share(copied.Hit, copied.All)
	}
	method := RuleMark{Rule: Method, Of: 1}
	if out >= 0 {
		soc := p.Screens[min(int(out), len(p.Screens)-1)].SoCPct
		if soc >= p.ToPct && soc <= p.ToPct+pastTarget {
			method.Got = 1
		}
	}
	v := RuleMark{Rule: Verdict, Of: 2}
	place := Place{Cause: p.Cause}
	if p.Open {
		place.Open = NotOffered
	}
	v.Got = place.worth(verdict)
	return append(marks, posts, noticed, copied, method, v)
}

// showed tells whether a reading is what the screens said, then or a moment before.
func (p *Practice) showed(n Note, plug float64) bool {
	if math.IsNaN(plug) {
		return false
	}
	for back := 0.0; back <= readingLate; back++ {
		i := int(n.TS - plug - back)
		if i < 0 || i >= len(p.Screens) {
			continue
		}
		s := p.Screens[i]
		soc, hasSoC := n.Values[trace.SoC]
		kw, hasKW := n.Values[trace.Power]
		if (!hasSoC || math.Abs(soc-s.SoCPct) <= socOff) && (!hasKW || math.Abs(kw-s.KW) <= math.Max(1, kwOffShare*s.KW)) {
			return true
		}
	}
	return false
}

func share(hit, all int) float64 {
	if all == 0 {
		return 1
	}
	return float64(hit) / float64(all)
}

func orInf(v float64) float64 {
	if math.IsNaN(v) {
		return math.Inf(1)
	}
	return v
}
