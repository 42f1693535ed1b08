package report

import (
	"bytes"
	"encoding/csv"
	"fmt"

	"zincroad/core/curve"
	"zincroad/core/words"
)

// Trip is a way with its stops, as a report says it.
type Trip struct {
	Heading string
	Rests   string   // on what its forecasts rest
	Given   []string // what was asked for, in sentences
	Picture string   // SVG of the first plan
	Plans   []TripPlan
}

// TripPlan is one way to go.
type TripPlan struct {
	Name, Total, Parts, Takes, Money string
	ArrivePct                        float64
	Stops                            []TripStop
}

// TripStop is a stop of it.
type TripStop struct {
	Site                                            string
	AtKm, ArrivePct, LeavePct, ChargeMin, EnergyKWh float64
	Charge, Why                                     string
}

// MakeTrip works out what a report of a trip says; it needs a plan at least.
func MakeTrip(t Trip) (*Content, error) {
	var table bytes.Buffer
	w := csv.NewWriter(&table)
	rows := [][]string{{"plan", "stop", "site", "at_km", "arrive_pct", "leave_pct", "charge_min", "energy_kwh"}}
	for _, p := range t.Plans {
		for i, s := range p.Stops {
			rows = append(rows, []string{p.Name, fmt.Sprint(i + 1), s.Site, words.Fixed(s.AtKm, 1), words.Fixed(s.ArrivePct, 1),
				words.Fixed(s.LeavePct, 1), words.Fixed(s.ChargeMin, 1), words.Fixed(s.EnergyKWh, 2)})
		}
	}
	_ = w.WriteAll(rows) // into memory: it cannot fail
	out := &Content{Heading: t.Heading + ".", Sure: "a forecast", Facts: t.Given, CSV: table.String(),
		Pictures: []string{t.Picture}, Arithmetic: curve.Version, Description: t.Heading + ". " + t.Rests}
	var b bytes.Buffer
	if err := pages.ExecuteTemplate(&b, "trip", map[string]any{"Trip": t, "Arithmetic": curve.Version}); err != nil {
		return nil, fmt.Errorf("writing the report: %w", err)
	}
	out.HTML = b.String()
	return out, nil
}
