// Package bench measures speed; make bench runs it and prints the ratios.
package bench

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"zincroad/demo"
	"zincroad/internal/memory"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

const rows = 1_000_000

func only(t *testing.T) {
	t.Helper()
	if os.Getenv("ZINCROAD_BENCH") == "" {
		t.Skip("make bench runs this")
	}
}

// bigCSV writes a million readings with eight channels: a session stretched out.
func bigCSV(t *testing.T) string {
	t.Helper()
	path := filepath.Join(os.TempDir(), "zincroad-bench-1e6.csv")
	if info, err := os.Stat(path); err == nil && info.Size() > 1e7 {
		return path
	}
	f, err := os.Create(path)
	require.NoError(t, err)
	w := bufio.NewWriterSize(f, 1<<20)
	fmt.Fprintln(w,
		"t_s,soc_pct,power_kw,current_a,voltage_v,battery_temp_min_c,battery_temp_max_c,heater_kw,ambient_c")
	for i := range rows {
		x := float64(i) / rows
		kw := 150 - 90*x + float64(i%7)*0.1
		if i < 100 {
			kw = 0
		}
		v := 340 + 60*x
		fmt.Fprintf(w, "%.2f,%.4f,%.2f,%.1f,%.1f,%.1f,%.1f,%.1f,%.1f\n", float64(i)*0.01, 10+75*x, kw, kw*1000/v, v,
			18+10*x, 21+14*x, 0.0, 4.5)
	}
	require.NoError(t, w.Flush())
	require.NoError(t, f.Close())
	return path
}

func median(d []time.Duration) time.Duration {
	sort.Slice(d, func(i, j int) bool { return d[i] < d[j] })
	return d[len(d)/2]
}

// zincroad read against a pandas script that works out the same figures.
func TestReadAgainstPandas(t *testing.T) {
	only(t)
	path := bigCSV(t)
	type side struct {
		name string
		args []string
		took []time.Duration
		rss  int64
		out  []byte
	}
	own := side{name: "../bin/zincroad", args: []string{"read", path, "--json"}}
	pandas := side{name: "/usr/bin/python3", args: []string{"-I", "pandas_read.py", path}}
	var times []float64
	for range 11 { // one after the other, since a machine that others share is not as fast in every minute
		for _, by := range []*side{&own, &pandas} {
			c := exec.Command(by.name, by.args...)
			began := time.Now()
			var err error
			by.out, err = c.Output()
			require.NoError(t, err, by.name)
			by.took = append(by.took, time.Since(began))
			by.rss = max(by.rss, c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss)
		}
		last := len(own.took) - 1
		times = append(times, float64(pandas.took[last])/float64(own.took[last]))
	}
	slices.Sort(times)
	var a struct {
		Energy struct {
			CarKWh float64 `json:"car_kwh"`
		} `json:"energy"`
		Posts []struct {
			SoC float64 `json:"soc_pct"`
			T   float64 `json:"t_s"`
		} `json:"posts"`
	}
	var b struct {
		Energy float64             `json:"energy"`
		Posts  map[string]*float64 `json:"posts"`
	}
	require.NoError(t, json.Unmarshal(own.out, &a))
	require.NoError(t, json.Unmarshal(pandas.out, &b))
	require.InEpsilon(t, b.Energy, a.Energy.CarKWh, 1e-9, "both work out the same")
	require.InDelta(t, *b.Posts["80"], a.Posts[len(a.Posts)-1].T, 1e-6)
	x, y := median(own.took), median(pandas.took)
	fmt.Printf("read, 1e6 rows: zincroad %v, %d MiB; pandas %v, %d MiB; ratio %.1f (%.1f to %.1f)\n", x, own.rss>>10,
		y, pandas.rss>>10, float64(y)/float64(x), times[0], times[len(times)-1])
}

// Import against the least it could take: encoding/csv walking the file, and a COPY
// of the same rows.
func TestImportAgainstWalkAndCopy(t *testing.T) {
	only(t)
	path := bigCSV(t)
	s, err := logbooktest.Start()
	require.NoError(t, err)
	defer s.Stop()

	began := time.Now()
	f, err := os.Open(path)
	require.NoError(t, err)
	c := csv.NewReader(bufio.NewReaderSize(f, 1<<20))
	c.ReuseRecord = true
	for err == nil {
		_, err = c.Read()
	}
	require.ErrorIs(t, err, io.EOF)
	f.Close()
	walk := time.Since(began)

	var source [][]any
	f, err = os.Open(path)
	require.NoError(t, err)
	c = csv.NewReader(f)
	_, err = c.Read()
	require.NoError(t, err)
	for i := 0; ; i++ {
		rec, err := c.Read()
		if err == io.EOF {
			break
		}
		row := []any{int64(1), int32(i)}
		for _, cell := range rec {
			v, err := strconv.ParseFloat(cell, 64)
			require.NoError(t, err)
			row = append(row, v)
		}
		source = append(source, row)
	}
	f.Close()
	url := s.URL(t)
	conn, err := pgx.Connect(context.Background(), url)
	require.NoError(t, err)
	_, err = conn.Exec(context.Background(), "CREATE TABLE twin (LIKE readings INCLUDING ALL)")
	require.NoError(t, err)
	columns := []string{
		"recording_id",
		"n",
		"t_s",
		"soc_pct",
		"power_kw",
		"current_a",
		"voltage_v",
		"battery_temp_min_c",
		"battery_temp_max_c",
		"heater_kw",
		"ambient_c",
	}
	began = time.Now()
	_, err = conn.CopyFrom(context.Background(), pgx.Identifier{"twin"}, columns, pgx.CopyFromRows(source))
	require.NoError(t, err)
	copied := time.Since(began)
	conn.Close(context.Background())
	source = nil

	began = time.Now()
	out, err := exec.Command("../bin/zincroad", "import", "--database-url="+url, path).CombinedOutput()
	require.NoError(t, err, string(out))
	took := time.Since(began)
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	var n int
	require.NoError(t, db.QueryRow("SELECT count(*) FROM readings").Scan(&n))
	require.Equal(t, rows, n)
	fmt.Printf("import, 1e6 rows: %v; walk %v + COPY %v; ratio %.2f\n", took, walk, copied,
		float64(took)/float64(walk+copied))
}

// A plan worked out anew, as a slider asks for it: the whole page, from the demo's
// cars at every stall, cold and warm.
func TestPrepareFollowsASlider(t *testing.T) {
	only(t)
	s, err := logbooktest.Start()
	require.NoError(t, err)
	defer s.Stop()
	book := s.Book(t)
	require.NoError(t, demo.Load(context.Background(), book, func(string) {}))
	srv, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	ts := httptest.NewServer(srv.Handler())
	defer ts.Close()
	cars, err := book.Cars(context.Background())
	require.NoError(t, err)
	for _, car := range cars {
		var took []time.Duration
		for now := 40; now < 80; now++ {
			began := time.Now()
			resp, err := http.Get(
				fmt.Sprintf("%s/prepare?car=%d&stall=1&outside=%d&now=%d&to=100", ts.URL, car.ID, now%20-5, now),
			)
			require.NoError(t, err)
			_, err = io.Copy(io.Discard, resp.Body)
			require.NoError(t, err)
			resp.Body.Close()
			took = append(took, time.Since(began))
		}
		m := median(took)
		fmt.Printf("GET /prepare %-14s median %v, slowest %v\n", car.Name, m, took[len(took)-1])
	}
}

// Road with 500 runs, and Bench with 8 and with 60 of them, over HTTP.
func TestPagesOverHTTP(t *testing.T) {
	only(t)
	s, err := logbooktest.Start()
	require.NoError(t, err)
	defer s.Stop()
	database := s.URL(t)
	book, err := logbook.Open(context.Background(), database, logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	bundles, err := demo.Bundles()
	require.NoError(t, err)
	for i := range 500 {
		_, err := book.Save(context.Background(), bundles[i%len(bundles)])
		require.NoError(t, err)
	}
	require.NoError(t, book.Rework(context.Background(), nil))
	db, err := sql.Open("pgx", database)
	require.NoError(t, err)
	_, err = db.Exec("VACUUM ANALYZE") // as PostgreSQL does by itself within a minute
	require.NoError(t, errors.Join(err, db.Close()))
	srv, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	memory.Settle() // as the program does
	ts := httptest.NewServer(srv.Handler())
	defer ts.Close()
	sixty := make([]string, 60)
	for i := range sixty {
		sixty[i] = strconv.Itoa(i + 1)
	}
	for _, path := range []string{"/", "/?group=car&sort=fastest", "/?q=fulling", "/bench?runs=1,2,3,4,5,6,7,8",
		"/bench?runs=" + strings.Join(sixty, ","), "/runs/1", "/static/app.css"} {
		var took []time.Duration
		size := 0
		for range 30 {
			began := time.Now()
			resp, err := http.Get(ts.URL + path)
			require.NoError(t, err)
			b, err := io.ReadAll(resp.Body)
			require.NoError(t, err)
			resp.Body.Close()
			require.Equal(t, 200, resp.StatusCode)
			took = append(took, time.Since(began))
			size = len(b)
		}
		fmt.Printf("GET %-28.28s median %v, slowest %v, %d kB\n", path, median(took), took[len(took)-1], size>>10)
	}
}

// readingsStored counts every reading in a database.
func readingsStored(url string, n *int64) error {
	db, err := sql.Open("pgx", url)
	if err != nil {
		return err
	}
	defer db.Close()
	return db.QueryRow("SELECT count(*) FROM readings").Scan(n)
}
