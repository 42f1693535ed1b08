package logbooktest

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib" // for database/sql
	"github.com/stretchr/testify/require"

	"zincroad/logbook/cluster"
)

// Pair is a PostgreSQL and a streaming copy of it, both on loopback; the one waits with every commit for the other.
type Pair struct {
	URL, CopyURL string

	dir string // of the first one's data
}

// StartPair brings both up; they end with the test.
func StartPair(t testing.TB) *Pair {
	t.Helper()
	dir, err := folder(0o777) // PostgreSQL's own user makes the copy there
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	first, err := cluster.Start(t.Context(), cluster.Options{Dir: dir + "/first", Log: Quiet()})
	require.NoError(t, err)
	t.Cleanup(func() { _ = first.Stop() })
	p := &Pair{URL: first.URL, dir: dir + "/first/data"}
	run(t, p.URL, "SELECT pg_create_physical_replication_slot('copy')")

	u, err := url.Parse(p.URL)
	require.NoError(t, err)
	password, _ := u.User.Password()
	to := fmt.Sprintf("host=127.0.0.1 port=%s user=%s password=%s application_name=copy", u.Port(), u.User.Username(),
		password)
	out, err := postgres(t, "pg_basebackup", "-D", dir+"/copy", "-d", to, "-R", "-S", "copy", "-c", "fast", "--no-sync").
		CombinedOutput()
	require.NoError(t, err, "%s", out)
	free, err := cluster.FreePort()
	require.NoError(t, err)
	port := strconv.Itoa(free)
	copied := postgres(t, "postgres", "-D", dir+"/copy", "-c", "listen_addresses=127.0.0.1", "-c", "port="+port,
		"-c", "unix_socket_directories=")
	require.NoError(t, copied.Start())
	t.Cleanup(func() {
		_ = copied.Process.Signal(syscall.SIGQUIT)
		_ = copied.Wait()
	})
	u.Host = net.JoinHostPort("127.0.0.1", port)
	p.CopyURL = u.String()
	require.Eventually(t, func() bool { return try(p.CopyURL, "SELECT 1") == nil }, time.Minute, 20*time.Millisecond)
	run(t, p.URL, "ALTER SYSTEM SET synchronous_standby_names = 'copy'")
	run(t, p.URL, "SELECT pg_reload_conf()")
	return p
}

// Kill ends the first one at once, as a machine that fails does.
func (p *Pair) Kill(t testing.TB) {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(p.dir, "postmaster.pid"))
	require.NoError(t, err)
	pid, err := strconv.Atoi(strings.Fields(string(text))[0])
	require.NoError(t, err)
	require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
	require.Eventually(t, func() bool { return try(p.URL, "SELECT 1") != nil }, time.Minute, 10*time.Millisecond)
}

// Promote makes the copy take writes.
func (p *Pair) Promote(t testing.TB) { run(t, p.CopyURL, "SELECT pg_promote(true)") }

// CaughtUp waits until the copy has come as far as the database is now.
func (p *Pair) CaughtUp(t testing.TB) {
	t.Helper()
	db, err := sql.Open("pgx", p.URL)
	require.NoError(t, err)
	defer db.Close()
	var at string
	require.NoError(t, db.QueryRow("SELECT pg_current_wal_insert_lsn()::text").Scan(&at))
	there := "SELECT 1 / (pg_last_wal_replay_lsn() >= '" + at + "'::pg_lsn)::int"
	require.Eventually(t, func() bool { return try(p.CopyURL, there) == nil }, time.Minute, 20*time.Millisecond)
}

// Halt has the copy stand still, as one that is behind does.
func (p *Pair) Halt(t testing.TB) {
	run(t, p.CopyURL, "SELECT pg_wal_replay_pause()")
	const still = "SELECT 1 / (pg_get_wal_replay_pause_state() = 'paused')::int"
	require.Eventually(t, func() bool { return try(p.CopyURL, still) == nil }, time.Minute, 20*time.Millisecond)
}

// Resume has it go on.
func (p *Pair) Resume(t testing.TB) { run(t, p.CopyURL, "SELECT pg_wal_replay_resume()") }

func try(url, query string) error {
	db, err := sql.Open("pgx", url)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	_, err = db.ExecContext(ctx, query)
	return errors.Join(err, db.Close())
}

func run(t testing.TB, url, query string) {
	t.Helper()
	require.NoError(t, try(url, query), query)
}

// postgres is one of PostgreSQL's programs; it outlives the thread that starts it.
func postgres(t testing.TB, name string, args ...string) *exec.Cmd {
	t.Helper()
	cmd, err := cluster.Command(name, args...)
	require.NoError(t, err)
	cmd.SysProcAttr.Pdeathsig = 0
	return cmd
}
