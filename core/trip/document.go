package trip

import (
	"zincroad/core/say"
)

// The names and versions of the open formats of a trip and of its plans.
const (
	Format     = "zincroad-trip/1"
	PlanFormat = "zincroad-trip-plan/1"
)

// Document is what was found, as the open format zincroad-trip-plan/1 writes it.
type Document struct {
	Format      string         `json:"format"`
	Unreachable say.Text       `json:"unreachable"`
	Plans       []documentPlan `json:"plans"`
}

type documentPlan struct {
	Name        string         `json:"name"`
	Minutes     float64        `json:"minutes"`
	DrivingMin  float64        `json:"driving_min"`
	ChargingMin float64        `json:"charging_min"`
	OverheadMin float64        `json:"overhead_min"`
	Cost        float64        `json:"cost"`
	Currency    string         `json:"currency"`
	ArrivePct   float64        `json:"arrive_pct"`
	DrivenKWh   float64        `json:"driven_kwh"` // out of the pack
	Stops       []documentStop `json:"stops"`
}

type documentStop struct {
	Site      string   `json:"site"`
	AtKm      float64  `json:"at_km"`
	ArrivePct float64  `json:"arrive_pct"`
	LeavePct  float64  `json:"leave_pct"`
	ChargeMin float64  `json:"charge_min"`
	EnergyKWh float64  `json:"energy_kwh"`
	Cost      float64  `json:"cost"`
	BatteryC  float64  `json:"battery_c"`
	Why       say.Text `json:"why"`
}

// Document is the plans of a trip in the open format.
func (p *Plans) Document(t *Trip) Document {
	d := Document{Format: PlanFormat, Unreachable: p.Unreachable, Plans: []documentPlan{}}
	for _, x := range p.Plans {
		y := documentPlan{Name: x.Name, Minutes: x.Minutes, DrivingMin: x.DrivingMin, ChargingMin: x.ChargingMin,
			OverheadMin: x.OverheadMin, Cost: x.Cost, Currency: x.Currency, ArrivePct: x.ArrivePct,
			DrivenKWh: x.DrivenKWh, Stops: []documentStop{}}
		for _, s := range x.Stops {
			site := &t.Sites[s.Site]
			y.Stops = append(y.Stops, documentStop{site.Name, site.AtKm, s.ArrivePct, s.LeavePct, s.ChargeMin, s.EnergyKWh,
				s.Cost, s.BatteryC, s.Why})
		}
		d.Plans = append(d.Plans, y)
	}
	return d
}
