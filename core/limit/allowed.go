package limit

import (
	"math"

	"zincroad/core/pack"
)

// Moment is a pack at one moment and what lies between it and the stall.
type Moment struct {
	RestV, Ohm float64 // the pack's
	TakesKW    float64 // the most that the pack takes, at its terminals
	Takes      Cause   // what makes it take no more
	AuxKW      float64 // drawn beside the pack
	CableOhm   float64 // from the stall's meter to the pack's terminals, both ways

	CableA   float64 // what the stall's cable gives now; +Inf: nothing known
	Cable    Cause   // whose that is
	SharedKW float64 // what is left of a shared cabinet; +Inf: all of it
}

// Moment is the stall's limits as they are rated, for a pack with nothing beside it.
func (l *Limits) Moment(restV, ohm, takesKW float64, takes Cause) Moment {
	return Moment{RestV: restV, Ohm: ohm, TakesKW: takesKW, Takes: takes, CableA: l.StallA, Cable: StallCurrent,
		SharedKW: math.Inf(1)}
}

// Warm is the moment of a warm pack at a state of charge.
func (l *Limits) Warm(p *pack.Pack, taper *pack.Taper, soc float64) Moment {
	takes := PackTaper
	if taper.AtStep(soc) {
		takes = SoCStep
	}
	return l.Moment(p.RestV(soc), p.Ohm(soc, max(pack.DefaultWarmC, p.WarmC)), taper.KW(soc), takes)
}

// Allowed is one limit at one moment: the current into the pack that it allows, and
// what it comes to at the plug, with nothing drawn beside the pack and no loss in the
// cable.
type Allowed struct {
	Cause  Cause   // which limit
	Amps   float64 // into the pack
	PlugKW float64
}

// MostAllowed is how many limits a moment can have.
const MostAllowed = 10

// Allowed lists the limits of a moment in a fixed order, behind what into holds (so that
// a session that asks every second need not make room every second); those that are not
// known are left out. The last one is the voltage.
func (l *Limits) Allowed(m Moment, into []Allowed) []Allowed {
	list := into
	if !math.IsInf(m.TakesKW, 1) {
		list = append(list, l.ofCar(m, m.Takes, m.TakesKW))
	}
	if !math.IsInf(l.CarKW, 1) {
		list = append(list, l.ofCar(m, CarPower, l.CarKW))
	}
	if !math.IsInf(l.CarA, 1) {
		list = append(list, Allowed{CarCurrent, max(0, l.CarA), l.ToPlug(l.CarA * (m.RestV + l.CarA*m.Ohm) / 1000)})
	}
	if l.Converter && !math.IsInf(l.ConverterKW, 1) {
		list = append(list, Allowed{CarConverter, pack.Amps(l.FromPlug(l.ConverterKW), m.RestV, m.Ohm),
			l.ConverterKW})
	}
	if !math.IsInf(m.CableA, 1) {
		list = append(list, l.atPlug(m, m.Cable, l.plugKW(m, m.CableA), m.CableA))
	}
	if !math.IsInf(l.AdapterA, 1) {
		list = append(list, l.atPlug(m, AdapterCurrent, l.plugKW(m, l.AdapterA), l.AdapterA))
	}
	if !math.IsInf(l.StallKW, 1) {
		list = append(list, l.atPlug(m, StallPower, l.StallKW, math.NaN()))
	}
	if !math.IsInf(m.SharedKW, 1) {
		list = append(list, l.atPlug(m, SharedCabinet, m.SharedKW, math.NaN()))
	}
	top, whose := l.TopV()
	amps := max(0, (top-m.RestV)/m.Ohm)
	if m.RestV < l.StallMinV && !l.Converter {
		amps, whose = 0, StallVoltage
	}
	return append(list, Allowed{whose, amps, l.ToPlug(amps * top / 1000)})
}

// ofCar is a power that car and pack set themselves.
func (l *Limits) ofCar(m Moment, c Cause, packKW float64) Allowed {
	return Allowed{c, pack.Amps(packKW, m.RestV, m.Ohm), l.ToPlug(packKW)}
}

// atPlug is a limit on the other side of the cable, in amps unless they are NaN.
func (l *Limits) atPlug(m Moment, c Cause, plugKW, amps float64) Allowed {
	return Allowed{Cause: c, Amps: max(0, l.through(m, plugKW, amps)), PlugKW: plugKW}
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
func (l *Limits) through(m Moment, plugKW, amps float64) float64 {
	switch {
	case l.Converter:
		inCable := plugKW * 1000 / l.PlugV(m.RestV)
		return pack.Amps(l.FromPlug(plugKW-m.AuxKW-pack.HeatKW(inCable, m.CableOhm)), m.RestV, m.Ohm)
	case !math.IsNaN(amps):
		return amps - m.AuxKW*1000/m.RestV // no less than what it is at the terminals' voltage
	}
	return pack.Amps(plugKW-m.AuxKW, m.RestV, m.Ohm+m.CableOhm)
}

// asLow is how near to the lowest limit another is as low: what is drawn beside the
// pack and lost in the cable makes no other cause of one.
const asLow = 1.025

// Lowest gives the current that all limits allow and which of them holds: of those as
// low as the lowest the one that is lowest at the plug. So a fit, a forecast and a run
// under way name the same one for the same state.
func Lowest(list []Allowed) (amps float64, holds Cause) {
	amps = math.Inf(1)
	for i := range list {
		amps = min(amps, list[i].Amps)
	}
	least := math.Inf(1)
	holds = Unknown
	for i := range list {
		if a := &list[i]; a.Amps <= amps*asLow && a.PlugKW < least {
			least, holds = a.PlugKW, a.Cause
		}
	}
	return amps, holds
}
