// Package runfolder reads and writes runs as they travel: a folder, or a zip of
// it, with a run.json and the recordings it names.
//
// Keys of run.json that Zinc Road does not know are kept and written back.
package runfolder

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"zincroad/core/run"
	"zincroad/formats/csvlog"
	"zincroad/formats/photo"
)

// Format is the name and version that run.json carries.
const Format = "zincroad-run/1"

// DocumentName is the file that describes the run.
const DocumentName = "run.json"

// Limits of what is taken in: no run comes near them, a hostile zip does.
const (
	MaxDocument  = 4 << 20
	MaxRecording = 512 << 20
	MaxUnpacked  = 1 << 30 // of all files of a zip together
	MaxRows      = 5_000_000

	looseSize  = 32 << 20 // from here on a file in a zip may not be packed more closely than a log can be
	mostPacked = 200      // times; a log with a row a second comes to 5 to 20

	mostFiles      = 5000 // in a zip
	mostRecordings = 20   // of a run
	mostPhotos     = 100
	maxPhoto       = 16 << 20
)

// File is one recording's file as it travelled.
type File struct {
	Name  string
	Bytes []byte
	Rows  *csvlog.Table
}

// Folder is a run with its files.
type Folder struct {
	Run      *run.Run
	Document []byte         // run.json as it was
	Files    []File         // one for each of Run.Recordings, in its order
	Photos   []Photo        // those that could be read
	Faults   []csvlog.Fault // rows that were left out
	LeftOut  int
}

// FaultError is what is wrong with a folder, fault by fault. Nothing of it can be
// used.
type FaultError struct{ Faults []csvlog.Fault }

// Error gives the faults, one a line.
func (e *FaultError) Error() string {
	lines := make([]string, len(e.Faults))
	for i, f := range e.Faults {
		lines[i] = f.Error()
	}
	return strings.Join(lines, "\n")
}

func faulty(file string, line int, format string, args ...any) error {
	return &FaultError{[]csvlog.Fault{{File: file, Line: line, Reason: fmt.Sprintf(format, args...)}}}
}

// Take reads one file of a folder, up to a limit in bytes: a zip may unpack to more than it says.
func Take(folder fs.FS, name string, limit int64) ([]byte, error) {
	return readLimited(folder, name, limit)
}

// Open reads a run folder. name is what faults call it. The error is a
// *FaultError for everything that is wrong with the files.
func Open(folder fs.FS, name string) (*Folder, error) {
	doc, err := readLimited(folder, DocumentName, MaxDocument)
	if err != nil {
		return nil, faulty(name, 0, "%s: %s", DocumentName, reason(err))
	}
	d, faults := parse(doc)
	if len(faults) > 0 {
		return nil, &FaultError{faults}
	}
	out := &Folder{Run: &d.Run, Document: doc}
	var bad []csvlog.Fault
	for i, rec := range d.Recordings {
		f, err := readRecording(folder, rec, d.StartedAt, d.Timezone)
		if err != nil {
			var fe *FaultError
			if !errors.As(err, &fe) {
				return nil, err
			}
			bad = append(bad, fe.Faults...)
			continue
		}
		if d.StartedAt.IsZero() && !f.Rows.StartedAt.IsZero() {
			d.Run.StartedAt = f.Rows.StartedAt
			d.StartedAt = f.Rows.StartedAt
		}
		out.Files = append(out.Files, *f)
		out.Faults = append(out.Faults, f.Rows.Faults...)
		out.LeftOut += f.Rows.LeftOut
		r := f.Rows.Recording(rec.File, d.Recordings[i].Side)
		r.ClockOffsetS, r.SoCResolutionPct = rec.ClockOffsetS, rec.SoCResolutionPct
		r.ClockDriftPPM, r.ClockSettled = rec.ClockDriftPPM, rec.ClockSettled
		r.PowerTolerancePct = rec.PowerTolerancePct
		out.Run.Recordings = append(out.Run.Recordings, r)
	}
	if len(bad) > 0 {
		return nil, &FaultError{bad}
	}
	for _, p := range d.Photos { // one that is broken costs nothing else
		content, err := readLimited(folder, p.File, maxPhoto)
		if err == nil {
			p.Kept, err = photo.Keep(content)
		}
		if err != nil {
			out.Faults = append(out.Faults, csvlog.Fault{File: p.File, Reason: "the photo is left out: " + reason(err)})
			out.LeftOut++
			continue
		}
		out.Photos = append(out.Photos, p)
	}
	return out, nil
}

// OpenPath reads a run folder or a zip of one from disk.
func OpenPath(p string) (*Folder, error) {
	info, err := os.Stat(p)
	if err != nil {
		return nil, faulty(p, 0, "%s", reason(err))
	}
	if info.IsDir() {
		return Open(os.DirFS(p), p)
	}
	f, err := os.Open(p)
	if err != nil {
		return nil, faulty(p, 0, "%s", reason(err))
	}
	defer f.Close()
	return OpenZip(f, info.Size(), filepath.Base(p))
}

func reason(err error) string {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "not found"
	case errors.Is(err, fs.ErrPermission):
		return "may not be read"
	}
	return err.Error()
}

func readLimited(folder fs.FS, name string, limit int64) ([]byte, error) {
	f, err := folder.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	tooLarge := fmt.Errorf("larger than %d MB", limit>>20)
	if info, err := f.Stat(); err == nil && info.Size() > limit { // as it says itself: it need not be unpacked
		return nil, tooLarge
	}
	b, err := io.ReadAll(io.LimitReader(f, limit+1))
	if err == nil && int64(len(b)) > limit {
		err = tooLarge
	}
	return b, err
}

// Fits tells whether a table that is read whole has no more rows than can be held.
func Fits(table []byte) error {
	if bytes.Count(table, []byte("\n")) > MaxRows {
		return fmt.Errorf("it has more than %d rows: bring it in as a file of its own", MaxRows)
	}
	return nil
}

// readRecording reads one CSV of the folder.
func readRecording(folder fs.FS, rec recording, startedAt time.Time, zone string) (*File, error) {
	b, err := readLimited(folder, rec.File, MaxRecording)
	if err != nil {
		return nil, faulty(rec.File, 0, "%s", reason(err))
	}
	if err := Fits(b); err != nil {
		return nil, faulty(rec.File, 0, "%s", err)
	}
	l, err := csvlog.Guess(bytes.NewReader(b), int64(len(b)), rec.File)
	if err != nil {
		return nil, faulty(rec.File, 0, "%s", strings.TrimPrefix(err.Error(), rec.File+" is "))
	}
	if own, ok := l.Sides(rec.Side)[rec.Side]; ok {
		l = own // of a table that holds both sides', this recording's
	}
	loc, err := time.LoadLocation(zone)
	if err != nil {
		loc = time.UTC
	}
	table, err := csvlog.Read(bytes.NewReader(b), l,
		csvlog.Options{File: rec.File, StartedAt: startedAt, Zone: loc, Rows: csvlog.Rows(b, int64(len(b)))})
	if err != nil {
		if table != nil && len(table.Faults) > 0 {
			return nil, &FaultError{table.Faults}
		}
		return nil, faulty(rec.File, 0, "%s", err)
	}
	return &File{Name: rec.File, Bytes: b, Rows: table}, nil
}

// Kept reads a run.json that was checked when it came in, without checking it again.
func Kept(doc []byte) (*run.Run, error) {
	d, err := decode(bytes.TrimPrefix(doc, []byte{0xef, 0xbb, 0xbf}))
	if err != nil {
		return nil, err
	}
	return &d.Run, nil
}

// Describe reads a run.json alone, without its recordings.
func Describe(doc []byte) (*run.Run, error) {
	d, faults := parse(doc)
	if len(faults) > 0 {
		return nil, &FaultError{faults}
	}
	return &d.Run, nil
}
