package logbook

import (
	"context"
	"encoding/json"
	"reflect"

	"gorm.io/gorm"

	"zincroad/core/curve"
	"zincroad/core/vehicle"
)

// teach makes the runs due that a run's new or changed reading may say something new to: those of its car in the
// same profile, by what it showed of the car; those at
// its stall only where it gave more than the others there have seen, or where such a most was taken back.
func teach(tx *gorm.DB, row *Run, before, now string) error {
	was, is := taughtOf(before), taughtOf(now)
	ofCar := !reflect.DeepEqual(was.Car, is.Car)
	if row.CarID != nil && ofCar {
		err := tx.Exec("UPDATE runs SET lessons = lessons + 1 WHERE car_id = ? AND id <> ? AND profile = ? AND taught <> ''",
			*row.CarID, row.ID, row.Profile).Error
		if err != nil {
			return err
		}
	}
	if row.StallID == nil {
		return nil
	}
	var texts []string
	err := tx.Model(&Run{}).Where("stall_id = ? AND id <> ? AND taught <> '' AND NOT live", *row.StallID, row.ID).
		Order("started_at DESC NULLS LAST, id DESC").Limit(mostTeachers).Pluck("taught", &texts).Error
	if err != nil {
		return err
	}
	others := make([]curve.Taught, 0, len(texts))
	for _, text := range texts {
		others = append(others, taughtOf(text))
	}
	most := curve.AtStall(nil, others)
	moved := func(was, is, most float64) bool { return was != is && max(was, is) > most }
	if !moved(was.MostA, is.MostA, most.StallMostA) && !moved(was.MostKW, is.MostKW, most.StallMostKW) {
		return nil
	}
	return tx.Exec("UPDATE runs SET lessons = lessons + 1 WHERE stall_id = ? AND id <> ? AND taught <> ''",
		*row.StallID, row.ID).Error
}

// SetTeaches says whether a run may say what its car is like; empty: the rules decide. What its car's runs are judged
// by changes with it.
func (b *RunStore) SetTeaches(ctx context.Context, runID int64, teaches vehicle.Teaches) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		res := tx.Exec("UPDATE runs SET teaches = ? WHERE id = ? AND teaches <> ? AND NOT live AND deleted_at IS NULL",
			teaches, runID, teaches)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		return tx.Exec(`UPDATE runs SET lessons = lessons + 1 WHERE id <> ? AND taught <> ''
			AND car_id = (SELECT car_id FROM runs WHERE id = ?)`, runID, runID).Error
	})
	return mapped("noting whether a run teaches", err)
}

// taughtOf reads what a run taught; what cannot be read teaches nothing.
func taughtOf(text string) (t curve.Taught) {
	if json.Unmarshal([]byte(text), &t) != nil {
		return curve.Taught{}
	}
	return t
}
