package curve

import (
	"fmt"
	"math"

	"zincroad/core/lineup"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
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

// How sure a finding is.
const (
	Strong = "strong"
	Likely = "likely"
	Unsure = "unsure"
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
	f := &Finding{Kind: AboutClock, Confidence: Likely}
	if r.SoC != nil && len(r.Legs) > 0 {
		f.FromS, f.ToS = r.Legs[0].FromS, r.Legs[len(r.Legs)-1].ToS
	}
	moved := n.OffsetLowS != nil && n.ClockOffsetS != 0
	switch {
	case n.RivalOffsetS != nil:
		f.Confidence = Unsure
		f.Text = fmt.Sprintf("%s fits as well %s as %s: which of the two cannot be told from its shape.", n.File,
			clockWords(n.ClockOffsetS), clockWords(*n.RivalOffsetS))
	case n.LinedUpBy == lineup.ByShape && moved:
		f.Confidence = Strong
		f.Text = fmt.Sprintf("%s was lined up: its clock is %s.", n.File, clockWords(n.ClockOffsetS))
	case n.LinedUpBy == lineup.ByPower && moved:
		f.Text = fmt.Sprintf("%s was lined up by the moment at which power began: its clock is %s.", n.File,
			clockWords(n.ClockOffsetS))
	case n.LinedUpBy == lineup.ByNote && n.NotOneSession:
		f.Confidence = Likely
		f.Text = fmt.Sprintf("%s does not look like this session: it stands apart, and no figure is made of it.", n.File)
		f.Evidence = append(f.Evidence, n.NotLinedUp)
		f.Evidence = append(f.Evidence, fmt.Sprintf("where their shapes are most alike, they correlate by %s",
			words.Fixed(n.Alike, 3)))
	case n.LinedUpBy == lineup.ByNote && n.NotLinedUp != "" && n.Alike > 0:
		f.Confidence = Unsure
		f.Text = fmt.Sprintf("%s could not be lined up: %s.", n.File, n.NotLinedUp)
	default:
		return nil
	}
	if n.OffsetLowS != nil {
		f.Evidence = append(f.Evidence, fmt.Sprintf("between %s and %s s, in 95 of 100", words.Figure(*n.OffsetLowS, 1),
			words.Figure(*n.OffsetHighS, 1)))
	}
	if n.ClockDriftPPM != 0 {
		f.Evidence = append(f.Evidence, fmt.Sprintf("and runs %s by %s s an hour", ahead(n.ClockDriftPPM, "fast", "slow"),
			words.Figure(math.Abs(n.ClockDriftPPM)*3600/1e6, 2)))
	}
	return f
}

// clockWords says how far a clock is off, whole hours apart: they are a time zone's.
func clockWords(offsetS float64) string {
	hours, rest := lineup.WholeHours(offsetS)
	if hours == 0 {
		return words.Duration(math.Abs(offsetS)) + " " + ahead(-offsetS, "ahead", "behind")
	}
	s := fmt.Sprintf(
		"%d h %s (a time zone, or summer time)",
		max(hours, -hours),
		ahead(float64(-hours), "ahead", "behind"),
	)
	if math.Abs(rest) >= 1 {
		s += fmt.Sprintf(" and %s %s", words.Duration(math.Abs(rest)), ahead(-rest, "ahead", "behind"))
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
	f.Text = fmt.Sprintf("%s–%s %% in %s", words.Figure(w.FromPct, 1), words.Figure(w.ToPct, 1), words.Duration(w.TS))
	f.Evidence = append(f.Evidence, fmt.Sprintf("post %s at %s, post %s at %s after %s",
		words.Figure(w.FromPct, 1), words.Clock(from), words.Figure(w.ToPct, 1), words.Clock(from+w.TS), r.clockName()))
	story := r.verdictOf(from, from+w.TS)
	if w.AverageKW != nil {
		average := fmt.Sprintf("%s kW on average", words.Figure(*w.AverageKW, 0))
		if story == "" {
			f.Text += ", " + average
		}
		f.Evidence = append(f.Evidence, fmt.Sprintf("%s, %s kWh on the %s side", average, words.Fixed(*w.EnergyKWh, 1),
			r.Side))
	}
	if f.Text += "."; story != "" {
		f.Text += " " + story
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
	f.Text = fmt.Sprintf("From %s to %s %% in %s of charging.", words.Figure(r.SoC.FromPct, 1),
		words.Figure(r.SoC.ToPct, 1), words.Duration(charging))
	f.Evidence = []string{"no window from one listed post to another is covered"}
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
	f.Text = fmt.Sprintf("Peak %s kW", words.Figure(p.KW, 0))
	f.Evidence = []string{
		fmt.Sprintf("highest reading %s kW at %s, %s side", words.Figure(p.KW, 1), words.Clock(p.TS), r.Side),
	}
	if p.HeldS != nil {
		f.FromS, f.ToS = p.HeldFromS, p.HeldFromS+*p.HeldS
		level := *p.SustainedKW * HeldShare
		f.Text += fmt.Sprintf("; %s kW or more held for %s", words.Figure(level, 0), words.Duration(*p.HeldS))
		if p.HeldFromPct != nil && p.HeldToPct != nil {
			f.Text += fmt.Sprintf(", from %s to %s %%", words.Figure(*p.HeldFromPct, 0), words.Figure(*p.HeldToPct, 0))
		}
		f.Evidence = append(
			f.Evidence,
			fmt.Sprintf("highest mean over 10 s %s kW; 95 %% of it is %s kW", words.Figure(*p.SustainedKW, 1),
				words.Figure(level, 1)),
		)
	}
	f.Text += "."
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
	f.Text = fmt.Sprintf("Ramp: %s from first power to nine tenths of the first 3 minutes' best.",
		words.Duration(*r.RampS))
	f.Evidence = []string{fmt.Sprintf("first power %s after %s", words.Duration(max(0, from)), r.clockName())}
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
		f.Text = fmt.Sprintf("The car counted %s kWh, the stall only %s kWh: one of the two is wrong.",
			words.Fixed(*e.CarKWh, 1), words.Fixed(*e.StallKWh, 1))
	case e.StallKWh != nil && e.CarKWh != nil && e.LossPct != nil:
		f.Text = fmt.Sprintf("%s kWh delivered, %s kWh into the pack: %s.", words.Fixed(*e.StallKWh, 1),
			words.Fixed(*e.CarKWh, 1), e.lossWords())
		f.Evidence = append(f.Evidence, "loss over the time that both sides cover")
	case e.StallKWh != nil && e.CarKWh != nil:
		f.Text = fmt.Sprintf("%s kWh delivered, %s kWh into the pack; what was lost on the way cannot be told.",
			words.Fixed(*e.StallKWh, 1), words.Fixed(*e.CarKWh, 1))
	case e.StallKWh != nil:
		f.Text = fmt.Sprintf("%s kWh delivered; what reached the pack was not logged.", words.Fixed(*e.StallKWh, 1))
	case e.CarKWh != nil:
		f.Text = fmt.Sprintf("%s kWh into the pack; what the stall delivered was not logged.",
			words.Fixed(*e.CarKWh, 1))
	default:
		return nil
	}
	if e.LossPct == nil {
		f.Evidence = append(f.Evidence, fmt.Sprintf("the area under the %s side's power, leg by leg", r.Side))
	}
	if u := r.Usable; u != nil && u.High != nil {
		f.Evidence = append(
			f.Evidence,
			fmt.Sprintf("that makes %s kWh for 100 %% (%s to %s)", words.Fixed(u.Value, 1), words.Fixed(u.Low, 1),
				words.Fixed(*u.High, 1)),
		)
	}
	f.Confidence = r.confidence(f)
	return f
}

// sameKWh is by how much, as a share, what a side measured in all may differ from what it did while both were read and
// still be written as the same.
const sameKWh = 0.01

// lossWords say what was lost in kWh and in per cent, over the same time.
func (e Energy) lossWords() string {
	lost := fmt.Sprintf("%s kWh (%s %%) lost on the way", words.Fixed(*e.StallKWh**e.LossPct/100, 1),
		words.Fixed(*e.LossPct, 1))
	b := e.Both
	if b == nil {
		return lost
	}
	same := func(all, shared float64) bool { return math.Abs(all-shared) <= sameKWh*all }
	lost = fmt.Sprintf("%s kWh (%s %%) lost on the way", words.Fixed(b.StallKWh-b.CarKWh, 1), words.Fixed(*e.LossPct, 1))
	if same(*e.StallKWh, b.StallKWh) && same(*e.CarKWh, b.CarKWh) {
		return lost
	}
	return fmt.Sprintf("over the %s that both were read %s and %s kWh, %s", words.Duration(b.ForS),
		words.Fixed(b.StallKWh, 1), words.Fixed(b.CarKWh, 1), lost)
}

func gapFinding(r *Reading, g trace.Span) Finding {
	return Finding{
		Kind: AboutGap, FromS: g.From, ToS: g.To, Confidence: Strong,
		Text: fmt.Sprintf("No readings for %s from %s on; bridged by a straight line.", words.Duration(g.Len()),
			words.Clock(g.From)),
		Evidence: []string{
			fmt.Sprintf("readings otherwise come every %s s; posts and energy inside the gap are estimates",
				words.Figure(r.IntervalS, 1)),
		},
	}
}

// confidence says how far a stretch of readings bears a statement: unsure where a
// gap takes an end of it or more than a tenth of it, likely where a gap or
// far-apart readings leave room, else strong.
func (r *Reading) confidence(f *Finding) string {
	bridged, end := 0.0, false
	for _, g := range r.Gaps {
		bridged += math.Max(0, math.Min(g.To, f.ToS)-math.Max(g.From, f.FromS))
		for _, t := range []float64{f.FromS, f.ToS} {
			end = end || g.From < t && t < g.To
		}
	}
	switch {
	case end || bridged > 0.1*(f.ToS-f.FromS) && bridged > 0:
		f.Evidence = append(f.Evidence, "a gap in the readings touches it")
		return Unsure
	case bridged > 0:
		f.Evidence = append(f.Evidence, "a gap in the readings lies inside it")
		return Likely
	case r.IntervalS > coarseS:
		f.Evidence = append(f.Evidence, fmt.Sprintf("readings %s apart", words.Duration(r.IntervalS)))
		return Likely
	}
	return Strong
}

func (r *Reading) clockName() string {
	if r.Clock == PowerClock {
		return "first power"
	}
	return "plug-in"
}
