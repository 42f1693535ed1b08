package curve

import (
	"math"
	"slices"
	"sort"

	"zincroad/core/health"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// capacityFloorPct is the least state of charge a run must gain before its
// energy says anything about the pack's capacity.
const capacityFloorPct = 20.0

// energy works out what each side measured, by the trapezoid rule over its
// readings while charging, leg by leg, and the loss between them over the time both
// cover: (stall - car) / stall. A stall of which only the register was read gives
// that.
func (s *sides) energy() Energy {
	var e Energy
	e.CarKWh, e.StallKWh = s.kwh(trace.CarSide), s.kwh(trace.StallSide)
	if e.StallKWh == nil || s.register() != nil && s.covered(trace.StallSide) < mostlyRead {
		if e.StallKWh = s.register(); e.StallKWh != nil && e.CarKWh != nil && *e.StallKWh > 0 &&
			s.flowsEverywhere(trace.CarSide) && s.covered(trace.CarSide) >= mostlyRead {
			e.LossPct = ptr((*e.StallKWh - *e.CarKWh) / *e.StallKWh * 100)
		}
	} else if e.CarKWh != nil {
		if e.LossPct = s.loss(); e.LossPct != nil {
			e.Both = s.shared()
		}
	}
	if head := s.headline(); s.power[head].Len() > 1 {
		bridged := 0.0
		for _, g := range s.gaps(head, 0) {
			bridged += g.Len()
		}
		e.BridgedS = &bridged
	}
	return e
}

// kwh adds a side's legs up; nil where the side has not two readings of power.
func (s *sides) kwh(side trace.Side) *float64 {
	if s.power[side].Len() < 2 {
		return nil
	}
	sum, read := 0.0, len(s.flows[side]) == 0 // nothing flowed, and that was read
	for _, f := range s.flows[side] {
		sum += f.kwh()
		read = read || f.Len() > 1
	}
	if !read {
		return nil
	}
	return &sum
}

// mostlyRead is the share of the time with power that a side's readings must cover to stand for all of it.
const mostlyRead = 0.9

// covered is the share of the time with power, by either side, that a side's readings cover.
func (s *sides) covered(side trace.Side) float64 {
	length := func(flows []flow) (sum float64) {
		for _, f := range flows {
			sum += f.lastS - f.T[0]
		}
		return sum
	}
	all := math.Max(length(s.flows[trace.CarSide]), length(s.flows[trace.StallSide]))
	if all <= 0 {
		return 1
	}
	return length(s.flows[side]) / all
}

func (f flow) kwh() float64 { return units.KWhFromKJ(f.allKJ) }

// flowsEverywhere tells whether a side has power in every leg.
func (s *sides) flowsEverywhere(side trace.Side) bool {
	return len(s.flows[side]) == len(s.legs)
}

// loss compares both sides over the time in which both were read.
func (s *sides) loss() *float64 {
	in, stored, _ := s.both()
	if in <= 0 || s.stallAC != nil || s.jumped() {
		return nil
	}
	return ptr((in - stored) / in * 100)
}

// shared is what both sides measured while both were read.
func (s *sides) shared() *Shared {
	in, stored, spans := s.both()
	out := &Shared{StallKWh: units.KWhFromKJ(in), CarKWh: units.KWhFromKJ(stored)}
	for _, x := range spans {
		out.ForS += x.Len()
	}
	return out
}

// jumped tells whether some clock jumped: the sides cannot be laid on each other then.
func (s *sides) jumped() bool {
	return slices.ContainsFunc(s.broken, func(b breach) bool { return !b.socOnly })
}

// both gives what the stall gave and what the pack took while both were read, kJ, and when that was.
func (s *sides) both() (in, stored float64, shared []trace.Span) {
	for _, a := range s.flows[trace.StallSide] {
		for _, b := range s.flows[trace.CarSide] {
			span := trace.Span{From: math.Max(a.T[0], b.T[0]), To: math.Min(a.T[a.Len()-1], b.T[b.Len()-1])}
			if span.From < span.To {
				in, stored = in+a.Integral(span.From, span.To), stored+b.Integral(span.From, span.To)
				shared = append(shared, span)
			}
		}
	}
	return in, stored, shared
}

// gaps lists the gaps of a side's power while it flowed, from zero.
func (s *sides) gaps(side trace.Side, zero float64) []trace.Span {
	out := []trace.Span{}
	for _, f := range s.flows[side] {
		for _, g := range trace.Gaps(f.asRead(), s.interval[side]) {
			out = append(out, trace.Span{From: g.From - zero, To: g.To - zero})
		}
	}
	return out
}

// capacity works out the usable capacity from car-side energy over the state of
// charge gained, and the stall's energy for 100 % likewise. Both need 20 points.
//
// The interval takes the state of charge as read to within half its resolution
// at either end, and the car's power to within its tolerance.
func (s *sides) capacity() (usable *Interval, delivered *float64) {
	if s.spans(math.Inf(-1), math.Inf(1)) != nil { // of which side of it would it be?
		return nil, nil
	}
	if e, gained := s.gain(trace.CarSide); gained >= capacityFloorPct {
		usable = &Interval{Value: e / gained * 100, Low: e * (1 - s.tolerance/100) / (gained + s.socRes) * 100}
		if gained > s.socRes {
			usable.High = ptr(e * (1 + s.tolerance/100) / (gained - s.socRes) * 100)
		}
	}
	if e, gained := s.gain(trace.StallSide); gained >= capacityFloorPct {
		delivered = ptr(e / gained * 100)
	} else if whole := s.register(); whole != nil && s.power[trace.StallSide].Len() == 0 {
		if soc := s.socSpan(); soc != nil && soc.ToPct-soc.FromPct >= capacityFloorPct {
			delivered = ptr(*whole / (soc.ToPct - soc.FromPct) * 100)
		}
	}
	return usable, delivered
}

// Change says whether a capacity that was worked out later lies above (1) or below (-1) one by more than
// the readings of both leave open; 0 where it cannot be told.
func (i Interval) Change(later Interval) int {
	switch {
	case later.High != nil && *later.High < i.Low:
		return -1
	case i.High != nil && later.Low > *i.High:
		return 1
	}
	return 0
}

// gain gives a side's energy in kWh and the points of SoC gained with it, over the
// parts of the legs in which both were read.
func (s *sides) gain(side trace.Side) (e, gained float64) {
	if s.soc.Len() < 2 {
		return 0, 0
	}
	known := s.soc.Span()
	for _, f := range s.flows[side] {
		from, to := math.Max(f.T[0], known.From), math.Min(f.T[f.Len()-1], known.To)
		a, ok1 := s.soc.At(from)
		b, ok2 := s.soc.At(to)
		if ok1 && ok2 && from < to && f.Len() > 1 {
			e, gained = e+units.KWhFromKJ(f.kj(from, to)), gained+b-a
		}
	}
	return e, gained
}

// listLegs lists the stretches between a plug-in and its unplug in which power of
// the side flowed. Where a mark is missing, first or last power stands for it.
func (s *sides) listLegs(flows []flow, zero float64) []Leg {
	out := []Leg{}
	for _, f := range flows {
		span := f.reported()
		leg := Leg{FromS: span.From - zero, ToS: span.To - zero, FromPct: s.socAt(span.From),
			FlowedToS: math.Min(span.To, math.Max(f.flowedTo(), f.leg.lastS)) - zero}
		leg.ToPct = s.endsWith(trace.Span{From: span.From, To: math.Min(span.To, f.leg.offS)})
		if f.Len() > 1 {
			leg.EnergyKWh = ptr(f.kwh())
		}
		out = append(out, leg)
	}
	return out
}

// notes says of each recording how much it holds. Gaps and spikes are those of
// its power where it has any, while charging.
func (s *sides) notes(r *run.Run) []RecordingNote {
	out := []RecordingNote{}
	healths := s.health()
	for i, rec := range s.recordings {
		read := s.each[i]
		if read.Len() == 0 {
			read = trace.Series{T: rec.T}
		}
		note := RecordingNote{File: rec.Name, Readings: r.Recordings[i].Len()}
		note.noteClock(s.clocks[i])
		if note.NotOneSession && s.jumped() {
			note.NotOneSession = false
			note.NotLinedUp = say.T("curve.a-clock-jumps-so")
		}
		note.PowerFrom = rec.PowerFrom()
		spikes, _ := trace.Spikes(s.each[i])
		note.Spikes = len(spikes) + healths[i].Count(health.Spike, trace.SoC)
		note.noteHealth(healths[i])
		interval := s.interval[rec.Side]
		whole := s.power[rec.Side]
		if read.Len() > 0 && (whole.Len() != read.Len() || &whole.T[0] != &read.T[0]) { // not all that the side has
			interval = s.medianInterval(trace.Series{T: read.T, V: read.T})
		}
		note.EveryS = interval
		for _, l := range s.legs {
			note.Gaps += len(trace.Gaps(within(read, l.span()), interval))
		}
		out = append(out, note)
	}
	return out
}

// chargingOf is the time in which the car charged on a recording's own clock: from the first
// power of any leg to the last.
func (s *sides) chargingOf(i int) trace.Span {
	from, to := math.Inf(-1), math.Inf(1)
	if l := s.legs[0]; !math.IsNaN(l.powerS) {
		from = l.powerS
	}
	if _, last := s.powered(trace.Span{From: from, To: s.legs[len(s.legs)-1].to}); !math.IsNaN(last) {
		to = last
	}
	c := s.clocks[i]
	own := func(t float64) float64 { return t*(1+c.DriftPPM/1e6) - c.OffsetS }
	return trace.Span{From: own(from), To: own(to)}
}

// within is cut for readings that may have no values.
func within(s trace.Series, span trace.Span) trace.Series {
	from := sort.SearchFloat64s(s.T, span.From)
	to := from + sort.Search(len(s.T)-from, func(i int) bool { return s.T[from+i] > span.To })
	out := trace.Series{T: s.T[from:to]}
	if len(s.V) > 0 {
		out.V = s.V[from:to]
	}
	return out
}
