package decide

import (
	"math"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/stall"
)

// Unplug is up to which charge a stop pays on a way with more of them.
type Unplug struct {
	FromPct float64
	BestPct float64 // where a point of charge, with its share of the stop, takes least time
	LowPct  float64 // from here to HighPct it takes as long, within FlatPct
	HighPct float64

	WarmPct float64 // the same where the pack is warm at plug-in; NaN: it is, or cold holds nothing worth a word

	PointS  float64 // the time of a point then, with its share of the stop, s
	Tens    []Ten   // rising
	DearPct float64 // from here on a kWh costs more than elsewhere; NaN: nowhere, or it is not asked
}

// Ten is what the next ten points of charge take and cost.
type Ten struct {
	FromPct, ToPct  float64
	TS, LowS, HighS float64 // HighS is NaN where they may never be charged
	KW              float64 // mean power at the plug
	PerKWh          float64 // NaN: the stall has no tariff
}

// tenPct is the step in which a charge is looked at, as testers do.
const tenPct = 10.0

// leastStopPct is how much a stop charges at least: nobody leaves the road for less.
const leastStopPct = 5

// whenToUnplug takes the charge at which the time of a point is least, counted with its share of what the stop costs.
// That is where the pace of charging has come down to the mean pace of the whole stop: going on would lower the mean,
// and so would leaving earlier. In ecology it is the marginal value theorem (Charnov, Theoretical Population Biology
// 9, 1976: when to leave a patch for the next one, of like yield).
func whenToUnplug(a Asked) (*Unplug, error) {
	session := a.Session
	session.ToPct, session.EachPct = 100, tenPct
	f, err := forecast.Of(session, a.Uncertainty)
	if err != nil {
		return nil, err
	}
	u := &Unplug{FromPct: session.FromPct, DearPct: math.NaN(), WarmPct: math.NaN()}
	point := pointTimes(f, session.FromPct, a.StopS)
	if u.BestPct, u.PointS = best(point, session.FromPct); math.IsNaN(u.BestPct) {
		return nil, nil
	}
	if coldFor(f) > FlatPct/100*f.Reached(u.BestPct) {
		u.WarmPct = whenWarm(session, a.StopS)
	}
	for p := firstLeft(session.FromPct); p <= 100; p++ {
		if !same(point(p), u.PointS) {
			continue
		}
		if u.LowPct == 0 {
			u.LowPct = p
		}
		u.HighPct = p
	}
	u.tens(f, session)
	for _, t := range u.Tens {
		if a.PriceKWh > 0 && t.PerKWh > a.PriceKWh && math.IsNaN(u.DearPct) {
			u.DearPct = t.FromPct
		}
	}
	return u, nil
}

// pointTimes is the time of a point for each charge to leave with, with its share of the stop, s; NaN where the charge
// is not reached.
func pointTimes(f *forecast.Forecast, fromPct, stopS float64) func(pct float64) float64 {
	return func(pct float64) float64 { return (stopS + f.Reached(pct)) / (pct - fromPct) }
}

// firstLeft is the lowest charge that anybody leaves with.
func firstLeft(fromPct float64) float64 { return math.Ceil(fromPct) + leastStopPct }

// best is the charge whose points take least; NaN where none is reached.
func best(point func(float64) float64, fromPct float64) (pct, s float64) {
	pct, s = math.NaN(), math.Inf(1)
	for p := firstLeft(fromPct); p <= 100; p++ {
		if t := point(p); t < s {
			pct, s = p, t
		}
	}
	return pct, s
}

// coldFor is how long cold holds a session down, s.
func coldFor(f *forecast.Forecast) (s float64) {
	for _, h := range f.Ceilings {
		if h.Cause == limit.Cold {
			s += h.ToS - h.FromS
		}
	}
	return s
}

// whenWarm is when to unplug with a pack that is warm at plug-in: a cold one is warmer at the next stop by what this
// one and the way there heat it, and the answer lies between.
func whenWarm(session forecast.Plan, stopS float64) float64 {
	p, err := pack.For(session.AsKnown().Car)
	if err != nil {
		return math.NaN()
	}
	session.Battery = pack.Nodes{ColdestC: p.WarmC, WarmestC: p.WarmC}
	f, err := forecast.Once(session)
	if err != nil {
		return math.NaN()
	}
	pct, _ := best(pointTimes(f, session.FromPct, stopS), session.FromPct)
	return pct
}

// tens lists the tens that are reached, with what each costs.
func (u *Unplug) tens(f *forecast.Forecast, session forecast.Plan) {
	var use stall.Use
	var kwh []float64
	sum := 0.0
	for _, st := range f.Steps {
		use.T, use.KW, kwh = append(use.T, st.T), append(use.KW, st.StallKW), append(kwh, sum)
		sum += st.StallKW / 3600
	}
	var cost []float64
	if session.Stall != nil {
		cost = stall.Running(session.Stall.Tariff, use, kwh)
	}
	for at := 0.0; at < 100; at += tenPct {
		x, ok := f.Window(at, at+tenPct)
		if !ok {
			continue
		}
		t := Ten{FromPct: x.FromPct, ToPct: x.ToPct, TS: x.TS, LowS: x.LowS, HighS: x.HighS, KW: x.AverageKW,
			PerKWh: math.NaN()}
		if cost != nil {
			i, j := int(f.Reached(at)), min(int(f.Reached(at+tenPct)), len(cost)-1)
			t.PerKWh = (cost[j] - cost[i]) / (kwh[j] - kwh[i])
		}
		u.Tens = append(u.Tens, t)
	}
}
