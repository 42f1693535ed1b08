// Package logbook keeps runs in PostgreSQL: what was recorded, never changed, and
// beside it what is known about cars, stalls and conditions. Results are worked
// out by core and kept with the revision of the run and the version of the
// arithmetic they belong to.
package logbook

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"slices"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations
var migrations embed.FS

// Errors that callers tell apart.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("the name is taken")
	ErrInUse    = errors.New("still in use")
	ErrChanged  = errors.New("it was changed since it was read")
	ErrRefused  = errors.New("refused by a rule of the logbook")
	ErrForbid   = errors.New("not yours to do")
	ErrNoRoom   = errors.New("nothing can be stored: the disk is full, or the database only reads")
)

// Book is an open logbook; safe for concurrent use. It is its stores together: who needs little takes one of them.
type Book struct {
	*base
	*GarageStore
	*SiteStore
	*RecordingStore
	*RunStore
	*ResultStore
	*RoadStore
	*LiveStore
	*FeedStore
	*BenchStore
	*PlanStore
	*DeskStore
	*ReportStore
	*AccessStore
	*HookStore
	*CrewStore
}

const (
	maxConnections = 16
	openTimeout    = 15 * time.Second

	// A bench holds 60 runs; those of two are at hand. A run's results take some 100 kB.
	mostSeen = 128
	// Ranking and matrix sort 2,000 runs. What a run says in short takes about 1 kB.
	mostGists = 4096
)

// Open connects to the database and brings its tables up to date.
func Open(ctx context.Context, url string, log *slog.Logger) (*Book, error) {
	return open(ctx, url, nil, log)
}

func open(ctx context.Context, url string, copies []string, log *slog.Logger) (*Book, error) {
	address, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	if len(copies) > 0 {
		if err := orCopies(address, copies); err != nil {
			return nil, err
		}
	}
	full := new(atomic.Bool)
	ready := func(ctx context.Context, c *pgx.Conn) error {
		if err := readOnlyWhile(ctx, c, full); err != nil {
			return err
		}
		return workingFor(ctx, c)
	}
	opening, cancel := context.WithTimeout(ctx, openTimeout)
	defer cancel()
	apart, err := prepared(opening, address)
	if err != nil {
		return nil, err
	}
	connected := func(ctx context.Context, c *pgx.Conn) error {
		if apart {
			if err := asWorker(ctx, c); err != nil {
				return err
			}
		}
		return ready(ctx, c)
	}
	pool := stdlib.OpenDB(*address, stdlib.OptionResetSession(ready), stdlib.OptionAfterConnect(connected))
	ways := &router{DB: pool, log: log}
	db, err := gorm.Open(postgres.New(postgres.Config{Conn: ways}), &gorm.Config{
		Logger:                 logger.Discard,
		NowFunc:                func() time.Time { return time.Now().UTC() },
		SkipDefaultTransaction: true,
		TranslateError:         false,
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	pool.SetMaxOpenConns(maxConnections)
	pool.SetMaxIdleConns(maxConnections)
	// A copy is read as the database itself is: in the role and for the crew of whoever asks.
	ways.options = []stdlib.OptionOpenDB{stdlib.OptionResetSession(workingFor),
		stdlib.OptionAfterConnect(func(ctx context.Context, c *pgx.Conn) error {
			if apart {
				if err := asWorker(ctx, c); err != nil {
					return err
				}
			}
			return workingFor(ctx, c)
		})}
	book, err := newBook(&base{db: db, router: ways, log: log, full: full, apart: apart})
	if err != nil {
		pool.Close()
		return nil, err
	}
	return book, nil
}

// prepared brings the tables up to date as their owner, and tells whether crews are kept apart.
func prepared(ctx context.Context, address *pgx.ConnConfig) (apart bool, err error) {
	pool := stdlib.OpenDB(*address)
	defer pool.Close()
	if err := migrate(ctx, pool); err != nil {
		return false, err
	}
	return separate(ctx, pool)
}

// SetFull says whether the disk is full. While it is, whatever would write fails with ErrNoRoom, before PostgreSQL is
// asked for room that is not there and ends for the want of it; reading goes on.
func (b *Book) SetFull(full bool) { b.full.Store(full) }

// readOnlyWhile makes a connection, about to be used, one that only reads while the disk is full.
func readOnlyWhile(ctx context.Context, c *pgx.Conn, full *atomic.Bool) error {
	want := map[bool]string{true: "on", false: "off"}[full.Load()]
	if c.PgConn().ParameterStatus("default_transaction_read_only") == want {
		return nil
	}
	_, err := c.Exec(ctx, "SET default_transaction_read_only = "+want)
	return err
}

// provider knows the numbered steps that make the tables.
func provider(pool *sql.DB) (*goose.Provider, error) {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, fmt.Errorf("migrations: %w", err)
	}
	p, err := goose.NewProvider(goose.DialectPostgres, pool, sub)
	if err != nil {
		return nil, fmt.Errorf("migrations: %w", err)
	}
	return p, nil
}

// migrate brings the tables up to date, one numbered step after the other. A database that a newer program has
// been at is refused with ErrNewer, and left alone.
func migrate(ctx context.Context, pool *sql.DB) error {
	p, err := provider(pool)
	if err != nil {
		return err
	}
	if err := suits(ctx, p); errors.Is(err, ErrNewer) {
		return err
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("bringing the tables up to date: %w", err)
	}
	return nil
}

// Close ends all connections.
func (b *Book) Close() error {
	return errors.Join(b.router.close(), b.router.DB.Close())
}

// Ping tells whether the database answers.
func (b *Book) Ping(ctx context.Context) error {
	pool, err := b.pool()
	if err != nil {
		return err
	}
	return pool.PingContext(ctx)
}

// noRoom are what PostgreSQL says when it cannot write: disk_full, read_only_sql_transaction.
var noRoom = []string{"53100", "25006"}

// mapped turns a driver's error into one of this package's, keeping what it said.
func mapped(doing string, err error) error {
	if err == nil {
		return nil
	}
	var pg *pgconn.PgError
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return fmt.Errorf("%s: %w", doing, ErrNotFound)
	case errors.As(err, &pg) && pg.Code == "23505":
		return fmt.Errorf("%s: %w", doing, ErrTaken)
	case errors.As(err, &pg) && pg.Code == "23503":
		return fmt.Errorf("%s: %w (%s)", doing, ErrInUse, pg.ConstraintName)
	case errors.As(err, &pg) && pg.Code == "42501":
		return fmt.Errorf("%s: %w", doing, ErrForbid)
	case errors.As(err, &pg) && slices.Contains(noRoom, pg.Code):
		return fmt.Errorf("%s: %w", doing, ErrNoRoom)
	case errors.As(err, &pg) && pg.Code == "23514":
		return fmt.Errorf("%s: %w (%s)", doing, ErrRefused, pg.ConstraintName)
	case isAway(err):
		return fmt.Errorf("%s: %w: %w", doing, ErrAway, err)
	}
	return fmt.Errorf("%s: %w", doing, err)
}
