// Package cluster runs a private PostgreSQL on loopback under a data folder of
// its own: it makes the cluster when there is none, takes over a server that a
// crash left running, and stops it when its owner is done.
package cluster

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

// Options of Start; Dir is required.
type Options struct {
	Dir string // data folder; made where it is missing
	// Throwaway gives up durability for speed; for tests only.
	Throwaway bool
	Log       *slog.Logger // nil: slog.Default()
}

// Cluster is a running PostgreSQL.
type Cluster struct {
	URL string // for any PostgreSQL client, database postgres

	dir       string
	lock      *os.File
	TakenOver bool // a server left running was found and used

	stopping atomic.Bool
	mu       sync.Mutex // held while the server is started again, looked at or stopped
	pid      int
	exited   chan struct{} // closed when a server that we started has ended
}

// ErrInUse is returned, wrapped, when another program uses the data folder.
var ErrInUse = errors.New("already in use")

const (
	superuser    = "postgres"
	startTimeout = 60 * time.Second
	stopTimeout  = 30 * time.Second
	portTries    = 5
)

// Start brings the cluster under o.Dir up and waits until it answers.
func Start(ctx context.Context, o Options) (*Cluster, error) {
	if o.Log == nil {
		o.Log = slog.Default()
	}
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, fmt.Errorf("data folder %s: %w", o.Dir, err)
	}
	c := &Cluster{dir: dir}
	if err := c.prepareDir(); err != nil {
		return nil, err
	}
	if err := c.takeLock(); err != nil {
		return nil, err
	}
	password, err := c.password()
	if err == nil {
		err = c.bringUp(ctx, bin, password, o)
	}
	if err != nil {
		c.lock.Close()
		return nil, err
	}
	return c, nil
}

// bringUp makes the database where there is none, takes a server over that was left running, or
// starts one on a free port; where that is taken in the meantime, on another.
func (c *Cluster) bringUp(ctx context.Context, bin, password string, o Options) error {
	if _, err := os.Stat(filepath.Join(c.data(), "PG_VERSION")); err != nil {
		o.Log.Info("making the database", "folder", c.dir)
		if err := c.initdb(ctx, bin); err != nil {
			return err
		}
	}
	if pid, port, ok := c.leftRunning(ctx, bin, o.Log); ok {
		o.Log.Info("taking over a PostgreSQL that was left running", "pid", pid, "port", port)
		c.pid, c.TakenOver = pid, true
		c.setURL(password, port)
		return nil
	}
	if err := c.clear(ctx, o.Log); err != nil {
		return err
	}
	var last error
	for range portTries {
		port, err := FreePort()
		if err != nil {
			return err
		}
		if last = c.launch(ctx, bin, port, o); last == nil {
			c.setURL(password, port)
			return nil
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	return last
}

func (c *Cluster) data() string    { return filepath.Join(c.dir, "data") }
func (c *Cluster) logFile() string { return filepath.Join(c.dir, "postgres.log") }

func (c *Cluster) setURL(password string, port int) {
	c.URL = fmt.Sprintf("postgres://%s:%s@127.0.0.1:%d/postgres?sslmode=disable", superuser, password, port)
}

// binaries finds the newest PostgreSQL of Debian's packages.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		return "", errors.New("no PostgreSQL found under /usr/lib/postgresql: install Debian's package postgresql-15")
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	return filepath.Dir(found[0]), nil
}

func version(path string) int {
	v, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return v
}

// account is the user that PostgreSQL runs as: it refuses to run as root.
func account() (*syscall.Credential, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("running PostgreSQL as root needs a user postgres: %w", err)
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, nil
}

// Command is one of PostgreSQL's own programs, run as the user that PostgreSQL runs as; it ends with the thread that
// starts it.
func Command(name string, args ...string) (*exec.Cmd, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	return (&Cluster{}).command(bin, name, args...)
}

func (c *Cluster) command(bin, name string, args ...string) (*exec.Cmd, error) {
	cred, err := account()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(filepath.Join(bin, name), args...)
	cmd.Dir = "/" // the working folder may be closed to the user postgres
	cmd.Env = []string{"LC_ALL=C.UTF-8", "TZ=UTC", "PATH=/usr/bin:/bin"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGINT, Credential: cred}
	return cmd, nil
}

// prepareDir makes the data folder and hands it to the user postgres.
func (c *Cluster) prepareDir() error {
	if err := os.MkdirAll(c.dir, 0o755); err != nil {
		return fmt.Errorf("making the data folder: %w", err)
	}
	cred, err := account()
	if err != nil || cred == nil {
		return err
	}
	for d := c.dir; d != "/"; d = filepath.Dir(d) {
		info, err := os.Stat(d)
		if err != nil {
			return fmt.Errorf("data folder: %w", err)
		}
		if d != c.dir && info.Mode()&0o001 == 0 {
			return fmt.Errorf("data folder %s: the user postgres cannot pass through %s; choose another with --data", c.dir, d)
		}
	}
	return os.Chown(c.dir, int(cred.Uid), int(cred.Gid))
}

// Reachable tells whether PostgreSQL could use a folder at this path.
func Reachable(dir string) bool {
	if os.Geteuid() != 0 {
		return true
	}
	for d := filepath.Dir(dir); d != "/"; d = filepath.Dir(d) {
		if info, err := os.Stat(d); err == nil && info.Mode()&0o001 == 0 {
			return false
		}
	}
	return true
}

// takeLock makes sure that one program alone owns the cluster.
func (c *Cluster) takeLock() error {
	f, err := os.OpenFile(filepath.Join(c.dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("data folder: %w", err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return fmt.Errorf("data folder %s is %w by another Zinc Road", c.dir, ErrInUse)
	}
	c.lock = f
	return nil
}

// password reads the cluster's password, or makes one for a cluster to come.
func (c *Cluster) password() (string, error) {
	path := filepath.Join(c.dir, "password")
	if b, err := os.ReadFile(path); err == nil && len(bytes.TrimSpace(b)) > 0 { // empty: the disk was full
		return strings.TrimSpace(string(b)), nil
	}
	pw := rand.Text()
	fresh := path + ".new"
	if err := os.WriteFile(fresh, []byte(pw+"\n"), 0o600); err != nil {
		return "", errors.Join(fmt.Errorf("data folder: %w", err), os.Remove(fresh))
	}
	if err := os.Rename(fresh, path); err != nil {
		return "", fmt.Errorf("data folder: %w", err)
	}
	if cred, _ := account(); cred != nil {
		if err := os.Chown(path, int(cred.Uid), int(cred.Gid)); err != nil {
			return "", fmt.Errorf("data folder: %w", err)
		}
	}
	return pw, nil
}

// initdb makes the cluster beside its place and moves it there when it is whole.
func (c *Cluster) initdb(ctx context.Context, bin string) error {
	fresh := c.data() + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return fmt.Errorf("making the database: %w", err)
	}
	cmd, err := c.command(bin, "initdb", "-D", fresh, "-U", superuser, "-A", "scram-sha-256",
		"--pwfile", filepath.Join(c.dir, "password"), "-E", "UTF8", "--locale=C.UTF-8", "--no-sync")
	if err != nil {
		return err
	}
	if out, err := cmd.CombinedOutput(); err != nil {
		return errors.Join(fmt.Errorf("making the database: %w\n%s", err, out), os.RemoveAll(fresh))
	}
	if err := os.Rename(fresh, c.data()); err != nil {
		return fmt.Errorf("making the database: %w", err)
	}
	return ctx.Err()
}

// leftRunning finds a server that a program left behind, to be taken over. One that is on its way down, or up,
// is waited for: it still holds the folder.
func (c *Cluster) leftRunning(ctx context.Context, bin string, log *slog.Logger) (pid, port int, ok bool) {
	until := time.Now().Add(startTimeout)
	for told := false; ; told = true {
		pid, port, ready := c.pidFile()
		if pid == 0 || !c.ours(bin, pid) {
			return 0, 0, false
		}
		if ready {
			return pid, port, true
		}
		if ctx.Err() != nil || time.Now().After(until) {
			return 0, 0, false
		}
		if !told {
			log.Info("waiting for a PostgreSQL that was left behind", "pid", pid)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// clear waits for what a killed server left at work in the folder, and takes away its word that it stands there: a
// server that was killed with the program may be gone and not yet be buried, and PostgreSQL takes it for a living one.
func (c *Cluster) clear(ctx context.Context, log *slog.Logger) error {
	until := time.Now().Add(startTimeout)
	for told := false; c.atWork(); told = true {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if time.Now().After(until) {
			return fmt.Errorf("data folder %s is %w by a PostgreSQL that does not end", c.dir, ErrInUse)
		}
		if !told {
			log.Info("waiting for what a PostgreSQL left behind", "folder", c.dir)
		}
		time.Sleep(20 * time.Millisecond)
	}
	if pid, _, _ := c.pidFile(); pid > 0 && dead(pid) {
		if err := os.Remove(filepath.Join(c.data(), "postmaster.pid")); err != nil {
			return fmt.Errorf("data folder: %w", err)
		}
	}
	return nil
}

// atWork tells whether any process stands in the folder; all of a server's do.
func (c *Cluster) atWork() bool {
	data, err := filepath.EvalSymlinks(c.data())
	if err != nil {
		return false
	}
	all, _ := filepath.Glob("/proc/[0-9]*/cwd")
	return slices.ContainsFunc(all, func(cwd string) bool {
		at, err := os.Readlink(cwd)
		return err == nil && at == data
	})
}

// dead tells whether a process has ended and its parent has not heard of it yet: state Z (proc(5), /proc/pid/stat).
func dead(pid int) bool {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	_, rest, _ := bytes.Cut(text, []byte(") "))
	return bytes.HasPrefix(rest, []byte("Z"))
}

// running finds a server on this data folder that is already up.
func (c *Cluster) running(bin string) (pid, port int, ok bool) {
	pid, port, ready := c.pidFile()
	return pid, port, pid != 0 && ready && c.ours(bin, pid)
}

// ours tells whether a process is a PostgreSQL that stands in the folder: a stale pid file may name any other.
func (c *Cluster) ours(bin string, pid int) bool {
	exe, err1 := os.Readlink(fmt.Sprintf("/proc/%d/exe", pid))
	cwd, err2 := os.Readlink(fmt.Sprintf("/proc/%d/cwd", pid))
	data, err3 := filepath.EvalSymlinks(c.data())
	return err1 == nil && err2 == nil && err3 == nil && exe == filepath.Join(bin, "postgres") && cwd == data
}

// pidFile reads postmaster.pid: pid on line 1, port on line 4, status on line 8.
func (c *Cluster) pidFile() (pid, port int, ready bool) {
	b, err := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
	if err != nil {
		return 0, 0, false
	}
	lines := strings.Split(string(b), "\n")
	if pid, _ = strconv.Atoi(lines[0]); len(lines) < 8 {
		return pid, 0, false
	}
	port, _ = strconv.Atoi(lines[3])
	return pid, port, strings.TrimSpace(lines[7]) == "ready"
}

// FreePort is a port of loopback that nobody listens on now.
func FreePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("finding a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// launch starts the server and waits until it is ready.
func (c *Cluster) launch(ctx context.Context, bin string, port int, o Options) error {
	args := []string{"-D", c.data(), "-c", "listen_addresses=127.0.0.1", "-c", "port=" + strconv.Itoa(port),
		"-c", "unix_socket_directories=", "-c", "max_wal_size=2GB"}
	if o.Throwaway {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	cmd, err := c.command(bin, "postgres", args...)
	if err != nil {
		return err
	}
	// A server that found no room for what it writes there leaves it empty, and no other starts over that.
	if pid, _, _ := c.pidFile(); pid == 0 {
		if err := os.Remove(filepath.Join(c.data(), "postmaster.pid")); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("starting PostgreSQL: %w", err)
		}
	}
	logFile, err := os.OpenFile(c.logFile(), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o644)
	if err != nil {
		return fmt.Errorf("starting PostgreSQL: %w", err)
	}
	cmd.Stdout, cmd.Stderr = logFile, logFile
	started := make(chan error, 1)
	exited := make(chan struct{})
	go func() {
		// The server gets its signal when the thread that started it ends, so the
		// thread stays as long as the server.
		runtime.LockOSThread()
		err := cmd.Start()
		started <- err
		if err == nil {
			_ = cmd.Wait()
		}
		logFile.Close()
		close(exited)
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("starting PostgreSQL: %w", err)
	}
	c.pid, c.exited = cmd.Process.Pid, exited
	deadline := time.After(startTimeout)
	for {
		if pid, _, ready := c.pidFile(); pid == c.pid && ready {
			return nil
		}
		select {
		case <-exited:
			text, _ := os.ReadFile(c.logFile())
			return fmt.Errorf("PostgreSQL ended at once:\n%s", bytes.Trim(text, "\x00\n"))
		case <-ctx.Done():
			_ = c.end()
			return ctx.Err()
		case <-deadline:
			_ = c.end()
			return fmt.Errorf("PostgreSQL was not ready after %s, see %s", startTimeout, c.logFile())
		case <-time.After(5 * time.Millisecond):
		}
	}
}

// Keep starts the server again, on the port that it had, whenever it has ended
// without being told to, until the context ends or Stop is called.
func (c *Cluster) Keep(ctx context.Context, log *slog.Logger) {
	u, err := url.Parse(c.URL)
	if err != nil {
		return
	}
	port, err := strconv.Atoi(u.Port())
	if err != nil {
		return
	}
	bin, err := binaries()
	if err != nil {
		return
	}
	for {
		wait := keepEvery
		if err := c.again(ctx, bin, port, log); err != nil {
			log.Error("starting PostgreSQL again", "error", err)
			wait = time.Second
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		if c.stopping.Load() {
			return
		}
	}
}

// again starts the server if it has ended by itself.
func (c *Cluster) again(ctx context.Context, bin string, port int, log *slog.Logger) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.alive() || c.stopping.Load() || ctx.Err() != nil {
		return nil
	}
	log.Warn("PostgreSQL has ended; starting it again", "port", port)
	err := c.launch(ctx, bin, port, Options{Log: log})
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// keepEvery is how often Keep looks.
const keepEvery = 200 * time.Millisecond

// alive tells whether the server runs.
func (c *Cluster) alive() bool {
	if c.exited == nil { // taken over: not our child
		return syscall.Kill(c.pid, 0) == nil
	}
	select {
	case <-c.exited:
		return false
	default:
		return true
	}
}

// Stop ends the server in an orderly way and lets the data folder go.
func (c *Cluster) Stop() error {
	c.stopping.Store(true)
	c.mu.Lock()
	defer c.mu.Unlock()
	defer c.lock.Close()
	return c.end()
}

// end ends the server in an orderly way.
func (c *Cluster) end() error {
	// SIGINT: fast shutdown, open transactions are rolled back.
	if err := syscall.Kill(c.pid, syscall.SIGINT); err != nil && !errors.Is(err, syscall.ESRCH) {
		return fmt.Errorf("stopping PostgreSQL: %w", err)
	}
	deadline := time.Now().Add(stopTimeout)
	for time.Now().Before(deadline) {
		if c.exited != nil {
			select {
			case <-c.exited:
				return nil
			case <-time.After(20 * time.Millisecond):
			}
		} else if syscall.Kill(c.pid, 0) != nil {
			return nil
		} else {
			time.Sleep(20 * time.Millisecond)
		}
	}
	return fmt.Errorf("PostgreSQL (pid %d) did not stop within %s", c.pid, stopTimeout)
}

// Attach gives the address of a cluster that another program keeps running on
// this data folder, and false where none is up.
func Attach(dir string) (url string, ok bool) {
	bin, err := binaries()
	if err != nil {
		return "", false
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return "", false
	}
	c := &Cluster{dir: dir}
	_, port, up := c.running(bin)
	password, err := os.ReadFile(filepath.Join(dir, "password"))
	if !up || err != nil {
		return "", false
	}
	c.setURL(strings.TrimSpace(string(password)), port)
	return c.URL, true
}
