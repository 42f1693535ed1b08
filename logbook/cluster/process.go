package cluster

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

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
