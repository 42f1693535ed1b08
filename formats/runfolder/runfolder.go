// Package runfolder reads and writes runs as they travel: a folder, or a zip of
// it, with a run.json and the recordings it names.
//
// Keys of run.json that Zinc Road does not know are kept and written back.
package runfolder

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trace"
	"zincroad/core/words"
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

// document is run.json with its recordings.
type document struct {
	Format string `json:"format"`
	run.Run
	Recordings []recording `json:"recordings"`
	Photos     []Photo     `json:"photos,omitempty"`
}

// Photo is a picture taken at the stall.
type Photo struct {
	File string  `json:"file"`
	TS   float64 `json:"t_s"` // after the run's start

	Kept *photo.Kept `json:"-"` // what was read of it: without what the camera noted of place and owner
}

type recording struct {
	File              string     `json:"file"`
	Side              trace.Side `json:"side,omitempty"`
	ClockOffsetS      float64    `json:"clock_offset_s,omitempty"`
	ClockDriftPPM     float64    `json:"clock_drift_ppm,omitempty"`
	ClockSettled      bool       `json:"clock_settled,omitempty"`
	SoCResolutionPct  float64    `json:"soc_resolution_pct,omitempty"`
	PowerTolerancePct float64    `json:"power_tolerance_pct,omitempty"`
}

// IsZip tells a zip file from its first bytes.
func IsZip(head []byte) bool { return bytes.HasPrefix(head, []byte("PK\x03\x04")) }

// Holds tells whether a zip file holds a run folder.
func Holds(r io.ReaderAt, size int64) bool {
	z, err := zip.NewReader(r, size)
	return err == nil && len(documentsOf(z)) > 0
}

// documentsOf gives the paths of the run.json in a zip file, in one folder at most.
func documentsOf(z *zip.Reader) []string {
	var out []string
	for _, f := range z.File {
		if path.Base(f.Name) == DocumentName && strings.Count(f.Name, "/") <= 1 {
			out = append(out, f.Name)
		}
	}
	return out
}

// Unpacked is how many bytes a zip file says that it unpacks to; 0 where it cannot be read.
func Unpacked(r io.ReaderAt, size int64) (n uint64) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return 0
	}
	return unpacked(z)
}

// unpacked adds up what a zip says of its files; a sum that no number holds is the largest that one does.
func unpacked(z *zip.Reader) (n uint64) {
	for _, f := range z.File {
		if n+f.UncompressedSize64 < n {
			return math.MaxUint64
		}
		n += f.UncompressedSize64
	}
	return n
}

// openZip opens a zip file that is fit to be read: before anything in it is, its names are looked at and
// what it says it unpacks to is added up. The library ends a file that unpacks to more than it says.
func openZip(r io.ReaderAt, size int64, name string) (*zip.Reader, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, faulty(name, 0, "no readable zip file")
	}
	if len(z.File) > mostFiles {
		return nil, faulty(name, 0, "it holds %d files, expected at most %d", len(z.File), mostFiles)
	}
	if unpacked(z) > MaxUnpacked {
		return nil, faulty(name, 0, "it unpacks to more than %d MB", MaxUnpacked>>20)
	}
	seen := make(map[string]bool, len(z.File))
	for _, f := range z.File {
		plainName := strings.TrimSuffix(f.Name, "/")
		switch {
		case !filepath.IsLocal(plainName) || strings.Contains(f.Name, `\`):
			return nil, faulty(name, 0, "%.80q in it lies outside of its folder", f.Name)
		case seen[path.Clean(plainName)]:
			return nil, faulty(name, 0, "%.80q is in it twice", f.Name)
		}
		seen[path.Clean(plainName)] = true
		if f.UncompressedSize64 > looseSize && f.UncompressedSize64/mostPacked > f.CompressedSize64 {
			return nil, faulty(name, 0, "%.80q in it unpacks to %d times its size, as no log does", f.Name,
				f.UncompressedSize64/max(1, f.CompressedSize64))
		}
	}
	return z, nil
}

// Inside lists the files of a zip file, and gives them to Take.
func Inside(r io.ReaderAt, size int64, name string) (names []string, files fs.FS, err error) {
	z, err := openZip(r, size, name)
	if err != nil {
		return nil, nil, err
	}
	for _, f := range z.File {
		if !strings.HasSuffix(f.Name, "/") {
			names = append(names, f.Name)
		}
	}
	return names, z, nil
}

// Take reads one file of a folder, up to a limit in bytes: a zip may unpack to more than it says.
func Take(folder fs.FS, name string, limit int64) ([]byte, error) {
	return readLimited(folder, name, limit)
}

// OpenZip reads a zipped run folder; run.json may stand in one folder inside. A zip of several runs
// is refused: OpenZips reads it.
func OpenZip(r io.ReaderAt, size int64, name string) (*Folder, error) {
	all, err := OpenZips(r, size, name)
	if err != nil {
		return nil, err
	}
	if len(all) > 1 {
		return nil, faulty(name, 0, "it holds %d runs: bring them in, or unpack it and take one", len(all))
	}
	return all[0], nil
}

// mostRuns is how many runs one zip may hold.
const mostRuns = 500

// OpenZips reads every run folder in a zip, in the order of their names; one that is faulty refuses
// all, by its own name.
func OpenZips(r io.ReaderAt, size int64, name string) ([]*Folder, error) {
	z, err := openZip(r, size, name)
	if err != nil {
		return nil, err
	}
	docs := documentsOf(z)
	switch {
	case len(docs) == 0:
		return nil, faulty(name, 0, "no %s inside", DocumentName)
	case len(docs) > mostRuns:
		return nil, faulty(name, 0, "it holds %d runs, expected at most %d", len(docs), mostRuns)
	}
	slices.Sort(docs)
	var out []*Folder
	var bad []csvlog.Fault
	for _, doc := range docs {
		var root fs.FS = z
		dir := path.Dir(doc)
		if dir != "." {
			if root, err = fs.Sub(z, dir); err != nil {
				return nil, faulty(name, 0, "%q is no folder", dir)
			}
		}
		f, err := Open(root, name)
		var fe *FaultError
		switch {
		case err == nil:
			out = append(out, f)
		case errors.As(err, &fe):
			for _, fault := range fe.Faults {
				if len(docs) > 1 {
					fault.File = path.Join(dir, fault.File)
				}
				bad = append(bad, fault)
			}
		default:
			return nil, err
		}
	}
	if len(bad) > 0 {
		return nil, &FaultError{bad}
	}
	return out, nil
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

// Plan reads a run.json that may have no recordings yet: a car, a stall and what
// else is known of a run to come. The error is a *FaultError that calls the
// document name.
func Plan(doc []byte, name string) (*run.Run, error) {
	d, faults := parse(doc)
	faults = slices.DeleteFunc(faults, func(f csvlog.Fault) bool { return f.Reason == noRecordings })
	for i := range faults {
		faults[i].File = name
	}
	if len(faults) > 0 {
		return nil, &FaultError{faults}
	}
	return &d.Run, nil
}

const noRecordings = "recordings: expected at least one"

// parse reads a run.json, with every fault and its line.
func parse(doc []byte) (*document, []csvlog.Fault) {
	doc = bytes.TrimPrefix(doc, []byte{0xef, 0xbb, 0xbf})
	faults, lines := check(doc, DocumentName)
	if len(faults) > 0 {
		return nil, faults
	}
	d, err := decode(doc)
	if err != nil {
		return nil, []csvlog.Fault{{File: DocumentName, Line: 1, Reason: plain(err)}}
	}
	return d, d.contradictions(lines)
}

func decode(doc []byte) (*document, error) {
	var d document
	if err := json.Unmarshal(blankTimes(doc), &d); err != nil {
		return nil, err
	}
	d.cleanTexts()
	return &d, nil
}

// cleanTexts takes out of a run's texts what is no text.
func (d *document) cleanTexts() {
	line := func(texts ...*string) {
		for _, s := range texts {
			*s = words.Line(*s)
		}
	}
	line(&d.Title)
	if c := d.Car; c != nil {
		line(&c.Name, &c.Software)
	}
	if s := d.Stall; s != nil {
		line(&s.Site, &s.Name)
		if s.Tariff != nil {
			line(&s.Tariff.Currency)
		}
	}
	if a := d.Adapter; a != nil {
		line(&a.Name)
	}
	if m := d.Method; m != nil {
		line(&m.Name)
	}
	if c := d.Conditions; c != nil {
		line(&c.Weather, &c.Label)
	}
	for i := range d.Claims {
		line(&d.Claims[i].Note)
	}
	for i := range d.Marks {
		line(&d.Marks[i].Note)
	}
}

// blankTimes reads an empty started_at as not given.
func blankTimes(doc []byte) []byte {
	return emptyTime.ReplaceAll(doc, []byte(`"started_at": null`))
}

// contradictions lists what no single key shows: what is missing, and values that
// do not go together.
func (d *document) contradictions(lines map[string]int) (faults []csvlog.Fault) {
	fault := func(key, format string, args ...any) {
		faults = append(faults,
			csvlog.Fault{File: DocumentName, Line: max(1, lines[key]), Reason: fmt.Sprintf(format, args...)})
	}
	if d.Format != Format {
		fault("format", "format: %q, expected %q", d.Format, Format)
	}
	if len(d.Recordings) == 0 {
		fault("recordings", noRecordings)
	}
	for i := range d.Recordings {
		rec := &d.Recordings[i]
		key := fmt.Sprintf("recordings[%d]", i)
		switch {
		case rec.File == "":
			fault(key, "%s.file: expected the name of a CSV file in this folder", key)
		case !filepath.IsLocal(rec.File) || strings.Contains(rec.File, `\`):
			fault(key+".file", "%s.file: %q, expected a file inside this folder", key, rec.File)
		}
		if rec.Side == "" {
			rec.Side = trace.CarSide
		}
		for k := range i { // one table may hold both sides
			if other := d.Recordings[k]; rec.File != "" && other.File == rec.File && other.Side == rec.Side {
				fault(key+".file", "%s.file: %q is the %s's side twice", key, rec.File, rec.Side)
				break
			}
		}
	}
	for i, p := range d.Photos {
		if !filepath.IsLocal(p.File) || strings.Contains(p.File, `\`) {
			key := fmt.Sprintf("photos[%d].file", i)
			fault(key, "%s: %q, expected a file inside this folder", key, p.File)
		}
	}
	if n := len(d.Photos); n > mostPhotos {
		fault("photos", "photos: %d of them, expected at most %d", n, mostPhotos)
	}
	if n := len(d.Recordings); n > mostRecordings {
		fault("recordings", "recordings: %d of them, expected at most %d", n, mostRecordings)
	}
	if m := d.Method; m != nil && m.FromPct != nil && m.ToPct != nil && *m.FromPct >= *m.ToPct {
		fault("method.to_pct", "method.to_pct: %g, expected more than from_pct %g", *m.ToPct, *m.FromPct)
	}
	for i, c := range d.Claims {
		if c.Kind == "" {
			fault(fmt.Sprintf("claims[%d]", i), "claims[%d].kind: expected window or peak", i)
		}
	}
	for i, m := range d.Marks {
		if m.Kind == "" {
			fault(fmt.Sprintf("marks[%d]", i), "marks[%d].kind: expected %s", i, orList(run.MarkKinds))
		}
	}
	ordered := func(key string, low, high run.Number, lowName string) {
		a, ok1 := run.Known(low)
		b, ok2 := run.Known(high)
		if ok1 && ok2 && a > b {
			fault(key, "%s: %g, expected no less than %s %g", key, b, lowName, a)
		}
	}
	if d.Car != nil {
		ordered("car.pack_max_v", d.Car.PackMinV, d.Car.PackMaxV, "pack_min_v")
		ordered("car.gross_kwh", d.Car.UsableKWh, d.Car.GrossKWh, "usable_kwh")
	}
	if d.Stall != nil {
		ordered("stall.max_v", d.Stall.MinV, d.Stall.MaxV, "min_v")
		if t := d.Stall.Tariff; t != nil {
			if err := stall.CheckTiers(t.PerMin); err != nil {
				fault("stall.tariff.per_min", "stall.tariff.per_min: %v", err)
			}
		}
	}
	return faults
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
