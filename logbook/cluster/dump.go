package cluster

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// sealed stands behind a backup's content, with the SHA-256 of that in hexadecimal figures: what PostgreSQL's own
// program reads does not tell one flipped bit.
const sealed = "\nzincroad backup, sha256 "

const sealBytes = len(sealed) + 2*sha256.Size + len("\n")

// ErrUnsealed is what a backup without its checksum comes to.
var ErrUnsealed = errors.New("it has no checksum at its end: it was cut off, or an older program wrote it")

// seal writes a backup's checksum behind it, and has all of it on the disk.
func seal(file string) error {
	f, err := os.OpenFile(file, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil {
		return err
	}
	if _, err := fmt.Fprintf(f, "%s%x\n", sealed, sum.Sum(nil)); err != nil {
		return err
	}
	return f.Sync()
}

// unchanged holds a backup against its checksum.
func unchanged(file string) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	end := make([]byte, sealBytes)
	at := info.Size() - int64(sealBytes)
	if at < 0 {
		return ErrUnsealed
	}
	if _, err := f.ReadAt(end, at); err != nil {
		return err
	}
	said, ok := strings.CutPrefix(string(end), sealed)
	if !ok {
		return ErrUnsealed
	}
	sum := sha256.New()
	if _, err := io.Copy(sum, io.NewSectionReader(f, 0, at)); err != nil {
		return err
	}
	if strings.TrimSuffix(said, "\n") != hex.EncodeToString(sum.Sum(nil)) {
		return errors.New("its content is not what its checksum was made of: it was changed, or its disk is failing")
	}
	return nil
}

// Dump writes everything that a database holds but who is signed in into a file, consistently and while it is used.
// told hears of each table. The file is there when it is whole and was read back, and not before.
func Dump(ctx context.Context, databaseURL, file string, told func(string)) error {
	part := file + ".part"
	if err := os.Remove(part); err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("backup: %w", err)
	}
	defer os.Remove(part)
	if f, err := os.OpenFile(part, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600); err != nil {
		return fmt.Errorf("backup: %w", err)
	} else if err := f.Close(); err != nil {
		return fmt.Errorf("backup: %w", err)
	}
	err := tool(ctx, "pg_dump", databaseURL, told, "--format=custom", "--no-owner", "--no-privileges", "--verbose",
		"--exclude-table-data=public.sessions", "--exclude-table-data=public.ceremonies", "--file", part)
	if err != nil {
		return fmt.Errorf("backup: %w", err)
	}
	if err := seal(part); err != nil {
		return fmt.Errorf("backup: %w", err)
	}
	if err := Check(ctx, part); err != nil {
		return err
	}
	if err := os.Rename(part, file); err != nil {
		return fmt.Errorf("backup: %w", err)
	}
	return nil
}

// Check holds a backup against its checksum and reads it through to its end without storing anything: a file that was
// cut off or changed fails, one without a checksum with ErrUnsealed.
func Check(ctx context.Context, file string) error {
	if err := unchanged(file); err != nil {
		return fmt.Errorf("%s is no whole backup: %w", filepath.Base(file), err)
	}
	return Readable(ctx, file)
}

// Readable reads a backup through to its end, whatever its checksum.
func Readable(ctx context.Context, file string) error {
	if err := tool(ctx, "pg_restore", "", nil, "--file", os.DevNull, file); err != nil {
		return fmt.Errorf("%s is no whole backup: %w", filepath.Base(file), err)
	}
	return nil
}

// Load puts a backup, which the caller has checked, in place of what a database holds: all of it or, where anything
// goes wrong, nothing. told hears of each table.
func Load(ctx context.Context, databaseURL, file string, told func(string)) error {
	// What is there goes in the same transaction as what comes: pg_restore's own way cannot drop partitions.
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	sql, into := io.Pipe()
	put := make(chan error, 1)
	go func() {
		err := run(ctx, "psql", databaseURL, sql, nil, nil, "--no-psqlrc", "--quiet", "--single-transaction",
			"--set=ON_ERROR_STOP=1", "--command=DROP SCHEMA public CASCADE; CREATE SCHEMA public", "--file=-")
		sql.CloseWithError(errors.New("psql has ended"))
		put <- err
	}()
	err := run(ctx, "pg_restore", "", nil, into, told, "--no-owner", "--no-privileges", "--verbose", "--file=-", file)
	if err != nil { // it must not take the half for the whole
		cancel()
		return fmt.Errorf("restoring: %w", errors.Join(err, <-put))
	}
	into.Close()
	if err := <-put; err != nil {
		return fmt.Errorf("restoring: %w", err)
	}
	return nil
}

// tool runs one of PostgreSQL's own programs. A database's password goes by the environment: the command line is
// read by everybody on the machine.
func tool(ctx context.Context, name, databaseURL string, told func(string), args ...string) error {
	return run(ctx, name, databaseURL, nil, nil, told, args...)
}

// run is tool with something to read from and to write to.
func run(ctx context.Context, name, databaseURL string, in io.Reader, to io.Writer, told func(string),
	args ...string) error {
	bin, err := binaries()
	if err != nil {
		return err
	}
	env := []string{"LC_ALL=C.UTF-8", "PATH=/usr/bin:/bin"}
	if databaseURL != "" {
		u, err := url.Parse(databaseURL)
		if err != nil {
			return errors.New("the database's address is no URL")
		}
		if p, ok := u.User.Password(); ok {
			env = append(env, "PGPASSWORD="+p)
			u.User = url.User(u.User.Username())
		}
		args = append([]string{"--dbname", u.String()}, args...)
	}
	c := exec.CommandContext(ctx, filepath.Join(bin, name), args...)
	c.Env, c.Stdin, c.Stdout = env, in, to
	out, err := c.StderrPipe()
	if err != nil {
		return err
	}
	if err := c.Start(); err != nil {
		return err
	}
	last := listen(out, told)
	if err := c.Wait(); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%s: %s", name, last)
	}
	return nil
}

// listen tells of each table that is written or read, and gives the last thing that was said for the case that
// it was a fault.
func listen(out io.Reader, told func(string)) (last string) {
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		line := string(bytes.TrimSpace(lines.Bytes()))
		_, text, _ := strings.Cut(line, ": ")
		if strings.HasPrefix(text, "error") || last == "" || !strings.Contains(last, "error") {
			last = text
		}
		for _, doing := range []string{"dumping contents of table", "processing data for table"} {
			if table, ok := strings.CutPrefix(text, doing+" "); ok && told != nil {
				told(strings.Trim(strings.TrimPrefix(table, `"public.`), `"`))
			}
		}
	}
	return last
}
