package curve

import (
	"math"

	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// Screen is what the seller's own register and screen said at the end of the run,
// beside what its power adds up to.
type Screen struct {
	KWh      *float64 `json:"kwh"`       // what the register counted over the run; nil: not read near the end
	Cost     *float64 `json:"cost"`      // in the stall's currency; nil: not read
	PowerKWh *float64 `json:"power_kwh"` // what the stall's power adds up to
}

// mostSessionKWh is more than any car's pack takes: a register that shows more is a
// meter's, which goes on from one session to the next (common practice, no source).
const mostSessionKWh = 250

// screen gives the seller's totals, nil where none was read near the end.
func (s *sides) screen() *Screen {
	out := Screen{KWh: s.register(), Cost: s.price(), PowerKWh: s.kwh(trace.StallSide)}
	if out.KWh == nil && out.Cost == nil {
		return nil
	}
	return &out
}

// register is the energy that the stall's register counted over the run, in kWh. A
// register that counts each session begins at 0 with every plug-in; one that goes on
// is read at the beginning too. Nil where it was not read near the end.
func (s *sides) register() *float64 {
	series := s.totals(trace.Energy)
	if series.Len() == 0 {
		return nil
	}
	total, first := 0.0, series.V[0]
	if !s.sessionRegister(series) {
		if series.T[0] > startOf(s.legs[0])+unreadS || series.Len() < 2 {
			return nil
		}
		total -= first
	}
	for i, v := range series.V {
		if i > 0 && v < series.V[i-1]-0.05 {
			total += series.V[i-1] // begun anew at a replug
		}
	}
	total += series.V[series.Len()-1]
	if total < 0 {
		return nil
	}
	return &total
}

// sessionRegister tells whether a register began at 0 with the session: where its
// first reading is no more than what had flowed by then.
func (s *sides) sessionRegister(series trace.Series) bool {
	first := series.V[0]
	if first > mostSessionKWh {
		return false
	}
	flowed := 0.0 // of the side that was read the more of the time
	for _, flows := range s.flows {
		flowed = math.Max(flowed, units.KWhFromKJ(integral(flows, math.Inf(-1), series.T[0])))
	}
	return len(s.flows[trace.StallSide])+len(s.flows[trace.CarSide]) == 0 || first <= 1+1.3*flowed
}

// price is the last price on the stall's screen; nil where it was not read near the
// end.
func (s *sides) price() *float64 {
	series := s.totals(trace.Cost)
	if series.Len() == 0 {
		return nil
	}
	return ptr(series.V[series.Len()-1])
}

// totals gives a running total of the stall's side, from shortly before plug-in to
// what was noted after the end; empty where its last reading is not near the end.
func (s *sides) totals(c trace.Channel) trace.Series {
	last := s.legs[len(s.legs)-1]
	to := last.to
	if !math.IsInf(to, 1) {
		to += notedAfterS
	}
	series := cut(s.joined(trace.StallSide, c), trace.Span{From: s.legs[0].from - nearS, To: to})
	n := series.Len()
	_, lastPower := s.powered(last.span())
	if n == 0 || series.T[n-1] < lastPower-math.Max(nearS, nearIntervals*trace.MedianInterval(series.T)) {
		return trace.Series{}
	}
	return series
}

// registerTolerance is how far a register and the power's own sum may be apart and
// still agree (common practice, no source: whole kW and lag on a screen).
const registerTolerance = 0.03

// screenFinding lays the screen's energy beside what its power adds up to.
func screenFinding(r *Reading) *Finding {
	s := r.Screen
	if s == nil || s.KWh == nil || s.PowerKWh == nil || *s.PowerKWh <= 0 || len(r.Legs) == 0 {
		return nil
	}
	by := *s.KWh - *s.PowerKWh
	pct := math.Abs(by) / *s.PowerKWh * 100
	f := &Finding{Kind: AboutScreen, Confidence: say.Likely, FromS: r.Legs[0].FromS, ToS: r.Legs[len(r.Legs)-1].ToS}
	f.Text = say.T("curve.the-stall-register-says", say.Fixed(*s.KWh, 1), say.Fixed(*s.PowerKWh, 1))
	switch {
	case pct <= registerTolerance*100:
		f.Text = f.Text.And("curve.they-agree")
		f.Confidence = say.Strong
	case by > 0:
		f.Text = f.Text.And("curve.kwh-flowed-that-the", say.Fixed(by, 1), say.Fig(pct, 0))
	default:
		f.Text = f.Text.And("curve.kwh-more-than-was", say.Fixed(-by, 1), say.Fig(pct, 0))
	}
	f.Evidence = []say.Text{say.T("curve.the-register-is-the")}
	return f
}
