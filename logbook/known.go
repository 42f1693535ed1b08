package logbook

import (
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"runtime/debug"
	"strings"

	lru "github.com/hashicorp/golang-lru/v2"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/vehicle"
)

// mostTeachers is how many of a car's, and of a stall's, latest runs are asked.
const mostTeachers = 16

// mostModels is how many cars as their runs know them are at hand; one takes some 100 kB.
const mostModels = 64

// What is learned depends on nothing but what its key holds, the lessons and what is noted of the car: one shelf serves
// every logbook of the process.
var (
	models  = shelf[*vehicle.Model](mostModels) // cars as their runs know them
	learned = shelf[*Learned](mostModels)       // the same, with how well they are known
)

func shelf[T any](most int) *lru.Cache[string, T] {
	c, err := lru.New[string, T](most)
	if err != nil {
		panic(err) // most is not above zero
	}
	return c
}

// Of is whose runs are asked: a car's in one profile.
type Of struct {
	CarID    int64
	Software string // the version that is asked for; empty: the latest run's
	Profile  string // full or gentle; empty: full
}

// lesson is what one run taught, as it is stored.
type lesson struct {
	ID     int64
	Text   string
	Taught curve.Taught
}

// lessonsOf lists what a car's latest runs in one profile taught, of whichever software.
func (b *ResultStore) lessonsOf(ctx context.Context, of Of) ([]lesson, error) {
	var rows []struct {
		ID      int64
		Title   string
		Taught  string
		Version string
		Profile string
		Teaches string
	}
	err := b.db.WithContext(ctx).Raw(`SELECT r.id, r.title, r.taught, coalesce(s.version, '') AS version, r.profile,
			r.teaches
		FROM runs r LEFT JOIN softwares s ON s.id = r.software_id
		WHERE r.car_id = ? AND (CASE WHEN r.profile = '' THEN 'full' ELSE r.profile END) = ? AND r.taught <> '' AND NOT r.live
			AND r.deleted_at IS NULL
		ORDER BY r.started_at DESC NULLS LAST, r.id DESC LIMIT ?`, of.CarID, of.profile(), mostTeachers).Scan(&rows).Error
	if err != nil {
		return nil, mapped("asking a car's runs", err)
	}
	out := make([]lesson, len(rows))
	for i, r := range rows {
		text := strings.Join([]string{r.Title, r.Version, r.Teaches, r.Taught}, "\n")
		out[i] = lesson{ID: r.ID, Text: text, Taught: taughtOf(r.Taught)}
		out[i].Taught.Car.ID, out[i].Taught.Car.Teaches = r.ID, vehicle.Teaches(r.Teaches)
		out[i].Taught.Car.Software, out[i].Taught.Car.Profile, out[i].Taught.Car.Run = r.Version, r.Profile, r.Title
	}
	return out, nil
}

func (o Of) profile() string {
	if o.Profile == "" {
		return run.Profiles[0]
	}
	return o.Profile
}

// Known is a car as its runs know it, in one software version and profile; nil where no run says anything. What the
// car's notes say stays with the caller.
func (b *ResultStore) Known(ctx context.Context, car *run.Car, of Of) (*vehicle.Model, error) {
	list, err := b.lessonsOf(ctx, of)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return b.model(car, of, list), nil
}

// model is what lessons come to; what was worked out before is kept by their text, so that it cannot be out of date.
// A panic of the arithmetic is a car of which nothing is known: it must not end the program.
func (b *ResultStore) model(car *run.Car, of Of, list []lesson) (m *vehicle.Model) {
	defer b.spared(of, &m)
	taught := make([]curve.Taught, len(list))
	for i, l := range list {
		taught[i] = l.Taught
	}
	key := b.keyOf(car, of, list)
	if m, ok := models.Get(key); ok {
		return m
	}
	m = vehicle.Learn(car, of.Software, of.profile(), curve.Lessons(taught))
	models.Add(key, m)
	return m
}

// spared makes a panic of learning a model that says nothing, and logs where it was.
func (b *ResultStore) spared(of Of, m **vehicle.Model) {
	if p := recover(); p != nil {
		b.log.Error("what a car's runs taught cannot be worked out", "car", of.CarID, "panic", p,
			"stack", string(debug.Stack()))
		*m = nil
	}
}

// others is what a car's model is without one of the runs that it rests on.
func (b *ResultStore) others(car *run.Car, of Of, all *vehicle.Model, list []lesson) (m *vehicle.Model) {
	defer b.spared(of, &m)
	taught := make([]curve.Taught, len(list))
	for i, l := range list {
		taught[i] = l.Taught
	}
	return all.From(car, of.Software, curve.Lessons(taught))
}

// Elsewhere is what a run is judged by beside its own readings.
func (b *ResultStore) Elsewhere(ctx context.Context, row *Run, car *run.Car) (judge.Elsewhere, error) {
	return b.elsewhere(ctx, row, car)
}

// keyOf is the same for what is asked of the same lessons alone.
func (b *ResultStore) keyOf(car *run.Car, of Of, list []lesson) string {
	h := fnv.New128a()
	noted, _ := json.Marshal(car) // a car marshals
	fmt.Fprintf(h, "%d\n%s\n%s\n%s\n", of.CarID, of.Software, of.profile(), noted)
	for _, l := range list {
		h.Write([]byte(l.Text))
	}
	return string(h.Sum(nil))
}

// elsewhere is what the other runs of the same car, and others at the same stall, taught. Each run is judged by the
// others alone.
func (b *ResultStore) elsewhere(ctx context.Context, row *Run, car *run.Car) (judge.Elsewhere, error) {
	var model *vehicle.Model
	if row.CarID != nil {
		of := Of{CarID: *row.CarID, Profile: row.Profile}
		if row.Software != nil {
			of.Software = row.Software.Version
		}
		list, err := b.lessonsOf(ctx, of)
		if err != nil {
			return judge.Elsewhere{}, err
		}
		var others []lesson
		for _, l := range list {
			if l.ID != row.ID {
				others = append(others, l)
			}
		}
		switch {
		case len(others) == 0:
		case len(others) == len(list) || len(others) <= fewTeachers:
			model = b.model(car, of, others)
		default:
			if all := b.model(car, of, list); all != nil {
				model = b.others(car, of, all, others)
			}
		}
	}
	var atStall []curve.Taught
	if row.StallID != nil {
		var texts []string
		err := b.db.WithContext(ctx).Model(&Run{}).
			Where("stall_id = ? AND id <> ? AND taught <> '' AND NOT live", *row.StallID, row.ID).
			Order("started_at DESC NULLS LAST, id DESC").Limit(mostTeachers).Pluck("taught", &texts).Error
		if err != nil {
			return judge.Elsewhere{}, mapped("asking a stall's runs", err)
		}
		for _, text := range texts {
			atStall = append(atStall, taughtOf(text))
		}
	}
	return curve.AtStall(model, atStall), nil
}

// fewTeachers is up to how many runs a model is learned wholly without the one that is judged: of more, one changes
// little of what is known of cold and heat.
const fewTeachers = 4

// Learned is a car as its runs know it, with how each was foretold from the others.
type Learned struct {
	Model   *vehicle.Model
	HeldOut []vehicle.HeldOut
	Differs []say.Text // what a software version changed, a sentence each
}

// Learned is a car as its runs know it in one profile, with how each of them was foretold from the others; nil where no
// run says anything.
func (b *ResultStore) Learned(ctx context.Context, car *run.Car, of Of) (*Learned, error) {
	list, err := b.lessonsOf(ctx, of)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	key := b.keyOf(car, of, list)
	if l, ok := learned.Get(key); ok {
		return l, nil
	}
	l := &Learned{Model: b.model(car, of, list)}
	if l.Model == nil {
		return nil, nil
	}
	var done []forecast.Done
	for _, x := range list {
		row, err := b.runs.Run(ctx, x.ID)
		if err != nil {
			return nil, err
		}
		res, err := b.Results(ctx, row)
		if err != nil {
			continue // its figures cannot be worked out: it is held against nothing
		}
		done = append(done, forecast.Done{Run: row.Describe(), Reading: res.Reading(curve.PlugClock, ""), Taught: x.Taught})
	}
	l.HeldOut = forecast.HeldOut(car, of.profile(), done)
	if versions := l.Model.Software; len(versions) > 1 {
		before := of
		before.Software = versions[1]
		l.Differs = l.Model.Against(b.model(car, before, list))
	}
	learned.Add(key, l)
	return l, nil
}
