package bench

import (
	"math"

	"zincroad/core/curve"
	"zincroad/core/trace"
)

// kept is a Source of what was kept of a run: its posts, and the reduced curve of its side.
type kept struct {
	soc, energy, distance trace.Series // on the run's own clock
}

// KeptSubject lays a run on the bench from what was kept of it, so that many can be compared without
// reading their logs: posts and the race are as the readings give them, the energy of other windows is as exact as the
// reduced curve. line is the run's own state of charge among its curves (curve.OfRun).
func KeptSubject(e Entry, c, line trace.Reduced) Subject {
	column := func(name trace.Channel) trace.Series {
		var out trace.Series
		col := c.Columns[name]
		for i, t := range c.T {
			if col != nil && !math.IsNaN(col[i]) && t >= e.Reading.ZeroS-1 {
				out.T, out.V = append(out.T, t), append(out.V, col[i])
			}
		}
		return out
	}
	k := kept{energy: column(curve.EnergyAdded), distance: column(curve.DistanceAdded)}
	if soc := line.Columns[trace.SoC]; soc != nil {
		k.soc = trace.Series{T: line.T, V: soc}
	}
	return Subject{e, k}
}

// SoC implements Source.
func (k kept) SoC() trace.Series { return k.soc }

// added is the energy or the distance that had been added, kWh or km; empty: not known.
func (k kept) added(what trace.Channel) trace.Series {
	if what == curve.DistanceAdded {
		return k.distance
	}
	return k.energy
}

// WindowOf implements Source.
func (k kept) WindowOf(x *curve.Reading, from, to float64) (curve.Window, float64, bool) {
	at := func(soc float64) (float64, bool) {
		if t, ok := x.Post(soc); ok {
			return t, true
		}
		if math.Mod(soc, 10) == 0 { // a round post that is not listed was not reached
			return 0, false
		}
		t := k.soc.FirstReachAll([]float64{soc})[0]
		return t - x.ZeroS, !math.IsNaN(t)
	}
	a, ok1 := at(from)
	b, ok2 := at(to)
	if !ok1 || !ok2 {
		return curve.Window{}, 0, false
	}
	if w, ok := x.Window(from, to); ok {
		return w, a, true
	}
	w := curve.Window{FromPct: from, ToPct: to, TS: b - a}
	e0, ok1 := k.energy.At(a + x.ZeroS)
	e1, ok2 := k.energy.At(b + x.ZeroS)
	if ok1 && ok2 && w.TS > 0 {
		kwh := e1 - e0
		kw := kwh * 3600 / w.TS
		w.EnergyKWh, w.AverageKW = &kwh, &kw
	}
	return w, a, true
}
