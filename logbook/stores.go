package logbook

import (
	"database/sql"
	"fmt"
	"log/slog"
	"sync/atomic"

	lru "github.com/hashicorp/golang-lru/v2"
	"gorm.io/gorm"

	"zincroad/core/bench"
)

// base is what every store works with: one database, and who is asked where.
type base struct {
	db     *gorm.DB
	router *router
	log    *slog.Logger
	full   *atomic.Bool // the disk; nothing is to be written
	apart  bool         // crews are kept apart by the database
}

// pool gives the connections beneath GORM, for what needs one of its own.
func (b *base) pool() (*sql.DB, error) { return b.db.DB() }

// GarageStore keeps cars, their software and adapters.
type GarageStore struct{ *base }

// SiteStore keeps sites, their stalls, and the roads between them.
type SiteStore struct{ *base }

// RecordingStore keeps what was recorded, never changed, and the corrections beside it.
type RecordingStore struct{ *base }

// RunStore keeps runs: what is noted of them, their marks and photos, and who changed what.
type RunStore struct {
	*base
	recordings *RecordingStore
}

// ResultStore keeps what core worked out of runs, and what they taught about their cars and stalls.
type ResultStore struct {
	*base
	recordings *RecordingStore
	runs       *RunStore

	wanted chan struct{}                  // somebody waits for figures that the background works out
	seen   *lru.Cache[string, *Results]   // results that were read before, by their stamp
	gists  *lru.Cache[string, bench.Gist] // what runs say in short, by the text that is kept of it
}

// RoadStore lists runs: sorted, filtered, by page.
type RoadStore struct {
	*base
	results *ResultStore
}

// LiveStore keeps runs while they are recorded.
type LiveStore struct {
	*base
	recordings *RecordingStore
	stored     atomic.Int64 // readings of live runs
}

// FeedStore keeps what readings of live runs come from: chargers, addresses, their clocks and transactions.
type FeedStore struct{ *base }

// BenchStore keeps comparisons.
type BenchStore struct{ *base }

// PlanStore keeps what was prepared: plans, methods, wanted runs.
type PlanStore struct {
	*base
	sites *SiteStore
}

// DeskStore keeps files on their way in, and how files of their kind were understood.
type DeskStore struct{ *base }

// ReportStore keeps what was published, and the links by which it is read.
type ReportStore struct{ *base }

// HookStore keeps who is told what happens, and what they were told.
type HookStore struct{ *base }

// AccessStore keeps who may come in: the password, sessions, stations and programs.
type AccessStore struct{ *base }

// CrewStore keeps who works with the logbook: people, invitations, and the browsers that they come in by.
type CrewStore struct{ *base }

// newBook furnishes the stores over one database.
func newBook(b *base) (*Book, error) {
	seen, err := lru.New[string, *Results](mostSeen)
	if err != nil {
		return nil, fmt.Errorf("opening the logbook: %w", err)
	}
	gists, err := lru.New[string, bench.Gist](mostGists)
	if err != nil {
		return nil, fmt.Errorf("opening the logbook: %w", err)
	}
	recordings := &RecordingStore{b}
	runs := &RunStore{base: b, recordings: recordings}
	results := &ResultStore{
		base:       b,
		recordings: recordings,
		runs:       runs,
		wanted:     make(chan struct{}, 1),
		seen:       seen,
		gists:      gists,
	}
	sites := &SiteStore{b}
	return &Book{
		base:           b,
		GarageStore:    &GarageStore{b},
		SiteStore:      sites,
		RecordingStore: recordings,
		RunStore:       runs,
		ResultStore:    results,
		RoadStore:      &RoadStore{base: b, results: results},
		LiveStore:      &LiveStore{base: b, recordings: recordings},
		FeedStore:      &FeedStore{b},
		BenchStore:     &BenchStore{b},
		PlanStore:      &PlanStore{base: b, sites: sites},
		DeskStore:      &DeskStore{b},
		ReportStore:    &ReportStore{b},
		AccessStore:    &AccessStore{b},
		HookStore:      &HookStore{b},
		CrewStore:      &CrewStore{b},
	}, nil
}
