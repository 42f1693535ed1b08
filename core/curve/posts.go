package curve

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"sort"

	"zincroad/core/run"
	"zincroad/core/units"
)

// StandardWindows are listed wherever a run covers them.
var StandardWindows = [][2]float64{
	{0, 50}, {0, 80}, {0, 100}, {5, 80}, {10, 50}, {10, 60}, {10, 80}, {10, 90},
	{20, 70}, {20, 80}, {30, 80}, {80, 100},
}

// roundPosts are listed in every run.
var roundPosts = []float64{0, 10, 20, 30, 40, 50, 60, 70, 80, 90, 100}

// listedWith gives the posts that are listed and the ends of every window, in order.
func listedWith(m *run.Method) []float64 {
	all := listed(m)
	for _, w := range StandardWindows {
		all = append(all, w[0], w[1])
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// listed gives every 10 % and the method's from and to, in order.
func listed(m *run.Method) []float64 {
	out := slices.Clone(roundPosts)
	if from, to, ok := methodWindow(m); ok {
		out = append(out, from, to)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// reached gives the time from zero at which the state of charge reaches each of
// some ascending values.
//
// Special cases are: a run that starts at exactly a value has it at 0; one that
// starts above it, or never gets there, has none.
func (s *sides) reached(ascending []float64, zero float64) map[float64]float64 {
	start, known := s.startsAt()
	out := map[float64]float64{}
	for i, t := range s.soc.FirstReachAll(ascending) {
		switch v := ascending[i]; {
		case known && start == v:
			out[v] = 0
		case !math.IsNaN(t):
			out[v] = t - zero
		}
	}
	return out
}

// posts lists every 10 % that was reached and the method's from and to, each with
// the power there.
func (s *sides) posts(m *run.Method, at map[float64]float64, flows []flow, zero float64) []Post {
	posts := []Post{}
	for _, p := range listed(m) {
		if t, ok := at[p]; ok && !s.jumpedBefore(t+zero) {
			post := Post{SoCPct: p, TS: t, PowerKW: powerAt(flows, t+zero)}
			post.LowS, post.HighS = s.postBetween(p, zero)
			posts = append(posts, post)
		}
	}
	return posts
}

// postBetween gives the times from zero between which a post must lie where the state of charge
// was shown in whole per cents. A display that shows p stands for p and more, so the post p lies
// between the last reading below p and the first that shows it; one inside a per cent lies
// between the first reading that shows the per cent below and the first beyond it.
func (s *sides) postBetween(p, zero float64) (low, high *float64) {
	if s.socRes < 1 || s.soc.Len() < 2 || s.soc.V[0] > p {
		return nil, nil
	}
	first := func(from float64) int {
		return slices.IndexFunc(s.soc.V, func(v float64) bool { return v >= from })
	}
	whole := p == math.Trunc(p)
	to := first(math.Ceil(p))
	if to <= 0 {
		return nil, nil
	}
	from := to - 1
	if !whole {
		from = first(math.Floor(p))
	}
	return ptr(s.soc.T[from] - zero), ptr(s.soc.T[to] - zero)
}

// fallsAwayS is how soon after a post the power may go for good and the post still
// has the power from before.
const fallsAwayS = 10

// powerAt gives the power with which a post was reached, joined from the readings
// around it: nothing before first power of the leg, and where the charge was ended
// within seconds of the post the power before that. Nil where nothing was read.
func powerAt(flows []flow, t float64) *float64 {
	for _, f := range flows {
		if t > math.Max(f.reported().To, f.T[f.Len()-1]) {
			continue
		}
		if t < f.T[0] {
			if f.leg.from <= t && t <= f.leg.powerS {
				return ptr(0)
			}
			return nil
		}
		if alive := f.endsAt(); t > f.T[alive] && t <= f.T[min(alive+1, f.Len()-1)]+fallsAwayS {
			return ptr(f.V[alive])
		}
		if v, ok := f.At(t); ok {
			return &v
		}
		return nil
	}
	return nil
}

// endsAt gives the index of the last reading before the power of a leg goes for
// good within its last minute: from one reading to the next it falls by a quarter,
// does not come back, and is below half at the end.
func (f flow) endsAt() int {
	last := f.Len() - 1
	alive, highest := last, f.V[last]
	for i := last; i > 0 && f.T[last]-f.T[i-1] <= 60+fallsAwayS; i-- { // read minutes apart, they tell of no end
		highest = math.Max(highest, f.V[i])
		if highest < 0.75*f.V[i-1] && f.V[last] < f.V[i-1]/2 {
			alive = i - 1
		}
	}
	return alive
}

func methodWindow(m *run.Method) (from, to float64, ok bool) {
	if m == nil || m.FromPct == nil || m.ToPct == nil {
		return 0, 0, false
	}
	return *m.FromPct, *m.ToPct, *m.FromPct < *m.ToPct
}

// windows lists the standard windows and the method's own, as far as the run
// covers them, in order of their ends, and apart from them those that cannot be.
func (s *sides) windows(r *run.Run, at map[float64]float64, flows []flow, zero float64) (out []Window,
	not []Implausible) {
	wanted := slices.Clone(StandardWindows)
	if from, to, ok := methodWindow(r.Method); ok && !slices.Contains(wanted, [2]float64{from, to}) {
		wanted = append(wanted, [2]float64{from, to})
	}
	slices.SortFunc(wanted, func(a, b [2]float64) int { return slices.Compare(a[:], b[:]) })
	kwhAt := energyAt(flows, at, zero)
	out = []Window{}
	for _, w := range wanted {
		from, ok1 := at[w[0]]
		to, ok2 := at[w[1]]
		if !ok1 || !ok2 {
			continue
		}
		x := s.windowOf(flows, Window{FromPct: w[0], ToPct: w[1], TS: to - from}, from+zero, kwhAt[w[1]]-kwhAt[w[0]])
		if s.spans(from+zero, to+zero) != nil {
			continue
		}
		if reason := implausible(r, x); reason.Any() {
			not = append(not, Implausible{w[0], w[1], x.TS, reason})
			continue
		}
		out = append(out, x)
	}
	return out, not
}

// window works out one window by itself, from one time to another, in s from zero.
func (s *sides) window(flows []flow, fromPct, toPct, from, to, zero float64) Window {
	return s.windowOf(flows, Window{FromPct: fromPct, ToPct: toPct, TS: to - from}, from+zero,
		units.KWhFromKJ(integral(flows, from+zero, to+zero)))
}

// windowOf adds to a window that begins at a time what flowed in it and its average, nil where the side's readings
// leave more than 30 s of it out.
func (s *sides) windowOf(flows []flow, w Window, fromS, kwh float64) Window {
	if !s.covers(flows, fromS, fromS+w.TS) {
		return w
	}
	w.EnergyKWh = &kwh
	if w.TS > 0 {
		w.AverageKW = ptr(kwh * 3600 / w.TS)
	}
	return w
}

// energyAt gives what had flowed at each of some posts, at times from zero, in kWh.
func energyAt(flows []flow, at map[float64]float64, zero float64) map[float64]float64 {
	posts := slices.Collect(maps.Keys(at))
	slices.SortFunc(posts, func(a, b float64) int { return cmp.Compare(at[a], at[b]) })
	times := make([]float64, len(posts))
	for i, p := range posts {
		times[i] = at[p] + zero
	}
	out := make(map[float64]float64, len(posts))
	for _, f := range flows {
		for i, kj := range f.Integrals(times) {
			out[posts[i]] += units.KWhFromKJ(kj)
		}
	}
	return out
}

// Where something must have flowed before first power of a side: the other side had
// power so much earlier, or so many points were gained meanwhile.
const (
	unreadS   = 30.0
	unreadPct = 3.0
)

// covers tells whether a side's readings speak for the whole of a time: of every
// leg in it they may leave 30 s out, not counting what lies before first power or
// after the last reading below 1 kW, when nothing flowed.
func (s *sides) covers(flows []flow, from, to float64) bool {
	missing, some := 0.0, false
	for _, l := range s.legs {
		a, b := math.Max(from, l.from), math.Min(to, l.offS)
		if !(a < b) {
			continue
		}
		i := slices.IndexFunc(flows, func(f flow) bool { return f.leg.from == l.from })
		if i < 0 {
			missing += b - a
			continue
		}
		f := flows[i]
		some = true
		if !s.startSeen(f) {
			missing += math.Max(0, math.Min(b, f.T[0])-a)
		}
		if end := f.T[f.Len()-1]; f.V[f.Len()-1] >= PowerFloorKW {
			missing += math.Max(0, b-math.Max(a, end))
		}
	}
	return some && missing <= unreadS
}

// startSeen tells whether first power of a side is where power began. Without a
// plug-in mark a log that sets in under load may have missed what came before.
func (s *sides) startSeen(f flow) bool {
	if f.V[0] < PowerFloorKW {
		return true
	}
	if math.IsInf(f.leg.from, -1) || f.leg.powerS < f.firstS-unreadS {
		return false
	}
	first, ok1 := s.soc.At(f.firstS)
	i := sort.SearchFloat64s(s.soc.T, f.leg.from)
	return !ok1 || i == s.soc.Len() || first-s.soc.V[i] <= unreadPct
}
