package logbook

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Clock is by which clock live runs count on a machine: its time when the machine's timer stood at nought, and how far
// the machine's own clock was from it when that was looked at last.
type Clock struct {
	BootAt time.Time
	OffS   float64
}

// bootsKept is for how long the clock of a machine's start is kept, days: no run is live for longer.
const bootsKept = 30

// KeepClock keeps the clock of a boot, which is one start of one machine.
func (b *FeedStore) KeepClock(ctx context.Context, boot string, c Clock) error {
	return mapped("keeping the clock", b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		old := "DELETE FROM clocks WHERE kept_at < now() - make_interval(days => ?)"
		if err := tx.Exec(old, bootsKept).Error; err != nil {
			return err
		}
		return tx.Exec(`INSERT INTO clocks (boot, boot_at, off_s) VALUES (?, ?, ?) ON CONFLICT (boot) DO UPDATE
			SET boot_at = excluded.boot_at, off_s = excluded.off_s, kept_at = now()`, boot, c.BootAt.UTC(), c.OffS).Error
	}))
}

// KeptClock gives what KeepClock kept of a boot; false where nothing was.
func (b *FeedStore) KeptClock(ctx context.Context, boot string) (c Clock, found bool, err error) {
	var rows []Clock
	err = b.db.WithContext(ctx).Raw("SELECT boot_at, off_s FROM clocks WHERE boot = ?", boot).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return Clock{}, false, mapped("reading the clock", err)
	}
	return rows[0], true, nil
}
