// Package standin simulates the two ends of a charging session for practising and
// testing: a car with a diagnostic adapter, and a charger with its protocol and
// its screen, both driven by one forecast session, with faults on demand.
package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
)

// Scenario is what happens, in JSON. Times are seconds of the simulated clock
// since the beginning.
type Scenario struct {
	Car       *run.Car     `json:"car"`
	Stall     *run.Stall   `json:"stall"`
	Adapter   *run.Adapter `json:"adapter,omitempty"`
	FromPct   float64      `json:"from_pct"`
	ToPct     float64      `json:"to_pct"`
	BatteryC  float64      `json:"battery_c"`
	AmbientC  float64      `json:"ambient_c"`
	PlugS     float64      `json:"plug_s"`     // plugged in so long after the beginning; 0: 20
	ReplugPct float64      `json:"replug_pct"` // unplugged and plugged in again here; 0: never
	ReplugS   float64      `json:"replug_s"`   // for so long; 0: 40
	Faults    []Fault      `json:"faults"`
}

// Fault is something that goes wrong, from a time on and for so long.
type Fault struct {
	Kind string  `json:"kind"`
	AtS  float64 `json:"at_s"`
	ForS float64 `json:"for_s"` // 0: to the end, or once
	By   float64 `json:"by"`    // how much, where that means something: minutes, kW share and so on
}

// The kinds of faults.
const (
	PaymentRefused  = "payment-refused"  // the first plug-in gets no power
	HandshakeFailed = "handshake-failed" // so does this one
	StallDead       = "stall-dead"       // the stall gives nothing from here
	AdapterDropped  = "adapter-dropped"  // the adapter's connection breaks and stays away
	LateReadings    = "late-readings"    // answers come bunched, By seconds late
	FrozenValues    = "frozen-values"    // the car's values stand still
	ClockWrong      = "clock-wrong"      // the charger's clock is By minutes off
	NeighbourPlugs  = "neighbour"        // a car beside takes half of the cabinet
	CableDerated    = "cable-derated"    // the cable gives By of its current from here, 0.6 if not said
	ColdPack        = "cold-pack"        // the pack is By K colder from the beginning, 20 if not said
	HeatThrottle    = "heat-throttle"    // or By K warmer, 20 if not said
	TimerStep       = "timer-step"       // full power ends By seconds after plug-in
	StopsByItself   = "stops"            // the session ends
	BusTrouble      = "can-error"        // the adapter cannot read the car's bus
)

var faultKinds = []string{
	PaymentRefused,
	HandshakeFailed,
	StallDead,
	AdapterDropped,
	LateReadings,
	FrozenValues,
	ClockWrong,
	NeighbourPlugs,
	CableDerated,
	ColdPack,
	HeatThrottle,
	TimerStep,
	StopsByItself,
	BusTrouble,
}

// ReadScenario reads and checks a scenario.
func ReadScenario(content []byte) (*Scenario, error) {
	var s Scenario
	if err := json.Unmarshal(content, &s); err != nil {
		return nil, fmt.Errorf("the scenario is no JSON of the expected keys: %w", err)
	}
	var faults []error
	for i, f := range s.Faults {
		if !slices.Contains(faultKinds, f.Kind) {
			faults = append(faults, fmt.Errorf("fault %d: %q is no kind of fault", i+1, f.Kind))
		}
	}
	if s.Car == nil {
		faults = append(faults, errors.New("the scenario has no car"))
	} else if _, err := pack.For(s.Car); err != nil {
		faults = append(faults, err)
	}
	if !(s.FromPct >= 0 && s.FromPct < s.ToPct && s.ToPct <= 100) {
		faults = append(faults,
			fmt.Errorf("from_pct %g and to_pct %g: expected a window from 0 to 100", s.FromPct, s.ToPct))
	}
	return &s, errors.Join(faults...)
}

// State is the world at one moment.
type State struct {
	forecast.Step
	ClockS   float64 // simulated, since the beginning
	Status   string  // of the stall: Available, Preparing, Charging, Finishing or Faulted
	KWh      float64 // the stall's, of this transaction
	Register float64 // the stall's meter, kWh
	InletC   float64
	Over     bool // the car has what it wanted, or was stopped
}

// World steps the session by the simulated clock and answers what is asked of it;
// safe for concurrent use.
type World struct {
	sc      *Scenario
	speed   float64
	started time.Time
	rng     *rand.Rand

	mu      sync.Mutex
	session *forecast.Session
	state   State
	frozen  *State
	tries   int     // plug-ins that failed
	plugAt  float64 // the next plug-in, simulated
	reached float64 // simulated seconds stepped through
	changed chan struct{}
}

// NewWorld begins a scenario at speed times real time.
func NewWorld(sc *Scenario, speed float64, seed uint64) (*World, error) {
	if !(speed >= 0.1 && speed <= 1000) {
		return nil, fmt.Errorf("speed %g: expected 0.1 to 1000", speed)
	}
	w := &World{
		sc:      sc,
		speed:   speed,
		started: time.Now(),
		rng:     rand.New(rand.NewPCG(seed, 11)),
		changed: make(chan struct{}),
	}
	if w.plugAt = sc.PlugS; w.plugAt == 0 {
		w.plugAt = 20
	}
	if err := w.begin(); err != nil {
		return nil, err
	}
	w.state.Status, w.state.Register = "Available", 1000+float64(seed%9000)
	w.state.PackV = w.session.RestV() // a pack has volts whether it is plugged in or not
	w.state.SoCPct, w.state.Battery = sc.FromPct, pack.Nodes{ColdestC: sc.BatteryC, WarmestC: sc.BatteryC + 1}
	return w, nil
}

// begin makes the session anew, as at a plug-in.
func (w *World) begin() error {
	sc := w.sc
	car := *sc.Car
	plan := forecast.Plan{Car: &car, Stall: sc.Stall, Adapter: sc.Adapter, FromPct: sc.FromPct, ToPct: sc.ToPct,
		Battery: pack.Nodes{
			ColdestC: sc.BatteryC,
			WarmestC: sc.BatteryC + 1,
		}, AmbientC: sc.AmbientC, ReplugAtPct: sc.ReplugPct, ReplugS: sc.ReplugS,
		TaperShare: 1 + 0.01*w.rng.NormFloat64()}
	for _, f := range sc.Faults {
		switch f.Kind {
		case NeighbourPlugs:
			plan.NeighbourOnS, plan.NeighbourS = f.AtS-w.plugAt, orElse(f.ForS, 600)
		case TimerStep:
			by := orElse(f.By, 300)
			car.TimerS = &by
		case HeatThrottle:
			warmer(&plan.Battery, orElse(f.By, 20))
		case ColdPack:
			warmer(&plan.Battery, -orElse(f.By, 20))
		case CableDerated:
			plan.DerateS, plan.DerateShare = max(0, f.AtS-w.plugAt), orElse(f.By, 0.6)
		}
	}
	var err error
	w.session, err = forecast.NewSession(plan)
	return err
}

func warmer(n *pack.Nodes, byK float64) {
	n.ColdestC += byK
	n.WarmestC += byK
}

func orElse(v, other float64) float64 {
	if v == 0 {
		return other
	}
	return v
}

// fault gives the fault of a kind that is on at a simulated time.
func (w *World) fault(kind string, at float64) (Fault, bool) {
	for _, f := range w.sc.Faults {
		if f.Kind == kind && at >= f.AtS && (f.ForS == 0 || at < f.AtS+f.ForS) {
			return f, true
		}
	}
	return Fault{}, false
}

// has gives the fault of a kind, whenever it is.
func (w *World) has(kind string) (Fault, bool) {
	for _, f := range w.sc.Faults {
		if f.Kind == kind {
			return f, true
		}
	}
	return Fault{}, false
}

// Clock is the simulated time of day: it begins with the real one.
func (w *World) Clock() time.Time {
	return w.started.Add(time.Duration(float64(time.Since(w.started)) * w.speed))
}

// Now steps the world to the present and gives its state.
func (w *World) Now() State {
	w.mu.Lock()
	defer w.mu.Unlock()
	now := time.Since(w.started).Seconds() * w.speed
	for w.reached < math.Floor(now) {
		w.reached++
		w.second(w.reached)
	}
	w.state.ClockS = now
	return w.state
}

// second moves on by one simulated second.
func (w *World) second(t float64) {
	st := &w.state
	if st.Over {
		st.Step.StallKW, st.Step.PackKW, st.Step.Amps, st.Step.PackV = 0, 0, 0, w.session.RestV()
		return
	}
	if t < w.plugAt {
		return
	}
	if _, dead := w.fault(StallDead, t); dead {
		st.Status, st.StallKW, st.PackKW, st.Amps, st.Over = "Faulted", 0, 0, 0, true
		return
	}
	if w.refused(t) {
		return
	}
	step := w.session.Next()
	st.Step = step
	st.Status = "Charging"
	switch {
	case !step.Plugged:
		st.Status = "Available"
	case step.StallKW == 0:
		st.Status = "Preparing"
	}
	st.KWh += step.StallKW / 3600
	st.Register += step.StallKW / 3600
	st.InletC = w.sc.AmbientC + 0.00018*step.Amps*step.Amps
	if f, on := w.fault(StopsByItself, t); on && f.AtS > 0 || step.SoCPct >= w.sc.ToPct {
		st.Over, st.Status = true, "Finishing"
	}
}

// refused tells whether the present plug-in gets no power; the next is a minute on.
func (w *World) refused(t float64) bool {
	wrong := 0
	for _, kind := range []string{PaymentRefused, HandshakeFailed} {
		if _, ok := w.has(kind); ok {
			wrong++
		}
	}
	if w.tries >= wrong {
		return false
	}
	w.state.Status = "Preparing"
	if t >= w.plugAt+45 {
		w.tries++
		w.plugAt = t + 60
		w.state.Status = "Available"
	}
	return true
}

// CarValues is what the car's control units know now; frozen where that is the
// fault.
func (w *World) CarValues() State {
	s := w.Now()
	w.mu.Lock()
	defer w.mu.Unlock()
	if _, on := w.fault(FrozenValues, s.ClockS); on {
		if w.frozen == nil {
			w.frozen = &s
		}
		return *w.frozen
	}
	w.frozen = nil
	return s
}

// Wait sleeps for simulated seconds; false when the context ended first.
func (w *World) Wait(ctx context.Context, simulatedS float64) bool {
	t := time.NewTimer(time.Duration(simulatedS / w.speed * float64(time.Second)))
	defer t.Stop()
	select {
	case <-ctx.Done():
		return false
	case <-t.C:
		return true
	}
}
