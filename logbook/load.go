package logbook

import (
	"context"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"zincroad/core/run"
	"zincroad/formats/runfolder"
)

// Run gives a run with all that belongs to it but readings. A deleted run is found
// too; DeletedAt says so.
func (b *RunStore) Run(ctx context.Context, id int64) (*Run, error) {
	var r Run
	err := b.whole(ctx).First(&r, id).Error
	return &r, mapped(fmt.Sprintf("run %d", id), err)
}

// Runs gives several runs as Run gives one, in their order; nil in the place of one that there is not.
func (b *RunStore) Runs(ctx context.Context, ids []int64) ([]*Run, error) {
	var rows []*Run
	if err := b.whole(ctx).Find(&rows, "id IN ?", ids).Error; err != nil {
		return nil, mapped("reading runs", err)
	}
	out := make([]*Run, len(ids))
	for i, id := range ids {
		if at := slices.IndexFunc(rows, func(r *Run) bool { return r.ID == id }); at >= 0 {
			out[i] = rows[at]
		}
	}
	return out, nil
}

// whole asks for runs with all that belongs to them but readings, deleted ones too.
func (b *RunStore) whole(ctx context.Context) *gorm.DB {
	return b.db.WithContext(ctx).Unscoped().
		Preload("Car.Softwares", byFirstUse).Preload("Software").Preload("Stall.Site").Preload("Adapter").
		Preload("Recordings", func(db *gorm.DB) *gorm.DB { return db.Order("position") }).
		Preload("Marks", func(db *gorm.DB) *gorm.DB { return db.Order("t_s, id") })
}

// Load gives a run with its readings, as core reads it.
func (b *RunStore) Load(ctx context.Context, row *Run) (*run.Run, error) {
	r := row.Describe()
	list, err := b.recordings.Corrections(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	for _, rec := range row.Recordings {
		t, err := b.recordings.readings(ctx, rec)
		if err != nil {
			return nil, err
		}
		corrected(t, rec.ID, list)
		r.Recordings = append(r.Recordings, t)
	}
	return r, nil
}

// Describe puts a run into the words of run.json. Where the run came as a
// folder, its car, stall and adapter are described as they were described then,
// as long as the run still belongs to them.
func (row *Run) Describe() *run.Run {
	r := &run.Run{Title: row.Title, Timezone: row.Timezone, Claims: row.Claims}
	if row.StartedAt != nil {
		r.StartedAt = row.StartedAt.UTC()
	}
	if row.Car != nil {
		version := ""
		if row.Software != nil {
			version = row.Software.Version
		}
		r.Car = row.Car.Describe(version)
	}
	if row.Stall != nil {
		r.Stall = row.Stall.Describe()
	}
	if a := row.Adapter; a != nil {
		r.Adapter = &run.Adapter{Name: a.Name, MaxA: a.MaxA, MaxV: a.MaxV}
	}
	m := run.Method{
		Name:    row.MethodName,
		FromPct: row.FromPct,
		ToPct:   row.ToPct,
		Clock:   row.Clock,
		Climate: row.MethodClimate,
	}
	if m != (run.Method{}) {
		r.Method = &m
	}
	if c := row.Conditions(); *c != (run.Condition{}) {
		r.Conditions = c
	}
	for _, mark := range row.Marks {
		r.Marks = append(r.Marks, run.Mark{TS: mark.TS, Kind: mark.Kind, Note: mark.Note})
	}
	row.asDescribed(r)
	if row.Car != nil { // what is claimed of the car is tested by each of its runs
		r.Claims = slices.Clone(r.Claims)
		for _, c := range row.Car.Claims {
			if !slices.ContainsFunc(r.Claims, c.Same) {
				r.Claims = append(r.Claims, c)
			}
		}
	}
	return r
}

// asDescribed puts back what a run that came as a folder said of its car, stall and adapter then, as
// long as it still belongs to them, and what it said of method and conditions where nothing else is known.
func (row *Run) asDescribed(r *run.Run) {
	if row.Document == nil {
		return
	}
	then, err := runfolder.Kept([]byte(*row.Document))
	if err != nil {
		return
	}
	if then.Car != nil && r.Car != nil && then.Car.Name == r.Car.Name {
		software := r.Car.Software
		r.Car = then.Car
		r.Car.Software = software
	} else if then.Car != nil && then.Car.Name == "" && r.Car == nil {
		r.Car = then.Car
	}
	if s := then.Stall; s != nil &&
		(r.Stall == nil && s.Site == "" && s.Name == "" || r.Stall != nil && sameStall(s, r.Stall)) {
		r.Stall = s
	}
	if a := then.Adapter; a != nil &&
		(r.Adapter == nil && a.Name == "" || r.Adapter != nil && a.Name == r.Adapter.Name) {
		r.Adapter = a
	}
	if then.Method != nil && r.Method == nil {
		r.Method = then.Method
	}
	if then.Conditions != nil && r.Conditions == nil {
		r.Conditions = then.Conditions
	}
}

func sameStall(a, b *run.Stall) bool {
	return (a.Site == b.Site || a.Site == "" && b.Site == "unnamed site") &&
		(a.Name == b.Name || a.Name == "" && b.Name == "unnamed")
}
