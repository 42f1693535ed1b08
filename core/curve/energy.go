package curve

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// capacityFloorPct is the least state of charge a run must gain before its
// energy says anything about the pack's capacity.
const capacityFloorPct = 20.0

// energy works out what each side measured, by the trapezoid rule over its
// readings while charging, and the loss between them over the time both cover:
// (stall - car) / stall.
func (s *sides) energy(plug float64) Energy {
	var e Energy
	car, stall := s.power[trace.CarSide], s.power[trace.StallSide]
	carSpan, stallSpan := s.session(car, plug), s.session(stall, plug)
	e.CarKWh, e.StallKWh = kwh(car, carSpan), kwh(stall, stallSpan)
	if e.CarKWh != nil && e.StallKWh != nil {
		both := trace.Span{From: math.Max(carSpan.From, stallSpan.From), To: math.Min(carSpan.To, stallSpan.To)}
		if in := stall.Integral(both.From, both.To); in > 0 {
			e.LossPct = ptr((in - car.Integral(both.From, both.To)) / in * 100)
		}
	}
	if head := s.power[s.headline()]; head.Len() > 1 {
		bridged := 0.0
		for _, g := range s.gaps(head, s.session(head, plug), 0) {
			bridged += g.Len()
		}
		e.BridgedS = &bridged
	}
	return e
}

func kwh(p trace.Series, span trace.Span) *float64 {
	if p.Len() < 2 || !(span.From < span.To) {
		return nil
	}
	return ptr(units.KWhFromKJ(p.Integral(span.From, span.To)))
}

// gaps lists the gaps of a power series inside a span, from zero.
func (s *sides) gaps(p trace.Series, span trace.Span, zero float64) []trace.Span {
	out := []trace.Span{}
	for _, g := range trace.GapsOver(p.T, s.gapLimit(p.T)) {
		g = trace.Span{From: math.Max(g.From, span.From) - zero, To: math.Min(g.To, span.To) - zero}
		if g.From < g.To {
			out = append(out, g)
		}
	}
	return out
}

// capacity works out the usable capacity from car-side energy over the state of
// charge gained, and the stall's energy for 100 % likewise. Both need 20 points.
//
// The interval takes the state of charge as read to within half its resolution
// at either end, and the car's power to within its tolerance.
func (s *sides) capacity(plug float64) (usable *Interval, delivered *float64) {
	if e, gained, ok := s.gain(trace.CarSide, plug); ok {
		usable = &Interval{Value: e / gained * 100, Low: e * (1 - s.tolerance/100) / (gained + s.socRes) * 100}
		if gained > s.socRes {
			usable.High = ptr(e * (1 + s.tolerance/100) / (gained - s.socRes) * 100)
		}
	}
	if e, gained, ok := s.gain(trace.StallSide, plug); ok {
		delivered = ptr(e / gained * 100)
	}
	return usable, delivered
}

// gain gives a side's energy in kWh and the points of SoC gained with it, and
// false where fewer than 20 points are covered.
func (s *sides) gain(side trace.Side, plug float64) (e, gained float64, ok bool) {
	p, soc := s.power[side], s.charging(plug)
	if p.Len() < 2 || soc.Len() < 2 {
		return 0, 0, false
	}
	span := s.session(p, plug)
	from := math.Max(span.From, soc.Span().From)
	to := math.Min(span.To, soc.Span().To)
	a, ok1 := soc.At(from)
	b, ok2 := soc.At(to)
	if !ok1 || !ok2 || b-a < capacityFloorPct {
		return 0, 0, false
	}
	return units.KWhFromKJ(p.Integral(from, to)), b - a, true
}

// legs lists the stretches between a plug-in and its unplug in which power
// flowed. Where a mark is missing, first or last power stands for it.
func (s *sides) legs(p trace.Series, zero float64) []Leg {
	var spans []trace.Span
	from, open := math.Inf(-1), !s.beginsWithPlugIn()
	ending := func(to float64) {
		part := cut(p, trace.Span{From: from, To: to})
		first, ok := firstPower(part)
		if !open || !ok {
			return
		}
		last, _ := lastPower(part)
		span := trace.Span{From: from, To: to}
		if math.IsInf(from, -1) {
			span.From = first
		}
		if math.IsInf(to, 1) {
			span.To = last
		}
		spans = append(spans, span)
	}
	for _, m := range s.marks {
		switch m.Kind {
		case run.PlugIn:
			ending(m.TS)
			from, open = m.TS, true
		case run.Unplug:
			ending(m.TS)
			open = false
		}
	}
	ending(math.Inf(1))

	out := []Leg{}
	for _, span := range spans {
		out = append(out, Leg{
			FromS: span.From - zero, ToS: span.To - zero,
			FromPct: s.socAt(span.From), ToPct: s.socAt(span.To),
			EnergyKWh: kwh(p, trace.Span{From: math.Max(span.From, p.T[0]), To: math.Min(span.To, p.T[p.Len()-1])}),
		})
	}
	return out
}

// beginsWithPlugIn tells whether the first of the plug marks is a plug-in; what
// flowed before it (regeneration on the way) is then no leg.
func (s *sides) beginsWithPlugIn() bool {
	for _, m := range s.marks {
		if m.Kind == run.PlugIn || m.Kind == run.Unplug {
			return m.Kind == run.PlugIn
		}
	}
	return false
}

// notes says of each recording how much it holds. Gaps and spikes are those of
// its power where it has any.
func (s *sides) notes(r *run.Run) []RecordingNote {
	out := []RecordingNote{}
	for i, rec := range s.recordings {
		t := rec.T
		if s.each[i].Len() > 0 {
			t = s.each[i].T
		}
		spikes, _ := trace.Spikes(s.each[i])
		out = append(out, RecordingNote{
			File: rec.Name, Readings: rec.Len(), ClockOffsetS: r.Recordings[i].ClockOffsetS,
			Gaps: len(trace.GapsOver(t, s.gapLimit(t))), Spikes: len(spikes),
		})
	}
	return out
}

// temperatures gives the outside temperature at plug-in and the pack's at plug-in
// and at the end, where they were logged.
func (s *sides) temperatures(plug float64) (ambient *float64, battery *Battery) {
	for _, rec := range s.recordings {
		if a := rec.Series(trace.AmbientTemp); ambient == nil && a.Len() > 0 {
			ambient = ptr(nearest(a, plug))
		}
	}
	for _, c := range []trace.Channel{trace.BatteryTempMin, trace.BatteryTemp} {
		for _, rec := range s.recordings {
			if b := rec.Series(c); battery == nil && b.Len() > 0 {
				battery = &Battery{nearest(b, plug), b.V[b.Len()-1], c == trace.BatteryTempMin}
			}
		}
	}
	return ambient, battery
}

// nearest gives the value on the joined line, or at its nearer end.
func nearest(s trace.Series, t float64) float64 {
	if v, ok := s.At(t); ok {
		return v
	}
	if t < s.T[0] {
		return s.V[0]
	}
	return s.V[s.Len()-1]
}

// socSpan gives the state of charge at plug-in and the highest after it.
func (s *sides) socSpan(plug float64) *SoCSpan {
	soc := s.charging(plug)
	if soc.Len() == 0 {
		return nil
	}
	return &SoCSpan{nearest(soc, plug), soc.V[soc.Max()]}
}
