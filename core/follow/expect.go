package follow

import (
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/lineup"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// nodes is the pack as far as it was read: what was not lies as far from what was as
// the model has it. NaN stands for not read; with nothing read it is the model's.
func nodes(coldestC, warmestC float64, model pack.Nodes) pack.Nodes {
	model = model.Ordered()
	spread := model.WarmestC - model.ColdestC
	switch cold, warm := math.IsNaN(coldestC), math.IsNaN(warmestC); {
	case cold && warm:
		return model
	case warm:
		return pack.Nodes{ColdestC: coldestC, WarmestC: coldestC + spread}
	case cold:
		return pack.Nodes{ColdestC: warmestC - spread, WarmestC: warmestC}
	}
	return pack.Nodes{ColdestC: coldestC, WarmestC: warmestC}.Ordered()
}

// beginS is how long after plug-in a first reading still speaks for the beginning.
const beginS = 180

// Beginning is a plan as the run really began: from the first state of charge and
// with the first temperatures that were read, up to three minutes after plug-in.
func Beginning(r *run.Run, plan forecast.Plan) forecast.Plan {
	until := math.Inf(1)
	if i := slices.IndexFunc(r.Marks, func(m run.Mark) bool { return m.Kind == run.PlugIn }); i >= 0 {
		until = curve.Read(lineup.AsNoted(r), curve.Options{Clock: curve.PlugClock}).ZeroS + beginS
	}
	first := func(c trace.Channel) float64 {
		at, v := until, math.NaN()
		for _, rec := range r.Recordings {
			if s := rec.OnRunClock().Series(c); s.Len() > 0 && s.T[0] <= at {
				at, v = s.T[0], s.V[0]
			}
		}
		return v
	}
	if soc := first(trace.SoC); !math.IsNaN(soc) {
		plan.FromPct = soc
	}
	coldest := first(trace.BatteryTempMin)
	if math.IsNaN(coldest) {
		coldest = first(trace.BatteryTemp)
	}
	plan.Battery = nodes(coldest, first(trace.BatteryTempMax), plan.Battery)
	return plan
}

// AsBegan is a plan as a finished run really began, from what was read of it.
func AsBegan(x *curve.Reading, plan forecast.Plan) forecast.Plan {
	if x.SoC != nil {
		plan.FromPct = x.SoC.FromPct
	}
	if b := x.Battery; b != nil && b.StartC != nil {
		plan.Battery = nodes(*b.StartC, math.NaN(), plan.Battery)
	}
	return plan
}

// ahead is how far off what is left of a run may be beside what it has shown: the
// envelope, the capacity, and the battery's temperature (common practice, no source).
var ahead = forecast.Uncertainty{TaperPct: 5, CapacityPct: 2, BatteryK: 1}

// expect works the rest of the run out, with what it has shown so far.
func (s *State) expect(f *feeds, plan forecast.Plan, sinceZero float64) {
	soc := s.Charge()
	if plan.Car == nil || math.IsNaN(soc) || soc >= plan.ToPct {
		return
	}
	rest, ok := s.learned(f, plan, soc)
	if !ok {
		return
	}
	x, err := forecast.Of(rest, ahead)
	if err != nil || x.Note.Any() {
		return
	}
	at := func(pct float64) *Expect {
		if p, ok := x.Post(pct); ok {
			return &Expect{pct, sinceZero + p.TS, sinceZero + p.LowS, sinceZero + p.HighS}
		}
		return nil
	}
	s.End = at(plan.ToPct)
	if next := 10 * (math.Floor(soc/10) + 1); next < plan.ToPct {
		s.Next = at(next)
	}
}

// from is the plan of what is left at one moment of the run's own clock: the charge
// then, the battery as read and carried on, and this leg's own time.
func (s *State) from(f *feeds, plan forecast.Plan, soc, at float64) forecast.Plan {
	rest := plan
	rest.FromPct, rest.ReplugAtPct, rest.NeighbourS, rest.DerateShare = min(soc, 100), 0, 0, 0
	rest.ToPct = max(plan.ToPct, min(100, soc+0.1))
	rest.Battery = s.batteryAt(f, plan, soc)
	powered := max(0, at-s.poweredAt)
	rest.HandshakeS = 1
	rest.From = &forecast.State{PluggedS: max(1, at-f.now+s.PluggedS), PoweredS: powered, Amps: math.MaxFloat32}
	if s.learnt != nil && s.learnt.Cause == limit.Ramp {
		if p, err := pack.For(plan.Car); err == nil {
			kw := s.KW.V
			if f.kwSide == trace.StallSide {
				kw *= judge.PackShare
			}
			rest.From.Amps, rest.From.Ramping = pack.Amps(kw, p.RestV(soc), p.Ohm(soc, rest.Battery.MeanC())), true
		}
	}
	return rest
}

// batteryAt is the pack at a state of charge: as it was read last, carried on as the
// forecast has it warm from there.
func (s *State) batteryAt(f *feeds, plan forecast.Plan, soc float64) pack.Nodes {
	model := func(soc float64) pack.Nodes {
		if s.Forecast == nil || len(s.Forecast.Steps) == 0 {
			return plan.Battery.Ordered()
		}
		return s.Forecast.Steps[min(stepAt(s.Forecast, soc), len(s.Forecast.Steps)-1)].Battery.Ordered()
	}
	now := model(soc)
	carried := func(series trace.Series, of func(pack.Nodes) float64) float64 {
		n := series.Len()
		if n == 0 {
			return math.NaN()
		}
		then, ok := f.soc.At(series.T[n-1])
		if !ok {
			then = soc
		}
		return series.V[n-1] + of(now) - of(model(min(then, soc)))
	}
	return nodes(carried(f.min, func(n pack.Nodes) float64 { return n.ColdestC }),
		carried(f.max, func(n pack.Nodes) float64 { return n.WarmestC }), now)
}

// How much the readings may differ from what the ratings give before something is
// learned from it, and over how many of them.
const (
	asNoted  = 0.03
	lessKW   = 1.5
	learnN   = 9
	learnS   = 180
	leastOf  = 0.3
	mostOf   = 1.25
	taughtBy = 0.015
	aroundS  = 6
)

// learned is the plan of what is left: from here, and where the power is not what the
// noted ratings and the envelope give, with the limit that seems to hold taken for what
// it is. False where it cannot be worked out.
func (s *State) learned(f *feeds, plan forecast.Plan, soc float64) (forecast.Plan, bool) {
	rest := s.from(f, plan, soc, s.countS)
	kw := s.KW.V
	if s.learnt == nil || kw < curve.PowerFloorKW || s.learnt.Cause == limit.Ramp || s.learnt.Cause == limit.Paused {
		return rest, true
	}
	ratio, model, ok := s.against(f, plan)
	if !ok {
		return rest, false
	}
	switch model.Cause {
	case limit.PackTaper, limit.SoCStep, limit.Cold, limit.Hot, limit.TimerStep:
		if math.Abs(ratio-1) <= taughtBy {
			return rest, true
		}
	default:
		if math.Abs(ratio-1) <= asNoted || math.Abs(ratio-1)*kw <= lessKW {
			return rest, true
		}
	}
	s.limit(f, plan, &rest, model, ratio)
	return rest, true
}

// limit puts what the run has shown into what is left of it.
func (s *State) limit(f *feeds, plan forecast.Plan, rest *forecast.Plan, model forecast.Step, ratio float64) {
	plugKW := s.KW.V
	if f.kwSide == trace.CarSide {
		plugKW += model.LossKW + model.AuxKW
	}
	given := run.Stall{}
	if plan.Stall != nil {
		given = *plan.Stall
	}
	cause := s.learnt.Cause
	if cause == limit.StallFault || cause == limit.CableHot { // it gives less than it is rated for
		switch s.learnt.Level {
		case judge.LevelAmps:
			cause = limit.StallCurrent
		case judge.LevelKW:
			cause = limit.StallPower
		}
	}
	switch cause {
	case limit.StallCurrent, limit.AdapterCurrent, limit.CarCurrent:
		amps := s.Amps.V
		if f.ampsSide == trace.CarSide && model.PackV > 0 {
			amps += model.AuxKW * 1000 / model.PackV
		}
		given.MaxA, rest.Stall = &amps, &given
	case limit.StallPower, limit.SharedCabinet, limit.CarPower, limit.CarConverter:
		given.RatedKW, rest.Stall = &plugKW, &given
		rest.Assumed.PowerSharePct = 100
	default:
		if !ofPack(model.Cause) { // the pack would take more than the ratings give: see what it takes of that
			free := s.from(f, plan, s.learntAt, f.now-s.KW.AgeS)
			free.Stall, free.Adapter = nil, nil
			if m, ok := stepOf(free); ok && m.PackKW > 0 && ratio < 1 {
				ratio *= model.PackKW / m.PackKW
			}
		}
		if ratio > 1 && !ofPack(model.Cause) {
			given.RatedKW, rest.Stall = &plugKW, &given // it gives more than its label
			rest.Assumed.PowerSharePct = 100
			return
		}
		share := plan.TaperShare
		if share <= 0 {
			share = 1
		}
		rest.TaperShare = share * max(leastOf, min(mostOf, ratio))
	}
}

func ofPack(c limit.Cause) bool {
	switch c {
	case limit.PackTaper, limit.SoCStep, limit.Cold, limit.Hot, limit.TimerStep:
		return true
	}
	return false
}

// against compares the power that was read with what the plan's ratings, envelope and
// pack give at the same charge, temperature and time of the leg: the median ratio of
// the last readings, and the model at the last one.
func (s *State) against(f *feeds, plan forecast.Plan) (ratio float64, model forecast.Step, ok bool) {
	n := f.kw.Len()
	last := f.now - s.KW.AgeS
	var ratios []float64
	for i := n - 1; i >= 0 && len(ratios) < learnN && (f.kw.T[i] >= last-learnS || i == n-1); i-- {
		soc := s.learntAt
		if i < n-1 {
			if soc, ok = f.soc.At(f.kw.T[i]); !ok || f.kw.T[i] < s.poweredAt+60 {
				break
			}
		}
		m, worked := stepOf(s.from(f, plan, soc, f.kw.T[i]))
		want := followed(f, m)
		if !worked || want <= 0 {
			break
		}
		if i == n-1 {
			model = m
		}
		ratio := f.kw.V[i] / want
		if math.Abs(ratio-1) > taughtBy && s.isAtAStep(f, plan, soc, i) {
			ratio = 1
		}
		ratios = append(ratios, ratio)
	}
	if len(ratios) == 0 {
		return 1, model, false
	}
	slices.Sort(ratios)
	return ratios[len(ratios)/2], model, true
}

// followed is the model's power on the side that is followed.
func followed(f *feeds, m forecast.Step) float64 {
	if f.kwSide == trace.CarSide {
		return m.PackKW
	}
	return m.StallKW
}

// isAtAStep tells whether the power that was read is one of those that the model has
// within the resolution of the charge and a few seconds: a step or a timer then acts a
// little sooner or later than it seems.
func (s *State) isAtAStep(f *feeds, plan forecast.Plan, soc float64, i int) bool {
	by := 0.1
	if whole := f.soc.V[len(f.soc.V)-1]; whole == math.Trunc(whole) {
		by = 1
	}
	before, ok1 := stepOf(s.from(f, plan, max(0, soc-by), f.kw.T[i]-aroundS))
	after, ok2 := stepOf(s.from(f, plan, min(100, soc+by), f.kw.T[i]+aroundS))
	if !ok1 || !ok2 {
		return false
	}
	a, b := followed(f, before), followed(f, after)
	return f.kw.V[i] >= min(a, b)*(1-taughtBy) && f.kw.V[i] <= max(a, b)*(1+taughtBy)
}

// stepOf is the first second of what is left.
func stepOf(p forecast.Plan) (forecast.Step, bool) {
	session, err := forecast.NewSession(p)
	if err != nil || session.Refusal().Any() {
		return forecast.Step{}, false
	}
	return session.Next(), true
}
