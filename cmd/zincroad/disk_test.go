package main

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/cluster"
	"zincroad/logbook/logbooktest"
)

// disk is a small one of its own, in memory; the test is skipped where none can be made.
type disk struct {
	*testing.T
	dir string
}

func newDisk(t *testing.T, mb string) *disk {
	t.Helper()
	dir, err := os.MkdirTemp("/dev/shm", "zincroad-disk-")
	require.NoError(t, err)
	mount := exec.Command("mount", "-t", "tmpfs", "-o", "mode=755,size="+mb+"m", "zincroad", dir)
	if out, err := mount.CombinedOutput(); err != nil {
		os.RemoveAll(dir)
		t.Skipf("no disk of a test's own can be made here: %s", out)
	}
	t.Cleanup(func() {
		assert.Eventually(t, func() bool { return syscall.Unmount(dir, 0) == nil }, 20*time.Second, 50*time.Millisecond)
		os.RemoveAll(dir)
	})
	return &disk{t, dir}
}

// resize gives the disk another size.
func (d *disk) resize(mb string) {
	d.Helper()
	out, err := exec.Command("mount", "-o", "remount,size="+mb+"m", d.dir).CombinedOutput()
	require.NoError(d, err, string(out))
}

// fill takes all that is free but so many bytes.
func (d *disk) fill(but int64) {
	d.Helper()
	f, err := os.Create(filepath.Join(d.dir, "filler"))
	require.NoError(d, err)
	defer f.Close()
	var s syscall.Statfs_t
	require.NoError(d, syscall.Statfs(d.dir, &s))
	left := int64(s.Bavail)*s.Bsize - but
	for at, part := int64(0), left; part >= 4096 && left > 0; { // others may take some of it meanwhile
		part = min(part, left)
		if syscall.Fallocate(int(f.Fd()), 0, at, part) != nil {
			part /= 2
			continue
		}
		at, left = at+part, left-part
	}
}

func (d *disk) free() { require.NoError(d, os.Remove(filepath.Join(d.dir, "filler"))) }

// The disk fills up in the middle of a live run: what is stored can be read, writing and readiness say so, what was
// acknowledged is there, and it goes on by itself when there is room; even where others took the last byte.
func TestTheDiskIsFull(t *testing.T) {
	t.Parallel()
	d := newDisk(t, "600")
	var log bytes.Buffer
	address := freeAddress(t)
	base := "http://" + address
	started(t, &log, "serve", "--data", d.dir+"/data", "--listen", address)
	client := &http.Client{Timeout: 8 * time.Second, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
	get := func(path string) (int, string) {
		resp, err := client.Get(base + path)
		if err != nil {
			return 0, err.Error()
		}
		defer resp.Body.Close()
		text, _ := io.ReadAll(resp.Body)
		return resp.StatusCode, string(text)
	}
	becomes := func(path string, status int) {
		t.Helper()
		require.Eventually(t, func() bool { got, _ := get(path); return got == status }, 60*time.Second, 50*time.Millisecond,
			"%s: %d; %s", path, status, &log)
	}
	becomes("/readyz", http.StatusOK)
	run := begun(posting(t, base))
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	p := phone{url: base + run}
	go p.run(ctx)
	require.Eventually(t, func() bool { return p.acked.Load() > 20 }, 30*time.Second, 20*time.Millisecond, &log)

	for _, left := range []int64{20 << 20, 0} { // little is left; then nothing at all
		d.fill(left)
		becomes("/readyz", http.StatusServiceUnavailable)
		_, said := get("/readyz")
		assert.Contains(t, said, "the disk is full")
		for _, page := range []string{"/", "/garage", "/prepare", "/bench", run, "/desk"} {
			becomes(page, http.StatusOK)
		}
		car := url.Values{"id": {"0"}, "name": {"Quince 40"}, "usable_kwh": {"40"}}
		resp, err := client.PostForm(base+"/garage/cars", car)
		require.NoError(t, err)
		text, _ := io.ReadAll(resp.Body)
		resp.Body.Close()
		assert.Equal(t, http.StatusInsufficientStorage, resp.StatusCode)
		assert.Contains(t, string(text), "the disk is full")
		at := p.acked.Load()
		assert.Never(
			t,
			func() bool { return p.acked.Load() > at+1 },
			time.Second,
			100*time.Millisecond,
			"one may be under way",
		)
		d.free()
		becomes("/readyz", http.StatusOK)
		require.Eventually(t, func() bool { return p.acked.Load() > at+10 }, 30*time.Second, 20*time.Millisecond, &log)
	}
	stop()
	dsn, ok := cluster.Attach(d.dir + "/data")
	require.True(t, ok)
	book, err := logbook.Open(context.Background(), dsn, logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	lines, err := book.TypedLines(context.Background(), 1)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, int64(len(lines)), p.acked.Load(), "nothing acknowledged is lost")
	seen := map[string]bool{}
	for _, l := range lines {
		assert.False(t, seen[l.Key], "stored once")
		seen[l.Key] = true
	}
}

// A first start on a full disk says so and leaves nothing that stops the next one, wherever it ran out of room.
func TestAFirstStartOnAFullDisk(t *testing.T) {
	t.Parallel()
	for _, mb := range []string{"1", "33", "36", "38", "40"} {
		d := newDisk(t, mb)
		o := cluster.Options{Dir: d.dir + "/data", Log: logbooktest.Quiet()}
		c, err := cluster.Start(context.Background(), o)
		if err == nil {
			var book *logbook.Book
			if book, err = logbook.Open(context.Background(), c.URL, logbooktest.Quiet()); err == nil {
				book.Close()
			}
			_ = c.Stop()
		}
		t.Logf("%s MB: %.200v", mb, err)
		d.resize("400")
		c, err = cluster.Start(context.Background(), o)
		require.NoError(t, err, "%s MB at first", mb)
		book, err := logbook.Open(context.Background(), c.URL, logbooktest.Quiet())
		require.NoError(t, err, "%s MB at first", mb)
		require.NoError(t, book.Ready(context.Background()))
		require.NoError(t, book.Close())
		require.NoError(t, c.Stop())
	}
}
