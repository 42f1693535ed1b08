package prepare

import (
	"zincroad/core/pack"
	"zincroad/core/say"
	"zincroad/core/words"
)

// Kind is what happens in a phase of the way to the plug.
type Kind string

// The kinds of phases, in the order in which they may come.
const (
	Charge Kind = "charge" // an earlier DC charge
	Drive  Kind = "drive"
	Warm   Kind = "warm" // driving with the heater on, or hard
	Burn   Kind = "burn" // parked at the stall, with the climate on
)

// Phase is a part of the way to the plug. Times are seconds since plug-in, so
// that they are negative.
type Phase struct {
	Kind       Kind
	FromS, ToS float64
	KW         float64 // out of the pack, heater and climate included
	HeaterKW   float64
	SpeedKmh   float64
	hard       bool
	tractionKW float64
}

// Moment is how the car stands at one time before plug-in.
type Moment struct {
	TS      float64
	SoCPct  float64
	Battery pack.Nodes
}

// Approach is the way from now to plugging in.
type Approach struct {
	Way     Way
	WarmS   float64 // heated, or driven hard, for so long
	Phases  []Phase
	Moments []Moment
	KWh     float64  // what the warming takes beyond the driving
	Km      float64  // driven in all
	LoopKm  float64  // of it beyond the way to the stall
	StopsS  float64  // when navigation preconditioning ends because the charge is at its least; 0: it does not
	Short   bool     // the pack does not get as warm as wanted
	LeastC  float64  // the charge below which navigation does not heat, in percent
	Limit   say.Text // why it is warmed for less long than wished; empty: it is not
}

// Plug is how the car stands at plug-in.
func (a *Approach) Plug() Moment { return a.Moments[len(a.Moments)-1] }

// LeaveS is when the approach begins, s since plug-in.
func (a *Approach) LeaveS() float64 { return a.Moments[0].TS }

// DepartS is when the car sets off, s since plug-in: behind an earlier charge and
// heating at home; 0 where it does not drive at all.
func (a *Approach) DepartS() float64 {
	for _, p := range a.Phases {
		if p.SpeedKmh > 0 {
			return p.FromS
		}
	}
	return 0
}

// Phase gives the first phase of a kind; nil when there is none.
func (a *Approach) Phase(k Kind) *Phase {
	for i := range a.Phases {
		if a.Phases[i].Kind == k {
			return &a.Phases[i]
		}
	}
	return nil
}

// burntKWh is what is burnt parked before the plug, with what the heater takes then.
func (a *Approach) burntKWh() float64 {
	sum := 0.0
	for _, p := range a.Phases {
		if p.Kind == Burn {
			sum += p.KW * (p.ToS - p.FromS) / 3600
		}
	}
	return sum
}

// HeatFromS is when the warming begins, and whether there is any.
func (a *Approach) HeatFromS() (float64, bool) {
	for _, p := range a.Phases {
		if p.Kind == Warm || p.HeaterKW > 0 {
			return p.FromS, true
		}
	}
	return 0, false
}

// add puts a phase of some hours at the end; nothing for no time.
func (a *Approach) add(k Kind, hours, kw, heaterKW float64, d *driver) {
	if hours*3600 < 0.5 {
		return
	}
	p := Phase{Kind: k, FromS: 0, ToS: hours * 3600, KW: kw, HeaterKW: heaterKW}
	if k == Drive || k == Warm {
		p.SpeedKmh = d.plan.Road.Speed()
		p.tractionKW = kw - heaterKW - d.cabinKW
	}
	a.Phases = append(a.Phases, p)
}

// Words says what is done in a phase of an approach by a way of warming: its kind in a
// word (drive, heat, hard, burn or charge), and a label with the power.
func (p Phase) Words(w Way) (kind, label string) {
	switch {
	case p.Kind == Charge:
		return "charge", "charge"
	case p.Kind == Burn && p.HeaterKW > 0:
		return "heat", "parked, heater on"
	case p.Kind == Burn:
		return "burn", "parked, climate " + words.Figure(p.KW, 1) + " kW"
	case p.Kind == Warm && p.SpeedKmh == 0:
		return "heat", "parked, heater " + words.Figure(p.HeaterKW, 1) + " kW"
	case p.Kind == Warm && w == HeaterHard:
		return "hard", "drive hard, heater on"
	case p.Kind == Warm && w == Hard:
		return "hard", "drive hard"
	case p.Kind == Warm:
		return "heat", "heater " + words.Figure(p.HeaterKW, 1) + " kW"
	}
	return "drive", "drive"
}
