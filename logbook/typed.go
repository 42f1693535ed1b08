package logbook

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"zincroad/core/trace"
)

// TypedLine is a reading as it was typed at the stall.
type TypedLine struct {
	RunID       int64 `gorm:"primaryKey"`
	Key         string
	RecordingID int64
	N           int
	TS          float64 `gorm:"column:t_s"`
	Line        string
	CorrectedBy *string
	Author      string `gorm:"->"`
}

// By names who typed it, where it was somebody of a crew.
func (l TypedLine) By() string {
	if l.Author == Owner {
		return ""
	}
	return l.Author
}

// TypedName is the file name of a side's typed readings.
func TypedName(side trace.Side) string { return "typed-" + string(side) + ".csv" }

// Type stores a typed reading of a run once, however often it is sent: key is the
// page's own name for it. Correcting names the reading that it stands in for; that
// one's line is kept beside it. A reading that was typed while its page was away
// belongs to the run though another page has ended it meanwhile.
func (b *LiveStore) Type(ctx context.Context, runID int64, side trace.Side, key, line, correcting string,
	s Sample) error {
	ctx, err := b.ofRun(ctx, runID)
	if err != nil {
		return err
	}
	err = b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		live, err := isLive(tx, runID)
		if err != nil {
			return err
		}
		rec, err := recordingOf(tx, runID, TypedName(side), side, 1)
		if err != nil {
			return err
		}
		row := TypedLine{RunID: runID, Key: key, RecordingID: rec.ID, TS: s.TS, Line: line}
		var old *TypedLine
		if correcting != "" {
			old = &TypedLine{}
			if err := tx.Where("run_id = ? AND key = ? AND corrected_by IS NULL", runID,
				correcting).First(old).Error; err != nil {
				return err
			}
			row.N, row.TS, row.RecordingID, s.TS = old.N, old.TS, old.RecordingID, old.TS
		}
		res := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if old != nil {
			err = correct(tx, runID, old, key, s)
		} else if row.N, err = appendTo(tx, rec.ID, []Sample{s}); err == nil {
			err = tx.Model(&TypedLine{}).Where("run_id = ? AND key = ?", runID, key).Update("n", row.N).Error
		}
		switch {
		case err != nil:
			return err
		case live:
			return notify(tx, runID)
		}
		return afterTheEnd(tx, runID)
	})
	return mapped("storing the reading", err)
}

// correct puts other values in the place of a typed reading.
func correct(tx *gorm.DB, runID int64, old *TypedLine, key string, s Sample) error {
	if err := tx.Model(&TypedLine{}).Where("run_id = ? AND key = ?", runID, old.Key).Update("corrected_by",
		key).Error; err != nil {
		return err
	}
	values := map[string]any{}
	for _, in := range trace.Channels {
		values[string(in.Channel)] = nil
		if v, ok := s.Values[in.Channel]; ok {
			values[string(in.Channel)] = v
		}
	}
	if err := tx.Table("readings").Where("recording_id = ? AND n = ?", old.RecordingID,
		old.N).Updates(values).Error; err != nil {
		return err
	}
	for _, c := range channelsOf([]Sample{s}) {
		err := tx.Exec(`UPDATE recordings SET channels = concat_ws(',', nullif(channels, ''), ?::text)
			WHERE id = ? AND NOT ? = ANY (string_to_array(channels, ','))`, c, old.RecordingID, c).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// TypedLines lists what was typed in a run, in order, corrected lines too.
func (b *LiveStore) TypedLines(ctx context.Context, runID int64) ([]TypedLine, error) {
	var list []TypedLine
	return list, mapped("reading what was typed",
		b.db.WithContext(ctx).Where("run_id = ?", runID).Order("t_s, key").Find(&list).Error)
}
