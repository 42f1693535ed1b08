package cluster

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"syscall"
	"time"
)

// What is left free on the disk: under leastFree nothing is stored any more, from enoughFree on it is again. What a
// PostgreSQL writes of its own accord, with nobody writing to it, is far less; without any room it ends, and cannot
// be read from either.
const (
	leastFree  = 48 << 20
	enoughFree = 64 << 20
)

// reserve is a file that takes its room while there is plenty. It goes when others have filled the disk to the last
// byte, so that PostgreSQL has some to come back in.
const (
	reserveBytes = 32 << 20
	reserveFrom  = 256 << 20 // free: it is made, and made again
	reserveUntil = 8 << 20   // free: it goes
	roomEvery    = 500 * time.Millisecond
)

// Room watches how much room the disk of the data folder has, and says when it becomes full and when there is room
// again, until the context ends.
func (c *Cluster) Room(ctx context.Context, log *slog.Logger, full func(bool)) {
	every := time.NewTicker(roomEvery)
	defer every.Stop()
	was := false
	for {
		if free, err := freeOn(c.dir); err != nil {
			log.Error("looking how full the disk is", "error", err)
		} else {
			is := free < leastFree || was && free < enoughFree
			switch {
			case is && !was:
				log.Error("the disk is full: nothing is stored until there is room", "folder", c.dir, "free_mb", free>>20)
			case was && !is:
				log.Info("there is room on the disk again", "folder", c.dir, "free_mb", free>>20)
			}
			if is != was {
				full(is)
			}
			was = is
			if err := c.hold(free); err != nil {
				log.Warn("the room that is held back on the disk", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}

// freeOn is how many bytes are free for anybody on a folder's disk.
func freeOn(dir string) (int64, error) {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil {
		return 0, err
	}
	return int64(s.Bavail) * s.Bsize, nil
}

// hold makes the reserve where there is plenty of room, and gives it up where there is none.
func (c *Cluster) hold(free int64) error {
	path := filepath.Join(c.dir, "reserve")
	switch {
	case free < reserveUntil:
		if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	case free > reserveFrom:
		if info, err := os.Stat(path); err == nil && info.Size() == reserveBytes {
			return nil
		}
		f, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY, 0o600)
		if err != nil {
			return err
		}
		return errors.Join(syscall.Fallocate(int(f.Fd()), 0, 0, reserveBytes), f.Close())
	}
	return nil
}
