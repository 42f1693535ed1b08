// Package run describes one charging session under test: what was measured, with
// which car, at which stall, by which method and under which conditions. The
// names of the fields in files are those of the open run.json.
package run

import (
	"time"

	"zincroad/core/trace"
)

// Number is a figure that may be unknown: nil is "not given", which is not zero.
type Number = *float64

// N makes a known Number.
func N(v float64) Number { return &v }

// Value gives a Number's value, and false for an unknown one.
func Value(n Number) (float64, bool) {
	if n == nil {
		return 0, false
	}
	return *n, true
}

// Known gives a rating's value and whether it says anything: a rating of zero is
// "not given".
func Known(n Number) (float64, bool) {
	v, ok := Value(n)
	return v, ok && v > 0
}

// PowerFloorKW is the power from which a car counts as charging.
const PowerFloorKW = 1.0

// Run is one charging session under test, from arrival to cable back.
// Times of recordings and marks are seconds after StartedAt.
type Run struct {
	Title      string     `json:"title,omitempty"`
	StartedAt  time.Time  `json:"started_at,omitzero"`
	Timezone   string     `json:"timezone,omitempty"`
	Car        *Car       `json:"car,omitempty"`
	Stall      *Stall     `json:"stall,omitempty"`
	Adapter    *Adapter   `json:"adapter,omitempty"`
	Method     *Method    `json:"method,omitempty"`
	Conditions *Condition `json:"conditions,omitempty"`
	Claims     []Claim    `json:"claims,omitempty"`
	Marks      []Mark     `json:"marks,omitempty"`

	Recordings []*trace.Recording `json:"-"`
}

// Car is the vehicle under test with the software it ran.
type Car struct {
	Name            string  `json:"name,omitempty"`
	Software        string  `json:"software,omitempty"`
	Chemistry       string  `json:"chemistry,omitempty"` // NMC, NCA, LFP or other
	GrossKWh        Number  `json:"gross_kwh,omitempty"`
	UsableKWh       Number  `json:"usable_kwh,omitempty"`
	CellsInSeries   Number  `json:"cells_in_series,omitempty"`
	PackMinV        Number  `json:"pack_min_v,omitempty"`
	PackNominalV    Number  `json:"pack_nominal_v,omitempty"`
	PackMaxV        Number  `json:"pack_max_v,omitempty"`
	MaxKW           Number  `json:"max_kw,omitempty"`
	MaxA            Number  `json:"max_a,omitempty"`
	ConverterKW     Number  `json:"converter_kw,omitempty"`
	BatteryMassKg   Number  `json:"battery_mass_kg,omitempty"`
	HeaterKW        Number  `json:"heater_kw,omitempty"`
	WarmC           Number  `json:"warm_c,omitempty"`
	Preconditioning string  `json:"preconditioning,omitempty"` // none, manual or navigation
	ConsumptionWhKm Number  `json:"consumption_wh_per_km,omitempty"`
	RatedRangeKm    Number  `json:"rated_range_km,omitempty"`
	Envelope        []Point `json:"envelope,omitempty"`
	// full power ends this long after first power of each plug-in
	TimerS        Number `json:"timer_s,omitempty"`
	TimerSharePct Number `json:"timer_share_pct,omitempty"` // and this share of it is left
	Pack          *Pack  `json:"pack,omitempty"`

	// the heater stops by itself when the coldest cell has this
	HeaterStopC Number      `json:"heater_stop_c,omitempty"`
	Navigation  *Navigation `json:"navigation,omitempty"`
	// of the gentle profile; empty: by rule from the full one
	GentleEnvelope []Point `json:"gentle_envelope,omitempty"`
}

// Navigation is what preconditioning on the way to a stall asks for, where it is known
// of this car.
type Navigation struct {
	MinPct   Number `json:"min_pct,omitempty"`   // it heats only above this charge
	LeadMin  Number `json:"lead_min,omitempty"`  // and so many minutes ahead
	MinKW    Number `json:"min_kw,omitempty"`    // for stalls of this power and more
	StopOnly bool   `json:"stop_only,omitempty"` // and only where the stall is a stop, not the destination
}

// Pack is what is known of a battery beyond its label. Each figure stands in for a
// default of the arithmetic.
type Pack struct {
	ResistanceMOhm  Number `json:"resistance_mohm,omitempty"`       // whole pack, 25 °C, half full
	ActivationKJ    Number `json:"activation_kj_per_mol,omitempty"` // how the resistance falls with warmth (Arrhenius)
	HeatCapacityKJK Number `json:"heat_capacity_kj_per_k,omitempty"`
	CouplingWK      Number `json:"coupling_w_per_k,omitempty"` // between coldest and warmest cells
	LossWK          Number `json:"loss_w_per_k,omitempty"`     // to the outside, parked
	CoolingKW       Number `json:"cooling_kw,omitempty"`
	HeaterSharePct  Number `json:"heater_share_pct,omitempty"` // of the heater's power that reaches the cells
	HotC            Number `json:"hot_c,omitempty"`            // above this the car takes power back
	HalfBelowK      Number `json:"half_below_k,omitempty"`     // so far below warm it takes half of its power
}

// Point is one point of a car's power against state of charge when warm.
type Point struct {
	SoCPct float64 `json:"soc_pct"`
	KW     float64 `json:"kw"`
}

// Stall is one place to plug in, with the site it stands on.
type Stall struct {
	Site     string  `json:"site,omitempty"`
	Name     string  `json:"name,omitempty"`
	RatedKW  Number  `json:"rated_kw,omitempty"`
	MaxA     Number  `json:"max_a,omitempty"`
	MinV     Number  `json:"min_v,omitempty"`
	MaxV     Number  `json:"max_v,omitempty"`
	SharedKW Number  `json:"shared_kw,omitempty"`
	Tariff   *Tariff `json:"tariff,omitempty"`
}

// Tariff is what a session costs, in one currency.
type Tariff struct {
	Currency     string `json:"currency,omitempty"`
	PerKWh       Number `json:"per_kwh,omitempty"`
	PerMin       []Tier `json:"per_min,omitempty"`
	SessionFee   Number `json:"session_fee,omitempty"`
	IdlePerMin   Number `json:"idle_per_min,omitempty"`
	IdleAfterMin Number `json:"idle_after_min,omitempty"`
	TaxPct       Number `json:"tax_pct,omitempty"`

	Membership *Membership `json:"membership,omitempty"`
}

// Membership makes kWh cheaper for a monthly fee; both are before tax where the
// tariff's prices are.
type Membership struct {
	PerMonth  Number `json:"per_month,omitempty"`
	PerKWhOff Number `json:"per_kwh_off,omitempty"`
}

// Tier is a price per minute up to a power; the last tier has none.
type Tier struct {
	UpToKW Number `json:"up_to_kw,omitempty"`
	Price  Number `json:"price,omitempty"`
}

// Adapter stands between the stall's connector and the car's inlet.
type Adapter struct {
	Name string `json:"name,omitempty"`
	MaxA Number `json:"max_a,omitempty"`
	MaxV Number `json:"max_v,omitempty"`
}

// Method is what makes runs comparable.
type Method struct {
	Name    string `json:"name,omitempty"`
	FromPct Number `json:"from_pct,omitempty"`
	ToPct   Number `json:"to_pct,omitempty"`
	Clock   string `json:"clock,omitempty"`   // plug or power
	Climate string `json:"climate,omitempty"` // off or on
}

// Condition is what the run met.
type Condition struct {
	OdometerKM        Number `json:"odometer_km,omitempty"` // before plugging in
	AmbientC          Number `json:"ambient_c,omitempty"`
	BatteryC          Number `json:"battery_c,omitempty"`
	Preconditioned    string `json:"preconditioned,omitempty"` // none, car, driven or charged
	PreconditionedMin Number `json:"preconditioned_min,omitempty"`
	Profile           string `json:"profile,omitempty"` // full or gentle
	Climate           string `json:"climate,omitempty"` // off or on
	Weather           string `json:"weather,omitempty"`
	Label             string `json:"label,omitempty"` // the tester's own word, to group runs by
}

// Claim is what a maker or a seller promised.
type Claim struct {
	Kind    string `json:"kind"` // window or peak
	FromPct Number `json:"from_pct,omitempty"`
	ToPct   Number `json:"to_pct,omitempty"`
	Minutes Number `json:"minutes,omitempty"`
	KW      Number `json:"kw,omitempty"`

	BatteryC Number `json:"battery_c,omitempty"` // it is for a pack of this temperature and more
	StallKW  Number `json:"stall_kw,omitempty"`  // it is for stalls of this power and more
	Note     string `json:"note,omitempty"`      // where it is from
}

// Mark is a time-stamped note about something that happened.
type Mark struct {
	TS   float64 `json:"t_s"`
	Kind string  `json:"kind"`
	Note string  `json:"note,omitempty"`
}

// The kinds of marks.
const (
	PlugIn     = "plug-in"
	FirstPower = "first-power"
	Unplug     = "unplug"
	Stop       = "stop"
	Attempt    = "attempt"
	Heater     = "heater"
	Fan        = "fan"
	Neighbour  = "neighbour"
	Note       = "note"
)

// MostOffsetS is how far a recording's clock may be off, in s: some clocks begin in 1970.
const MostOffsetS = 4e9

// The words that a field may hold; the files, the forms and the database all
// check against these.
var (
	MarkKinds        = []string{PlugIn, FirstPower, Unplug, Stop, Attempt, Heater, Fan, Neighbour, Note}
	Chemistries      = []string{"NMC", "NCA", "LFP", "other"}
	Clocks           = []string{"plug", "power"}
	Climates         = []string{"off", "on"}
	Profiles         = []string{"full", "gentle"}
	Preconditionings = []string{"none", "manual", "navigation"}
	Preconditioned   = []string{"none", "car", "driven", "charged"}
	ClaimKinds       = []string{"window", "peak"}
)

// Lost tells how many attempts there were before a moment on the run's own clock,
// as a rule that of the plug-in that led to power, and how long they took: from the
// first of them, or from its plug-in where that is marked, to that moment. It is no
// charging time. The marks are in order of their times.
func Lost(marks []Mark, untilS float64) (attempts int, lostS float64) {
	var first, plugged float64
	in := false
	for _, m := range marks {
		switch {
		case m.TS > untilS:
			return attempts, lostS
		case m.Kind == PlugIn:
			plugged, in = m.TS, true
		case m.Kind == Attempt:
			if attempts++; attempts == 1 {
				first = m.TS
				if in {
					first = plugged
				}
			}
			lostS, in = max(0, untilS-first), false
		}
	}
	return attempts, lostS
}

// Upright gives the run with every recording's amps and power above zero while its car charges, and for each the
// channels that were turned for it.
func (r *Run) Upright() (*Run, [][]trace.Channel) {
	out := *r
	out.Recordings = make([]*trace.Recording, len(r.Recordings))
	turned := make([][]trace.Channel, len(r.Recordings))
	for i, rec := range r.Recordings {
		out.Recordings[i], turned[i] = rec.Upright()
	}
	return &out, turned
}
