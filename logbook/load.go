package logbook

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/runfolder"
)

// Run gives a run with all that belongs to it but readings. A deleted run is found
// too; DeletedAt says so.
func (b *Book) Run(ctx context.Context, id int64) (*Run, error) {
	var r Run
	err := b.db.WithContext(ctx).Unscoped().
		Preload("Car.Softwares", byFirstUse).Preload("Software").Preload("Stall.Site").Preload("Adapter").
		Preload("Recordings", func(db *gorm.DB) *gorm.DB { return db.Order("position") }).
		Preload("Marks", func(db *gorm.DB) *gorm.DB { return db.Order("t_s, id") }).
		First(&r, id).Error
	return &r, mapped(fmt.Sprintf("run %d", id), err)
}

// Load gives a run with its readings, as core reads it.
func (b *Book) Load(ctx context.Context, row *Run) (*run.Run, error) {
	r := row.Describe()
	list, err := b.Corrections(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	for _, rec := range row.Recordings {
		t, err := b.readings(ctx, rec)
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
	c := run.Condition{OdometerKM: row.OdometerKM, AmbientC: row.AmbientC,
		BatteryC: row.BatteryC, Preconditioned: row.Preconditioned,
		PreconditionedMin: row.PreconditionedMin, Profile: row.Profile, Climate: row.Climate, Weather: row.Weather,
		Label: row.Label}
	if c != (run.Condition{}) {
		r.Conditions = &c
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
	then, err := runfolder.Describe([]byte(*row.Document))
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

// readings gives a recording in the order in which it was recorded.
func (b *Book) readings(ctx context.Context, rec Recording) (*trace.Recording, error) {
	return b.readingsFrom(ctx, rec, 0)
}

// readingsFrom gives a recording from its reading n on.
func (b *Book) readingsFrom(ctx context.Context, rec Recording, n int) (*trace.Recording, error) {
	out := &trace.Recording{
		Name: rec.Name, Side: trace.Side(rec.Side), ClockOffsetS: rec.ClockOffsetS,
		ClockDriftPPM: rec.ClockDriftPPM, ClockSettled: rec.ClockSettled, SoCResolutionPct: rec.SoCResolutionPct,
		PowerTolerancePct: rec.PowerTolerancePct, T: make([]float64, 0, rec.Readings), Columns: map[trace.Channel][]float64{},
	}
	names := strings.Split(rec.Channels, ",")
	if rec.Channels == "" {
		names = nil
	}
	columns := make([][]float64, len(names))
	for i := range columns {
		columns[i] = make([]float64, 0, rec.Readings)
	}
	values := make([]*float64, len(names))
	var t float64
	into := []any{&t}
	for i := range values {
		into = append(into, &values[i])
	}
	// The channels come from this program's own list, never from a file.
	query := "SELECT " + strings.Join(append([]string{"t_s"}, names...),
		", ") + " FROM readings WHERE recording_id = $1 AND n >= $2 ORDER BY n"
	err := b.db.WithContext(ctx).Connection(func(c *gorm.DB) error {
		return c.Statement.ConnPool.(*sql.Conn).Raw(func(driver any) error {
			rows, err := driver.(*stdlib.Conn).Conn().Query(ctx, query, rec.ID, n)
			if err != nil {
				return err
			}
			_, err = pgx.ForEachRow(rows, into, func() error {
				out.T = append(out.T, t)
				for i, v := range values {
					if v == nil {
						columns[i] = append(columns[i], math.NaN())
					} else {
						columns[i] = append(columns[i], *v)
					}
				}
				return nil
			})
			return err
		})
	})
	for i, n := range names {
		out.Columns[trace.Channel(n)] = columns[i]
	}
	return out, mapped("reading the readings of "+rec.Name, err)
}

// File gives a recording's file as it came, with the name it had then. A recording
// that was made at the stall came as no file: it is written as one now.
func (b *Book) File(ctx context.Context, recordingID int64) (name string, content []byte, canonical bool, err error) {
	var f recordingFile
	err = mapped("the recording's file", b.db.WithContext(ctx).First(&f, recordingID).Error)
	switch {
	case errors.Is(err, ErrNotFound):
		return b.written(ctx, recordingID)
	case err != nil:
		return "", nil, false, err
	}
	if len(f.Content) == 0 { // a large one
		if f.Content, err = parts(b.db.WithContext(ctx), recordingID); err != nil {
			return "", nil, false, mapped("the recording's file", err)
		}
	}
	content, err = unpack(f.Content)
	return f.Name, content, f.Canonical, err
}

// written writes a recording in the project's own format.
func (b *Book) written(ctx context.Context,
	recordingID int64) (name string, content []byte, canonical bool, err error) {
	var rec Recording
	if err := b.db.WithContext(ctx).First(&rec, recordingID).Error; err != nil {
		return "", nil, false, mapped("the recording", err)
	}
	full, err := b.readings(ctx, rec)
	if err != nil {
		return "", nil, false, err
	}
	var out bytes.Buffer
	if err := csvlog.Write(&out, full); err != nil {
		return "", nil, false, fmt.Errorf("%s: %w", rec.Name, err)
	}
	return rec.Name, out.Bytes(), true, nil
}

// Parcel gives a run as it travels: with its readings, and with the files of those
// recordings that can stand in a run folder as they came.
func (b *Book) Parcel(ctx context.Context, row *Run) (*run.Run, map[string][]byte, error) {
	full, err := b.Load(ctx, row)
	if err != nil {
		return nil, nil, err
	}
	list, err := b.Corrections(ctx, row.ID)
	if err != nil {
		return nil, nil, err
	}
	files := map[string][]byte{}
	for _, rec := range row.Recordings {
		if slices.ContainsFunc(list, func(c Correction) bool { return c.RecordingID == rec.ID && !c.TakenBack }) {
			continue // it travels as it is read
		}
		_, content, canonical, err := b.File(ctx, rec.ID)
		if err != nil {
			return nil, nil, err
		}
		if canonical {
			files[rec.Name] = content
		}
	}
	return full, files, nil
}
