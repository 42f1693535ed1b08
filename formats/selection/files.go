package selection

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strconv"

	"github.com/parquet-go/parquet-go"

	"zincroad/formats/runfolder"
	"zincroad/formats/sheet"
)

// Kind is a kind of file, by its ending.
type Kind string

// The kinds.
const (
	CSV      Kind = "csv"
	JSON     Kind = "json"
	Parquet  Kind = "parquet"
	Workbook Kind = "xlsx"
)

// MediaTypes are the kinds with their media types (IANA).
var MediaTypes = map[Kind]string{CSV: "text/csv; charset=utf-8", JSON: "application/json",
	Parquet:  "application/vnd.apache.parquet",
	Workbook: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}

// Write writes the run folders of a zip as one file.
func Write(w io.Writer, kind Kind, folders *zip.Reader) error {
	list, err := foldersOf(folders)
	if err != nil {
		return err
	}
	switch kind {
	case JSON:
		return writeJSON(w, list)
	case Parquet:
		return writeParquet(w, list)
	case Workbook:
		return writeWorkbook(w, folders, list)
	}
	out := csv.NewWriter(w)
	header := headerOf(list)
	if err := out.Write(header); err != nil {
		return fmt.Errorf("writing CSV: %w", err)
	}
	if err := each(list, header, out.Write); err != nil {
		return fmt.Errorf("writing CSV: %w", err)
	}
	out.Flush()
	return out.Error()
}

// document is the JSON form.
type document struct {
	Format string   `json:"format"`
	Runs   []oneRun `json:"runs"`
}

type oneRun struct {
	Run        string          `json:"run"`
	About      json.RawMessage `json:"about"`
	Recordings []oneRecording  `json:"recordings"`
}

type oneRecording struct {
	File    string                       `json:"file"`
	Columns []string                     `json:"columns"` // in the order of the file
	Values  map[string][]json.RawMessage `json:"values"`
}

func writeJSON(w io.Writer, list []folder) error {
	d := document{Format: Format, Runs: []oneRun{}}
	for _, f := range list {
		one := oneRun{Run: f.name, About: f.about, Recordings: []oneRecording{}}
		for _, r := range f.recordings {
			rec := oneRecording{File: r.name, Columns: r.header, Values: map[string][]json.RawMessage{}}
			for i, name := range r.header {
				values := make([]json.RawMessage, len(r.rows))
				for n, row := range r.rows {
					switch cell := row[i]; {
					case cell == "":
						values[n] = json.RawMessage("null")
					case isNumber(cell):
						values[n] = json.RawMessage(cell)
					default:
						values[n], _ = json.Marshal(cell) // a text: it cannot fail
					}
				}
				rec.Values[name] = values
			}
			one.Recordings = append(one.Recordings, rec)
		}
		d.Runs = append(d.Runs, one)
	}
	if err := json.NewEncoder(w).Encode(d); err != nil {
		return fmt.Errorf("writing JSON: %w", err)
	}
	return nil
}

func readJSON(content []byte, name string) ([]folder, error) {
	var d document
	if err := json.Unmarshal(content, &d); err != nil || d.Format != Format {
		return nil, fmt.Errorf("%s: no %s", name, Format)
	}
	var out []folder
	for _, one := range d.Runs {
		f := folder{name: one.Run, about: one.About}
		for _, rec := range one.Recordings {
			r := recording{name: rec.File, header: rec.Columns}
			for i, column := range rec.Columns {
				for n, v := range rec.Values[column] {
					if n == len(r.rows) {
						r.rows = append(r.rows, make([]string, len(rec.Columns)))
					}
					if n > len(r.rows) {
						break
					}
					cell := string(v)
					if cell == "null" {
						continue
					}
					if cell[0] == '"' {
						_ = json.Unmarshal(v, &cell) // it was valid as a part of the whole
					}
					r.rows[n][i] = cell
				}
			}
			f.recordings = append(f.recordings, r)
		}
		out = append(out, f)
	}
	return out, nil
}

// numeric tells which columns hold nothing but numbers.
func numeric(list []folder, header []string) ([]bool, error) {
	out := make([]bool, len(header))
	for i := 2; i < len(header)-1; i++ {
		out[i] = true
	}
	return out, each(list, header, func(row []string) error {
		for i, cell := range row {
			if out[i] && cell != "" {
				_, err := strconv.ParseFloat(cell, 64)
				out[i] = err == nil
			}
		}
		return nil
	})
}

// parquetBatch is how many rows are handed over at once.
const parquetBatch = 1024

func writeParquet(w io.Writer, list []folder) error {
	header := headerOf(list)
	numbers, err := numeric(list, header)
	if err != nil {
		return err
	}
	group := parquet.Group{}
	for i, name := range header {
		group[name] = parquet.Optional(parquet.String())
		if numbers[i] {
			group[name] = parquet.Optional(parquet.Leaf(parquet.DoubleType))
		}
	}
	schema := parquet.NewSchema("runs", group)
	out := parquet.NewGenericWriter[any](w, schema)
	var at []int // of the schema's columns in the header
	for _, p := range schema.Columns() {
		at = append(at, slices.Index(header, p[0]))
	}
	var batch []parquet.Row
	flush := func() error {
		_, err := out.WriteRows(batch)
		batch = batch[:0]
		return err
	}
	err = each(list, header, func(row []string) error {
		line := make(parquet.Row, len(at))
		for k, i := range at {
			switch {
			case row[i] == "":
				line[k] = parquet.NullValue().Level(0, 0, k)
			case numbers[i]:
				v, _ := strconv.ParseFloat(row[i], 64)
				line[k] = parquet.DoubleValue(v).Level(0, 1, k)
			default:
				line[k] = parquet.ByteArrayValue([]byte(row[i])).Level(0, 1, k)
			}
		}
		if batch = append(batch, line); len(batch) == parquetBatch {
			return flush()
		}
		return nil
	})
	if err == nil {
		err = flush()
	}
	if err == nil {
		err = out.Close()
	}
	if err != nil {
		return fmt.Errorf("writing Parquet: %w", err)
	}
	return nil
}

// Looks tells whether a file is a selection, by its beginning and by what a workbook or a Parquet file says of itself.
func Looks(r io.ReaderAt, size int64, head []byte) bool {
	switch {
	case runfolder.IsZip(head):
		return sheet.HasPage(r, size, readingsPage) && sheet.HasPage(r, size, postsPage) &&
			sheet.HasPage(r, size, definitionsPage)
	case sheet.IsParquet(head):
		return IsHeader(sheet.ParquetColumns(r, size))
	}
	return bytes.Contains(head[:min(len(head), 256)], []byte(`"`+Format+`"`)) || isTable(head)
}

// Folders gives the run folders of a selection as a zip, which says itself whatever is wrong with the runs.
func Folders(name string, content []byte) ([]byte, error) {
	r, size := bytes.NewReader(content), int64(len(content))
	var list []folder
	var err error
	switch {
	case runfolder.IsZip(content):
		var pages []sheet.Sheet
		if pages, err = sheet.Workbook(r, size, name); err != nil {
			return nil, err
		}
		i := slices.IndexFunc(pages, func(p sheet.Sheet) bool { return p.Name == readingsPage })
		if i < 0 {
			return nil, fmt.Errorf("%s: its page %s is empty", name, readingsPage)
		}
		list, err = tableOf(pages[i].CSV, name)
	case sheet.IsParquet(content):
		var text []byte
		if text, err = sheet.Parquet(r, size, name, 2*Most); err == nil {
			list, err = tableOf(text, name)
		}
	case isTable(content):
		list, err = tableOf(content, name)
	default:
		list, err = readJSON(content, name)
	}
	if err != nil {
		return nil, err
	}
	return zipped(list)
}

// isTable tells whether a text begins with the header of a selection.
func isTable(content []byte) bool {
	head := bytes.TrimPrefix(content[:min(len(content), 1<<16)], []byte{0xef, 0xbb, 0xbf})
	line, _, found := bytes.Cut(head, []byte("\n"))
	if !found {
		return false
	}
	columns, err := csv.NewReader(bytes.NewReader(line)).Read()
	return err == nil && IsHeader(columns)
}
