package curve

import (
	"math"
	"slices"
	"sort"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// StandardWindows are listed wherever a run covers them.
var StandardWindows = [][2]float64{
	{0, 50}, {0, 80}, {0, 100}, {5, 80}, {10, 50}, {10, 60}, {10, 80}, {10, 90},
	{20, 70}, {20, 80}, {30, 80}, {80, 100},
}

// charging gives the state of charge from the last reading at or before plug-in:
// what the battery lost on the road before is not part of the curve.
func (s *sides) charging(plug float64) trace.Series {
	i := sort.Search(s.soc.Len(), func(i int) bool { return s.soc.T[i] > plug })
	i = max(0, i-1)
	return trace.Series{T: s.soc.T[i:], V: s.soc.V[i:]}
}

// reached gives the time from zero at which the state of charge reaches each of
// some ascending values.
//
// Special cases are: a run that starts at exactly a value has it at 0; one that
// starts above it, or never gets there, has none.
func (s *sides) reached(ascending []float64, plug, zero float64) map[float64]float64 {
	soc := s.charging(plug)
	out := map[float64]float64{}
	for i, t := range soc.FirstReachAll(ascending) {
		switch v := ascending[i]; {
		case soc.Len() > 0 && soc.V[0] == v:
			out[v] = 0
		case !math.IsNaN(t):
			out[v] = t - zero
		}
	}
	return out
}

// posts lists every 10 % that was reached and the method's from and to; at holds
// the times of these and of the ends of every window.
func (s *sides) posts(m *run.Method, plug, zero float64) (posts []Post, at map[float64]float64) {
	listed := []float64{0, 10, 20, 30, 40, 50, 60, 70, 80, 90, 100}
	if from, to, ok := methodWindow(m); ok {
		listed = append(listed, from, to)
	}
	all := slices.Clone(listed)
	for _, w := range StandardWindows {
		all = append(all, w[0], w[1])
	}
	slices.Sort(listed)
	slices.Sort(all)
	at = s.reached(slices.Compact(all), plug, zero)
	posts = []Post{}
	for _, p := range slices.Compact(listed) {
		if t, ok := at[p]; ok {
			posts = append(posts, Post{p, t})
		}
	}
	return posts, at
}

func methodWindow(m *run.Method) (from, to float64, ok bool) {
	if m == nil || m.FromPct == nil || m.ToPct == nil {
		return 0, 0, false
	}
	return *m.FromPct, *m.ToPct, *m.FromPct < *m.ToPct
}

// windows lists the standard windows and the method's own, as far as the run
// covers them, in order of their ends.
func windows(m *run.Method, at map[float64]float64, power trace.Series, zero float64) []Window {
	wanted := slices.Clone(StandardWindows)
	if from, to, ok := methodWindow(m); ok && !slices.Contains(wanted, [2]float64{from, to}) {
		wanted = append(wanted, [2]float64{from, to})
	}
	slices.SortFunc(wanted, func(a, b [2]float64) int { return slices.Compare(a[:], b[:]) })
	out := []Window{}
	for _, w := range wanted {
		from, ok1 := at[w[0]]
		to, ok2 := at[w[1]]
		if ok1 && ok2 {
			out = append(out, window(power, w[0], w[1], from, to, zero))
		}
	}
	return out
}

// window works out one window's energy and average, nil where the side's
// readings leave more than 30 s of it out.
func window(power trace.Series, fromPct, toPct, from, to, zero float64) Window {
	w := Window{FromPct: fromPct, ToPct: toPct, TS: to - from}
	if !covers(power, from+zero, to+zero) {
		return w
	}
	kwh := units.KWhFromKJ(power.Integral(from+zero, to+zero))
	w.EnergyKWh = &kwh
	if w.TS > 0 {
		w.AverageKW = ptr(kwh * 3600 / w.TS)
	}
	return w
}

// covers tells whether a power series speaks for the whole of a time. Before its
// first reading the power is known where that reading is below 1 kW (nothing
// flowed yet), and after its last one likewise; else 30 s may be missing.
func covers(p trace.Series, from, to float64) bool {
	if p.Len() < 2 {
		return false
	}
	span := p.Span()
	if span.From-from > trace.GapFloorS && p.V[0] >= PowerFloorKW {
		return false
	}
	return to-span.To <= trace.GapFloorS || p.V[p.Len()-1] < PowerFloorKW
}
