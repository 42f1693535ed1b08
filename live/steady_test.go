package live

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// The machine's clock is set by an hour in the middle of a run: times go on evenly, and a mark says what happened.
// Small corrections are none; without a live run the new time is taken.
func TestTheMachinesClockIsSet(t *testing.T) {
	book, err := logbook.Open(t.Context(), server.URL(t), logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	wall, timer := time.Date(2026, 2, 3, 18, 20, 0, 0, time.UTC), 5*time.Minute
	pass := func(d time.Duration) { wall, timer = wall.Add(d), timer+d }
	clock := newSteady(func() time.Time { return wall }, func() time.Duration { return timer })
	r := &Recorder{Book: book, Log: logbooktest.Quiet(), Now: clock.Now, Steady: clock}

	wall = wall.Add(-time.Hour)
	r.watchClock(t.Context())
	assert.True(t, clock.Now().Equal(wall), "nobody counts from the old time")

	at := clock.Now()
	id, err := book.StartLive(t.Context(), &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	marks := func() []logbook.Mark { return marksOf(t, book, id) }
	pass(10 * time.Minute)
	wall = wall.Add(400 * time.Millisecond) // kept right by a time server
	r.watchClock(t.Context())
	assert.Empty(t, marks())
	wall = wall.Add(time.Hour)
	r.watchClock(t.Context())
	r.watchClock(t.Context())
	pass(time.Minute)
	assert.Equal(t, 11*time.Minute, clock.Now().Sub(at), "the run's own time goes on")
	require.Len(t, marks(), 1)
	assert.Equal(t, run.Note, marks()[0].Kind)
	assert.Contains(t, marks()[0].Note, "set forward by 60 min;")
	assert.InDelta(t, 600, marks()[0].TS, 0.01)
	wall = wall.Add(-2 * time.Hour)
	r.watchClock(t.Context())
	require.Len(t, marks(), 2)
	assert.Contains(t, marks()[1].Note, "set back by 120 min;")
}

// marksOf are a run's marks as they are stored now.
func marksOf(t *testing.T, book *logbook.Book, id int64) []logbook.Mark {
	t.Helper()
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	return row.Marks
}

// The timer goes on.
func TestTheTimerGoesOn(t *testing.T) {
	a := sinceBoot()
	require.Positive(t, a)
	assert.Eventually(t, func() bool { return sinceBoot() > a }, time.Second, time.Millisecond)
	c := NewSteady()
	assert.WithinDuration(t, time.Now(), c.Now(), time.Second)
	assert.Zero(t, c.Step())
}

// A program that starts again while a run is live goes on by the run's clock, though the machine's was set meanwhile,
// and marks that; so does another copy on the same machine. When the machine was started anew, or no run is live, it
// goes by the machine's time.
func TestAClockThatWasSetWhileNoProgramRan(t *testing.T) {
	book, err := logbook.Open(t.Context(), server.URL(t), logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	wall, timer := time.Date(2026, 2, 3, 18, 20, 0, 0, time.UTC), 5*time.Minute
	program := func(boot string) *Recorder {
		clock := newSteady(func() time.Time { return wall }, func() time.Duration { return timer })
		clock.boot = boot
		r := &Recorder{Book: book, Log: logbooktest.Quiet(), Now: clock.Now, Steady: clock}
		require.NoError(t, r.TakeUp(t.Context()))
		return r
	}
	first := program("one")
	at := first.Steady.Now()
	id, err := book.StartLive(t.Context(), &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	marks := func() []logbook.Mark { return marksOf(t, book, id) }

	wall, timer = wall.Add(10*time.Minute), timer+10*time.Minute
	assert.Equal(t, 10*time.Minute, program("one").Steady.Now().Sub(at))
	assert.Empty(t, marks(), "nothing was set")
	wall = wall.Add(-24 * time.Hour)
	second := program("one")
	assert.Equal(t, 10*time.Minute, second.Steady.Now().Sub(at), "and not a day before it began")
	require.Len(t, marks(), 1)
	assert.Contains(t, marks()[0].Note, "set back by 1440 min; the times of this run go on as before")
	assert.InDelta(t, 600, marks()[0].TS, 0.01)
	program("one")
	assert.Len(t, marks(), 1, "it was marked already")

	assert.True(t, program("two").Steady.Now().Equal(wall), "started anew: nobody knows how long that was")
	require.NoError(t, book.EndLive(t.Context(), id))
	assert.True(t, program("one").Steady.Now().Equal(wall), "no run is live")
}
