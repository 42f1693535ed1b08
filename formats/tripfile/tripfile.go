// Package tripfile reads trips in the open format zincroad-trip/1.
package tripfile

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"

	"zincroad/core/forecast"
	"zincroad/core/run"
	"zincroad/core/trip"
	"zincroad/formats/csvlog"
	"zincroad/formats/runfolder"
	"zincroad/formats/trackfile"
)

// document is a trip as it is written. Car, stall and tariff are those of run.json.
type document struct {
	Format          string          `json:"format"`
	Car             json.RawMessage `json:"car"`
	Learned         string          `json:"learned"`
	Profile         string          `json:"profile"`
	DistanceKm      float64         `json:"distance_km"`
	SpeedKmh        *float64        `json:"speed_kmh"`
	StartPct        *float64        `json:"start_pct"`
	ArrivePct       *float64        `json:"arrive_pct"`
	ReservePct      *float64        `json:"reserve_pct"`
	AmbientC        *float64        `json:"ambient_c"`
	BatteryC        *float64        `json:"battery_c"`
	BatteryAtStopsC *float64        `json:"battery_c_at_stops"`
	Weigh           string          `json:"weigh"`
	MinuteWorth     float64         `json:"minute_worth"`
	Track           json.RawMessage `json:"track"` // GeoJSON, or the name of a file
	MassKg          float64         `json:"mass_kg"`
	Weather         *weather        `json:"weather"`
	Sites           []site          `json:"sites"`
}

type weather struct {
	HeadwindKmh float64 `json:"headwind_kmh"`
	Rain        bool    `json:"rain"`
	ClimateKW   float64 `json:"climate_kw"`
}

type site struct {
	Name        string          `json:"name"`
	AtKm        *float64        `json:"at_km"`
	DetourKm    *float64        `json:"detour_km"`
	LatDeg      *float64        `json:"lat"`
	LonDeg      *float64        `json:"lon"`
	DetourMin   float64         `json:"detour_min"`
	OverheadMin *float64        `json:"overhead_min"`
	Stall       json.RawMessage `json:"stall"`
	Tariff      json.RawMessage `json:"tariff"`
}

// What stands in for what a trip does not say (common practice, no source).
const (
	usualSpeedKmh    = 110.0
	usualStartPct    = 90.0
	usualArrivePct   = 10.0
	usualReservePct  = 6.0
	usualAmbientC    = 15.0
	usualOverheadMin = 5.0
)

// Read reads a trip, and the name of the file with what its car's runs taught (empty: none). beside reads a file that
// the trip names, from where the trip's own lies; nil: none is read. The error calls the document name; one that is bad
// input is a *runfolder.FaultError.
func Read(doc []byte, name string, beside func(path string) ([]byte, error)) (t trip.Trip, learned string, err error) {
	var d document
	if err := json.Unmarshal(doc, &d); err != nil {
		return t, "", fault(name, lineOf(doc, err), err.Error())
	}
	if d.Format != trip.Format {
		return t, "", fault(name, 1, fmt.Sprintf("format: %q, expected %q", d.Format, trip.Format))
	}
	or := func(v *float64, otherwise float64) float64 {
		if v == nil {
			return otherwise
		}
		return *v
	}
	t = trip.Trip{DistanceKm: d.DistanceKm, SpeedKmh: or(d.SpeedKmh, usualSpeedKmh),
		StartPct: or(d.StartPct, usualStartPct), ArrivePct: or(d.ArrivePct, usualArrivePct),
		ReservePct: or(d.ReservePct, usualReservePct),
		AmbientC:   or(d.AmbientC, usualAmbientC), BatteryAtStopsC: d.BatteryAtStopsC, Weigh: trip.Weigh(d.Weigh),
		MinuteWorth: d.MinuteWorth, Gentle: d.Profile == run.Profiles[1], MassKg: d.MassKg,
		Weather: (*trip.Weather)(d.Weather)}
	t.BatteryC = or(d.BatteryC, t.AmbientC+forecast.DrivenK)
	if d.Weigh == "" {
		t.Weigh = trip.Minutes
	}
	r, err := part(map[string]json.RawMessage{"car": d.Car}, name+", car")
	if err != nil {
		return t, "", err
	}
	t.Car = r.Car
	if t.Track, err = trackOf(d.Track, beside); err != nil {
		return t, "", fault(name, 1, "track: "+err.Error())
	}
	if t.Track != nil && t.DistanceKm == 0 {
		t.DistanceKm = t.Track.LengthKm()
	}
	for i, s := range d.Sites {
		stall, err := stallOf(s, fmt.Sprintf("%s, site %d", name, i+1))
		if err != nil {
			return t, "", err
		}
		at, detour := 0.0, 0.0
		if t.Track != nil && s.LatDeg != nil && s.LonDeg != nil {
			at, detour = t.Track.Aside(*s.LatDeg, *s.LonDeg)
			at *= t.DistanceKm / t.Track.LengthKm()
		}
		t.Sites = append(t.Sites, trip.Site{Name: s.Name, AtKm: or(s.AtKm, at), DetourKm: or(s.DetourKm, detour),
			DetourMin: s.DetourMin, OverheadMin: or(s.OverheadMin, usualOverheadMin), Stall: stall})
	}
	return t, d.Learned, nil
}

// trackOf is a trip's track: written in it, or in a file that it names.
func trackOf(doc json.RawMessage, beside func(string) ([]byte, error)) (*trip.Track, error) {
	if len(doc) == 0 || string(doc) == "null" {
		return nil, nil
	}
	var path string
	if json.Unmarshal(doc, &path) == nil {
		if beside == nil {
			return nil, errors.New("files are not read here; write the track as GeoJSON")
		}
		text, err := beside(path)
		if err != nil {
			return nil, err
		}
		doc = text
	}
	return trackfile.Read(doc)
}

// stallOf is a site's stall with its tariff, which may stand beside it.
func stallOf(s site, name string) (*run.Stall, error) {
	keys := map[string]json.RawMessage{}
	if len(s.Stall) > 0 {
		if err := json.Unmarshal(s.Stall, &keys); err != nil {
			return nil, fault(name, 1, "stall: "+err.Error())
		}
	}
	if len(s.Tariff) > 0 && string(s.Tariff) != "{}" && string(s.Tariff) != "null" {
		keys["tariff"] = s.Tariff
	}
	text, err := json.Marshal(keys)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	r, err := part(map[string]json.RawMessage{"stall": text}, name)
	if err != nil {
		return nil, err
	}
	if r.Stall == nil {
		return &run.Stall{}, nil
	}
	return r.Stall, nil
}

// part reads some of run.json's keys, by its own rules.
func part(keys map[string]json.RawMessage, name string) (*run.Run, error) {
	doc := map[string]any{"format": "zincroad-run/1"}
	for k, v := range keys {
		if len(v) > 0 {
			doc[k] = v
		}
	}
	text, err := json.Marshal(doc)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return runfolder.Plan(text, name)
}

func fault(name string, line int, reason string) error {
	return &runfolder.FaultError{Faults: []csvlog.Fault{{File: name, Line: line, Reason: reason}}}
}

// lineOf is the line at which a document went wrong.
func lineOf(doc []byte, err error) int {
	at := int64(math.MaxInt64)
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.As(err, &syntax):
		at = syntax.Offset
	case errors.As(err, &kind):
		at = kind.Offset
	}
	line := 1
	for i, b := range doc {
		if int64(i) >= at {
			break
		}
		if b == '\n' {
			line++
		}
	}
	return line
}
