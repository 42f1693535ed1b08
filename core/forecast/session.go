// Package forecast works a charging session out in advance, a second at a time: handshake and ramp, what the
// pack takes, the ceilings of stall, adapter and car, cold and heat, steps by time and by charge, losses, and
// what heater and cabin draw beside.
//
// # The model
//
// Each second the pack is a voltage behind a resistance, both by its charge and temperature (core/pack).
// Everything that can hold the current down sets a ceiling (core/limit's Allowed), and the lowest is what
// flows: there is no rule of which comes first. What flows warms the pack by its own resistance and by the
// heater, the air and the coolant cool it, and the charge goes up by the ampere-seconds over the capacity. So
// taper, cold and a stall's current limit trade places within one session as they do at the stall: 500 A are
// 160 kW into a pack of 320 V, and 190 kW when it has come to 380 V.
//
// A second is the step because timers, handshakes and ramps are seconds long; nothing in a pack is quicker: its
// temperatures take minutes to hours, so that plain steps (Euler's) are exact enough.
//
// # The range
//
// A forecast is one session; Of adds how far it may be off by working the session out again with each uncertain
// thing at either end: capacity, what the pack takes, the battery's temperature at plug-in, what the stall
// gives. They are changed one at a time and added up as squares, for nothing makes a small pack colder. The
// same model serves the plan (core/prepare), the rest of a run under way (core/follow, which corrects it by
// what the run has shown) and the bench's "what could it have come to"; that is why a session can be begun in
// its middle (State).
package forecast

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/vehicle"
)

// Plan is the session to be worked out. Its zero values are sensible where noted.
type Plan struct {
	Car     *run.Car       // needs a capacity, usable or gross
	Known   *vehicle.Model `json:"-"` // what its runs taught, which stands in for what is not noted; nil: nothing
	Stall   *run.Stall     // nil: limits nothing
	Adapter *run.Adapter   // nil: none

	FromPct, ToPct float64           // ToPct above FromPct, both 0 to 100
	EachPct        float64           `json:",omitempty"` // windows of so many points to list beside the usual; 0: none
	Battery        pack.Nodes        // at plug-in
	AmbientC       float64           // while charging
	ClimateKW      float64           // drawn by the cabin while charging
	PumpsKW        float64           // drawn by pumps and electronics; 0: what is usual
	Gentle         bool              // the car's gentle profile
	Assumed        limit.Assumptions // what the tester changed about the stall

	HandshakeS   float64 // plug-in to first power; 0: 15 s
	RampS        float64 // from first power to the plateau; 0: 25 s
	ReplugAtPct  float64 // unplug here and plug in again; 0: never
	ReplugS      float64 // time unplugged; 0: 40 s
	NeighbourOnS float64 // another car on the shared cabinet from here, after plug-in
	NeighbourS   float64 // for so long; 0: nobody
	DerateS      float64 // the cable is warm from here, after plug-in, and gives less
	DerateShare  float64 // this share of the stall's current; 0: all of it

	TaperShare float64 // the pack takes this share of its envelope; 0: all of it

	From *State // a session under way to go on from; nil: it begins at plug-in
}

// State is where a session stands: what it takes to go on from there as if it had
// been followed from its beginning. Charge and battery are the plan's own FromPct and
// Battery.
type State struct {
	PluggedS float64 // since this leg's plug-in
	PoweredS float64 // since its first power; NaN before
	Amps     float64 // into the pack
	Ramping  bool    // the power is still climbing after first power
}

// Times of a session's beginning (common practice, no source: the plateau is
// reached 30 s to 2 min after plug-in).
const (
	defaultHandshakeS = 15
	defaultReplugS    = 40
	defaultRampS      = 25 // from first power to the plateau
)

// What a session draws beside the pack (from memory).
const (
	pumpsKW     = 0.35 // coolant pumps and electronics while charging
	heaterFullK = 2    // the heater runs with all it has from so far below warm
	heaterOffK  = 0    // and fades until so far below it
	heaterHotK  = 4    // it fades too from twice so far below too hot at the warmest cell
)

// Step is one second of a session. Powers are means over the second, in kW.
type Step struct {
	T            float64     // s since plug-in, at the second's beginning
	SoCPct       float64     // at the second's beginning
	PackV, Amps  float64     // at the pack's terminals
	PackKW       float64     // into the pack
	RequestedKW  float64     // what car and pack would take if the stall could give it
	StallKW      float64     // at the plug
	OfferedKW    float64     // the most that the stall would give; +Inf if its power is not known
	LossKW       float64     // between plug and pack
	AuxKW        float64     // pumps, heater, cabin
	HeaterKW     float64     // part of AuxKW
	Battery      pack.Nodes  // at the second's beginning
	Cause        limit.Cause // what held the power in it
	Plugged      bool        // false between unplug and replug
	PluggedSince float64     // when this leg's plug-in was, s
}

// Session is a session under way; Next moves it on by a second.
type Session struct {
	plan   Plan
	pack   *pack.Pack
	limits *limit.Limits
	taper  *pack.Taper

	t, soc    float64
	battery   pack.Nodes
	amps      float64
	allowed   [limit.MostAllowed]limit.Allowed // room for one second's limits
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
	plan = plan.AsKnown()
	p, err := pack.For(plan.Car)
	if err != nil {
		return nil, err
	}
	if plan.HandshakeS <= 0 {
		plan.HandshakeS = defaultHandshakeS
	}
	if plan.RampS <= 0 {
		plan.RampS = defaultRampS
	}
	if plan.ReplugS <= 0 {
		plan.ReplugS = defaultReplugS
	}
	if plan.TaperShare <= 0 {
		plan.TaperShare = 1
	}
	s := &Session{plan: plan, pack: p, taper: p.Taper(plan.Car, plan.Gentle), soc: plan.FromPct, battery: plan.Battery,
		ramping: true, firstAt: math.NaN(), replugAt: math.NaN(), timerS: math.Inf(1), timer: 1}
	s.limits = limit.LimitsOf(plan.Car, p, plan.Stall, plan.Adapter, plan.Assumed)
	if v, ok := run.Known(plan.Car.TimerS); ok {
		s.timerS, s.timer = v, 0.6 // common practice, no source, where the share is not given
		if share, ok := run.Known(plan.Car.TimerSharePct); ok {
			s.timer = share / 100
		}
	}
	if from := plan.From; from != nil {
		s.pluggedAt, s.firstAt, s.amps, s.ramping = -from.PluggedS, -from.PoweredS, from.Amps, from.Ramping
	}
	return s, nil
}

// Refusal says why the stall cannot charge the car; empty when it can.
func (s *Session) Refusal() say.Text { return s.limits.Refusal }

// RestV is the pack's voltage at rest at its present charge.
func (s *Session) RestV() float64 { return s.pack.RestV(s.soc) }

// Next works out one second and moves the session past it.
func (s *Session) Next() Step {
	s.plug()
	rest, ohm := s.pack.RestV(s.soc), s.pack.Ohm(s.soc, s.battery.MeanC())
	st := Step{T: s.t, SoCPct: s.soc, Battery: s.battery, Plugged: math.IsNaN(s.replugAt), PluggedSince: s.pluggedAt}
	handshake := st.Plugged && s.t-s.pluggedAt < s.plan.HandshakeS
	switch {
	case !st.Plugged:
		st.Cause = limit.Paused
		s.amps = 0
	case handshake:
		st.Cause = limit.Ramp
		s.amps = 0
	default:
		m := s.moment(rest, ohm)
		s.beside(&st, &m)
		st.OfferedKW = s.stallKW()
		s.amps, st.Cause, st.RequestedKW = s.hold(&st, m)
	}
	st.Amps, st.PackV = s.amps, rest+s.amps*ohm
	st.PackKW = st.PackV * st.Amps / 1000
	if s.amps > 0 && math.IsNaN(s.firstAt) {
		s.firstAt = s.t
	}
	if st.Plugged && !handshake && !s.limits.Refusal.Any() {
		s.losses(&st)
	}
	joule := pack.HeatKW(s.amps, ohm)
	s.battery = s.pack.Thermal.Step(s.battery, 1, joule, st.HeaterKW,
		pack.Surroundings{AmbientC: s.plan.AmbientC, Cooling: s.amps > 0})
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

// beside settles what pumps and cabin draw beside the pack.
func (s *Session) beside(st *Step, m *limit.Moment) {
	if !s.limits.Refusal.Any() {
		st.AuxKW = min(s.plan.pumps()+s.plan.ClimateKW, s.stallKW())
		m.AuxKW = st.AuxKW
	}
}

// heat settles what the battery heater draws where the limits allow so many amps into
// the pack. It takes what the stall has to spare and never takes from the pack, so that
// a larger one warms it no later and never slows a session down. It has no memory, so
// that of two packs the warmer one stays the warmer.
func (s *Session) heat(st *Step, m limit.Moment, amps float64) {
	if s.limits.Refusal.Any() || s.pack.HeaterKW == 0 {
		return
	}
	n := s.battery.Ordered()
	share := min((s.pack.WarmC-n.ColdestC-heaterOffK)/(heaterFullK-heaterOffK), (s.pack.HotC-n.WarmestC)/heaterHotK-1)
	if share <= 0 {
		return
	}
	st.HeaterKW = min(min(1, share)*s.pack.HeaterKW, s.spareKW(m, amps))
	st.AuxKW += st.HeaterKW
}

// spareKW is what the stall could give beyond what pack, pumps and cabin take.
func (s *Session) spareKW(m limit.Moment, amps float64) float64 {
	packV := m.RestV + amps*m.Ohm
	plug := s.limits.ToPlug(packV*amps/1000) + m.AuxKW
	volts := s.limits.PlugV(packV)
	inCable := plug * 1000 / volts
	cable, _ := s.cable()
	spare := min((cable-inCable)*volts/1000, (s.limits.AdapterA-inCable)*volts/1000)
	return max(0, min(spare, s.stallKW()-plug-pack.HeatKW(inCable, limit.CableOhm)))
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
	if s.plan.Stall == nil || s.plan.NeighbourS <= 0 || s.t < s.plan.NeighbourOnS ||
		s.t >= s.plan.NeighbourOnS+s.plan.NeighbourS {
		return 0, false
	}
	kw, ok := run.Known(s.plan.Stall.SharedKW)
	return kw / 2, ok
}

// cable is what the cable gives in A, and whether that is because it is warm.
func (s *Session) cable() (amps float64, cause limit.Cause) {
	if s.plan.DerateShare > 0 && s.t >= s.plan.DerateS {
		return s.limits.StallA * s.plan.DerateShare, limit.CableHot
	}
	return s.limits.StallA, limit.StallCurrent
}

// moment is the pack and the way to it as they are now.
func (s *Session) moment(rest, ohm float64) limit.Moment {
	kw, why := s.takes()
	m := s.limits.Moment(rest, ohm, kw, why)
	m.CableOhm = limit.CableOhm
	m.CableA, m.Cable = s.cable()
	if shared, on := s.shared(); on {
		m.SharedKW = shared
	}
	return m
}

// hold gives the current that flows at this moment, what holds it down, and the
// power that car and pack ask for; and settles what heats the pack beside.
func (s *Session) hold(st *Step, m limit.Moment) (amps float64, cause limit.Cause, requestedKW float64) {
	if s.limits.Refusal.Any() {
		return 0, limit.StallVoltage, 0
	}
	list := s.limits.Allowed(m, s.allowed[:0])
	wants := math.Inf(1)
	for i := range list {
		switch list[i].Cause {
		case m.Takes, limit.CarPower, limit.CarCurrent:
			wants = min(wants, list[i].Amps)
		}
	}
	low, holds := limit.Lowest(list)
	s.heat(st, m, low)
	amps, cause = s.ramp(low, holds)
	return amps, cause, wants * (m.RestV + wants*m.Ohm) / 1000
}

// takes is the power that the pack takes, and whether taper, step, timer, cold or
// heat says so: the one that takes most away.
func (s *Session) takes() (kw float64, cause limit.Cause) {
	kw, cause = s.taper.KW(s.soc)*s.plan.TaperShare, limit.PackTaper
	if s.taper.AtStep(s.soc) {
		cause = limit.SoCStep
	}
	share := 1.0
	lower := func(by float64, c limit.Cause) {
		kw *= by
		if by < share {
			share, cause = by, c
		}
	}
	if s.t-s.firstAt >= s.timerS {
		lower(s.timer, limit.TimerStep)
	}
	n := s.battery.Ordered()
	lower(s.pack.ColdShare(n.ColdestC), limit.Cold)
	lower(s.pack.HotShare(n.WarmestC), limit.Hot)
	return kw, cause
}

// ramp lets the current climb no faster than the session's beginning does.
func (s *Session) ramp(low float64, cause limit.Cause) (float64, limit.Cause) {
	rate := max(2, low/s.plan.RampS)
	if low > s.amps+rate {
		if s.ramping {
			return s.amps + rate, limit.Ramp
		}
		return s.amps + rate, cause
	}
	s.ramping = false
	return low, cause
}

// losses works out what the stall has to give for what the pack gets.
func (s *Session) losses(st *Step) {
	plug := s.limits.ToPlug(st.PackKW)
	current := st.Amps
	if s.limits.Converter {
		current = (plug + st.AuxKW) * 1000 / s.limits.PlugV(st.PackV)
	}
	st.LossKW = plug - st.PackKW + pack.HeatKW(current, limit.CableOhm)
	st.StallKW = st.PackKW + st.LossKW + st.AuxKW
}
