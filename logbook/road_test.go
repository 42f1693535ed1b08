package logbook_test

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"io/fs"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// withSQL gives a logbook with the demo's runs, and a way around it.
func withSQL(t *testing.T) (*logbook.Book, string, func(query string) int) {
	t.Helper()
	t.Parallel() // each has its own database
	url := server.URLFrom(t, demoBook)
	b, err := logbook.Open(ctx, url, logbooktest.Quiet())
	require.NoError(t, err)
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	t.Cleanup(func() {
		db.Close()
		_ = b.Close()
	})
	return b, url, func(query string) (n int) {
		t.Helper()
		require.NoError(t, db.QueryRow("WITH x AS ("+query+" RETURNING 1) SELECT count(*) FROM x").Scan(&n))
		return n
	}
}

// Going on behind the last run of a piece gives what the whole list has there, for every
// order and every group, also among runs without a date, a window or a car.
func TestPiecesMakeUpTheList(t *testing.T) {
	b, _, exec := withSQL(t)
	_, _, _, err := b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	exec("UPDATE runs SET started_at = NULL, window_s = NULL, peak_kw = NULL WHERE id % 4 = 0")
	exec("UPDATE runs SET car_id = NULL, software_id = NULL, stall_id = NULL WHERE id % 5 = 0")
	exec("UPDATE runs SET started_at = '2026-01-01' WHERE id % 6 = 1")
	ids := func(rows []logbook.RoadRow) (out []int64) {
		for _, r := range rows {
			out = append(out, r.ID)
		}
		return out
	}
	for _, group := range []string{"", "car", "software", "stall", "preconditioned"} {
		for _, sort := range []string{"newest", "oldest", "fastest", "peak", "average"} {
			f := logbook.RoadFilter{GroupBy: group, Sort: sort}
			whole, total, _, err := b.Road(ctx, f)
			require.NoError(t, err)
			require.Len(t, whole, total)
			var pieces []int64
			for f.Limit = 3; ; f.After = pieces[len(pieces)-1] {
				rows, _, _, err := b.Road(ctx, f)
				require.NoError(t, err)
				if pieces = append(pieces, ids(rows)...); len(rows) < 3 {
					break
				}
			}
			assert.Equal(t, ids(whole), pieces, "by %s within %q", sort, group)
		}
	}
}

// The tally is what counting gives, whatever came and went.
func TestTheTallyHolds(t *testing.T) {
	b, _, exec := withSQL(t)
	holds := func(want int) {
		t.Helper()
		rows, total, _, err := b.Road(ctx, logbook.RoadFilter{})
		require.NoError(t, err)
		assert.Equal(t, want, total)
		assert.Len(t, rows, want)
	}
	holds(20)
	require.NoError(t, b.DeleteRun(ctx, 3))
	require.ErrorIs(t, b.DeleteRun(ctx, 3), logbook.ErrNotFound)
	holds(19)
	require.NoError(t, b.RestoreRun(ctx, 3))
	require.NoError(t, b.RestoreRun(ctx, 3))
	holds(20)
	exec("UPDATE runs SET live = true WHERE id IN (4, 5)")
	holds(18)
	require.NoError(t, b.EndLive(ctx, 5))
	holds(19)
	exec("DELETE FROM runs WHERE id IN (1, 4)")
	holds(18)
}

// Two copies of the program share what a new version of the arithmetic leaves to do: no
// run is worked out twice, none is left. The runs have no car and no stall, so none learns from another.
func TestCopiesShareTheRework(t *testing.T) {
	one, url, exec := withSQL(t)
	two, err := logbook.Open(ctx, url, logbooktest.Quiet())
	require.NoError(t, err)
	defer two.Close()
	exec("UPDATE runs SET read_version = 0, car_id = NULL, software_id = NULL, stall_id = NULL")
	n, err := one.Unread(ctx)
	require.NoError(t, err)
	require.Equal(t, 20, n)
	var mu sync.Mutex
	done := 0
	var all sync.WaitGroup
	for _, b := range []*logbook.Book{one, two} {
		all.Go(func() {
			assert.NoError(t, b.Rework(ctx, func() {
				mu.Lock()
				defer mu.Unlock()
				done++
			}))
		})
	}
	all.Wait()
	assert.Equal(t, 20, done)
	n, err = two.Unread(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
	rows, _, _, err := one.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	for _, r := range rows {
		assert.Equal(t, curve.Version, r.ReadVersion)
		assert.Empty(t, r.Broken)
	}
}

// What was worked out once is read back: nothing is worked out twice.
func TestResultsAreReadBack(t *testing.T) {
	b, _, exec := withSQL(t)
	require.NoError(t, b.Rework(ctx, nil))
	row, err := b.Run(ctx, 2)
	require.NoError(t, err)
	first, err := b.Results(ctx, row)
	require.NoError(t, err)
	exec("UPDATE results SET readings = replace(readings, 'clock.plug', 'clock.power'), stamp = gen_random_uuid() " +
		"WHERE run_id = 2")
	kept, err := b.Results(ctx, row)
	require.NoError(t, err)
	assert.NotEqual(t, first.Head().Findings, kept.Head().Findings, "it is what was kept")
	assert.Equal(t, first.Of(), kept.Of())
	require.Len(t, kept.Of(), 4, "two clocks, two sides")
	for _, o := range kept.Of() {
		x := kept.Reading(o.Clock, o.Side)
		assert.Equal(t, o, curve.Options{Clock: x.Clock, Side: x.Side})
		assert.NotEmpty(t, x.Posts)
	}
	assert.Same(t, kept.Head(), kept.Reading("", ""))
	for side, red := range first.Curves {
		assert.Equal(t, len(red.T), len(kept.Curves[side].T))
		assert.Len(t, kept.Curves[side].Columns, len(red.Columns))
	}
	exec("UPDATE results SET curves = '\\x0102', stamp = gen_random_uuid() WHERE run_id = 2")
	again, err := b.Results(ctx, row)
	require.NoError(t, err)
	assert.Equal(t, first.Head().Findings, again.Head().Findings, "worked out anew where it cannot be read")
}

// A run that comes in late, with more amps at a stall than any before, is a lesson to those that were there
// already: their figures are worked out once more, and then nothing is left to do.
func TestALaterRunTeachesTheEarlierOnes(t *testing.T) {
	b, _, exec := withSQL(t)
	require.NoError(t, b.Rework(ctx, nil))
	exec("UPDATE runs SET taught = '{}' WHERE id <> 1")
	pupils := func() (ids []int64) {
		t.Helper()
		rows, _, _, err := b.Road(ctx, logbook.RoadFilter{})
		require.NoError(t, err)
		for _, r := range rows {
			row, err := b.Run(ctx, r.ID)
			require.NoError(t, err)
			if row.Lessons != row.LessonsRead {
				ids = append(ids, r.ID)
			}
		}
		return ids
	}
	require.Empty(t, pupils())
	teacher, err := b.Run(ctx, 1)
	require.NoError(t, err)
	exec("UPDATE runs SET taught = '', revision = revision + 1 WHERE id = 1") // as if it had just come in
	teacher.Revision++
	_, err = b.Results(ctx, teacher)
	require.NoError(t, err)
	due := pupils()
	assert.NotContains(t, due, int64(1), "it teaches itself nothing")
	require.NotEmpty(t, due)
	for _, id := range due {
		row, err := b.Run(ctx, id)
		require.NoError(t, err)
		assert.True(t, *row.CarID == *teacher.CarID || *row.StallID == *teacher.StallID, "run %d: neither car nor stall", id)
	}
	n, err := b.Unread(ctx)
	require.NoError(t, err)
	assert.Equal(t, len(due), n)
	first, err := b.Run(ctx, due[0])
	require.NoError(t, err)
	_, err = b.Results(ctx, first)
	require.NoError(t, err)
	assert.NotContains(t, pupils(), due[0], "whoever asks for it gets it at once")
	require.NoError(t, b.Rework(ctx, nil))
	assert.Empty(t, pupils())
}

// A copy with an older arithmetic takes nothing away that a newer one has worked out.
func TestAnOlderCopyChangesNothing(t *testing.T) {
	b, _, exec := withSQL(t)
	require.NoError(t, b.Rework(ctx, nil))
	exec(fmt.Sprintf("UPDATE runs SET read_version = %d, window_s = 1 WHERE id = 2", curve.Version+1))
	exec(fmt.Sprintf("UPDATE results SET arithmetic = %d WHERE run_id = 2", curve.Version+1))
	n, err := b.Unread(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
	row, err := b.Run(ctx, 2)
	require.NoError(t, err)
	res, err := b.Results(ctx, row)
	require.NoError(t, err)
	assert.NotEmpty(t, res.Head().Posts, "its own figures, for its own page")
	rows, _, _, err := b.Road(ctx, logbook.RoadFilter{Sort: "fastest", Limit: 1})
	require.NoError(t, err)
	assert.EqualValues(t, 2, rows[0].ID, "what the newer one kept stands")
}

// The strip of the list is that of the results: what was packed is what was worked out,
// to the precision that is kept.
func TestStripsComeBack(t *testing.T) {
	b, _, _ := withSQL(t)
	rows, _, _, err := b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	for _, r := range rows {
		run, err := b.Run(ctx, r.ID)
		require.NoError(t, err)
		res, err := b.Results(ctx, run)
		require.NoError(t, err)
		head := res.Head()
		require.Len(t, r.Strip.Posts, len(head.Posts))
		for i, p := range head.Posts {
			assert.InDelta(t, p.SoCPct, r.Strip.Posts[i].SoCPct, 1e-4)
			assert.InDelta(t, p.TS, r.Strip.Posts[i].TS, 0.01)
			assert.Equal(t, p.PowerKW == nil, r.Strip.Posts[i].PowerKW == nil)
		}
		assert.Equal(t, head.Side, r.Strip.Side)
		assert.Len(t, r.Strip.Gaps, len(head.Gaps))
		top := slices.MaxFunc(r.Strip.KW, func(a, b float64) int { return cmp.Compare(a, b) }) // NaN is the least
		assert.InDelta(t, head.Peak.KW, top, 0.5, "thinning keeps the highest")
		assert.Equal(t, head.Findings[0].Text, r.Strip.Said.Text)
	}
}

// A run whose start was read counts by that, one that was not by its window's.
func TestMadeCountsKinds(t *testing.T) {
	b, _, exec := withSQL(t)
	require.NoError(t, b.Rework(context.Background(), nil))
	made, err := b.Made(ctx)
	require.NoError(t, err)
	runs, named := 0, 0
	for _, m := range made {
		runs, named = runs+m.Runs, named+len(m.Newest)
	}
	assert.Equal(t, 20, runs)
	assert.Equal(t, 20, named)
	exec(
		"UPDATE runs SET car_id = NULL, software_id = NULL, stall_id = NULL, preconditioned = '', start_pct = " +
			"NULL, from_pct = 12.34",
	)
	made, err = b.Made(ctx)
	require.NoError(t, err)
	require.Len(t, made, 1)
	assert.Equal(t, 20, made[0].Runs)
	assert.Len(t, made[0].Newest, 12, "a page names no more")
	assert.EqualValues(t, 20, made[0].Newest[0])
	assert.InDelta(t, 12.3, made[0].FromPct, 1e-9)
}

// A logbook of before lists read columns comes up whole: its runs stand in the list with
// what was kept of them, and are worked out anew in the background.
func TestALogbookOfBefore(t *testing.T) {
	url := server.URL(t)
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	steps, err := fs.Sub(logbook.Migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectPostgres, db, steps)
	require.NoError(t, err)
	_, err = p.DownTo(ctx, 7)
	require.NoError(t, err)
	for _, q := range []string{
		"INSERT INTO runs (fingerprint, title) VALUES ('x', 'before')",
		"INSERT INTO recordings (run_id, position, name, side, readings, channels) SELECT id, 0, 'car.csv', 'car', 0, '' FROM runs",
		"INSERT INTO readings (recording_id, n, t_s, soc_pct, power_kw) SELECT id, k, k, 10 + k / 10.0, 50 FROM recordings, " +
			"generate_series(0, 600) k",
		"UPDATE recordings SET readings = 601, channels = 'soc_pct,power_kw'",
		fmt.Sprintf("INSERT INTO results (run_id, arithmetic, revision, peak_kw, length_s, finding, strip, readings, curves) "+
			"SELECT id, %d, 1, 51, 600, 'as it was', '{}', '[]', '{}' FROM runs", curve.Version),
	} {
		_, err := db.Exec(q)
		require.NoError(t, err, q)
	}
	b, err := logbook.Open(ctx, url, logbooktest.Quiet())
	require.NoError(t, err)
	defer b.Close()
	rows, total, _, err := b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	require.Equal(t, 1, total)
	assert.Equal(t, 51.0, *rows[0].PeakKW)
	assert.Equal(t, "Its figures are being worked out.", rows[0].Broken)
	require.NoError(t, b.Rework(ctx, nil))
	rows, _, _, err = b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	assert.Empty(t, rows[0].Broken)
	assert.Equal(t, 50.0, *rows[0].PeakKW)
	assert.NotEmpty(t, rows[0].Strip.T)
	run, err := b.Run(ctx, rows[0].ID)
	require.NoError(t, err)
	full, err := b.Load(ctx, run)
	require.NoError(t, err)
	assert.Len(t, full.Recordings[0].T, 601, "the readings are there, in their parts")
}

// What is kept of a run that makes no sense is said in its place, and not tried again and
// again; what only went wrong once is.
func TestFaultsThatLast(t *testing.T) {
	b, _, exec := withSQL(t)
	require.NoError(t, b.Rework(ctx, nil))
	exec("UPDATE recordings SET channels = 'nonsense_kw' WHERE run_id = 2")
	exec("UPDATE runs SET revision = revision + 1 WHERE id = 2")
	for range 2 {
		require.NoError(t, b.Rework(ctx, nil))
		rows, _, _, err := b.Road(ctx, logbook.RoadFilter{})
		require.NoError(t, err)
		for _, r := range rows {
			assert.Equal(t, r.ID == 2, r.Broken != "", "run %d: %s", r.ID, r.Broken)
			assert.Equal(t, r.ID == 2, r.PeakKW == nil, "no figures of before what broke it")
		}
		n, err := b.Unread(ctx)
		require.NoError(t, err)
		assert.Zero(t, n)
	}
	exec("UPDATE recordings SET channels = 'soc_pct,power_kw' WHERE run_id = 2")
	exec("UPDATE runs SET revision = revision + 1 WHERE id = 2")
	require.NoError(t, b.Rework(ctx, nil))
	rows, _, _, err := b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	for _, r := range rows {
		assert.Empty(t, r.Broken, "run %d", r.ID)
	}
}

// Nobody who looks at the list waits for figures: it says that they are of before, and the background makes them at
// once, not at its next round.
func TestLookingWorksNothingOut(t *testing.T) {
	b, _, exec := withSQL(t)
	require.NoError(t, b.Rework(ctx, nil))
	background, stop := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		b.KeepRead(background)
	}()
	defer func() { stop(); <-done }()
	time.Sleep(200 * time.Millisecond) // its first look finds nothing
	exec("UPDATE runs SET revision = revision + 1 WHERE id = 2")
	waits := func() bool {
		rows, _, _, err := b.Road(ctx, logbook.RoadFilter{})
		require.NoError(t, err)
		return slices.ContainsFunc(rows, func(r logbook.RoadRow) bool { return r.ID == 2 && r.Changed })
	}
	assert.True(t, waits(), "as it was")
	assert.Eventually(t, func() bool { return !waits() }, 15*time.Second, 50*time.Millisecond,
		"sooner than its next round")
}

// When more runs were changed than one visitor is made to wait for, the rest keep the
// figures of before and say so; the background gives them their own.
func TestFiguresOfBeforeAChangeSaySo(t *testing.T) {
	b, _, exec := withSQL(t)
	_, _, _, err := b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	exec("INSERT INTO runs (title, fingerprint) SELECT 'later', 'later ' || n FROM generate_series(1, 45) n")
	exec("UPDATE runs SET revision = revision + 1 WHERE id = 2")
	changed := func() (ids []int64) {
		rows, _, _, err := b.Road(ctx, logbook.RoadFilter{})
		require.NoError(t, err)
		for _, r := range rows {
			if r.Changed {
				ids = append(ids, r.ID)
			}
		}
		return ids
	}
	assert.Equal(t, []int64{2}, changed(), "the newest 40 first")
	require.NoError(t, b.Rework(ctx, nil))
	assert.Empty(t, changed())
}
