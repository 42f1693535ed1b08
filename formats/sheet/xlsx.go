// Package sheet reads tables out of workbooks (XLSX) and columnar files (Parquet). It writes them
// as CSV, by which csvlog reads them like any other table.
package sheet

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// Limits of what is taken in: no log comes near them, a hostile file does.
const (
	maxUnpacked = 512 << 20
	maxColumns  = 2000
	maxCell     = 1 << 16
)

// Sheet is one table of a workbook as CSV; its rows stand in the lines that they have in the
// workbook.
type Sheet struct {
	Name string
	CSV  []byte
}

// IsWorkbook tells an XLSX file by what it holds.
func IsWorkbook(r io.ReaderAt, size int64) bool {
	z, err := zip.NewReader(r, size)
	return err == nil && slices.ContainsFunc(z.File, func(f *zip.File) bool { return f.Name == "xl/workbook.xml" })
}

// HasPage tells whether a workbook has a page of that name, without reading any.
func HasPage(r io.ReaderAt, size int64, name string) bool {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return false
	}
	parts, err := sheetParts(z)
	_, has := parts[name]
	return err == nil && has
}

// ErrTooLarge is what is returned, wrapped, for a file that unpacks to more than any log.
var ErrTooLarge = errors.New("unpacks to more than a log can be")

// WithoutValue is what stands in a cell whose formula nobody worked out.
const WithoutValue = "a formula without a value"

// Workbook gives every sheet of an XLSX file that holds more than one row. Formulas count by the
// value that was kept with them and are never worked out here: a cell without one says WithoutValue. A cell that its
// format shows as a date or time is written as one.
func Workbook(r io.ReaderAt, size int64, name string) ([]Sheet, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, fmt.Errorf("%s is no readable workbook", name)
	}
	var unpacked uint64
	for _, f := range z.File {
		unpacked += f.UncompressedSize64
	}
	if unpacked > maxUnpacked {
		return nil, fmt.Errorf("%s %w (%d MB)", name, ErrTooLarge, unpacked>>20)
	}
	f, err := excelize.OpenReader(io.NewSectionReader(r, 0, size),
		excelize.Options{RawCellValue: true, UnzipSizeLimit: maxUnpacked})
	if err != nil {
		return nil, fmt.Errorf("%s is no readable workbook", name)
	}
	defer f.Close()
	b := &book{file: f, styles: map[int]look{}}
	if p, err := f.GetWorkbookProps(); err == nil && p.Date1904 != nil && *p.Date1904 {
		b.addDays = 1462
	}
	b.readFormats()
	formulas, err := openFormulas(z)
	if err != nil {
		return nil, fmt.Errorf("%s is no readable workbook", name)
	}
	var out []Sheet
	for _, sheet := range f.GetSheetList() {
		text, rows, err := b.sheet(sheet, formulas[sheet])
		if err != nil {
			return nil, fmt.Errorf("%s, sheet %q: %w", name, sheet, err)
		}
		if rows > 1 {
			out = append(out, Sheet{sheet, text})
		}
	}
	return out, nil
}

type book struct {
	file    *excelize.File
	styles  map[int]look
	formats map[int]look // of the workbook's own number formats, by their ids
	addDays float64      // of a workbook that counts days from 1904
}

// look is how a number is shown.
type look int

const (
	asNumber look = iota
	asDate
	asDuration
)

func (b *book) sheet(name string, open open) ([]byte, int, error) {
	rows, err := b.file.Rows(name)
	if err != nil {
		return nil, 0, nil // a chart, not a table
	}
	defer rows.Close()
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	looks := map[int]look{} // by column, from the first number in it
	n, filled := 0, 0
	for rows.Next() {
		n++
		cells, err := rows.Columns()
		if err != nil {
			return nil, 0, errors.New("a row cannot be read")
		}
		if len(cells) > maxColumns {
			return nil, 0, fmt.Errorf("row %d has %d cells, expected at most %d", n, len(cells), maxColumns)
		}
		for i, c := range cells {
			cells[i] = b.cell(name, i, n, c, looks)
		}
		cells = open.fill(cells, n)
		if slices.ContainsFunc(cells, func(c string) bool { return c != "" }) {
			filled++
		}
		if len(cells) == 0 || len(cells) == 1 && cells[0] == "" {
			w.Flush()
			out.WriteByte('\n')
			continue
		}
		if err := w.Write(cells); err != nil {
			return nil, 0, err
		}
	}
	w.Flush()
	return out.Bytes(), filled, rows.Error()
}

// cell gives one cell as text.
func (b *book) cell(sheet string, column, row int, raw string, looks map[int]look) string {
	name := func() string {
		s, _ := excelize.CoordinatesToCellName(column+1, row)
		return s
	}
	if len(raw) > maxCell {
		raw = raw[:maxCell]
	}
	v, err := strconv.ParseFloat(raw, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return strings.NewReplacer("\r", " ", "\n", " ").Replace(raw)
	}
	l, known := looks[column]
	if !known {
		l = b.lookOf(sheet, name())
		looks[column] = l
	}
	switch {
	case l == asDate && v >= 1 && v < 110_000:
		at := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC).Add(
			time.Duration(math.Round((v+b.addDays)*86400e3)) * time.Millisecond)
		return at.Format("2006-01-02 15:04:05.000")
	case (l == asDate || l == asDuration) && v >= 0 && v < 1000:
		s := math.Round(v*86400e3) / 1000
		h := math.Floor(s / 3600)
		m := math.Floor((s - h*3600) / 60)
		return fmt.Sprintf("%02.0f:%02.0f:%06.3f", h, m, s-h*3600-m*60)
	}
	return raw
}

// builtInDates are the number formats that show a date or a time (ECMA-376 part 1, 18.8.30).
var builtInDates = map[int]look{14: asDate, 15: asDate, 16: asDate, 17: asDate, 18: asDate, 19: asDate, 20: asDate,
	21: asDate, 22: asDate, 45: asDuration, 46: asDuration, 47: asDuration}

func (b *book) lookOf(sheet, cell string) look {
	id, err := b.file.GetCellStyle(sheet, cell)
	if err != nil {
		return asNumber
	}
	if l, known := b.styles[id]; known {
		return l
	}
	l := asNumber
	if style, err := b.file.GetStyle(id); err == nil && style != nil {
		l = builtInDates[style.NumFmt]
		if own, ok := b.formats[style.NumFmt]; ok { // a workbook may say itself what an id stands for
			l = own
		}
		if style.CustomNumFmt != nil {
			l = lookOfFormat(*style.CustomNumFmt)
		}
	}
	b.styles[id] = l
	return l
}

// readFormats reads the number formats that the workbook brings along.
func (b *book) readFormats() {
	b.formats = map[int]look{}
	if _, err := b.file.GetStyle(0); err != nil || b.file.Styles == nil || b.file.Styles.NumFmts == nil {
		return
	}
	for _, f := range b.file.Styles.NumFmts.NumFmt {
		b.formats[f.NumFmtID] = lookOfFormat(f.FormatCode)
	}
}

// lookOfFormat reads a number format: one with a year, a day or an hour is a date, one whose hours
// or minutes may pass their end a duration.
func lookOfFormat(format string) look {
	format, _, _ = strings.Cut(strings.ToLower(format), ";")
	plain := ""
	quoted, bracket := false, false
	for _, r := range format {
		switch {
		case r == '"':
			quoted = !quoted
		case quoted:
		case r == '[':
			bracket = true
		case r == ']':
			bracket = false
		case bracket && (r == 'h' || r == 'm' || r == 's'):
			return asDuration
		case bracket:
		default:
			plain += string(r)
		}
	}
	if strings.ContainsAny(plain, "yd") || strings.Contains(plain, "h") || strings.Contains(plain, "mm:ss") {
		return asDate
	}
	return asNumber
}
