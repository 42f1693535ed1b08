package cluster

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func dataDir(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("/dev/shm", "zincroad-cluster-")
	if err != nil {
		dir, err = os.MkdirTemp("", "zincroad-cluster-")
	}
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	t.Cleanup(func() { os.RemoveAll(dir) })
	return filepath.Join(dir, "pg")
}

func start(t *testing.T, dir string) *Cluster {
	t.Helper()
	c, err := Start(context.Background(), Options{Dir: dir, Throwaway: true, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	return c
}

func query(t *testing.T, url, q string) int {
	t.Helper()
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	var n int
	require.NoError(t, db.QueryRow(q).Scan(&n))
	return n
}

func TestLifeOfACluster(t *testing.T) {
	dir := dataDir(t)
	c := start(t, dir)
	require.Equal(t, 7, query(t, c.URL, "SELECT 7"))
	query(t, c.URL, "WITH x AS (SELECT 1) SELECT count(*) FROM x")

	_, err := Start(context.Background(), Options{Dir: dir, Log: slog.New(slog.DiscardHandler)})
	require.ErrorIs(t, err, ErrInUse, "one owner at a time")
	url, up := Attach(dir)
	require.True(t, up)
	assert.Equal(t, 3, query(t, url, "SELECT 3"))

	// The owner is gone without stopping its server: the next one takes it over.
	require.NoError(t, c.lock.Close())
	again := start(t, dir)
	assert.True(t, again.TakenOver)
	assert.Equal(t, c.pid, again.pid)
	assert.Equal(t, 5, query(t, again.URL, "SELECT 5"))
	require.NoError(t, again.Stop())
	_, up = Attach(dir)
	assert.False(t, up)

	// Killed outright, it leaves its pid file: the next start is not fooled.
	c = start(t, dir)
	assert.False(t, c.TakenOver)
	require.NoError(t, syscall.Kill(c.pid, syscall.SIGKILL))
	<-c.exited
	require.NoError(t, c.lock.Close())
	c = start(t, dir)
	assert.False(t, c.TakenOver)
	assert.Equal(t, 1, query(t, c.URL, "SELECT 1"))
	require.NoError(t, c.Stop())
}

// A start while the server of a program that was killed is still on its way down waits for it, and has the
// folder then.
func TestStartedWhileTheOldServerGoesDown(t *testing.T) {
	dir := dataDir(t)
	c := start(t, dir)
	db, err := sql.Open("pgx", c.URL)
	require.NoError(t, err)
	defer db.Close()
	conn, err := db.Conn(context.Background()) // a smart shutdown waits for whoever is connected
	require.NoError(t, err)
	require.NoError(t, conn.PingContext(context.Background()))
	require.NoError(t, c.lock.Close())
	require.NoError(t, syscall.Kill(c.pid, syscall.SIGTERM))
	require.Eventually(t, func() bool { _, _, ready := c.pidFile(); return !ready }, 10*time.Second, time.Millisecond)
	came := make(chan *Cluster)
	go func() {
		again, err := Start(context.Background(), Options{Dir: dir, Log: slog.New(slog.DiscardHandler), Throwaway: true})
		assert.NoError(t, err)
		came <- again
	}()
	select {
	case <-came:
		require.Fail(t, "two servers on one folder")
	case <-time.After(200 * time.Millisecond):
	}
	require.NoError(t, conn.Close())
	require.NoError(t, db.Close())
	again := <-came
	require.NotNil(t, again)
	assert.False(t, again.TakenOver)
	assert.Equal(t, 1, query(t, again.URL, "SELECT 1"))
	require.NoError(t, again.Stop())
}

// The program and its server are killed in one moment: the next start has the folder, also while nobody has heard of
// the server's end.
func TestStartedWhereTheOldServerWasKilled(t *testing.T) {
	dir := dataDir(t)
	c := start(t, dir)
	require.Equal(t, 1, query(t, c.URL, "SELECT 1"))
	require.NoError(t, c.lock.Close())
	grave := exec.Command("sleep", "60") // stands for a server whose end nobody hears of
	require.NoError(t, grave.Start())
	require.NoError(t, syscall.Kill(c.pid, syscall.SIGKILL))
	require.NoError(t, grave.Process.Kill())
	defer func() { _ = grave.Wait() }()
	require.Eventually(t, func() bool { return dead(grave.Process.Pid) }, 10*time.Second, time.Millisecond)
	<-c.exited
	path := filepath.Join(c.data(), "postmaster.pid")
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	_, rest, _ := strings.Cut(string(text), "\n")
	require.NoError(t, os.WriteFile(path, fmt.Appendf(nil, "%d\n%s", grave.Process.Pid, rest), 0o600))
	again := start(t, dir)
	assert.False(t, again.TakenOver)
	assert.Equal(t, 1, query(t, again.URL, "SELECT 1"))
	require.NoError(t, again.Stop())
}

func TestPasswordIsNeededAndPrivate(t *testing.T) {
	dir := dataDir(t)
	c := start(t, dir)
	defer c.Stop()
	info, err := os.Stat(filepath.Join(dir, "password"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	bare := &Cluster{}
	_, port, _ := c.pidFile()
	bare.setURL("wrong", port)
	db, err := sql.Open("pgx", bare.URL)
	require.NoError(t, err)
	defer db.Close()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	require.Error(t, db.PingContext(ctx))
}

// A server that is killed comes back on its port, as often as it takes; one that is
// stopped stays stopped.
func TestKeptRunning(t *testing.T) {
	dir := dataDir(t)
	c := start(t, dir)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	kept := make(chan struct{})
	go func() { defer close(kept); c.Keep(ctx, slog.New(slog.DiscardHandler)) }()
	db, err := sql.Open("pgx", c.URL)
	require.NoError(t, err)
	defer db.Close()
	for range 2 {
		before, _, ready := c.pidFile()
		require.True(t, ready)
		require.NoError(t, syscall.Kill(before, syscall.SIGKILL))
		require.Eventually(t, func() bool {
			pid, _, ready := c.pidFile()
			return ready && pid != before && db.Ping() == nil
		}, 30*time.Second, 20*time.Millisecond, "it is back, where it was")
	}
	pid, _, _ := c.pidFile()
	require.NoError(t, c.Stop())
	select {
	case <-kept:
	case <-time.After(5 * time.Second):
		require.Fail(t, "nobody keeps what was stopped")
	}
	assert.Error(t, syscall.Kill(pid, 0), "the server is gone")
	assert.Error(t, db.Ping())
}
