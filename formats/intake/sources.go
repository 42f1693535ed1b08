package intake

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/buslog"
	"zincroad/formats/csvlog"
	"zincroad/formats/jsontable"
	"zincroad/formats/meter"
	"zincroad/formats/runfolder"
	"zincroad/formats/selection"
	"zincroad/formats/sheet"
)

// file is what a source looks at.
type file struct {
	io.ReaderAt
	size int64
	name string
	most int64  // that it may unpack to, bytes
	head []byte // its beginning
}

// whole gives all of a file that is small enough to be read at once.
func (f *file) whole() ([]byte, error) {
	if f.size > runfolder.MaxRecording {
		return nil, fmt.Errorf("%s is larger than %d MB", f.name, runfolder.MaxRecording>>20)
	}
	b := make([]byte, f.size)
	if _, err := f.ReadAt(b, 0); err != nil && err != io.EOF {
		return nil, fmt.Errorf("reading %s: %w", f.name, err)
	}
	return b, nil
}

// source is one kind of file. A format more is a line more in sources.
type source struct {
	is   func(f *file) bool
	read func(f *file, c Choices) (*Bundle, error)
}

// sources are asked in this order; the first that knows a file reads it. What nobody knows is a
// table of text, or typed readings.
func sources() []source {
	return []source{
		{is: isRunFolder, read: readRunFolder},
		{is: func(f *file) bool { return selection.Looks(f, f.size, f.head) }, read: readSelection},
		{is: func(f *file) bool { return isZip(f) && sheet.IsWorkbook(f, f.size) }, read: readWorkbook},
		{is: isZip, read: readZipped},
		{is: func(f *file) bool { return sheet.IsParquet(f.head) }, read: readParquet},
		{is: func(f *file) bool { return meter.Looks(f.head) }, read: readMeter},
		{is: func(f *file) bool { return buslog.Looks(f.head) }, read: refuseBus},
		{is: func(f *file) bool { return jsontable.Looks(f.head) }, read: readJSON},
		{is: func(*file) bool { return true }, read: readText},
	}
}

// read finds out by its content what a file is, and reads it.
func read(r io.ReaderAt, size int64, name string, most int64, c Choices) (*Bundle, error) {
	f := &file{ReaderAt: r, size: size, name: name, most: most, head: make([]byte, min(size, 1<<16))}
	if _, err := r.ReadAt(f.head, 0); err != nil && err != io.EOF {
		return nil, fmt.Errorf("reading %s: %w", name, err)
	}
	if isZip(f) {
		if err := unpacksTo(f, f.size, name, most); err != nil {
			return nil, err
		}
	}
	for _, s := range sources() {
		if s.is(f) {
			return s.read(f, c)
		}
	}
	return nil, fmt.Errorf("%s is of no known kind", name)
}

func isZip(f *file) bool { return runfolder.IsZip(f.head) }

func isRunFolder(f *file) bool { return isZip(f) && runfolder.Holds(f, f.size) }

func readRunFolder(f *file, _ Choices) (*Bundle, error) {
	return folder(runfolder.OpenZip(f, f.size, f.name))
}

// readSelection reads a run that went out as one file; of several it says so, as a zip of several does.
func readSelection(f *file, _ Choices) (*Bundle, error) {
	content, err := f.whole()
	if err != nil {
		return nil, err
	}
	folders, err := selection.Folders(f.name, content)
	if err != nil {
		return nil, err
	}
	return folder(runfolder.OpenZip(bytes.NewReader(folders), int64(len(folders)), f.name))
}

// readZipped reads the one file in a zip that is no run folder.
func readZipped(f *file, c Choices) (*Bundle, error) {
	names, inside, err := runfolder.Inside(f, f.size, f.name)
	if err != nil {
		return nil, err
	}
	var wanted []string
	for _, n := range names {
		if base := path.Base(n); !strings.HasPrefix(base, ".") && !strings.HasPrefix(n, "__MACOSX/") {
			wanted = append(wanted, n)
		}
	}
	if len(wanted) != 1 {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: f.name, Reason: fmt.Sprintf(
			"it holds %d files and no %s: expected a run folder, or one file", len(wanted), runfolder.DocumentName)}}}
	}
	content, err := runfolder.Take(inside, wanted[0], min(f.most, runfolder.MaxRecording))
	if err != nil {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: f.name, Reason: wanted[0] + ": " + reasonOf(err)}}}
	}
	if err := runfolder.Fits(content); err != nil {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: f.name, Reason: wanted[0] + ": " + err.Error()}}}
	}
	if runfolder.IsZip(content) {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: f.name, Reason: "it holds another zip file"}}}
	}
	b, err := read(bytes.NewReader(content), int64(len(content)), path.Base(wanted[0]), f.most, c)
	if err != nil {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: f.name, Reason: fmt.Sprintf(
			"no %s inside, and %s", runfolder.DocumentName, err)}}}
	}
	return b, nil
}

func reasonOf(err error) string {
	if errors.Is(err, fs.ErrNotExist) {
		return "not found"
	}
	return err.Error()
}

// readWorkbook reads the sheet that was chosen, else the first that holds a log.
func readWorkbook(f *file, c Choices) (*Bundle, error) {
	sheets, err := sheet.Workbook(f, f.size, f.name)
	if err != nil {
		return nil, err
	}
	var first error
	for _, s := range sheets {
		if c.Layout != nil && c.Layout.Sheet != s.Name || c.Named != nil && c.Named.Sheet != s.Name {
			continue
		}
		b, err := readTable(s.CSV, f.name, s.Name, c)
		if err == nil {
			return b, nil
		}
		if first == nil {
			first = err
		}
	}
	if first == nil {
		first = fmt.Errorf("%s is %w: its sheets are empty", f.name, csvlog.ErrNotALog)
	}
	return nil, first
}

func readParquet(f *file, c Choices) (*Bundle, error) {
	text, err := sheet.Parquet(f, f.size, f.name, f.most)
	if errors.Is(err, sheet.ErrTooLarge) {
		return nil, tooMuch(f.name, f.most)
	}
	if err != nil {
		return nil, err
	}
	return readTable(text, f.name, "", c)
}

func readJSON(f *file, c Choices) (*Bundle, error) {
	t, err := jsontable.CSV(io.NewSectionReader(f, 0, f.size), f.name)
	if err != nil {
		return nil, err
	}
	b, err := readTable(t.CSV, f.name, "", c)
	if err != nil {
		return nil, err
	}
	for _, line := range t.Bad {
		b.Faults = append(b.Faults, csvlog.Fault{File: path.Base(f.name), Line: line, Reason: "no JSON object"})
	}
	b.LeftOut += len(t.Bad)
	return b, nil
}

// readTable reads a table that was made into CSV.
func readTable(text []byte, name, sheetName string, c Choices) (*Bundle, error) {
	r := bytes.NewReader(text)
	layout, err := layoutOf(r, int64(len(text)), name, c)
	if err != nil {
		return nil, err
	}
	layout.Sheet = sheetName
	b, err := table(r, int64(len(text)), name, *layout, csvlog.Rows(text, int64(len(text))), c)
	if err == nil {
		b.Converted = true
	}
	return b, err
}

// layoutOf gives the layout that was chosen, else the one that the text seems to have.
func layoutOf(r io.ReaderAt, size int64, name string, c Choices) (*csvlog.Layout, error) {
	switch {
	case c.Layout != nil:
		l := *c.Layout
		return &l, nil
	case c.Named != nil:
		l, err := csvlog.GuessWith(r, size, name, c.Named.Delimiter, c.Named.Line)
		return &l, err
	}
	l, err := csvlog.Guess(r, size, name)
	return &l, err
}

// readMeter reads a charge point's meter values: always the stall's.
// refuseBus says what a log of a car's bus needs before it can be read.
func refuseBus(f *file, _ Choices) (*Bundle, error) {
	const needs = "a log of a car's bus: drop it on the Desk and choose its car, or turn it into a table with zincroad bus"
	return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: path.Base(f.name), Reason: needs}}}
}

func readMeter(f *file, c Choices) (*Bundle, error) {
	text, err := f.whole()
	if err != nil {
		return nil, err
	}
	base := path.Base(f.name)
	log, err := meter.Read(text, base)
	if err != nil {
		return nil, err
	}
	if !c.StartedAt.IsZero() {
		by := log.StartedAt.Sub(c.StartedAt).Seconds()
		for i := range log.Recording.T {
			log.Recording.T[i] += by
		}
		log.StartedAt = c.StartedAt
	}
	b := &Bundle{Kind: MeterKind, Files: []File{{Name: base}},
		Run: &run.Run{StartedAt: log.StartedAt, Recordings: []*trace.Recording{log.Recording}}}
	for _, bad := range log.Faults {
		b.Faults = append(b.Faults, csvlog.Fault{File: base, Line: bad.Line, Reason: bad.Reason})
	}
	b.LeftOut = len(b.Faults)
	return b, nil
}

// readText reads a table of text, and where it is none, typed readings.
func readText(f *file, c Choices) (*Bundle, error) {
	layout, err := layoutOf(f, f.size, f.name, c)
	if err != nil {
		if b, bad := notes(f.head, f.size, f.name, c); c.Named == nil && (b != nil || bad != nil) {
			return b, bad
		}
		return nil, err
	}
	return table(f, f.size, f.name, *layout, csvlog.Rows(f.head, f.size), c)
}
