// Package selection writes several runs as one file for other programs, and reads such a file back as run folders: a
// long table as CSV or Parquet, a workbook with pages for people, or JSON. Each is made from run folders and gives the
// same run folders back, so that nothing is lost on the way.
//
// The long table has a row for each reading, headed run, recording, the channels of all recordings, and about. A run
// begins with rows that have neither recording nor reading: their about is its run.json, in pieces where it is long.
// The about of a reading has the numbers that its kind of file cannot hold whole.
package selection

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"zincroad/formats/runfolder"
)

// Format is the name and version of the JSON form.
const Format = "zincroad-runs/1"

// Most is how many bytes of run folders are written or read as one file: a selection is held in memory.
const Most = 64 << 20

// ErrTooLarge is returned, wrapped, for runs that come to more than Most, or than a workbook has rows.
var ErrTooLarge = errors.New("too much for one file of this kind")

// The columns that a table has beside its channels.
const (
	runColumn, recordingColumn, aboutColumn = "run", "recording", "about"
)

// pieceRunes is how long a piece of a run.json may be: a cell of a workbook holds 32,767 characters (ECMA-376).
const pieceRunes = 30_000

// folder is a run folder as text.
type folder struct {
	name       string
	dir        string // where it stands in the zip that it is of
	about      []byte // run.json, without line breaks
	recordings []recording
}

type recording struct {
	name   string
	header []string
	rows   [][]string
}

// foldersOf reads the run folders of a zip, in the order in which they stand there; what is neither run.json nor one of
// its recordings is left out.
func foldersOf(z *zip.Reader) ([]folder, error) {
	var out []folder
	size := 0
	for _, f := range z.File {
		if path.Base(f.Name) != runfolder.DocumentName {
			continue
		}
		dir := path.Dir(f.Name)
		one := folder{name: dir, dir: dir}
		if dir == "." {
			one.name = "run"
		}
		doc, err := fs.ReadFile(z, f.Name)
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", f.Name, err)
		}
		var tight bytes.Buffer
		if err := json.Compact(&tight, bytes.TrimPrefix(doc, []byte{0xef, 0xbb, 0xbf})); err != nil {
			return nil, fmt.Errorf("reading %s: %w", f.Name, err)
		}
		one.about = tight.Bytes()
		size += len(one.about)
		files, err := filesOf(one.about)
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", f.Name, err)
		}
		for _, name := range files {
			text, err := fs.ReadFile(z, path.Join(dir, name))
			if err != nil {
				return nil, fmt.Errorf("reading %s: %w", name, err)
			}
			if size += len(text); size > Most {
				return nil, fmt.Errorf("more than %d MB: %w", Most>>20, ErrTooLarge)
			}
			rows, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
			if err != nil || len(rows) == 0 {
				return nil, fmt.Errorf("reading %s of %s: no table in the project's own format", name, one.name)
			}
			one.recordings = append(one.recordings, recording{name, rows[0], rows[1:]})
		}
		out = append(out, one)
	}
	return out, nil
}

// filesOf are the names of a run's recordings.
func filesOf(about []byte) (names []string, err error) {
	var d struct {
		Recordings []struct {
			File string `json:"file"`
		} `json:"recordings"`
	}
	err = json.Unmarshal(about, &d)
	for _, r := range d.Recordings {
		names = append(names, r.File)
	}
	return names, err
}

// headerOf are the columns of the long table: those of all recordings in the order in which they come.
func headerOf(list []folder) []string {
	out := []string{runColumn, recordingColumn}
	for _, f := range list {
		for _, r := range f.recordings {
			for _, name := range r.header {
				if !slices.Contains(out, name) {
					out = append(out, name)
				}
			}
		}
	}
	return append(out, aboutColumn)
}

// each goes through the rows of the long table. A row is good until the next.
func each(list []folder, header []string, take func(row []string) error) error {
	row := make([]string, len(header))
	for _, f := range list {
		for _, piece := range pieces(string(f.about)) {
			clear(row)
			row[0], row[len(row)-1] = f.name, piece
			if err := take(row); err != nil {
				return err
			}
		}
		for _, r := range f.recordings {
			at := make([]int, len(r.header))
			for i, name := range r.header {
				at[i] = slices.Index(header, name)
			}
			for _, cells := range r.rows {
				clear(row)
				row[0], row[1] = f.name, r.name
				for i, cell := range cells {
					row[at[i]] = cell
				}
				if err := take(row); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// pieces cuts a text.
func pieces(text string) (out []string) {
	all := []rune(text)
	for len(all) > pieceRunes {
		out, all = append(out, string(all[:pieceRunes])), all[pieceRunes:]
	}
	return append(out, string(all))
}

// IsHeader tells whether a table's columns are those of a selection, in whatever order.
func IsHeader(columns []string) bool {
	return slices.Contains(columns, runColumn) && slices.Contains(columns, recordingColumn) &&
		slices.Contains(columns, aboutColumn)
}

// tableOf reads the long table back.
func tableOf(text []byte, name string) ([]folder, error) {
	in := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte{0xef, 0xbb, 0xbf})))
	in.ReuseRecord, in.FieldsPerRecord = true, -1
	header, err := in.Read()
	if err != nil || !IsHeader(header) {
		return nil, fmt.Errorf("%s: no table of runs: it has no columns run, recording and about", name)
	}
	header = slices.Clone(header)
	place := func(column string) int { return slices.Index(header, column) }
	run, rec, about := place(runColumn), place(recordingColumn), place(aboutColumn)
	var channels []string
	var at []int
	for i, c := range header {
		if i != run && i != rec && i != about && c != "" {
			channels, at = append(channels, c), append(at, i)
		}
	}
	var out []folder
	for line := 2; ; line++ {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		cell := func(i int) string {
			if i < len(row) {
				return row[i]
			}
			return ""
		}
		if cell(run) == "" {
			continue
		}
		i := slices.IndexFunc(out, func(f folder) bool { return f.name == cell(run) })
		if i < 0 {
			i = len(out)
			out = append(out, folder{name: cell(run)})
		}
		f := &out[i]
		if cell(rec) == "" {
			f.about = append(f.about, cell(about)...)
			continue
		}
		exact := map[string]string{}
		if text := cell(about); text != "" && json.Unmarshal([]byte(text), &exact) != nil {
			return nil, fmt.Errorf("%s, line %d: its about is no list of numbers", name, line)
		}
		k := slices.IndexFunc(f.recordings, func(r recording) bool { return r.name == cell(rec) })
		if k < 0 {
			k = len(f.recordings)
			f.recordings = append(f.recordings, recording{name: cell(rec), header: channels})
		}
		cells := make([]string, len(at))
		for n, i := range at {
			if cells[n] = cell(i); exact[header[i]] != "" {
				cells[n] = exact[header[i]]
			}
		}
		f.recordings[k].rows = append(f.recordings[k].rows, cells)
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%s: no table of runs: it has no rows", name)
	}
	return out, nil
}

// zipped puts folders into a zip of run folders, by which everything else reads them.
func zipped(list []folder) ([]byte, error) {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for n, f := range list {
		dir := fmt.Sprintf("%04d/", n+1) // a name from a file is no path
		w, err := z.Create(dir + runfolder.DocumentName)
		if err == nil {
			_, err = w.Write(f.about)
		}
		if err != nil {
			return nil, fmt.Errorf("putting %s together: %w", f.name, err)
		}
		wanted, _ := filesOf(f.about)
		for _, name := range wanted { // one without a reading has no rows in a table
			if !slices.ContainsFunc(f.recordings, func(r recording) bool { return r.name == name }) {
				f.recordings = append(f.recordings, recording{name: name})
			}
		}
		for _, r := range f.recordings {
			if !slices.Contains(wanted, r.name) {
				return nil, fmt.Errorf("%s: its rows name a recording %q that its description does not", f.name, r.name)
			}
			if w, err = z.Create(dir + r.name); err == nil {
				err = r.write(w)
			}
			if err != nil {
				return nil, fmt.Errorf("putting %s of %s together: %w", r.name, f.name, err)
			}
		}
	}
	if err := z.Close(); err != nil {
		return nil, fmt.Errorf("putting runs together: %w", err)
	}
	return out.Bytes(), nil
}

// write writes a recording as CSV, without the columns that it has nothing in: they are other recordings'.
func (r recording) write(w io.Writer) error {
	var keep []int
	for i := range r.header {
		if slices.ContainsFunc(r.rows, func(row []string) bool { return row[i] != "" }) {
			keep = append(keep, i)
		}
	}
	if len(keep) == 0 {
		_, err := io.WriteString(w, "t_s\n")
		return err
	}
	out := csv.NewWriter(w)
	pick := func(row []string) []string {
		cells := make([]string, len(keep))
		for n, i := range keep {
			cells[n] = row[i]
		}
		return cells
	}
	if err := out.Write(pick(r.header)); err != nil {
		return err
	}
	for _, row := range r.rows {
		if err := out.Write(pick(row)); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// isNumber tells whether JSON writes a cell as it stands.
func isNumber(cell string) bool {
	return cell != "" && json.Valid([]byte(cell)) && strings.IndexByte("-0123456789", cell[0]) >= 0
}
