package judge

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/limit"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// Basis says where a warm reference comes from.
type Basis string

// The bases, best first; none: the car's capacity is not known.
const (
	Noted   Basis = "noted"  // the envelope noted at the car
	Learnt  Basis = "learnt" // the car's other runs
	ByKind  Basis = "kind"   // what packs of its kind and size take
	NoBasis Basis = ""
)

// Reference is the power that this car's pack takes warm, held by nothing outside, never above the
// car's own limits.
type Reference struct {
	Basis Basis
	Runs  int // that it was learnt from; 0: it was not
	known *known
}

// KW is the reference at a charge and a pack voltage (NaN: the car's current then limits nothing);
// NaN where it is not known.
func (r Reference) KW(socPct, volts float64) float64 {
	if r.known == nil {
		return math.NaN()
	}
	return r.known.warmKW(socPct, volts)
}

// Words says in a few words what the reference is.
func (r Reference) Words() say.Text {
	switch r.Basis {
	case Noted:
		return say.T("judge.its-noted-envelope")
	case Learnt:
		return say.T("judge.its-other-runs")
	case ByKind:
		return say.T("judge.the-usual-curve-of")
	}
	return nil
}

// reference says by which warm curve minutes are called lost. The basis is part of every such figure: against a curve
// that is only the usual one of its kind, what a car "lost" may be what it never had.
func (k *known) reference(l *Log) Reference {
	r := Reference{known: k}
	switch {
	case k.taper == nil:
		r.known = nil
	case k.learnt != nil:
		r.Basis, r.Runs = Learnt, len(k.learnt.Runs)
	case k.given:
		r.Basis = Noted
	default:
		r.Basis = ByKind
	}
	return r
}

// Judgement is what held a run down.
type Judgement struct {
	Stretches []Stretch // in order of time, not overlapping
	Reference Reference

	known *known
	spans []*span
}

// Lost is the time that a cause took from a run, in s.
type Lost struct {
	Cause limit.Cause
	S     float64
}

// Pace is how the time of a part of a run is made up: ReferenceS, plus all that was lost, less
// GainedS, is the part's length.
type Pace struct {
	ReferenceS float64 // what the warm pack would have taken, and its own pace
	GainedS    float64 // where it was faster than its reference
	Lost       []Lost  // most first
}

// withinReference is how far a pack's own pace may lie from its reference and be its own pace.
const withinReference = 0.07

// ownPace are the causes that are the car's own, and lose nothing within its reference.
var ownPace = map[limit.Cause]bool{limit.PackTaper: true, limit.CarPower: true, limit.CarCurrent: true}

// LostIn is what one stretch lost between two times, in s, as Pace counts it; NaN where there is no
// reference.
func (j *Judgement) LostIn(s *Stretch, from, to float64) float64 {
	long, warm, ok := j.costs(s, from, to)
	switch {
	case !ok || j.Reference.Basis == NoBasis:
		return math.NaN()
	case j.own(s, long, warm):
		return 0
	}
	return max(0, long-warm)
}

// usualOff is how far the usual curve of a kind may lie from a car's own, as a share (common practice, no source).
const usualOff = 0.25

// LostRange is what a stretch lost at least and at most, in s: of a cause that is unsure, from nothing; against the
// usual curve of a kind, by how far that may lie off. NaN where there is no reference.
func (j *Judgement) LostRange(s *Stretch) (low, high float64) {
	lost := j.LostIn(s, s.FromS, s.ToS)
	low, high = lost, lost
	if lost > 0 && j.Reference.Basis == ByKind {
		long, warm, _ := j.costs(s, s.FromS, s.ToS)
		low, high = max(0, long-warm/(1-usualOff)), max(0, long-warm/(1+usualOff))
	}
	if s.Confidence == say.Unsure && lost > 0 {
		low = 0
	}
	return low, high
}

// own tells whether a stretch is the pack's own pace.
func (j *Judgement) own(s *Stretch, long, warm float64) bool {
	return long > 0 && ownPace[s.Cause] && (math.Abs(warm/long-1) <= withinReference || j.Reference.Basis == ByKind)
}

// costs is what one stretch took and lost between two times: its length, and what the warm pack
// would have taken for the same energy; false where there is no reference.
func (j *Judgement) costs(s *Stretch, from, to float64) (long, warm float64, ok bool) {
	from, to = max(from, s.FromS), min(to, s.ToS)
	if !(from < to) {
		return 0, 0, true
	}
	long = to - from
	if j.Reference.known == nil {
		return long, 0, false
	}
	for _, sp := range j.spans {
		g := sp.grid
		n := len(g.t)
		if g.to[n-1] <= from || g.from[0] >= to {
			continue
		}
		for i := range n {
			end := g.to[i]
			if i+1 < n {
				end = g.from[i+1]
			}
			a, b := max(from, g.from[i]), min(to, end)
			if a >= b {
				continue
			}
			w := j.known.warmKW(g.soc[i], g.packV[i])
			if !(w > 0) {
				return long, 0, false
			}
			warm += (b - a) * max(0, g.packKW[i]) / w
		}
	}
	return long, warm, true
}

// Pace says how the time between two moments is made up; false where there is no reference.
func (j *Judgement) Pace(from, to float64) (Pace, bool) {
	var p Pace
	by := map[limit.Cause]float64{}
	covered := 0.0
	for i := range j.Stretches {
		s := &j.Stretches[i]
		long, warm, ok := j.costs(s, from, to)
		if !ok {
			return p, false
		}
		covered += long
		switch {
		case long == 0:
		case j.own(s, long, warm):
			p.ReferenceS += long
		case warm > long:
			p.ReferenceS += warm
			p.GainedS += warm - long
		default:
			p.ReferenceS += warm
			by[s.Cause] += long - warm
		}
	}
	if rest := to - from - covered; rest > 0 { // unplugged: nobody's
		by[limit.Paused] += rest
	}
	for _, s := range limit.Signs {
		if by[s.Cause] > 0 {
			p.Lost = append(p.Lost, Lost{s.Cause, by[s.Cause]})
		}
	}
	slices.SortStableFunc(p.Lost, func(a, b Lost) int { return cmp.Compare(b.S, a.S) })
	return p, true
}

// Warm is the warm reference against time where power flowed, at the plug or into the pack; empty
// where it is not known.
func (j *Judgement) Warm(atPlug bool) trace.Series {
	var out trace.Series
	for _, sp := range j.spans {
		g := sp.grid
		for i, t := range g.t {
			w := j.known.warmKW(g.soc[i], g.packV[i])
			if math.IsNaN(w) {
				continue
			}
			if atPlug {
				w += g.beside(i)
			}
			out.T, out.V = append(out.T, t), append(out.V, w)
		}
	}
	return out
}

// beside is what the plug gives beyond what the pack takes in a cell: losses, pumps, heater, kW.
func (g *grid) beside(i int) float64 {
	return max(0, g.plugKW[i]-g.packKW[i])
}

// nearPack is how far the plug's volts lie from the pack's at most: what flows beside the pack makes more
// of it while little flows, and while power rises its mean and that of amps are of different moments.
const nearPack = 0.06

// plugToPack is the plug's volts over the pack's, by power and amps: the middle of the cells where they
// are near, else of all, as with a converter between them; 1 where nothing tells.
func (g *grid) plugToPack() float64 {
	var near, all []float64
	for i := range g.t {
		x := g.plugKW[i] * 1000 / g.plugA[i] / g.volts[i]
		if math.Abs(x-1) <= nearPack {
			near = append(near, x)
		}
		if x > 0 && !math.IsInf(x, 1) {
			all = append(all, x)
		}
	}
	switch {
	case len(near) > 0:
		return trace.Median(near)
	case len(all) > 0:
		return trace.Median(all)
	}
	return 1
}

// Line is one ceiling against time: what it would have allowed, in kW at the plug.
type Line struct {
	Cause limit.Cause
	Label say.Text // "stall, 350 A"
	T, KW []float64
}

// StepsUp tells whether the car's converter made the pack's voltage of the stall's, so that amps at the plug and into
// the pack are not the same.
func (j *Judgement) StepsUp() bool { return j.known.converter }

// isFinite tells whether a limit is known.
func isFinite(v float64) bool { return !math.IsInf(v, 0) }

// Lines are the ceilings that are known between two times, and the power that flowed, at the plug:
// the evidence as a picture. The power itself is the first, its cause empty; what the car asked for and
// the stall offered, where they were read, are the last, without a cause of their own.
func (j *Judgement) Lines(from, to float64) []Line {
	k := j.known
	power := Line{Label: say.T("judge.read")}
	fixed := (&limit.Limits{StallKW: k.stallKW, StallA: k.stallA, AdapterA: k.adapterA, CarKW: k.carKW, CarA: k.carA,
		ConverterKW: k.converterKW}).Label
	type ceiling struct {
		cause limit.Cause
		known bool
		kw    func(g *grid, i int) float64
	}
	share := 1.0 // of the plug's volts over the pack's, in the stretch that is gone through
	plugV := func(g *grid, i int) float64 { return g.volts[i] * share }
	limits := []ceiling{
		{limit.StallPower, isFinite(k.stallKW), func(*grid, int) float64 { return k.stallKW }},
		{limit.StallCurrent, isFinite(k.stallA), func(g *grid, i int) float64 { return k.stallA * plugV(g, i) / 1000 }},
		{limit.AdapterCurrent, isFinite(k.adapterA), func(g *grid, i int) float64 { return k.adapterA * plugV(g, i) / 1000 }},
		{limit.CarConverter, k.converter, func(*grid, int) float64 { return k.converterKW }},
		{limit.CarPower, isFinite(k.carKW), func(g *grid, i int) float64 { return k.carKW + g.beside(i) }},
		{limit.CarCurrent, isFinite(k.carA), func(g *grid, i int) float64 { return k.carA*g.packV[i]/1000 + g.beside(i) }},
		{limit.SharedCabinet, isFinite(k.sharedKW), func(*grid, int) float64 { return k.sharedKW / 2 }},
		{limit.PackTaper, k.taper != nil, func(g *grid, i int) float64 { return k.taper.KW(g.soc[i]) + g.beside(i) }},
		{"", true, func(g *grid, i int) float64 { return g.plugKW[i] / min(1, g.asked[i]) }},
		{"", true, func(g *grid, i int) float64 { return g.offered[i] }},
	}
	lines := make([]Line, len(limits))
	for x, l := range limits {
		lines[x] = Line{Cause: l.cause, Label: fixed(l.cause)}
		if l.cause == limit.PackTaper {
			lines[x].Label = say.T("judge.warm-pack")
		}
		if l.cause == limit.SharedCabinet {
			lines[x].Label = say.T("judge.half-of-the-cabinet")
		}
	}
	lines[len(lines)-2].Label, lines[len(lines)-1].Label = say.T("judge.asked-for"), say.T("judge.offered")
	for _, sp := range j.spans {
		g := sp.grid
		share = g.plugToPack()
		for i, t := range g.t {
			if t < from || t > to {
				continue
			}
			power.T, power.KW = append(power.T, t), append(power.KW, g.plugKW[i])
			for x, l := range limits {
				if !l.known {
					continue
				}
				if v := l.kw(g, i); !math.IsNaN(v) && isFinite(v) {
					lines[x].T, lines[x].KW = append(lines[x].T, t), append(lines[x].KW, v)
				}
			}
		}
	}
	out := []Line{power}
	for _, l := range lines {
		if len(l.T) > 1 {
			out = append(out, l)
		}
	}
	return out
}
