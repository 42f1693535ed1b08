package curve

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/health"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// How long power lasts at least that is no braking on a hill, and how often it was read (common practice, no source).
const (
	lastingS     = 120
	lastingReads = 3
)

// inferPlug adds the plug-in and the unplug that nobody marked to the run's marks: where a log holds a drive, and where
// power flowed for minutes before the first plug-in that is marked. No leg that carried power is lost for a missing
// tap.
func (s *sides) inferPlug() {
	given := s.marks
	s.proposed = health.Marks(given, s.power[trace.CarSide])
	if slices.ContainsFunc(given, func(m run.Mark) bool { return m.Kind == run.PlugIn }) {
		s.inferFirst(given)
		return
	}
	for _, p := range s.proposed {
		if p.Drive {
			s.marks = withMark(s.marks, run.Mark{TS: s.firstLasting(p), Kind: p.Kind})
		}
	}
}

// firstLasting is when a drive ends and charging begins, by either side; an unplug stands where it is.
func (s *sides) firstLasting(p health.MarkProposal) float64 {
	at := p.TS
	for _, leg := range health.ChargingIn(s.power[trace.StallSide]) {
		if p.Kind == run.PlugIn && leg.From < at && !health.DroveBetween(s.power[trace.CarSide], leg.From, at) {
			at = leg.From
		}
	}
	return at
}

// inferFirst adds the plug-in of a leg that lies before the first one that is marked. A plug-in that was marked while
// power flowed already was marked late, and is that one. What lies before a drive is no leg of this run.
func (s *sides) inferFirst(given []run.Mark) {
	if !s.beginsWithPlugIn() {
		return
	}
	k := slices.IndexFunc(given, func(m run.Mark) bool { return m.Kind == run.PlugIn })
	marked := given[k].TS
	first := trace.Span{From: math.Inf(1)}
	late := false
	for _, p := range s.power {
		for _, x := range health.ChargingIn(p) {
			before := cut(p, trace.Span{From: x.From, To: math.Min(x.To, marked)})
			lasts := before.Len() >= lastingReads && before.Span().Len() >= lastingS
			if !lasts || x.From >= marked || health.DroveBetween(s.power[trace.CarSide], math.Min(x.To, marked), marked) {
				continue
			}
			late = late || x.To > marked
			if x.From < first.From {
				first = x
			}
		}
	}
	if math.IsInf(first.From, 1) {
		return
	}
	reason := say.T("curve.power-flowed-from-on", say.Clock(first.From), say.Clock(marked))
	s.proposed = append(s.proposed, health.MarkProposal{TS: first.From, Kind: run.PlugIn, Reason: reason})
	s.marks = withMark(given, run.Mark{TS: first.From, Kind: run.PlugIn})
	if late {
		s.marks = slices.DeleteFunc(s.marks, func(m run.Mark) bool { return m.Kind == run.PlugIn && m.TS == marked })
	}
}

// Marks are the run's in order of time, with the plug-in and the unplug that nobody made and the power shows.
func (w Work) Marks() []run.Mark { return w.marks }

// withMark gives marks in order of time with one more.
func withMark(marks []run.Mark, m run.Mark) []run.Mark {
	out := append(slices.Clone(marks), m)
	slices.SortStableFunc(out, func(a, b run.Mark) int { return cmp.Compare(a.TS, b.TS) })
	return out
}

// plugFinding says which plug-in or unplug nobody marked, and where it was taken from.
func plugFinding(r *Reading) *Finding {
	for _, m := range r.MarkProposals {
		inferred := m.Drive || len(r.Legs) > 0 && m.Kind == run.PlugIn && m.TS-r.ZeroS <= r.Legs[0].FromS
		if !inferred {
			continue
		}
		at := m.TS - r.ZeroS
		f := &Finding{Kind: AboutDrive, Confidence: say.Likely, FromS: at, ToS: at, Evidence: []say.Text{m.Reason}}
		if m.Kind == run.Unplug {
			f.Text = say.T("curve.nobody-marked-the-unplug", say.Clock(at))
			return f
		}
		f.Text = say.T("curve.nobody-marked-the-plug")
		return f
	}
	return nil
}
