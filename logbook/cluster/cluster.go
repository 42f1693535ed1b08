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
	"log/slog"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
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

// FreePort is a port of loopback that nobody listens on now.
func FreePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("finding a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
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
