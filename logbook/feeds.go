package logbook

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"zincroad/core/trace"
)

// Feed is where readings of a live run come from.
type Feed struct {
	ID          int64 `gorm:"primaryKey"`
	RunID       int64
	RecordingID int64
	Kind        string // adapter or charge-point
	Address     string
	Profile     string
	Connector   int
	State       string // waiting, connected or lost
	Said        string
	ChangedAt   time.Time
}

// The kinds of feeds and their states.
const (
	AdapterFeed     = "adapter"
	ChargePointFeed = "charge-point"

	FeedWaiting   = "waiting"
	FeedConnected = "connected"
	FeedLost      = "lost"
)

// AddFeed adds a source of readings to a live run, with a recording of its own.
func (b *FeedStore) AddFeed(ctx context.Context, f *Feed, side trace.Side) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var n int64
		if err := tx.Model(&Feed{}).Where("run_id = ? AND kind = ?", f.RunID, f.Kind).Count(&n).Error; err != nil {
			return err
		}
		name := string(side) + ".csv"
		if n > 0 {
			name = fmt.Sprintf("%s-%d.csv", side, n+1)
		}
		if live, err := isLive(tx, f.RunID); err != nil || !live {
			return cmp.Or(err, ErrEnded)
		}
		rec, err := recordingOf(tx, f.RunID, name, side, 0)
		if err != nil {
			return err
		}
		f.RecordingID, f.State, f.ChangedAt = rec.ID, FeedWaiting, time.Now().UTC()
		if err := tx.Create(f).Error; err != nil {
			return err
		}
		return notify(tx, f.RunID)
	})
	return mapped("adding the feed", err)
}

// Feeds lists the feeds of one live run, or of all of them for 0.
func (b *FeedStore) Feeds(ctx context.Context, runID int64) ([]Feed, error) {
	var list []Feed
	db := b.db.WithContext(ctx).Joins("JOIN runs ON runs.id = feeds.run_id AND runs.live AND runs.deleted_at IS NULL")
	if runID != 0 {
		db = db.Where("feeds.run_id = ?", runID)
	}
	return list, mapped("listing the feeds", db.Order("feeds.id").Find(&list).Error)
}

// Sources lists the feeds of a kind of all live runs by what tells them apart, for
// looking often: without their profiles.
func (b *FeedStore) Sources(ctx context.Context, kind string) ([]Feed, error) {
	var list []Feed
	err := b.db.WithContext(ctx).Raw(
		`SELECT f.id, f.run_id, f.recording_id, f.kind, f.address, f.connector, f.state, f.said FROM feeds f
		JOIN runs r ON r.id = f.run_id AND r.live AND r.deleted_at IS NULL WHERE f.kind = ? ORDER BY f.id`,
		kind,
	).Scan(&list).Error
	return list, mapped("listing the sources", err)
}

// Feed gives one feed.
func (b *FeedStore) Feed(ctx context.Context, id int64) (*Feed, error) {
	var f Feed
	err := b.db.WithContext(ctx).First(&f, id).Error
	return &f, mapped(fmt.Sprintf("source %d", id), err)
}

// FeedAt gives the feed of a live run that reads a charge point's connector, the
// newest where several do; nil where none does. Connector 0 is any.
func (b *FeedStore) FeedAt(ctx context.Context, name string, connector int) (*Feed, error) {
	var list []Feed
	err := b.db.WithContext(ctx).Raw(
		`SELECT f.* FROM feeds f JOIN runs r ON r.id = f.run_id AND r.live AND r.deleted_at IS NULL
		WHERE f.kind = ? AND f.address = ? AND (? = 0 OR f.connector = ?) ORDER BY f.id DESC LIMIT 1`,
		ChargePointFeed,
		name,
		connector,
		connector,
	).Scan(&list).Error
	if err != nil || len(list) == 0 {
		return nil, mapped("looking for the charge point's run", err)
	}
	return &list[0], nil
}

// LastFeed gives the newest feed of a kind of another run with the same car (an
// adapter) or the same stall (a charge point); nil without one.
func (b *FeedStore) LastFeed(ctx context.Context, row *Run, kind string) (*Feed, error) {
	same, id := "r.car_id", row.CarID
	if kind == ChargePointFeed {
		same, id = "r.stall_id", row.StallID
	}
	if id == nil {
		return nil, nil
	}
	var list []Feed
	err := b.db.WithContext(ctx).Raw(
		"SELECT f.* FROM feeds f JOIN runs r ON r.id = f.run_id WHERE f.kind = ? AND f.run_id <> ? AND "+
			same+" = ? ORDER BY f.id DESC LIMIT 1",
		kind,
		row.ID,
		*id,
	).Scan(&list).Error
	if err != nil || len(list) == 0 {
		return nil, mapped("looking for the sources of an earlier run", err)
	}
	return &list[0], nil
}

// DeleteFeed takes a feed away; what it recorded stays.
func (b *FeedStore) DeleteFeed(ctx context.Context, runID, id int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("run_id = ?", runID).Delete(&Feed{}, id).Error; err != nil {
			return err
		}
		return notify(tx, runID)
	})
	return mapped("taking the feed away", err)
}

// SetFeed notes how a feed stands, and why.
func (b *FeedStore) SetFeed(ctx context.Context, f *Feed, state, said string) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		err := tx.Model(
			&Feed{},
		).Where(
			"id = ?",
			f.ID,
		).Updates(map[string]any{"state": state, "said": said, "changed_at": time.Now().UTC()}).Error
		if err != nil {
			return err
		}
		return notify(tx, f.RunID)
	})
	return mapped("noting the feed's state", err)
}

// SetClockOffset notes how far a live recording's own clock is off.
func (b *FeedStore) SetClockOffset(ctx context.Context, recordingID int64, offsetS float64) error {
	return mapped("noting the clock's offset",
		b.db.WithContext(ctx).Model(&Recording{}).Where("id = ?", recordingID).Update("clock_offset_s", offsetS).Error)
}

// ClockOffset is how far a recording's own clock is known to be off.
func (b *FeedStore) ClockOffset(ctx context.Context, recordingID int64) (float64, error) {
	var rec Recording
	err := b.db.WithContext(ctx).Select("clock_offset_s").First(&rec, recordingID).Error
	return rec.ClockOffsetS, mapped("asking for the clock's offset", err)
}

// StartTransaction notes a transaction of a charge point's connector and gives its
// number.
func (b *FeedStore) StartTransaction(ctx context.Context, charger string, connector int) (id int, err error) {
	err = b.db.WithContext(InCrew(ctx, 0)).Raw(
		"INSERT INTO charger_transactions (charge_point, connector) VALUES (?, ?) RETURNING id",
		charger,
		connector,
	).Scan(&id).Error
	return id, mapped("noting the transaction", err)
}

// ConnectorOf gives the connector of a charge point's transaction, and false for one
// that was not started here.
func (b *FeedStore) ConnectorOf(ctx context.Context, charger string, transaction int) (
	connector int, ok bool, err error,
) {
	var list []int
	err = b.db.WithContext(InCrew(ctx, 0)).Raw(`SELECT connector FROM charger_transactions
		WHERE id = ? AND charge_point = ?`, transaction, charger).Scan(&list).Error
	if err != nil || len(list) == 0 {
		return 0, false, mapped("looking for the transaction", err)
	}
	return list[0], true, nil
}

// NewRecording gives a feed another recording to go on in, and changes the feed: its
// clock was set, and what comes now is on another clock than what came.
func (b *FeedStore) NewRecording(ctx context.Context, f *Feed, offsetS float64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if live, err := isLive(tx, f.RunID); err != nil || !live {
			return cmp.Or(err, ErrEnded)
		}
		var was Recording
		if err := tx.First(&was, f.RecordingID).Error; err != nil {
			return err
		}
		var n int64
		if err := tx.Model(&Recording{}).Where("run_id = ?", f.RunID).Count(&n).Error; err != nil {
			return err
		}
		rec, err := recordingOf(tx, f.RunID, fmt.Sprintf("%s-%d.csv", was.Side, n+1), trace.Side(was.Side), 0)
		if err != nil {
			return err
		}
		if err := tx.Model(rec).Update("clock_offset_s", offsetS).Error; err != nil {
			return err
		}
		if err := tx.Model(&Feed{}).Where("id = ?", f.ID).Update("recording_id", rec.ID).Error; err != nil {
			return err
		}
		f.RecordingID = rec.ID
		return notify(tx, f.RunID)
	})
	return mapped("beginning another recording", err)
}

// Claims are what this copy of the program is at, and no other may be: feeds that it
// reads from, runs that it works out. They are locks of one connection: when the program
// or the connection ends, they are free.
type Claims struct {
	conn  *sql.Conn
	space int
}

// The spaces keep the locks of one kind apart from any other.
const (
	feedClaims = 0x7a72
	runClaims  = 0x7a73
)

// ClaimsLast is how long claims on feeds hold when nobody asks whether they still do: a copy of the program that has
// frozen, with its connections open, holds none of them longer, and another goes on recording.
const ClaimsLast = 5 * time.Second

// FeedClaims opens the connection that claims on feeds hang on. Alive is to be asked more often than ClaimsLast.
func (b *FeedStore) FeedClaims(ctx context.Context) (*Claims, error) {
	c, err := b.claims(ctx, feedClaims)
	if err != nil {
		return nil, err
	}
	_, err = c.conn.ExecContext(ctx, fmt.Sprintf("SET idle_session_timeout = %d", ClaimsLast.Milliseconds()))
	if err != nil {
		return nil, errors.Join(mapped("opening the claims", err), c.Close())
	}
	return c, nil
}

func (b *base) claims(ctx context.Context, space int) (*Claims, error) {
	pool, err := b.pool()
	if err != nil {
		return nil, err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return nil, mapped("opening the claims", err)
	}
	return &Claims{conn, space}, nil
}

// Try claims a feed or a run by its number; false when another copy has it. An error
// means that the connection is lost, and every claim with it.
func (c *Claims) Try(ctx context.Context, id int64) (ok bool, err error) {
	err = c.conn.QueryRowContext(ctx, "SELECT pg_try_advisory_lock($1::int, $2::int)", c.space, id).Scan(&ok)
	return ok, mapped("claiming", err)
}

// Release gives a claim up.
func (c *Claims) Release(ctx context.Context, id int64) error {
	_, err := c.conn.ExecContext(ctx, "SELECT pg_advisory_unlock($1::int, $2::int)", c.space, id)
	return mapped("releasing a claim", err)
}

// Alive tells whether the claims still hold.
func (c *Claims) Alive(ctx context.Context) bool { return c.conn.PingContext(ctx) == nil }

// Close gives every claim up.
func (c *Claims) Close() error {
	_ = c.conn.Raw(func(driver any) error { return driver.(*stdlib.Conn).Conn().Close(context.Background()) })
	return c.conn.Close()
}
