package logbook

import (
	"context"
	"errors"
	"math"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"zincroad/core/curve"
)

// reckon works one run out. Where its figures cannot be made that is noted with it, and
// it is not tried again until it or the arithmetic changes; the list shows it in its place.
// What only went wrong this time is tried again another time.
func (b *ResultStore) reckon(ctx context.Context, id int64) error {
	row, err := b.runs.Run(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	_, err = b.workOut(ctx, row)
	switch {
	case err == nil:
		return nil
	case ctx.Err() != nil:
		return mapped("working out", ctx.Err())
	case errors.Is(err, ErrNoRoom): // nor would any other be kept: not again and again
		return err
	}
	b.log.Error("a run that cannot be worked out", "run", id, "error", err)
	if !lasting(err) {
		return nil
	}
	return mapped("noting what cannot be worked out", b.db.WithContext(ctx).Exec(`UPDATE runs SET read_revision = ?,
		read_version = ?, lessons_read = lessons, read_fault = 'Its figures could not be worked out.' WHERE id = ?`,
		row.Revision, curve.Version, id).Error)
}

// lasting tells whether working a run out would go wrong again: the arithmetic broke down,
// or the database could not make sense of what is kept of it (SQLSTATE classes 22, data, and
// 42, names), rather than being away.
func lasting(err error) bool {
	var pg *pgconn.PgError
	return errors.Is(err, errArithmetic) ||
		errors.As(err, &pg) && (strings.HasPrefix(pg.Code, "22") || strings.HasPrefix(pg.Code, "42"))
}

// Unread counts the runs of the list whose figures are missing, of before a change, of before other
// runs taught something new, or of an earlier version of the arithmetic.
func (b *ResultStore) Unread(ctx context.Context) (int, error) {
	var n int
	err := b.db.WithContext(ctx).Raw(`SELECT (SELECT count(*) FROM runs r WHERE r.read_version < ? AND `+listed+`) +
		(SELECT count(*) FROM runs r WHERE r.read_revision <> r.revision AND r.read_version >= ? AND `+listed+`) +
		(SELECT count(*) FROM runs r WHERE r.lessons <> r.lessons_read AND r.read_revision = r.revision
			AND r.read_version >= ? AND `+listed+`)`, curve.Version, curve.Version, curve.Version).Scan(&n).Error
	return n, mapped("counting the runs to work out", err)
}

// want has the background look for work at once: somebody looks at runs whose figures are of before a change.
func (b *ResultStore) want() {
	select {
	case b.wanted <- struct{}{}:
	default: // it will look
	}
}

// reworkPause is how long the background waits before it looks for work again.
const reworkPause = 20 * time.Second

// KeepRead works out in the background what Unread counts, now, when somebody looks at it, and whenever there is
// more, until the context ends. Any number of copies of the program can do so at once:
// each takes a run that no other has.
func (b *ResultStore) KeepRead(ctx context.Context) {
	for ctx.Err() == nil {
		if err := b.Rework(ctx, nil); err != nil && ctx.Err() == nil {
			b.log.Warn("working runs out", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-b.wanted:
		case <-time.After(reworkPause):
		}
	}
}

// reworkBatch is how many runs are looked for at a time.
const reworkBatch = 64

// Rework works out every run that Unread counts, the newest first, and tells after each.
// It ends when there is none left that no other copy of the program is at.
func (b *ResultStore) Rework(ctx context.Context, done func()) error {
	ctx = Everywhere(ctx)
	claims, err := b.claims(ctx, runClaims)
	if err != nil {
		return err
	}
	defer claims.Close()
	again := false // a run worked out may have taught something to one that was passed
	for before := int64(math.MaxInt64); ; {
		var ids []int64
		err := b.db.WithContext(ctx).Raw(`SELECT r.id FROM runs r WHERE (r.read_version < ? OR r.read_revision <> r.revision
			OR r.lessons <> r.lessons_read) AND r.id < ? AND `+listed+` ORDER BY r.id DESC LIMIT ?`,
			curve.Version, before, reworkBatch).Scan(&ids).Error
		switch {
		case err != nil:
			return mapped("looking for runs to work out", err)
		case len(ids) == 0 && !again:
			return nil
		case len(ids) == 0:
			before, again = math.MaxInt64, false
		}
		for _, id := range ids {
			before = id
			did, err := b.reworkOne(ctx, claims, id)
			if err != nil {
				return err
			}
			again = again || did
			if did && done != nil {
				done()
			}
		}
	}
}

// reworkOne works a run out unless another copy of the program is at it, or has been
// since it was looked for.
func (b *ResultStore) reworkOne(ctx context.Context, claims *Claims, id int64) (did bool, err error) {
	if ok, err := claims.Try(ctx, id); err != nil || !ok {
		return false, err
	}
	defer func() { err = errors.Join(err, claims.Release(context.WithoutCancel(ctx), id)) }()
	var due bool
	err = b.db.WithContext(ctx).Raw(`SELECT read_version < ? OR read_revision <> revision OR lessons <> lessons_read
		FROM runs WHERE id = ?`, curve.Version, id).Scan(&due).Error
	if err != nil || !due {
		return false, mapped("looking for runs to work out", err)
	}
	of, err := b.ofRun(ctx, id)
	if err != nil {
		return false, err
	}
	return true, b.reckon(of, id)
}
