package logbook

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"zincroad/core/prepare"
	"zincroad/core/run"
)

// Preparation is a plan that was kept, as it was typed.
type Preparation struct {
	ID        int64 `gorm:"primaryKey"`
	Title     string
	Day       *time.Time `gorm:"type:date"`
	CarID     *int64
	Car       *Car
	StallID   *int64
	Stall     *Stall
	AdapterID *int64
	TripID    *int64            // whose stop it is
	ChargeS   *float64          // how long the trip has the charge take
	Choices   map[string]string `gorm:"serializer:json"`
	CreatedAt time.Time
	DeletedAt gorm.DeletedAt
	Unread    Unread `gorm:"-"`
}

// OwnMethod is a method that a tester made.
type OwnMethod struct {
	ID       int64 `gorm:"primaryKey"`
	Name     string
	Document prepare.Method `gorm:"serializer:json"`
	Unread   Unread         `gorm:"-"`
}

// TableName is fixed: the table is named for what it holds.
func (OwnMethod) TableName() string { return "methods" }

// Wanted is a combination that is to be run; what is nil or empty is any.
type Wanted struct {
	ID             int64 `gorm:"primaryKey"`
	CarID          *int64
	Car            *Car
	Software       string
	StallID        *int64
	Stall          *Stall
	Preconditioned string
	FromPct        *float64
	Repeats        int
}

// TableName is fixed: there is no plural.
func (Wanted) TableName() string { return "wanted" }

// Cell is the combination in the words of package prepare.
func (w *Wanted) Cell() prepare.Cell {
	c := prepare.Cell{Software: w.Software, Preconditioned: w.Preconditioned, FromPct: math.NaN()}
	if w.Car != nil {
		c.Car = w.Car.Name
	}
	if w.Stall != nil {
		c.Stall = w.Stall.FullName()
	}
	if w.FromPct != nil {
		c.FromPct = *w.FromPct
	}
	return c
}

// Preparations lists the kept plans, newest first.
func (b *PlanStore) Preparations(ctx context.Context) ([]Preparation, error) {
	var list []Preparation
	err := b.db.WithContext(ctx).Preload("Car").Preload("Stall.Site").Order("id DESC").Find(&list).Error
	return list, mapped("listing the kept plans", err)
}

// Preparation gives one kept plan.
func (b *PlanStore) Preparation(ctx context.Context, id int64) (*Preparation, error) {
	var p Preparation
	err := b.db.WithContext(ctx).Preload("Car").Preload("Stall.Site").First(&p, id).Error
	return &p, mapped(fmt.Sprintf("plan %d", id), err)
}

// SavePreparation keeps a plan; one without an ID is new.
func (b *PlanStore) SavePreparation(ctx context.Context, p *Preparation) error {
	db := b.db.WithContext(ctx).Omit("Car", "Stall")
	if p.ID == 0 {
		return mapped("keeping the plan", db.Create(p).Error)
	}
	res := db.Model(p).Select("Title", "Day", "CarID", "StallID", "AdapterID", "Choices").Updates(p)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("plan %d: %w", p.ID, ErrNotFound)
	}
	return mapped("keeping the plan", res.Error)
}

// DeletePreparation puts a plan aside; RestorePreparation brings it back.
func (b *PlanStore) DeletePreparation(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Delete(&Preparation{}, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("plan %d: %w", id, ErrNotFound)
	}
	return mapped("putting the plan aside", res.Error)
}

// RestorePreparation brings a plan back that was put aside.
func (b *PlanStore) RestorePreparation(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Unscoped().Model(&Preparation{}).Where("id = ?", id).Update("deleted_at", nil)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("plan %d: %w", id, ErrNotFound)
	}
	return mapped("bringing the plan back", res.Error)
}

// Methods lists the testers' own methods by name.
func (b *PlanStore) Methods(ctx context.Context) ([]OwnMethod, error) {
	var list []OwnMethod
	return list, mapped("listing the methods", b.db.WithContext(ctx).Order("name").Find(&list).Error)
}

// SaveMethod stores a method; one without an ID is new.
func (b *PlanStore) SaveMethod(ctx context.Context, m *OwnMethod) error {
	return mapped("storing the method", b.db.WithContext(ctx).Save(m).Error)
}

// DeleteMethod takes a method away and gives back what it was, for undoing. Runs
// and plans that were made by it keep its name.
func (b *PlanStore) DeleteMethod(ctx context.Context, id int64) (*OwnMethod, error) {
	var m OwnMethod
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.First(&m, id).Error; err != nil {
			return err
		}
		return tx.Delete(&OwnMethod{}, id).Error
	})
	return &m, mapped("deleting the method", err)
}

// Wanted lists what the matrix wants, in the order in which it was asked for.
func (b *PlanStore) Wanted(ctx context.Context) ([]Wanted, error) {
	var list []Wanted
	err := b.db.WithContext(ctx).Preload("Car").Preload("Stall.Site").Order("id").Find(&list).Error
	return list, mapped("reading the matrix", err)
}

// SaveWanted adds a combination to the matrix, or changes the one of that ID.
func (b *PlanStore) SaveWanted(ctx context.Context, w *Wanted) error {
	return mapped("storing the wanted runs", b.db.WithContext(ctx).Omit("Car", "Stall").Save(w).Error)
}

// DeleteWanted takes a combination out of the matrix and gives back what it was.
func (b *PlanStore) DeleteWanted(ctx context.Context, id int64) (*Wanted, error) {
	var w Wanted
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.First(&w, id).Error; err != nil {
			return err
		}
		return tx.Delete(&Wanted{}, id).Error
	})
	return &w, mapped("taking it out of the matrix", err)
}

// Made is the runs of one kind that the matrix counts: alike in all that it varies.
type Made struct {
	prepare.Cell
	Runs   int
	Newest []int64 // of them, as many as a page names, the latest first
}

// madeNamed is how many runs of a kind are named.
const madeNamed = 12

// Made lists the kinds of runs that were made, the kind of the first run first. A run's
// start is its state of charge at clock zero to a tenth of a point, else the window's
// start; a run of unknown start counts only where any start does.
func (b *PlanStore) Made(ctx context.Context) ([]Made, error) {
	var rows []struct {
		Car, Software, Stall, Preconditioned string
		FromPct                              *float64
		Runs                                 int
		IDs                                  string `gorm:"column:ids"`
	}
	err := b.db.WithContext(ctx).Raw(`WITH kinds AS (
			SELECT r.car_id, r.software_id, r.stall_id, r.preconditioned,
				round(coalesce(r.start_pct, r.from_pct) * 10) / 10 AS from_pct,
				count(*) AS runs, array_agg(r.id) AS ids, min(r.id) AS first
			FROM runs r WHERE ` + listed + ` GROUP BY 1, 2, 3, 4, 5)
		SELECT coalesce(c.name, '') AS car, coalesce(w.version, '') AS software,
			coalesce(s.name || ' ' || t.name, '') AS stall, k.preconditioned, k.from_pct, k.runs,
			array_to_string(k.ids, ' ') AS ids
		FROM kinds k LEFT JOIN cars c ON c.id = k.car_id LEFT JOIN softwares w ON w.id = k.software_id
			LEFT JOIN stalls t ON t.id = k.stall_id LEFT JOIN sites s ON s.id = t.site_id
		ORDER BY k.first`).Scan(&rows).Error
	if err != nil {
		return nil, mapped("reading the runs made", err)
	}
	out := make([]Made, len(rows))
	for i, r := range rows {
		out[i] = Made{Cell: prepare.Cell{Car: r.Car, Software: r.Software, Stall: r.Stall,
			Preconditioned: r.Preconditioned, FromPct: math.NaN()}, Runs: r.Runs}
		if r.FromPct != nil {
			out[i].FromPct = *r.FromPct
		}
		ids := make([]int64, 0, r.Runs)
		for id := range strings.FieldsSeq(r.IDs) {
			n, err := strconv.ParseInt(id, 10, 64)
			if err != nil {
				return nil, fmt.Errorf("reading the runs made: %w", err)
			}
			ids = append(ids, n)
		}
		slices.SortFunc(ids, func(a, b int64) int { return cmp.Compare(b, a) })
		out[i].Newest = ids[:min(len(ids), madeNamed)]
	}
	return out, nil
}

// errUnknownName is for places and plans of sites, cars and stalls that are not there.
var errUnknownName = errors.New("no such name")

// Want adds a combination to the matrix by names; what is empty is any.
func (b *PlanStore) Want(ctx context.Context, c *run.Car, s *run.Stall, preconditioned string, from run.Number,
	repeats int) error {
	w := &Wanted{Preconditioned: preconditioned, FromPct: from, Repeats: repeats}
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) (err error) {
		if w.CarID, _, err = findCar(tx, c); err != nil {
			return err
		}
		if c != nil {
			w.Software = c.Software
		}
		w.StallID, err = findStall(tx, s)
		return err
	})
	if err != nil {
		return mapped("storing the wanted runs", err)
	}
	return b.SaveWanted(ctx, w)
}

// KeepPlan keeps a plan for a car and a stall by name, with the other choices as
// they would have been typed.
func (b *PlanStore) KeepPlan(ctx context.Context, title string, c *run.Car, s *run.Stall,
	choices map[string]string) error {
	p := &Preparation{Title: title, Choices: map[string]string{}}
	for k, v := range choices {
		p.Choices[k] = v
	}
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) (err error) {
		if p.CarID, _, err = findCar(tx, c); err != nil {
			return err
		}
		p.StallID, err = findStall(tx, s)
		return err
	})
	if err != nil {
		return mapped("keeping the plan", err)
	}
	if p.CarID != nil {
		p.Choices["car"], p.Choices["software"] = fmt.Sprint(*p.CarID), c.Software
	}
	if p.StallID != nil {
		p.Choices["stall"] = fmt.Sprint(*p.StallID)
	}
	return b.SavePreparation(ctx, p)
}
