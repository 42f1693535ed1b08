package follow

import (
	"math"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
)

// lookS is how old the power may be that still says what holds it now, in s.
const lookS = 90

// Holding is what seems to hold the power down at a moment.
type Holding struct {
	Cause      limit.Cause
	What       say.Text // the limit as a noun with its figure, and how sure: "probably the stall's 350 A"
	Reason     say.Text // one line, with the numbers used
	Confidence say.Confidence
	SinceS     float64 // since when, on the run's own clock
	Level      judge.Level
}

// Sure tells whether it is said for sure.
func (h *Holding) Sure() bool { return h.Confidence == say.Strong }

// judged is a run as the judgement of what holds it takes it: with the plan's car, stall and
// adapter, and what the tester assumed of the stall.
func judged(r *run.Run, plan forecast.Plan) *run.Run {
	out := *r
	if plan.Car != nil {
		out.Car = plan.Car
	}
	if plan.Stall != nil {
		st := *plan.Stall
		if kw, ok := run.Known(st.RatedKW); ok && plan.Assumed.PowerSharePct > 0 {
			st.RatedKW = run.N(kw * plan.Assumed.PowerSharePct / 100)
		}
		out.Stall = &st
	}
	if plan.Adapter != nil {
		out.Adapter = plan.Adapter
	}
	if plan.Gentle {
		c := run.Condition{}
		if out.Conditions != nil {
			c = *out.Conditions
		}
		c.Profile = "gentle"
		out.Conditions = &c
	}
	return &out
}

// hold says what seems to hold the power: the last stretch of the same judgement that a finished
// run gets. Where nobody has looked for a while there is nothing to say of now; what held when
// somebody did is still what is learnt.
func (s *State) hold(w curve.Work, toPct float64) {
	now := s.KW
	if !now.Known() {
		return
	}
	s.learntAt = s.SoC.V
	if now.AgeS <= lookS {
		s.learntAt = s.Charge()
	}
	j := w.Judgement()
	if j == nil || len(j.Stretches) == 0 {
		return
	}
	last := j.Stretches[len(j.Stretches)-1]
	h := &Holding{
		Cause:      last.Cause,
		What:       last.Holder().Words(),
		Confidence: last.Confidence,
		SinceS:     last.FromS,
		Level:      last.Level,
	}
	if now.V < run.PowerFloorKW {
		h = &Holding{Cause: limit.Paused, What: say.T("judge.pause"), Reason: say.T("follow.no-power"),
			Confidence: say.Strong,
			SinceS:     math.NaN()}
		if s.Finished = s.Charge() >= toPct; s.Finished {
			h.What, h.Reason = say.T("follow.finished"), say.T("follow.reached")
		}
	}
	if !h.Reason.Any() {
		h.Reason = reasonOf(last)
	}
	if s.learnt, s.LastHeld = h, h; now.AgeS <= lookS {
		s.Holding = h
	}
}

// reasonOf is a stretch's evidence in one line: what decides, and what else it may be.
func reasonOf(s judge.Stretch) say.Text {
	list := s.Evidence[:min(2, len(s.Evidence))]
	if n := len(s.Evidence); s.Confidence != say.Strong && n > 2 {
		list = append(list[:len(list):len(list)], s.Evidence[n-1])
	}
	return say.Join("semicolon", list...)
}

// Charge is the state of charge as counted, or as read where it cannot be.
func (s *State) Charge() float64 {
	if math.IsNaN(s.Counted) {
		return s.SoC.V
	}
	return s.Counted
}
