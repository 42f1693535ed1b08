package logbook

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// Bench is a comparison that was kept: which runs lie side by side, the first ones first, and how they
// are looked at.
type Bench struct {
	ID        int64 `gorm:"primaryKey"`
	Name      string
	View      string // the choices of the page's address: the reference, the clock, the chart's axes
	CreatedAt time.Time
	UpdatedAt time.Time // when it was last kept as it stood
	DeletedAt gorm.DeletedAt
	Runs      []int64 `gorm:"-"` // those that are still in the list
	Newer     int     `gorm:"-"` // runs of its cars that came since, and do not lie on it
}

// sinceKept are the runs of the cars of a bench that came after it was kept, and do not lie on it.
const sinceKept = ` FROM runs r WHERE r.deleted_at IS NULL AND NOT r.live AND r.created_at > b.updated_at
		AND r.id NOT IN (SELECT run_id FROM bench_runs WHERE bench_id = b.id)
		AND r.car_id IN (SELECT o.car_id FROM bench_runs x JOIN runs o ON o.id = x.run_id WHERE x.bench_id = b.id)`

// Benches lists the kept benches by name.
func (b *BenchStore) Benches(ctx context.Context) ([]Bench, error) { return b.benches(ctx, 0) }

// Bench gives one kept bench.
func (b *BenchStore) Bench(ctx context.Context, id int64) (*Bench, error) {
	list, err := b.benches(ctx, id)
	if err == nil && len(list) == 0 {
		return nil, fmt.Errorf("bench %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return nil, err
	}
	return &list[0], nil
}

// benches lists one kept bench, or all for 0.
func (b *BenchStore) benches(ctx context.Context, id int64) ([]Bench, error) {
	var rows []struct {
		Bench
		Lies  *int64 // the run that lies on it at one place
		Since int
	}
	err := b.db.WithContext(ctx).Raw(`SELECT b.*, r.id AS lies, (SELECT count(*)`+sinceKept+`) AS since
		FROM benches b LEFT JOIN (bench_runs x JOIN runs r ON r.id = x.run_id AND r.deleted_at IS NULL) ON x.bench_id = b.id
		WHERE b.deleted_at IS NULL AND (? = 0 OR b.id = ?) ORDER BY lower(b.name), b.id, x.place`, id, id).Scan(&rows).Error
	if err != nil {
		return nil, mapped("listing the kept benches", err)
	}
	var out []Bench
	for _, r := range rows {
		if len(out) == 0 || out[len(out)-1].ID != r.ID {
			r.Newer = r.Since
			out = append(out, r.Bench)
		}
		if r.Lies != nil {
			last := &out[len(out)-1]
			last.Runs = append(last.Runs, *r.Lies)
		}
	}
	return out, nil
}

// NewerRuns lists the runs of a kept bench's cars that came since it was kept, newest first.
func (b *BenchStore) NewerRuns(ctx context.Context, id int64, limit int) ([]Choice, error) {
	var list []Choice
	err := b.db.WithContext(ctx).Raw(choiceColumns+roadFrom+` WHERE r.id IN (SELECT n.id FROM benches b, LATERAL (
			SELECT r.id`+sinceKept+`) n WHERE b.id = ?)
		ORDER BY r.created_at DESC, r.id DESC LIMIT ?`, id, limit).Scan(&list).Error
	return list, mapped("looking for newer runs", err)
}

// KeepBench keeps a bench as it stands; one without an ID is new.
func (b *BenchStore) KeepBench(ctx context.Context, k *Bench) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if k.ID == 0 {
			if err := tx.Create(k).Error; err != nil {
				return err
			}
		} else {
			res := tx.Model(k).Select("Name", "View", "UpdatedAt").Updates(k)
			if res.Error != nil {
				return res.Error
			}
			if res.RowsAffected == 0 {
				return gorm.ErrRecordNotFound
			}
		}
		if err := tx.Exec(`DELETE FROM bench_runs WHERE bench_id = ?`, k.ID).Error; err != nil {
			return err
		}
		for place, run := range k.Runs {
			err := tx.Exec(`INSERT INTO bench_runs (bench_id, run_id, place) VALUES (?, ?, ?)`, k.ID, run, place).Error
			if err != nil {
				return err
			}
		}
		return nil
	})
	return mapped("keeping the bench", err)
}

// DeleteBench puts a kept bench aside; RestoreBench brings it back. The runs stay as they are.
func (b *BenchStore) DeleteBench(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Delete(&Bench{}, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("bench %d: %w", id, ErrNotFound)
	}
	return mapped("putting the bench aside", res.Error)
}

// RestoreBench brings a bench back that was put aside.
func (b *BenchStore) RestoreBench(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Unscoped().Model(&Bench{}).Where("id = ?", id).UpdateColumn("deleted_at", nil)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("bench %d: %w", id, ErrNotFound)
	}
	return mapped("bringing the bench back", res.Error)
}
