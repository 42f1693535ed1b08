// Package curve works out the figures of a run: posts, windows, peak, ramp, energy, losses, capacity and legs,
// each for a clock and a side, and says in sentences what they mean.
//
// The definitions are those of docs/definitions.md. Same input, same output.
//
// # How a run is read
//
// First everything that clocks and sides share (prepare): recordings are lined up (core/lineup), times far
// outside the log's rhythm left out, the recordings of one side joined into one series a quantity, marks put in
// order, and the run split into legs, from each plug-in that led to power to its unplug. What lies outside of a
// leg is the approach or a pause, whatever stands in a recording there: regenerated energy on the way to the
// stall is none that was charged.
//
// Then a side's power in each leg from first power on (flow), and the state of charge of all legs as one line.
// Each figure is worked out of those, and of nothing that another figure rounded. Which side counts is settled
// once for all of them: the stall's where it was read, since that is what was paid for and what the car cannot
// colour; but what is in the pack goes by the car's.
//
// Two clocks, because testers keep two: from plug-in is what somebody waits for, from first power what the car
// does. Which one a figure is of is part of it and never mixed.
//
// A figure that the readings do not speak for is nil, not nought: a window of which a side's readings leave
// more than half a minute out has its time, and no energy. Where readings are fine in time but coarse in value
// (whole per cents, whole kW) the figure carries the range that this leaves.
package curve

import (
	"cmp"
	"math"
	"reflect"
	"slices"
	"sync"

	"zincroad/core/health"
	"zincroad/core/judge"
	"zincroad/core/lineup"
	"zincroad/core/parallel"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// Version is the version of the arithmetic. Results kept elsewhere carry it and
// are worked out anew when it changes.
const Version = 25

// PowerFloorKW is the power from which a car counts as charging.
const PowerFloorKW = run.PowerFloorKW

// Clock says from when a run's times are counted.
type Clock string

// The two clocks.
const (
	PlugClock  Clock = "plug"
	PowerClock Clock = "power"
)

// Options choose the clock and the side; the zero value takes the method's clock
// (plug-in where it has none) and the headline side.
type Options struct {
	Clock Clock
	Side  trace.Side
}

// sides holds everything that both clocks and both sides share, so that a run is
// gone through once.
type sides struct {
	recordings []*trace.Recording // on the run's clock, in order of time
	clocks     []lineup.Clock     // what laid them there
	each       []trace.Series     // their power
	power      map[trace.Side]trace.Series
	marks      []run.Mark            // in order of time, with what nobody marked and the power shows
	proposed   []health.MarkProposal // marks that nobody made
	legs       []leg                 // at least one
	flows      map[trace.Side][]flow
	interval   map[trace.Side]float64 // median interval of a side's power while charging
	channels   sync.Map               // by channelOf: what joined has joined
	soc        trace.Series           // while charging
	approach   trace.Series           // state of charge before the first plug-in
	socRes     float64
	health     func() []health.Report // how good each recording is; looked through once, when it is asked for
	tolerance  float64                // of car-side power, percent
	broken     []breach               // where a recording does not go on as it seems to
	stallAC    *meterAC               // nil: the stall's meter is where it should be
	ratedKW    float64                // the stall's label; NaN: not noted
	socSide    trace.Side             // whose the state of charge is, where one side's counts alone

	elsewhere judge.Elsewhere // what other runs taught of car and stall
	judged    sync.Once       // what held it down is found once
	judgement *judge.Judgement
}

// prepare lays a run's recordings on its clock and finds everything that clocks and sides share,
// so that the readings are gone through once however many figures are asked for.
func prepare(r *run.Run) *sides {
	s := &sides{ratedKW: ratedOf(r), power: map[trace.Side]trace.Series{}, flows: map[trace.Side][]flow{},
		interval:  map[trace.Side]float64{},
		tolerance: 2}
	power := map[trace.Side][]trace.Series{}
	tolerance := 0.0
	r, turned := r.Upright()
	s.clocks = lineup.Settle(r)
	for i, rec := range r.Recordings {
		on := s.clocks[i].Apply(rec.Without(trace.Outlying(rec.T)))
		if s.clocks[i].NotOneSession { // it stands apart, and enters no figure
			on.T, on.Columns = nil, nil
		}
		s.recordings = append(s.recordings, on)
		p := on.PowerSeries()
		s.each = append(s.each, p)
		power[rec.Side] = append(power[rec.Side], p)
		if rec.Side == trace.CarSide {
			tolerance = math.Max(tolerance, rec.PowerTolerancePct)
		}
	}
	if tolerance > 0 {
		s.tolerance = tolerance
	}
	for side, list := range power {
		if p := trace.Join(list...); p.Len() > 0 {
			s.power[side] = p
		}
	}
	s.dropStale()
	s.marks = slices.Clone(r.Marks)
	slices.SortStableFunc(s.marks, func(a, b run.Mark) int { return cmp.Compare(a.TS, b.TS) })
	s.inferPlug()
	s.legs = s.legsOf()
	steps := make([]float64, len(r.Recordings))
	parallel.Do(func() {
		soc := map[trace.Side][]trace.Series{}
		res := map[trace.Side]float64{}
		for i, on := range s.recordings {
			if series := on.Series(trace.SoC); series.Len() > 0 {
				steps[i] = on.Resolution()
				soc[on.Side] = append(soc[on.Side], health.Without(series, health.SoCSpikes(series, steps[i])))
				res[on.Side] = math.Max(res[on.Side], steps[i])
			}
		}
		s.chooseSoC(soc, res)
	}, func() {
		for side, p := range s.power {
			s.interval[side] = s.medianInterval(p)
			s.flows[side] = s.flowsOf(side)
		}
	})
	s.findBreaches(r.Recordings)
	s.health = sync.OnceValue(func() []health.Report {
		out := make([]health.Report, len(r.Recordings))
		for i, rec := range r.Recordings {
			known := *rec
			known.SoCResolutionPct = steps[i] // worked out once: it takes a pass
			out[i] = health.Check(&known, s.chargingOf(i))
			out[i].NoteTurned(rec, turned[i])
			s.noteBreaches(i, rec, &out[i])
		}
		return out
	})
	return s
}

// headline is the stall's side where its power was recorded, else the car's.
func (s *sides) headline() trace.Side {
	if s.power[trace.StallSide].Len() > 0 {
		return trace.StallSide
	}
	return trace.CarSide
}

// earliest gives the time of the earliest reading of any recording.
func (s *sides) earliest() (float64, bool) {
	t := math.Inf(1)
	for _, rec := range s.recordings {
		if len(rec.T) > 0 {
			t = math.Min(t, rec.T[0])
		}
	}
	return t, !math.IsInf(t, 1)
}

// Work is a run laid on one clock, from which any figure can be had without going through the
// readings again.
type Work struct {
	run *run.Run
	*sides
}

// Of lays a run on one clock.
func Of(r *run.Run) Work { return OfKnown(r, judge.Elsewhere{}) }

// OfKnown is Of for a run of whose car and stall other runs have taught something.
func OfKnown(r *run.Run, e judge.Elsewhere) Work {
	s := prepare(r)
	s.elsewhere = e
	return Work{r, s}
}

// Read works out a run's figures. A run without readings gives empty ones.
func Read(r *run.Run, o Options) *Reading { return Of(r).Read(o) }

// ReadAll is Work.ReadAll of a run.
func ReadAll(r *run.Run) []*Reading { return Of(r).ReadAll() }

// Reduce is Work.Reduce of a run.
func Reduce(r *run.Run, n int) map[trace.Side]trace.Reduced { return Of(r).Reduce(n) }

// Read works out the figures of one clock and one side. A run without readings gives empty ones.
func (w Work) Read(o Options) *Reading { return w.read(w.run, o) }

// ReadAll works out the figures for every clock and every side that has power. The first is the
// run's own choice.
func (w Work) ReadAll() []*Reading {
	head := w.Read(Options{})
	out := []*Reading{head}
	for _, clock := range []Clock{PlugClock, PowerClock} {
		for _, side := range []trace.Side{trace.StallSide, trace.CarSide} {
			if (clock != head.Clock || side != head.Side) && w.power[side].Len() > 0 {
				out = append(out, w.Read(Options{clock, side}))
			}
		}
	}
	return out
}

// read works the figures of one clock and one side out. The zero of the clock is the first thing
// found, since every other time counts from it.
func (s *sides) read(r *run.Run, o Options) *Reading {
	if o.Clock == "" && r.Method != nil {
		o.Clock = Clock(r.Method.Clock)
	}
	if o.Clock == "" {
		o.Clock = PlugClock
	}
	if o.Side == "" {
		o.Side = s.headline()
	}
	out := newReading(o)
	plug, ok := s.plugZero()
	if !ok {
		return out
	}
	flows := s.flows[o.Side]
	zero := plug
	if head := s.flows[s.headline()]; o.Clock == PowerClock && len(head) > 0 {
		// The clock starts with the headline side's power, whichever side is read.
		zero = head[0].firstS
	}
	out.ZeroS, out.HeadlineSide = zero, s.headline()
	if len(flows) > 0 {
		out.FirstPower = flows[0].firstS
	}

	// What goes through every reading, side by side; each fills in figures of its own.
	parallel.Do(func() {
		at := s.reached(listedWith(r.Method), zero)
		out.Posts = s.posts(r.Method, at, flows, zero)
		out.Energy = s.energy()
		out.Gaps = s.gaps(o.Side, zero)
		out.Usable, out.DeliveredPer100KWh = s.capacity()
		out.Legs = s.listLegs(flows, zero)
		out.Screen = s.screen()
		out.Windows, out.Implausible = s.windows(r, at, flows, zero)
	}, func() {
		out.Losses, out.Asked = s.losses(), s.asked(zero)
		out.Ambient, out.Battery = s.temperatures(plug)
		out.SoC = s.socSpan()
		out.Pack = s.packOf(r.Car, out.Battery)
	}, func() {
		out.Ceilings = s.ceilings(r, zero)
	}, func() {
		out.Peak = s.peak(flows, o.Side, zero)
		out.RampS = ramp(flows)
	}, func() {
		out.Plateaus, out.Cliffs = s.plateaus(flows, zero), s.cliffs(flows, zero)
	}, func() {
		out.MarkProposals = s.proposed
		out.Recordings = s.notes(r)
	})
	out.Pace = s.paceOf(r, out)
	out.Cost = s.cost(r, out.Screen)
	out.Claims, out.Distance = s.claims(r, out), s.distances(r, out)
	out.IntervalS = s.interval[o.Side]
	if s.power[o.Side].Len() < 2 {
		out.IntervalS = trace.MedianInterval(s.soc.T)
	}
	out.Approach = s.approachOf(zero, r.Marks)
	finite(reflect.ValueOf(out).Elem()) // sentences are made of numbers alone
	out.Findings = s.findings(out, r)
	finite(reflect.ValueOf(&out.Findings).Elem())
	for i := range out.Findings {
		if out.Findings[i].Evidence == nil {
			out.Findings[i].Evidence = []say.Text{}
		}
	}
	return out
}
