package ui

import (
	"context"
	"strings"

	"zincroad/core/run"
)

// Namer finds cars and stalls by their names, and makes those that are not there yet.
type Namer interface {
	CarNamed(ctx context.Context, c *run.Car) (*int64, error)
	StallNamed(ctx context.Context, s *run.Stall) (*int64, error)
}

// Named is the car and the stall of a form: one whose name was typed, else the one that was chosen. A name alone is
// enough, the rest is asked when it matters. What is neither chosen nor named is a fault at its field, and nothing is
// made then.
func Named(ctx context.Context, f *Fields, book Namer) (car, stall *int64, err error) {
	car, stall = f.ID("car"), f.ID("stall")
	newCar := &run.Car{Name: strings.TrimSpace(f.Text("car_name")), UsableKWh: f.Ranged("usable_kwh", "car.usable_kwh")}
	newStall := &run.Stall{Site: strings.TrimSpace(f.Text("site_name")), Name: strings.TrimSpace(f.Text("stall_name")),
		RatedKW: f.Ranged("rated_kw", "stall.rated_kw")}
	if car == nil && newCar.Name == "" {
		f.Fault("car", "Which car? Choose one, or type the name of another.")
	}
	if stall == nil && newStall.Site == "" {
		f.Fault("stall", "Which stall? Choose one, or type the name of another site.")
	}
	if !f.OK() {
		return car, stall, nil
	}
	if newStall.Name == "" {
		newStall.Name = "1"
	}
	if newCar.Name != "" {
		if car, err = book.CarNamed(ctx, newCar); err != nil {
			return nil, nil, err
		}
	}
	if newStall.Site != "" {
		if stall, err = book.StallNamed(ctx, newStall); err != nil {
			return nil, nil, err
		}
	}
	return car, stall, nil
}
