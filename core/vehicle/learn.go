package vehicle

import (
	"cmp"
	"math"
	"reflect"
	"slices"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// mostRuns is how many of a car's latest runs are learned from: more change nothing that is still true of it.
const mostRuns = 16

// Learn is what a car's runs taught of it in one profile (empty: full), as its software version is (empty: the latest
// run's); nil where no run says anything. The car's notes say of what kind it is, and its peak where that is noted: its
// noted curve is not asked. The order of the lessons makes no difference, and a copy of a run none either.
func Learn(car *run.Car, software, profile string, lessons []Lesson) *Model {
	return learnAs(nil, car, software, profile, lessons)
}

// From is what some of a car's runs taught, most of them those that the model rests on: by cold and heat as the model
// has them, which takes a hundredth of the time. So each run is judged by the others, of many.
func (m *Model) From(car *run.Car, software string, lessons []Lesson) *Model {
	return learnAs(m, car, software, m.Profile, lessons)
}

func learnAs(as *Model, car *run.Car, software, profile string, lessons []Lesson) *Model {
	if profile == "" {
		profile = run.Profiles[0]
	}
	used, left := choose(profile, lessons)
	for len(used) > 0 {
		m := of(car, software, profile, used)
		l := newLearner(m, car, asked(software, used), used)
		l.learn(as)
		if odd := l.odd(); odd >= 0 && len(used) > 2 { // all anew without it: nothing of it is to stay
			left = append(left, NotUsed{Run: used[odd].Run, ID: used[odd].ID, Odd: true,
				Why: say.T("vehicle.its-power-fits-none")})
			used = slices.Delete(slices.Clone(used), odd, odd+1)
			continue
		}
		l.tell()
		m.NotUsed = left
		m.heat(car, used)
		m.drop(car)
		return m
	}
	return nil
}

// asked is the software version that a model is of: the latest run's where none is asked for.
func asked(software string, used []Lesson) string {
	if software == "" {
		return used[len(used)-1].Software
	}
	return software
}

// of begins a model with all that needs no envelope.
func of(car *run.Car, software, profile string, used []Lesson) *Model {
	m := &Model{Profile: profile}
	if car != nil {
		m.Car = car.Name
	}
	software = asked(software, used)
	m.ofPack(used)
	for _, x := range used {
		m.Runs, m.Falls = append(m.Runs, x.Run), append(m.Falls, x.Falls...)
		if x.Software == software {
			m.ownRuns++
		} else if !slices.Contains(m.Software, x.Software) {
			m.Software = append(m.Software, x.Software)
		}
	}
	if m.ownRuns > 0 {
		m.Software = append([]string{software}, m.Software...)
	}
	return m
}

// choose lists the lessons that are learned from, oldest first, and says why the others are not.
func choose(profile string, lessons []Lesson) (used []Lesson, left []NotUsed) {
	leave := func(x *Lesson, why say.Text) { left = append(left, NotUsed{Run: x.Run, ID: x.ID, Why: why}) }
	for i := range lessons {
		x := lessons[i]
		switch {
		case x.profile() != profile:
			leave(&x, say.T("vehicle.other-profile", x.profile()))
		case len(x.Points) == 0:
			leave(&x, say.T("vehicle.power-against-charge-was"))
		case x.Teaches == Never:
			left = append(left, NotUsed{Run: x.Run, ID: x.ID, Why: say.T("vehicle.left-out-by-hand"), ByHand: true})
		case x.Teaches != Always && slices.ContainsFunc(used, x.repeats):
			leave(&x, say.T("vehicle.it-is-a-copy"))
		default:
			used = append(used, x)
		}
	}
	slices.SortStableFunc(used, func(a, b Lesson) int {
		return cmp.Or(a.StartedAt.Compare(b.StartedAt), cmp.Compare(a.Run, b.Run))
	})
	if n := len(used) - mostRuns; n > 0 {
		for i := range used[:n] {
			leave(&used[i], say.T("vehicle.later-runs", mostRuns))
		}
		used = used[n:]
	}
	return used, left
}

// repeats tells whether another lesson is a copy of this one.
func (l *Lesson) repeats(other Lesson) bool { return reflect.DeepEqual(l.Points, other.Points) }

// learner works a model's envelope out.
type learner struct {
	m       *Model
	car     *run.Car
	lessons []Lesson
	course  *course
	sol     *solution
	warmC   float64
	halfK   float64
	hotC    float64
	noted   bool // from where the pack is warm is noted
	cold    bool // a run was cold
	hot     bool
	tried   []tried
}

// tried is one warmth with how likely it is.
type tried struct{ warmC, halfK, weight float64 }

// What is usual of cold and heat where no note says it.
const (
	usualWarmC, usualWarmSD = 24.0, 5.0 // from where a pack is warm (common practice: 21 to 27 °C is comfortable for most)
	notedWarmSD             = 2.0       // a note of it goes by degrees
	usualHalfSD             = 0.35      // how far off it may be how far below it takes half, as a logarithm (from memory)
	usualHotC, usualHotSD   = 48.0, 3.0 // from where a car takes power back (common practice, no source)
	coldFromC               = 27.0      // a run up to this coldest cell may have been cold
	hotFromC                = 42.0      // and from this warmest cell on hot
	leastShare              = 0.03      // what a cold pack takes at least of its power
)

func newLearner(m *Model, car *run.Car, software string, lessons []Lesson) *learner {
	l := &learner{m: m, car: car, lessons: lessons, warmC: usualWarmC, halfK: pack.UsualHalfK, hotC: usualHotC}
	if car != nil {
		if w, ok := run.Value(car.WarmC); ok {
			l.warmC, l.noted = w, true
		}
		if car.Pack != nil {
			if h, ok := run.Value(car.Pack.HotC); ok {
				l.hotC = h
			}
		}
	}
	m.Steps, m.Timers = stepsOf(lessons), timersOf(lessons)
	m.limits(lessons)
	var breaks []float64
	for _, s := range m.Steps {
		breaks = append(breaks, s.SoCPct)
	}
	var versions []string
	var points []point
	for r, x := range lessons {
		version := 0
		if x.Software != software {
			if version = slices.Index(versions, x.Software) + 1; version == 0 {
				versions = append(versions, x.Software)
				version = len(versions)
			}
		}
		for _, p := range x.Points {
			q := pointOf(p, r, version, breaks)
			if m.MaxKW != nil || m.MaxA != nil { // what that held is at least what the pack would take
				q.own, q.limit = max(leastOwn, q.own-p.Limit), p.Limit
			}
			points = append(points, q)
		}
	}
	mean, peakNoted := usualOf(car, m.Profile, lessons)
	l.course = newCourse(mean, peakNoted, points, len(lessons), len(versions), breaks)
	for _, p := range points {
		l.cold = l.cold || p.cold < coldFromC
		l.hot = l.hot || p.hot > hotFromC
	}
	return l
}

// pointOf is a lesson's point as the course takes it.
func pointOf(p Point, of, version int, breaks []float64) point {
	soc := max(0, min(100, p.SoCPct))
	out := point{at: min(nodes-2, int(soc/NodePct)), soc: soc, y: math.Log(max(0.1, p.KW)), run: of, version: version,
		own: max(leastOwn, min(mostOwn, p.Own)), sd: readSD, cold: math.NaN(), hot: math.NaN()}
	out.right = soc/NodePct - float64(out.at)
	for _, b := range breaks { // what lies between two nodes with a fall between them is of its own side
		left := NodePct * float64(out.at)
		if left < b && b < left+NodePct {
			out.right = 0
			if soc > b {
				out.right = 1
			}
		}
	}
	if p.ColdC != nil {
		out.cold = *p.ColdC
	} else {
		out.sd = noWarmthSD
	}
	if p.HotC != nil {
		out.hot = *p.HotC
	}
	return out
}

// usualOf is the usual curve of the car's kind at the nodes, as logarithms, and whether its peak is noted.
func usualOf(car *run.Car, profile string, lessons []Lesson) (mean [nodes]float64, peakNoted bool) {
	var of run.Car
	if car != nil {
		of = *car
	}
	of.Envelope, of.GentleEnvelope = nil, nil
	if _, ok := run.Known(of.UsableKWh); !ok && of.GrossKWh == nil {
		of.UsableKWh = run.N(unknownKWh)
		if kwh := pooled(lessons, func(x *Lesson) run.Number { return x.RestKWh }); kwh != nil {
			of.UsableKWh = kwh
		}
	}
	_, peakNoted = run.Known(of.MaxKW)
	p, err := pack.For(&of)
	if err != nil { // its notes contradict each other: only its size is taken
		p, _ = pack.For(&run.Car{UsableKWh: run.N(unknownKWh)})
	}
	taper := p.Taper(&of, profile == "gentle")
	for i := range mean {
		mean[i] = math.Log(max(1, taper.KW(NodePct*float64(i))))
	}
	return mean, peakNoted
}

// unknownKWh is the capacity of a car of which nothing is known (from memory: the middle of what is driven).
const unknownKWh = 65.0

// learn finds envelope and warmth, or takes the warmth of a model.
func (l *learner) learn(as *Model) {
	if as != nil {
		l.m.WarmC, l.m.HalfK, l.m.HotC, l.m.warmSDK = as.WarmC, as.HalfK, as.HotC, as.warmSDK
		take := func(into *float64, n run.Number) {
			if v, ok := run.Value(n); ok {
				*into = v
			}
		}
		take(&l.warmC, as.WarmC)
		take(&l.halfK, as.HalfK)
		take(&l.hotC, as.HotC)
		l.sol = l.course.solve(l.offs(l.warmC, l.halfK, l.hotC), nil)
		return
	}
	l.m.warmSDK = usualWarmSD
	if l.noted {
		l.m.warmSDK = notedWarmSD
	}
	if l.cold {
		l.learnCold()
	}
	if l.hot {
		l.learnHot()
	}
	l.sol = l.course.solve(l.offs(l.warmC, l.halfK, l.hotC), nil)
}

// odd is the run of which most says nothing beside the others; -1: none. One that a person takes in stays.
func (l *learner) odd() int {
	n, wild := make([]float64, len(l.lessons)), make([]float64, len(l.lessons))
	for i, p := range l.course.points {
		n[p.run]++
		wild[p.run] += l.sol.garbled[i]
	}
	worst, at := 0.5, -1
	for r := range n {
		if n[r] > 0 && wild[r]/n[r] > worst && l.lessons[r].Teaches != Always {
			worst, at = wild[r]/n[r], r
		}
	}
	return at
}

// tell writes envelope and warmth down.
func (l *learner) tell() {
	m := l.m
	m.own(l.car)
	m.logKW, m.cov = make([]float64, nodes), make([][]float64, nodes)
	cov := l.sol.inverse()
	for i := range nodes {
		m.logKW[i], m.cov[i] = l.sol.x[i], make([]float64, nodes)
		for k := range nodes {
			m.cov[i][k] = cov.At(i, k) + ownSD*ownSD
		}
	}
	for i := range nodes {
		soc := NodePct * float64(i)
		rests := l.restsAt(i)
		m.Envelope = append(m.Envelope, m.envelopeAt(soc, i, rests))
		for _, b := range l.course.breaks {
			if soc+fallPct < b && b+fallPct < soc+NodePct && i+1 < nodes { // both sides of a fall, as near as it can be drawn
				m.Envelope = append(m.Envelope, m.envelopeAt(b-fallPct, i, rests),
					m.envelopeAt(b+fallPct, i+1, l.restsAt(i+1)))
			}
		}
	}
	best := 0.0
	for _, p := range m.Envelope {
		best = max(best, p.Value)
	}
	for i := range m.Steps {
		m.Steps[i].ToKW = m.At(m.Steps[i].SoCPct + 2*fallPct)
	}
	for i := range m.Timers {
		m.Timers[i].ToKW = best * m.Timers[i].Share
	}
	if len(l.tried) > 0 {
		m.Warmth = l.warmth(best)
	}
}

// pooled is the middle of what the runs say; nil where none does.
func pooled(lessons []Lesson, of func(*Lesson) run.Number) run.Number {
	var v []float64
	for i := range lessons {
		if x, ok := run.Value(of(&lessons[i])); ok {
			v = append(v, x)
		}
	}
	if len(v) == 0 {
		return nil
	}
	return run.N(trace.Median(v))
}
