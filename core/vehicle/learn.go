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
			left = append(left, NotUsed{used[odd].Run, say.T("vehicle.its-power-fits-none")})
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
	for _, x := range lessons {
		switch {
		case x.profile() != profile:
			left = append(left, NotUsed{x.Run, say.T("vehicle.other-profile", x.profile())})
		case len(x.Points) == 0:
			left = append(left, NotUsed{x.Run, say.T("vehicle.power-against-charge-was")})
		case slices.ContainsFunc(used, func(y Lesson) bool { return reflect.DeepEqual(x.Points, y.Points) }):
			left = append(left, NotUsed{x.Run, say.T("vehicle.it-is-a-copy")})
		default:
			used = append(used, x)
		}
	}
	slices.SortStableFunc(used, func(a, b Lesson) int {
		return cmp.Or(a.StartedAt.Compare(b.StartedAt), cmp.Compare(a.Run, b.Run))
	})
	if n := len(used) - mostRuns; n > 0 {
		for _, x := range used[:n] {
			left = append(left, NotUsed{x.Run, say.T("vehicle.later-runs", mostRuns)})
		}
		used = used[n:]
	}
	return used, left
}

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

// offs is what each point's temperature takes off, as logarithms.
func (l *learner) offs(warmC, halfK, hotC float64) []float64 {
	out := make([]float64, len(l.course.points))
	for i, p := range l.course.points {
		if !math.IsNaN(p.cold) {
			out[i] += math.Log(max(leastShare, pack.ColdShare(warmC-p.cold, halfK)))
		}
		if !math.IsNaN(p.hot) {
			out[i] += math.Log(pack.HotShare(p.hot - hotC))
		}
	}
	return out
}

// The warmths that are tried: these first, then about the best of them.
var (
	warmCs   = []float64{13, 18, 23, 28, 33}
	halfKs   = []float64{6.5, 11, 18}
	besideK  = []float64{-2.5, -1.2, 0, 1.2, 2.5}
	besideOf = []float64{0.75, 1, 1.33}
	hotCs    = []float64{40, 43, 46, 48, 50, 53}
)

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

// learnCold weighs each warmth that may hold.
func (l *learner) learnCold() {
	at, sd := l.warmC, l.m.warmSDK
	var begin []float64
	try := func(warm, half float64) {
		s := l.course.solve(l.offs(warm, half, l.hotC), begin)
		begin = s.x
		z, y := (warm-at)/sd, math.Log(half/pack.UsualHalfK)/usualHalfSD
		l.tried = append(l.tried, tried{warm, half, s.evidence - z*z/2 - y*y/2})
	}
	for _, warm := range warmCs {
		for _, half := range halfKs {
			try(warm, half)
		}
	}
	near := slices.MaxFunc(l.tried, func(a, b tried) int { return cmp.Compare(a.weight, b.weight) })
	l.tried = nil
	for _, by := range besideK {
		for _, share := range besideOf {
			try(near.warmC+by, near.halfK*share)
		}
	}
	best := slices.MaxFunc(l.tried, func(a, b tried) int { return cmp.Compare(a.weight, b.weight) }).weight
	var sum, warm, square, half float64
	for i := range l.tried {
		x := &l.tried[i]
		x.weight = math.Exp(x.weight - best)
		sum, warm, half = sum+x.weight, warm+x.weight*x.warmC, half+x.weight*math.Log(x.halfK)
		square += x.weight * x.warmC * x.warmC
	}
	for i := range l.tried {
		l.tried[i].weight /= sum
	}
	l.warmC, l.halfK = warm/sum, math.Exp(half/sum)
	l.m.warmSDK = math.Sqrt(max(0.5, square/sum-l.warmC*l.warmC))
	l.m.WarmC, l.m.HalfK = run.N(l.warmC), run.N(l.halfK)
}

// learnHot weighs from where the car takes power back.
func (l *learner) learnHot() {
	var weights []float64
	best := math.Inf(-1)
	for _, hot := range hotCs {
		z := (hot - l.hotC) / usualHotSD
		w := l.course.solve(l.offs(l.warmC, l.halfK, hot), nil).evidence - z*z/2
		weights, best = append(weights, w), max(best, w)
	}
	sum, mean := 0.0, 0.0
	for i, hot := range hotCs {
		w := math.Exp(weights[i] - best)
		sum, mean = sum+w, mean+w*hot
	}
	l.hotC = mean / sum
	l.m.HotC = run.N(l.hotC)
}

// odd is the run of which most says nothing beside the others; -1: none.
func (l *learner) odd() int {
	n, wild := make([]float64, len(l.lessons)), make([]float64, len(l.lessons))
	for i, p := range l.course.points {
		n[p.run]++
		wild[p.run] += l.sol.garbled[i]
	}
	worst, at := 0.5, -1
	for r := range n {
		if n[r] > 0 && wild[r]/n[r] > worst {
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

// fallPct is how far from a fall its two sides are drawn, % of charge.
const fallPct = 0.1

// rests is what the envelope rests on at a node.
type rests struct {
	kind  Kind
	runs  int
	least float64 // what the runs took there, as a warm pack would have; 0: none was there
}

func (m *Model) envelopeAt(soc float64, node int, on rests) EnvelopePoint {
	sd, kw := math.Sqrt(m.cov[node][node]), math.Exp(m.logKW[node])
	p := EnvelopePoint{SoCPct: soc, Kind: on.kind, Runs: on.runs, PackKW: kw,
		Bound: Bound{kw, kw * math.Exp(-OfRange*sd), kw * math.Exp(OfRange*sd)}}
	p.Low = min(kw, max(p.Low, on.least*(1-ownSD)))
	for _, kw := range m.mostKW {
		if kw < p.Value {
			p.Bound = p.Bound.under(kw)
		}
	}
	for _, amps := range m.mostA {
		rest := m.pack.RestV(soc)
		if kw := amps * (rest + amps*m.pack.Ohm(soc, pack.DefaultWarmC)) / 1000; kw < p.Value {
			p.Bound = p.Bound.under(kw)
		}
	}
	return p
}

// own gathers the car's own fixed limits, as they held and as they are noted.
func (m *Model) own(car *run.Car) {
	m.pack, _ = pack.For(m.Apply(car))
	noted := &run.Car{}
	if car != nil {
		noted = car
	}
	for _, n := range []run.Number{m.MaxKW, noted.MaxKW} {
		if v, ok := run.Known(n); ok {
			m.mostKW = append(m.mostKW, v)
		}
	}
	for _, n := range []run.Number{m.MaxA, noted.MaxA} {
		if v, ok := run.Known(n); ok && m.pack != nil {
			m.mostA = append(m.mostA, v)
		}
	}
}

// under is a figure and its range where a limit lies below it: the limit, and what may be less.
func (b Bound) under(kw float64) Bound {
	return Bound{kw, min(b.Low, kw*(1-nearLevel)), kw * (1 + nearLevel)}
}

// At is the warm pack's power at a charge, kW.
func (m *Model) At(socPct float64) float64 {
	e := m.Envelope
	i, _ := slices.BinarySearchFunc(e, socPct,
		func(p EnvelopePoint, soc float64) int { return cmp.Compare(p.SoCPct, soc) })
	switch {
	case i == 0:
		return e[0].Value
	case i == len(e):
		return e[i-1].Value
	}
	a, b := e[i-1], e[i]
	return a.Value + (b.Value-a.Value)*(socPct-a.SoCPct)/(b.SoCPct-a.SoCPct)
}

// coldest is the share of its power below which a cold pack shows hardly what it takes warm.
const coldest = 0.5

// restsAt is what the envelope rests on at a node.
func (l *learner) restsAt(node int) rests {
	seen, least := map[int]float64{}, map[int]float64{}
	took := 0.0
	for i, p := range l.course.points {
		if math.Abs(p.soc-NodePct*float64(node)) > NodePct {
			continue
		}
		share := 1.0
		if !math.IsNaN(p.cold) {
			share = pack.ColdShare(l.warmC-p.cold, l.halfK)
		}
		if share > coldest {
			seen[p.run] = max(seen[p.run], l.sol.seen[i], p.limit)
		}
		least[p.run] = max(least[p.run], 1-l.sol.garbled[i])
		if 1-l.sol.garbled[i] > 0.5 && share > coldest {
			took = max(took, math.Exp(p.y))
		}
	}
	count := func(of map[int]float64) (n int) {
		for _, v := range of {
			if v > 0.5 {
				n++
			}
		}
		return n
	}
	if n := count(seen); n > 0 {
		return rests{Seen, n, 0}
	}
	if n := count(least); n > 0 {
		return rests{AtLeast, n, took}
	}
	return rests{kind: Assumed}
}

// warmth lists what some temperatures of the coldest cell leave of the power.
func (l *learner) warmth(bestKW float64) []Share {
	var out []Share
	for c := -10.0; c <= 40; c += 5 {
		type at struct{ share, weight float64 }
		var all []at
		for _, t := range l.tried {
			all = append(all, at{pack.ColdShare(t.warmC-c, t.halfK), t.weight})
		}
		slices.SortFunc(all, func(a, b at) int { return cmp.Compare(a.share, b.share) })
		s := Share{BatteryC: c, Bound: Bound{Value: pack.ColdShare(l.warmC-c, l.halfK)}}
		sum, low, high := 0.0, false, false
		for _, a := range all {
			sum += a.weight
			if !low && sum >= 0.05 {
				s.Low, low = a.share, true
			}
			if !high && sum >= 0.95 {
				s.High, high = a.share, true
			}
		}
		s.Low, s.High = min(s.Low, s.Value), max(s.High, s.Value)
		s.KW = s.Value * bestKW
		out = append(out, s)
	}
	return out
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
