package logbook

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"gorm.io/gorm"

	"zincroad/core/trace"
)

// Correction is one value of one reading that is read otherwise than it was recorded.
// What was recorded stays; a correction can be taken back and put in again.
type Correction struct {
	ID          int64 `gorm:"primaryKey"`
	RunID       int64
	RecordingID int64
	N           int      // the reading's place in its recording, from 0
	Channel     string   // a channel, or TimeCorrected
	Value       *float64 // in the channel's unit; nil: the value is left out
	MadeAt      time.Time
	TakenBack   bool
}

// TimeCorrected stands for a reading's time, in s on its recording's own clock.
const TimeCorrected = "t_s"

// Corrections lists a run's corrections in the order made, taken back ones too.
func (b *RecordingStore) Corrections(ctx context.Context, runID int64) ([]Correction, error) {
	var list []Correction
	err := b.db.WithContext(ctx).Where("run_id = ?", runID).Order("id").Find(&list).Error
	return list, mapped("reading the corrections", err)
}

// Correct adds a correction. It fails with ErrNotFound where the run has no such
// reading.
func (b *RecordingStore) Correct(ctx context.Context, c *Correction) error {
	c.MadeAt = time.Now().UTC()
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var rec Recording
		if err := tx.Where("run_id = ?", c.RunID).First(&rec, c.RecordingID).Error; err != nil {
			return err
		}
		if c.N < 0 || c.N >= rec.Readings {
			return gorm.ErrRecordNotFound
		}
		if err := tx.Create(c).Error; err != nil {
			return err
		}
		return touch(tx, c.RunID)
	})
	return mapped("storing the correction", err)
}

// TakeBackCorrection takes a correction back, or puts it in again.
func (b *RecordingStore) TakeBackCorrection(ctx context.Context, runID, id int64, back bool) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		res := tx.Model(&Correction{}).Where("run_id = ? AND id = ?", runID, id).Update("taken_back", back)
		if res.Error == nil && res.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		if res.Error != nil {
			return res.Error
		}
		return touch(tx, runID)
	})
	return mapped("taking the correction back", err)
}

// SaveRecording says whose a recording is and how far its clock is off. Its readings
// stay as they came.
func (b *RecordingStore) SaveRecording(ctx context.Context, runID, recordingID int64, side trace.Side,
	offsetS float64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		res := tx.Model(&Recording{}).Where("run_id = ? AND id = ?", runID, recordingID).
			Updates(map[string]any{"side": string(side), "clock_offset_s": offsetS})
		if res.Error == nil && res.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		if res.Error != nil {
			return res.Error
		}
		return touch(tx, runID)
	})
	return mapped(fmt.Sprintf("storing recording %d", recordingID), err)
}

// corrected applies the corrections of one recording to it, in the order made.
func corrected(rec *trace.Recording, recordingID int64, list []Correction) {
	for _, c := range list {
		if c.RecordingID != recordingID || c.TakenBack || c.N >= rec.Len() {
			continue
		}
		v := math.NaN()
		if c.Value != nil {
			v = *c.Value
		}
		if c.Channel == TimeCorrected {
			if c.Value != nil {
				rec.T[c.N] = v
			}
			continue
		}
		col := rec.Columns[trace.Channel(c.Channel)]
		if col == nil {
			col = slices.Repeat([]float64{math.NaN()}, rec.Len())
			rec.Columns[trace.Channel(c.Channel)] = col
		}
		col[c.N] = v
	}
}
