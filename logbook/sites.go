package logbook

import (
	"context"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"zincroad/core/run"
)

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

// StallNamed is the number of the stall of a site by their names, made where there is none; what is not noted of it yet
// is noted.
func (b *SiteStore) StallNamed(ctx context.Context, s *run.Stall) (id *int64, err error) {
	err = b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		id, err = findStall(tx, s)
		return err
	})
	return id, mapped("finding a stall by its name", err)
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

// Sites lists the sites by name with their stalls.
func (b *SiteStore) Sites(ctx context.Context) ([]Site, error) {
	var list []Site
	err := b.db.WithContext(ctx).Preload(
		"Stalls",
		func(db *gorm.DB) *gorm.DB { return db.Order("name") },
	).Order("name").Find(&list).Error
	return list, mapped("listing the sites", err)
}

// Site gives one site with its stalls.
func (b *SiteStore) Site(ctx context.Context, id int64) (*Site, error) {
	var s Site
	err := b.db.WithContext(ctx).Preload(
		"Stalls",
		func(db *gorm.DB) *gorm.DB { return db.Order("name") },
	).First(&s, id).Error
	return &s, mapped(fmt.Sprintf("site %d", id), err)
}

// SaveSite stores a site; one without an ID is new.
func (b *SiteStore) SaveSite(ctx context.Context, s *Site) error {
	return mapped("storing the site", b.db.WithContext(ctx).Omit("Stalls").Save(s).Error)
}

// SaveStall stores a stall; one without an ID is new. What runs there cost and were held by hangs on it.
func (b *SiteStore) SaveStall(ctx context.Context, s *Stall) error {
	return b.saveAndReread(ctx, "storing the stall", "stall_id", func(tx *gorm.DB) (int64, error) {
		err := tx.Omit("Site").Save(s).Error
		return s.ID, err
	})
}

// Stall gives one stall with its site.
func (b *SiteStore) Stall(ctx context.Context, id int64) (*Stall, error) {
	var s Stall
	err := b.db.WithContext(ctx).Preload("Site").First(&s, id).Error
	return &s, mapped(fmt.Sprintf("stall %d", id), err)
}

// DeleteStall takes a stall away, unless a run was made there.
func (b *SiteStore) DeleteStall(ctx context.Context, id int64) error {
	return mapped("deleting the stall", b.db.WithContext(ctx).Delete(&Stall{}, id).Error)
}

// DeleteSite takes a site away, unless it still has stalls.
func (b *SiteStore) DeleteSite(ctx context.Context, id int64) error {
	return mapped("deleting the site", b.db.WithContext(ctx).Delete(&Site{}, id).Error)
}

// Road is how far it is from one site to another, either way; the smaller ID first.
type Road struct {
	FromSiteID int64 `gorm:"primaryKey;autoIncrement:false"`
	ToSiteID   int64 `gorm:"primaryKey;autoIncrement:false"`
	Km         float64
}

// FullName is a stall's name with its site's, where that is loaded.
func (s *Stall) FullName() string {
	if s.Site != nil {
		return s.Site.Name + " " + s.Name
	}
	return s.Name
}

// Roads gives the distances between sites, by both IDs either way round.
func (b *SiteStore) Roads(ctx context.Context) (map[[2]int64]float64, error) {
	var rows []Road
	if err := b.db.WithContext(ctx).Find(&rows).Error; err != nil {
		return nil, mapped("reading the roads", err)
	}
	out := map[[2]int64]float64{}
	for _, r := range rows {
		out[[2]int64{r.FromSiteID, r.ToSiteID}] = r.Km
		out[[2]int64{r.ToSiteID, r.FromSiteID}] = r.Km
	}
	return out, nil
}

// SavePlace stores how far a site is from the base and from other sites; nil is
// not known, and a site that is left out keeps its road.
func (b *SiteStore) SavePlace(ctx context.Context, siteID int64, baseKm *float64, roads map[int64]*float64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		res := tx.Model(&Site{ID: siteID}).Update("base_km", baseKm)
		if res.Error == nil && res.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		if res.Error != nil {
			return res.Error
		}
		for other, km := range roads {
			r := Road{FromSiteID: min(siteID, other), ToSiteID: max(siteID, other)}
			if km == nil {
				if err := tx.Delete(&r).Error; err != nil {
					return err
				}
				continue
			}
			r.Km = *km
			if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&r).Error; err != nil {
				return err
			}
		}
		return nil
	})
	return mapped(fmt.Sprintf("storing the roads of site %d", siteID), err)
}

// Place stores a site's distances by names: from the base and from other sites.
func (b *SiteStore) Place(ctx context.Context, site string, baseKm float64, roads map[string]float64) error {
	sites, err := b.Sites(ctx)
	if err != nil {
		return err
	}
	ids := map[string]int64{}
	for _, s := range sites {
		ids[s.Name] = s.ID
	}
	byID := map[int64]*float64{}
	for name, km := range roads {
		byID[ids[name]] = &km
		if ids[name] == 0 {
			return fmt.Errorf("site %q: %w", name, errUnknownName)
		}
	}
	return b.SavePlace(ctx, ids[site], &baseKm, byID)
}
