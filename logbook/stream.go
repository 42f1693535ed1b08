package logbook

import (
	"bufio"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
)

// Rows and bytes that a stream holds at a time.
const (
	streamRows = 1 << 15
	filePart   = 4 << 20
)

// filePartRow is a stretch of a recording's compressed file.
type filePartRow struct {
	RecordingID int64 `gorm:"primaryKey;autoIncrement:false"`
	N           int   `gorm:"primaryKey;autoIncrement:false"`
	Content     []byte
}

func (filePartRow) TableName() string { return "recording_file_parts" }

// FingerprintOf is the fingerprint of a run made of one file, without holding the file.
func FingerprintOf(file io.Reader) (string, error) {
	sum := sha256.New()
	if _, err := io.Copy(sum, file); err != nil {
		return "", fmt.Errorf("reading the file: %w", err)
	}
	return fingerprintOf([]string{hex.EncodeToString(sum.Sum(nil))}), nil
}

// TwinOf finds a run by the fingerprint of its files, newest first.
func (b *RunStore) TwinOf(ctx context.Context, fingerprint string) (*Run, bool, error) {
	var list []Run
	err := b.db.WithContext(ctx).Preload("Car").
		Where("fingerprint = ?", fingerprint).
		Order("id DESC").
		Limit(1).
		Find(&list).Error
	if err != nil || len(list) == 0 {
		return nil, false, mapped("looking for the same file", err)
	}
	return &list[0], true, nil
}

// SaveLarge stores a run of one large table, all or nothing, without ever holding more of it than a
// stretch: its rows go straight from the file into the database, and the file itself beside them,
// compressed. told hears how many more rows are on their way to the disk. It gives the run's
// number, how many rows were stored, and the table's faults.
func (b *RunStore) SaveLarge(ctx context.Context, l *intake.Large, fingerprint string, told func(int)) (
	id int64, rows int, table *csvlog.Table, err error,
) {
	err = b.db.WithContext(ctx).Connection(func(c *gorm.DB) error {
		conn := c.Statement.ConnPool.(*sql.Conn)
		return c.Transaction(func(tx *gorm.DB) error {
			row, err := newRun(tx, &intake.Bundle{Run: &run.Run{}, Files: []intake.File{{Name: l.Name}}})
			if err != nil {
				return err
			}
			id = row.ID
			rec := &Recording{RunID: id, Name: runfolder.RecordingName(l.Name, map[string]bool{}), Side: string(l.Side)}
			text, err := layoutText(&l.Layout)
			if err != nil {
				return err
			}
			names := channelsRead(&l.Layout)
			rec.Layout, rec.Channels = &text, strings.Join(names, ",")
			if err := tx.Create(rec).Error; err != nil {
				return err
			}
			if rows, table, err = streamReadings(ctx, conn, rec.ID, names, l, told); err != nil {
				return err
			}
			if rows == 0 {
				return fmt.Errorf("%s is %w: not one row below its header could be read", l.Name, csvlog.ErrNotALog)
			}
			var started *time.Time
			if !table.StartedAt.IsZero() {
				at := table.StartedAt.UTC()
				started = &at
			}
			known := map[string]any{"fingerprint": fingerprint, "started_at": started}
			if err := tx.Model(row).Updates(known).Error; err != nil {
				return err
			}
			counted := map[string]any{"readings": rows, "left_out": table.LeftOut}
			if err := tx.Model(rec).Updates(counted).Error; err != nil {
				return err
			}
			return storeParts(tx, rec.ID, l)
		})
	})
	return id, rows, table, mapped("storing the run", err)
}

// layoutText is a layout as it is kept with what was read by it.
func layoutText(l *csvlog.Layout) (string, error) {
	text, err := json.Marshal(l)
	if err != nil {
		return "", fmt.Errorf("layout: %w", err)
	}
	return string(text), nil
}

// channelsRead lists the channels that a layout reads, in the order of trace.Channels.
func channelsRead(l *csvlog.Layout) []string {
	var out []string
	for _, in := range trace.Channels {
		if l.Find(in.Channel) >= 0 {
			out = append(out, string(in.Channel))
		}
	}
	return out
}

// streamReadings copies a table's rows as they are read. The reader runs beside the copy, a pipe's
// length ahead at most.
func streamReadings(ctx context.Context, conn *sql.Conn, recording int64, names []string, l *intake.Large,
	told func(int)) (rows int, table *csvlog.Table, err error) {
	query, err := partOf(ctx, conn, recording, names)
	if err != nil {
		return 0, nil, err
	}
	from, to := io.Pipe()
	done := make(chan error, 1)
	go func() {
		var reading error
		rows, table, reading = writeRows(ctx, to, recording, names, l, told)
		to.CloseWithError(reading) // nil: the end
		done <- reading
	}()
	err = conn.Raw(func(driver any) error {
		_, err := driver.(*stdlib.Conn).Conn().PgConn().CopyFrom(ctx, from, query)
		return err
	})
	from.CloseWithError(io.ErrClosedPipe) // where the database gave up first
	if reading := <-done; err == nil || reading != nil && reading != io.ErrClosedPipe {
		err = reading
	}
	return rows, table, err
}

// writeRows reads a table and writes it in the COPY format.
func writeRows(ctx context.Context, to io.Writer, recording int64, names []string, l *intake.Large,
	told func(int)) (rows int, table *csvlog.Table, err error) {
	file, err := l.Open()
	if err != nil {
		return 0, nil, err
	}
	defer file.Close()
	out := bufio.NewWriterSize(to, copyChunk)
	if _, err := out.WriteString(copyHeader); err != nil {
		return 0, nil, err
	}
	columns := make([][]float64, len(names))
	var b []byte
	how := csvlog.Options{File: l.Name, Zone: l.Zone}
	table, err = csvlog.Stream(file, l.Layout, how, streamRows, func(c csvlog.Chunk) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		for i, n := range names {
			columns[i] = c.Columns[trace.Channel(n)]
		}
		for i := range c.T {
			b = appendRow(b[:0], recording, rows, c.T, columns, i)
			if _, err := out.Write(b); err != nil {
				return err
			}
			rows++
		}
		told(len(c.T))
		return nil
	})
	if err == nil {
		err = binary.Write(out, binary.BigEndian, uint16(math.MaxUint16))
	}
	if err == nil {
		err = out.Flush()
	}
	return rows, table, err
}

// storeParts keeps a large file as it came, compressed, a part at a time.
func storeParts(tx *gorm.DB, recording int64, l *intake.Large) error {
	file, err := l.Open()
	if err != nil {
		return err
	}
	defer file.Close()
	if err := tx.Create(&recordingFile{RecordingID: recording, Name: l.Name, Content: []byte{},
		Canonical: l.Layout.Canonical}).Error; err != nil {
		return err
	}
	parts := &partWriter{tx: tx, recording: recording}
	z, err := gzip.NewWriterLevel(parts, gzip.BestSpeed)
	if err != nil {
		return err
	}
	if _, err := io.Copy(z, file); err != nil {
		return fmt.Errorf("compressing: %w", err)
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("compressing: %w", err)
	}
	return parts.flush()
}

// partWriter stores what is written to it in parts.
type partWriter struct {
	tx        *gorm.DB
	recording int64
	n         int
	buf       []byte
}

// Write takes more of the file.
func (w *partWriter) Write(p []byte) (int, error) {
	w.buf = append(w.buf, p...)
	if len(w.buf) >= filePart {
		return len(p), w.flush()
	}
	return len(p), nil
}

func (w *partWriter) flush() error {
	if len(w.buf) == 0 {
		return nil
	}
	err := w.tx.Create(&filePartRow{w.recording, w.n, w.buf}).Error
	w.buf, w.n = w.buf[:0], w.n+1
	return err
}

// parts gives the compressed file of a recording that is kept in parts.
func parts(tx *gorm.DB, recording int64) ([]byte, error) {
	var list []filePartRow
	if err := tx.Where("recording_id = ?", recording).Order("n").Find(&list).Error; err != nil {
		return nil, err
	}
	var out []byte
	for _, p := range list {
		out = append(out, p.Content...)
	}
	return out, nil
}
