package curve

import (
	"zincroad/core/health"
	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/lineup"
	"zincroad/core/say"
	"zincroad/core/stall"
	"zincroad/core/trace"
)

// Reading is what a run says: every figure for one clock and one side. Times are
// seconds from the clock's zero, energies kWh, powers kW, states of charge
// percent. A figure that cannot be worked out is nil or an empty list.
type Reading struct {
	Format  string     `json:"format"`  // always Format
	Clock   Clock      `json:"clock"`   // from when its times are counted
	Side    trace.Side `json:"side"`    // whose power and energy these are
	Posts   []Post     `json:"posts"`   // rising, those that were reached
	Windows []Window   `json:"windows"` // between the posts, those that can be
	Peak    *Peak      `json:"peak"`    // nil: no power was read while charging
	RampS   *float64   `json:"ramp_s"`  // from plug-in to the plateau; nil: either is not known
	Energy  Energy     `json:"energy"`

	Usable             *Interval `json:"usable_kwh"`            // from the car's side; nil under 20 points covered
	DeliveredPer100KWh *float64  `json:"delivered_per_100_kwh"` // the same from the stall's side, losses with it

	Plateaus   []Plateau       `json:"plateaus"`   // in order of time
	Cliffs     []Cliff         `json:"cliffs"`     // in order of time
	Ceilings   []Ceiling       `json:"ceilings"`   // in order of time
	Legs       []Leg           `json:"legs"`       // one for each plug-in that counts
	Recordings []RecordingNote `json:"recordings"` // in the run's own order
	Findings   []Finding       `json:"findings"`   // what a tester would say first comes first
	Cost       *stall.Bill     `json:"cost"`       // by the stall's tariff; nil: it has none
	Claims     []Claim         `json:"claims"`     // in the run's own order

	// What follows goes beyond the open format's own keys.

	ZeroS        float64      `json:"zero_s"`        // clock zero on the run's own clock
	FirstPower   float64      `json:"first_power_s"` // first power of this side on the run's own clock
	HeadlineSide trace.Side   `json:"headline_side"` // the side that the run's own figures are of
	Gaps         []trace.Span `json:"gaps"`          // of this side's power, from clock zero
	Ambient      *float64     `json:"ambient_c"`     // °C at clock zero, where it was logged
	Approach     *Approach    `json:"approach"`      // nil: no temperature was read on the way
	Battery      *Battery     `json:"battery"`       // nil: no temperature was read
	SoC          *SoCSpan     `json:"soc"`           // nil: no state of charge was read
	Screen       *Screen      `json:"screen"`        // the seller's own totals

	Distance []Distance `json:"distance"` // by the observed consumption first; empty: none is known

	Losses *LossParts `json:"losses,omitempty"` // nil: only one side was read
	Pack   *PackNotes `json:"pack,omitempty"`   // nil: the car's volts and amps were not read
	Asked  *Asked     `json:"asked,omitempty"`  // nil: nothing requested was read

	Pace *Pace `json:"pace,omitempty"` // how the headline window's time is made up

	MarkProposals []health.MarkProposal `json:"mark_proposals,omitempty"` // what nobody marked

	Implausible []Implausible `json:"implausible,omitempty"` // windows that are not stated
	// median time between power readings, else between those of SoC
	IntervalS float64 `json:"interval_s"`
}

// Post is the moment at which SoC first reaches a round value, and the side's power
// there; nil where it was not read.
type Post struct {
	SoCPct  float64  `json:"soc_pct"` // the round value
	TS      float64  `json:"t_s"`     // s from the clock's zero
	PowerKW *float64 `json:"power_kw"`

	// LowS and HighS are between when it must have been, where the state of charge was shown in
	// whole per cents: nil where it was not.
	LowS  *float64 `json:"low_s"`
	HighS *float64 `json:"high_s"`
}

// Window is the time from one post to another. EnergyKWh and AverageKW are nil
// where the side's readings do not cover it.
type Window struct {
	FromPct   float64  `json:"from_pct"`
	ToPct     float64  `json:"to_pct"`
	TS        float64  `json:"t_s"`        // how long it took, s
	EnergyKWh *float64 `json:"energy_kwh"` // of the side
	AverageKW *float64 `json:"average_kw"` // the energy over the time
}

// Peak is the highest power and how long it held.
type Peak struct {
	KW          float64  `json:"kw"`            // the highest reading that is no spike
	SustainedKW *float64 `json:"sustained_kw"`  // the highest mean over any 10 s; nil: the readings are too far apart
	TS          float64  `json:"t_s"`           // of the highest reading, s from the clock's zero
	SoCPct      *float64 `json:"soc_pct"`       // at that moment; nil: not read
	HeldS       *float64 `json:"held_s"`        // the longest time at 95 % of SustainedKW or more
	HeldFromPct *float64 `json:"held_from_pct"` // SoC when it began; nil: not read
	HeldToPct   *float64 `json:"held_to_pct"`   // SoC when it ended; nil: not read

	HeldFromS float64 `json:"held_from_s"` // when the hold began, from clock zero
}

// Energy is what both sides measured. BridgedS is the time of gaps on the
// headline side.
type Energy struct {
	StallKWh *float64 `json:"stall_kwh"` // at the plug; nil: the stall's power was not read
	CarKWh   *float64 `json:"car_kwh"`   // into the pack; nil: the car's power was not read
	LossPct  *float64 `json:"loss_pct"`  // of StallKWh; nil: one side is missing
	BridgedS *float64 `json:"bridged_s"` // s; nil: no power on the headline side

	// What follows goes beyond the open format's own keys.

	Both *Shared `json:"both,omitempty"` // while both sides were read; nil: they were not, or not by power
}

// Shared is what both sides measured over the same time.
type Shared struct {
	StallKWh float64 `json:"stall_kwh"` // at the plug
	CarKWh   float64 `json:"car_kwh"`   // into the pack
	ForS     float64 `json:"for_s"`     // how long that was, s
}

// Interval is a value with the least and the most it can be.
type Interval struct {
	Value float64  `json:"value"` // the best estimate
	Low   float64  `json:"low"`   // the least
	High  *float64 `json:"high"`  // nil: no upper end
}

// Leg is the time between a plug-in and its unplug.
type Leg struct {
	FromS     float64  `json:"from_s"`     // its plug-in, s from the clock's zero
	ToS       float64  `json:"to_s"`       // its unplug, or the last reading
	FromPct   *float64 `json:"from_pct"`   // SoC there; nil: not read
	ToPct     *float64 `json:"to_pct"`     // SoC there; nil: not read
	EnergyKWh *float64 `json:"energy_kwh"` // of the side; nil: its power was not read

	// What follows goes beyond the open format's own keys.

	FlowedToS float64 `json:"flowed_to_s"` // when power ended, by either side: standing plugged in is no charging
}

// Plateau is a stretch of steady power: where and how high, and how the line through it
// leans, in kW a minute.
type Plateau struct {
	FromS         float64  `json:"from_s"` // s from the clock's zero
	ToS           float64  `json:"to_s"`
	FromPct       *float64 `json:"from_pct"` // state of charge then; nil: not read
	ToPct         *float64 `json:"to_pct"`
	KW            float64  `json:"kw"`               // mean over time
	SlopeKWPerMin float64  `json:"slope_kw_per_min"` // of the straight line through it
}

// Cliff is a sudden fall of the power.
type Cliff struct {
	TS     float64  `json:"t_s"`     // when it began, s from the clock's zero
	SoCPct *float64 `json:"soc_pct"` // at that moment; nil: not read
	FromKW float64  `json:"from_kw"` // before it
	ToKW   float64  `json:"to_kw"`   // after it
}

// Ceiling is a stretch with one cause that held the power down.
type Ceiling struct {
	FromS       float64        `json:"from_s"`
	ToS         float64        `json:"to_s"`
	Cause       limit.Cause    `json:"cause"` // what held it
	Confidence  say.Confidence `json:"confidence"`
	RunnerUp    limit.Cause    `json:"runner_up"`    // empty: none
	Evidence    []say.Text     `json:"evidence"`     // in words, with the numbers used
	MinutesLost *float64       `json:"minutes_lost"` // against the warm pack; nil: that is not known

	Whose           limit.Whose    `json:"whose"` // car, stall, between, nobody; open: it cannot be told
	WhoseConfidence say.Confidence `json:"whose_confidence"`
	MinutesLow      *float64       `json:"minutes_low"` // MinutesLost at least and at most; nil: not known
	MinutesHigh     *float64       `json:"minutes_high"`

	// What follows goes beyond the open format's own keys.

	FromPct *float64 `json:"from_pct"` // SoC at both ends; nil: not read
	ToPct   *float64 `json:"to_pct"`
	What    say.Text `json:"what"` // the limit as a noun with its figure: "the stall's 350 A"
	// WindowLost is MinutesLost of what lies in the headline window
	WindowLost *float64 `json:"window_minutes_lost"`
	Pair       bool     `json:"pair"` // What names two causes, of which either may be meant
	// Chances are what is worth a word of how likely each cause is, likeliest first; empty where only one can be.
	Chances []Chance `json:"chances"`
}

// Chance is how likely a cause held a stretch.
type Chance struct {
	Cause  limit.Cause `json:"cause"`
	Chance float64     `json:"chance"`
}

// Holder is what held it, as far as it is known.
func (c Ceiling) Holder() judge.Holder {
	return judge.Holder{What: c.What, Confidence: c.Confidence, Pair: c.Pair, Whose: c.Whose,
		WhoseConfidence: c.WhoseConfidence}
}

// Pace is how the time of the headline window is made up, in minutes: the reference's, plus all
// that was lost, less what was gained, is the window.
type Pace struct {
	FromPct      float64       `json:"from_pct"`
	ToPct        float64       `json:"to_pct"`
	ReferenceMin float64       `json:"reference_min"` // what the warm pack would have taken, and its own pace
	GainedMin    float64       `json:"gained_min"`    // where it was faster than the reference
	Lost         []MinutesLost `json:"lost"`          // most first
	Against      say.Text      `json:"against"`       // what the reference is, in words
	Basis        string        `json:"basis"`         // noted, learnt or kind
}

// MinutesLost is the time that one cause took.
type MinutesLost struct {
	Cause   limit.Cause `json:"cause"`
	Minutes float64     `json:"minutes"`
}

// Claim is what was claimed of a run, held against what was measured.
type Claim struct {
	Kind     string   `json:"kind"`    // window or peak
	Verdict  string   `json:"verdict"` // met, missed, undecided or untested
	Low      *float64 `json:"low"`     // between what it must have been, as far apart as readings are; nil: not measured
	High     *float64 `json:"high"`
	Measured *float64 `json:"measured"` // minutes, or kW
	Claimed  *float64 `json:"claimed"`  // in the unit of Measured

	// What follows goes beyond the open format's own keys.

	FromPct *float64 `json:"from_pct,omitempty"` // of a window
	ToPct   *float64 `json:"to_pct,omitempty"`
	Why     say.Text `json:"why"` // by how much, or why it was not tested
}

// RecordingNote says what one recording holds and how its clock stands. The offset's ends are
// nil for the recording that is the clock, and where nothing speaks for an offset.
type RecordingNote struct {
	File         string   `json:"file"`           // as it was named when it came
	Readings     int      `json:"readings"`       // rows with at least one value
	ClockOffsetS float64  `json:"clock_offset_s"` // added to the recording's own times, in all
	OffsetLowS   *float64 `json:"offset_low_s"`   // 95 %
	OffsetHighS  *float64 `json:"offset_high_s"`
	Gaps         int      `json:"gaps"`   // in its power
	Spikes       int      `json:"spikes"` // of power, left out of the peak, and of SoC, left out of all
	Grade        *string  `json:"grade"`  // A to D; nil: no reading

	// What follows goes beyond the open format's own keys.

	ClockDriftPPM float64   `json:"clock_drift_ppm"` // how much faster its clock runs, millionths
	LinedUpBy     lineup.By `json:"lined_up_by"`
	Alike         float64   `json:"alike"`           // correlation of its shape with the first one's; 0: not compared
	RivalOffsetS  *float64  `json:"rival_offset_s"`  // fits as well; nil: none
	NotLinedUp    say.Text  `json:"not_lined_up"`    // why not by shape; empty where it was
	NotOneSession bool      `json:"not_one_session"` // both have a shape, and not the same

	PowerFrom string `json:"power_from"` // what its power is made of; empty: it has none

	EveryS float64           `json:"every_s"` // median interval of its readings while charging
	Means  []say.Text        `json:"means"`   // for which figures the grade means what
	Health []health.Proposal `json:"health"`  // what is wrong with its readings
}

// noteClock notes how a recording was laid on the run's clock.
func (n *RecordingNote) noteClock(c lineup.Clock) {
	n.ClockOffsetS, n.ClockDriftPPM, n.LinedUpBy = c.OffsetS, c.DriftPPM, c.By
	n.OffsetLowS, n.OffsetHighS, n.RivalOffsetS, n.NotLinedUp = c.LowS, c.HighS, c.RivalS, c.Reason
	n.NotOneSession, n.Alike = c.NotOneSession, c.Alike
}

// noteHealth notes how good a recording is.
func (n *RecordingNote) noteHealth(r health.Report) {
	n.Means, n.Health = r.Means, r.Proposals
	if n.Readings > 0 {
		n.Grade = &r.Grade
	}
}

// Finding is one plain statement and the stretch of the run it speaks of.
type Finding struct {
	Text       say.Text       `json:"text"`
	TextMi     say.Text       `json:"text_mi,omitempty"` // the same in round miles; empty: it has no round kilometres
	Confidence say.Confidence `json:"confidence"`
	FromS      float64        `json:"from_s"`
	ToS        float64        `json:"to_s"`

	Kind     string     `json:"kind"`            // window, peak, ramp, energy or gap
	Story    say.Text   `json:"story,omitempty"` // of a window: what held it, with which Text ends
	Evidence []say.Text `json:"evidence"`
}

// Battery is the pack's temperature near plug-in and near last power, °C: the coldest
// cell where it was read there, else the pack's one value; nil where neither was.
type Battery struct {
	StartC     *float64 `json:"start_c"`     // near plug-in
	EndC       *float64 `json:"end_c"`       // near last power
	Coldest    bool     `json:"coldest"`     // StartC is the coldest cell's
	EndColdest bool     `json:"end_coldest"` // EndC is
}

// SoCSpan is the state of charge at clock zero and the highest reached.
type SoCSpan struct {
	FromPct float64 `json:"from_pct"` // at clock zero
	ToPct   float64 `json:"to_pct"`   // the highest reached
}

// Format is the name and version of the open format of a reading.
const Format = "zincroad-reading/1"

func newReading(o Options) *Reading {
	return &Reading{
		Format: Format, Clock: o.Clock, Side: o.Side,
		Posts: []Post{}, Windows: []Window{},
		Plateaus: []Plateau{}, Cliffs: []Cliff{}, Ceilings: []Ceiling{}, Claims: []Claim{}, Distance: []Distance{},
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
