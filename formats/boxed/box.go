// Package boxed reads files that somebody sent in a process of their own, with bounds for memory and time: whatever a
// file claims to be, and whatever a library does with it, the program that was asked goes on. What a reader of
// strangers' files cannot do within the bounds is refused in a sentence.
//
// The process is this program once more, told by its environment to do nothing but read. Package intake does the
// reading; this package carries files in and what they hold out.
package boxed

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime/debug"
	"strconv"
	"syscall"
	"time"

	"golang.org/x/sync/semaphore"
)

// The bounds of one file.
const (
	MostMemory = 300 << 20
	MostTime   = 10 * time.Second
	lookEvery  = 2 * time.Millisecond
	softMemory = 240 << 20 // from here on the process collects garbage as often as it takes
)

// atOnce is how many such processes there are at once; more wait for their turn.
var atOnce = semaphore.NewWeighted(2)

// Errors of a file that is not read.
var (
	ErrMemory = errors.New("reading it takes more memory than any log does")
	ErrTime   = errors.New("reading it takes longer than any log does")
)

// asked is the environment's word that this process is to read one file and end.
const asked = "ZINCROAD_READS_ONE_FILE"

// process has a process of its own do a job with what it is given, and has take read what that writes as it comes. It
// ends with the context.
func process(ctx context.Context, job string, take func(io.Reader) error, parts ...[]byte) error {
	if err := atOnce.Acquire(ctx, 1); err != nil {
		return fmt.Errorf("waiting for a turn: %w", err)
	}
	defer atOnce.Release(1)
	ctx, cancel := context.WithTimeoutCause(ctx, MostTime, ErrTime)
	defer cancel()
	c := exec.CommandContext(ctx, "/proc/self/exe")
	c.Env = append(os.Environ(), asked+"="+job)
	readers := make([]io.Reader, len(parts))
	for i, p := range parts {
		readers[i] = bytes.NewReader(p)
	}
	var said bytes.Buffer
	c.Stdin, c.Stderr = io.MultiReader(readers...), &said
	out, err := c.StdoutPipe()
	if err != nil {
		return fmt.Errorf("starting a reader: %w", err)
	}
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.WaitDelay = time.Second
	if err := c.Start(); err != nil {
		return fmt.Errorf("starting a reader: %w", err)
	}
	ended := make(chan struct{})
	tooMuch := make(chan bool, 1)
	go func() { tooMuch <- watch(c.Process, ended) }()
	taken := take(out)
	_, _ = io.Copy(io.Discard, out) // it ends when all of it is read
	err = c.Wait()
	close(ended)
	switch {
	case <-tooMuch:
		return ErrMemory
	case context.Cause(ctx) == ErrTime:
		return ErrTime
	case ctx.Err() != nil:
		return fmt.Errorf("reading: %w", ctx.Err())
	case err != nil:
		return fmt.Errorf("a reader gave up: %w: %.300s", err, said.Bytes())
	}
	return taken
}

// watch ends a process that takes more memory than it may; true where it did.
func watch(p *os.Process, ended <-chan struct{}) bool {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		select {
		case <-ended:
			return false
		case <-tick.C:
			if resident(p.Pid) > MostMemory {
				_ = p.Kill()
				return true
			}
		}
	}
}

// resident is how much memory a process holds, bytes; 0 where it has ended.
func resident(pid int) int64 {
	text, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/statm")
	if err != nil {
		return 0
	}
	fields := bytes.Fields(text)
	if len(fields) < 2 {
		return 0
	}
	pages, _ := strconv.ParseInt(string(fields[1]), 10, 64)
	return pages * int64(os.Getpagesize())
}

// A process that is to read one file does that and nothing else, whichever program it is.
func init() {
	job := os.Getenv(asked)
	if job == "" {
		return
	}
	debug.SetMemoryLimit(softMemory)
	// It ends by itself where who asked is gone.
	most := uint64(2 * MostTime / time.Second)
	if err := syscall.Setrlimit(syscall.RLIMIT_CPU, &syscall.Rlimit{Cur: most, Max: most}); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	if err := serve(job, os.Stdin, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(0)
}
