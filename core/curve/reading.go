package curve

import (
	"zincroad/core/ceiling"
	"zincroad/core/stall"
	"zincroad/core/trace"
)

// Reading is what a run says: every figure for one clock and one side. Times are
// seconds from the clock's zero, energies kWh, powers kW, states of charge
// percent. A figure that cannot be worked out is nil or an empty list.
type Reading struct {
	Format  string     `json:"format"`
	Clock   Clock      `json:"clock"`
	Side    trace.Side `json:"side"`
	Posts   []Post     `json:"posts"`
	Windows []Window   `json:"windows"`
	Peak    *Peak      `json:"peak"`
	RampS   *float64   `json:"ramp_s"`
	Energy  Energy     `json:"energy"`

	Usable             *Interval `json:"usable_kwh"`
	DeliveredPer100KWh *float64  `json:"delivered_per_100_kwh"`

	Plateaus   []Plateau       `json:"plateaus"` // not worked out yet: empty
	Cliffs     []Cliff         `json:"cliffs"`   // not worked out yet: empty
	Ceilings   []Ceiling       `json:"ceilings"` // not worked out yet: empty
	Legs       []Leg           `json:"legs"`
	Recordings []RecordingNote `json:"recordings"`
	Findings   []Finding       `json:"findings"`
	Cost       *stall.Bill     `json:"cost"`
	Claims     []Claim         `json:"claims"` // not worked out yet: empty

	// What follows goes beyond the open format's own keys.

	ZeroS        float64      `json:"zero_s"`        // clock zero on the run's own clock
	FirstPower   float64      `json:"first_power_s"` // first power of this side on the run's own clock
	HeadlineSide trace.Side   `json:"headline_side"`
	Gaps         []trace.Span `json:"gaps"`      // of this side's power, from clock zero
	Ambient      *float64     `json:"ambient_c"` // °C at clock zero, where it was logged
	Battery      *Battery     `json:"battery"`
	SoC          *SoCSpan     `json:"soc"`
	Screen       *Screen      `json:"screen"` // the seller's own totals

	Implausible []Implausible `json:"implausible,omitempty"` // windows that are not stated
	// median time between power readings, else between those of SoC
	IntervalS float64 `json:"interval_s"`
}

// Post is the moment at which SoC first reaches a round value, and the side's power
// there; nil where it was not read.
type Post struct {
	SoCPct  float64  `json:"soc_pct"`
	TS      float64  `json:"t_s"`
	PowerKW *float64 `json:"power_kw"`
}

// Window is the time from one post to another. EnergyKWh and AverageKW are nil
// where the side's readings do not cover it.
type Window struct {
	FromPct   float64  `json:"from_pct"`
	ToPct     float64  `json:"to_pct"`
	TS        float64  `json:"t_s"`
	EnergyKWh *float64 `json:"energy_kwh"`
	AverageKW *float64 `json:"average_kw"`
}

// Peak is the highest power and how long it held.
type Peak struct {
	KW          float64  `json:"kw"`
	SustainedKW *float64 `json:"sustained_kw"`
	TS          float64  `json:"t_s"`
	SoCPct      *float64 `json:"soc_pct"`
	HeldS       *float64 `json:"held_s"`
	HeldFromPct *float64 `json:"held_from_pct"`
	HeldToPct   *float64 `json:"held_to_pct"`

	HeldFromS float64 `json:"held_from_s"` // when the hold began, from clock zero
}

// Energy is what both sides measured. BridgedS is the time of gaps on the
// headline side.
type Energy struct {
	StallKWh *float64 `json:"stall_kwh"`
	CarKWh   *float64 `json:"car_kwh"`
	LossPct  *float64 `json:"loss_pct"`
	BridgedS *float64 `json:"bridged_s"`
}

// Interval is a value with the least and the most it can be.
type Interval struct {
	Value float64  `json:"value"`
	Low   float64  `json:"low"`
	High  *float64 `json:"high"` // nil: no upper end
}

// Leg is the time between a plug-in and its unplug.
type Leg struct {
	FromS     float64  `json:"from_s"`
	ToS       float64  `json:"to_s"`
	FromPct   *float64 `json:"from_pct"`
	ToPct     *float64 `json:"to_pct"`
	EnergyKWh *float64 `json:"energy_kwh"`
}

// Plateau is a stretch of steady power: where and how high, and how the line through it
// leans, in kW a minute.
type Plateau struct {
	FromS         float64  `json:"from_s"`
	ToS           float64  `json:"to_s"`
	FromPct       *float64 `json:"from_pct"`
	ToPct         *float64 `json:"to_pct"`
	KW            float64  `json:"kw"`
	SlopeKWPerMin float64  `json:"slope_kw_per_min"`
}

// Cliff is a sudden fall of the power.
type Cliff struct {
	TS     float64  `json:"t_s"`
	SoCPct *float64 `json:"soc_pct"`
	FromKW float64  `json:"from_kw"`
	ToKW   float64  `json:"to_kw"`
}

// Ceiling is a stretch with one cause that held the power down.
type Ceiling struct {
	FromS       float64       `json:"from_s"`
	ToS         float64       `json:"to_s"`
	Cause       ceiling.Cause `json:"cause"`
	Confidence  string        `json:"confidence"` // strong, likely or unsure
	RunnerUp    ceiling.Cause `json:"runner_up"`  // empty: none
	Evidence    []string      `json:"evidence"`   // in words, with the numbers used
	MinutesLost *float64      `json:"minutes_lost"`
}

// Claim is what was claimed of a run, held against what was measured.
type Claim struct {
	Kind     string   `json:"kind"`     // window or peak
	Verdict  string   `json:"verdict"`  // met, missed or untested
	Measured *float64 `json:"measured"` // minutes, or kW
	Claimed  *float64 `json:"claimed"`
}

// RecordingNote says what one recording holds. The offset's low and high ends and
// the grade need clocks that were lined up, and are nil until then.
type RecordingNote struct {
	File         string   `json:"file"`
	Readings     int      `json:"readings"`
	ClockOffsetS float64  `json:"clock_offset_s"`
	OffsetLowS   *float64 `json:"offset_low_s"`
	OffsetHighS  *float64 `json:"offset_high_s"`
	Gaps         int      `json:"gaps"`
	Spikes       int      `json:"spikes"`
	Grade        *string  `json:"grade"`
}

// Finding is one plain statement and the stretch of the run it speaks of.
type Finding struct {
	Text       string  `json:"text"`
	Confidence string  `json:"confidence"` // strong, likely or unsure
	FromS      float64 `json:"from_s"`
	ToS        float64 `json:"to_s"`

	Kind     string   `json:"kind"` // window, peak, ramp, energy or gap
	Evidence []string `json:"evidence"`
}

// Battery is the pack's temperature near plug-in and near last power, °C: the coldest
// cell where it was read there, else the pack's one value; nil where neither was.
type Battery struct {
	StartC     *float64 `json:"start_c"`
	EndC       *float64 `json:"end_c"`
	Coldest    bool     `json:"coldest"`     // StartC is the coldest cell's
	EndColdest bool     `json:"end_coldest"` // EndC is
}

// SoCSpan is the state of charge at clock zero and the highest reached.
type SoCSpan struct {
	FromPct float64 `json:"from_pct"`
	ToPct   float64 `json:"to_pct"`
}

// Format is the name and version of the open format of a reading.
const Format = "zincroad-reading/1"

func newReading(o Options) *Reading {
	return &Reading{
		Format: Format, Clock: o.Clock, Side: o.Side,
		Posts: []Post{}, Windows: []Window{},
		Plateaus: []Plateau{}, Cliffs: []Cliff{}, Ceilings: []Ceiling{}, Claims: []Claim{},
		Gaps: []trace.Span{}, Legs: []Leg{}, Recordings: []RecordingNote{}, Findings: []Finding{},
	}
}

// Window gives the window between two states of charge, and false where the run
// does not cover it.
func (r *Reading) Window(from, to float64) (Window, bool) {
	for _, w := range r.Windows {
		if w.FromPct == from && w.ToPct == to {
			return w, true
		}
	}
	return Window{}, false
}

// Post gives the time of a post, and false where it was not reached.
func (r *Reading) Post(soc float64) (float64, bool) {
	for _, p := range r.Posts {
		if p.SoCPct == soc {
			return p.TS, true
		}
	}
	return 0, false
}

func ptr(v float64) *float64 { return &v }
