// Package forecast works a charging session out in advance, a second at a time:
// handshake and ramp, what the pack takes, the ceilings of stall, adapter and car,
// cold and heat, steps by time and by charge, losses, and what heater and cabin
// draw beside.
package forecast

import (
	"math"

	"zincroad/core/ceiling"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/stall"
)

// Plan is the session to be worked out. Its zero values are sensible where noted.
type Plan struct {
	Car     *run.Car
	Stall   *run.Stall   // nil: limits nothing
	Adapter *run.Adapter // nil: none

	FromPct, ToPct float64
	Battery        pack.Nodes // at plug-in
	AmbientC       float64
	ClimateKW      float64 // drawn by the cabin while charging
	Gentle         bool
	Assumed        stall.Assumptions

	HandshakeS   float64 // plug-in to first power; 0: 15 s
	ReplugAtPct  float64 // unplug here and plug in again; 0: never
	ReplugS      float64 // time unplugged; 0: 40 s
	NeighbourOnS float64 // another car on the shared cabinet from here, after plug-in
	NeighbourS   float64 // for so long; 0: nobody
	DerateS      float64 // the cable is warm from here, after plug-in, and gives less
	DerateShare  float64 // this share of the stall's current; 0: all of it

	TaperShare float64 // the pack takes this share of its envelope; 0: all of it
}

// Times of a session's beginning (common practice, no source: the plateau is
// reached 30 s to 2 min after plug-in).
const (
	defaultHandshakeS = 15
	defaultReplugS    = 40
	rampS             = 25 // from first power to the plateau
)

// What a session draws beside the pack (from memory).
const (
	pumpsKW    = 0.35  // coolant pumps and electronics while charging
	cableOhm   = 0.012 // from the stall's meter to the pack's terminals, both ways
	heaterOnK  = 10    // the heater runs from so far below warm
	heaterOffK = 1     // until so far below warm
)

// Step is one second of a session. Powers are means over the second, in kW.
type Step struct {
	T            float64 // s since plug-in, at the second's beginning
	SoCPct       float64 // at the second's beginning
	PackV, Amps  float64 // at the pack's terminals
	PackKW       float64
	RequestedKW  float64 // what car and pack would take if the stall could give it
	StallKW      float64 // at the plug
	OfferedKW    float64 // the most that the stall would give; +Inf if its power is not known
	LossKW       float64 // between plug and pack
	AuxKW        float64 // pumps, heater, cabin
	HeaterKW     float64 // part of AuxKW
	Battery      pack.Nodes
	Cause        ceiling.Cause
	Plugged      bool
	PluggedSince float64 // when this leg's plug-in was, s
}

// Session is a session under way; Next moves it on by a second.
type Session struct {
	plan   Plan
	pack   *pack.Pack
	limits *stall.Limits
	taper  *pack.Taper

	t, soc    float64
	battery   pack.Nodes
	amps      float64
	heating   bool
	ramping   bool
	firstAt   float64 // first power of this leg; NaN before
	pluggedAt float64
	replugAt  float64 // when the plug goes back in; NaN while it is in
	replugged bool
	timerS    float64
	timer     float64 // share of power after timerS
}

// NewSession begins a session at plug-in. It fails as pack.For does; a stall that
// cannot charge the car gives a session without power, whose Refusal says why.
func NewSession(plan Plan) (*Session, error) {
	p, err := pack.For(plan.Car)
	if err != nil {
		return nil, err
	}
	if plan.HandshakeS <= 0 {
		plan.HandshakeS = defaultHandshakeS
	}
	if plan.ReplugS <= 0 {
		plan.ReplugS = defaultReplugS
	}
	if plan.TaperShare <= 0 {
		plan.TaperShare = 1
	}
	s := &Session{plan: plan, pack: p, taper: p.Taper(plan.Car, plan.Gentle), soc: plan.FromPct, battery: plan.Battery,
		ramping: true, firstAt: math.NaN(), replugAt: math.NaN(), timerS: math.Inf(1), timer: 1}
	s.limits = stall.LimitsOf(plan.Car, p, plan.Stall, plan.Adapter, plan.Assumed)
	if v, ok := run.Known(plan.Car.TimerS); ok {
		s.timerS, s.timer = v, 0.6 // common practice, no source, where the share is not given
		if share, ok := run.Known(plan.Car.TimerSharePct); ok {
			s.timer = share / 100
		}
	}
	return s, nil
}

// Refusal says why the stall cannot charge the car; empty when it can.
func (s *Session) Refusal() string { return s.limits.Refusal }

// Next works out one second and moves the session past it.
func (s *Session) Next() Step {
	s.plug()
	rest, ohm := s.pack.RestV(s.soc), s.pack.Ohm(s.soc, s.battery.MeanC())
	st := Step{T: s.t, SoCPct: s.soc, Battery: s.battery, Plugged: math.IsNaN(s.replugAt), PluggedSince: s.pluggedAt}
	handshake := st.Plugged && s.t-s.pluggedAt < s.plan.HandshakeS
	switch {
	case !st.Plugged:
		st.Cause = ceiling.Paused
		s.amps = 0
	case handshake:
		st.Cause = ceiling.Ramp
		s.amps = 0
	default:
		s.beside(&st)
		st.OfferedKW = s.stallKW()
		s.amps, st.Cause, st.RequestedKW = s.hold(rest, ohm, st.AuxKW)
	}
	st.Amps, st.PackV = s.amps, rest+s.amps*ohm
	st.PackKW = st.PackV * st.Amps / 1000
	if s.amps > 0 && math.IsNaN(s.firstAt) {
		s.firstAt = s.t
	}
	if st.Plugged && !handshake && s.limits.Refusal == "" {
		s.losses(&st)
	}
	joule := pack.HeatKW(s.amps, ohm)
	s.battery = s.pack.Thermal.Step(s.battery, 1, joule, st.HeaterKW, pack.Surroundings{AmbientC: s.plan.AmbientC, Cooling: s.amps > 0})
	s.soc = min(100, s.soc+s.amps/s.pack.CapacityAh/36)
	s.t++
	return st
}

// plug sees to the unplugging and plugging in again.
func (s *Session) plug() {
	if s.plan.ReplugAtPct > 0 && !s.replugged && s.soc >= s.plan.ReplugAtPct {
		s.replugged = true
		s.replugAt = s.t + s.plan.ReplugS
	}
	if s.t >= s.replugAt {
		s.replugAt = math.NaN()
		s.pluggedAt, s.firstAt, s.ramping = s.t, math.NaN(), true
	}
}

// beside settles what is drawn beside the pack.
func (s *Session) beside(st *Step) {
	if s.limits.Refusal != "" {
		return
	}
	below := s.pack.WarmC - s.battery.Ordered().ColdestC
	if below > heaterOnK {
		s.heating = true
	} else if below < heaterOffK {
		s.heating = false
	}
	if s.heating {
		st.HeaterKW = s.pack.HeaterKW
	}
	st.AuxKW = pumpsKW + st.HeaterKW + s.plan.ClimateKW
	if give := s.stallKW(); st.AuxKW > give {
		st.AuxKW, st.HeaterKW = give, max(0, give-pumpsKW-s.plan.ClimateKW)
	}
}

// stallKW is what the stall can give at this moment.
func (s *Session) stallKW() float64 {
	kw := s.limits.StallKW
	if shared, on := s.shared(); on {
		kw = min(kw, shared)
	}
	return kw
}

// shared is the stall's half of a shared cabinet while a neighbour is plugged in.
func (s *Session) shared() (float64, bool) {
	if s.plan.Stall == nil || s.plan.NeighbourS <= 0 || s.t < s.plan.NeighbourOnS || s.t >= s.plan.NeighbourOnS+s.plan.NeighbourS {
		return 0, false
	}
	kw, ok := run.Known(s.plan.Stall.SharedKW)
	return kw / 2, ok
}

// cable is what the cable gives in A, and whether that is because it is warm.
func (s *Session) cable() (amps float64, cause ceiling.Cause) {
	if s.plan.DerateShare > 0 && s.t >= s.plan.DerateS {
		return s.limits.StallA * s.plan.DerateShare, ceiling.CableHot
	}
	return s.limits.StallA, ceiling.StallCurrent
}

// least keeps the lowest limit in amps, and whose it is.
type least struct {
	amps  float64
	cause ceiling.Cause
}

func (l *least) of(amps float64, c ceiling.Cause) {
	if amps < l.amps {
		l.amps, l.cause = max(0, amps), c
	}
}

// hold gives the current that flows at this moment, what holds it down, and the
// power that car and pack ask for.
func (s *Session) hold(rest, ohm, auxKW float64) (amps float64, cause ceiling.Cause, requestedKW float64) {
	if s.limits.Refusal != "" {
		return 0, ceiling.StallVoltage, 0
	}
	l := s.limits
	low := least{math.Inf(1), ceiling.Unknown}
	kw, why := s.takes()
	low.of(pack.Amps(kw, rest, ohm), why)
	low.of(pack.Amps(l.CarKW, rest, ohm), ceiling.CarPower)
	low.of(l.CarA, ceiling.CarCurrent)
	requestedKW = low.amps * (rest + low.amps*ohm) / 1000
	top, whose := l.TopV()
	low.of((top-rest)/ohm, whose)
	if l.Converter {
		s.throughConverter(&low, rest, ohm, auxKW)
	} else {
		if rest < l.StallMinV {
			low.of(0, ceiling.StallVoltage)
		}
		beside := auxKW * 1000 / rest // no less than what it is at the terminals' voltage
		cable, whose := s.cable()
		low.of(cable-beside, whose)
		low.of(l.AdapterA-beside, ceiling.AdapterCurrent)
		low.of(pack.Amps(l.StallKW-auxKW, rest, ohm+cableOhm), ceiling.StallPower)
		if shared, on := s.shared(); on {
			low.of(pack.Amps(shared-auxKW, rest, ohm+cableOhm), ceiling.SharedCabinet)
		}
	}
	amps, cause = s.ramp(low)
	return amps, cause, requestedKW
}

// throughConverter adds the stall's limits where the car steps its voltage up:
// they hold on the other side of the converter, at its voltage.
func (s *Session) throughConverter(low *least, rest, ohm, auxKW float64) {
	l := s.limits
	volts := l.PlugV(rest)
	low.of(pack.Amps(l.ConverterKW, rest, ohm), ceiling.CarConverter)
	limit := func(plugKW float64, c ceiling.Cause) {
		if math.IsInf(plugKW, 1) {
			return
		}
		current := plugKW * 1000 / volts
		low.of(pack.Amps(l.FromPlug(plugKW-auxKW-pack.HeatKW(current, cableOhm)), rest, ohm), c)
	}
	cable, whose := s.cable()
	limit(cable*volts/1000, whose)
	limit(l.AdapterA*volts/1000, ceiling.AdapterCurrent)
	limit(l.StallKW, ceiling.StallPower)
	if shared, on := s.shared(); on {
		limit(shared, ceiling.SharedCabinet)
	}
}

// takes is the power that the pack takes, and whether taper, step, timer, cold or
// heat says so: the one that takes most away.
func (s *Session) takes() (kw float64, cause ceiling.Cause) {
	kw, cause = s.taper.KW(s.soc)*s.plan.TaperShare, ceiling.PackTaper
	if s.taper.AtStep(s.soc) {
		cause = ceiling.SoCStep
	}
	share := 1.0
	lower := func(by float64, c ceiling.Cause) {
		kw *= by
		if by < share {
			share, cause = by, c
		}
	}
	if s.t-s.firstAt >= s.timerS {
		lower(s.timer, ceiling.TimerStep)
	}
	n := s.battery.Ordered()
	lower(s.pack.ColdShare(n.ColdestC), ceiling.Cold)
	lower(s.pack.HotShare(n.WarmestC), ceiling.Hot)
	return kw, cause
}

// ramp lets the current climb no faster than the session's beginning does.
func (s *Session) ramp(low least) (float64, ceiling.Cause) {
	rate := max(2, low.amps/rampS)
	if low.amps > s.amps+rate {
		if s.ramping {
			return s.amps + rate, ceiling.Ramp
		}
		return s.amps + rate, low.cause
	}
	s.ramping = false
	return low.amps, low.cause
}

// losses works out what the stall has to give for what the pack gets.
func (s *Session) losses(st *Step) {
	plug := s.limits.ToPlug(st.PackKW)
	current := st.Amps
	if s.limits.Converter {
		current = (plug + st.AuxKW) * 1000 / s.limits.PlugV(st.PackV)
	}
	st.LossKW = plug - st.PackKW + pack.HeatKW(current, cableOhm)
	st.StallKW = st.PackKW + st.LossKW + st.AuxKW
}
