package logbook

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"zincroad/core/run"
)

// touch counts a change that results depend on.
func touch(tx *gorm.DB, runID int64) error {
	res := tx.Exec("UPDATE runs SET revision = revision + 1 WHERE id = ?", runID)
	if res.Error == nil && res.RowsAffected == 0 {
		return gorm.ErrRecordNotFound
	}
	return res.Error
}

// SaveDetails stores a run's title, belongings, method and conditions, and its start unless it is under way: what comes
// in then counts from the start that it has. Further marks are stored with them, all or nothing.
func (b *RunStore) SaveDetails(ctx context.Context, row *Run, marks ...Mark) error {
	return b.saveDetails(ctx, row, nil, marks)
}

// SaveDetailsUnchanged is SaveDetails where nobody has changed the run since row was read; ErrChanged otherwise, and
// nothing is stored.
func (b *RunStore) SaveDetailsUnchanged(ctx context.Context, row *Run, marks ...Mark) error {
	return b.saveDetails(ctx, row, &row.Revision, marks)
}

func (b *RunStore) saveDetails(ctx context.Context, row *Run, revision *int, marks []Mark) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var is struct {
			Live     bool
			Revision int
		}
		if err := tx.Raw("SELECT live, revision FROM runs WHERE id = ? FOR UPDATE", row.ID).Scan(&is).Error; err != nil {
			return err
		}
		if revision != nil && is.Revision != *revision {
			return ErrChanged
		}
		details := tx.Model(&Run{ID: row.ID})
		if is.Live {
			details = details.Omit("StartedAt")
		}
		err := details.Select("Title", "StartedAt", "Timezone", "CarID", "SoftwareID", "StallID", "AdapterID", "MethodName",
			"FromPct", "ToPct", "Clock", "MethodClimate", "OdometerKM", "AmbientC", "BatteryC", "Preconditioned",
			"PreconditionedMin", "Profile", "Climate", "Weather", "Label").Updates(row).Error
		if err != nil {
			return err
		}
		for _, m := range marks {
			m.RunID = row.ID
			if err := tx.Create(&m).Error; err != nil {
				return err
			}
		}
		return touch(tx, row.ID)
	})
	return mapped(fmt.Sprintf("storing run %d", row.ID), err)
}

// SoftwareOf gives a car's software version of that name, making it where it is new.
func (b *GarageStore) SoftwareOf(ctx context.Context, carID int64, version string) (int64, error) {
	s := Software{CarID: carID, Version: version}
	err := b.db.WithContext(ctx).Where("car_id = ? AND version = ?", carID, version).FirstOrCreate(&s).Error
	return s.ID, mapped("storing the software version", err)
}

// SaveMark adds a mark, or changes the one of that ID in the same run.
func (b *RunStore) SaveMark(ctx context.Context, m *Mark) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if m.ID != 0 {
			res := tx.Model(
				&Mark{},
			).Where(
				"id = ? AND run_id = ?",
				m.ID,
				m.RunID,
			).Updates(map[string]any{"t_s": m.TS, "kind": m.Kind, "note": m.Note})
			if res.Error == nil && res.RowsAffected == 0 {
				return gorm.ErrRecordNotFound
			}
			if res.Error != nil {
				return res.Error
			}
		} else if err := tx.Create(m).Error; err != nil {
			return err
		}
		return touch(tx, m.RunID)
	})
	return mapped("storing the mark", err)
}

// DeleteMark takes a mark away and gives back what it was, for undoing.
func (b *RunStore) DeleteMark(ctx context.Context, runID, id int64) (*Mark, error) {
	var m Mark
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("run_id = ?", runID).First(&m, id).Error; err != nil {
			return err
		}
		if err := tx.Delete(&Mark{}, id).Error; err != nil {
			return err
		}
		return touch(tx, runID)
	})
	return &m, mapped("deleting the mark", err)
}

// DeleteRun puts a run aside; RestoreRun brings it back.
func (b *RunStore) DeleteRun(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Delete(&Run{}, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("run %d: %w", id, ErrNotFound)
	}
	return mapped(fmt.Sprintf("deleting run %d", id), res.Error)
}

// RestoreRun brings a deleted run back.
func (b *RunStore) RestoreRun(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Exec("UPDATE runs SET deleted_at = NULL WHERE id = ?", id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("run %d: %w", id, ErrNotFound)
	}
	return mapped(fmt.Sprintf("restoring run %d", id), res.Error)
}

// Deleted lists the runs that were put aside, the latest first.
func (b *RunStore) Deleted(ctx context.Context) ([]Run, error) {
	var list []Run
	err := b.db.WithContext(ctx).Unscoped().Preload(
		"Car",
	).Where(
		"deleted_at IS NOT NULL",
	).Order("deleted_at DESC").Limit(20).Find(&list).Error
	return list, mapped("listing deleted runs", err)
}

// Count gives the number of runs, live ones too.
func (b *RunStore) Count(ctx context.Context) (int64, error) {
	var n int64
	return n, mapped("counting the runs", b.db.WithContext(ctx).Model(&Run{}).Count(&n).Error)
}

// Arrive keeps a file that waits for the tester's word and gives its number.
func (b *DeskStore) Arrive(ctx context.Context, name string, content []byte) (int64, error) {
	packed, err := pack(content)
	if err != nil {
		return 0, err
	}
	a := Arrival{Name: name, Content: packed, Size: int64(len(content)), Choices: "{}"}
	return a.ID, mapped("keeping the file", b.db.WithContext(ctx).Create(&a).Error)
}

// Arrival gives a waiting file with its content.
func (b *DeskStore) Arrival(ctx context.Context, id int64) (*Arrival, error) {
	var a Arrival
	if err := b.db.WithContext(ctx).First(&a, id).Error; err != nil {
		return nil, mapped("the waiting file", err)
	}
	var err error
	a.Content, err = unpack(a.Content)
	return &a, err
}

// ArrivalHead gives a waiting file without its content.
func (b *DeskStore) ArrivalHead(ctx context.Context, id int64) (*Arrival, error) {
	var a Arrival
	err := b.db.WithContext(ctx).Omit("content").First(&a, id).Error
	return &a, mapped("the waiting file", err)
}

// Arrivals lists the waiting files without their content, the latest first.
func (b *DeskStore) Arrivals(ctx context.Context) ([]Arrival, error) {
	var list []Arrival
	err := b.db.WithContext(ctx).Omit("content").Order("id DESC").Limit(20).Find(&list).Error
	return list, mapped("listing the waiting files", err)
}

// DropArrival forgets a waiting file.
func (b *DeskStore) DropArrival(ctx context.Context, id int64) error {
	return mapped("dropping the waiting file", b.db.WithContext(ctx).Delete(&Arrival{}, id).Error)
}

// arrivalLife is how long a file may wait.
const arrivalLife = 30 * 24 * time.Hour

// Tidy forgets files that nobody came back for.
func (b *DeskStore) Tidy(ctx context.Context) error {
	return mapped("tidying",
		b.db.WithContext(ctx).Where("created_at < ?", time.Now().Add(-arrivalLife)).Delete(&Arrival{}).Error)
}

// Words lists the values that the road can be filtered by.
type Words struct {
	Cars, Softwares, Stalls, Preconditioned, People []string
}

// Words gives what occurs in the logbook's runs.
func (b *RunStore) Words(ctx context.Context) (Words, error) {
	w := Words{Preconditioned: run.Preconditioned}
	// One look into an index for each name, however many runs have it.
	occurs := func(column, id string) string {
		return "EXISTS (SELECT FROM runs r WHERE r." + column + " = " + id + " AND " + listed + ")"
	}
	for _, q := range []struct {
		into *[]string
		sql  string
	}{
		{&w.Cars, "SELECT DISTINCT c.name FROM cars c WHERE " + occurs("car_id", "c.id")},
		{&w.Softwares, "SELECT DISTINCT s.version FROM softwares s WHERE " + occurs("software_id", "s.id")},
		{&w.Stalls, "SELECT DISTINCT t.name || ' ' || s.name FROM stalls s JOIN sites t ON t.id = s.site_id WHERE " +
			occurs("stall_id", "s.id")},
		{&w.People, "SELECT DISTINCT p.name FROM people p WHERE " + occurs("owner_id", "p.id")},
	} {
		if err := b.db.WithContext(ctx).Raw(q.sql + " ORDER BY 1").Scan(q.into).Error; err != nil {
			return w, mapped("listing what occurs", err)
		}
	}
	return w, nil
}

// Share lets every tester change a run, or its owner and keepers alone.
func (b *RunStore) Share(ctx context.Context, id int64, shared bool) error {
	res := b.db.WithContext(ctx).Exec("UPDATE runs SET shared = ? WHERE id = ? AND deleted_at IS NULL", shared, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("run %d: %w", id, ErrNotFound)
	}
	return mapped(fmt.Sprintf("sharing run %d", id), res.Error)
}

// MayChange tells whether an actor may change a run by what is noted of it: one's own, a shared one, one that is under
// way or nobody's in particular; a keeper may change all of them, a recorder those at its stalls while they are live.
func (b *RunStore) MayChange(ctx context.Context, a Actor, id int64) (bool, error) {
	if a.May(Keeper) {
		return true, nil
	}
	var may bool
	err := b.db.WithContext(ctx).Raw(`SELECT CASE @role WHEN 'tester' THEN live OR shared OR owner_id IS NULL
			OR owner_id = @person
		WHEN 'recorder' THEN owner_id = @person
			OR live AND stall_id = ANY (SELECT unnest(stalls) FROM people WHERE id = @person) ELSE false END
		FROM runs WHERE id = @id`, map[string]any{"role": string(a.Role), "person": a.PersonID, "id": id}).Scan(&may).Error
	return may, mapped(fmt.Sprintf("asking whose run %d is", id), err)
}

// Give makes a run a person's.
func (b *RunStore) Give(ctx context.Context, id, person int64) error {
	res := b.db.WithContext(ctx).Exec("UPDATE runs SET owner_id = ? WHERE id = ? AND deleted_at IS NULL", person, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("run %d: %w", id, ErrNotFound)
	}
	return mapped(fmt.Sprintf("giving run %d away", id), res.Error)
}
