package logbook

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
)

// Copies of the database, which PostgreSQL keeps up to date by streaming, answer pages that only read. A reader sees
// what they have written themselves: a page is read from a copy that has come as far as their last write, else from
// the database itself. While that does not answer, the copy that has come furthest does.

// Place is how far the database had written when something was stored, in bytes of its log; a copy that has come as
// far has it.
type Place int64

const (
	copyLooked   = 250 * time.Millisecond // how often copies are asked how far they are
	copyPatience = time.Second            // with each of them

	connectPatience = 3 * time.Second
	// A copy further behind than the database was then is left alone: something keeps it.
	copyBehind = 5 * time.Second
)

// replica is a copy of the database.
type replica struct {
	name  string // host and port
	pool  *sql.DB
	place atomic.Int64
	up    atomic.Bool
	fresh atomic.Bool
}

// router sends what only reads to copies, where its context says that it may; all else to the database itself.
type router struct {
	*sql.DB // the database itself
	copies  []*replica
	options []stdlib.OptionOpenDB // of a copy's connections
	next    atomic.Uint32
	away    atomic.Bool // the database itself does not answer
	log     *slog.Logger
	stop    context.CancelFunc
	stopped sync.WaitGroup
}

// GetDBConn gives GORM the database itself.
func (r *router) GetDBConn() (*sql.DB, error) { return r.DB, nil }

// QueryContext asks the database itself, or for a page that only reads a copy. What a copy cannot answer the database
// is asked for; what that cannot answer, because it is away, the copy that has come furthest.
func (r *router) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	return asked(ctx, r, func(pool *sql.DB) (*sql.Rows, error) { return pool.QueryContext(ctx, query, args...) })
}

// Conn is a connection for reading that goes as QueryContext goes.
func (r *router) Conn(ctx context.Context) (*sql.Conn, error) {
	return asked(ctx, r, func(pool *sql.DB) (*sql.Conn, error) { return pool.Conn(ctx) })
}

// asked asks the pools that may answer, one after the other.
func asked[T any](ctx context.Context, r *router, ask func(*sql.DB) (T, error)) (T, error) {
	at := r.forPage(ctx)
	if at != nil {
		out, err := ask(at.pool)
		if err == nil || ctx.Err() != nil {
			return out, err
		}
		r.log.Debug("a copy did not answer", "copy", at.name, "error", err)
	}
	out, err := ask(r.DB)
	if err != nil && at == nil && isPage(ctx) && isAway(err) {
		if far := r.furthest(); far != nil {
			return ask(far.pool)
		}
	}
	return out, err
}

// page is a page being made, read from one copy from beginning to end.
type page struct {
	written Place // by who asks for it
	once    sync.Once
	from    *replica // nil: the database itself
}

type pageKey struct{}

// Reading marks a request that only reads, of somebody whose last write was at a place of the log, 0 for none.
func Reading(ctx context.Context, written Place) context.Context {
	return context.WithValue(ctx, pageKey{}, &page{written: written})
}

// Writing takes Reading back: the database itself is asked.
func Writing(ctx context.Context) context.Context {
	return context.WithValue(ctx, pageKey{}, (*page)(nil))
}

func isPage(ctx context.Context) bool {
	p, _ := ctx.Value(pageKey{}).(*page)
	return p != nil
}

// forPage is the copy that a page is read from; nil for the database itself.
func (r *router) forPage(ctx context.Context) *replica {
	p, _ := ctx.Value(pageKey{}).(*page)
	if p == nil || len(r.copies) == 0 {
		return nil
	}
	p.once.Do(func() { p.from = r.choose(p.written) })
	return p.from
}

// choose gives the copies that have come far enough their turns.
func (r *router) choose(written Place) *replica {
	from := int(r.next.Add(1))
	for i := range r.copies {
		c := r.copies[(from+i)%len(r.copies)]
		if c.up.Load() && c.fresh.Load() && Place(c.place.Load()) >= written {
			return c
		}
	}
	if r.away.Load() {
		return r.furthest()
	}
	return nil
}

// furthest is the copy that has come furthest of those that answer; nil where none does.
func (r *router) furthest() (out *replica) {
	for _, c := range r.copies {
		if c.up.Load() && (out == nil || c.place.Load() > out.place.Load()) {
			out = c
		}
	}
	return out
}

const placeOf = `SELECT pg_wal_lsn_diff(CASE WHEN pg_is_in_recovery() THEN pg_last_wal_replay_lsn()
	ELSE pg_current_wal_insert_lsn() END, '0/0')::bigint`

func placeIn(ctx context.Context, pool *sql.DB) (at int64, err error) {
	ctx, cancel := context.WithTimeout(ctx, copyPatience)
	defer cancel()
	return at, pool.QueryRowContext(ctx, placeOf).Scan(&at)
}

// watch asks the database and its copies again and again how far they are.
func (r *router) watch(ctx context.Context) {
	type was struct {
		at    time.Time
		place int64
	}
	var before []was // places of the database, the oldest first
	for {
		var places sync.WaitGroup
		places.Go(func() {
			at, err := placeIn(ctx, r.DB)
			if ctx.Err() != nil {
				return
			}
			if away := err != nil; r.away.Swap(away) != away {
				r.log.Warn("the database itself", "away", away, "error", err)
			}
			if err == nil {
				before = append(before, was{time.Now(), at})
			}
		})
		for _, c := range r.copies {
			places.Go(func() {
				at, err := placeIn(ctx, c.pool)
				if ctx.Err() != nil {
					return
				}
				c.place.Store(at)
				if up := err == nil; c.up.Swap(up) != up {
					r.log.Info("a copy of the database", "copy", c.name, "up", up, "error", err)
				}
			})
		}
		places.Wait()
		for len(before) > 1 && time.Since(before[1].at) > copyBehind {
			before = before[1:]
		}
		for _, c := range r.copies {
			c.fresh.Store(r.away.Load() || len(before) > 0 && c.place.Load() >= before[0].place)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(copyLooked):
		}
	}
}

// close ends the watching and the connections to copies.
func (r *router) close() error {
	if r.stop != nil {
		r.stop()
	}
	r.stopped.Wait()
	var errs []error
	for _, c := range r.copies {
		errs = append(errs, c.pool.Close())
	}
	return errors.Join(errs...)
}

// OpenWithCopies is Open with copies of the database to read from. Any of them may be made the database itself: the
// program then goes on with whichever takes writes, and with none that is behind one which did.
func OpenWithCopies(ctx context.Context, url string, copies []string, log *slog.Logger) (*Book, error) {
	b, err := open(ctx, url, copies, log)
	if err != nil || len(copies) == 0 {
		return b, err
	}
	for i, address := range copies {
		config, err := pgx.ParseConfig(address)
		if err != nil {
			return nil, errors.Join(fmt.Errorf("copy %d of the database: %w", i+1, err), b.Close())
		}
		c := &replica{name: hostOf(config), pool: stdlib.OpenDB(*config, b.router.options...)}
		c.pool.SetMaxOpenConns(maxConnections)
		c.pool.SetMaxIdleConns(maxConnections)
		b.router.copies = append(b.router.copies, c)
	}
	watching, stop := context.WithCancel(context.WithoutCancel(ctx))
	b.router.stop = stop
	b.router.stopped.Go(func() { b.router.watch(watching) })
	return b, nil
}

func hostOf(c *pgx.ConnConfig) string {
	return net.JoinHostPort(c.Host, strconv.Itoa(int(c.Port)))
}

// orCopies makes a connection one to whichever of the database and its copies takes writes, and never to one of an
// older timeline than was written to before: that is the database of before, which was started again.
func orCopies(config *pgx.ConnConfig, copies []string) error {
	for i, address := range copies {
		other, err := pgx.ParseConfig(address)
		if err != nil {
			return fmt.Errorf("copy %d of the database: %w", i+1, err)
		}
		config.Fallbacks = append(config.Fallbacks, &pgconn.FallbackConfig{Host: other.Host, Port: other.Port,
			TLSConfig: other.TLSConfig})
	}
	if config.ConnectTimeout == 0 {
		config.ConnectTimeout = connectPatience // with one that says nothing, before the next is tried
	}
	var newest atomic.Int64
	config.ValidateConnect = func(ctx context.Context, c *pgconn.PgConn) error {
		if err := pgconn.ValidateConnectTargetSessionAttrsReadWrite(ctx, c); err != nil {
			return err
		}
		res := c.ExecParams(ctx, "SELECT substr(pg_walfile_name(pg_current_wal_insert_lsn()), 1, 8)", nil, nil, nil, nil).
			Read()
		if res.Err != nil {
			return res.Err
		}
		timeline, err := strconv.ParseInt(string(res.Rows[0][0]), 16, 64)
		if err != nil {
			return fmt.Errorf("timeline of the database: %w", err)
		}
		for {
			seen := newest.Load()
			if timeline < seen {
				return fmt.Errorf("it is of timeline %d, and %d was written to: it must follow that one, or stay off",
					timeline, seen)
			}
			if timeline == seen || newest.CompareAndSwap(seen, timeline) {
				return nil
			}
		}
	}
	return nil
}

// HasCopies tells whether there are copies of the database to read from.
func (b *Book) HasCopies() bool { return len(b.router.copies) > 0 }

// Away tells whether the database itself does not answer, so that pages are read from copies and nothing is stored.
func (b *Book) Away() bool { return b.router.away.Load() }

// Reads tells whether a copy of the database answers.
func (b *Book) Reads() bool { return b.router.furthest() != nil }

// Written is how far the database has written by now.
func (b *Book) Written(ctx context.Context) (Place, error) {
	at, err := placeIn(ctx, b.router.DB)
	return Place(at), mapped("asking how far the database is", err)
}

// isAway tells whether an error is of a database that cannot be reached, or is on its way down or up.
func isAway(err error) bool {
	var connecting *pgconn.ConnectError
	var network net.Error
	var pg *pgconn.PgError
	return errors.As(err, &connecting) || errors.As(err, &network) && !errors.Is(err, context.DeadlineExceeded) ||
		errors.As(err, &pg) && strings.HasPrefix(pg.Code, "57P")
}
