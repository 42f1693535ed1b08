package logbook

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/runfolder"
)

// described is a recording without its readings.
func (rec *Recording) described() *trace.Recording {
	return &trace.Recording{
		Name: rec.Name, Side: trace.Side(rec.Side), ClockOffsetS: rec.ClockOffsetS,
		ClockDriftPPM: rec.ClockDriftPPM, ClockSettled: rec.ClockSettled, SoCResolutionPct: rec.SoCResolutionPct,
		PowerTolerancePct: rec.PowerTolerancePct, Columns: map[trace.Channel][]float64{},
	}
}

// channels are the columns of its readings.
func (rec *Recording) channels() (list []trace.Channel) {
	for name := range strings.SplitSeq(rec.Channels, ",") {
		if name != "" {
			list = append(list, trace.Channel(name))
		}
	}
	return list
}

// eachReading goes through readings of a recording from n on, most of them at once (0: all), and gives their number,
// time and values in the order of the channels, NaN for none. What it gives is good until the next.
func (b *RecordingStore) eachReading(ctx context.Context, rec *Recording, channels []trace.Channel, from, most int,
	take func(n int, t float64, values []float64) error) error {
	// The channels come from this program's own list, never from a file.
	query := "SELECT n, t_s"
	for _, c := range channels {
		query += ", " + string(c)
	}
	query += " FROM readings WHERE recording_id = $1 AND n >= $2 ORDER BY n"
	if most > 0 {
		query += fmt.Sprintf(" LIMIT %d", most)
	}
	var n int
	var t float64
	read, values := make([]*float64, len(channels)), make([]float64, len(channels))
	into := []any{&n, &t}
	for i := range read {
		into = append(into, &read[i])
	}
	conn, err := b.router.Conn(ctx)
	if err != nil {
		return mapped("reading the readings of "+rec.Name, err)
	}
	defer conn.Close()
	err = conn.Raw(func(driver any) error {
		rows, err := driver.(*stdlib.Conn).Conn().Query(ctx, query, rec.ID, from)
		if err != nil {
			return err
		}
		_, err = pgx.ForEachRow(rows, into, func() error {
			for i, v := range read {
				values[i] = math.NaN()
				if v != nil {
					values[i] = *v
				}
			}
			return take(n, t, values)
		})
		return err
	})
	return mapped("reading the readings of "+rec.Name, err)
}

// readings gives a recording in the order in which it was recorded.
func (b *RecordingStore) readings(ctx context.Context, rec Recording) (*trace.Recording, error) {
	return b.readingsFrom(ctx, rec, 0)
}

// readingsFrom gives a recording from its reading n on.
func (b *RecordingStore) readingsFrom(ctx context.Context, rec Recording, n int) (*trace.Recording, error) {
	out, channels := rec.described(), rec.channels()
	out.T = make([]float64, 0, rec.Readings)
	columns := make([][]float64, len(channels))
	for i := range columns {
		columns[i] = make([]float64, 0, rec.Readings)
	}
	err := b.eachReading(ctx, &rec, channels, n, 0, func(_ int, t float64, values []float64) error {
		out.T = append(out.T, t)
		for i, v := range values {
			columns[i] = append(columns[i], v)
		}
		return nil
	})
	for i, c := range channels {
		out.Columns[c] = columns[i]
	}
	return out, err
}

// atATime is how many readings are held while a recording is sent: a slow reader holds these, and no connection to the
// database.
const atATime = 4_000

// WriteReadings writes a recording as it is read, with what was put right in it, in the project's own format: a piece
// at a time.
func (b *RecordingStore) WriteReadings(ctx context.Context, w io.Writer, rec *Recording) error {
	list, err := b.Corrections(ctx, rec.RunID)
	if err != nil {
		return err
	}
	return b.writeReadings(ctx, w, rec, list)
}

// writeReadings writes a recording with some corrections; none of them: as it was recorded.
func (b *RecordingStore) writeReadings(ctx context.Context, w io.Writer, rec *Recording, list []Correction) error {
	channels := rec.channels()
	right := map[int][]Correction{} // by the reading
	for _, c := range list {
		if c.RecordingID != rec.ID || c.TakenBack {
			continue
		}
		right[c.N] = append(right[c.N], c)
		if put := trace.Channel(c.Channel); c.Channel != TimeCorrected && !slices.Contains(channels, put) {
			channels = append(channels, put)
		}
	}
	place := func(c trace.Channel) int {
		return slices.IndexFunc(trace.Channels, func(in trace.Info) bool { return in.Channel == c })
	}
	slices.SortFunc(channels, func(a, b trace.Channel) int { return place(a) - place(b) })
	out := csvlog.NewWriter(w, channels)
	wide := len(channels)
	var times, values []float64 // of a piece: the database is done with it before anybody is waited for
	for from, more := 0, true; more; more = len(times) == atATime {
		times, values = times[:0], values[:0]
		err := b.eachReading(ctx, rec, channels, from, atATime, func(n int, t float64, row []float64) error {
			times, values = append(times, t), append(values, row...)
			last := len(times) - 1
			for _, c := range right[n] {
				c.apply(&times[last], values[last*wide:], channels)
			}
			from = n + 1
			return nil
		})
		if err != nil {
			return err
		}
		for i, t := range times {
			if err := out.Row(t, values[i*wide:(i+1)*wide]); err != nil {
				return err
			}
		}
	}
	return out.Close()
}

// apply puts a reading right: its time, or one of its values, which stand in the order of the channels.
func (c *Correction) apply(t *float64, values []float64, channels []trace.Channel) {
	if c.Channel == TimeCorrected {
		if c.Value != nil {
			*t = *c.Value
		}
		return
	}
	v := math.NaN()
	if c.Value != nil {
		v = *c.Value
	}
	values[slices.Index(channels, trace.Channel(c.Channel))] = v
}

// KeptFile is a recording's file, written when asked for.
type KeptFile struct {
	runfolder.Part
	Canonical bool // it can stand in a run folder as it is
}

// File gives a recording's file as it came, with the name it had then. A recording that was made at the stall came as
// no file: it is written as one now.
func (b *RecordingStore) File(ctx context.Context, rec *Recording) (*KeptFile, error) {
	var f struct {
		Name      string
		Canonical bool
		Size      int
	}
	err := mapped("the recording's file", b.db.WithContext(ctx).Model(&recordingFile{}).
		Select("name, canonical, length(content) AS size").Where("recording_id = ?", rec.ID).Take(&f).Error)
	switch {
	case errors.Is(err, ErrNotFound):
		write := func(w io.Writer) error { return b.writeReadings(ctx, w, rec, nil) }
		return &KeptFile{runfolder.Part{Name: rec.Name, Write: write}, true}, nil
	case err != nil:
		return nil, err
	}
	write := func(w io.Writer) error {
		packed := &partReader{db: b.db.WithContext(ctx), recording: rec.ID, inParts: f.Size == 0}
		z, err := gzip.NewReader(packed)
		if err == nil {
			_, err = io.Copy(w, z)
		}
		if err != nil {
			return fmt.Errorf("unpacking %s: %w", f.Name, err)
		}
		return nil
	}
	return &KeptFile{runfolder.Part{Name: f.Name, Write: write}, f.Canonical}, nil
}

// partReader reads the compressed file of a recording, which is kept in one row or a large one in parts, a piece of
// pieceBytes at most after the other: a slow reader holds no more.
type partReader struct {
	db        *gorm.DB
	recording int64
	inParts   bool
	part, at  int // where the next piece stands
	rest      []byte
}

const pieceBytes = 256 << 10

// next fetches one more piece; none at the end.
func (r *partReader) next() error {
	query, of := "SELECT substring(content FROM ? FOR ?) FROM recording_files WHERE recording_id = ?", []any{r.recording}
	if r.inParts {
		query = "SELECT substring(content FROM ? FOR ?) FROM recording_file_parts WHERE recording_id = ? AND n = ?"
		of = append(of, r.part)
	}
	var found [][]byte
	if err := r.db.Raw(query, append([]any{r.at + 1, pieceBytes}, of...)...).Scan(&found).Error; err != nil {
		return mapped("the recording's file", err)
	}
	if len(found) == 0 {
		return io.EOF
	}
	r.rest, r.at = found[0], r.at+len(found[0])
	if len(r.rest) == 0 {
		if r.part, r.at = r.part+1, 0; !r.inParts {
			return io.EOF
		}
	}
	return nil
}

// Read implements io.Reader.
func (r *partReader) Read(p []byte) (int, error) {
	for len(r.rest) == 0 {
		if err := r.next(); err != nil {
			return 0, err
		}
	}
	n := copy(p, r.rest)
	r.rest = r.rest[n:]
	return n, nil
}

// Parcel is a run as it travels: its description, and every file that belongs to it, each written when its turn comes.
type Parcel struct {
	Run    *run.Run // its recordings without readings
	Photos []runfolder.Photo
	Files  []runfolder.Part
	row    *Run
}

// Parcel puts a run together: recordings as they came where those files can stand in a run folder and nothing was put
// right in them, and photos.
func (b *RunStore) Parcel(ctx context.Context, row *Run) (*Parcel, error) {
	p := &Parcel{Run: row.Describe(), row: row}
	list, err := b.recordings.Corrections(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	for i := range row.Recordings {
		rec := &row.Recordings[i]
		p.Run.Recordings = append(p.Run.Recordings, rec.described())
		part := runfolder.Part{Name: rec.Name, Write: func(w io.Writer) error {
			return b.recordings.WriteReadings(ctx, w, rec)
		}}
		right := slices.ContainsFunc(list, func(c Correction) bool { return c.RecordingID == rec.ID && !c.TakenBack })
		if !right {
			f, err := b.recordings.File(ctx, rec)
			if err != nil {
				return nil, err
			}
			if f.Canonical {
				part.Write = f.Write
			}
		}
		p.Files = append(p.Files, part)
	}
	photos, err := b.Photos(ctx, row.ID)
	for i, photo := range photos {
		name := fmt.Sprintf("photos/%d.jpg", i+1)
		p.Photos = append(p.Photos, runfolder.Photo{File: name, TS: photo.TS})
		p.Files = append(p.Files, runfolder.Part{Name: name, Write: func(w io.Writer) error {
			whole, err := b.Photo(ctx, row.ID, photo.ID)
			if err != nil {
				return err
			}
			_, err = w.Write(whole.Content)
			return err
		}})
	}
	return p, err
}

// WriteZip writes the run as a zipped run folder.
func (p *Parcel) WriteZip(w io.Writer) error {
	var original []byte
	if p.row.Document != nil {
		original = []byte(*p.row.Document)
	}
	return runfolder.WriteZip(w, p.Run, p.Photos, original, p.Files, p.row.CreatedAt)
}

// WriteFolders writes runs as run folders in one zip, each in a folder of its own, one after the other; photos go along
// where they are wanted.
func (b *RunStore) WriteFolders(ctx context.Context, w io.Writer, rows []*Run, photos bool) error {
	all := zip.NewWriter(w)
	for _, row := range rows {
		p, err := b.Parcel(ctx, row)
		if err != nil {
			return err
		}
		if !photos {
			p.Files, p.Photos = p.Files[:len(p.Files)-len(p.Photos)], nil
		}
		var one bytes.Buffer
		if err := p.WriteZip(&one); err != nil {
			return fmt.Errorf("run %d: %w", row.ID, err)
		}
		in, err := zip.NewReader(bytes.NewReader(one.Bytes()), int64(one.Len()))
		if err != nil {
			return fmt.Errorf("run %d: %w", row.ID, err)
		}
		for _, f := range in.File {
			if err := copyInto(all, f, fmt.Sprintf("run-%d/", row.ID)); err != nil {
				return fmt.Errorf("run %d: %w", row.ID, err)
			}
		}
	}
	if err := all.Close(); err != nil {
		return fmt.Errorf("zipping runs: %w", err)
	}
	return nil
}

// copyInto puts a file of one zip into another as it is packed, in a folder.
func copyInto(all *zip.Writer, f *zip.File, folder string) error {
	head := f.FileHeader
	head.Name = folder + f.Name
	to, err := all.CreateRaw(&head)
	if err != nil {
		return err
	}
	from, err := f.OpenRaw()
	if err != nil {
		return err
	}
	_, err = io.Copy(to, from)
	return err
}
