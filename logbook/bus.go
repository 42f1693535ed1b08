package logbook

import (
	"context"
	"errors"

	"gorm.io/gorm/clause"
)

// CarBus is what names the signals of a car's bus: a DBC file, and which of them are which channel.
type CarBus struct {
	CarID   int64 `gorm:"primaryKey"`
	Name    string
	DBC     []byte `gorm:"column:dbc"`
	Signals string
}

// TableName is the name that it has in the database.
func (CarBus) TableName() string { return "car_buses" }

// Bus gives what is kept of a car's bus; nil where nothing is.
func (b *GarageStore) Bus(ctx context.Context, carID int64) (*CarBus, error) {
	var bus CarBus
	err := mapped("the car's bus", b.db.WithContext(ctx).First(&bus, carID).Error)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return &bus, err
}

// SaveBus keeps it in the place of what was kept before.
func (b *GarageStore) SaveBus(ctx context.Context, bus *CarBus) error {
	return mapped("keeping the car's bus", b.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).
		Create(bus).Error)
}
