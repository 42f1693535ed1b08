package logbook

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"zincroad/internal/again"
)

// changed is the channel on which every copy of the program hears of a live run.
const changed = "zincroad_live"

func notify(tx *gorm.DB, runID int64) error {
	return tx.Exec("SELECT pg_notify(?, ?)", changed, strconv.FormatInt(runID, 10)).Error
}

// notifyLive is notify for what belongs to a live run only: it keeps the run from
// being ended until the transaction is over, and fails where it has been.
func notifyLive(tx *gorm.DB, runID int64) error {
	var id int64
	res := tx.Raw("SELECT r.id FROM runs r, pg_notify(?, ?) WHERE r.id = ? AND r.live FOR SHARE OF r", changed,
		strconv.FormatInt(runID, 10), runID).Scan(&id)
	if res.Error == nil && res.RowsAffected == 0 {
		return ErrEnded
	}
	return res.Error
}

// Listen tells each live run that changed, by its number, until the context ends;
// 0 when the connection was lost meanwhile, and anything may have changed. It
// connects again with a growing wait.
func (b *Book) Listen(ctx context.Context, tell func(runID int64)) error {
	wait := again.Wait{First: 100 * time.Millisecond, Most: 5 * time.Second, Lasting: 10 * time.Second}
	return again.Do(ctx, wait, func(ctx context.Context) error {
		err := b.listenOnce(ctx, tell)
		if ctx.Err() == nil {
			b.log.Warn("listening to the database", "error", err)
		}
		return cmp.Or(err, errSilent)
	})
}

// errSilent is what listening that ended without an error comes to.
var errSilent = errors.New("no news any more")

// listenOnce listens on one connection until that is lost.
func (b *Book) listenOnce(ctx context.Context, tell func(int64)) error {
	pool, err := b.pool()
	if err != nil {
		return err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(driver any) error {
		c := driver.(*stdlib.Conn).Conn()
		if _, err := c.Exec(ctx, "LISTEN "+changed); err != nil {
			return err
		}
		// The connection must not go back to the pool as it is.
		defer c.Close(context.WithoutCancel(ctx))
		tell(0)
		for {
			n, err := c.WaitForNotification(ctx)
			if err != nil {
				return fmt.Errorf("waiting for news: %w", err)
			}
			if id, err := strconv.ParseInt(n.Payload, 10, 64); err == nil {
				tell(id)
			}
		}
	})
}
