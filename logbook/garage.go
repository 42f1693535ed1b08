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

// findStall gives the stall of that name at the site of that name, making both
// where they are missing. A stall without a site or name is kept under "unnamed".
func findStall(tx *gorm.DB, s *run.Stall) (*int64, error) {
	if s == nil || s.Site == "" && s.Name == "" {
		return nil, nil
	}
	site := Site{Name: s.Site}
	if site.Name == "" {
		site.Name = "unnamed site"
	}
	name := s.Name
	if name == "" {
		name = "unnamed"
	}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Omit("Stalls").Create(&site).Error; err != nil {
		return nil, err
	}
	if err := tx.Where("name = ?", site.Name).First(&site).Error; err != nil {
		return nil, err
	}
	row := StallFrom(s)
	row.SiteID, row.Name = site.ID, name
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Omit("Site").Create(row).Error; err != nil {
		return nil, err
	}
	var kept Stall
	if err := tx.Where("site_id = ? AND name = ?", site.ID, name).First(&kept).Error; err != nil {
		return nil, err
	}
	if complete(&kept, s) {
		if err := tx.Omit("Site").Save(&kept).Error; err != nil {
			return nil, err
		}
	}
	return &kept.ID, nil
}

// StallFrom is a stall as run.json describes it, without number, site and note.
func StallFrom(s *run.Stall) *Stall {
	out := &Stall{}
	carry(out, s)
	return out
}

// Describe gives the stall in the words of run.json.
func (s *Stall) Describe() *run.Stall {
	out := &run.Stall{}
	carry(out, s)
	if s.Site != nil {
		out.Site = s.Site.Name
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
func (b *Book) Cars(ctx context.Context) ([]Car, error) {
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
func (b *Book) Car(ctx context.Context, id int64) (*Car, error) {
	var c Car
	err := b.db.WithContext(ctx).Preload("Softwares", byFirstUse).First(&c, id).Error
	return &c, mapped(fmt.Sprintf("car %d", id), err)
}

// SaveCar stores a car; one without an ID is new. Software is kept apart.
func (b *Book) SaveCar(ctx context.Context, c *Car) error {
	return b.saveAndReread(ctx, "storing the car", "car_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Omit("Softwares").Save(c).Error
		return c.ID, err
	})
}

// saveAndReread stores what the judgement of runs hangs on, and marks the runs that have it for
// being worked out anew.
func (b *Book) saveAndReread(ctx context.Context, doing, column string, save func(tx *gorm.DB) (int64, error)) error {
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
func (b *Book) DeleteCar(ctx context.Context, id int64) error {
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
func (b *Book) Software(ctx context.Context, id int64) (*Software, error) {
	var s Software
	err := b.db.WithContext(ctx).First(&s, id).Error
	return &s, mapped(fmt.Sprintf("software %d", id), err)
}

// SaveSoftware adds or changes a car's software version.
func (b *Book) SaveSoftware(ctx context.Context, s *Software) error {
	return b.saveAndReread(ctx, "storing the software version", "software_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Save(s).Error
		return s.ID, err
	})
}

// DeleteSoftware takes a version away, unless a run was made with it.
func (b *Book) DeleteSoftware(ctx context.Context, id int64) error {
	return mapped("deleting the software version", b.db.WithContext(ctx).Delete(&Software{}, id).Error)
}

// Adapters lists the adapters by name.
func (b *Book) Adapters(ctx context.Context) ([]Adapter, error) {
	var list []Adapter
	return list, mapped("listing the adapters", b.db.WithContext(ctx).Order("name").Find(&list).Error)
}

// SaveAdapter stores an adapter; one without an ID is new.
func (b *Book) SaveAdapter(ctx context.Context, a *Adapter) error {
	return b.saveAndReread(ctx, "storing the adapter", "adapter_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Save(a).Error
		return a.ID, err
	})
}

// DeleteAdapter takes an adapter away, unless a run was made with it.
func (b *Book) DeleteAdapter(ctx context.Context, id int64) error {
	return mapped("deleting the adapter", b.db.WithContext(ctx).Delete(&Adapter{}, id).Error)
}

// Sites lists the sites by name with their stalls.
func (b *Book) Sites(ctx context.Context) ([]Site, error) {
	var list []Site
	err := b.db.WithContext(ctx).Preload(
		"Stalls",
		func(db *gorm.DB) *gorm.DB { return db.Order("name") },
	).Order("name").Find(&list).Error
	return list, mapped("listing the sites", err)
}

// Site gives one site with its stalls.
func (b *Book) Site(ctx context.Context, id int64) (*Site, error) {
	var s Site
	err := b.db.WithContext(ctx).Preload(
		"Stalls",
		func(db *gorm.DB) *gorm.DB { return db.Order("name") },
	).First(&s, id).Error
	return &s, mapped(fmt.Sprintf("site %d", id), err)
}

// SaveSite stores a site; one without an ID is new.
func (b *Book) SaveSite(ctx context.Context, s *Site) error {
	return mapped("storing the site", b.db.WithContext(ctx).Omit("Stalls").Save(s).Error)
}

// SaveStall stores a stall; one without an ID is new. What runs there cost and were held by hangs on it.
func (b *Book) SaveStall(ctx context.Context, s *Stall) error {
	return b.saveAndReread(ctx, "storing the stall", "stall_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Omit("Site").Save(s).Error
		return s.ID, err
	})
}

// Stall gives one stall with its site.
func (b *Book) Stall(ctx context.Context, id int64) (*Stall, error) {
	var s Stall
	err := b.db.WithContext(ctx).Preload("Site").First(&s, id).Error
	return &s, mapped(fmt.Sprintf("stall %d", id), err)
}

// DeleteStall takes a stall away, unless a run was made there.
func (b *Book) DeleteStall(ctx context.Context, id int64) error {
	return mapped("deleting the stall", b.db.WithContext(ctx).Delete(&Stall{}, id).Error)
}

// DeleteSite takes a site away, unless it still has stalls.
func (b *Book) DeleteSite(ctx context.Context, id int64) error {
	return mapped("deleting the site", b.db.WithContext(ctx).Delete(&Site{}, id).Error)
}

// IsRule tells whether an error is a rule that the tester can do something about.
func IsRule(err error) bool {
	return errors.Is(err, ErrTaken) || errors.Is(err, ErrInUse) || errors.Is(err, ErrRefused) ||
		errors.Is(err, ErrNotFound)
}
