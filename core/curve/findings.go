package curve

import (
	"math"

	"zincroad/core/lineup"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// What a finding can speak of.
const (
	AboutWindow = "window"
	AboutPeak   = "peak"
	AboutRamp   = "ramp"
	AboutEnergy = "energy"
	AboutGap    = "gap"
	AboutScreen = "screen"
	AboutClock  = "clock"
	AboutDrive  = "drive"

	AboutCeiling = "ceiling"
	AboutCliff   = "cliff"
	AboutClaim   = "claim"

	AboutDistance = "distance"
	AboutApproach = "approach"
	AboutAsked    = "asked"

	AboutImplausible = "implausible"
	AboutBreach      = "breach" // of a clock, of the charge, of where a meter sits, of a log's beginning
)

// coarseS is the time between readings from which a run counts as typed: what
// happened in between is not known.
const coarseS = trace.TypedFromS

// findings puts a reading into sentences, the headline first.
func (s *sides) findings(r *Reading, of *run.Run) []Finding {
	m := of.Method
	out := []Finding{}
	add := func(list ...*Finding) {
		for _, f := range list {
			if f != nil {
				out = append(out, *f)
			}
		}
	}
	out = append(out, s.breachFindings(r)...)
	if add(implausibleFinding(r)); len(out) == 0 || len(r.Windows) > 0 { // else what is not stated says why
		add(windowFinding(r, m))
	}
	out = append(out, r.ceilingFindings()...)
	add(peakFinding(r))
	for _, c := range r.Cliffs {
		out = append(out, r.cliffFinding(c))
	}
	out = append(out, claimFindings(r)...)
	add(r.approachFinding(of.Car), askedFinding(r))
	add(energyFinding(r), distanceFinding(r), screenFinding(r), rampFinding(r))
	out = append(out, s.otherwise(r)...)
	for _, g := range r.Gaps {
		out = append(out, gapFinding(r, g))
	}
	add(plugFinding(r))
	for _, n := range r.Recordings {
		if f := clockFinding(r, n); f != nil {
			out = append(out, *f)
		}
	}
	return out
}

// clockFinding says how a recording was lined up where that moved it, and where two ways fit, or
// none does though both sides were recorded. Nil where there is nothing to say.
func clockFinding(r *Reading, n RecordingNote) *Finding {
	f := &Finding{Kind: AboutClock, Confidence: say.Likely}
	if r.SoC != nil && len(r.Legs) > 0 {
		f.FromS, f.ToS = r.Legs[0].FromS, r.Legs[len(r.Legs)-1].ToS
	}
	moved := n.OffsetLowS != nil && n.ClockOffsetS != 0
	switch {
	case n.RivalOffsetS != nil:
		f.Confidence = say.Unsure
		f.Text = say.T("curve.fits-as-well-as", n.File, clockWords(n.ClockOffsetS), clockWords(*n.RivalOffsetS))
	case n.LinedUpBy == lineup.ByShape && moved:
		f.Confidence = say.Strong
		f.Text = say.T("curve.was-lined-up-its", n.File, clockWords(n.ClockOffsetS))
	case n.LinedUpBy == lineup.ByPower && moved:
		f.Text = say.T("curve.was-lined-up-by", n.File, clockWords(n.ClockOffsetS))
	case n.LinedUpBy == lineup.ByNote && n.NotOneSession:
		f.Confidence = say.Likely
		f.Text = say.T("curve.does-not-look-like", n.File)
		f.Evidence = append(f.Evidence, n.NotLinedUp)
		f.Evidence = append(f.Evidence, say.T("curve.where-their-shapes-are", say.Fixed(n.Alike, 3)))
	case n.LinedUpBy == lineup.ByNote && n.NotLinedUp.Any() && n.Alike > 0:
		f.Confidence = say.Unsure
		f.Text = say.T("curve.could-not-be-lined", n.File, n.NotLinedUp)
	default:
		return nil
	}
	if n.OffsetLowS != nil {
		f.Evidence = append(f.Evidence, say.T("curve.between-and-s-in", say.Fig(*n.OffsetLowS, 1), say.Fig(*n.OffsetHighS,
			1)))
	}
	if n.ClockDriftPPM != 0 {
		f.Evidence = append(f.Evidence, say.T(ahead(n.ClockDriftPPM, "curve.runs-fast", "curve.runs-slow"),
			say.Fig(math.Abs(n.ClockDriftPPM)*3600/1e6, 2)))
	}
	return f
}

// clockWords says how far a clock is off, whole hours apart: they are a time zone's.
func clockWords(offsetS float64) say.Text {
	hours, rest := lineup.WholeHours(offsetS)
	if hours == 0 {
		return say.T(ahead(-offsetS, "curve.ahead", "curve.behind"), say.Duration(math.Abs(offsetS)))
	}
	s := say.T(ahead(float64(-hours), "curve.hours-ahead", "curve.hours-behind"), max(hours, -hours))
	if math.Abs(rest) >= 1 {
		s = s.And("and").And(ahead(-rest, "curve.ahead", "curve.behind"), say.Duration(math.Abs(rest)))
	}
	return s
}

func ahead(v float64, positive, negative string) string {
	if v > 0 {
		return positive
	}
	return negative
}

// Headline gives the window that a run is known by: the method's, else 10-80,
// else the one that covers most of the run.
func (r *Reading) Headline(m *run.Method) (Window, bool) {
	if from, to, ok := methodWindow(m); ok {
		if w, ok := r.Window(from, to); ok {
			return w, true
		}
	}
	if w, ok := r.Window(10, 80); ok {
		return w, true
	}
	var best Window
	for _, w := range r.Windows {
		if w.ToPct-w.FromPct > best.ToPct-best.FromPct {
			best = w
		}
	}
	return best, best.ToPct > 0
}

// windowFinding says how long the window took that the run was for.
func windowFinding(r *Reading, m *run.Method) *Finding {
	w, ok := r.Headline(m)
	if !ok {
		return spanFinding(r)
	}
	from, _ := r.Post(w.FromPct)
	f := &Finding{Kind: AboutWindow, FromS: from, ToS: from + w.TS}
	f.Text = say.T("curve.window-took", say.Fig(w.FromPct, 1), say.Fig(w.ToPct, 1), say.Duration(w.TS))
	f.Evidence = append(f.Evidence, say.T("curve.post-at-post-at", say.Fig(w.FromPct, 1), say.Clock(from),
		say.Fig(w.ToPct, 1), say.Clock(from+w.TS), r.clockName()))
	story := r.verdictOf(from, from+w.TS)
	if w.AverageKW != nil {
		average := say.T("curve.kw-on-average", say.Fig(*w.AverageKW, 0))
		if !story.Any() {
			f.Text = f.Text.And("comma").Then(average)
		}
		f.Evidence = append(f.Evidence, say.T("curve.kwh-on-the-side", average, say.Fixed(*w.EnergyKWh, 1), sideText(r.Side)))
	}
	if f.Text = f.Text.And("stop"); story.Any() {
		f.Text, f.Story = f.Text.And("space").Then(story), story
	}
	if r.Pace != nil {
		f.Evidence = append(f.Evidence, r.Pace.lostLine())
	}
	f.Confidence = r.confidence(f)
	return f
}

// spanFinding speaks of a run that covers no listed window.
func spanFinding(r *Reading) *Finding {
	if r.SoC == nil || len(r.Legs) == 0 || len(r.Implausible) > 0 || r.SoC.ToPct <= r.SoC.FromPct {
		return nil
	}
	charging := 0.0
	for _, l := range r.Legs {
		charging += l.FlowedToS - l.FromS
	}
	f := &Finding{Kind: AboutWindow, FromS: r.Legs[0].FromS, ToS: r.Legs[len(r.Legs)-1].FlowedToS}
	f.Text = say.T("curve.from-to-in-of", say.Fig(r.SoC.FromPct, 1), say.Fig(r.SoC.ToPct, 1), say.Duration(charging))
	f.Evidence = []say.Text{say.T("curve.no-window-from-one")}
	f.Confidence = r.confidence(f)
	return f
}

// peakFinding says how high the power went and how long it held.
func peakFinding(r *Reading) *Finding {
	p := r.Peak
	if p == nil {
		return nil
	}
	f := &Finding{Kind: AboutPeak, FromS: p.TS, ToS: p.TS}
	f.Text = say.T("curve.peak-kw", say.Fig(p.KW, 0))
	f.Evidence = []say.Text{
		say.T("curve.highest-reading-kw-at", say.Fig(p.KW, 1), say.Clock(p.TS), sideText(r.Side)),
	}
	if p.HeldS != nil {
		f.FromS, f.ToS = p.HeldFromS, p.HeldFromS+*p.HeldS
		level := *p.SustainedKW * HeldShare
		f.Text = f.Text.And("curve.kw-or-more-held", say.Fig(level, 0), say.Duration(*p.HeldS))
		if p.HeldFromPct != nil && p.HeldToPct != nil {
			f.Text = f.Text.And("curve.from-to", say.Fig(*p.HeldFromPct, 0), say.Fig(*p.HeldToPct, 0))
		}
		f.Evidence = append(
			f.Evidence,
			say.T("curve.highest-mean-over-s", say.Fig(*p.SustainedKW, 1), say.Fig(level, 1)),
		)
	}
	f.Text = f.Text.And("stop")
	f.Confidence = r.confidence(f)
	return f
}

// rampFinding says how long the power took to come.
func rampFinding(r *Reading) *Finding {
	if r.RampS == nil || r.IntervalS > coarseS || len(r.Legs) == 0 {
		return nil
	}
	from := r.firstPowerS()
	f := &Finding{Kind: AboutRamp, FromS: from, ToS: from + *r.RampS}
	f.Text = say.T("curve.ramp-from-first-power", say.Duration(*r.RampS))
	f.Evidence = []say.Text{say.T("curve.first-power-after", say.Duration(max(0, from)), r.clockName())}
	f.Confidence = r.confidence(f)
	return f
}

// firstPowerS gives the time of first power from the reading's clock zero.
func (r *Reading) firstPowerS() float64 {
	return r.FirstPower - r.ZeroS
}

// energyFinding says what flowed, and what was lost on the way.
func energyFinding(r *Reading) *Finding {
	e := r.Energy
	f := &Finding{Kind: AboutEnergy}
	if n := len(r.Legs); n > 0 {
		f.FromS, f.ToS = r.Legs[0].FromS, r.Legs[n-1].ToS
	}
	switch {
	case e.StallKWh != nil && e.CarKWh != nil && e.LossPct != nil && *e.LossPct < 0:
		f.Text = say.T("curve.the-car-counted-kwh", say.Fixed(*e.CarKWh, 1), say.Fixed(*e.StallKWh, 1))
	case e.StallKWh != nil && e.CarKWh != nil && e.LossPct != nil:
		f.Text = say.T("curve.kwh-delivered-kwh-into-the", say.Fixed(*e.StallKWh, 1), say.Fixed(*e.CarKWh, 1), e.lossWords())
		f.Evidence = append(f.Evidence, say.T("curve.loss-over"))
	case e.StallKWh != nil && e.CarKWh != nil:
		f.Text = say.T("curve.kwh-delivered-kwh-into", say.Fixed(*e.StallKWh, 1), say.Fixed(*e.CarKWh, 1))
	case e.StallKWh != nil:
		f.Text = say.T("curve.kwh-delivered-what-reached", say.Fixed(*e.StallKWh, 1))
	case e.CarKWh != nil:
		f.Text = say.T("curve.kwh-into-the-pack", say.Fixed(*e.CarKWh, 1))
	default:
		return nil
	}
	if e.LossPct == nil {
		f.Evidence = append(f.Evidence, say.T("curve.the-area-under-the", sideText(r.Side)))
	}
	if u := r.Usable; u != nil && u.High != nil {
		f.Evidence = append(
			f.Evidence,
			say.T("curve.that-makes-kwh-for", say.Fixed(u.Value, 1), say.Fixed(u.Low, 1), say.Fixed(*u.High, 1)),
		)
	}
	f.Confidence = r.confidence(f)
	return f
}

// sameKWh is by how much, as a share, what a side measured in all may differ from what it did while both were read and
// still be written as the same.
const sameKWh = 0.01

// lossWords say what was lost in kWh and in per cent, over the same time.
func (e Energy) lossWords() say.Text {
	lost := say.T("curve.kwh-lost-on-the", say.Fixed(*e.StallKWh**e.LossPct/100, 1), say.Fixed(*e.LossPct, 1))
	b := e.Both
	if b == nil {
		return lost
	}
	same := func(all, shared float64) bool { return math.Abs(all-shared) <= sameKWh*all }
	lost = say.T("curve.kwh-lost-on-the", say.Fixed(b.StallKWh-b.CarKWh, 1), say.Fixed(*e.LossPct, 1))
	if same(*e.StallKWh, b.StallKWh) && same(*e.CarKWh, b.CarKWh) {
		return lost
	}
	return say.T("curve.over-the-that-both", say.Duration(b.ForS), say.Fixed(b.StallKWh, 1), say.Fixed(b.CarKWh, 1), lost)
}

func gapFinding(r *Reading, g trace.Span) Finding {
	return Finding{
		Kind: AboutGap, FromS: g.From, ToS: g.To, Confidence: say.Strong,
		Text: say.T("curve.no-readings-for-from", say.Duration(g.Len()), say.Clock(g.From)),
		Evidence: []say.Text{
			say.T("curve.readings-otherwise-come-every", say.Fig(r.IntervalS, 1)),
		},
	}
}

// confidence says how far a stretch of readings bears a statement: unsure where a
// gap takes an end of it or more than a tenth of it, likely where a gap or
// far-apart readings leave room, else strong.
func (r *Reading) confidence(f *Finding) say.Confidence {
	bridged, end := 0.0, false
	for _, g := range r.Gaps {
		bridged += math.Max(0, math.Min(g.To, f.ToS)-math.Max(g.From, f.FromS))
		for _, t := range []float64{f.FromS, f.ToS} {
			end = end || g.From < t && t < g.To
		}
	}
	switch {
	case end || bridged > 0.1*(f.ToS-f.FromS) && bridged > 0:
		f.Evidence = append(f.Evidence, say.T("curve.gap-touches"))
		return say.Unsure
	case bridged > 0:
		f.Evidence = append(f.Evidence, say.T("curve.gap-inside"))
		return say.Likely
	case r.IntervalS > coarseS:
		f.Evidence = append(f.Evidence, say.T("curve.readings-apart", say.Duration(r.IntervalS)))
		return say.Likely
	}
	return say.Strong
}

func (r *Reading) clockName() say.Text {
	if r.Clock == PowerClock {
		return say.T("clock.power")
	}
	return say.T("clock.plug")
}

func sideText(s trace.Side) say.Text { return say.T("side." + string(s)) }
