package bench

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zincroad/demo"
	"zincroad/logbook"
	"zincroad/logbook/cluster"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

// grown is a logbook that grows from the demo's twenty runs by copies of them, each a
// few days later, with readings between the readings, so that a run has 5,000.
type grown struct {
	t    *testing.T
	url  string
	db   *sql.DB
	book *logbook.Book
	runs int

	// Quick: the copies have no readings of their own but the results of what they are
	// copies of. That is enough for pages of many runs.
	quick bool
}

// finer is how many readings stand for one of the demo's.
const finer = 4

func newGrown(t *testing.T) *grown {
	t.Helper()
	dir, err := os.MkdirTemp("", "zincroad-large-") // on disk: 50 million readings
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	ctx := context.Background()
	c, err := cluster.Start(ctx, cluster.Options{Dir: dir + "/pg", Throwaway: true, Log: logbooktest.Quiet()})
	require.NoError(t, err)
	g := &grown{t: t, url: c.URL, runs: 20, quick: os.Getenv("ZINCROAD_BENCH_QUICK") != ""}
	g.book, err = logbook.Open(ctx, c.URL, logbooktest.Quiet())
	require.NoError(t, err)
	g.db, err = sql.Open("pgx", c.URL)
	require.NoError(t, err)
	t.Cleanup(func() {
		g.db.Close()
		_ = g.book.Close()
		_ = c.Stop()
		os.RemoveAll(dir)
	})
	require.NoError(t, demo.Load(ctx, g.book, func(string) {}))
	require.NoError(t, g.book.Rework(ctx, nil))
	return g
}

func (g *grown) exec(query string, args ...any) {
	g.t.Helper()
	_, err := g.db.Exec(query, args...)
	require.NoError(g.t, err, query)
}

// columns gives a table's columns but those named, for a query.
func (g *grown) columns(table string, but ...string) string {
	g.t.Helper()
	var list string
	require.NoError(g.t, g.db.QueryRow(`SELECT string_agg(quote_ident(column_name), ', ' ORDER BY ordinal_position)
		FROM information_schema.columns WHERE table_name = $1 AND NOT column_name = ANY ($2) AND is_generated = 'NEVER'`, table, but).Scan(&list))
	return list
}

// to lets the logbook grow to so many runs, a multiple of twenty. None of the new ones
// is worked out yet.
func (g *grown) to(runs int) {
	g.t.Helper()
	from, to := g.runs/20, runs/20-1
	began := time.Now()
	var recordings int
	require.NoError(g.t, g.db.QueryRow("SELECT count(*) FROM recordings WHERE run_id <= 20").Scan(&recordings))
	copies := fmt.Sprintf("generate_series(%d, %d) k", from, to)
	// The copies are counted and checked once, by what they are copies of.
	g.exec("ALTER TABLE runs DISABLE TRIGGER runs_tallied")
	g.exec("ALTER TABLE readings DISABLE TRIGGER readings_inserted")
	but := []string{"id", "started_at", "fingerprint"}
	if !g.quick {
		but = append(but, "read_revision", "read_version")
	}
	same := g.columns("runs", but...)
	g.exec(fmt.Sprintf(`INSERT INTO runs (id, started_at, fingerprint, %s) OVERRIDING SYSTEM VALUE
		SELECT id + k * 20, started_at + k * interval '2 days 5 hours', fingerprint || '-' || k, %s
		FROM runs, %s WHERE id <= 20`, same, same, copies))
	same = g.columns("recordings", "id", "run_id")
	g.exec(fmt.Sprintf(`INSERT INTO recordings (id, run_id, %s) OVERRIDING SYSTEM VALUE
		SELECT id + k * %d, run_id + k * 20, %s FROM recordings, %s WHERE run_id <= 20`, same, recordings, same, copies))
	same = g.columns("marks", "id", "run_id", "key")
	g.exec(fmt.Sprintf("INSERT INTO marks (run_id, %s) SELECT run_id + k * 20, %s FROM marks, %s WHERE run_id <= 20",
		same, same, copies))
	if g.quick {
		same = g.columns("results", "run_id")
		g.exec(
			fmt.Sprintf(
				"INSERT INTO results (run_id, %s) SELECT run_id + k * 20, %s FROM results, %s WHERE run_id <= 20",
				same,
				same,
				copies,
			),
		)
	} else {
		g.readings(recordings, copies)
	}
	for _, table := range []string{"runs", "recordings"} {
		g.exec(fmt.Sprintf("SELECT setval(pg_get_serial_sequence('%s', 'id'), (SELECT max(id) FROM %s))", table, table))
	}
	g.exec(
		"UPDATE tallies SET n = (SELECT count(*) FROM runs WHERE deleted_at IS NULL AND NOT live) WHERE what = 'runs'",
	)
	g.exec("ALTER TABLE runs ENABLE TRIGGER runs_tallied")
	g.exec("ALTER TABLE readings ENABLE TRIGGER readings_inserted")
	g.runs = runs
	var n int64
	require.NoError(g.t, readingsStored(g.url, &n))
	fmt.Printf("logbook of %d runs, %d readings: copied in %v\n", runs, n, time.Since(began).Round(time.Second))
}

// readings copies the readings of so many recordings, with others between them.
func (g *grown) readings(recordings int, copies string) {
	g.t.Helper()
	same := g.columns("readings", "recording_id", "n", "t_s")
	g.exec(fmt.Sprintf(`INSERT INTO readings (recording_id, n, t_s, %s)
		SELECT recording_id + k * %d, n * %d + j, t_s + j * step / %d, %s FROM (
			SELECT *, coalesce(lead(t_s) OVER (PARTITION BY recording_id ORDER BY n) - t_s, 1) AS step
			FROM readings WHERE recording_id <= %d) r, %s, generate_series(0, %d) j`,
		same, recordings, finer, finer, same, recordings, copies, finer-1))
	g.exec("UPDATE recordings SET readings = readings * $1 WHERE run_id > $2", finer, g.runs)
}

// rework has everything worked out that is not yet, by two at once.
func (g *grown) rework() {
	g.t.Helper()
	if g.quick {
		g.exec("VACUUM ANALYZE")
		return
	}
	n, err := g.book.Unread(context.Background())
	require.NoError(g.t, err)
	began := time.Now()
	var all sync.WaitGroup
	for range 2 {
		all.Go(func() { _ = g.book.Rework(context.Background(), nil) })
	}
	all.Wait()
	left, err := g.book.Unread(context.Background())
	require.NoError(g.t, err)
	require.Zero(g.t, left)
	took := time.Since(began)
	fmt.Printf("rework of %d runs: %v, %.1f ms a run\n", n, took.Round(time.Millisecond),
		took.Seconds()*1000/float64(n))
	g.exec("VACUUM ANALYZE")
}

// pages are those that look at many runs, and some that look at one.
var pages = []string{
	"/",
	"/?after=MIDDLE",
	"/?sort=fastest",
	"/?group=car&sort=fastest",
	"/?car=Larch+52&ambient=cold",
	"/?q=fulling",
	"/prepare/matrix",
	"/bench",
	"/bench?runs=1,2,3,4,5,6,7,8",
	"/bench/ranking",
	"/bench/matrix",
	"/prepare?car=1&stall=1&outside=5&now=60",
	"/runs/1",
	"/stall",
}

// measure gives each page's median.
func (g *grown) measure() map[string]time.Duration {
	g.t.Helper()
	srv, err := web.New(g.book, logbooktest.Quiet())
	require.NoError(g.t, err)
	ts := httptest.NewServer(srv.Handler())
	defer ts.Close()
	out := map[string]time.Duration{}
	for _, path := range pages {
		url := ts.URL + strings.Replace(path, "MIDDLE", strconv.Itoa(g.runs/2), 1)
		var took []time.Duration
		for range 21 {
			began := time.Now()
			resp, err := http.Get(url)
			require.NoError(g.t, err)
			_, err = io.Copy(io.Discard, resp.Body)
			require.NoError(g.t, err)
			resp.Body.Close()
			require.Equal(g.t, http.StatusOK, resp.StatusCode, path)
			took = append(took, time.Since(began))
		}
		out[path] = median(took)
	}
	return out
}

// Pages with 20, 500 and 10,000 runs side by side, the plans of the list's queries, and
// what rework, import and live runs take in the largest.
func TestLargeLogbook(t *testing.T) {
	only(t)
	sizes := []int{20, 500, 10_000}
	if n, err := strconv.Atoi(os.Getenv("ZINCROAD_BENCH_RUNS")); err == nil {
		sizes[2] = n / 20 * 20
	}
	g := newGrown(t)
	var medians []map[string]time.Duration
	for _, n := range sizes {
		if n > g.runs {
			g.to(n)
			g.rework()
		}
		medians = append(medians, g.measure())
	}
	fmt.Printf("%-44s %10d %10d %10d runs\n", "median of a page, ms", sizes[0], sizes[1], sizes[2])
	for _, path := range pages {
		fmt.Printf("GET %-40s", path)
		for _, m := range medians {
			fmt.Printf(" %10.1f", m[path].Seconds()*1000)
		}
		fmt.Println()
	}
	for _, f := range []logbook.RoadFilter{{Limit: 41}, {Limit: 41, Sort: "fastest", After: int64(g.runs / 2)},
		{Limit: 41, GroupBy: "car"}, {Limit: 41, Car: "Larch 52"}, {Limit: 41, Text: "fulling"}} {
		plan, err := g.book.PlanOf(context.Background(), f)
		require.NoError(t, err)
		fmt.Printf("plan of %+v:\n%s\n", f, plan)
	}
	if g.quick {
		return
	}
	path := bigCSV(t)
	began := time.Now()
	out, err := exec.Command("../bin/zincroad", "import", "--again", "--database-url="+g.url, path).CombinedOutput()
	require.NoError(t, err, string(out))
	fmt.Printf("import of 1e6 readings into it: %v\n", time.Since(began).Round(time.Millisecond))
	began = time.Now()
	g.exec("DELETE FROM runs WHERE id = (SELECT max(id) FROM runs)")
	fmt.Printf("that run gone for good: %v\n", time.Since(began).Round(time.Millisecond))
	liveRunsOn(t, g.url, 50, 10, 20*time.Second)
}
