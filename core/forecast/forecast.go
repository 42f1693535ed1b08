package forecast

import (
	"cmp"
	"errors"
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/say"
	"zincroad/core/stall"
)

// Format is the name and version of the open format of a forecast.
const Format = "zincroad-forecast/1"

// Forecast is a session worked out in advance. Times are seconds since plug-in.
type Forecast struct {
	Posts    []Post   // rising, those that are reached
	Windows  []Window // the method's
	Peak     *Peak    // nil: no power at all
	Energy   Energy
	Battery  Battery           // at plug-in and at the end
	Ceilings []Held            // without holes, in order
	Legs     []Leg             // two where the plan replugs
	Bill     *stall.Bill       // nil: the stall has no tariff
	Assumed  []pack.Assumption // what was not given, with what stands in
	Note     say.Text          // why the wanted charge is not reached; empty when it is
	Steps    []Step            // one a second and the end
}

// Post is when a state of charge is reached, and between when and when it may be.
// HighS is NaN when it may never be.
type Post struct {
	SoCPct, TS, LowS, HighS float64
}

// Window is the time from one post to another, and between which times it lies, in s; energy and mean power are the
// stall's. HighS is NaN where the window may never be gone through.
type Window struct {
	FromPct, ToPct, TS, LowS, HighS float64
	EnergyKWh, AverageKW            float64
}

// Peak is the highest power at the plug.
type Peak struct{ KW, TS, SoCPct float64 }

// Energy is where the kWh go: the stall's are the pack's, the losses and what was
// drawn beside.
type Energy struct{ StallKWh, CarKWh, LossKWh, AuxKWh float64 }

// Battery is the pack's temperature at plug-in and at the end, °C.
type Battery struct{ StartC, EndMinC, EndMaxC float64 }

// Held is a stretch with one holding ceiling.
type Held struct {
	FromS, ToS float64     // since plug-in
	Cause      limit.Cause // the lowest limit
}

// Leg is the time between a plug-in and its unplug.
type Leg struct {
	FromS, ToS, FromPct, ToPct, EnergyKWh float64 // the stall's energy
}

var (
	// ErrWindow is returned for a plan that does not end above its start within 0 to 100 %.
	ErrWindow = errors.New("the charge to stop at must be above the charge to start from, both from 0 to 100 %")
	// ErrTemperature is returned for a temperature that no battery has.
	ErrTemperature = errors.New("temperatures must be from -60 to 90 °C")
)

// longest is how long a session is followed, and patience how long without a
// tenth of a point gained, in s.
const (
	longest  = 12 * 3600
	patience = 90 * 60
)

// Of works a session out with its uncertainty. It fails for a plan that makes no
// sense or a car of unknown capacity; a session that cannot reach its end is no
// error: its Note says why.
func Of(plan Plan, u Uncertainty) (*Forecast, error) {
	f, err := Once(plan)
	if err != nil {
		return nil, err
	}
	var off []Plan
	if plan.Known != nil {
		u, off = knownTo(plan.Known, &plan, u)
	}
	plan = plan.AsKnown()
	if p, err := pack.For(plan.Car); err == nil && p.Taper(plan.Car, plan.Gentle).Assumed {
		u.TaperPct = max(u.TaperPct, assumedTaperPct)
	}
	f.spread(plan, u, off)
	return f, nil
}

// Once works a session out without an uncertainty: low and high are the times.
func Once(plan Plan) (*Forecast, error) {
	if err := plan.check(); err != nil {
		return nil, err
	}
	s, err := NewSession(plan)
	if err != nil {
		return nil, err
	}
	f := &Forecast{Assumed: append(plan.Known.Used(plan.Car), s.pack.Assumed...), Steps: make([]Step, 0, 4096)}
	trail, note := s.follow(func(st Step) { f.Steps = append(f.Steps, st) })
	f.Note = note
	if len(trail) > 0 {
		f.Steps = append(f.Steps, Step{T: s.t, SoCPct: s.soc, PackV: s.pack.RestV(s.soc), Battery: s.battery,
			Cause: limit.Paused, PluggedSince: s.pluggedAt})
	}
	f.Posts = posts(trail, plan)
	f.sum(s)
	f.Windows = f.windows(plan)
	f.Ceilings = held(f.Steps)
	f.Bill = f.bill(plan)
	return f, nil
}

// Brief is the outcome of a session and nothing of its course.
type Brief struct {
	TS       float64  // from plug-in to the end
	PeakKW   float64  // at the plug
	StallKWh float64  // at the plug
	Note     say.Text // why the wanted charge is not reached; empty when it is
}

// Quick works only the outcome of a session out, for comparing many.
func Quick(plan Plan) (Brief, error) {
	var b Brief
	if err := plan.check(); err != nil {
		return b, err
	}
	s, err := NewSession(plan)
	if err != nil {
		return b, err
	}
	trail, note := s.follow(func(st Step) {
		b.PeakKW = max(b.PeakKW, st.StallKW)
		b.StallKWh += st.StallKW / 3600
	})
	b.Note = note
	if len(trail) > 0 {
		b.TS = reached(trail, plan.ToPct)
	}
	return b, nil
}

func (p *Plan) check() error {
	if !(p.FromPct >= 0 && p.ToPct <= 100 && p.FromPct < p.ToPct) {
		return ErrWindow
	}
	for _, c := range []float64{p.AmbientC, p.Battery.ColdestC, p.Battery.WarmestC} {
		if !(c >= -60 && c <= 90) {
			return ErrTemperature
		}
	}
	return nil
}

// follow takes the session to its end, gives every step to each, and returns the
// state of charge at the beginning of every second and at the end; nothing when
// the stall cannot charge the car. The note says why the end was not reached.
func (s *Session) follow(each func(Step)) (trail []float64, note say.Text) {
	if r := s.Refusal(); r.Any() {
		return nil, r
	}
	trail = make([]float64, 0, 4096)
	gainedAt, gained := 0.0, s.soc
	for s.soc < s.plan.ToPct {
		trail = append(trail, s.soc)
		st := s.Next()
		each(st)
		if s.soc > gained+0.1 {
			gainedAt, gained = s.t, s.soc
		}
		if s.t > longest || s.t-gainedAt > patience {
			note = say.T("forecast.stays-at", say.Fig(s.soc, 0), st.Cause.Text())
			break
		}
	}
	return append(trail, s.soc), note
}

// reached gives the time at which a trail, a second apart, reaches a state of
// charge; NaN if never.
func reached(trail []float64, soc float64) float64 {
	i, exact := slices.BinarySearch(trail, soc)
	switch {
	case i == len(trail) || i == 0 && !exact:
		return math.NaN()
	case exact:
		return float64(i)
	}
	a, b := trail[i-1], trail[i]
	return float64(i-1) + (soc-a)/(b-a)
}

// wanted lists the posts of a plan: its ends and every 10 % between them, and the
// ends of every window that is listed.
func wanted(plan Plan) []float64 {
	out := []float64{plan.FromPct, plan.ToPct}
	for p := 0.0; p <= 100; p += 10 {
		out = append(out, p)
	}
	for _, w := range plan.listed() {
		out = append(out, w[0], w[1])
	}
	slices.Sort(out)
	return slices.DeleteFunc(slices.Compact(out), func(p float64) bool { return p < plan.FromPct || p > plan.ToPct })
}

// listed are the windows that are looked at: the usual ones, and of so many points each as is asked for.
func (p *Plan) listed() [][2]float64 {
	out := slices.Clone(curve.StandardWindows)
	for at := 0.0; p.EachPct > 0 && at+p.EachPct <= 100; at += p.EachPct {
		out = append(out, [2]float64{at, at + p.EachPct})
	}
	return out
}

func posts(trail []float64, plan Plan) []Post {
	var out []Post
	for _, p := range wanted(plan) {
		if t := reached(trail, p); !math.IsNaN(t) {
			out = append(out, Post{p, t, t, t})
		}
	}
	return out
}

// Post gives a post, and false where it is not reached.
func (f *Forecast) Post(soc float64) (Post, bool) {
	for _, p := range f.Posts {
		if p.SoCPct == soc {
			return p, true
		}
	}
	return Post{}, false
}

// Window gives a window, and false where it is not covered.
func (f *Forecast) Window(from, to float64) (Window, bool) {
	for _, w := range f.Windows {
		if w.FromPct == from && w.ToPct == to {
			return w, true
		}
	}
	return Window{}, false
}

// sum adds the steps up.
func (f *Forecast) sum(s *Session) {
	var leg *Leg
	for i := range f.Steps {
		st := &f.Steps[i]
		f.Energy.StallKWh += st.StallKW / 3600
		f.Energy.CarKWh += st.PackKW / 3600
		f.Energy.LossKWh += st.LossKW / 3600
		f.Energy.AuxKWh += st.AuxKW / 3600
		if f.Peak == nil || st.StallKW > f.Peak.KW {
			if st.StallKW > 0 {
				f.Peak = &Peak{st.StallKW, st.T, st.SoCPct}
			}
		}
		switch {
		case st.Plugged && leg == nil:
			f.Legs = append(f.Legs, Leg{FromS: st.T, FromPct: st.SoCPct})
			leg = &f.Legs[len(f.Legs)-1]
		case !st.Plugged && leg != nil:
			leg.ToS, leg.ToPct = st.T, st.SoCPct
			leg = nil
		}
		if leg != nil {
			leg.EnergyKWh += st.StallKW / 3600
		}
	}
	start, end := s.plan.Battery.Ordered(), s.battery.Ordered()
	f.Battery = Battery{start.ColdestC, end.ColdestC, end.WarmestC}
}

// windows lists the windows between posts that were reached, with the energy between them.
func (f *Forecast) windows(plan Plan) []Window {
	list := append(plan.listed(), [2]float64{plan.FromPct, plan.ToPct})
	slices.SortFunc(list, func(a, b [2]float64) int { return slices.Compare(a[:], b[:]) })
	list = slices.Compact(list)
	var out []Window
	for _, w := range list {
		from, ok1 := f.Post(w[0])
		to, ok2 := f.Post(w[1])
		if !ok1 || !ok2 {
			continue
		}
		x := Window{FromPct: w[0], ToPct: w[1], TS: to.TS - from.TS, EnergyKWh: f.energy(from.TS, to.TS)}
		x.LowS, x.HighS = x.TS, x.TS
		if x.TS > 0 {
			x.AverageKW = x.EnergyKWh * 3600 / x.TS
		}
		out = append(out, x)
	}
	return out
}

// energy is the stall's energy between two times.
func (f *Forecast) energy(from, to float64) float64 {
	sum := 0.0
	for _, st := range f.Steps[int(from):min(len(f.Steps), int(to)+1)] {
		if d := min(to, st.T+1) - max(from, st.T); d > 0 {
			sum += st.StallKW * d
		}
	}
	return sum / 3600
}

// flicker is the shortest stretch that is told apart, in s.
const flicker = 5

// held lists the stretches of one holding ceiling; one shorter than flicker goes
// to the one before it.
func held(steps []Step) []Held {
	var out []Held
	for i := 0; i < len(steps)-1; {
		j := i
		for j < len(steps)-1 && steps[j].Cause == steps[i].Cause {
			j++
		}
		n := len(out)
		switch {
		case n > 0 && (out[n-1].Cause == steps[i].Cause || j-i < flicker):
			out[n-1].ToS = steps[j].T
		default:
			out = append(out, Held{steps[i].T, steps[j].T, steps[i].Cause})
		}
		i = j
	}
	return out
}

// bill is what the session costs when the car is unplugged at its end.
func (f *Forecast) bill(plan Plan) *stall.Bill {
	if plan.Stall == nil || len(f.Steps) == 0 {
		return nil
	}
	u := stall.Use{KWh: f.Energy.StallKWh}
	for _, st := range f.Steps {
		u.T, u.KW = append(u.T, st.T), append(u.KW, st.StallKW)
	}
	return stall.BillOf(plan.Stall.Tariff, u)
}

// Reached is when a state of charge is reached, s; NaN where it is not.
func (f *Forecast) Reached(socPct float64) float64 {
	i, _ := slices.BinarySearchFunc(f.Steps, socPct, func(s Step, soc float64) int { return cmp.Compare(s.SoCPct, soc) })
	if i == len(f.Steps) {
		return math.NaN()
	}
	if i == 0 || f.Steps[i].SoCPct == f.Steps[i-1].SoCPct {
		return f.Steps[i].T
	}
	a, b := f.Steps[i-1], f.Steps[i]
	return a.T + (socPct-a.SoCPct)/(b.SoCPct-a.SoCPct)*(b.T-a.T)
}

// At is the second at which a post is reached, and false beyond what was stepped through.
// Where the session ends with that post it is the last second with power.
func (f *Forecast) At(p Post) (Step, bool) {
	i := int(p.TS)
	if i < 0 || i >= len(f.Steps) {
		return Step{}, false
	}
	return f.Steps[max(0, min(i, len(f.Steps)-2))], true
}
