package live

import (
	"context"
	"fmt"
	"os"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/logbook"
)

// Steady is a clock that goes on evenly when the machine's is set: from the machine's time when it was made, by the
// machine's timer, which counts while the machine sleeps too. All times of live runs go by it, typed readings as well
// as those of adapters and charge points. Safe for concurrent use.
type Steady struct {
	wall  func() time.Time
	timer func() time.Duration
	boot  string // names the machine and since when its timer runs; empty: not known

	mu   sync.Mutex
	base time.Time     // the machine's time when the timer stood at
	from time.Duration // this
	off  time.Duration // how far the machine's clock was from this one when Step looked
}

// NewSteady makes a clock that shows the machine's time.
func NewSteady() *Steady {
	s := newSteady(time.Now, sinceBoot)
	if id, err := os.ReadFile("/proc/sys/kernel/random/boot_id"); err == nil {
		s.boot = strings.TrimSpace(string(id))
	}
	return s
}

func newSteady(wall func() time.Time, timer func() time.Duration) *Steady {
	s := &Steady{wall: wall, timer: timer}
	s.Follow()
	return s
}

// sinceBoot is the machine's timer (CLOCK_BOOTTIME): nobody can set it, and it does not stand still in a sleep.
func sinceBoot() time.Duration {
	var t unix.Timespec
	if err := unix.ClockGettime(unix.CLOCK_BOOTTIME, &t); err != nil {
		return time.Since(began) // without sleeps
	}
	return time.Duration(t.Nano())
}

var began = time.Now()

// Now is the time by this clock.
func (s *Steady) Now() time.Time {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.now()
}

func (s *Steady) now() time.Time { return s.base.Add(s.timer() - s.from) }

// Follow takes the machine's time again. Times that were counted before do not go with it: no run should be live.
func (s *Steady) Follow() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.base, s.from, s.off = s.wall().Round(0), s.timer(), 0
}

// kept is what there is to keep of it.
func (s *Steady) kept() logbook.Clock {
	s.mu.Lock()
	defer s.mu.Unlock()
	return logbook.Clock{BootAt: s.base.Add(-s.from), OffS: s.off.Seconds()}
}

// goOn makes it the clock that was kept.
func (s *Steady) goOn(c logbook.Clock) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.base, s.from, s.off = c.BootAt, 0, time.Duration(c.OffS*float64(time.Second))
}

// TakeUp goes on by the clock that runs which are live were begun with, if that was on this machine and it was not
// started since: what they count does not hang on whether the machine's clock was set while no program ran. Else the
// program goes by the machine's time. Before anything is recorded.
func (r *Recorder) TakeUp(ctx context.Context) error {
	if r.Steady == nil || r.Steady.boot == "" {
		return nil
	}
	live, err := r.Book.LiveRuns(ctx)
	if err != nil {
		return err
	}
	if len(live) > 0 {
		was, found, err := r.Book.KeptClock(ctx, r.Steady.boot)
		if err != nil {
			return err
		}
		if found {
			r.Steady.goOn(was)
			r.watchClock(ctx)
			return nil
		}
	}
	return r.keepClock(ctx)
}

// keepClock keeps the clock for a program that starts later.
func (r *Recorder) keepClock(ctx context.Context) error {
	if r.Steady.boot == "" {
		return nil
	}
	return r.Book.KeepClock(ctx, r.Steady.boot, r.Steady.kept())
}

// leastStep is from where on a difference is a clock that was set; less is one that is kept right by small steps.
const leastStep = 2 * time.Second

// Step tells by how much the machine's clock was set forward since it was last asked; 0: it was not.
func (s *Steady) Step() time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	off := s.wall().Round(0).Sub(s.now())
	step := off - s.off
	if step.Abs() < leastStep {
		return 0
	}
	s.off = off
	return step
}

// watchClock looks whether the machine's clock was set. While a run is live its times go on as they were, and a mark
// says what happened; else the program takes the new time.
func (r *Recorder) watchClock(ctx context.Context) {
	if r.Steady == nil {
		return
	}
	step := r.Steady.Step()
	if step == 0 {
		return
	}
	r.Log.Warn("this computer's clock was set", "by", step.Round(time.Second))
	live, err := r.Book.LiveRuns(ctx)
	if err != nil {
		return
	}
	if len(live) == 0 {
		r.Steady.Follow()
	}
	if err := r.keepClock(ctx); err != nil {
		r.Log.Error("keeping the clock", "error", err)
	}
	if len(live) == 0 {
		return
	}
	way := "forward"
	if step < 0 {
		way = "back"
	}
	note := fmt.Sprintf("this computer's clock was set %s by %s; the times of this run go on as before", way,
		words.Duration(step.Abs().Round(time.Second).Seconds()))
	now := r.now()
	for _, row := range live {
		if row.StartedAt == nil {
			continue
		}
		m := &logbook.Mark{RunID: row.ID, TS: now.Sub(*row.StartedAt).Seconds(), Kind: run.Note, Note: note}
		if err := r.Book.LiveMark(ctx, m, fmt.Sprintf("clock-%d", now.UnixMilli())); err != nil {
			r.Log.Error("marking that the clock was set", "run", row.ID, "error", err)
		}
	}
}
