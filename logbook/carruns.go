package logbook

import (
	"context"
	"slices"
	"time"

	"zincroad/core/vehicle"
)

// CarRun is what a run says of its car.
type CarRun struct {
	ID        int64
	Software  string
	Site      string
	UsableKWh *float64 `gorm:"column:usable_kwh"` // nil: too little of the pack was covered
	Teaches   vehicle.Teaches
	Said      Headline
}

// CarRuns lists the latest of a car's runs, so many of them, oldest first; and how many it has in all.
func (b *ResultStore) CarRuns(ctx context.Context, carID int64, latest int) (list []CarRun, all int, err error) {
	err = b.db.WithContext(ctx).Raw(`SELECT r.id, coalesce(v.version, '') AS software, coalesce(p.name, '') AS site,
			r.usable_kwh, r.said, r.teaches
		FROM runs r LEFT JOIN softwares v ON v.id = r.software_id LEFT JOIN stalls s ON s.id = r.stall_id
			LEFT JOIN sites p ON p.id = s.site_id
		WHERE r.car_id = ? AND r.deleted_at IS NULL AND NOT r.live
		ORDER BY r.started_at DESC NULLS LAST, r.id DESC LIMIT ?`, carID, latest).Scan(&list).Error
	if slices.Reverse(list); err == nil {
		err = b.db.WithContext(ctx).Raw(`SELECT count(*) FROM runs WHERE car_id = ? AND deleted_at IS NULL AND NOT live`,
			carID).Scan(&all).Error
	}
	return list, all, mapped("listing the car's runs", err)
}

// CarCapacity is what a run says of its car's usable capacity, in kWh.
type CarCapacity struct {
	ID         int64
	StartedAt  time.Time
	Timezone   string
	Software   string
	OdometerKM *float64 `gorm:"column:odometer_km"`
	UsableKWh  float64  `gorm:"column:usable_kwh"`
	UsableLow  float64
	UsableHigh *float64 // nil: no upper end
}

// CarCapacities lists what a car's dated runs say of its capacity, oldest first.
func (b *ResultStore) CarCapacities(ctx context.Context, carID int64) ([]CarCapacity, error) {
	var list []CarCapacity
	err := b.db.WithContext(ctx).Raw(`SELECT r.id, r.started_at, r.timezone, coalesce(v.version, '') AS software,
			r.odometer_km, r.usable_kwh, r.usable_low, r.usable_high
		FROM runs r LEFT JOIN softwares v ON v.id = r.software_id
		WHERE r.car_id = ? AND r.deleted_at IS NULL AND NOT r.live AND r.started_at IS NOT NULL
			AND r.usable_kwh IS NOT NULL AND r.usable_low IS NOT NULL
		ORDER BY r.started_at, r.id`, carID).Scan(&list).Error
	return list, mapped("listing the car's capacity", err)
}
