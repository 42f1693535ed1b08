package stall

import (
	"fmt"
	"math"
	"sort"

	"zincroad/core/ceiling"
	"zincroad/core/pack"
	"zincroad/core/run"
)

// Fit is what a stall can give a car with a warm pack, against state of charge.
type Fit struct {
	Fits    bool
	Reason  string // why not, or from where to where it does
	At      []At   // every whole percent from 0 to 100; empty when it does not fit
	Assumed []pack.Assumption
	Limits  *Limits
}

// At is one state of charge: the voltage at the pack's terminals under the holding
// ceiling, and every ceiling, lowest first.
type At struct {
	SoCPct   float64
	PackV    float64
	Ceilings []Ceiling
}

// Ceiling is one limit in kW: the stall's and the adapter's at the plug, the car's
// at the pack.
type Ceiling struct {
	Cause ceiling.Cause
	KW    float64
}

// Holding is the lowest ceiling, and by how much the next is higher; +Inf when
// there is none.
func (a At) Holding() (c Ceiling, marginKW float64) {
	if len(a.Ceilings) == 0 {
		return Ceiling{ceiling.Unknown, math.NaN()}, math.Inf(1)
	}
	if len(a.Ceilings) == 1 {
		return a.Ceilings[0], math.Inf(1)
	}
	return a.Ceilings[0], a.Ceilings[1].KW - a.Ceilings[0].KW
}

// FitOf works the ceilings out. It fails as pack.For does.
func FitOf(c *run.Car, s *run.Stall, ad *run.Adapter, a Assumptions, gentle bool) (*Fit, error) {
	p, err := pack.For(c)
	if err != nil {
		return nil, err
	}
	taper := p.Taper(c, gentle)
	l := LimitsOf(c, p, s, ad, a)
	f := &Fit{Fits: l.Refusal == "", Reason: l.Refusal, Assumed: p.Assumed, Limits: l}
	if !f.Fits {
		return f, nil
	}
	for soc := 0.0; soc <= 100; soc++ {
		f.At = append(f.At, l.at(p, taper, soc))
	}
	f.Reason = l.partly(f.At)
	return f, nil
}

// at lists the ceilings at one state of charge.
//
// A ceiling in amps and one in kW are compared by the current that each allows;
// the lowest holds, and the voltage that it makes stands for all: a current limit
// is then that current times this voltage.
func (l *Limits) at(p *pack.Pack, taper *pack.Taper, soc float64) At {
	rest, ohm := p.RestV(soc), p.Ohm(soc, max(pack.DefaultWarmC, p.WarmC))
	type limit struct {
		cause ceiling.Cause
		amps  float64
		kw    float64 // NaN: amps times the voltage
	}
	var limits []limit
	power := func(c ceiling.Cause, kw, atPack float64) {
		if !math.IsInf(kw, 1) {
			limits = append(limits, limit{c, pack.Amps(atPack, rest, ohm), kw})
		}
	}
	current := func(c ceiling.Cause, amps float64) {
		if math.IsInf(amps, 1) {
			return
		}
		if l.Converter {
			kw := amps * l.PlugV(rest) / 1000
			limits = append(limits, limit{c, pack.Amps(l.FromPlug(kw), rest, ohm), kw})
			return
		}
		limits = append(limits, limit{c, amps, math.NaN()})
	}
	power(ceiling.StallPower, l.StallKW, l.FromPlug(l.StallKW))
	current(ceiling.StallCurrent, l.StallA)
	current(ceiling.AdapterCurrent, l.AdapterA)
	power(ceiling.CarPower, l.CarKW, l.CarKW)
	if !math.IsInf(l.CarA, 1) {
		limits = append(limits, limit{ceiling.CarCurrent, l.CarA, math.NaN()})
	}
	if l.Converter {
		power(ceiling.CarConverter, l.ConverterKW, l.ConverterKW)
	}
	taken := ceiling.PackTaper
	if taper.AtStep(soc) {
		taken = ceiling.SoCStep
	}
	power(taken, taper.KW(soc), taper.KW(soc))
	top, whose := l.TopV()
	amps := max(0, (top-rest)/ohm)
	if rest < l.StallMinV && !l.Converter {
		amps, whose = 0, ceiling.StallVoltage
	}
	limits = append(limits, limit{whose, amps, amps * top / 1000})

	sort.SliceStable(limits, func(i, j int) bool { return limits[i].amps < limits[j].amps })
	out := At{SoCPct: soc, PackV: rest + limits[0].amps*ohm}
	for _, x := range limits {
		kw := x.kw
		if math.IsNaN(kw) {
			kw = x.amps * out.PackV / 1000
		}
		out.Ceilings = append(out.Ceilings, Ceiling{x.cause, kw})
	}
	// Above the holding one, ceilings in amps and in kW are ordered by what is shown.
	sort.SliceStable(out.Ceilings, func(i, j int) bool { return out.Ceilings[i].KW < out.Ceilings[j].KW })
	return out
}

// partly says from where to where a stall gives anything, when it is not all.
func (l *Limits) partly(at []At) string {
	from, to := -1.0, -1.0
	for _, a := range at {
		if h, _ := a.Holding(); h.KW > 0.5 {
			if from < 0 {
				from = a.SoCPct
			}
			to = a.SoCPct
		}
	}
	switch {
	case from > 0:
		return fmt.Sprintf("Only from %.0f %% on: below that the pack's voltage is under the stall's lowest, %.0f V.", from, l.StallMinV)
	case to < 99 && to >= 0:
		top, _ := l.TopV()
		return fmt.Sprintf("Only up to %.0f %%: above that the pack's voltage is over %.0f V.", to, top)
	}
	return ""
}
