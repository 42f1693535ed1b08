package main

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zincroad/logbook"
	"zincroad/logbook/cluster"
)

// storage says where the logbook is: any PostgreSQL, or one of the program's own
// under a data folder.
type storage struct {
	databaseURL, databaseFile, data string
	replicas                        []string // addresses of copies of the database
	verbose                         bool
	crew                            string // whose logbook, where the server holds several; empty: the first
}

func (st *storage) flags(c *cobra.Command) {
	c.Flags().StringVar(&st.databaseURL, "database-url", "",
		"use this PostgreSQL instead of starting one; others on the machine can read it: rather ZINCROAD_DATABASE_URL")
	c.Flags().StringVar(
		&st.databaseFile,
		"database-url-file",
		"",
		"a file that holds the address of the PostgreSQL to use",
	)
	c.Flags().StringSliceVar(&st.replicas, "replica-url", nil,
		"a streaming copy of the PostgreSQL of --database-url, to read pages from; can be repeated (rather in "+
			"ZINCROAD_REPLICA_URLS, blanks between them)")
	c.Flags().StringVar(&st.data, "data", "", "data folder of the program's own PostgreSQL (default .zincroad here)")
	c.Flags().BoolVar(&st.verbose, "verbose", false, "log every request")
}

// flagsOfCrew are flags, for a command that works on the logbook of one crew.
func (st *storage) flagsOfCrew(c *cobra.Command) {
	st.flags(c)
	c.Flags().StringVar(&st.crew, "crew", "", "name of the crew, where the server holds several (default the first)")
}

// in is a context that works in the crew that is named; the first one where none is.
func (st *storage) in(ctx context.Context, b *logbook.Book) (context.Context, error) {
	if st.crew == "" {
		return ctx, nil
	}
	id, err := b.CrewCalled(ctx, st.crew)
	return logbook.InCrew(ctx, id), err
}

func (st *storage) log() *slog.Logger {
	level := slog.LevelInfo
	if st.verbose {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

// folder gives the data folder. As root, PostgreSQL runs as another user, which
// must be able to reach it; where it cannot, the folder stands under /var/lib.
func (st *storage) folder() (string, error) {
	if st.data != "" {
		return filepath.Abs(st.data)
	}
	here, err := filepath.Abs(".zincroad")
	if err != nil {
		return "", fmt.Errorf("data folder: %w", err)
	}
	if cluster.Reachable(here) {
		return here, nil
	}
	return fmt.Sprintf("/var/lib/zincroad-%x", sha256.Sum256([]byte(here)))[:30], nil
}

// url is the address of the PostgreSQL to use: named, in a file, or in the environment; empty: none.
func (st *storage) url() (string, error) {
	switch {
	case st.databaseURL != "":
		return st.databaseURL, nil
	case st.databaseFile != "":
		text, err := os.ReadFile(st.databaseFile)
		if err != nil {
			return "", complainUsage("--database-url-file: %v", err)
		}
		return strings.TrimSpace(string(text)), nil
	}
	return os.Getenv("ZINCROAD_DATABASE_URL"), nil
}

// open opens the logbook, starting PostgreSQL where none is named or running.
func (st *storage) open(ctx context.Context, log *slog.Logger, own bool) (*logbook.Book, func(), error) {
	named, err := st.url()
	if err != nil {
		return nil, nil, err
	}
	replicas := st.replicas
	if len(replicas) == 0 {
		replicas = strings.Fields(os.Getenv("ZINCROAD_REPLICA_URLS"))
	}
	if named != "" {
		b, err := logbook.OpenWithCopies(ctx, named, replicas, log)
		if err != nil {
			return nil, nil, err
		}
		return b, func() { b.Close() }, nil
	}
	if len(replicas) > 0 {
		return nil, nil, complainUsage("--replica-url is for copies of a PostgreSQL that --database-url names")
	}
	dir, err := st.folder()
	if err != nil {
		return nil, nil, err
	}
	if !own {
		if url, up := cluster.Attach(dir); up {
			b, err := logbook.Open(ctx, url, log)
			if err != nil {
				return nil, nil, err
			}
			return b, func() { b.Close() }, nil
		}
	}
	c, err := cluster.Start(ctx, cluster.Options{Dir: dir, Log: log})
	if err != nil {
		return nil, nil, err
	}
	b, err := logbook.Open(ctx, c.URL, log)
	if err != nil {
		return nil, nil, errors.Join(err, c.Stop())
	}
	if own {
		go c.Keep(ctx, log)
		go c.Room(ctx, log, b.SetFull)
	}
	return b, func() {
		b.Close()
		if err := c.Stop(); err != nil {
			log.Error("stopping PostgreSQL", "error", err)
		}
	}, nil
}
