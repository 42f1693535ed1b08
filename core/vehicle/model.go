package vehicle

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
)

// Kind says what a point of an envelope rests on.
type Kind string

// The kinds, best first.
const (
	Seen    Kind = "seen"     // the car held it there in a run
	AtLeast Kind = "at-least" // runs were there, and something else held them
	Assumed Kind = "assumed"  // by the kind of car
)

// Bound is a figure with its range of nine in ten.
type Bound struct{ Value, Low, High float64 }

// EnvelopePoint is the warm pack's power at one charge, kW into the pack.
type EnvelopePoint struct {
	SoCPct float64
	Bound          // never above the car's own limits
	PackKW float64 // what the pack alone would take: more where a limit of the car's is below
	Kind   Kind
	Runs   int // that were there: of those that saw it, else of those that took at least so much
}

// Share is what a cell temperature leaves of the warm pack's power.
type Share struct {
	BatteryC float64
	Bound
	KW float64 // of the envelope's best
}

// Step is a fall of the car's power at one charge.
type Step struct {
	SoCPct, ToKW float64
	Runs         int
}

// Timer is a fall of the car's power some time after first power.
type Timer struct {
	AfterS, Share float64 // since first power; of the power that is left
	PluggedS      float64 // since the plug-in
	ToKW          float64
	Runs          int
}

// NotUsed is a run that the model does not rest on.
type NotUsed struct {
	Run    string
	Why    say.Text
	ID     int64 // as the lesson has it
	ByHand bool  // a person left it out
	Odd    bool  // it could be taken in by hand
}

// Model is a car as its runs know it. What no run tells is nil or empty.
type Model struct {
	Car      string
	Software []string // the one that it is of, then those that it borrows from
	Profile  string   // full or gentle
	Runs     []string // that it rests on, oldest first
	NotUsed  []NotUsed

	Envelope []EnvelopePoint // rising in charge
	Warmth   []Share         // rising in temperature; empty: no cold run
	WarmC    run.Number      // from this coldest cell on it takes all; nil: no run tells
	HalfK    run.Number      // so many kelvin below, half
	HotC     run.Number      // from this warmest cell on it takes less

	MaxKW, MaxA, ConverterKW run.Number // its own fixed limits, as they held
	MostKW, MostA            float64    // the most that it took anywhere, into the pack
	Falls                    []Fall     // of all its runs, whoever's they were
	Steps                    []Step
	Timers                   []Timer

	Usable       *Bound // kWh at the terminals
	RestKWh      run.Number
	Cells        run.Number // in series, by the volts: no whole number where its cells are not quite the usual ones
	Ohm          run.Number // at 25 °C and half full
	ActivationKJ run.Number // how it falls with warmth, kJ/mol
	HeatKJK      run.Number
	CoolingKW    run.Number
	AuxKW        run.Number
	HeaterKW     run.Number
	LossPct      run.Number
	BeginS       run.Number // from plug-in to first power
	RampS        run.Number
	RestRangePct float64 // how far RestKWh may be off, % either way

	logKW   []float64   // at the nodes
	cov     [][]float64 // of them
	pack    *pack.Pack  // its battery, as far as the envelope needs it; nil: its size is not known
	mostKW  []float64   // its own fixed limits, learned and noted
	mostA   []float64
	ownRuns int     // of the software version that was asked for
	warmSDK float64 // how far WarmC may be off
}

// Rests tells whether any run says anything of the envelope.
func (m *Model) Rests() bool {
	return m != nil && slices.ContainsFunc(m.Envelope, func(p EnvelopePoint) bool { return p.Kind != Assumed })
}

// TookA is the most amps that the car took anywhere, into the pack; 0: not known.
func (m *Model) TookA() float64 {
	if m == nil {
		return 0
	}
	return m.MostA
}

// Saw tells whether the car held its power at this charge in a run.
func (m *Model) Saw(socPct float64) bool {
	if m == nil {
		return false
	}
	for _, p := range m.Envelope {
		if math.Abs(p.SoCPct-socPct) <= NodePct/2 {
			return p.Kind == Seen
		}
	}
	return false
}

// SD is how far the envelope may be off at a charge, one standard deviation of its logarithm.
func (m *Model) SD(socPct float64) float64 {
	return math.Sqrt(max(0, m.Cov(socPct, socPct)))
}

// Against says in sentences what another model of the car takes less or more, where both saw it and it is no chance:
// from which charge to which, and by how many kW in the middle.
func (m *Model) Against(o *Model) []say.Text {
	if !m.Rests() || !o.Rests() || m.ownRuns < leastEach || o.ownRuns < leastEach {
		return nil
	}
	var said []say.Text
	from, sum, n := math.NaN(), 0.0, 0.0
	end := func(to float64) {
		if to-from >= leastApartPct {
			code := "vehicle.takes-more"
			if sum < 0 {
				code = "vehicle.takes-less"
			}
			said = append(said, say.T(code, m.Software[0], say.Fig(math.Abs(sum/n), 0), o.Software[0],
				say.Fig(from, 0), say.Fig(to, 0)))
		}
		from, sum, n = math.NaN(), 0, 0
	}
	for soc := 0.0; soc <= 100; soc += NodePct {
		by := math.Log(m.At(soc) / o.At(soc))
		differ := m.Saw(soc) && o.Saw(soc) && math.Abs(by) > OfRange*math.Hypot(m.SD(soc), o.SD(soc))
		if !differ || n > 0 && by*sum < 0 {
			end(soc - NodePct)
		}
		if differ {
			if n == 0 {
				from = soc
			}
			sum, n = sum+m.At(soc)-o.At(soc), n+1
		}
	}
	end(100)
	return said
}

// leastEach is how many runs of each version there must be: what one run differs by may be that day's.
const leastEach = 2

// leastApartPct is over how much charge two versions must differ for it to be said.
const leastApartPct = 5.0

// Cov is how far the envelope may be off together at two charges, of its logarithm.
func (m *Model) Cov(a, b float64) float64 {
	i, x := at(a)
	k, y := at(b)
	return (1-x)*((1-y)*m.cov[i][k]+y*m.cov[i][k+1]) + x*((1-y)*m.cov[i+1][k]+y*m.cov[i+1][k+1])
}

// at is the node below a charge, and how far the charge is on its way to the next.
func at(socPct float64) (node int, share float64) {
	soc := max(0, min(100, socPct))
	if math.IsNaN(soc) {
		soc = 50
	}
	node = min(nodes-2, int(soc/NodePct))
	return node, soc/NodePct - float64(node)
}

// FellLike tells whether another run fell at once at the same time after its plug-in, or at the same charge, which of
// the two by where the other lay: the same time at another charge is a timer's. Of how many falls that is one says how
// much of a chance it may be.
func (m *Model) FellLike(pluggedS, socPct, withinS, withinPct float64) (timer, step bool, of int) {
	if m == nil {
		return false, false, 0
	}
	for _, f := range m.Falls {
		s, pct := math.Abs(f.PluggedS-pluggedS), math.Abs(f.SoCPct-socPct)
		timer = timer || s <= withinS && pct >= apartPct
		step = step || pct <= withinPct && s >= apartS
	}
	return timer, step, len(m.Falls)
}

// TimesOut tells whether the car's runs share a timer that ends so near a time after its plug-in.
func (m *Model) TimesOut(pluggedS, withinS float64) bool {
	return m != nil &&
		slices.ContainsFunc(m.Timers, func(t Timer) bool { return math.Abs(t.PluggedS-pluggedS) <= withinS })
}

// FallsNear tells whether the car's power falls at once so near a charge.
func (m *Model) FallsNear(socPct, withinPct float64) bool {
	return m != nil && slices.ContainsFunc(m.Steps, func(s Step) bool { return math.Abs(s.SoCPct-socPct) <= withinPct })
}

// OfRange is how many standard deviations hold nine in ten (of a normal distribution).
const OfRange = 1.645

// points is the envelope as a car notes it.
func (m *Model) points() []run.Point {
	out := make([]run.Point, 0, len(m.Envelope))
	for _, p := range m.Envelope {
		out = append(out, run.Point{SoCPct: p.SoCPct, KW: p.PackKW})
	}
	return out
}

// Draws tells whether the envelope of a car is the one that its runs taught: none is noted for the profile.
func (m *Model) Draws(noted *run.Car) bool {
	return m.Rests() && (noted == nil || m.Profile == "gentle" && len(noted.GentleEnvelope) == 0 ||
		m.Profile != "gentle" && len(noted.Envelope) == 0)
}

// Apply is a car with what its runs taught where nothing is noted; a car of nil is one of which nothing is.
func (m *Model) Apply(noted *run.Car) *run.Car {
	out := run.Car{Name: m.Car}
	if noted != nil {
		out = *noted
	}
	fill := func(into *run.Number, n run.Number) {
		if *into == nil {
			*into = n
		}
	}
	switch {
	case !m.Draws(noted):
	case m.Profile == "gentle":
		out.GentleEnvelope = m.points()
	default:
		out.Envelope = m.points()
	}
	if out.UsableKWh == nil && (m.RestKWh != nil) {
		out.UsableKWh = m.RestKWh
	}
	if out.PackNominalV == nil && out.PackMaxV == nil {
		fill(&out.CellsInSeries, m.Cells)
	}
	fill(&out.WarmC, m.WarmC)
	fill(&out.MaxKW, m.MaxKW)
	fill(&out.MaxA, m.MaxA)
	fill(&out.ConverterKW, m.ConverterKW)
	fill(&out.HeaterKW, m.HeaterKW)
	if len(m.Timers) > 0 && out.TimerS == nil {
		out.TimerS, out.TimerSharePct = run.N(m.Timers[0].AfterS), run.N(100*m.Timers[0].Share)
	}
	var p run.Pack
	if out.Pack != nil {
		p = *out.Pack
	}
	fill(&p.HalfBelowK, m.HalfK)
	fill(&p.HotC, m.HotC)
	if m.Ohm != nil {
		fill(&p.ResistanceMOhm, run.N(*m.Ohm*1000))
	}
	fill(&p.ActivationKJ, m.ActivationKJ)
	fill(&p.HeatCapacityKJK, m.HeatKJK)
	fill(&p.CoolingKW, m.CoolingKW)
	out.Pack = &p
	return &out
}

// mostWays is in how many ways the envelope may be off that are asked one by one: more add nothing that shows.
const mostWays = 5

// Ways are the ways in which the envelope may be off, each on its own and the largest first, as models that are so far
// off to either side in nine of ten (its principal components).
func (m *Model) Ways() [][2]*Model {
	cov := mat.NewSymDense(nodes, nil)
	for i := range nodes {
		for k := i; k < nodes; k++ {
			cov.SetSym(i, k, m.cov[i][k])
		}
	}
	var eigen mat.EigenSym
	if !eigen.Factorize(cov, true) {
		return nil
	}
	values := eigen.Values(nil) // rising
	var vectors mat.Dense
	eigen.VectorsTo(&vectors)
	var out [][2]*Model
	for k := nodes - 1; k >= nodes-mostWays; k-- {
		by := OfRange * math.Sqrt(max(0, values[k]))
		shift := func(sign float64) *Model {
			s := *m
			s.Envelope = slices.Clone(m.Envelope)
			for i := range s.Envelope {
				node, x := at(s.Envelope[i].SoCPct)
				s.Envelope[i].PackKW *= math.Exp(sign * by * ((1-x)*vectors.At(node, k) + x*vectors.At(node+1, k)))
			}
			return &s
		}
		out = append(out, [2]*Model{shift(-1), shift(1)})
	}
	return out
}

// Used lists what stands in for what a car does not note, as far as its runs taught it.
func (m *Model) Used(noted *run.Car) []pack.Assumption {
	if m == nil {
		return nil
	}
	var out []pack.Assumption
	from := say.T("vehicle.runs-showed", len(m.Runs))
	if len(m.Runs) == 1 {
		from = say.T("vehicle.run-showed")
	}
	if m.Draws(noted) {
		best := 0.0
		for _, p := range m.Envelope {
			best = max(best, p.Value)
		}
		out = append(out, pack.Assumption{What: say.T("vehicle.power-against-charge"), Value: say.T("vehicle.kw",
			say.Fig(best, 0)),
			From: from})
	}
	var car run.Car
	if noted != nil {
		car = *noted
	}
	if car.UsableKWh == nil && m.RestKWh != nil {
		out = append(out, pack.Assumption{What: say.T("vehicle.usable-capacity"), Value: say.T("vehicle.kwh",
			say.Fixed(*m.RestKWh, 1)), From: from})
	}
	if car.WarmC == nil && m.WarmC != nil {
		out = append(out, pack.Assumption{What: say.T("vehicle.warm-from"), Value: say.T("vehicle.at", say.Q(*m.WarmC,
			"°C", 0)), From: from})
	}
	for _, l := range []struct {
		noted, learned run.Number
		unit           string
	}{{car.MaxKW, m.MaxKW, "kW"}, {car.MaxA, m.MaxA, "A"}} {
		if l.noted == nil && l.learned != nil {
			out = append(out, pack.Assumption{What: say.T("vehicle.its-own-limit"), Value: say.T("vehicle.at",
				say.Q(*l.learned, l.unit, 0)),
				From: from})
		}
	}
	return out
}

// WarmSDK is how far off it may be from which temperature the pack is warm, one standard deviation in K.
func (m *Model) WarmSDK() float64 { return m.warmSDK }
