package logbook

import (
	"context"
	"errors"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"zincroad/core/run"
)

// findCar gives the car of that name and its software, making what is missing.
// A rating that the garage does not know yet is taken over; one that it knows
// stays as it is.
func findCar(tx *gorm.DB, c *run.Car) (carID, softwareID *int64, err error) {
	if c == nil || c.Name == "" {
		return nil, nil, nil
	}
	row := CarFrom(c)
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(row).Error; err != nil {
		return nil, nil, err
	}
	var kept Car
	if err := tx.Where("name = ?", c.Name).First(&kept).Error; err != nil {
		return nil, nil, err
	}
	if complete(&kept, c) {
		if err := tx.Save(&kept).Error; err != nil {
			return nil, nil, err
		}
	}
	if c.Software == "" {
		return &kept.ID, nil, nil
	}
	s := Software{CarID: kept.ID, Version: c.Software}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&s).Error; err != nil {
		return nil, nil, err
	}
	err = tx.Where("car_id = ? AND version = ?", kept.ID, c.Software).First(&s).Error
	return &kept.ID, &s.ID, err
}

// CarNamed is the number of the car of a name, made where there is none; what is not noted of it yet is noted.
func (b *GarageStore) CarNamed(ctx context.Context, c *run.Car) (id *int64, err error) {
	err = b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		id, _, err = findCar(tx, c)
		return err
	})
	return id, mapped("finding a car by its name", err)
}

// CarFrom is a car as run.json describes it, on its way into the garage: without a number, software and note.
func CarFrom(c *run.Car) *Car {
	out := &Car{}
	carry(out, c)
	return out
}

// Describe gives the car in the words of run.json, with what a software version of it
// changed.
func (c *Car) Describe(software string) *run.Car {
	out := &run.Car{Software: software}
	carry(out, c)
	for _, s := range c.Softwares {
		if s.Version == software {
			carry(out, &s)
		}
	}
	return out
}

// findAdapter gives the adapter of that name, making it where it is new.
func findAdapter(tx *gorm.DB, a *run.Adapter) (*int64, error) {
	if a == nil || a.Name == "" {
		return nil, nil
	}
	row := Adapter{Name: a.Name, MaxA: a.MaxA, MaxV: a.MaxV}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row).Error; err != nil {
		return nil, err
	}
	var kept Adapter
	if err := tx.Where("name = ?", a.Name).First(&kept).Error; err != nil {
		return nil, err
	}
	return &kept.ID, nil
}

// Cars lists the garage by name, with software in order of first use.
func (b *GarageStore) Cars(ctx context.Context) ([]Car, error) {
	var cars []Car
	err := b.db.WithContext(ctx).Preload("Softwares", byFirstUse).Order("name").Find(&cars).Error
	return cars, mapped("listing the cars", err)
}

// byFirstUse orders software versions by when each was first used, or else noted: what
// they are called says nothing (2099.10 came after 2099.9).
func byFirstUse(db *gorm.DB) *gorm.DB {
	return db.Order(
		`coalesce((SELECT min(r.started_at) FROM runs r WHERE r.software_id = softwares.id
			AND r.deleted_at IS NULL), added_at), id`,
	)
}

// Car gives one car.
func (b *GarageStore) Car(ctx context.Context, id int64) (*Car, error) {
	var c Car
	err := b.db.WithContext(ctx).Preload("Softwares", byFirstUse).First(&c, id).Error
	return &c, mapped(fmt.Sprintf("car %d", id), err)
}

// SaveCar stores a car; one without an ID is new. Software is kept apart.
func (b *GarageStore) SaveCar(ctx context.Context, c *Car) error {
	return b.saveAndReread(ctx, "storing the car", "car_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Omit("Softwares").Save(c).Error
		return c.ID, err
	})
}

// saveAndReread stores what the judgement of runs hangs on, and marks the runs that have it for
// being worked out anew.
func (b *base) saveAndReread(ctx context.Context, doing, column string, save func(tx *gorm.DB) (int64, error)) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		id, err := save(tx)
		if err != nil {
			return err
		}
		return tx.Exec("UPDATE runs SET revision = revision + 1 WHERE "+column+" = ?", id).Error
	})
	return mapped(doing, err)
}

// DeleteCar takes a car out of the garage, unless a run was made with it.
func (b *GarageStore) DeleteCar(ctx context.Context, id int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var used int64
		if err := tx.Unscoped().Model(&Run{}).Where("car_id = ?", id).Count(&used).Error; err != nil {
			return err
		}
		if used > 0 {
			return ErrInUse
		}
		if err := tx.Where("car_id = ?", id).Delete(&Software{}).Error; err != nil {
			return err
		}
		return tx.Delete(&Car{}, id).Error
	})
	return mapped("deleting the car", err)
}

// Software gives one software version.
func (b *GarageStore) Software(ctx context.Context, id int64) (*Software, error) {
	var s Software
	err := b.db.WithContext(ctx).First(&s, id).Error
	return &s, mapped(fmt.Sprintf("software %d", id), err)
}

// SaveSoftware adds or changes a car's software version.
func (b *GarageStore) SaveSoftware(ctx context.Context, s *Software) error {
	return b.saveAndReread(ctx, "storing the software version", "software_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Save(s).Error
		return s.ID, err
	})
}

// DeleteSoftware takes a version away, unless a run was made with it.
func (b *GarageStore) DeleteSoftware(ctx context.Context, id int64) error {
	return mapped("deleting the software version", b.db.WithContext(ctx).Delete(&Software{}, id).Error)
}

// Adapters lists the adapters by name.
func (b *GarageStore) Adapters(ctx context.Context) ([]Adapter, error) {
	var list []Adapter
	return list, mapped("listing the adapters", b.db.WithContext(ctx).Order("name").Find(&list).Error)
}

// SaveAdapter stores an adapter; one without an ID is new.
func (b *GarageStore) SaveAdapter(ctx context.Context, a *Adapter) error {
	return b.saveAndReread(ctx, "storing the adapter", "adapter_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Save(a).Error
		return a.ID, err
	})
}

// DeleteAdapter takes an adapter away, unless a run was made with it.
func (b *GarageStore) DeleteAdapter(ctx context.Context, id int64) error {
	return mapped("deleting the adapter", b.db.WithContext(ctx).Delete(&Adapter{}, id).Error)
}

// IsRule tells whether an error is a rule that the tester can do something about.
func IsRule(err error) bool {
	return errors.Is(err, ErrTaken) || errors.Is(err, ErrInUse) || errors.Is(err, ErrRefused) ||
		errors.Is(err, ErrNotFound)
}
