package live

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync"
	"time"

	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/internal/again"
	"zincroad/logbook"
)

// keeper stores the samples of one recording in order, and keeps what cannot be
// stored yet.
type keeper struct {
	r       *Recorder
	feed    logbook.Feed
	quietS  float64 // a longer silence is marked
	heardS  float64 // when the newest sample that was stored was heard; NaN: none was
	takenUp bool    // heardS is known

	mu      sync.Mutex
	pending []logbook.Sample
	again   bool // the first of them may be on disk, though that was not heard
	lost    int  // that there was no room for
	over    bool
	news    chan struct{}
}

// room is how many samples are kept while the database is away: hours of them.
const room = 50_000

// batch is how many samples go into one statement.
const batch = 500

func newKeeper(r *Recorder, f logbook.Feed, quietS float64) *keeper {
	return &keeper{r: r, feed: f, quietS: quietS, heardS: math.NaN(), news: make(chan struct{}, 1)}
}

func (k *keeper) add(s logbook.Sample) {
	k.mu.Lock()
	if len(k.pending) >= room {
		k.lost++
	} else {
		k.pending = append(k.pending, s)
	}
	k.mu.Unlock()
	select {
	case k.news <- struct{}{}:
	default:
	}
}

func (k *keeper) ended() bool {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.over
}

// storeWait is how long is waited before what could not be stored is tried again.
var storeWait = again.Wait{First: 100 * time.Millisecond, Most: 2 * time.Second}

// run stores until the context ends, and then once more.
func (k *keeper) run(ctx context.Context) {
	for {
		err := again.Do(ctx, storeWait, func(ctx context.Context) error { return k.store(ctx) })
		if k.ended() {
			return
		}
		select {
		case <-ctx.Done():
		case <-k.news:
			if err == nil {
				continue
			}
		}
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
		defer cancel()
		if err := k.flush(end); err != nil && !errors.Is(err, logbook.ErrEnded) {
			k.r.Log.Warn("storing the last readings", "run", k.feed.RunID, "error", err)
		}
		return
	}
}

// store is one try to store what is pending. A run that has ended wants none of it.
func (k *keeper) store(ctx context.Context) error {
	err := k.flush(ctx)
	switch {
	case errors.Is(err, logbook.ErrEnded):
		k.mu.Lock()
		defer k.mu.Unlock()
		k.over, k.pending = true, nil
		return again.ErrEnough
	case err != nil && ctx.Err() == nil:
		k.mu.Lock()
		kept, lost := len(k.pending), k.lost
		k.mu.Unlock()
		k.r.Log.Warn("storing readings, they are kept", "run", k.feed.RunID, "kept", kept, "lost", lost, "error", err)
	}
	return err
}

// flush stores what is pending, in order; what was stored is forgotten only then.
func (k *keeper) flush(ctx context.Context) error {
	for {
		k.mu.Lock()
		n := min(batch, len(k.pending))
		some := append([]logbook.Sample(nil), k.pending[:n]...)
		k.mu.Unlock()
		if n == 0 {
			return nil
		}
		store, cancel := context.WithTimeout(ctx, 10*time.Second)
		if err := k.markSilence(store, some); err != nil {
			cancel()
			return err
		}
		appendTo := k.r.Book.Append
		if k.again {
			appendTo = k.r.Book.AppendOnce
		}
		err := appendTo(store, k.feed.RunID, k.feed.RecordingID, some)
		cancel()
		if k.again = err != nil; err != nil {
			return err
		}
		k.heardS = some[n-1].HeardS
		k.mu.Lock()
		k.pending = k.pending[n:]
		lost := k.lost
		k.mu.Unlock()
		if err := k.markLost(ctx, lost); err != nil {
			return err
		}
		if start, err := k.r.startOf(ctx, k.feed.RunID); err == nil {
			k.r.stored(start, some)
		}
	}
}

// markLost says on the run how many readings there was no room for while the database
// was away.
func (k *keeper) markLost(ctx context.Context, lost int) error {
	if lost == 0 {
		return nil
	}
	note := fmt.Sprintf("%d readings were lost: the database was away for too long", lost)
	m := &logbook.Mark{RunID: k.feed.RunID, TS: k.heardS, Kind: run.Note, Note: note}
	if err := k.r.Book.LiveMark(ctx, m, fmt.Sprintf("lost-%d-%.0f", k.feed.RecordingID, k.heardS)); err != nil {
		return err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	k.lost -= lost
	return nil
}

// markSilence marks the times in which nothing was recorded: while the program was
// away, or the adapter.
func (k *keeper) markSilence(ctx context.Context, some []logbook.Sample) error {
	if !k.takenUp {
		last, ok, err := k.r.Book.LastHeard(ctx, k.feed.RecordingID)
		if err != nil {
			return err
		}
		if k.takenUp = true; ok {
			k.heardS = last
		}
	}
	before := k.heardS
	for _, s := range some {
		if s.HeardS-before >= k.quietS {
			m := &logbook.Mark{
				RunID: k.feed.RunID,
				TS:    before,
				Kind:  run.Note,
				Note:  fmt.Sprintf("nothing recorded for %s", words.Duration(math.Round(s.HeardS-before))),
			}
			if err := k.r.Book.LiveMark(ctx, m, fmt.Sprintf("silence-%d-%.0f", k.feed.RecordingID, before)); err != nil {
				return err
			}
		}
		before = s.HeardS
	}
	return nil
}
