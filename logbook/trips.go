package logbook

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Trip is a way with its stops that was kept, each stop a plan.
type Trip struct {
	ID        int64 `gorm:"primaryKey"`
	Name      string
	CreatedAt time.Time
	Stops     []TripStop `gorm:"-"` // in order of the way; those that were not removed
}

// TripStop is a plan with the run that was made by it.
type TripStop struct {
	Preparation
	RunID *int64 // the newest; nil: none yet
}

// SaveTrip keeps a trip with a plan for each of its stops, all of them or none.
func (b *PlanStore) SaveTrip(ctx context.Context, name string, stops []*Preparation) error {
	return mapped("keeping the trip", b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		t := &Trip{Name: name}
		if err := tx.Create(t).Error; err != nil {
			return err
		}
		for _, p := range stops {
			p.TripID = &t.ID
			if err := tx.Omit("Car", "Stall").Create(p).Error; err != nil {
				return err
			}
		}
		return nil
	}))
}

// mostTrips is how many kept trips are listed.
const mostTrips = 20

// Trips lists the newest trips of which a stop's plan is still kept, with the runs that were made by them.
func (b *PlanStore) Trips(ctx context.Context) ([]Trip, error) {
	var stops []TripStop
	err := b.db.WithContext(ctx).Table("preparations p").Select(`p.*, (SELECT max(id) FROM runs r
			WHERE r.preparation_id = p.id AND r.deleted_at IS NULL AND NOT r.live) AS run_id`).
		Where(`p.deleted_at IS NULL AND p.trip_id IN (SELECT trip_id FROM preparations
			WHERE deleted_at IS NULL AND trip_id IS NOT NULL GROUP BY trip_id ORDER BY trip_id DESC LIMIT ?)`, mostTrips).
		Order("p.trip_id DESC, p.id").Scan(&stops).Error
	if err != nil || len(stops) == 0 {
		return nil, mapped("listing the stops of trips", err)
	}
	var ids []int64
	for _, s := range stops {
		ids = append(ids, *s.TripID)
	}
	var trips []Trip
	if err := b.db.WithContext(ctx).Where("id IN ?", ids).Order("id DESC").Find(&trips).Error; err != nil {
		return nil, mapped("listing the trips", err)
	}
	for i := range trips {
		for _, s := range stops {
			if *s.TripID == trips[i].ID {
				trips[i].Stops = append(trips[i].Stops, s)
			}
		}
	}
	return trips, nil
}
