package logbook

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"zincroad/core/trip"
)

// Way is a way over the land that trips go along.
type Way struct {
	ID        int64 `gorm:"primaryKey"`
	Name      string
	Track     trip.Track `gorm:"serializer:json"`
	CreatedAt time.Time
	DeletedAt gorm.DeletedAt
}

// Ways lists the kept ways by name.
func (b *PlanStore) Ways(ctx context.Context) ([]Way, error) {
	var list []Way
	err := b.db.WithContext(ctx).Order("lower(name), id").Find(&list).Error
	return list, mapped("listing the ways", err)
}

// SaveWay keeps a new way.
func (b *PlanStore) SaveWay(ctx context.Context, w *Way) error {
	return mapped("keeping the way", b.db.WithContext(ctx).Create(w).Error)
}

// KeepWay keeps a way of a name that there was none of.
func (b *PlanStore) KeepWay(ctx context.Context, name string, track *trip.Track) error {
	var n int64
	err := b.db.WithContext(ctx).Unscoped().Model(&Way{}).Where("name = ?", name).Count(&n).Error
	if err != nil || n > 0 {
		return mapped("looking for the way", err)
	}
	return b.SaveWay(ctx, &Way{Name: name, Track: *track})
}

// DeleteWay removes a way; RestoreWay brings it back.
func (b *PlanStore) DeleteWay(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Delete(&Way{}, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("way %d: %w", id, ErrNotFound)
	}
	return mapped("removing the way", res.Error)
}

// RestoreWay brings a removed way back.
func (b *PlanStore) RestoreWay(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Unscoped().Model(&Way{}).Where("id = ?", id).Update("deleted_at", nil)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("way %d: %w", id, ErrNotFound)
	}
	return mapped("bringing the way back", res.Error)
}
