package curve

import (
	"math"
	"slices"
	"sync"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// Charging is from plug-in to unplug, leg by leg. What was read before the first
// plug-in is the approach; between an unplug and the next plug-in nothing flows,
// whatever stands in a recording there.

// leg is the time between a plug-in and its unplug on the run's own clock, in s.
type leg struct {
	from   float64 // the plug-in, or the failed start behind it; -Inf where it is not marked
	to     float64 // the unplug; +Inf where the run ends without one
	offS   float64 // from here on nothing flowed: the stop behind which no power was read, else to
	powerS float64 // first power of either side; NaN where the run has no power at all
	lastS  float64 // the last, of either side
}

func (l leg) span() trace.Span { return trace.Span{From: l.from, To: l.to} }

// legsOf splits a run by its marks, which are in order of time. A plug-in counts
// where power of either side followed before the next plug-in or unplug. Without a
// plug-in that counts the whole recording is one leg.
func (s *sides) legsOf() []leg {
	var legs []leg
	from, open := math.Inf(-1), !s.beginsWithPlugIn()
	ending := func(to float64, unplugged bool) {
		if !open {
			return
		}
		l := leg{from: from, to: to, powerS: math.NaN()}
		if s.hasPower() {
			if l.powerS, l.lastS = s.powered(l.span()); math.IsNaN(l.powerS) {
				return
			}
			if !unplugged && !math.IsInf(to, 1) {
				l.to = l.lastS // the next plug-in proves an unplug that nobody marked
			}
		}
		l.offS = s.stopped(l)
		legs = append(legs, l)
	}
	for _, m := range s.marks {
		switch m.Kind {
		case run.PlugIn:
			ending(m.TS, false)
			from, open = m.TS, true
		case run.Unplug:
			ending(m.TS, true)
			open = false
		case run.Attempt:
			if p, _ := s.powered(trace.Span{From: from, To: m.TS}); open && math.IsNaN(p) && !math.IsInf(from, -1) {
				from = m.TS // plugged in, refused, and started again without unplugging
			}
		}
	}
	ending(math.Inf(1), false)
	if len(legs) == 0 {
		whole := leg{from: math.Inf(-1), to: math.Inf(1), offS: math.Inf(1)}
		whole.powerS, whole.lastS = s.powered(whole.span())
		legs = append(legs, whole)
	}
	return legs
}

// beginsWithPlugIn tells whether the first of the plug marks is a plug-in; what
// flowed before it (regeneration on the way) is then no leg. An unplug that comes
// first proves a plug-in that nobody marked.
func (s *sides) beginsWithPlugIn() bool {
	for _, m := range s.marks {
		if m.Kind == run.PlugIn || m.Kind == run.Unplug {
			return m.Kind == run.PlugIn
		}
	}
	return false
}

// dropStale takes readings of no power out of a side that was seldom looked at where the other one, read all the time,
// shows power before and after: a screen that had moved on, or a nought that was noted for nothing.
func (s *sides) dropStale() {
	for side, p := range s.power {
		other := s.power[otherSide(side)]
		if other.Len() < denser*p.Len() {
			continue
		}
		limit := trace.GapLimit(other.T)
		kept := trace.Series{}
		for i, t := range p.T {
			around := cut(other, trace.Span{From: t - math.Max(staleS, limit), To: t + math.Max(staleS, limit)})
			flows := around.Len() > 0 && around.T[0] <= t-staleS && around.T[around.Len()-1] >= t+staleS &&
				!slices.ContainsFunc(around.V, func(v float64) bool { return v < PowerFloorKW })
			if p.V[i] < PowerFloorKW && flows {
				continue
			}
			kept.T, kept.V = append(kept.T, t), append(kept.V, p.V[i])
		}
		if kept.Len() < p.Len() {
			s.power[side] = kept
		}
	}
}

func otherSide(side trace.Side) trace.Side {
	if side == trace.CarSide {
		return trace.StallSide
	}
	return trace.CarSide
}

func (s *sides) hasPower() bool {
	return s.power[trace.CarSide].Len() > 0 || s.power[trace.StallSide].Len() > 0
}

// powered gives the first and the last reading at or above 1 kW of either side
// within a span; NaN where there is none.
func (s *sides) powered(span trace.Span) (first, last float64) {
	first, last = math.NaN(), math.NaN()
	for _, p := range s.power {
		part := cut(p, span)
		if t, _, ok := s.firstFlow(part); ok && !(first <= t) {
			first = t
		}
		if t, ok := lastPower(part); ok && !(last >= t) {
			last = t
		}
	}
	return first, last
}

// stopped gives the time from which nothing flowed in a leg.
func (s *sides) stopped(l leg) float64 {
	_, last := s.powered(l.span())
	for _, m := range s.marks {
		if m.Kind == run.Stop && m.TS >= l.from && m.TS <= l.to && m.TS >= last {
			return m.TS
		}
	}
	return l.to
}

// plugZero is clock zero of the run: the later of the first plug-in that led to
// power and the last attempt before that power, else the earliest reading of any
// recording. False without readings.
func (s *sides) plugZero() (float64, bool) {
	t, ok := s.earliest()
	if from := s.legs[0].from; !math.IsInf(from, -1) {
		return from, ok
	}
	for _, m := range s.marks {
		if m.Kind == run.Attempt && m.TS < s.legs[0].powerS {
			t = math.Max(t, m.TS)
		}
	}
	return t, ok
}

// firstFlow gives the time of first power in a side's power of a leg, and the first reading that belongs to it: that at
// or above 1 kW, and the one before where it is part of its slope. Where the charge rose between the two, power flowed
// between them, however far they are apart: it began where the line between them passes 1 kW.
func (s *sides) firstFlow(p trace.Series) (t float64, i int, ok bool) {
	i = slices.IndexFunc(p.V, func(v float64) bool { return v >= PowerFloorKW })
	switch {
	case i < 0:
		return 0, 0, false
	case i == 0:
		return p.T[0], 0, true
	}
	before, after := p.T[i-1], p.T[i]
	switch {
	case after-before <= slopeS:
		return after, i - 1, true
	case s.rose(before, after) && !s.elsewhereRead(before, after):
		return before + (PowerFloorKW-p.V[i-1])/(p.V[i]-p.V[i-1])*(after-before), i - 1, true
	}
	return after, i, true
}

// elsewhereRead tells whether some recording read its power several times between two times: how it came is known then,
// and is no straight line of a side that was seldom looked at.
func (s *sides) elsewhereRead(from, to float64) bool {
	return slices.ContainsFunc(s.each, func(p trace.Series) bool {
		return cut(p, trace.Span{From: from, To: to}).Len() > seldomRead
	})
}

// rose tells whether some recording's state of charge rose by its resolution or more between two times.
func (s *sides) rose(from, to float64) bool {
	for _, rec := range s.recordings {
		soc := rec.Series(trace.SoC)
		a, ok1 := soc.At(from)
		b, ok2 := soc.At(to)
		if step := rec.Resolution(); ok1 && ok2 && step > 0 && b-a >= step-1e-9 {
			return true
		}
	}
	return false
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

// flow is one side's power in one leg, from its first power on.
type flow struct {
	trace.Series              // as read; and once more where the power was cut off behind the last reading
	leg          leg          // in which it flowed
	read         int          // points of the series that were read
	calm         trace.Series // as read, without the spikes that leap upwards
	firstS       float64      // first power
	lastS        float64      // last power
	allKJ        float64      // what flowed from its first point to its last
	silent       []trace.Span // stretches without readings in which nothing flowed
}

// What of a leg's ends the readings speak for.
const (
	slopeS         = trace.TypedFromS // a reading below 1 kW so near to first power is part of its slope
	cutOffS        = trace.GapFloorS  // the last power is known to have held so long, to the stop or unplug
	cutOffInterval = 1.5              // or so many intervals of a typed recording
	seldomRead     = 3                // readings of a stretch, its ends with them, that tell no shape
	denser         = 3                // times the readings of a side another has that is believed against it
	staleS         = 10               // a screen may be so late
)

// flowsOf gives a side's power leg by leg; legs without it are left out.
func (s *sides) flowsOf(side trace.Side) []flow {
	p := s.power[side]
	var flows []flow
	for _, l := range s.legs {
		part := cut(p, l.span())
		first, i, ok := s.firstFlow(part)
		if !ok {
			continue
		}
		f := flow{Series: trace.Series{T: part.T[i:], V: part.V[i:]}, leg: l, firstS: first}
		f.lastS, _ = lastPower(f.Series)
		f.read, f.calm = f.Len(), trace.WithoutUpwardSpikes(f.Series)
		f.Series = s.cutOff(f.Series, l, side)
		f.allKJ = f.Integral(f.T[0], f.T[f.Len()-1])
		flows = append(flows, f)
	}
	return flows
}

// cutOff gives a side's power in a leg with the moment at which it was switched off,
// where it was read shortly before. It does not touch the readings themselves.
func (s *sides) cutOff(p trace.Series, l leg, side trace.Side) trace.Series {
	n := p.Len()
	within := math.Max(cutOffS, cutOffInterval*s.interval[side])
	if n == 0 || p.V[n-1] < PowerFloorKW || l.offS <= p.T[n-1] || l.offS > p.T[n-1]+within {
		return p
	}
	return trace.Series{T: slices.Concat(p.T, []float64{l.offS}), V: slices.Concat(p.V, p.V[n-1:])}
}

// flowedTo is the time to which power counts: where it was cut off, else last power.
func (f flow) flowedTo() float64 {
	if f.Len() > f.read {
		return f.T[f.Len()-1]
	}
	return f.lastS
}

// asRead gives the readings of the flow alone.
func (f flow) asRead() trace.Series { return trace.Series{T: f.T[:f.read], V: f.V[:f.read]} }

// calmToEnd is calm with the moment at which the power was cut off.
func (f flow) calmToEnd() trace.Series {
	tail := f.T[f.read:]
	switch {
	case f.calm.Len() == f.read:
		return f.Series
	case len(tail) == 0:
		return f.calm
	}
	return trace.Series{T: slices.Concat(f.calm.T, tail), V: slices.Concat(f.calm.V, f.V[f.read:])}
}

// reported is the leg as it is listed: from plug-in (or first power) to unplug (or
// last power of either side).
func (f flow) reported() trace.Span {
	span := f.leg.span()
	if math.IsInf(span.From, -1) {
		span.From = f.firstS
	}
	if math.IsInf(span.To, 1) {
		span.To = f.leg.lastS
	}
	return span
}

// integral adds up what flowed between two times, kW s.
func integral(flows []flow, from, to float64) float64 {
	sum := 0.0
	for _, f := range flows {
		sum += f.kj(from, to)
	}
	return sum
}

// kj is what flowed between two times, kJ. All of it is known without going through the readings again.
func (f flow) kj(from, to float64) float64 {
	if from <= f.T[0] && to >= f.T[f.Len()-1] {
		return f.allKJ
	}
	return f.Integral(from, to)
}

// medianInterval is a side's interval between readings of its power while charging.
func (s *sides) medianInterval(p trace.Series) float64 {
	if len(s.legs) == 1 {
		return trace.MedianInterval(cut(p, s.legs[0].span()).T)
	}
	var parts [][]float64
	for _, l := range s.legs {
		parts = append(parts, cut(p, l.span()).T)
	}
	return trace.MedianOf(parts...)
}

// joined is a channel of one side over all its recordings, as read. Several figures are made of each: it is
// joined once.
func (s *sides) joined(side trace.Side, c trace.Channel) trace.Series {
	once, _ := s.channels.LoadOrStore(channelOf{side, c}, sync.OnceValue(func() trace.Series { return s.join(side, c) }))
	return once.(func() trace.Series)()
}

// channelOf names a channel of a side.
type channelOf struct {
	side    trace.Side
	channel trace.Channel
}

func (s *sides) join(side trace.Side, c trace.Channel) trace.Series {
	var list []trace.Series
	for _, rec := range s.recordings {
		if rec.Side == side {
			list = append(list, rec.Series(c))
		}
	}
	return trace.Join(list...)
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
