// Package curve works out the figures of a run: posts, windows, peak, ramp,
// energy, losses, capacity and legs, each for a clock and a side, and says in
// sentences what they mean.
//
// The definitions are those of docs/definitions.md. Same input, same output.
package curve

import (
	"math"
	"slices"
	"sort"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// Version is the version of the arithmetic. Results kept elsewhere carry it and
// are worked out anew when it changes.
const Version = 4

// PowerFloorKW is the power from which a car counts as charging.
const PowerFloorKW = 1.0

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
	each       []trace.Series     // their power
	power      map[trace.Side]trace.Series
	soc        trace.Series
	socRes     float64
	tolerance  float64 // of car-side power, percent
	marks      []run.Mark
	medians    map[*float64]float64 // median interval of a series, by its first time
}

func prepare(r *run.Run) *sides {
	s := &sides{medians: map[*float64]float64{}, power: map[trace.Side]trace.Series{}, tolerance: 2}
	power := map[trace.Side][]trace.Series{}
	soc := map[trace.Side][]trace.Series{}
	res := map[trace.Side]float64{}
	tolerance := 0.0
	least := lone(r)
	for _, rec := range r.Recordings {
		on := rec.OnRunClock()
		s.recordings = append(s.recordings, on)
		p := on.PowerSeries()
		s.each = append(s.each, p)
		power[rec.Side] = append(power[rec.Side], p)
		if series := on.Series(trace.SoC); series.Len() > least {
			soc[rec.Side] = append(soc[rec.Side], series)
			res[rec.Side] = math.Max(res[rec.Side], on.Resolution())
		}
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
	s.soc, s.socRes = trace.Join(soc[trace.CarSide]...), res[trace.CarSide]
	if s.soc.Len() == 0 {
		s.soc, s.socRes = trace.Join(soc[trace.StallSide]...), res[trace.StallSide]
	}
	s.marks = slices.Clone(r.Marks)
	slices.SortStableFunc(s.marks, func(a, b run.Mark) int {
		switch {
		case a.TS < b.TS:
			return -1
		case a.TS > b.TS:
			return 1
		}
		return 0
	})
	return s
}

// lone is 1 where some recording has more than one reading of the state of charge:
// one with a single reading, such as a note of the display at the end, then does
// not stand for its side. Else it is 0.
func lone(r *run.Run) int {
	for _, rec := range r.Recordings {
		n := 0
		for _, v := range rec.Columns[trace.SoC] {
			if !math.IsNaN(v) {
				n++
			}
		}
		if n > 1 {
			return 1
		}
	}
	return 0
}

// interval gives the median interval of readings at these times, worked out once.
func (s *sides) interval(t []float64) float64 {
	if len(t) == 0 {
		return 0
	}
	m, known := s.medians[&t[0]]
	if !known {
		m = trace.MedianInterval(t)
		s.medians[&t[0]] = m
	}
	return m
}

func (s *sides) gapLimit(t []float64) float64 {
	return trace.GapLimitFor(s.interval(t))
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

// plugZero is the first plug-in mark that led to power, else the earliest reading.
// A plug-in leads to power when a reading of either side reaches 1 kW before the
// next plug-in or unplug.
func (s *sides) plugZero() (float64, bool) {
	for i, m := range s.marks {
		if m.Kind != run.PlugIn {
			continue
		}
		until := math.Inf(1)
		for _, n := range s.marks[i+1:] {
			if n.Kind == run.PlugIn || n.Kind == run.Unplug {
				until = n.TS
				break
			}
		}
		for _, p := range s.power {
			if t, ok := firstPower(p.From(m.TS)); ok && t < until {
				return m.TS, true
			}
		}
	}
	return s.earliest()
}

// firstPower gives the time of the first reading at or above 1 kW.
func firstPower(p trace.Series) (float64, bool) {
	for i, v := range p.V {
		if v >= PowerFloorKW {
			return p.T[i], true
		}
	}
	return 0, false
}

// lastPower gives the time of the last reading at or above 1 kW.
func lastPower(p trace.Series) (float64, bool) {
	for i := p.Len() - 1; i >= 0; i-- {
		if p.V[i] >= PowerFloorKW {
			return p.T[i], true
		}
	}
	return 0, false
}

// session gives the part of a power series that belongs to charging: from clock
// zero to the last unplug, or to the end where the plug went in again after it and
// power flowed. Where a mark came late or early and power already or
// still flowed, that power belongs to it too. What the pack gave or took on the
// road before and after does not.
func (s *sides) session(p trace.Series, zero float64) trace.Span {
	span := p.Span()
	if p.Len() == 0 {
		return span
	}
	from, to := zero, span.To
	i := sort.Search(p.Len(), func(i int) bool { return p.T[i] > zero }) - 1
	for ; i >= 0 && p.V[i] >= PowerFloorKW; i-- {
		from = p.T[max(i-1, 0)]
	}
	for k := len(s.marks) - 1; k >= 0; k-- {
		m := s.marks[k]
		if m.Kind == run.PlugIn {
			if _, powered := firstPower(p.From(m.TS)); powered {
				break // this leg's unplug is not marked
			}
		}
		if m.Kind != run.Unplug {
			continue
		}
		to = m.TS
		j := sort.SearchFloat64s(p.T, to)
		for ; j < p.Len() && p.V[j] >= PowerFloorKW; j++ {
			to = p.T[min(j+1, p.Len()-1)]
		}
		break
	}
	return trace.Span{From: math.Max(span.From, from), To: math.Min(span.To, to)}
}

// Read works out a run's figures. A run without readings gives empty ones.
func Read(r *run.Run, o Options) *Reading {
	return prepare(r).read(r, o)
}

// ReadAll works out the figures for every clock and every side that has power,
// going through the readings once. The first is the run's own choice.
func ReadAll(r *run.Run) []*Reading {
	s := prepare(r)
	head := s.read(r, Options{})
	out := []*Reading{head}
	for _, clock := range []Clock{PlugClock, PowerClock} {
		for _, side := range []trace.Side{trace.StallSide, trace.CarSide} {
			if (clock != head.Clock || side != head.Side) && s.power[side].Len() > 0 {
				out = append(out, s.read(r, Options{clock, side}))
			}
		}
	}
	return out
}

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
	power := s.power[o.Side]
	zero := plug
	if o.Clock == PowerClock {
		// The clock starts with the headline side's power, whichever side is read.
		if t, ok := firstPower(s.power[s.headline()].From(s.session(s.power[s.headline()], plug).From)); ok {
			zero = t
		}
	}
	out.ZeroS, out.HeadlineSide = zero, s.headline()
	span := s.session(power, plug)
	out.FirstPower, _ = firstPower(cut(power, span))
	clean := trace.WithoutUpwardSpikes(cut(power, span))

	posts, at := s.posts(r.Method, plug, zero)
	out.Posts = posts
	out.Windows = windows(r.Method, at, power, zero)
	out.Peak = s.peak(clean, s.gapLimit(power.T), zero)
	out.RampS = ramp(clean)
	out.Energy = s.energy(plug)
	out.Gaps = s.gaps(power, span, zero)
	out.Usable, out.DeliveredPer100KWh = s.capacity(plug)
	out.Legs = s.legs(power, zero)
	out.Recordings = s.notes(r)
	out.Ambient, out.Battery = s.temperatures(plug)
	out.SoC = s.socSpan(plug)
	out.Cost = s.cost(r, plug)
	out.IntervalS = s.interval(power.T)
	if power.Len() < 2 {
		out.IntervalS = s.interval(s.soc.T)
	}
	out.Findings = findings(out, r.Method)
	return out
}

// cut gives the readings within a span, without points of its own at the ends.
func cut(s trace.Series, span trace.Span) trace.Series {
	s = s.From(span.From)
	i, found := slices.BinarySearch(s.T, span.To)
	for found && i < len(s.T) && s.T[i] == span.To {
		i++
	}
	return trace.Series{T: s.T[:i], V: s.V[:i]}
}
