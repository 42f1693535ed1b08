// Package stall says what a stall can give a car and what it costs: the ceilings of
// stall, cable, adapter and car against state of charge, whether the voltages meet
// at all, and the bill of a tariff.
package stall

import (
	"math"
	"slices"

	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
)

// Fit is what a stall can give a car with a warm pack, against state of charge.
type Fit struct {
	Fits    bool
	Reason  say.Text // why not, or from where to where it does
	At      []At     // every whole percent from 0 to 100; empty when it does not fit
	Assumed []pack.Assumption
	Limits  *limit.Limits
}

// At is one state of charge: the voltage at the pack's terminals under the holding
// ceiling, and every ceiling, lowest first.
type At struct {
	SoCPct   float64
	PackV    float64
	Ceilings []Ceiling
}

// Ceiling is one limit in kW at the plug, with nothing drawn beside the pack.
type Ceiling struct {
	Cause limit.Cause
	KW    float64
}

// Holding is the lowest ceiling, and by how much the next is higher; +Inf when
// there is none.
func (a At) Holding() (c Ceiling, marginKW float64) {
	if len(a.Ceilings) == 0 {
		return Ceiling{limit.Unknown, math.NaN()}, math.Inf(1)
	}
	if len(a.Ceilings) == 1 {
		return a.Ceilings[0], math.Inf(1)
	}
	return a.Ceilings[0], a.Ceilings[1].KW - a.Ceilings[0].KW
}

// FitOf works the ceilings out. It fails as pack.For does.
func FitOf(c *run.Car, s *run.Stall, ad *run.Adapter, a limit.Assumptions, gentle bool) (*Fit, error) {
	p, err := pack.For(c)
	if err != nil {
		return nil, err
	}
	taper := p.Taper(c, gentle)
	l := limit.LimitsOf(c, p, s, ad, a)
	f := &Fit{Fits: !l.Refusal.Any(), Reason: l.Refusal, Assumed: p.Assumed, Limits: l}
	if !f.Fits {
		return f, nil
	}
	for soc := 0.0; soc <= 100; soc++ {
		f.At = append(f.At, at(l, p, taper, soc))
	}
	f.Reason = partly(l, f.At)
	return f, nil
}

// at lists the ceilings at one state of charge, all of them at the plug.
//
// A ceiling in amps and one in kW are compared by what they come to; a current limit is
// that current times the voltage under the lowest ceiling.
func at(l *limit.Limits, p *pack.Pack, taper *pack.Taper, soc float64) At {
	m := l.Warm(p, taper, soc)
	list := l.Allowed(m, nil)
	amps, _ := limit.Lowest(list)
	out := At{SoCPct: soc, PackV: m.RestV + amps*m.Ohm}
	for i := range list {
		switch a := &list[i]; a.Cause {
		case limit.StallCurrent, limit.AdapterCurrent:
			if !l.Converter { // before one, the amps at the plug are not the pack's
				a.PlugKW = a.Amps * out.PackV / 1000
			}
		case limit.CarCurrent:
			a.PlugKW = l.ToPlug(l.CarA * out.PackV / 1000)
		}
	}
	out.Ceilings = asCeilings(list)
	return out
}

// asCeilings are limits as a fit lists them, lowest first.
func asCeilings(list []limit.Allowed) []Ceiling {
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

// partly says from where to where a stall gives anything, when it is not all.
func partly(l *limit.Limits, at []At) say.Text {
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
		return say.T("stall.only-from-on-below", say.Fixed(from, 0), say.Fixed(l.StallMinV, 0))
	case to < 99 && to >= 0:
		top, _ := l.TopV()
		return say.T("stall.only-up-to-above", say.Fixed(to, 0), say.Fixed(top, 0))
	}
	return nil
}
