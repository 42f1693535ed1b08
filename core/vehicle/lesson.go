package vehicle

import (
	"time"

	"zincroad/core/run"
)

// Lesson is what one run shows of its car: a reduced copy of its readings with who held them, so that what many runs
// taught is worked out without reading their logs again. Its names in files are those of the stored results.
type Lesson struct {
	Run       string    `json:"run,omitempty"` // what people call it
	ID        int64     `json:"-"`             // its number in a logbook; 0: none
	Teaches   Teaches   `json:"-"`
	StartedAt time.Time `json:"started_at,omitzero"`
	Software  string    `json:"software,omitempty"` // empty: not noted
	Profile   string    `json:"profile,omitempty"`  // full or gentle; empty: full

	Points []Point `json:"points,omitempty"` // a few for every NodePct of charge, in order of time
	Falls  []Fall  `json:"falls,omitempty"`  // in order of time

	UsableKWh run.Number `json:"usable_kwh,omitempty"` // at the terminals, a hundred points' worth
	RestKWh   run.Number `json:"rest_kwh,omitempty"`   // the same, less the heat that the current made in the pack
	UsablePct float64    `json:"usable_pct,omitempty"` // how far either may be off, % either way
	Cells     run.Number `json:"cells,omitempty"`      // in series, by the volts; nil: noted, or not read
	Ohm       run.Number `json:"ohm,omitempty"`        // the pack's, half full, by how its volts went with its amps
	OhmC      float64    `json:"ohm_c,omitempty"`      // and its coldest cell then, °C
	Warming   []Heat     `json:"warming,omitempty"`    // while no cooling ran, every few kelvin
	Cooling   []Heat     `json:"cooling,omitempty"`    // while all of it did
	AuxKW     run.Number `json:"aux_kw,omitempty"`     // plug less pack while the cells were warm
	HeatingKW run.Number `json:"heating_kw,omitempty"` // plug less pack while they were cold
	LossPct   run.Number `json:"loss_pct,omitempty"`   // of the stall's energy
	BeginS    run.Number `json:"begin_s,omitempty"`    // from plug-in to first power
	RampS     run.Number `json:"ramp_s,omitempty"`     // from there to where something else held
	MostA     float64    `json:"most_a,omitempty"`     // into the pack
	MostKW    float64    `json:"most_kw,omitempty"`    // into the pack
	FlowedS   float64    `json:"flowed_s,omitempty"`   // the longest that power flowed after one plug-in
	Held      []Level    `json:"held,omitempty"`       // the car's own fixed limits, where they held
}

// Teaches is whether a person lets a run say what its car is like; empty: the rules decide.
type Teaches string

// What a person may say of it.
const (
	Never  Teaches = "never"
	Always Teaches = "always" // though its power fits no other's, or it repeats another
)

// Heat is what warmed the cells for a while, and by how much.
type Heat struct {
	AtC      float64 `json:"at_c"`      // coldest cell
	JouleA2S float64 `json:"joule_a2s"` // amps squared times s, as a half full pack's resistance would see them
	HeaterKJ float64 `json:"heater_kj"` // of the heater, that reached the cells
	ColdestK float64 `json:"coldest_k"` // what the coldest cell rose by
	MeanK    float64 `json:"mean_k"`    // what the mean of coldest and warmest did
	ForS     float64 `json:"for_s"`
}

// Point is the pack's power at one charge.
type Point struct {
	SoCPct float64    `json:"soc_pct"`
	KW     float64    `json:"kw"`               // into the pack
	Own    float64    `json:"own"`              // how likely it is that the car held it and no more was to be had
	Limit  float64    `json:"limit,omitempty"`  // how likely one of its own fixed limits did: a part of Own
	ColdC  run.Number `json:"cold_c,omitempty"` // coldest cell; nil: not read
	HotC   run.Number `json:"hot_c,omitempty"`  // warmest cell
}

// Fall is what was taken away at once, by whomever.
type Fall struct {
	SoCPct   float64 `json:"soc_pct"`
	AfterS   float64 `json:"after_s"`   // since the leg's first power
	PluggedS float64 `json:"plugged_s"` // since its plug-in
	Share    float64 `json:"share"`     // of the power that was left
	Called   Called  `json:"called,omitempty"`
	Sure     bool    `json:"sure,omitempty"` // it was called so for strong
}

// Called is what a run by itself says that a fall was.
type Called string

// What it may be called; empty: neither.
const (
	ATimer Called = "timer"
	AStep  Called = "step"
)

// Level is one of the car's own fixed limits where it held.
type Level struct {
	Kind string  `json:"kind"` // kW, A or converter
	At   float64 `json:"at"`   // kW or A into the pack; of a converter at the plug
	Sure bool    `json:"sure"` // strong
}

// The kinds of a Level.
const (
	LevelKW        = "kW"
	LevelA         = "A"
	LevelConverter = "converter"
)

// profile is a lesson's profile by its name.
func (l *Lesson) profile() string {
	if l.Profile == "" {
		return run.Profiles[0]
	}
	return l.Profile
}
