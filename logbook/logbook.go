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
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
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
	ErrRefused  = errors.New("refused by a rule of the logbook")
)

// Book is an open logbook; safe for concurrent use.
type Book struct {
	db     *gorm.DB
	log    *slog.Logger
	stored atomic.Int64 // readings of live runs
}

const (
	maxConnections = 16
	openTimeout    = 15 * time.Second
)

// Open connects to the database and brings its tables up to date.
func Open(ctx context.Context, url string, log *slog.Logger) (*Book, error) {
	db, err := gorm.Open(postgres.Open(url), &gorm.Config{
		Logger:                 logger.Discard,
		NowFunc:                func() time.Time { return time.Now().UTC() },
		SkipDefaultTransaction: true,
		TranslateError:         false,
	})
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	pool, err := db.DB()
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	pool.SetMaxOpenConns(maxConnections)
	pool.SetMaxIdleConns(maxConnections)
	ctx, cancel := context.WithTimeout(ctx, openTimeout)
	defer cancel()
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, err
	}
	return &Book{db: db, log: log}, nil
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
	pool, err := b.db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// Ping tells whether the database answers.
func (b *Book) Ping(ctx context.Context) error {
	pool, err := b.db.DB()
	if err != nil {
		return err
	}
	return pool.PingContext(ctx)
}

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
	case errors.As(err, &pg) && pg.Code == "23514":
		return fmt.Errorf("%s: %w (%s)", doing, ErrRefused, pg.ConstraintName)
	}
	return fmt.Errorf("%s: %w", doing, err)
}
