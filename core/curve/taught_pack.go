package curve

import (
	"math"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
)

// How a run's own readings tell of its pack.
const (
	warmCellC     = 20.0  // from this coldest cell no heater runs (common practice: packs are heated to 20 and more)
	coldCellC     = 12.0  // up to this it does, where the car has one
	leastWarmingK = 3.0   // a display of whole degrees knows less to a third at best
	leastCoolingS = 240.0 // how long it must have run to be known
	stallSidePct  = 4.0   // how far the pack's energy is known from the stall's, % (usual losses of 4 to 10: from memory)
)

// ofPack is what the run shows of capacity, volts, resistance, heat and what is drawn beside the pack. Where no
// capacity is noted it is the run's own.
func (w Work) ofPack(l *vehicle.Lesson, j *judge.Judgement, samples []judge.Sample) {
	var car run.Car
	if w.run.Car != nil {
		car = *w.run.Car
	}
	w.besideTaught(l, j, samples)
	kj := w.capacityTaught(l, samples)
	if _, err := pack.For(&car); err != nil {
		car.UsableKWh = l.UsableKWh
	}
	if car.CellsInSeries == nil && car.PackNominalV == nil && car.PackMaxV == nil {
		car.CellsInSeries = w.cellsTaught(&car, samples)
		l.Cells = car.CellsInSeries
	}
	p, err := pack.For(&car)
	if err != nil {
		return
	}
	for i := range samples { // what nobody read of the amps
		if s := &samples[i]; math.IsNaN(s.PackA) && !math.IsNaN(s.SoCPct) {
			s.PackA = pack.Amps(s.PackKW, p.RestV(s.SoCPct), p.Ohm(s.SoCPct, pack.DefaultWarmC))
		}
	}
	w.ohmTaught(l, samples)
	scale := 1.0
	if l.Ohm != nil {
		scale = *l.Ohm / p.Ohm(50, l.OhmC)
	}
	heatKW := func(s judge.Sample) float64 {
		cell := pack.DefaultWarmC
		if !math.IsNaN(s.ColdestC) {
			cell = s.ColdestC
		}
		return pack.HeatKW(s.PackA, p.Ohm(s.SoCPct, cell)*scale)
	}
	if l.UsableKWh != nil {
		heat := 0.0
		for _, s := range samples {
			if s.PackKW > 0 && !math.IsNaN(s.PackA) {
				heat += heatKW(s) * s.ForS
			}
		}
		l.RestKWh = orNone(*l.UsableKWh * (1 - min(mostHeat, heat/kj)))
	}
	w.heatTaught(l, p, samples)
}

// mostHeat is the greatest share of its energy that a pack turns into heat (from memory: 2 to 8 %, more when cold).
const mostHeat = 0.3

// capacityTaught is the usable capacity at the terminals; it returns the energy of all samples, kJ.
func (w Work) capacityTaught(l *vehicle.Lesson, samples []judge.Sample) (kj float64) {
	if w.spans(math.Inf(-1), math.Inf(1)) != nil {
		return 0 // a recording that breaks off: whose charge and whose energy would it be?
	}
	plug := 0.0
	for _, s := range samples {
		if s.PackKW > 0 {
			kj, plug = kj+s.PackKW*s.ForS, plug+s.PlugKW*s.ForS
		}
	}
	side := trace.CarSide
	if w.power[side].Len() == 0 {
		side = trace.StallSide
	}
	e, gained := w.gain(side)
	if gained < capacityFloorPct || !(kj > 0) {
		return kj
	}
	l.UsablePct = w.tolerance + 100*w.socRes/gained
	if side == trace.StallSide {
		e *= kj / plug
		l.UsablePct += stallSidePct
	}
	l.UsableKWh = orNone(e / gained * 100)
	return kj
}

// cellsTaught is how many cells in series the pack's volts speak for, by what one has at rest; nil where they were not
// read.
func (w Work) cellsTaught(car *run.Car, samples []judge.Sample) run.Number {
	volts := w.joined(trace.CarSide, trace.Voltage)
	of := *car
	of.CellsInSeries = run.N(1)
	one, err := pack.For(&of)
	if err != nil || volts.Len() == 0 {
		return nil
	}
	var found []float64
	for _, s := range samples {
		v, ok := volts.At(s.T)
		if !ok || v < 50 || math.IsNaN(s.SoCPct) || !(s.PackKW > PowerFloorKW) {
			continue
		}
		// one cell's power is the pack's over their number, and so is its rise under load
		rest, ohm := one.RestV(s.SoCPct), one.Ohm(s.SoCPct, pack.DefaultWarmC)
		found = append(found, v/(rest+ohm*pack.Amps(s.PackKW, rest, ohm)))
	}
	if len(found) < ohmLeastN {
		return nil
	}
	return orNone(trace.Median(found))
}

// ohmWindowS is within which time volts must have followed amps for a resistance, s: slower and the charge moves them,
// too. ohmLeastA is by how much the amps must have moved for it.
const (
	ohmWindowS = 12.0
	ohmLeastA  = 20.0
	ohmLeastN  = 4
)

// ohmTaught is the pack's resistance, half full, by how its volts went with its amps where they moved quickly.
func (w Work) ohmTaught(l *vehicle.Lesson, samples []judge.Sample) {
	amps, volts := w.joined(trace.CarSide, trace.Current), w.joined(trace.CarSide, trace.Voltage)
	if amps.Len() < ohmLeastN || volts.Len() < ohmLeastN {
		return
	}
	var found, cells []float64
	at := 0
	for i, t := range amps.T {
		for at+1 < len(samples) && samples[at].T < t {
			at++
		}
		k := i
		for k+1 < len(amps.T) && amps.T[k+1]-t <= ohmWindowS {
			k++
		}
		moved := amps.V[k] - amps.V[i]
		a, ok1 := volts.At(t)
		b, ok2 := volts.At(amps.T[k])
		if k == i || math.Abs(moved) < max(ohmLeastA, 0.1*amps.V[i]) || !ok1 || !ok2 || amps.V[i] < 1 || a < 50 || b < 50 ||
			len(samples) == 0 {
			continue
		}
		s := samples[at]
		soc, cell := s.SoCPct, s.ColdestC
		if math.IsNaN(soc) {
			soc = 50
		}
		if math.IsNaN(cell) {
			cell = pack.DefaultWarmC
		}
		if r := (b - a) / moved / pack.ChargeFactor(soc); r > 0 {
			found, cells = append(found, r), append(cells, cell)
		}
	}
	if len(found) >= ohmLeastN {
		l.Ohm, l.OhmC = orNone(trace.Median(found)), trace.Median(cells)
	}
}

// heatTaught is what warmed the cells while no cooling ran, and while all of it did.
func (w Work) heatTaught(l *vehicle.Lesson, p *pack.Pack, samples []judge.Sample) {
	heater := w.joined(trace.CarSide, trace.HeaterPower)
	first, warmed, cooled := -1, 0.0, 0.0
	for i, s := range samples {
		if math.IsNaN(s.ColdestC) || math.IsNaN(s.PackA) {
			first = -1
			continue
		}
		hot := s.WarmestC
		if math.IsNaN(hot) {
			hot = s.ColdestC
		}
		into, fits := &l.Warming, hot <= p.Thermal.CoolFromC
		if hot >= p.Thermal.CoolFromC+pack.CoolingRisesK {
			into, fits = &l.Cooling, true
		}
		if !fits || first < 0 {
			first = i
			continue
		}
		before := samples[i-1]
		h := vehicle.Heat{AtC: heatEveryK * math.Round(s.ColdestC/heatEveryK), ForS: s.ForS,
			ColdestK: s.ColdestC - before.ColdestC, MeanK: (s.ColdestC + hot - before.ColdestC - before.WarmestC) / 2,
			JouleA2S: s.PackA * s.PackA * pack.ChargeFactor(s.SoCPct) * s.ForS}
		if math.IsNaN(h.MeanK) {
			h.MeanK = h.ColdestK
		}
		if kw, ok := heater.At(s.T); ok {
			h.HeaterKJ = kw * p.Thermal.HeaterShare * s.ForS
		}
		*into = addHeat(*into, h)
	}
	for _, h := range l.Warming {
		warmed += h.ColdestK
	}
	for _, h := range l.Cooling {
		cooled += h.ForS
	}
	if warmed < leastWarmingK {
		l.Warming = nil
	}
	if cooled < leastCoolingS {
		l.Cooling = nil
	}
}

// heatEveryK is how far apart the temperatures are for which heat is added up: a resistance changes little between.
const heatEveryK = 5.0

// addHeat adds some heat to what there is at its temperature.
func addHeat(list []vehicle.Heat, h vehicle.Heat) []vehicle.Heat {
	for i := range list {
		if list[i].AtC == h.AtC {
			list[i] = list[i].Plus(h)
			return list
		}
	}
	return append(list, h)
}

// besideTaught is what was drawn beside the pack, warm and cold, where both sides were read: what cable and converter
// lose is not in it.
func (w Work) besideTaught(l *vehicle.Lesson, j *judge.Judgement, samples []judge.Sample) {
	if w.power[trace.CarSide].Len() == 0 || w.power[trace.StallSide].Len() == 0 {
		return
	}
	var warm, cold []float64
	for _, s := range samples {
		plug, amps := s.PlugKW, s.PackA
		if j.StepsUp() {
			plug, amps = plug*limit.ConverterShare, 2*amps // half of the volts in the cable
		}
		beside := plug - s.PackKW - pack.HeatKW(amps, limit.CableOhm)
		if s.Stretch == nil || s.Stretch.Cause == limit.Ramp || s.Stretch.Cause == limit.Paused || math.IsNaN(beside) {
			continue
		}
		switch {
		case math.IsNaN(s.ColdestC) || s.ColdestC >= warmCellC:
			warm = append(warm, beside)
		case s.ColdestC <= coldCellC:
			cold = append(cold, beside)
		}
	}
	if len(warm) > 0 {
		l.AuxKW = orNone(max(0, trace.Median(warm)))
	}
	if len(cold) > 0 {
		l.HeatingKW = orNone(max(0, trace.Median(cold)))
	}
}

// orNone is a number that is one; nil: nothing could be worked out.
func orNone(v float64) run.Number {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}
