package judge

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
)

// known are the fixed figures that a log is judged by; +Inf is "not known", NaN for
// temperatures and voltages.
type known struct {
	stallKW, stallA, sharedKW, adapterA, adapterV, stallMaxV float64
	carKW, carA, converterKW                                 float64
	mostKW, mostA                                            float64 // the same, or as other runs were held
	packMaxV, warmC, hotC                                    float64
	converter                                                bool
	pack                                                     *pack.Pack
	taper                                                    *pack.Taper
	given                                                    bool           // the envelope is noted or learnt, not by kind
	learnt                                                   *vehicle.Model // that the envelope is of; nil: none

	elsewhere Elsewhere
	falls     *fallen // every sudden fall of the run

	warmKnown bool
}

// learn gathers what is known of car and stall.
func (l *Log) learn() *known {
	inf := math.Inf(1)
	k := &known{
		stallKW:     inf,
		stallA:      inf,
		sharedKW:    inf,
		adapterA:    inf,
		adapterV:    inf,
		stallMaxV:   inf,
		carKW:       inf,
		carA:        inf,
		converterKW: inf,
		packMaxV:    math.NaN(),
		warmC:       pack.DefaultWarmC,
		hotC:        math.NaN(),
	}
	if s := l.OfStall; s != nil {
		k.stallKW, k.stallA = limit.OrInf(s.RatedKW), limit.OrInf(s.MaxA)
		k.sharedKW, k.stallMaxV = limit.OrInf(s.SharedKW), limit.OrInf(s.MaxV)
	}
	if a := l.Adapter; a != nil {
		k.adapterA, k.adapterV = limit.OrInf(a.MaxA), limit.OrInf(a.MaxV)
	}
	c := l.OfCar
	if c == nil {
		return k
	}
	k.carKW, k.carA, k.converterKW = limit.OrInf(c.MaxKW), limit.OrInf(c.MaxA), limit.OrInf(c.ConverterKW)
	if w, ok := run.Value(c.WarmC); ok {
		k.warmC, k.warmKnown = w, true
	}
	if c.Pack != nil {
		if h, ok := run.Value(c.Pack.HotC); ok {
			k.hotC = h
		}
	}
	if v, ok := run.Known(c.PackMaxV); ok {
		k.packMaxV = v
	}
	gentle := l.Conditions != nil && l.Conditions.Profile == "gentle"
	if p, err := pack.For(c); err == nil {
		k.pack = p
		if math.IsNaN(k.packMaxV) && (c.CellsInSeries != nil || c.PackNominalV != nil) {
			k.packMaxV = p.MaxV
		}
		of := *c
		k.mostKW, k.mostA = k.carKW, k.carA
		if m := l.Elsewhere.Car; m.Rests() && len(of.Envelope) == 0 && !(gentle && len(of.GentleEnvelope) > 0) {
			of, k.learnt = *m.Apply(c), m
			k.mostKW, k.mostA = limit.OrInf(of.MaxKW), limit.OrInf(of.MaxA)
			if m.WarmC != nil && !k.warmKnown && m.WarmSDK() <= warmLearntK {
				k.warmC, k.warmKnown = *m.WarmC, true
			}
		}
		k.taper = p.Taper(&of, gentle)
		k.given = !k.taper.Assumed
	}
	k.elsewhere = l.Elsewhere
	k.converter = l.stepsUp(k)
	return k
}

// warmLearntK is how well other runs must know from where the pack is warm for it to be as good as noted, K.
const warmLearntK = 3.0

// voltsApart is how far the volts of both sides must lie apart to speak for a converter: a tenth and more. A cable
// loses a few per cent at most.
const voltsApart = 1.1

// unnotedLowV is the top voltage of a stall that was built for 400 V cars (common practice, no source).
const unnotedLowV = 600.0

// stepsUp tells whether the car's converter makes the pack's voltage of the stall's: where both were read and lie
// apart, where the emptiest pack is noted above the stall's range and power flowed all the same, or where a
// converter is noted and the stall's range, as far as it is, ends below the pack's.
func (l *Log) stepsUp(k *known) bool {
	if ratio := l.voltsRatio(); !math.IsNaN(ratio) {
		return ratio >= voltsApart
	}
	if v, ok := run.Known(l.OfCar.PackMinV); ok && v > k.stallMaxV {
		return true
	}
	switch {
	case math.IsInf(k.converterKW, 1):
		return false
	case math.IsNaN(k.packMaxV):
		return k.stallMaxV < unnotedLowV
	}
	return k.stallMaxV < k.packMaxV || math.IsInf(k.stallMaxV, 1) && k.packMaxV > 500
}

// voltsRatio is the car's volts over the stall's, the middle of what was read while amps flowed; NaN where one of them
// was not read.
func (l *Log) voltsRatio() float64 {
	var ratios []float64
	for i, t := range l.Car.Volts.T {
		if kw, ok := l.Car.KW.At(t); !ok || kw < run.PowerFloorKW {
			continue
		}
		if v, ok := l.Stall.Volts.At(t); ok && v > 50 {
			ratios = append(ratios, l.Car.Volts.V[i]/v)
		}
	}
	if len(ratios) == 0 {
		return math.NaN()
	}
	return trace.Median(ratios)
}

// warmKW is the warm pack's power at a charge, never above the car's own limits at a
// voltage; NaN where nothing is known of it.
func (k *known) warmKW(soc, volts float64) float64 {
	if k.taper == nil || math.IsNaN(soc) {
		return math.NaN()
	}
	kw := min(k.taper.KW(soc), k.mostKW)
	if !math.IsInf(k.mostA, 1) && !math.IsNaN(volts) {
		kw = min(kw, k.mostA*volts/1000)
	}
	return kw
}

// stepAt tells whether the noted envelope has a stair at a charge: a fall within a point that the
// slope before and behind it does not explain.
func (k *known) stepAt(soc float64) bool {
	if k.taper == nil || !k.given || math.IsNaN(soc) {
		return false
	}
	if k.learnt != nil { // a smooth curve teaches no step
		return k.learnt.FallsNear(soc, sameStepPct)
	}
	for _, at := range []float64{soc - 0.6, soc, soc + 0.6} {
		fall := k.taper.KW(at+0.8) / k.taper.KW(at-0.4)
		slope := min(k.taper.KW(at-0.4)/k.taper.KW(at-1.6), k.taper.KW(at+2)/k.taper.KW(at+0.8))
		if fall < 0.97 && fall < slope-0.025 {
			return true
		}
	}
	return false
}

// stairsIn tells whether the noted envelope has a stair between two charges.
func (k *known) stairsIn(fromPct, toPct float64) bool {
	for soc := fromPct; soc <= toPct; soc += 0.5 {
		if k.stepAt(soc) {
			return true
		}
	}
	return false
}

// packVolts is what the pack's voltage comes to at a charge (NaN: half of it) and a power, where nobody read it; 400 V
// where nothing is known of the pack.
func (k *known) packVolts(soc, kw float64) float64 {
	if k.pack == nil {
		return 400
	}
	if math.IsNaN(soc) {
		soc = 50
	}
	rest := k.pack.RestV(soc)
	return rest + pack.Amps(kw, rest, k.pack.ResistanceOhm)*k.pack.ResistanceOhm
}
