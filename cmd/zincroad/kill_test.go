package main

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/formats/profile"
	"zincroad/logbook/cluster"
)

// fastProfile asks twenty times a second.
func fastProfile(t *testing.T) string {
	t.Helper()
	var p profile.Profile
	require.NoError(t, json.Unmarshal(profile.Example(), &p))
	p.Channels = p.Channels[:1]
	p.Channels[0].EveryS = 0.05
	text, err := json.Marshal(p)
	require.NoError(t, err)
	return string(text)
}

func freeAddress(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

// started runs the program in the background; it is killed with the test.
func started(t *testing.T, log *bytes.Buffer, args ...string) *exec.Cmd {
	t.Helper()
	c := exec.Command(program, args...)
	c.Stdout, c.Stderr = log, log
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	return c
}

// phone sends readings as a page at the stall does: one after the other, each with
// its key, again until it is stored.
type phone struct {
	url           string
	acked, resent atomic.Int64
}

func (p *phone) run(ctx context.Context) {
	client := &http.Client{Timeout: 4 * time.Second}
	pace := time.NewTicker(45 * time.Millisecond)
	defer pace.Stop()
	for n := 0; ctx.Err() == nil; n++ {
		form := url.Values{
			"key":    {"k" + strconv.Itoa(n)},
			"line":   {fmt.Sprintf("%d.%02d 90", 10+n/100, n%100)},
			"ago_ms": {"0"},
		}
		for try := 0; ctx.Err() == nil; try++ {
			r, _ := http.NewRequestWithContext(ctx, http.MethodPost, p.url+"/readings",
				strings.NewReader(form.Encode()))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.Header.Set("Accept", "application/json")
			resp, err := client.Do(r)
			if err == nil {
				text, _ := io.ReadAll(resp.Body)
				resp.Body.Close()
				if strings.Contains(string(text), `"stored":true`) {
					p.acked.Add(1)
					break
				}
			}
			if try > 0 {
				p.resent.Add(1)
			}
			<-pace.C
		}
		<-pace.C
	}
}

// posting sends forms to a program as a browser does, and gives where each leads.
func posting(t *testing.T, base string) func(path string, v url.Values) string {
	c := &http.Client{Timeout: time.Minute, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
	return func(path string, v url.Values) string {
		t.Helper()
		resp, err := c.PostForm(base+path, v)
		require.NoError(t, err)
		resp.Body.Close()
		require.Equal(t, http.StatusSeeOther, resp.StatusCode, path)
		return resp.Header.Get("Location")
	}
}

// begun starts a live run in an empty logbook and plugs in; it gives the run's page.
func begun(post func(string, url.Values) string) string {
	post("/garage/cars", url.Values{"id": {"0"}, "name": {"Medlar 60"}, "usable_kwh": {"60"}})
	post("/sites", url.Values{"name": {"Lower Lock"}})
	post("/sites/stalls", url.Values{"site": {"1"}, "name": {"1"}, "rated_kw": {"150"}})
	run := post("/stall/start", url.Values{"car": {"1"}, "stall": {"1"}})
	post(run+"/marks", url.Values{"kind": {"plug-in"}})
	return run
}

// silence is a little longer than what the recorder marks as one.
const silence = 6 * time.Second

// kill -9 of the program, then of PostgreSQL, each in the middle of a live run with
// twenty readings a second from an adapter and as many from a phone: every reading
// that was acknowledged is there once, the run goes on by itself, and the time in
// which nobody recorded is marked.
func TestKilledInTheMiddleOfALiveRun(t *testing.T) {
	t.Parallel()
	dir, err := os.MkdirTemp("/dev/shm", "zincroad-kill-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	t.Cleanup(func() { os.RemoveAll(dir) })
	var log, other bytes.Buffer
	address, adapter := freeAddress(t), freeAddress(t)
	serve := func() *exec.Cmd { return started(t, &log, "serve", "--data", dir+"/data", "--listen", address) }
	base := "http://" + address
	up := func() {
		t.Helper()
		require.Eventually(t, func() bool {
			resp, err := http.Get(base + "/healthz")
			if err != nil {
				return false
			}
			resp.Body.Close()
			return resp.StatusCode == 200
		}, 60*time.Second, 50*time.Millisecond, "%s", &log)
	}
	post := posting(t, base)
	program := serve()
	started(
		t,
		&other,
		"standin",
		"--adapter",
		adapter,
		"--centre",
		"ws://"+address+"/ocpp/",
		"--name",
		"LOCK-1",
		"--every",
		"0.5",
		"--screen",
		"",
	)
	up()
	run := begun(post)
	post(run+"/sources", url.Values{"kind": {"adapter"}, "adapter": {adapter}, "profile": {fastProfile(t)}})
	post(run+"/sources", url.Values{"kind": {"charge-point"}, "point": {"LOCK-1"}, "connector": {"1"}})

	ctx, stop := context.WithCancel(context.Background())
	p := &phone{url: base + run}
	done := make(chan struct{})
	go func() { defer close(done); p.run(ctx) }()
	enough := func(more int64) {
		t.Helper()
		from := p.acked.Load()
		require.Eventually(t, func() bool { return p.acked.Load() >= from+more }, 60*time.Second,
			20*time.Millisecond, "%s", &log)
	}
	enough(60)
	require.NoError(t, program.Process.Signal(syscall.SIGKILL))
	_ = program.Wait()
	silent := time.Now()
	require.Eventually(t, func() bool { return time.Since(silent) > silence }, time.Minute, 50*time.Millisecond)
	program = serve()
	up()
	enough(60)

	pid, err := os.ReadFile(filepath.Join(dir, "data", "data", "postmaster.pid"))
	require.NoError(t, err)
	postgres, err := strconv.Atoi(strings.Fields(string(pid))[0])
	require.NoError(t, err)
	require.NoError(t, syscall.Kill(postgres, syscall.SIGKILL))
	enough(60)
	stop()
	<-done
	acked := p.acked.Load()

	dsn, ok := cluster.Attach(dir + "/data")
	require.True(t, ok)
	db, err := sql.Open("pgx", dsn)
	require.NoError(t, err)
	defer db.Close()
	// All counts but the last are of one moment: what was on its way may still come.
	moment, err := db.BeginTx(context.Background(), &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	require.NoError(t, err)
	count := func(query string) (n int64) {
		t.Helper()
		require.NoError(t, moment.QueryRow(query).Scan(&n))
		return n
	}
	now := func(query string) (n int64) {
		t.Helper()
		require.NoError(t, db.QueryRow(query).Scan(&n))
		return n
	}
	typed := count("SELECT count(*) FROM typed_lines")
	assert.GreaterOrEqual(t, typed, acked, "what was acknowledged")
	assert.LessOrEqual(t, typed, acked+1, "and at most the one that was on its way")
	assert.Equal(
		t,
		typed,
		count(
			"SELECT count(DISTINCT soc_pct) FROM readings q JOIN recordings g ON g.id = q.recording_id WHERE "+
				"g.name = 'typed-stall.csv'",
		),
		"each with its value",
	)
	assert.Equal(
		t,
		typed,
		count(
			"SELECT count(*) FROM readings q JOIN recordings g ON g.id = q.recording_id WHERE g.name = 'typed-stall.csv'",
		),
		"once",
	)
	fromAdapter := count(
		"SELECT count(*) FROM readings q JOIN recordings g ON g.id = q.recording_id WHERE g.name = 'car.csv'",
	)
	assert.Greater(t, fromAdapter, int64(120))
	assert.Zero(
		t,
		count(
			"SELECT g.readings - (SELECT count(*) FROM readings q WHERE q.recording_id = g.id) FROM recordings g "+
				"WHERE g.name = 'car.csv'",
		),
		"as many as are noted",
	)
	assert.Equal(t, int64(1), count("SELECT count(*) FROM marks WHERE note LIKE 'nothing recorded for %'"),
		"the silence is marked")
	// While PostgreSQL was away the program was not: the adapter's readings go on.
	assert.Less(
		t,
		count(`SELECT coalesce(round(max(d)), 0)::bigint FROM (SELECT t_s - lag(t_s) OVER (ORDER BY n) d FROM readings q
		JOIN recordings g ON g.id = q.recording_id WHERE g.name = 'car.csv') x WHERE d < 5`),
		int64(3),
	)
	// The charger comes back as well, and says again what was not answered: each is
	// there once.
	stall := "SELECT count(*) FROM readings q JOIN recordings g ON g.id = q.recording_id WHERE g.name = 'stall.csv'"
	require.NoError(t, moment.Rollback())
	before := now(stall)
	require.Eventually(t, func() bool { return now(stall) > before }, 30*time.Second, 100*time.Millisecond,
		"its readings go on")
	fromCharger := now(stall)
	assert.Zero(
		t,
		now(
			"SELECT count(*) - count(DISTINCT t_s) FROM readings q JOIN recordings g ON g.id = q.recording_id "+
				"WHERE g.name = 'stall.csv'",
		),
	)
	t.Logf(
		"%d readings acknowledged to the phone, %d stored; %d from the adapter, %d from the charger; %d sent again",
		acked,
		typed,
		fromAdapter,
		fromCharger,
		p.resent.Load(),
	)
	assert.Contains(t, log.String(), "starting it again")
	post(run+"/end", url.Values{"soc": {"20"}})
	require.NoError(t, program.Process.Signal(syscall.SIGINT))
	_ = program.Wait()
}
