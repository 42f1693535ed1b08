package decide

import (
	"math"

	"zincroad/core/forecast"
	"zincroad/core/stall"
)

// Unplug is up to which charge a stop pays on a way with more of them.
type Unplug struct {
	FromPct float64
	BestPct float64 // where a point of charge, with its share of the stop, takes least time
	LowPct  float64 // from here to HighPct it takes as long, within FlatPct
	HighPct float64

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
	u := &Unplug{FromPct: session.FromPct, BestPct: math.NaN(), PointS: math.Inf(1), DearPct: math.NaN()}
	point := func(pct float64) float64 { return (a.StopS + f.Reached(pct)) / (pct - session.FromPct) }
	first := math.Ceil(session.FromPct) + leastStopPct
	for p := first; p <= 100; p++ {
		if s := point(p); s < u.PointS {
			u.BestPct, u.PointS = p, s
		}
	}
	if math.IsNaN(u.BestPct) {
		return nil, nil
	}
	for p := first; p <= 100; p++ {
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
