package curve

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// logOf is the run as the judgement of what held it down takes it.
func (s *sides) logOf(r *run.Run) *judge.Log {
	l := &judge.Log{SoC: s.soc, Marks: s.marks, OfCar: r.Car, OfStall: r.Stall, Adapter: r.Adapter,
		Conditions: r.Conditions, Elsewhere: s.elsewhere}
	for side, of := range map[trace.Side]*judge.SideLog{trace.CarSide: &l.Car, trace.StallSide: &l.Stall} {
		join := func(c trace.Channel) trace.Series { return s.joined(side, c) }
		if side == trace.StallSide && s.stallAC != nil && s.power[trace.CarSide].Len() > 0 {
			continue // what it gave cannot be told from what it drew
		}
		*of = judge.SideLog{KW: s.power[side], Amps: join(trace.Current), Volts: join(trace.Voltage),
			RequestedKW: join(trace.RequestedPower), RequestedA: join(trace.RequestedAmps),
			OfferedKW: join(trace.OfferedPower), OfferedA: join(trace.OfferedAmps)}
	}
	either := func(channels ...trace.Channel) (trace.Series, trace.Channel) {
		for _, c := range channels {
			for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
				for _, rec := range s.recordings {
					if series := rec.Series(c); rec.Side == side && series.Len() > 0 {
						return series, c
					}
				}
			}
		}
		return trace.Series{}, ""
	}
	var of trace.Channel
	l.ColdestC, of = either(trace.BatteryTempMin, trace.BatteryTemp, trace.BatteryTempMax)
	l.ColdestOf = map[trace.Channel]say.Text{trace.BatteryTemp: say.T("curve.battery"),
		trace.BatteryTempMax: say.T("curve.warmest-cell")}[of]
	l.WarmestC, _ = either(trace.BatteryTempMax, trace.BatteryTemp)
	l.InletC, _ = either(trace.InletTemp)
	earliest, ok := s.earliest()
	if !ok {
		return nil
	}
	for _, leg := range s.legs {
		of := judge.Leg{PlugInS: leg.from, FirstS: leg.powerS, ToS: leg.to}
		if math.IsInf(of.PlugInS, -1) {
			of.PlugInS = earliest
		}
		l.Legs = append(l.Legs, of)
	}
	return l
}

// judge says what held the run down; nil where no power was read.
func (s *sides) judge(r *run.Run) *judge.Judgement {
	s.judged.Do(func() {
		if l := s.logOf(r); l != nil && s.hasPower() {
			s.judgement = judge.Judge(l)
		}
	})
	return s.judgement
}

// Judgement is what held the run down, on its own clock; nil where no power was read.
func (w Work) Judgement() *judge.Judgement { return w.judge(w.run) }

// ceilings lists what held the power down, on the clock of zero.
func (s *sides) ceilings(r *run.Run, zero float64) []Ceiling {
	out := []Ceiling{}
	j := s.judge(r)
	if j == nil {
		return out
	}
	for _, x := range s.apart(j.Stretches) {
		c := Ceiling{FromS: x.FromS - zero, ToS: x.ToS - zero, Cause: x.Cause, Confidence: x.Confidence,
			Whose: x.Whose, WhoseConfidence: x.WhoseConfidence,
			RunnerUp: x.RunnerUp, What: x.What, Pair: x.Pair, Evidence: x.Evidence,
			FromPct: s.socAt(x.FromS), ToPct: s.socAt(x.ToS)}
		c.Chances = chancesOf(&x)
		if c.Evidence == nil {
			c.Evidence = []say.Text{}
		}
		if !math.IsNaN(x.LostS) {
			c.MinutesLost = ptr(x.LostS / 60)
			low, high := j.LostRange(&x)
			c.MinutesLow, c.MinutesHigh = ptr(low/60), ptr(high/60)
		}
		out = append(out, c)
	}
	return out
}

// leastChance is what chance is worth a word.
const leastChance = 0.02

// chancesOf lists how likely each cause held a stretch, likeliest first.
func chancesOf(x *judge.Stretch) []Chance {
	out := []Chance{}
	for _, s := range limit.Signs {
		if p := x.Chance(s.Cause); p >= leastChance && p < 1 {
			out = append(out, Chance{s.Cause, p})
		}
	}
	slices.SortStableFunc(out, func(a, b Chance) int { return cmp.Compare(b.Chance, a.Chance) })
	return out
}

// apart cuts stretches where nothing is known of what held the run.
func (s *sides) apart(stretches []judge.Stretch) []judge.Stretch {
	for _, d := range s.dark() {
		var out []judge.Stretch
		for _, x := range stretches {
			if x.ToS <= d.From || x.FromS >= d.To {
				out = append(out, x)
				continue
			}
			before, after, none := x, x, judge.Stretch{FromS: math.Max(x.FromS, d.From), ToS: math.Min(x.ToS, d.To),
				Cause: limit.Unknown, Confidence: say.Unsure, Whose: limit.OfNobody,
				WhoseConfidence: say.Unsure, LostS: math.NaN(), Evidence: []say.Text{say.T("curve.nothing-read")}}
			before.ToS, after.FromS = none.FromS, none.ToS
			if before.FromS < before.ToS {
				out = append(out, before)
			}
			out = append(out, none)
			if after.FromS < after.ToS {
				after.LostS = math.NaN() // it is that of the whole, and stands with the first part
				if before.FromS >= before.ToS {
					after.LostS = x.LostS
				}
				out = append(out, after)
			}
		}
		stretches = out
	}
	return stretches
}

// paceOf says how the headline window's time is made up; nil where no window is covered or the
// pack's warm power is not known.
func (s *sides) paceOf(r *run.Run, out *Reading) *Pace {
	w, ok := out.Headline(r.Method)
	j := s.judge(r)
	if !ok || j == nil || j.Reference.Basis == judge.NoBasis || len(s.dark()) > 0 {
		return nil
	}
	from, _ := out.Post(w.FromPct)
	p, ok := j.Pace(from+out.ZeroS, from+w.TS+out.ZeroS)
	if !ok {
		return nil
	}
	for i := range out.Ceilings {
		if lost := j.LostIn(&j.Stretches[i], from+out.ZeroS, from+w.TS+out.ZeroS); !math.IsNaN(lost) {
			out.Ceilings[i].WindowLost = ptr(lost / 60)
		}
	}
	pace := &Pace{FromPct: w.FromPct, ToPct: w.ToPct, ReferenceMin: p.ReferenceS / 60, GainedMin: p.GainedS / 60,
		Against: j.Reference.Words(), Basis: string(j.Reference.Basis), Lost: []MinutesLost{}}
	for _, l := range p.Lost {
		pace.Lost = append(pace.Lost, MinutesLost{l.Cause, l.S / 60})
	}
	return pace
}

// Judged is what the judgement of a run goes by; nil where no power was read.
func (w Work) Judged() *judge.Log {
	if !w.hasPower() {
		return nil
	}
	return w.logOf(w.run)
}
