package logbook_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// liveRun begins a live run with a recording of the car's side.
func liveRun(t *testing.T, b *logbook.Book) (id int64, f *logbook.Feed) {
	t.Helper()
	at := time.Now().UTC()
	id, err := b.StartLive(ctx, &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	f = &logbook.Feed{RunID: id, Kind: logbook.AdapterFeed, Address: "192.0.2.1:35000"}
	require.NoError(t, b.AddFeed(ctx, f, trace.CarSide))
	return id, f
}

func sample(ts, soc float64) logbook.Sample {
	return logbook.Sample{TS: ts, HeardS: ts, Values: map[trace.Channel]float64{trace.SoC: soc}}
}

func loaded(t *testing.T, b *logbook.Book, id int64) *run.Run {
	t.Helper()
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	r, err := b.Load(ctx, row)
	require.NoError(t, err)
	return r
}

// What may have been stored already is stored once; what only looks like it, all
// the same.
func TestAppendOnce(t *testing.T) {
	b := server.Book(t)
	id, f := liveRun(t, b)
	first := []logbook.Sample{sample(1, 10), sample(2, 11)}
	require.NoError(t, b.Append(ctx, id, f.RecordingID, first))
	again := []logbook.Sample{sample(2, 11), sample(2, 12), sample(3, 12),
		{TS: 1, HeardS: 1, Values: map[trace.Channel]float64{trace.SoC: 10, trace.Power: 50}}}
	for range 3 {
		require.NoError(t, b.AppendOnce(ctx, id, f.RecordingID, again))
	}
	rec := loaded(t, b, id).Recordings[0]
	assert.Equal(t, []float64{1, 2, 2, 3, 1}, rec.T, "in the order in which they came")
	assert.Equal(t, []float64{10, 11, 12, 12, 10}, rec.Columns[trace.SoC])
}

// While many append, the run is ended: what was acknowledged is there, what came
// after the end was refused, and nothing else is.
func TestEndingWhileReadingsComeIn(t *testing.T) {
	b := server.Book(t)
	id, f := liveRun(t, b)
	var acknowledged, refused atomic.Int64
	var all sync.WaitGroup
	for i := range 4 {
		all.Go(func() {
			for n := range 400 {
				err := b.Append(ctx, id, f.RecordingID, []logbook.Sample{sample(float64(n), float64(i))})
				if err != nil {
					assert.ErrorIs(t, err, logbook.ErrEnded)
					refused.Add(1)
					return
				}
				acknowledged.Add(1)
			}
		})
	}
	require.Eventually(t, func() bool { return acknowledged.Load() > 40 }, 20*time.Second, time.Millisecond)
	require.NoError(t, b.EndLive(ctx, id))
	at := len(loaded(t, b, id).Recordings[0].T)
	all.Wait()
	assert.EqualValues(t, acknowledged.Load(), len(loaded(t, b, id).Recordings[0].T))
	assert.Len(t, loaded(t, b, id).Recordings[0].T, at, "nothing comes in after the end")
	assert.EqualValues(t, 4, refused.Load(), "the end came in the middle")
}

// A reading that waited in a page, and its correction, and a mark, belong to the
// run that another page has ended; its figures are worked out anew, its file has it.
func TestTypedAfterTheEnd(t *testing.T) {
	b := server.Book(t)
	id, _ := liveRun(t, b)
	require.NoError(
		t,
		b.Type(ctx, id, trace.StallSide, "k1", "40 100", "",
			logbook.Sample{TS: 10, HeardS: 10, Values: map[trace.Channel]float64{trace.SoC: 40, trace.Power: 100}}),
	)
	require.NoError(t, b.EndLive(ctx, id))
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	require.Len(t, row.Recordings, 1, "one that nothing came into is gone")
	revision := row.Revision
	late := logbook.Sample{TS: 70, HeardS: 900, Values: map[trace.Channel]float64{trace.SoC: 41, trace.Power: 9}}
	for range 2 {
		require.NoError(t, b.Type(ctx, id, trace.StallSide, "k2", "41 9", "", late))
	}
	late.Values[trace.Power] = 99
	require.NoError(t, b.Type(ctx, id, trace.StallSide, "k3", "41 99", "k2", late))
	require.NoError(t, b.LiveMark(ctx, &logbook.Mark{RunID: id, TS: 80, Kind: run.Fan}, "m1"))
	require.NoError(t, b.Type(ctx, id, trace.CarSide, "k4", "41", "", sample(75, 41)), "of the other side too")

	r := loaded(t, b, id)
	require.Len(t, r.Recordings, 2)
	assert.Equal(t, []float64{10, 70}, r.Recordings[0].T)
	assert.Equal(t, []float64{100, 99}, r.Recordings[0].Columns[trace.Power])
	assert.Equal(t, run.Fan, r.Marks[0].Kind)
	row, err = b.Run(ctx, id)
	require.NoError(t, err)
	assert.Greater(t, row.Revision, revision, "so that figures are worked out anew")
	file, err := b.File(ctx, &row.Recordings[0])
	require.NoError(t, err)
	assert.True(t, file.Canonical)
	var text strings.Builder
	require.NoError(t, file.Write(&text))
	assert.Equal(t, "t_s,soc_pct,power_kw\n10,40,100\n70,41,99\n", text.String())
	parcel, err := b.Parcel(ctx, row)
	require.NoError(t, err)
	assert.Len(t, parcel.Files, 2)
	assert.ErrorIs(t, b.Type(ctx, id, trace.StallSide, "k5", "1", "gone", late), logbook.ErrNotFound)
	assert.ErrorIs(t, b.Type(ctx, id+999, trace.StallSide, "k6", "1", "", late), logbook.ErrNotFound)
	assert.ErrorIs(t,
		b.AddFeed(ctx, &logbook.Feed{RunID: id, Kind: logbook.AdapterFeed, Address: "192.0.2.1:1"}, trace.CarSide),
		logbook.ErrEnded)
	require.NoError(t, b.EndLive(ctx, id), "ended twice is ended")
}

// What one copy of the program stores another hears of, by the run's number, and
// nothing of a transaction that came to nothing.
func TestListen(t *testing.T) {
	database := server.URL(t)
	open := func() *logbook.Book {
		b, err := logbook.Open(ctx, database, logbooktest.Quiet())
		require.NoError(t, err)
		t.Cleanup(func() { _ = b.Close() })
		return b
	}
	b, other := open(), open()
	listening, stop := context.WithCancel(ctx)
	heard := make(chan int64, 100)
	done := make(chan struct{})
	go func() { defer close(done); _ = other.Listen(listening, func(id int64) { heard <- id }) }()
	next := func() int64 {
		t.Helper()
		select {
		case id := <-heard:
			return id
		case <-time.After(20 * time.Second):
			require.Fail(t, "nothing was heard")
			return -1
		}
	}
	require.Zero(t, next(), "at first anything may have changed")
	first, f := liveRun(t, b)
	assert.Equal(t, first, next(), "its start")
	assert.Equal(t, first, next(), "its source")
	require.NoError(t, b.Append(ctx, first, f.RecordingID, []logbook.Sample{sample(1, 10)}))
	assert.Equal(t, first, next())
	require.NoError(t, b.EndLive(ctx, first))
	assert.Equal(t, first, next())
	require.ErrorIs(t, b.Append(ctx, first, f.RecordingID, []logbook.Sample{sample(2, 10)}), logbook.ErrEnded)
	second, _ := liveRun(t, b)
	assert.Equal(t, second, next(), "the refused reading said nothing")
	stop()
	<-done
}

// The plug as marks and power tell it; the tester's own mark takes the place of one
// that was made from what the stall said.
func TestPlug(t *testing.T) {
	b := server.Book(t)
	id, f := liveRun(t, b)
	mark := func(kind, note string, ts float64) {
		t.Helper()
		require.NoError(t,
			b.LiveMark(ctx, &logbook.Mark{RunID: id, TS: ts, Kind: kind, Note: note}, fmt.Sprint(kind, ts)))
	}
	want := func(p logbook.Plug) {
		t.Helper()
		got, err := b.PlugOf(ctx, id, f.RecordingID)
		require.NoError(t, err)
		assert.Equal(t, p, got)
	}
	want(logbook.Plug{})
	mark(run.PlugIn, run.ByStall, 20)
	mark(run.Note, "wet", 30)
	want(logbook.Plug{In: true, SinceS: 20})
	mark(run.PlugIn, "", 14)
	want(logbook.Plug{In: true, SinceS: 14})
	require.NoError(
		t,
		b.Append(ctx, id, f.RecordingID,
			[]logbook.Sample{{TS: 10, HeardS: 10, Values: map[trace.Channel]float64{trace.Power: 50}}}),
	)
	want(logbook.Plug{In: true, SinceS: 14}) // that was before
	require.NoError(
		t,
		b.Append(ctx, id, f.RecordingID,
			[]logbook.Sample{{TS: 40, HeardS: 40, Values: map[trace.Channel]float64{trace.Power: 50}}}),
	)
	want(logbook.Plug{In: true, SinceS: 14, Powered: true})
	mark(run.Unplug, "", 300)
	want(logbook.Plug{SinceS: 300})
	mark(run.PlugIn, run.ByStall, 400)
	mark(run.PlugIn, "", 900) // far from what the stall said: another plug-in
	mark(run.Attempt, "", 950)
	mark(run.PlugIn, run.ByStall, 1000)
	mark(run.Attempt, "", 1050)
	mark(run.PlugIn, "", 1100) // near, but the plug was out in between
	mark(run.PlugIn, "", 900)  // sent again: it takes nothing away
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	var kinds []string
	for _, m := range row.Marks {
		kinds = append(kinds, fmt.Sprintf("%s %.0f", m.Kind, m.TS))
	}
	assert.Equal(
		t,
		"plug-in 14, note 30, unplug 300, plug-in 400, plug-in 900, attempt 950, plug-in 1000, attempt 1050, plug-in 1100",
		strings.Join(kinds, ", "),
	)
}

// A mark taken back is gone, once and for all, and no other.
func TestTakeBackMark(t *testing.T) {
	b := server.Book(t)
	id, _ := liveRun(t, b)
	for i, kind := range []string{run.PlugIn, run.Unplug} {
		require.NoError(t, b.LiveMark(ctx, &logbook.Mark{RunID: id, TS: float64(i), Kind: kind}, kind))
	}
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	other, _ := liveRun(t, b)
	require.NoError(t, b.TakeBackMark(ctx, other, row.Marks[1].ID), "it is not this run's")
	for range 2 {
		row, err = b.Run(ctx, id)
		require.NoError(t, err)
		require.NoError(t, b.TakeBackMark(ctx, id, row.Marks[len(row.Marks)-1].ID))
	}
	row, err = b.Run(ctx, id)
	require.NoError(t, err)
	assert.Empty(t, row.Marks)
	require.NoError(t, b.TakeBackMark(ctx, id, 1))
	assert.ErrorIs(t, b.TakeBackMark(ctx, id+99, 1), logbook.ErrNotFound)
}

func TestPhotos(t *testing.T) {
	b := server.Book(t)
	id, _ := liveRun(t, b)
	for i, ts := range []float64{90, 30} {
		require.NoError(t,
			b.AddPhoto(ctx, &logbook.Photo{RunID: id, Kind: "image/png", Content: []byte{byte(i)}, TS: ts}))
	}
	assert.ErrorIs(t, b.AddPhoto(ctx, &logbook.Photo{RunID: id, Kind: "text/html", Content: []byte("<script>")}),
		logbook.ErrRefused)
	list, err := b.Photos(ctx, id)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, 30.0, list[0].TS, "in the order of time")
	assert.Empty(t, list[0].Content)
	p, err := b.Photo(ctx, id, list[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []byte{1}, p.Content)
	require.NoError(t, b.PutPhotoAside(ctx, id, p.ID, true))
	list, err = b.Photos(ctx, id)
	require.NoError(t, err)
	assert.Len(t, list, 1)
	require.NoError(t, b.PutPhotoAside(ctx, id, p.ID, false))
	list, err = b.Photos(ctx, id)
	require.NoError(t, err)
	assert.Len(t, list, 2)
	_, err = b.Photo(ctx, id+1, p.ID)
	assert.ErrorIs(t, err, logbook.ErrNotFound, "of another run")
	assert.ErrorIs(t, b.PutPhotoAside(ctx, id+1, p.ID, true), logbook.ErrNotFound)
}

// A copy of the program that has frozen, with its connection open, loses its claims; one that goes on asking keeps
// them.
func TestAFrozenCopyLosesItsClaims(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	ctx := context.Background()
	frozen, err := b.FeedClaims(ctx)
	require.NoError(t, err)
	awake, err := b.FeedClaims(ctx)
	require.NoError(t, err)
	defer awake.Close()
	for _, claim := range []struct {
		by *logbook.Claims
		id int64
	}{{frozen, 1}, {awake, 2}} {
		ok, err := claim.by.Try(ctx, claim.id)
		require.NoError(t, err)
		require.True(t, ok)
	}
	ok, err := awake.Try(ctx, 1)
	require.NoError(t, err)
	require.False(t, ok, "another has it")
	began := time.Now()
	require.Eventually(t, func() bool {
		ok, err := awake.Try(ctx, 1)
		return err == nil && ok
	}, 4*logbook.ClaimsLast, 200*time.Millisecond)
	assert.GreaterOrEqual(t, time.Since(began), logbook.ClaimsLast-time.Second)
	assert.True(t, awake.Alive(ctx))
	assert.False(t, frozen.Alive(ctx), "and it hears of it")
	_ = frozen.Close()
}
