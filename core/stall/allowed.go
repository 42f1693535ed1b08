package stall

import (
	"math"
	"slices"

	"zincroad/core/ceiling"
	"zincroad/core/pack"
)

// Moment is a pack at one moment and what lies between it and the stall.
type Moment struct {
	RestV, Ohm float64 // the pack's
	TakesKW    float64 // the most that the pack takes, at its terminals
	Takes      ceiling.Cause
	AuxKW      float64 // drawn beside the pack
	CableOhm   float64 // from the stall's meter to the pack's terminals, both ways

	CableA   float64       // what the stall's cable gives now; +Inf: nothing known
	Cable    ceiling.Cause // whose that is
	SharedKW float64       // what is left of a shared cabinet; +Inf: all of it
}

// Moment is the stall's limits as they are rated, for a pack with nothing beside it.
func (l *Limits) Moment(restV, ohm, takesKW float64, takes ceiling.Cause) Moment {
	return Moment{RestV: restV, Ohm: ohm, TakesKW: takesKW, Takes: takes, CableA: l.StallA, Cable: ceiling.StallCurrent, SharedKW: math.Inf(1)}
}

// Allowed is one limit at one moment: the current into the pack that it allows, and
// what it comes to at the plug, with nothing drawn beside the pack and no loss in the
// cable. OfCar tells whether car and pack set it themselves.
type Allowed struct {
	Cause  ceiling.Cause
	Amps   float64
	PlugKW float64
	OfCar  bool
}

// Allowed lists the limits of a moment in a fixed order; those that are not known are
// left out. The last one is the voltage.
func (l *Limits) Allowed(m Moment) []Allowed {
	list := make([]Allowed, 0, 10)
	ofCar := func(c ceiling.Cause, amps, packKW float64) {
		if !math.IsInf(amps, 1) {
			list = append(list, Allowed{c, max(0, amps), l.ToPlug(packKW), true})
		}
	}
	power := func(c ceiling.Cause, packKW float64) {
		if !math.IsInf(packKW, 1) {
			ofCar(c, pack.Amps(packKW, m.RestV, m.Ohm), packKW)
		}
	}
	atPlug := func(c ceiling.Cause, plugKW float64, current bool) {
		if math.IsInf(plugKW, 1) || math.IsNaN(plugKW) {
			return
		}
		list = append(list, Allowed{Cause: c, Amps: max(0, l.through(m, plugKW, current)), PlugKW: plugKW})
	}
	power(m.Takes, m.TakesKW)
	power(ceiling.CarPower, l.CarKW)
	if !math.IsInf(l.CarA, 1) {
		ofCar(ceiling.CarCurrent, l.CarA, l.CarA*(m.RestV+l.CarA*m.Ohm)/1000)
	}
	if l.Converter && !math.IsInf(l.ConverterKW, 1) {
		list = append(list, Allowed{ceiling.CarConverter, pack.Amps(l.FromPlug(l.ConverterKW), m.RestV, m.Ohm), l.ConverterKW, true})
	}
	atPlug(m.Cable, l.plugKW(m, m.CableA), true)
	atPlug(ceiling.AdapterCurrent, l.plugKW(m, l.AdapterA), true)
	atPlug(ceiling.StallPower, l.StallKW, false)
	atPlug(ceiling.SharedCabinet, m.SharedKW, false)
	top, whose := l.TopV()
	amps := max(0, (top-m.RestV)/m.Ohm)
	if m.RestV < l.StallMinV && !l.Converter {
		amps, whose = 0, ceiling.StallVoltage
	}
	return append(list, Allowed{whose, amps, l.ToPlug(amps * top / 1000), whose == ceiling.Finish})
}

// plugKW is the power of a current at the plug: at the pack's terminals under it, or at
// the voltage that the converter works from.
func (l *Limits) plugKW(m Moment, amps float64) float64 {
	if l.Converter {
		return amps * l.PlugV(m.RestV) / 1000
	}
	return amps * (m.RestV + amps*m.Ohm) / 1000
}

// through is the current into the pack when plugKW flows at the plug. A limit in amps
// is a limit on the current in the cable, of which a part feeds what is beside.
func (l *Limits) through(m Moment, plugKW float64, current bool) float64 {
	switch {
	case l.Converter:
		inCable := plugKW * 1000 / l.PlugV(m.RestV)
		return pack.Amps(l.FromPlug(plugKW-m.AuxKW-pack.HeatKW(inCable, m.CableOhm)), m.RestV, m.Ohm)
	case current:
		// No less than what it is at the terminals' voltage.
		return pack.Amps(plugKW, m.RestV, m.Ohm) - m.AuxKW*1000/m.RestV
	}
	return pack.Amps(plugKW-m.AuxKW, m.RestV, m.Ohm+m.CableOhm)
}

// asLow is how near to the lowest limit another is as low: what is drawn beside the
// pack and lost in the cable makes no other cause of one.
const asLow = 1.025

// Lowest gives the current that all limits allow and which of them holds: of those as
// low as the lowest the one that is lowest at the plug. So a fit, a forecast and a run
// under way name the same one for the same state.
func Lowest(list []Allowed) (amps float64, holds Allowed) {
	amps = math.Inf(1)
	for _, a := range list {
		amps = math.Min(amps, a.Amps)
	}
	holds = Allowed{Cause: ceiling.Unknown, PlugKW: math.Inf(1)}
	for _, a := range list {
		if a.Amps <= amps*asLow && a.PlugKW < holds.PlugKW {
			holds = a
		}
	}
	return amps, holds
}

// asCeilings are limits as a fit lists them, lowest first.
func asCeilings(list []Allowed) []Ceiling {
	out := make([]Ceiling, 0, len(list))
	for _, a := range list {
		out = append(out, Ceiling{a.Cause, a.PlugKW})
	}
	slices.SortStableFunc(out, func(a, b Ceiling) int {
		switch {
		case a.KW < b.KW:
			return -1
		case a.KW > b.KW:
			return 1
		}
		return 0
	})
	return out
}
