package logbook

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
)

// savedLayout is how a table was understood when a person last said so.
type savedLayout struct {
	Shape  string `gorm:"primaryKey"`
	Layout string
	UsedAt time.Time
}

func (savedLayout) TableName() string { return "layouts" }

// Remember keeps how a table was understood, for the next one with the same header.
func (b *DeskStore) Remember(ctx context.Context, l csvlog.Layout) error {
	if l.Canonical {
		return nil // nothing to understand
	}
	text, err := layoutText(&l)
	if err != nil {
		return err
	}
	row := savedLayout{Shape: l.Shape(), Layout: text, UsedAt: time.Now().UTC()}
	return mapped("remembering the layout", b.db.WithContext(ctx).Clauses(clause.OnConflict{
		Columns: []clause.Column{{Name: "crew_id"}, {Name: "shape"}}, UpdateAll: true}).Create(&row).Error)
}

// Remembered gives how a table with the header of a layout was understood last; false where none
// was.
func (b *DeskStore) Remembered(ctx context.Context, l csvlog.Layout) (csvlog.Layout, bool, error) {
	var row savedLayout
	err := b.db.WithContext(ctx).First(&row, "shape = ?", l.Shape()).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return l, false, nil
	}
	if err != nil {
		return l, false, mapped("looking for the layout", err)
	}
	var was csvlog.Layout
	if err := json.Unmarshal([]byte(row.Layout), &was); err != nil {
		return l, false, nil // of another time: it is guessed anew
	}
	return l.As(was), true, nil
}

// AddRecordings stores the recordings of a bundle with a run that is there already, all or
// nothing. Where both have a date, their clocks are laid on each other by it.
func (b *RecordingStore) AddRecordings(ctx context.Context, runID int64, in *intake.Bundle) error {
	packed := make([]func() ([]byte, error), len(in.Files))
	for i, f := range in.Files {
		packed[i] = packing(f.Bytes)
	}
	err := b.db.WithContext(ctx).Connection(func(c *gorm.DB) error {
		conn := c.Statement.ConnPool.(*sql.Conn)
		return c.Transaction(func(tx *gorm.DB) error {
			var row Run
			if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Preload("Recordings").First(&row, runID).Error; err != nil {
				return err
			}
			taken := map[string]bool{}
			position := 0
			for _, rec := range row.Recordings {
				taken[rec.Name] = true
				position = max(position, rec.Position+1)
			}
			if row.StartedAt == nil && !in.Run.StartedAt.IsZero() && len(row.Recordings) == 0 {
				if err := tx.Model(&row).Update("started_at", in.Run.StartedAt.UTC()).Error; err != nil {
					return err
				}
			}
			for i, rec := range in.Run.Recordings {
				if row.StartedAt != nil && !in.Run.StartedAt.IsZero() {
					rec.ClockOffsetS += in.Run.StartedAt.Sub(*row.StartedAt).Seconds()
				}
				if err := saveRecording(ctx, tx, conn, in, i, position+i, runID, packed[i], taken, func(int) {}); err != nil {
					return fmt.Errorf("%s: %w", rec.Name, err)
				}
			}
			return touch(tx, runID)
		})
	})
	return mapped("adding the recording", err)
}

// TakeAway takes a recording out of a run and puts its file back among those that wait, so that
// nothing is lost. The first recording, whose clock the run's is, stays.
func (b *RecordingStore) TakeAway(ctx context.Context, runID, recordingID int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var rec Recording
		if err := tx.Where("run_id = ? AND position > 0", runID).First(&rec, recordingID).Error; err != nil {
			return err
		}
		var file recordingFile
		if err := tx.First(&file, recordingID).Error; err != nil {
			return err
		}
		if len(file.Content) == 0 {
			var err error
			if file.Content, err = parts(tx, recordingID); err != nil {
				return err
			}
		}
		a := Arrival{Name: file.Name, Content: file.Content, Size: int64(len(file.Content)), Choices: "{}"}
		if err := tx.Create(&a).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM corrections WHERE recording_id = ?", recordingID).Error; err != nil {
			return err
		}
		if err := tx.Delete(&rec).Error; err != nil {
			return err
		}
		return touch(tx, runID)
	})
	return mapped("taking the recording away", err)
}

// SettleClock says how a recording's clock stands against the run's: by a person's hand, or, where
// settled is false, as it was noted, to be lined up by its shape again.
func (b *RecordingStore) SettleClock(
	ctx context.Context,
	runID, recordingID int64,
	offsetS, driftPPM float64,
	settled bool,
) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		res := tx.Model(&Recording{}).Where("run_id = ? AND id = ?", runID, recordingID).Updates(map[string]any{
			"clock_offset_s": offsetS, "clock_drift_ppm": driftPPM, "clock_settled": settled})
		if res.Error == nil && res.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		if res.Error != nil {
			return res.Error
		}
		return touch(tx, runID)
	})
	return mapped("settling the clock", err)
}

// LeaveOut adds a correction for each of some values of one channel that says that it is left out,
// all or nothing; they can be taken back one by one.
func (b *RecordingStore) LeaveOut(ctx context.Context, runID, recordingID int64, channels []trace.Channel,
	readings []int) error {
	var list []Correction
	now := time.Now().UTC()
	for _, c := range channels {
		for _, n := range readings {
			list = append(list, Correction{RunID: runID, RecordingID: recordingID, N: n, Channel: string(c), MadeAt: now})
		}
	}
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var rec Recording
		if err := tx.Where("run_id = ?", runID).First(&rec, recordingID).Error; err != nil {
			return err
		}
		for _, c := range list {
			if c.N < 0 || c.N >= rec.Readings {
				return gorm.ErrRecordNotFound
			}
		}
		if err := tx.CreateInBatches(&list, 500).Error; err != nil {
			return err
		}
		return touch(tx, runID)
	})
	return mapped("leaving the values out", err)
}

// TakeBackCorrections takes several corrections of a run back at once.
func (b *RecordingStore) TakeBackCorrections(ctx context.Context, runID int64, ids []int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Model(&Correction{}).Where("run_id = ? AND id IN ?", runID, ids).Update("taken_back", true).
			Error; err != nil {
			return err
		}
		return touch(tx, runID)
	})
	return mapped("taking the corrections back", err)
}

// CameIn lists the runs that came in last, with their recordings; live ones and those put aside are
// none of them.
func (b *DeskStore) CameIn(ctx context.Context, n int) ([]Run, error) {
	var list []Run
	err := b.db.WithContext(ctx).Preload("Car").Preload("Stall").Preload("Stall.Site").
		Preload("Recordings", func(db *gorm.DB) *gorm.DB { return db.Order("position") }).
		Where("NOT live").Order("id DESC").Limit(n).Find(&list).Error
	return list, mapped("listing what came in", err)
}

// MakeMaster makes one recording's clock the run's, as it lies now: offsetS is added to its times, and
// the others are lined up with it. Marks and the run's start stay where they are.
func (b *RecordingStore) MakeMaster(ctx context.Context, runID, recordingID int64, offsetS float64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var list []Recording
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("run_id = ?", runID).Order("position").
			Find(&list).Error; err != nil {
			return err
		}
		place := slices.IndexFunc(list, func(r Recording) bool { return r.ID == recordingID })
		if place < 0 {
			return gorm.ErrRecordNotFound
		}
		order := append([]Recording{list[place]}, slices.Delete(slices.Clone(list), place, place+1)...)
		// Two steps: no two may have one position at any moment.
		if err := tx.Model(&Recording{}).Where("run_id = ?", runID).
			Update("position", gorm.Expr("-1 - position")).Error; err != nil {
			return err
		}
		for i, r := range order {
			change := map[string]any{"position": i}
			if i == 0 {
				change["clock_offset_s"], change["clock_drift_ppm"], change["clock_settled"] = offsetS, 0, false
			}
			if err := tx.Model(&Recording{}).Where("id = ?", r.ID).Updates(change).Error; err != nil {
				return err
			}
		}
		return touch(tx, runID)
	})
	return mapped("making the recording's clock the run's", err)
}
