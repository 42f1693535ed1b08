package drill

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Practice is a charge to be worked as at a stall: plugging in, paying, noting what the screens say and what happens,
// and saying at its end what cost it most.
type Practice struct {
	Seed           uint64
	Level          int
	FromPct, ToPct float64       // the method: from where, and where to unplug
	Plan           forecast.Plan // as it was planned: with nothing of what happens
	Screens        []Screen      // from when payment was taken, by the second
	Surprises      []Surprise
	Refusals       int // how often payment is refused first
	Cause          limit.Cause
	Open           bool // power and charge alone do not say whose it was
}

// Screen is what car and stall show at a second of the charge.
type Screen struct {
	SoCPct   float64 // of the car, whole
	KW       float64 // of the stall, whole
	KWh      float64 // of the stall, in tenths
	ColdestC float64 // of the car, whole
}

// Surprise is something that happens, and has to be noted.
type Surprise struct {
	Kind Happening
	TS   float64 // of the charge; before it for a refused payment
}

// Happening is a kind of surprise.
type Happening string

// What happens.
const (
	Refused    Happening = "refused"   // payment was refused
	Neighbour  Happening = "neighbour" // another car came to the cabinet
	NoCar      Happening = "left"      // and left
	HotCable   Happening = "cable"     // the cable got warm
	ColdPack   Happening = "cold"      // the pack is cold
	ScreenLies Happening = "screen"    // the stall's power and its energy do not agree
)

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
	p.Plan = planned(plan, p.ToPct)
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

// planned is a session as somebody plans it: what car and stall are is known, the pack is taken for warm, and nothing
// happens.
func planned(plan forecast.Plan, toPct float64) forecast.Plan {
	car := *plan.Car
	car.Name, car.TimerS, car.TimerSharePct = "The car", nil, nil
	stall := *plan.Stall
	stall.Site = "The stall"
	plan.Car, plan.Stall, plan.ToPct = &car, &stall, toPct
	plan.Battery = pack.Nodes{ColdestC: 27, WarmestC: 29}
	plan.NeighbourOnS, plan.NeighbourS, plan.DerateS, plan.DerateShare = 0, 0, 0, 0
	return plan
}

// reaches is when the car shows a charge, in seconds of the charge.
func (p *Practice) reaches(pct float64) float64 {
	for i, s := range p.Screens {
		if s.SoCPct >= pct {
			return float64(i)
		}
	}
	return float64(len(p.Screens))
}

// Deed is something that is done at the stall, whether or not it is noted.
type Deed string

// The deeds.
const (
	Looked   Deed = "looked"   // at cable, plug and ground: the first thing to do
	Inserted Deed = "inserted" // the plug
	Paid     Deed = "paid"     // or tried to
	Halted   Deed = "halted"   // the charge was stopped: the last thing to do before the plug is pulled
	Pulled   Deed = "pulled"   // the plug
)

// Note is one thing that somebody did or noted.
type Note struct {
	TS     float64  // of the practice's clock, which begins on arrival
	Speed  float64  // times as fast as life that this clock ran
	Deed   Deed     // what was done; empty: something was noted
	Mark   run.Mark // what was noted by a button; of no kind: a reading
	Side   trace.Side
	Values map[trace.Channel]float64
}

// Run is what was noted, as a log has it: what was done and not noted is not in it.
func (p *Practice) Run(notes []Note) *run.Run {
	r := &run.Run{Car: p.Plan.Car, Stall: p.Plan.Stall, Conditions: &run.Condition{AmbientC: run.N(p.Plan.AmbientC)},
		Method: &run.Method{FromPct: run.N(p.FromPct), ToPct: run.N(p.ToPct)}}
	notes = slices.Clone(notes)
	slices.SortStableFunc(notes, func(a, b Note) int { return cmp.Compare(a.TS, b.TS) })
	for _, side := range []trace.Side{trace.StallSide, trace.CarSide} {
		rec := &trace.Recording{Name: "typed-" + string(side), Side: side, Columns: map[trace.Channel][]float64{}}
		for _, n := range notes {
			if n.Values == nil || n.Side != side {
				continue
			}
			for c := range n.Values {
				if rec.Columns[c] == nil {
					rec.Columns[c] = slices.Repeat([]float64{math.NaN()}, rec.Len())
				}
			}
			for c, column := range rec.Columns {
				v, ok := n.Values[c]
				if !ok {
					v = math.NaN()
				}
				rec.Columns[c] = append(column, v)
			}
			rec.T = append(rec.T, n.TS)
		}
		if rec.Len() > 0 {
			r.Recordings = append(r.Recordings, rec)
		}
	}
	for _, n := range notes {
		if n.Mark.Kind != "" {
			m := n.Mark
			m.TS = n.TS
			r.Marks = append(r.Marks, m)
		}
	}
	return r
}

// course is what came of what was done, on the practice's clock.
type course struct {
	looked  bool
	in      []float64 // each time that the plug went in
	refused []float64 // each time that payment was
	// The charge began, it was stopped, and the plug was pulled after it; NaN: not.
	startS, haltS, endS float64
}

// endedS is when the charge ended: it was stopped, or the plug pulled; +Inf: it goes on.
func (c course) endedS() float64 { return math.Min(orInf(c.haltS), orInf(c.endS)) }

// course goes through what was done, in its order. A payment is taken with the plug in; one that is refused lets the
// plug go, which has to be put in again.
func (p *Practice) course(notes []Note) course {
	c := course{startS: math.NaN(), haltS: math.NaN(), endS: math.NaN()}
	plugged, spent := false, false
	for _, n := range notes {
		switch n.Deed {
		case Looked:
			c.looked = c.looked || len(c.in) == 0
		case Inserted:
			if !plugged {
				plugged, spent = true, false
				c.in = append(c.in, n.TS)
			}
		case Paid:
			switch {
			case !plugged || spent || !math.IsNaN(c.startS):
			case len(c.refused) < p.Refusals:
				c.refused, spent = append(c.refused, n.TS), true
			default:
				c.startS = n.TS
			}
		case Halted:
			if plugged && !math.IsNaN(c.startS) && math.IsNaN(c.haltS) {
				c.haltS = n.TS
			}
		case Pulled:
			if plugged {
				plugged = false
				if !math.IsNaN(c.startS) && math.IsNaN(c.endS) {
					c.endS = n.TS
				}
			}
		}
	}
	return c
}

// Rule is one of those that a practice is marked by.
type Rule string

// The rules.
const (
	Safety  Rule = "safety"  // looked at cable, plug and ground before plugging in, stopped before unplugging
	Plug    Rule = "plug"    // the plug was noted as it went in and out
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

// What the rules allow.
const (
	PostLateS     = 20.0 // seconds by which a post, or the plug, may be noted early or late
	NoticeLateS   = 90.0 // seconds within which something has to be noted
	ReactS        = 4.0  // of the tester's own time that are always allowed, however fast the clock runs
	PastTargetPct = 2.0  // points of charge that may go past where the method ends

	socOff   = 1.0  // point by which a noted charge may be off: it moves on while one types
	offShare = 0.05 // share by which another figure may be off

	likelyShare = 0.85 // of what a right verdict is worth where it was called likely: to be sure pays from 77 of 100 on
	sureWrong   = -1.0 // what it costs to be sure of a wrong one
)

// within tells whether a note was made within so many seconds of a moment, or of as many as pass while one reacts.
func (n Note) within(late, ts float64) bool {
	return math.Abs(n.TS-ts) <= math.Max(late, ReactS*n.Speed)
}

// words are by what a free note is known to speak of something.
var words = []struct {
	of  Happening
	any []string
}{{NoCar, []string{"left", "leave", "gone", "drove", "drives"}}, {HotCable, []string{"cable", "handle", "connector"}},
	{ColdPack, []string{"cold"}}, {ScreenLies, []string{"kwh", "agree", "meter"}}}

// says is what a note speaks of.
func (n Note) says() (of []Happening) {
	switch n.Mark.Kind {
	case run.Attempt:
		return []Happening{Refused}
	case run.Neighbour:
		return []Happening{Neighbour}
	case run.Note:
		text := strings.ToLower(n.Mark.Note)
		for _, w := range words {
			if slices.ContainsFunc(w.any, func(word string) bool { return strings.Contains(text, word) }) {
				of = append(of, w.of)
			}
		}
	}
	return of
}

// notes tells whether a note is of a surprise, and in time. What lasts, a pack's cold and a screen that lies, may be
// noted at any time, the cold by its figure too.
func (n Note) notes(s Surprise, startS float64) bool {
	if _, cell := n.Values[trace.BatteryTempMin]; cell && s.Kind == ColdPack {
		return true
	}
	if !slices.Contains(n.says(), s.Kind) {
		return false
	}
	return s.Kind == ColdPack || s.Kind == ScreenLies ||
		n.TS >= startS+s.TS-1 && n.within(NoticeLateS, startS+s.TS)
}

// Mark marks what somebody did and noted, and their verdict.
func (p *Practice) Mark(notes []Note, verdict Answer) []RuleMark {
	c := p.course(notes)
	safety := RuleMark{Rule: Safety, Of: 2}
	if c.looked && len(c.in) > 0 {
		safety.Got++
	}
	if c.haltS <= c.endS {
		safety.Got++
	}
	return append([]RuleMark{safety, p.plugs(notes, c), p.posts(notes, c), p.noticed(notes, c), p.copied(notes, c),
		p.method(notes, c)}, p.verdict(verdict))
}

func (m RuleMark) shared() RuleMark {
	if m.All > 0 {
		m.Got = m.Of * float64(m.Hit) / float64(m.All)
	}
	return m
}

// plugs: the plug was noted whenever it went in, and as it came out at the end.
func (p *Practice) plugs(notes []Note, c course) RuleMark {
	m := RuleMark{Rule: Plug, Of: 1}
	noted := func(kind string, ts float64) {
		m.All++
		if slices.ContainsFunc(notes, func(n Note) bool { return n.Mark.Kind == kind && n.within(PostLateS, ts) }) {
			m.Hit++
		}
	}
	for _, ts := range c.in {
		noted(run.PlugIn, ts)
	}
	if !math.IsNaN(c.endS) {
		noted(run.Unplug, c.endS)
	}
	return m.shared()
}

// posts: each ten per cent was noted as it came.
func (p *Practice) posts(notes []Note, c course) RuleMark {
	m := RuleMark{Rule: Posts, Of: 3}
	for pct := math.Ceil((p.FromPct+0.5)/10) * 10; pct <= p.ToPct; pct += 10 {
		m.All++
		at := c.startS + p.reaches(pct)
		if slices.ContainsFunc(notes, func(n Note) bool {
			v, ok := n.Values[trace.SoC]
			return ok && v == pct && n.within(PostLateS, at)
		}) {
			m.Hit++
		}
	}
	return m.shared()
}

// noticed: what happened was noted, and nothing that did not.
func (p *Practice) noticed(notes []Note, c course) RuleMark {
	m := RuleMark{Rule: Noticed, Of: 2}
	count := func(hit bool) {
		m.All++
		if hit {
			m.Hit++
		}
	}
	for _, ts := range c.refused {
		count(slices.ContainsFunc(notes, func(n Note) bool {
			return n.Mark.Kind == run.Attempt && n.TS >= ts && n.within(NoticeLateS, ts)
		}))
	}
	if !math.IsNaN(c.startS) {
		end := math.Min(c.startS+p.reaches(p.ToPct), c.endedS())
		for _, s := range p.Surprises {
			if s.Kind != Refused && c.startS+s.TS <= end {
				count(slices.ContainsFunc(notes, func(n Note) bool { return n.notes(s, c.startS) }))
			}
		}
		if m.All == 0 {
			m.Got = m.Of // nothing happened, and nothing is missed
		}
	}
	// Noting what did not happen is no better than missing what did.
	for _, n := range notes {
		for _, of := range n.says() {
			if !slices.ContainsFunc(p.Surprises, func(s Surprise) bool { return s.Kind == of }) {
				count(false)
			}
		}
	}
	return m.shared()
}

// copied: a reading is what the screens said, then or just before or after.
func (p *Practice) copied(notes []Note, c course) RuleMark {
	m := RuleMark{Rule: Copied, Of: 1}
	for _, n := range notes {
		if n.Values == nil {
			continue
		}
		m.All++
		if p.showed(n, c) {
			m.Hit++
		}
	}
	return m.shared()
}

func (p *Practice) showed(n Note, c course) bool {
	const typingS = 6.0
	reach := math.Max(typingS, ReactS*n.Speed)
	for ts := n.TS - reach; ts <= n.TS+reach; ts++ {
		s := p.screenAt(ts, c)
		is := map[trace.Channel]float64{trace.SoC: s.SoCPct, trace.Power: s.KW, trace.Energy: s.KWh,
			trace.BatteryTempMin: s.ColdestC}
		right := true
		for ch, v := range n.Values {
			off := math.Max(1, offShare*is[ch])
			if ch == trace.SoC {
				off = socOff
			}
			_, shown := is[ch]
			right = right && shown && math.Abs(v-is[ch]) <= off
		}
		if right {
			return true
		}
	}
	return false
}

// screenAt is what the screens showed at a time of the practice's clock: before the charge what the car came with,
// after it what it ended with, and no power.
func (p *Practice) screenAt(ts float64, c course) Screen {
	ended := c.endedS()
	at := 0
	if ts > c.startS {
		at = min(int(math.Min(ts, ended)-c.startS), len(p.Screens)-1)
	}
	s := p.Screens[at]
	if !(ts > c.startS) || ts > ended {
		s.KW = 0
	}
	return s
}

// method: the charge was ended where the method ends, and the plug pulled.
func (p *Practice) method(notes []Note, c course) RuleMark {
	m := RuleMark{Rule: Method, Of: 1}
	if math.IsNaN(c.endS) {
		return m
	}
	ended := c.endedS()
	soc := p.screenAt(ended, c).SoCPct
	last := notes[slices.IndexFunc(notes, func(n Note) bool {
		return (n.Deed == Halted || n.Deed == Pulled) && n.TS == ended
	})]
	if soc >= p.ToPct && (soc <= p.ToPct+PastTargetPct || last.within(0, c.startS+p.reaches(p.ToPct))) {
		m.Got = m.Of
	}
	return m
}

// verdict: what cost it most, and how sure of that one may be.
func (p *Practice) verdict(a Answer) RuleMark {
	place := Place{Cause: p.Cause}
	if p.Open {
		place.Open = NotOffered
	}
	m := RuleMark{Rule: Verdict, Of: MostOfPlace, Got: place.worth(a)}
	switch {
	case a.Whose == limit.Open || a.Whose == "":
	case !a.Sure:
		m.Got *= likelyShare
	case m.Got == 0:
		m.Got = sureWrong
	}
	return m
}

func orInf(v float64) float64 {
	if math.IsNaN(v) {
		return math.Inf(1)
	}
	return v
}
