package logbook

import (
	"context"
	"time"
	"zincroad/core/vehicle"
)

// CarRun is what a run says of its car: capacity and verdict.
type CarRun struct {
	ID         int64
	StartedAt  *time.Time
	Timezone   string
	Software   string
	Site       string
	OdometerKM *float64 `gorm:"column:odometer_km"`
	StartC     *float64 // coldest cell at plug-in
	UsableKWh  *float64 `gorm:"column:usable_kwh"` // nil: too little of the pack was covered
	UsableLow  *float64
	// nil: no upper end
	UsableHigh *float64
	Teaches    vehicle.Teaches
	Said       Headline
}

// CarRuns lists a car's runs, oldest first, with what each says of its capacity.
func (b *ResultStore) CarRuns(ctx context.Context, carID int64) ([]CarRun, error) {
	var list []CarRun
	err := b.db.WithContext(ctx).Raw(`SELECT r.id, r.started_at, r.timezone, coalesce(v.version, '') AS software,
			coalesce(p.name, '') AS site, r.odometer_km, r.start_c, r.usable_kwh, r.usable_low, r.usable_high, r.said,
			r.teaches
		FROM runs r LEFT JOIN softwares v ON v.id = r.software_id LEFT JOIN stalls s ON s.id = r.stall_id
			LEFT JOIN sites p ON p.id = s.site_id
		WHERE r.car_id = ? AND r.deleted_at IS NULL AND NOT r.live
		ORDER BY r.started_at NULLS FIRST, r.id`, carID).Scan(&list).Error
	return list, mapped("listing the car's runs", err)
}
