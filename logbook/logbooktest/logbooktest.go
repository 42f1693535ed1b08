// Package logbooktest gives tests a logbook of their own on a real PostgreSQL that
// lives in memory as long as the test binary.
package logbooktest

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"sync/atomic"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/cluster"
)

// Server is a PostgreSQL with a template database that has all tables.
type Server struct {
	cluster *cluster.Cluster
	dir     string
	made    atomic.Int64
}

// Empty is the prepared database with tables and nothing in them.
const Empty = "zincroad_template"

// Start brings the server up; TestMain calls it, and Stop at the end.
func Start() (*Server, error) {
	dir, err := folder(0o755)
	if err != nil {
		return nil, err
	}
	ctx := context.Background()
	c, err := cluster.Start(ctx, cluster.Options{Dir: dir + "/pg", Throwaway: true, Log: Quiet()})
	if err != nil {
		return nil, err
	}
	s := &Server{cluster: c, dir: dir}
	if err := s.exec(ctx, "CREATE DATABASE "+Empty); err != nil {
		return nil, err
	}
	b, err := logbook.Open(ctx, s.url(Empty), Quiet())
	if err != nil {
		return nil, err
	}
	return s, b.Close()
}

// folder makes one of a test's own, in memory where the machine has such a place; PostgreSQL's user may pass.
func folder(mode os.FileMode) (string, error) {
	base := "/dev/shm"
	if _, err := os.Stat(base); err != nil {
		base = ""
	}
	dir, err := os.MkdirTemp(base, "zincroad-test-")
	if err != nil {
		return "", err
	}
	return dir, os.Chmod(dir, mode)
}

// Quiet is a log that says nothing.
func Quiet() *slog.Logger { return slog.New(slog.NewTextHandler(io.Discard, nil)) }

// Stop ends the server and removes everything.
func (s *Server) Stop() error {
	err := s.cluster.Stop()
	os.RemoveAll(s.dir)
	return err
}

func (s *Server) url(db string) string {
	return strings.Replace(s.cluster.URL, "/postgres?", "/"+db+"?", 1)
}

func (s *Server) exec(ctx context.Context, query string) error {
	db, err := sql.Open("pgx", s.cluster.URL)
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.ExecContext(ctx, query)
	return err
}

// Prepare fills a database once, from which BookFrom makes copies. Whoever fills it
// must be done with the logbook when fill returns.
func (s *Server) Prepare(name string, fill func(*logbook.Book) error) error {
	ctx := context.Background()
	if err := s.exec(ctx, fmt.Sprintf("CREATE DATABASE %s TEMPLATE %s STRATEGY FILE_COPY", name, Empty)); err != nil {
		return err
	}
	b, err := logbook.Open(ctx, s.url(name), Quiet())
	if err != nil {
		return err
	}
	return errors.Join(fill(b), b.Close())
}

// BookFrom gives a copy of a prepared logbook that goes when the test ends.
func (s *Server) BookFrom(t testing.TB, prepared string) *logbook.Book {
	t.Helper()
	b, err := logbook.Open(context.Background(), s.URLFrom(t, prepared), Quiet())
	require.NoError(t, err)
	t.Cleanup(func() { _ = b.Close() })
	return b
}

// URL gives a fresh, empty database that goes when the test ends.
func (s *Server) URL(t testing.TB) string { return s.URLFrom(t, Empty) }

// URLFrom gives a copy of a prepared database that goes when the test ends.
func (s *Server) URLFrom(t testing.TB, from string) string {
	t.Helper()
	name := fmt.Sprintf("test_%d", s.made.Add(1))
	require.NoError(t,
		s.exec(context.Background(), fmt.Sprintf("CREATE DATABASE %s TEMPLATE %s STRATEGY FILE_COPY", name, from)))
	t.Cleanup(func() { _ = s.exec(context.Background(), "DROP DATABASE "+name+" WITH (FORCE)") })
	return s.url(name)
}

// Book gives a fresh, empty logbook that goes when the test ends.
func (s *Server) Book(t testing.TB) *logbook.Book { return s.BookFrom(t, Empty) }
