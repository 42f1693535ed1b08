package health

import (
	"math"

	"zincroad/core/say"
	"zincroad/core/trace"
)

// disorder lists readings whose time lies before one above them.
func (r *Report) disorder(rec *trace.Recording) {
	var at []int
	last := math.Inf(-1)
	for i, t := range rec.T {
		if t < last {
			at = append(at, i)
			continue
		}
		last = t
	}
	r.add(rec, Proposal{Kind: Disorder, Readings: at, Applied: true, Reason: say.T("health.out-of-order-in", len(at))})
}

// duplicates lists readings that say what the one before said, at the same time.
func (r *Report) duplicates(rec *trace.Recording) {
	var at []int
	for i := 1; i < rec.Len(); i++ {
		if rec.T[i] != rec.T[i-1] {
			continue
		}
		same := true
		for _, col := range rec.Columns {
			same = same && (col[i] == col[i-1] || math.IsNaN(col[i]) && math.IsNaN(col[i-1]))
		}
		if same {
			at = append(at, i)
		}
	}
	r.add(rec, Proposal{Kind: Duplicate, Readings: at, LeaveOut: true, Reason: say.T("health.said-twice-at-the", len(at))})
}

// late lists readings that came in a bunch behind a silence: their times are those of hearing.
func (r *Report) late(rec *trace.Recording) {
	silent := false
	for i := 1; i < rec.Len() && !silent; i++ {
		silent = rec.T[i]-rec.T[i-1] >= lateS
	}
	if !silent {
		return
	}
	every := trace.MedianInterval(rec.T)
	if every <= 0 {
		return
	}
	for i := 1; i < rec.Len(); i++ {
		silence := rec.T[i] - rec.T[i-1]
		if silence < math.Max(lateS, 4*every) {
			continue
		}
		n := 0
		for j := i + 1; j < rec.Len() && rec.T[j]-rec.T[j-1] >= 0 && rec.T[j]-rec.T[j-1] < every/4; j++ {
			n++
		}
		if n >= 2 && float64(n+1) > silence/every/2 {
			at := make([]int, n+1)
			for k := range at {
				at[k] = i + k
			}
			r.add(rec, Proposal{Kind: Late, Readings: at, Reason: say.T("health.readings-came-at-once", n+1,
				say.Duration(silence))})
			i += n
		}
	}
}

// spikes lists leaps of power and of the state of charge that come back at once.
func (r *Report) spikes(rec *trace.Recording) {
	inOrder := trace.InOrder(rec.T)
	each := func(c trace.Channel, find func(trace.Series) []int, applied bool, why func(i int) say.Text) {
		s, place := placed(rec, c, inOrder)
		for _, k := range find(s) {
			at := k
			if place != nil {
				at = place[k]
			}
			r.add(rec, Proposal{Kind: Spike, Channel: c, Readings: []int{at}, LeaveOut: true, Applied: applied, Reason: why(at)})
		}
	}
	each(trace.Power, func(s trace.Series) []int { at, _ := trace.Spikes(s); return at }, false, func(i int) say.Text {
		return say.T("health.power-leaps-to-kw", say.Fig(rec.Columns[trace.Power][i], 1))
	})
	each(trace.SoC, func(s trace.Series) []int { return SoCSpikes(s, rec.Resolution()) }, true, func(i int) say.Text {
		return say.T("health.state-of-charge-leaps", say.Fig(rec.Columns[trace.SoC][i], 1))
	})
}

// placed gives a channel's series in order of time, and the places of its points in the recording;
// nil where each point is that of its own reading, which is the usual case and costs nothing.
func placed(rec *trace.Recording, c trace.Channel, inOrder bool) (s trace.Series, place []int) {
	if inOrder {
		if s = rec.Series(c); s.Len() == rec.Len() {
			return s, nil
		}
	}
	s = trace.Series{}
	for i, v := range rec.Columns[c] {
		if !math.IsNaN(v) && (len(s.T) == 0 || rec.T[i] >= s.T[len(s.T)-1]) {
			s.T, s.V, place = append(s.T, rec.T[i]), append(s.V, v), append(place, i)
		}
	}
	return s, place
}

// frozen lists stretches in which the power stands still to the last digit while what it is made
// of, or the state of charge, goes on as if there were power of another size. Only a power that
// scatters elsewhere can freeze.
func (r *Report) frozen(rec *trace.Recording) {
	for _, c := range []trace.Channel{trace.Power, trace.Current} {
		col := rec.Columns[c]
		still := standing(col, rec.T)
		if len(still) == 0 || !scatters(col) {
			continue
		}
		in, _ := trace.Describe(c)
		for _, x := range still {
			at := make([]int, x.to-x.from)
			for k := range at {
				at[k] = x.from + k
			}
			r.add(rec, Proposal{Kind: Frozen, Channel: c, Readings: at, LeaveOut: true,
				Reason: say.T("health.stands-at-for-to", in.Short, say.Fig(col[x.from], 2), in.Unit,
					say.Duration(rec.T[x.to-1]-rec.T[x.from]))})
		}
	}
}

// places are the readings [from, to) of a recording.
type places struct{ from, to int }

// standing lists where a column under power is the same to the last digit for at least frozenTimes readings and
// frozenS. So many in a row hold two that are half as many apart, at whole multiples of that: only those are looked at
// first.
func standing(col, t []float64) (out []places) {
	const step = frozenTimes / 2
	for k := 0; k+step < len(col); k += step {
		v := col[k]
		if v != col[k+step] || math.Abs(v) < 1 {
			continue
		}
		x := places{k, k + 1}
		for x.to < len(col) && col[x.to] == v {
			x.to++
		}
		if x.to <= k+step {
			continue
		}
		for x.from > 0 && col[x.from-1] == v {
			x.from--
		}
		if x.to-x.from >= frozenTimes && t[x.to-1]-t[x.from] >= frozenS {
			out = append(out, x)
		}
		for k+step < x.to {
			k += step
		}
	}
	return out
}

// scatters tells whether most readings under power differ from the one before.
func scatters(col []float64) bool {
	changed, all := 0, 0
	for i := 1; i < len(col); i++ {
		if math.Abs(col[i]) >= 1 && !math.IsNaN(col[i-1]) {
			differs := 0 // counted without a branch: where power scatters, none is harder to foresee
			if col[i] != col[i-1] {
				differs = 1
			}
			all, changed = all+1, changed+differs
		}
	}
	return all >= 2*frozenTimes && changed*10 >= all*6
}

// disagrees tells where the power that was recorded is not volts times amps for most of the time.
func (r *Report) disagrees(rec *trace.Recording) {
	p, v, a := rec.Columns[trace.Power], rec.Columns[trace.Voltage], rec.Columns[trace.Current]
	if p == nil || v == nil || a == nil {
		return
	}
	var at []int
	var ratio []float64
	// A thousand readings from all over tell.
	for i := 0; i < len(p); i += max(1, len(p)/sampled) {
		if kw := v[i] * a[i] / 1000; p[i] >= 5 && kw >= 5 {
			ratio = append(ratio, p[i]/kw)
			at = append(at, i)
		}
	}
	if m := trace.Median(ratio); len(ratio) >= 10 && math.Abs(m-1) > disagreePct/100.0 {
		r.add(rec, Proposal{Kind: Disagrees, Channel: trace.Power, Readings: []int{at[0]},
			Reason: say.T("health.the-power-is-times", say.Fig(m, 2))})
	}
}
