package main

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook/cluster"
)

// wire is what lies between a phone and the program; it can be cut.
type wire struct {
	net.Listener
	to string

	mu    sync.Mutex
	down  bool
	conns map[net.Conn]bool
}

func newWire(t *testing.T, to string) *wire {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	w := &wire{Listener: l, to: to, conns: map[net.Conn]bool{}}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go w.carry(c)
		}
	}()
	return w
}

func (w *wire) carry(c net.Conn) {
	defer c.Close()
	far, err := net.Dial("tcp", w.to)
	if err != nil {
		return
	}
	defer far.Close()
	w.mu.Lock()
	if w.down {
		w.mu.Unlock()
		return
	}
	w.conns[c], w.conns[far] = true, true
	w.mu.Unlock()
	go func() {
		_, _ = io.Copy(far, c)
		far.Close()
	}()
	_, _ = io.Copy(c, far)
	w.mu.Lock()
	delete(w.conns, c)
	delete(w.conns, far)
	w.mu.Unlock()
}

// set cuts the wire, in the middle of whatever is on it, or mends it.
func (w *wire) set(down bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.down = down; down {
		for c := range w.conns {
			c.Close()
		}
	}
}

// chaos is a program that lives dangerously: with a live run from an adapter and a phone, and one import after another.
type chaos struct {
	*testing.T
	dir, address string
	path         string   // of what is run
	env          []string // nil: as it is
	log          bytes.Buffer
	program      *exec.Cmd
	ended        chan struct{} // closed when it has
	count        map[string]int
}

func (c *chaos) up() {
	c.Helper()
	require.Eventually(c, func() bool {
		select {
		case <-c.ended:
			c.program = exec.Command(c.path, "serve", "--data", c.dir+"/data", "--listen", c.address)
			c.program.Env = c.env
			c.program.Stdout, c.program.Stderr = &c.log, &c.log
			require.NoError(c, c.program.Start())
			c.ended = make(chan struct{})
			go func(p *exec.Cmd, ended chan struct{}) {
				_ = p.Wait()
				close(ended)
			}(c.program, c.ended)
		default:
		}
		resp, err := http.Get("http://" + c.address + "/readyz")
		if err != nil {
			return false
		}
		resp.Body.Close()
		return resp.StatusCode == http.StatusOK
	}, 90*time.Second, 100*time.Millisecond, "%s", &c.log)
}

func (c *chaos) postgres() int {
	text, err := os.ReadFile(filepath.Join(c.dir, "data", "data", "postmaster.pid"))
	if err != nil || len(strings.Fields(string(text))) == 0 {
		return 0
	}
	pid, _ := strconv.Atoi(strings.Fields(string(text))[0])
	return pid
}

var imported = regexp.MustCompile(`is run (\d+): (\d+) readings`)

// imports brings one log in after the other and gives the runs that it was told are stored. Some are killed half-way.
func (c *chaos) imports(ctx context.Context, dice *rand.Rand) (told []int, killed int) {
	for n := 0; ctx.Err() == nil; n++ {
		path := filepath.Join(c.TempDir(), fmt.Sprintf("log-%d.csv", n))
		text := strings.Builder{}
		text.WriteString("t_s,soc_pct,power_kw\n")
		for i := range importRows {
			fmt.Fprintf(&text, "%d,%.3f,%d.%d\n", i, 10+float64(i)*70/importRows, 50+i%40, n%10)
		}
		fmt.Fprintf(&text, "%d,81,%d\n", importRows, 1+n%200) // no two are the same
		require.NoError(c, os.WriteFile(path, []byte(text.String()), 0o644))
		run := exec.CommandContext(ctx, c.path, "import", "--data", c.dir+"/data", path)
		run.Env = c.env
		var out bytes.Buffer
		run.Stdout = &out
		require.NoError(c, run.Start())
		if dice.IntN(4) == 0 {
			time.AfterFunc(time.Duration(dice.IntN(400))*time.Millisecond, func() { _ = run.Process.Kill() })
			killed++
		}
		err := run.Wait()
		if m := imported.FindStringSubmatch(out.String()); err == nil && m != nil {
			id, _ := strconv.Atoi(m[1])
			told = append(told, id)
		}
		select {
		case <-ctx.Done():
		case <-time.After(200 * time.Millisecond):
		}
	}
	return told, killed
}

const importRows = 4000

// goesBy looks whether the program went by a clock at all: started a day ahead, it writes tomorrow's date.
func (c *chaos) goesBy(clock *clock) {
	c.Helper()
	clock.set(24 * time.Hour)
	_ = c.program.Process.Kill()
	<-c.ended
	c.up()
	assert.Contains(c, c.log.String(), time.Now().Add(24*time.Hour).Format("2006-01-02T"))
}

// Kills, freezes, a full disk, a cut network and imports that are killed, at random, against a live run: nothing that
// was acknowledged is lost or there twice, and no import is there in part. ZINCROAD_CHAOS says for how long (make
// chaos: 5 minutes), and then the clock is set too.
func TestChaos(t *testing.T) {
	t.Parallel()
	long := 10 * time.Second
	harms := []string{"program killed", "PostgreSQL killed", "frozen", "disk full", "network cut"}
	var at *clock
	if text := os.Getenv("ZINCROAD_CHAOS"); text != "" {
		var err error
		long, err = time.ParseDuration(text)
		require.NoError(t, err)
		at, harms = newClock(t), append(harms, "clock set")
	}
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	dice := rand.New(rand.NewPCG(seed, 0))
	d := newDisk(t, "3000")
	c := &chaos{T: t, dir: d.dir, address: freeAddress(t), count: map[string]int{},
		ended: make(chan struct{}), path: program}
	if at != nil {
		c.path, c.env = at.program, at.env()
	}
	close(c.ended)
	t.Cleanup(func() {
		if c.program != nil {
			_ = c.program.Process.Signal(syscall.SIGCONT)
			_ = c.program.Process.Signal(syscall.SIGINT)
			<-c.ended
		}
	})
	c.up()
	adapter := freeAddress(t)
	var other bytes.Buffer
	started(t, &other, "standin", "--adapter", adapter, "--screen", "")
	post := posting(t, "http://"+c.address)
	run := begun(post)
	post(run+"/sources", url.Values{"kind": {"adapter"}, "adapter": {adapter}, "profile": {fastProfile(t)}})

	ctx, stop := context.WithTimeout(context.Background(), long)
	defer stop()
	line := newWire(t, c.address)
	p := &phone{url: "http://" + line.Addr().String() + run}
	typing, typed := context.WithCancel(context.Background())
	var all sync.WaitGroup
	all.Go(func() { p.run(typing) })
	var told []int
	var killed int
	ids := rand.New(rand.NewPCG(seed, 1))
	all.Go(func() { told, killed = c.imports(ctx, ids) })
	pause := func(least, most int) {
		<-time.After(time.Duration(least+dice.IntN(most-least)) * time.Millisecond)
	}
	for ctx.Err() == nil {
		pause(300, 1500)
		what := harms[dice.IntN(len(harms))]
		c.count[what]++
		switch what {
		case "program killed":
			_ = c.program.Process.Kill()
			<-c.ended
			pause(10, 500)
		case "PostgreSQL killed":
			if pid := c.postgres(); pid > 1 {
				_ = syscall.Kill(pid, syscall.SIGKILL)
			}
		case "frozen":
			_ = c.program.Process.Signal(syscall.SIGSTOP)
			pause(200, 2000)
			_ = c.program.Process.Signal(syscall.SIGCONT)
		case "disk full":
			d.fill(int64(dice.IntN(2)) * (20 << 20))
			pause(700, 2000)
			d.free()
		case "network cut":
			line.set(true)
			pause(200, 1500)
			line.set(false)
		case "clock set":
			at.set([]time.Duration{0, 2 * time.Second, -2 * time.Second, 10 * time.Minute, -10 * time.Minute,
				time.Hour, -time.Hour, 24 * time.Hour, -24 * time.Hour}[dice.IntN(9)])
		}
		c.up()
	}
	typed()
	all.Wait()
	c.up()
	acked := p.acked.Load()

	dsn, ok := cluster.Attach(c.dir + "/data")
	require.True(t, ok)
	db, err := sql.Open("pgx", dsn)
	require.NoError(t, err)
	defer db.Close()
	number := func(query string, args ...any) (n int64) {
		t.Helper()
		require.NoError(t, db.QueryRow(query, args...).Scan(&n))
		return n
	}
	for n := range acked {
		if number("SELECT count(*) FROM typed_lines WHERE key = $1", fmt.Sprintf("k%d", n)) != 1 {
			assert.Fail(t, "a reading that was acknowledged is lost", "k%d of %d", n, acked)
			break
		}
	}
	stored := number("SELECT count(*) FROM typed_lines")
	assert.LessOrEqual(t, stored, acked+1, "at most one was on its way")
	const from = ` FROM readings q JOIN recordings g ON g.id = q.recording_id WHERE `
	assert.Equal(t, stored, number("SELECT count(DISTINCT soc_pct)"+from+"g.name = 'typed-stall.csv'"),
		"each once, with its value")
	for _, id := range told {
		assert.Equal(t, int64(importRows+1), number("SELECT count(*)"+from+"g.run_id = $1", id), "import told as run %d", id)
	}
	assert.Zero(
		t,
		number(`SELECT count(*) FROM runs r WHERE NOT r.live AND (SELECT count(*)`+from+`g.run_id = r.id) <> $1`,
			importRows+1),
		"no import in part",
	)
	assert.Zero(t, number(`SELECT count(*) FROM recordings g WHERE g.readings <>
		(SELECT count(*) FROM readings q WHERE q.recording_id = g.id)`), "as many as are noted")
	fromAdapter := number("SELECT count(*)" + from + "g.name = 'car.csv'")
	assert.Positive(t, fromAdapter)
	assert.Positive(t, acked)
	if at != nil {
		c.goesBy(at)
	}
	t.Logf("%v of it: %v; %d readings acknowledged, %d stored, %d sent again; %d from the adapter; "+
		"%d imports told, %d killed", long, c.count, acked, stored, p.resent.Load(), fromAdapter, len(told), killed)
}
