package curve

import (
	"math"
	"slices"

	"zincroad/core/health"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// noteBreaches writes into a recording's report what does not go on in it.
func (s *sides) noteBreaches(i int, raw *trace.Recording, report *health.Report) {
	for _, b := range s.broken {
		if b.recording == i {
			report.Note(raw, health.Proposal{Kind: b.kind, Readings: b.readings, Reason: b.why})
		}
	}
	if raw.Side == trace.StallSide && s.stallAC != nil && raw.Len() > 0 {
		report.Note(raw, health.Proposal{Kind: health.MainsSide, Channel: trace.Power, Readings: []int{0},
			Reason: s.stallAC.why.And("curve.on-mains-side")})
	}
}

// breachFindings say what does not go on, and what is not stated for it.
func (s *sides) breachFindings(r *Reading) []Finding {
	var out []Finding
	for i, b := range s.broken {
		if slices.ContainsFunc(s.broken[:i], func(o breach) bool { // both recordings tell it
			return o.kind == b.kind && b.kind == health.Recalibrated && b.From-o.To < leapWithinS
		}) {
			continue
		}
		name := s.recordings[b.recording].Name
		f := Finding{Kind: AboutBreach, Confidence: say.Likely, FromS: b.From - r.ZeroS, ToS: b.To - r.ZeroS,
			Evidence: []say.Text{b.why}}
		at := words.Clock(f.FromS)
		if b.kind == health.Recalibrated {
			f.Text = say.T("curve.the-charge-was-set", at)
		} else {
			f.Text = say.T("curve.the-clock-of-jumps", name, at)
		}
		out = append(out, f)
	}
	return out
}

// otherwise lists what else a reader must know of how the run was read: it withholds no window.
func (s *sides) otherwise(r *Reading) []Finding {
	var out []Finding
	if s.stallAC != nil {
		text := say.T("curve.mains-side")
		if math.IsNaN(s.stallAC.share) {
			text = say.T("curve.over-label")
		}
		out = append(out, Finding{Kind: AboutBreach, Confidence: say.Likely, FromS: r.firstPowerS(), ToS: r.firstPowerS(),
			Text: text, Evidence: []say.Text{s.stallAC.why}})
	}
	if f := s.lateFinding(r); f != nil {
		out = append(out, *f)
	}
	return out
}

// lateS is how long after plug-in a first reading under power shows that the beginning was not read: handshake and
// ramp take no longer (common practice, no source: half a minute to two).
const lateS = 120

// beginsLate gives when the log begins under full power after the plug-in; false where its beginning was read.
func (s *sides) beginsLate() (firstS float64, late bool) {
	head := s.flows[s.headline()]
	if len(head) == 0 || math.IsInf(s.legs[0].from, -1) {
		return math.NaN(), false
	}
	earliest := math.Inf(1)
	for _, p := range s.power {
		if part := cut(p, s.legs[0].span()); part.Len() > 0 {
			earliest = math.Min(earliest, part.T[0])
		}
	}
	first := head[0]
	return earliest, first.firstS == earliest && earliest-s.legs[0].from > lateS
}

// midway tells whether the readings of a run without marks begin under full power.
func (s *sides) midway(r *Reading) bool {
	flows := s.flows[r.Side]
	if len(flows) == 0 || !math.IsInf(s.legs[0].from, -1) || r.IntervalS > coarseS {
		return false
	}
	f := flows[0]
	before := s.power[r.Side].T[0] < f.T[0] || f.V[0] < PowerFloorKW
	top := cut(f.Series, trace.Span{From: f.T[0], To: f.T[0] + rampWindowS})
	return !before && top.Len() > 0 && f.V[0] >= rampShare*top.V[top.Max()]
}

// lateFinding says that the log begins late.
func (s *sides) lateFinding(r *Reading) *Finding {
	at, late := s.beginsLate()
	if !late && s.midway(r) {
		return &Finding{Kind: AboutBreach, Confidence: say.Likely, FromS: r.firstPowerS(), ToS: r.firstPowerS(),
			Text:     say.T("curve.the-log-begins-under"),
			Evidence: []say.Text{say.T("curve.its-first-reading-is", say.Fig(s.flows[r.Side][0].V[0], 0))}}
	}
	if !late {
		return nil
	}
	after := at - s.legs[0].from
	return &Finding{Kind: AboutBreach, Confidence: say.Strong, FromS: s.legs[0].from - r.ZeroS, ToS: at - r.ZeroS,
		Text:     say.T("curve.the-log-begins-after", say.Duration(after)),
		Evidence: []say.Text{say.T("curve.its-first-reading-is", say.Fig(s.flows[s.headline()][0].V[0], 0))}}
}
