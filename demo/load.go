package demo

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"time"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/trip"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
	"zincroad/formats/typed"
)

// Keeper is what the demo is loaded into.
type Keeper interface {
	Has(ctx context.Context, in *intake.Bundle) (bool, error)
	Prepared(ctx context.Context) (wanted, plans int, err error)
	Save(ctx context.Context, in *intake.Bundle) (int64, error)
	Place(ctx context.Context, site string, baseKm float64, roads map[string]float64) error
	Want(ctx context.Context, c *run.Car, s *run.Stall, preconditioned string, from run.Number, repeats int) error
	KeepPlan(ctx context.Context, title string, c *run.Car, s *run.Stall, choices map[string]string) error
	KeepWay(ctx context.Context, name string, track *trip.Track) error
}

// Load stores every run of the scenario, oldest first, and says each title. What a load before that was cut off
// has stored already is passed over.
func Load(ctx context.Context, k Keeper, say func(title string)) error {
	bundles, err := Bundles()
	if err != nil {
		return err
	}
	for _, b := range bundles {
		there, err := k.Has(ctx, b)
		if err != nil {
			return fmt.Errorf("demo run %q: %w", b.Run.Title, err)
		}
		if there {
			continue
		}
		if _, err := k.Save(ctx, b); err != nil {
			return fmt.Errorf("demo run %q: %w", b.Run.Title, err)
		}
		say(b.Run.Title)
	}
	return prepareNext(ctx, k)
}

// prepareNext stores where the sites are, which runs the workshop still wants, and
// the plans that it has made.
func prepareNext(ctx context.Context, k Keeper) error {
	for _, p := range places {
		if err := k.Place(ctx, p.site, p.baseKm, p.roads); err != nil {
			return fmt.Errorf("demo site %q: %w", p.site, err)
		}
	}
	wants, kept, err := k.Prepared(ctx)
	if err != nil {
		return fmt.Errorf("demo matrix: %w", err)
	}
	for _, w := range wanted[min(wants, len(wanted)):] {
		if err := k.Want(ctx, w.car, w.stall, w.pre, w.from, w.repeats); err != nil {
			return fmt.Errorf("demo matrix: %w", err)
		}
	}
	for _, p := range plans[min(kept, len(plans)):] {
		if err := k.KeepPlan(ctx, p.title, p.car, p.stall, p.choices); err != nil {
			return fmt.Errorf("demo plan %q: %w", p.title, err)
		}
	}
	way, err := overTheMoor()
	if err != nil {
		return fmt.Errorf("demo way: %w", err)
	}
	if err := k.KeepWay(ctx, "Over High Moor to the coast", way); err != nil {
		return fmt.Errorf("demo way: %w", err)
	}
	return nil
}

// Bundles gives the runs of the scenario as they would be brought in: each was
// written as a run folder and read again, the typed one as notes.
func Bundles() ([]*intake.Bundle, error) {
	var out []*intake.Bundle
	for i := range len(entries) + 1 {
		b, err := Bundle(i)
		if err != nil {
			return nil, err
		}
		out = append(out, b)
	}
	return out, nil
}

// Bundle gives one of them, counted from 0.
func Bundle(i int) (*intake.Bundle, error) {
	if i == len(entries) {
		return typedBundle()
	}
	e := entries[i]
	z, err := Zip(e.run())
	if err != nil {
		return nil, err
	}
	b, err := intake.Bytes("demo.zip", z, intake.Choices{})
	if err != nil {
		return nil, fmt.Errorf("demo run %q: %w", e.title, err)
	}
	return b, nil
}

// typedBundle is the run that somebody typed.
func typedBundle() (*intake.Bundle, error) {
	notes, err := typed.Parse(typedNotes, "screen notes.txt", trace.StallSide)
	if err != nil {
		return nil, fmt.Errorf("demo notes: %w", err)
	}
	b := intake.Typed(notes, "screen notes.txt", intake.Choices{})
	b.Files[0].Bytes = []byte(typedNotes)
	car, stall := with(larch, "3.0"), copse1
	b.Run.Title, b.Run.StartedAt, b.Run.Timezone, b.Run.Car, b.Run.Stall = "Fourteen readings off a screen", at(
		"2026-03-18T16:05:00Z",
	), zone, &car, &stall
	b.Run.Method = &run.Method{Name: "20-80 stop", FromPct: n(20), ToPct: n(80), Clock: "plug", Climate: "off"}
	b.Run.Conditions = &run.Condition{
		AmbientC:       n(11),
		BatteryC:       n(17),
		Preconditioned: "none",
		Profile:        "full",
		Climate:        "off",
		Weather:        "dry",
	}
	return b, nil
}

const zone = "UTC"

// Zip writes a run as a zipped run folder.
func Zip(r *run.Run) ([]byte, error) {
	var out bytes.Buffer
	err := runfolder.WriteZip(&out, r, nil, nil, runfolder.Recorded(r), time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC))
	return out.Bytes(), err
}

// odometerKM is where a car of the workshop stood on a day: new a year before the scenario, 62 km a day
// since.
func odometerKM(day time.Time) float64 {
	since := day.Sub(time.Date(2025, 1, 1, 0, 0, 0, 0, time.UTC))
	return math.Round(since.Hours() / 24 * 62)
}

func (e *entry) run() *run.Run {
	steps, marks := e.session.simulate()
	s := &e.session
	profile := "full"
	if s.gentle {
		profile = "gentle"
	}
	method := &run.Method{Name: "10-80 stop", FromPct: n(e.from), ToPct: n(e.to), Clock: "plug", Climate: "off"}
	if e.from == 0 {
		method.Name = "full curve"
	}
	r := &run.Run{
		Title: e.title, StartedAt: at(e.startedAt), Timezone: zone, Car: &s.car, Stall: &s.stall, Method: method,
		Conditions: &run.Condition{
			OdometerKM:     n(odometerKM(at(e.startedAt))),
			AmbientC:       n(s.ambientC),
			BatteryC:       n(s.batteryC),
			Preconditioned: e.pre,
			Profile:        profile,
			Climate:        "off",
			Weather:        e.weather,
		},
		Claims: e.claims, Marks: marks, Recordings: s.record(steps),
	}
	if e.preMin > 0 {
		r.Conditions.PreconditionedMin = n(e.preMin)
	}
	return r
}
