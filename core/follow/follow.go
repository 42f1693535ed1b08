// Package follow says of a run under way what is happening: where it is, what seems to hold the power, when the
// next post and the end are to be expected, and whether it leaves its forecast. It learns from the run as it
// goes.
//
// Times are seconds since plug-in unless said otherwise.
//
// # What it goes by
//
// What holds the power is judged by the same code as that of a finished run (core/judge), over what has been
// read so far, so that a verdict does not change when the plug is pulled. The rest of the session is forecast
// from where the run stands, by the plan's own model, after that has been corrected by what the run has shown:
// what the pack took where the pack ruled, and what the stall gave where the stall did. Only what ruled can be
// learned: a car that was held at 150 kW by the stall has not shown that it takes no more.
//
// Between two flips of a display of whole per cents the charge is counted on by the energy, and between two
// typed readings the expectation stands as it was, with its age beside it. A figure that is old says so; it is
// never worked out anew from the clock alone, which would make a stalled session look like one that goes on.
package follow

import (
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/lineup"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Phase is what a live run is doing.
type Phase string

// The phases. Arrived is before the first plug-in; Waiting is plugged in without
// power; Between is unplugged after power.
const (
	Arrived  Phase = "arrived"
	Waiting  Phase = "waiting"
	Charging Phase = "charging"
	Between  Phase = "between"
)

// State is a run under way at one moment.
type State struct {
	Phase    Phase
	TS       float64 // since plug-in; NaN before
	PluggedS float64 // since the last plug-in; NaN when unplugged
	LostS    float64 // from the first attempt, or arrival, to the plug-in that led to power, or to now
	Attempts int
	Leg      int // from 1; 0 before the first

	SoC     Value      // as shown
	Counted float64    // SoC carried on by the energy since it was last read; NaN if not known
	countS  float64    // until when on the run's own clock
	KW      Value      // the power that is followed: the stall's, or the car's where that is left behind
	KWSide  trace.Side // whose it is
	StallKW Value
	CarKW   Value
	Amps    Value
	Volts   Value
	Coldest Value
	Warmest Value
	KWh     float64 // the headline side's so far

	RequestedKW Value // what the car asks for
	OfferedKW   Value // what the stall offers

	Holding  *Holding // nil: nothing to say of now
	LastHeld *Holding // the same, or what held when the power was read last
	Finished bool     // what was wished for is reached, and no power flows
	learnt   *Holding // LastHeld, as it is learnt from
	learntAt float64  // the state of charge then

	poweredAt float64 // first power of this leg on the run's own clock; NaN before
	Alert     *Alert  // nil: within the forecast
	Next      *Expect // the next post
	End       *Expect // where the run is to stop
	Reading   *curve.Reading
	Forecast  *forecast.Forecast // from the start of the run; nil without a car
}

// Value is the last reading of something.
type Value struct {
	V    float64 // NaN: none yet
	AgeS float64
}

// Known tells whether there is a reading.
func (v Value) Known() bool { return !math.IsNaN(v.V) }

// How long a source may say nothing while the car charges, and how old a figure may
// be before it is shown as old, in s (common practice, no source: screens lag by
// seconds, and a tester checks in every few minutes).
const (
	QuietS = 30
	oldS   = 90
)

// Old tells whether a reading is too old to be taken for the present.
func (v Value) Old() bool { return v.Known() && v.AgeS > oldS }

// Expect is a state of charge to come. HighS is NaN where it may never be reached.
type Expect struct {
	SoCPct, TS, LowS, HighS float64
}

// leastRangeS is how far apart the ends of a range are said to be at least, each way: the
// clock on the wall shows minutes.
const leastRangeS = 60

// HalfS is half of the range, a minute at least; NaN where the charge may never be reached.
func (e Expect) HalfS() float64 {
	if math.IsNaN(e.HighS) {
		return math.NaN()
	}
	return max(leastRangeS, (e.HighS-e.LowS)/2)
}

// Within gives the ends of the range, a minute either way of the expected time at least;
// the later one is NaN where the charge may never be reached.
func (e Expect) Within() (lowS, highS float64) {
	if math.IsNaN(e.HighS) {
		return e.LowS, math.NaN()
	}
	return min(e.LowS, e.TS-leastRangeS), max(e.HighS, e.TS+leastRangeS)
}

// Alert is how the run leaves its forecast.
type Alert struct {
	ByKW    float64 // actual less forecast at the same state of charge
	SinceTS float64
}

// How far power may leave the forecast before it is said: by so much, and so long.
const (
	alertKW    = 10.0
	alertShare = 0.15
	alertS     = 60.0
)

// Of says how a run stands at nowS, seconds after the run's own start. Baseline is
// its forecast as it was made before plug-in, from the state of charge at its
// start; nil where there is none. The run's recordings may end anywhere.
func Of(r *run.Run, plan forecast.Plan, baseline *forecast.Forecast, nowS float64) *State {
	return OfKnown(r, plan, judge.Elsewhere{Car: plan.Known}, baseline, nowS)
}

// OfKnown is Of where other runs taught something of car and stall, as the finished run is judged by it.
func OfKnown(r *run.Run, plan forecast.Plan, known judge.Elsewhere, baseline *forecast.Forecast, nowS float64) *State {
	s := &State{TS: math.NaN(), PluggedS: math.NaN(), poweredAt: math.NaN(), Counted: math.NaN(), countS: nowS,
		Forecast: baseline}
	r, _ = lineup.AsNoted(r).Upright()
	w := curve.OfKnown(judged(r, plan), known)
	plan = plan.AsKnown()
	x := w.Read(curve.Options{Clock: curve.PlugClock})
	s.Reading = x
	r.Marks = w.Marks() // r is a copy; the leg of a plug-in that nobody tapped counts like any other
	f := newFeeds(r, nowS)
	s.values(f)
	s.phase(r, f, nowS)
	if s.Phase == Arrived {
		return s
	}
	s.TS = nowS - s.zero(r, x)
	s.count(r, f, plan)
	if s.Phase != Charging {
		return s
	}
	s.hold(w, plan.ToPct)
	s.compare(f, baseline, x.ZeroS)
	s.expect(f, plan, s.countS-x.ZeroS)
	return s
}

// feeds are a live run's series on the run's own clock, up to now.
type feeds struct {
	now                                            float64
	soc, stallKW, carKW, amps, volts, min, max, kw trace.Series // kw: the one that is followed
	requested, offered                             trace.Series
	kwSide, ampsSide                               trace.Side
}

// newFeeds joins a run's recordings into one series a quantity, of the side that counts or, where
// that is left behind, of the other.
func newFeeds(r *run.Run, now float64) *feeds {
	f := &feeds{now: now}
	join := func(side trace.Side, c trace.Channel) trace.Series {
		var list []trace.Series
		for _, rec := range r.Recordings {
			if side == "" || rec.Side == side {
				if c == trace.Power {
					list = append(list, rec.OnRunClock().PowerSeries())
				} else {
					list = append(list, rec.OnRunClock().Series(c))
				}
			}
		}
		return trace.Join(list...)
	}
	either := func(c trace.Channel) trace.Series {
		if s := join(trace.CarSide, c); s.Len() > 0 {
			return s
		}
		return join(trace.StallSide, c)
	}
	f.soc = join(trace.CarSide, trace.SoC)
	if stall := join(trace.StallSide, trace.SoC); leftBehind(f.soc, stall) {
		f.soc = stall
	}
	f.stallKW, f.carKW = join(trace.StallSide, trace.Power), join(trace.CarSide, trace.Power)
	f.amps, f.volts = either(trace.Current), either(trace.Voltage)
	if f.ampsSide = trace.StallSide; join(trace.CarSide, trace.Current).Len() > 0 {
		f.ampsSide = trace.CarSide
	}
	f.min, f.max = either(trace.BatteryTempMin), either(trace.BatteryTempMax)
	f.requested, f.offered = either(trace.RequestedPower), either(trace.OfferedPower)
	if f.min.Len() == 0 {
		f.min = either(trace.BatteryTemp)
	}
	f.kw, f.kwSide = f.stallKW, trace.StallSide
	if leftBehind(f.stallKW, f.carKW) {
		f.kw, f.kwSide = f.carKW, trace.CarSide
	}
	return f
}

// leftBehindS is how much newer the other side's readings must be to be followed
// rather than those of the side that counts.
const leftBehindS = 60

// leftBehind tells whether the other side is to be followed: this one was never
// read, or is silent (a display that was read once, a source that was lost) while
// the other goes on.
func leftBehind(this, other trace.Series) bool {
	n, m := this.Len(), other.Len()
	return n == 0 || m > 1 && other.T[m-1] > this.T[n-1]+leftBehindS
}

func (f *feeds) last(s trace.Series) Value {
	if n := s.Len(); n > 0 {
		return Value{s.V[n-1], max(0, f.now-s.T[n-1])}
	}
	return Value{math.NaN(), math.NaN()}
}

func (s *State) values(f *feeds) {
	s.KW, s.KWSide = f.last(f.kw), f.kwSide
	s.SoC, s.StallKW, s.CarKW = f.last(f.soc), f.last(f.stallKW), f.last(f.carKW)
	s.RequestedKW, s.OfferedKW = f.last(f.requested), f.last(f.offered)
	s.Amps, s.Volts, s.Coldest, s.Warmest = f.last(f.amps), f.last(f.volts), f.last(f.min), f.last(f.max)
}

// phase reads the marks and the power.
func (s *State) phase(r *run.Run, f *feeds, now float64) {
	powered := firstPower(f.kw)
	plugged := math.NaN() // the plug is in since
	for i, m := range r.Marks {
		switch m.Kind {
		case run.PlugIn:
			plugged = m.TS
			s.Leg++
		case run.Unplug:
			plugged = math.NaN()
		case run.Attempt:
			if !math.IsNaN(plugged) { // that plug-in was none
				s.Leg--
			}
			plugged = math.NaN()
			if !math.IsNaN(firstPower(upTo(f.kw.From(m.TS), r.Marks[i+1:]))) {
				plugged = m.TS // started again without unplugging
				s.Leg++
			}
		}
	}
	until := now
	if !math.IsNaN(powered) {
		until = s.Reading.ZeroS
	}
	s.Attempts, s.LostS = run.Lost(r.Marks, until)
	switch {
	case !math.IsNaN(plugged):
		s.PluggedS = now - plugged
		if s.Phase = Waiting; firstPower(f.kw.From(plugged)) >= plugged {
			s.Phase, s.poweredAt = Charging, firstPower(f.kw.From(plugged))
		}
	case math.IsNaN(powered):
		s.Phase = Arrived
	case s.Leg == 0: // power without a mark: the logger was there first
		s.Phase, s.PluggedS, s.Leg, s.poweredAt = Charging, now-powered, 1, powered
	default:
		s.Phase = Between
	}
}

// upTo gives a series to the next plug-in or attempt.
func upTo(p trace.Series, marks []run.Mark) trace.Series {
	for _, m := range marks {
		if m.Kind == run.PlugIn || m.Kind == run.Attempt {
			n, _ := slices.BinarySearch(p.T, m.TS)
			return trace.Series{T: p.T[:n], V: p.V[:n]}
		}
	}
	return p
}

// firstPower is the time of the first reading that counts as charging; NaN if none.
func firstPower(p trace.Series) float64 {
	for i, v := range p.V {
		if v >= curve.PowerFloorKW {
			return p.T[i]
		}
	}
	return math.NaN()
}

// zero is clock zero on the run's own clock: the reading's, or while there is no
// power yet the last plug-in.
func (s *State) zero(r *run.Run, x *curve.Reading) float64 {
	if s.Phase == Charging || s.Phase == Between {
		return x.ZeroS
	}
	for i := len(r.Marks) - 1; i >= 0; i-- {
		if r.Marks[i].Kind == run.PlugIn {
			return r.Marks[i].TS
		}
	}
	return x.ZeroS
}

// loggedS is the time between readings of a log, at most.
const loggedS = 10

// carryS is how long a power that was read once is taken to go on.
const carryS = 120

// count carries the state of charge on from its last change by the energy since.
func (s *State) count(r *run.Run, f *feeds, plan forecast.Plan) {
	if e := s.Reading.Energy; s.Reading.HeadlineSide == trace.StallSide && e.StallKWh != nil {
		s.KWh = *e.StallKWh
	} else if e.CarKWh != nil {
		s.KWh = *e.CarKWh
	}
	n := f.soc.Len()
	if n == 0 || plan.Car == nil {
		return
	}
	b, err := pack.For(plan.Car)
	if err != nil {
		return
	}
	flip := n - 1
	for flip > 0 && f.soc.V[flip-1] == f.soc.V[n-1] {
		flip--
	}
	at := f.soc.T[flip]
	if flip > 0 && at-f.soc.T[flip-1] <= loggedS { // it changed between two readings of a log
		at = (at + f.soc.T[flip-1]) / 2
	}
	kwh := f.kw.Integral(at, f.now) / 3600
	s.countS = max(at, f.soc.T[n-1])
	if last := f.last(f.kw); last.Known() {
		s.countS = max(s.countS, f.now-last.AgeS)
		if s.Phase == Charging { // the power that was read last goes on for a while
			carried := min(last.AgeS, carryS)
			kwh += last.V * carried / 3600
			s.countS = max(s.countS, f.now-last.AgeS+carried)
		}
	}
	s.countS = min(s.countS, f.now)
	share := 1.0
	if f.kwSide == trace.StallSide {
		share = judge.PackShare
	}
	s.Counted = min(100, f.soc.V[n-1]+kwh*share/b.UsableKWh*100)
}
