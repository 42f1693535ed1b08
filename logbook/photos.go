package logbook

import (
	"context"
	"fmt"
	"time"
)

// Photo is a picture taken at the stall, of a screen or a label.
type Photo struct {
	ID        int64 `gorm:"primaryKey"`
	RunID     int64
	Kind      string // image/jpeg, image/png or image/webp
	Content   []byte
	Small     []byte  // for lists; empty: kept before there were small ones
	TS        float64 `gorm:"column:t_s"` // s after the run's start
	DeletedAt *time.Time
}

// AddPhoto keeps a picture with a run.
func (b *RunStore) AddPhoto(ctx context.Context, p *Photo) error {
	return mapped("keeping the photo", b.db.WithContext(ctx).Create(p).Error)
}

// Photos lists a run's pictures in the order in which they were taken, without
// what is on them.
func (b *RunStore) Photos(ctx context.Context, runID int64) ([]Photo, error) {
	var list []Photo
	err := b.db.WithContext(ctx).Omit(
		"content",
	).Where(
		"run_id = ? AND deleted_at IS NULL",
		runID,
	).Order("t_s, id").Find(&list).Error
	return list, mapped("listing the photos", err)
}

// Photo gives one picture of a run.
func (b *RunStore) Photo(ctx context.Context, runID, id int64) (*Photo, error) {
	var p Photo
	err := b.db.WithContext(ctx).Where("run_id = ?", runID).First(&p, id).Error
	return &p, mapped(fmt.Sprintf("photo %d of run %d", id, runID), err)
}

// PutPhotoAside takes a picture out of its run's list, or back into it.
func (b *RunStore) PutPhotoAside(ctx context.Context, runID, id int64, aside bool) error {
	var at *time.Time
	if aside {
		now := time.Now().UTC()
		at = &now
	}
	res := b.db.WithContext(ctx).Model(&Photo{}).Where("run_id = ? AND id = ?", runID, id).Update("deleted_at", at)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("photo %d of run %d: %w", id, runID, ErrNotFound)
	}
	return mapped("putting the photo aside", res.Error)
}
