package logbook

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
	"strings"

	"gorm.io/gorm"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/intake"
	"zincroad/formats/photo"
	"zincroad/formats/runfolder"
)

// Fingerprint tells a set of files from every other: the hash over the hashes of
// their contents, in any order.
func Fingerprint(files []intake.File) string {
	sums := make([]string, len(files))
	for i, f := range files {
		sum := sha256.Sum256(f.Bytes)
		sums[i] = hex.EncodeToString(sum[:])
	}
	return fingerprintOf(sums)
}

// fingerprintOf puts the checksums of a run's files together, whatever their order.
func fingerprintOf(sums []string) string {
	slices.Sort(sums)
	all := sha256.Sum256([]byte(strings.Join(sums, "\n")))
	return hex.EncodeToString(all[:])
}

// Twin finds a run that was made of the same files, newest first.
func (b *RunStore) Twin(ctx context.Context, files []intake.File) (*Run, bool, error) {
	return b.TwinOf(ctx, Fingerprint(files))
}

// Save stores a run with its readings and files, all or nothing, and gives its
// number. Cars, software, sites, stalls and adapters are found by name or made.
func (b *RunStore) Save(ctx context.Context, in *intake.Bundle) (int64, error) {
	return b.SaveTelling(ctx, in, func(int) {})
}

// SaveTelling is Save that tells how many more readings are on their way to the disk,
// again and again until all are.
func (b *RunStore) SaveTelling(ctx context.Context, in *intake.Bundle, told func(readings int)) (int64, error) {
	packed := make([]func() ([]byte, error), len(in.Files))
	for i, f := range in.Files {
		packed[i] = packing(f.Bytes)
	}
	var id int64
	err := b.db.WithContext(ctx).Connection(func(c *gorm.DB) error {
		conn := c.Statement.ConnPool.(*sql.Conn)
		return c.Transaction(func(tx *gorm.DB) error {
			row, err := newRun(tx, in)
			if err != nil {
				return err
			}
			id = row.ID
			taken := map[string]bool{}
			for i, rec := range in.Run.Recordings {
				if err := saveRecording(ctx, tx, conn, in, i, i, id, packed[i], taken, told); err != nil {
					return fmt.Errorf("%s: %w", rec.Name, err)
				}
			}
			return nil
		})
	})
	return id, mapped("storing the run", err)
}

// newRun stores a run with its marks, and what it belongs to, but none of its readings.
func newRun(tx *gorm.DB, in *intake.Bundle) (*Run, error) {
	row := &Run{Revision: 1, Fingerprint: Fingerprint(in.Files)}
	if in.Document != nil {
		doc := string(in.Document)
		row.Document = &doc
	}
	if err := row.describe(tx, in.Run); err != nil {
		return nil, err
	}
	for _, m := range in.Run.Marks {
		row.Marks = append(row.Marks, Mark{TS: m.TS, Kind: m.Kind, Note: m.Note})
	}
	if err := tx.Omit("Car", "Software", "Stall", "Adapter", "Recordings").Create(row).Error; err != nil {
		return nil, err
	}
	for _, p := range in.Photos {
		kept := &Photo{RunID: row.ID, Kind: photo.Kind, Content: p.Kept.Content, Small: p.Kept.Small, TS: p.TS}
		if err := tx.Create(kept).Error; err != nil {
			return nil, fmt.Errorf("%s: %w", p.File, err)
		}
	}
	return row, nil
}

// describe takes over everything about a run that is not a reading or a mark.
func (row *Run) describe(tx *gorm.DB, r *run.Run) error {
	row.Title, row.Timezone, row.Claims = r.Title, r.Timezone, r.Claims
	if !r.StartedAt.IsZero() {
		at := r.StartedAt.UTC()
		row.StartedAt = &at
	}
	if m := r.Method; m != nil {
		row.MethodName, row.FromPct, row.ToPct, row.Clock, row.MethodClimate = m.Name, m.FromPct, m.ToPct, m.Clock, m.Climate
	}
	if c := r.Conditions; c != nil {
		row.SetConditions(c)
	}
	var err error
	if row.CarID, row.SoftwareID, err = findCar(tx, r.Car); err != nil {
		return err
	}
	if row.StallID, err = findStall(tx, r.Stall); err != nil {
		return err
	}
	row.AdapterID, err = findAdapter(tx, r.Adapter)
	return err
}

// saveRecording stores recording i of a bundle at a position of the run, its readings by COPY, and
// its file.
func saveRecording(ctx context.Context, tx *gorm.DB, conn *sql.Conn, in *intake.Bundle, i, position int, runID int64,
	packed func() ([]byte, error), taken map[string]bool, told func(int)) error {
	rec := in.Run.Recordings[i]
	canonical := in.Kind == intake.FolderKind || in.Layout != nil && in.Layout.Canonical && !in.Converted
	name := rec.Name
	if in.Kind != intake.FolderKind {
		name = runfolder.RecordingName(rec.Name, taken)
	}
	row := &Recording{
		RunID: runID, Position: position, Name: name, Side: string(rec.Side), ClockOffsetS: rec.ClockOffsetS,
		ClockDriftPPM: rec.ClockDriftPPM, ClockSettled: rec.ClockSettled,
		SoCResolutionPct: rec.SoCResolutionPct, PowerTolerancePct: rec.PowerTolerancePct,
		Channels: strings.Join(columnsOf(rec), ","), Readings: rec.Len(),
	}
	if in.Kind != intake.FolderKind {
		row.LeftOut = in.LeftOut
	}
	if in.Layout != nil {
		text, err := layoutText(in.Layout)
		if err != nil {
			return err
		}
		row.Layout = &text
	}
	if err := tx.Create(row).Error; err != nil {
		return err
	}
	if err := copyReadings(ctx, conn, row.ID, rec, told); err != nil {
		return err
	}
	content, err := packed()
	if err != nil {
		return err
	}
	return tx.Create(
		&recordingFile{RecordingID: row.ID, Name: in.Files[i].Name, Content: content, Canonical: canonical},
	).Error
}

// columnsOf lists the channels of a recording in the order of trace.Channels.
func columnsOf(rec *trace.Recording) []string {
	var out []string
	for _, in := range trace.Channels {
		if rec.Columns[in.Channel] != nil {
			out = append(out, string(in.Channel))
		}
	}
	return out
}

// packing compresses while the readings are on their way; the result is asked for
// when it is needed.
func packing(content []byte) func() ([]byte, error) {
	type result struct {
		packed []byte
		err    error
	}
	done := make(chan result, 1)
	go func() {
		packed, err := pack(content)
		done <- result{packed, err}
	}()
	return func() ([]byte, error) {
		r := <-done
		return r.packed, r.err
	}
}

// pack compresses a file, quickly rather than well: it is read back seldom and never in a hurry.
func pack(content []byte) ([]byte, error) {
	var out bytes.Buffer
	z, err := gzip.NewWriterLevel(&out, gzip.BestSpeed)
	if err == nil {
		_, err = z.Write(content)
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		return nil, fmt.Errorf("compressing: %w", err)
	}
	return out.Bytes(), nil
}

func unpack(packed []byte) ([]byte, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, fmt.Errorf("unpacking: %w", err)
	}
	out, err := io.ReadAll(z)
	if err != nil {
		return nil, fmt.Errorf("unpacking: %w", err)
	}
	return out, nil
}
