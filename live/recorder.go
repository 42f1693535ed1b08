// Package live records runs under way: it connects to the sources that a run
// names, reads each at its own pace, stamps every reading with the source's clock
// and the program's, and stores it at once. What is stored is all that counts:
// while the database is away readings are kept and stored when it is back.
package live

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"time"

	"zincroad/formats/profile"
	"zincroad/internal/again"
	"zincroad/logbook"
)

// Recorder records every live run of a logbook whose sources no other copy of the
// program reads. Its zero fields have defaults.
type Recorder struct {
	Book *logbook.Book
	Log  *slog.Logger
	Now  func() time.Time // the clock of runs; nil: time.Now
	// Steady is the clock behind Now, whose machine's is looked at; nil: it is not.
	Steady *Steady
	// Speed is how much faster than real time the clock of runs goes; sources are
	// asked so much more often. 0: 1.
	Speed float64
	Reach Reach // which adapters are dialled
	// Pace is the shortest time between two readings of an adapter; 0: 50 ms.
	Pace time.Duration
	// Stored is told how old each reading was when it was on disk; nil: nobody.
	Stored func(age time.Duration)

	mu      sync.Mutex
	started map[int64]time.Time // of runs
}

// How often the recorder looks for new sources without being told, and how it
// tries again.
const (
	lookEvery = 2 * time.Second
	firstWait = 300 * time.Millisecond
	longWait  = 10 * time.Second
	gapS      = 5 // a silence so long is marked, or of so many times a profile's own pace
)

// stored tells how old readings of a run were when they were on disk.
func (r *Recorder) stored(start time.Time, samples []logbook.Sample) {
	if r.Stored == nil {
		return
	}
	now := r.now().Sub(start).Seconds()
	for _, s := range samples {
		r.Stored(time.Duration((now - s.HeardS) * float64(time.Second)))
	}
}

func (r *Recorder) now() time.Time {
	if r.Now != nil {
		return r.Now()
	}
	return time.Now() // not in UTC: that would lose the monotonic clock
}

// Run records until the context ends.
func (r *Recorder) Run(ctx context.Context) {
	ctx = logbook.Everywhere(ctx)
	var all sync.WaitGroup
	running := map[int64]context.CancelFunc{}
	ended := make(chan int64, 64)
	var claims *logbook.Claims
	defer func() {
		all.Wait() // first: whoever takes a source over must not read beside the last of it here
		if claims != nil {
			claims.Close()
		}
	}()
	for ctx.Err() == nil {
		r.watchClock(ctx)
		claims = r.look(ctx, claims, running, func(f logbook.Feed) {
			feed, stop := context.WithCancel(ctx)
			running[f.ID] = stop
			all.Go(func() {
				r.adapter(feed, f)
				select {
				case ended <- f.ID:
				case <-ctx.Done(): // nobody asks any more
				}
			})
		})
		select {
		case <-ctx.Done():
		case id := <-ended:
			delete(running, id)
		case <-time.After(lookEvery / 4):
		}
	}
}

// look starts what is wanted and not running, and stops what is not wanted any
// more. While the database is away everything goes on as it was.
func (r *Recorder) look(ctx context.Context, claims *logbook.Claims, running map[int64]context.CancelFunc,
	start func(logbook.Feed)) *logbook.Claims {
	ask, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	if claims != nil && !claims.Alive(ask) {
		claims.Close()
		claims = nil
	}
	fresh := claims == nil
	if fresh {
		var err error
		if claims, err = r.Book.FeedClaims(ask); err != nil {
			return nil
		}
	}
	feeds, err := r.Book.Sources(ask, logbook.AdapterFeed)
	if err != nil {
		return claims
	}
	wanted := map[int64]bool{}
	for _, f := range feeds {
		wanted[f.ID] = true
		_, on := running[f.ID]
		if on && !fresh {
			continue
		}
		ours, err := claims.Try(ask, f.ID)
		switch {
		case err != nil:
			return claims
		case on && !ours: // another copy took over while the database was away
			running[f.ID]()
		case !on && ours:
			if whole, err := r.Book.Feed(ask, f.ID); err == nil {
				start(*whole)
			} else {
				_ = claims.Release(ask, f.ID)
			}
		}
	}
	for id, stop := range running {
		if !wanted[id] {
			stop()
			_ = claims.Release(ask, id)
		}
	}
	return claims
}

// startOf gives a run's start.
func (r *Recorder) startOf(ctx context.Context, runID int64) (time.Time, error) {
	r.mu.Lock()
	at, ok := r.started[runID]
	r.mu.Unlock()
	if ok {
		return at, nil
	}
	row, err := r.Book.Run(ctx, runID)
	if err != nil {
		return time.Time{}, err
	}
	if row.StartedAt == nil {
		return time.Time{}, fmt.Errorf("run %d has no start", runID)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.started == nil {
		r.started = map[int64]time.Time{}
	}
	// Put on the machine's monotonic clock: a step of its wall clock in the middle of a run moves no reading.
	now := r.now()
	r.started[runID] = now.Add(row.StartedAt.Sub(now))
	return r.started[runID], nil
}

// adapter reads one adapter until its feed is not wanted any more, connecting
// again as often as it takes.
func (r *Recorder) adapter(ctx context.Context, f logbook.Feed) {
	p, err := profile.Parse([]byte(f.Profile))
	if err != nil {
		r.say(ctx, &f, logbook.FeedLost, "the profile cannot be used: "+err.Error())
		<-ctx.Done()
		return
	}
	keep := newKeeper(r, f, quietest(p, cmp.Or(r.Speed, 1)))
	done := make(chan struct{})
	go func() { defer close(done); keep.run(ctx) }()
	defer func() { <-done }()
	wait := again.Wait{First: firstWait, Most: longWait, Lasting: 20 * time.Second}
	_ = again.Do(ctx, wait, func(ctx context.Context) error {
		err := r.session(ctx, f, p, keep)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case errors.Is(err, logbook.ErrEnded):
			return again.ErrEnough
		}
		r.say(ctx, &f, logbook.FeedLost, err.Error())
		return err
	})
}

// quietest is how long nothing may be heard of a profile's channels before that is
// marked, in s of the clock of runs.
func quietest(p *profile.Profile, speed float64) float64 {
	pace := math.Inf(1)
	for _, c := range p.Channels {
		pace = min(pace, c.EveryS)
	}
	return gapS * max(speed, pace)
}

// session is one connection to an adapter.
func (r *Recorder) session(ctx context.Context, f logbook.Feed, p *profile.Profile, keep *keeper) error {
	start, err := r.startOf(ctx, f.RunID)
	if err != nil {
		return err
	}
	o, err := dialOBD(ctx, &r.Reach, f.Address)
	if err != nil {
		return err
	}
	stop := context.AfterFunc(ctx, func() { o.Close() })
	defer stop()
	defer o.Close()
	r.say(ctx, &f, logbook.FeedConnected, "")
	groups := groupsOf(p, cmp.Or(r.Speed, 1))
	pace := r.Pace
	if pace == 0 {
		pace = 50 * time.Millisecond
	}
	for ctx.Err() == nil {
		began := time.Now()
		at := r.now()
		values, err := o.poll(groups)
		if len(values) > 0 {
			at = at.Add(r.now().Sub(at) / 2) // the middle of asking
			s := at.Sub(start).Seconds()
			keep.add(logbook.Sample{TS: s, HeardS: s, Values: values})
		}
		if err != nil {
			return err
		}
		if keep.ended() {
			return logbook.ErrEnded
		}
		select {
		case <-ctx.Done():
		case <-time.After(max(pace-time.Since(began), time.Millisecond)):
		}
	}
	return ctx.Err()
}

// say notes how a feed stands, when that is news.
func (r *Recorder) say(ctx context.Context, f *logbook.Feed, state, said string) {
	if f.State == state && f.Said == said {
		return
	}
	f.State, f.Said = state, said
	if err := r.Book.SetFeed(ctx, f, state, said); err != nil && ctx.Err() == nil {
		r.Log.Warn("noting a feed", "feed", f.ID, "error", err)
	}
}
