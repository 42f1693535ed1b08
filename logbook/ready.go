package logbook

import (
	"context"
	"errors"
	"fmt"

	"github.com/pressly/goose/v3"
	"gorm.io/gorm"
)

// What keeps a logbook from doing its work.
var (
	ErrAway     = errors.New("the database does not answer")
	ErrReadOnly = errors.New("the database cannot be written to")
	ErrFull     = errors.New("the disk is full")
	ErrNewer    = errors.New("the database belongs to a newer Zinc Road")
	ErrOlder    = errors.New("the tables of the database are of an older Zinc Road")
)

// Ready tells whether the logbook can do its work: the database answers, takes a write, and has the tables of
// this program. The error is one of ErrAway, ErrFull, ErrReadOnly, ErrNewer and ErrOlder, with its cause.
func (b *Book) Ready(ctx context.Context) error {
	if err := b.Ping(ctx); err != nil {
		return fmt.Errorf("%w: %w", ErrAway, err)
	}
	pool, err := b.pool()
	if err != nil {
		return fmt.Errorf("%w: %w", ErrAway, err)
	}
	p, err := provider(pool)
	if err != nil {
		return err
	}
	if err := suits(ctx, p); err != nil {
		return err
	}
	if b.full.Load() {
		return ErrFull
	}
	if err := b.db.WithContext(ctx).Exec("UPDATE pulse SET at = now()").Error; err != nil {
		return fmt.Errorf("%w: %w", ErrReadOnly, err)
	}
	return nil
}

// suits tells whether the tables are those of this program.
func suits(ctx context.Context, p *goose.Provider) error {
	now, wanted, err := p.GetVersions(ctx)
	switch {
	case err != nil:
		return fmt.Errorf("%w: %w", ErrAway, err)
	case now > wanted:
		return fmt.Errorf("%w: its tables are of step %d, this program knows them up to %d; start the newer one", ErrNewer,
			now, wanted)
	case now < wanted:
		return fmt.Errorf("%w: step %d of %d", ErrOlder, now, wanted)
	}
	return nil
}

// NotReady says in words what Ready found, without what it found it by.
func NotReady(err error) string {
	for _, known := range []error{ErrAway, ErrFull, ErrReadOnly, ErrNewer, ErrOlder} {
		if errors.Is(err, known) {
			return known.Error()
		}
	}
	return "the logbook cannot do its work"
}

// Others counts the connections to the database that are not this logbook's own.
func (b *Book) Others(ctx context.Context) (int, error) {
	var n int
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		// What others are called is told to who signed in, and not to the role that works.
		if err := tx.Exec("SET LOCAL ROLE NONE").Error; err != nil {
			return err
		}
		return tx.Raw(`SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()
			AND backend_type = 'client backend' AND application_name <> current_setting('application_name')`).Scan(&n).Error
	})
	return n, mapped("looking who is at the database", err)
}
