package logbook

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// bootsKept is for how long the clock of a machine's start is kept, days: no run is live for longer.
const bootsKept = 30

// KeepClock keeps by which clock live runs count on a machine: its time when its timer stood at nought. A boot is one
// start of one machine.
func (b *Book) KeepClock(ctx context.Context, boot string, bootAt time.Time) error {
	return mapped("keeping the clock", b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM clocks WHERE kept_at < now() - make_interval(days => ?)", bootsKept).Error; err != nil {
			return err
		}
		return tx.Exec(`INSERT INTO clocks (boot, boot_at) VALUES (?, ?)
			ON CONFLICT (boot) DO UPDATE SET boot_at = excluded.boot_at, kept_at = now()`, boot, bootAt.UTC()).Error
	}))
}

// KeptClock gives what KeepClock kept of a boot; false where nothing was.
func (b *Book) KeptClock(ctx context.Context, boot string) (bootAt time.Time, found bool, err error) {
	var rows []struct{ BootAt time.Time }
	err = b.db.WithContext(ctx).Raw("SELECT boot_at FROM clocks WHERE boot = ?", boot).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return time.Time{}, false, mapped("reading the clock", err)
	}
	return rows[0].BootAt, true, nil
}
