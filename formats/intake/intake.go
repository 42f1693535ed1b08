// Package intake takes in whatever a tester has, and makes a run of it: a run folder or a zip of
// one, a table (CSV and its kin, a workbook, Parquet, JSON), a charge point's meter values, or a
// text of typed readings. What a file is, it tells by the content; sources lists what it knows.
package intake

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/runfolder"
	"zincroad/formats/selection"
	"zincroad/formats/typed"
)

// Kind says what a file turned out to be.
type Kind string

// The kinds of input.
const (
	FolderKind Kind = "folder"
	TableKind  Kind = "table"
	TypedKind  Kind = "typed"
	MeterKind  Kind = "meter" // a charge point's meter values
)

// Bundle is a run read from a file, with what the file says that the run cannot.
type Bundle struct {
	Kind     Kind
	Run      *run.Run
	Document []byte         // run.json as it was; nil for a single file
	Files    []File         // one for each recording, in the run's order
	Faults   []csvlog.Fault // rows or lines that were left out, with their reasons
	LeftOut  int            // how many
	Photos   []runfolder.Photo
	Layout   *csvlog.Layout // of a single table
	Notes    *typed.Notes   // of typed readings

	// Converted tells that the table's text was made of something else, a workbook or JSON: its
	// file cannot stand in a run folder.
	Converted bool
}

// File is one recording's file as it came. Bytes is nil when only its readings
// were wanted.
type File struct {
	Name  string
	Bytes []byte
}

// Choices are what a tester may set for a single file; the zero value guesses.
type Choices struct {
	Side      trace.Side
	Layout    *csvlog.Layout
	Named     *Named // where a table's names stand; nil: found
	StartedAt time.Time
	Zone      *time.Location
	Times     typed.Times // of typed readings
}

// Named says where the names of a table's columns stand, and what is between them.
type Named struct {
	Line      int // from 1
	Delimiter string
	Sheet     string // of a workbook
}

// Path reads a run from disk without keeping its files' text.
func Path(p string, c Choices) (*Bundle, error) {
	info, err := os.Stat(p)
	if err != nil {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: p, Reason: "not found or not readable"}}}
	}
	if info.IsDir() {
		return folder(runfolder.OpenPath(p)) // its files' text is needed to store it
	}
	f, err := os.Open(p)
	if err != nil {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: p, Reason: "may not be read"}}}
	}
	defer f.Close()
	b, err := read(f, info.Size(), p, runfolder.MaxUnpacked, c)
	if err == nil {
		for i := range b.Files {
			b.Files[i].Bytes = nil
		}
	}
	return b, err
}

// MostUnpacked is how much a file that is held in memory may unpack to, in bytes, a zip, a workbook or a Parquet file:
// eight channels of a million readings. Path takes more.
const MostUnpacked = 128 << 20

// Bytes reads a run from a file's content.
func Bytes(name string, content []byte, c Choices) (*Bundle, error) {
	b, err := read(bytes.NewReader(content), int64(len(content)), name, MostUnpacked, c)
	if err == nil && b.Kind != FolderKind {
		for i := range b.Files {
			b.Files[i].Bytes = content // each recording keeps what it came from
		}
	}
	return b, err
}

// All reads every run that a file's content holds: those of a zip of several run folders, or of a selection that went
// out as one file, else the one.
func All(name string, content []byte, c Choices) ([]*Bundle, error) {
	if selection.Looks(bytes.NewReader(content), int64(len(content)), content) {
		folders, err := selection.Folders(name, content)
		if err != nil {
			return nil, err
		}
		content = folders
	}
	r, size := bytes.NewReader(content), int64(len(content))
	if !runfolder.IsZip(content) || !runfolder.Holds(r, size) {
		b, err := Bytes(name, content, c)
		return []*Bundle{b}, err
	}
	if err := unpacksTo(r, size, name, MostUnpacked); err != nil {
		return nil, err
	}
	folders, err := runfolder.OpenZips(r, size, name)
	if err != nil {
		return nil, err
	}
	out := make([]*Bundle, len(folders))
	for i, f := range folders {
		if out[i], err = folder(f, nil); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// unpacksTo refuses a zip that says it unpacks to more than most bytes.
func unpacksTo(r io.ReaderAt, size int64, name string, most int64) error {
	if n := runfolder.Unpacked(r, size); n > uint64(most) {
		return tooMuch(name, most)
	}
	return nil
}

func tooMuch(name string, most int64) error {
	reason := fmt.Sprintf("it unpacks to more than %d MB", most>>20)
	if most == MostUnpacked {
		reason += `; "zincroad import FILE" takes more`
	}
	return &runfolder.FaultError{Faults: []csvlog.Fault{{File: name, Reason: reason}}}
}

// Refusal gives the faults of an error of this package, one for each thing that is
// wrong; at least one.
func Refusal(name string, err error) []csvlog.Fault {
	var fe *runfolder.FaultError
	if errors.As(err, &fe) {
		return fe.Faults
	}
	reason := strings.TrimPrefix(strings.TrimPrefix(err.Error(), name+" "), filepath.Base(name)+" ")
	return []csvlog.Fault{{File: name, Reason: reason}}
}

// SideHint says whose log a file is by its name; empty where that says nothing.
func SideHint(name string) trace.Side { return likelySide(name, "") }

// likelySide guesses whose log a file is from its name; otherwise where it says
// nothing: a logger sits in the car, what was typed was read off the stall's screen.
func likelySide(name string, otherwise trace.Side) trace.Side {
	base := strings.ToLower(filepath.Base(name))
	switch {
	case strings.Contains(base, "stall") || strings.Contains(base, "charger"):
		return trace.StallSide
	case strings.Contains(base, "car") || strings.Contains(base, "dash"):
		return trace.CarSide
	}
	return otherwise
}

func folder(f *runfolder.Folder, err error) (*Bundle, error) {
	if err != nil {
		return nil, err
	}
	b := &Bundle{Kind: FolderKind, Run: f.Run, Document: f.Document, Faults: f.Faults, LeftOut: f.LeftOut,
		Photos: f.Photos}
	for _, file := range f.Files {
		b.Files = append(b.Files, File{file.Name, file.Bytes})
	}
	return b, nil
}

// table reads a table of text by a guessed or chosen layout. A table that holds both sides'
// readings gives a recording for each.
func table(r io.ReaderAt, size int64, name string, l csvlog.Layout, rows int, c Choices) (*Bundle, error) {
	base := filepath.Base(name)
	if c.Side == "" {
		c.Side = likelySide(name, trace.CarSide)
	}
	b := &Bundle{Kind: TableKind, Layout: &l, Run: &run.Run{StartedAt: c.StartedAt}}
	sides := l.Sides(c.Side)
	for _, side := range []trace.Side{c.Side, other(c.Side)} {
		part, ok := sides[side]
		if !ok {
			continue
		}
		t, err := csvlog.Read(io.NewSectionReader(r, 0, size), part, csvlog.Options{
			File: base, StartedAt: b.Run.StartedAt, Zone: c.Zone, Rows: rows,
		})
		if err != nil {
			if t != nil && len(t.Faults) > 0 {
				return nil, &runfolder.FaultError{Faults: t.Faults}
			}
			return nil, err
		}
		if b.Run.StartedAt.IsZero() {
			b.Run.StartedAt = t.StartedAt
		}
		as := base
		if len(b.Files) > 0 {
			as = beside(base, side)
		}
		b.Run.Recordings = append(b.Run.Recordings, t.Recording(as, side))
		b.Files = append(b.Files, File{Name: as})
		b.addFaults(t.Faults, t.LeftOut)
	}
	if b.Run.StartedAt.IsZero() {
		b.Run.StartedAt = startIn(base, c.Zone)
	}
	return b, nil
}

// beside names the recording of the other side that came in the same file.
func beside(name string, side trace.Side) string {
	return strings.TrimSuffix(name, filepath.Ext(name)) + "-" + string(side) + filepath.Ext(name)
}

// addFaults adds what was left out, once what both sides of a row were refused for.
func (b *Bundle) addFaults(faults []csvlog.Fault, leftOut int) {
	b.LeftOut = max(b.LeftOut, leftOut)
	for _, f := range faults {
		if !slices.ContainsFunc(b.Faults, func(o csvlog.Fault) bool { return o.Line == f.Line && o.Reason == f.Reason }) {
			b.Faults = append(b.Faults, f)
		}
	}
	slices.SortStableFunc(b.Faults, func(a, b csvlog.Fault) int { return a.Line - b.Line })
	b.LeftOut = max(b.LeftOut, len(b.Faults))
}

func other(side trace.Side) trace.Side {
	if side == trace.StallSide {
		return trace.CarSide
	}
	return trace.StallSide
}

// maxTyped is the size up to which a text can be typed readings.
const maxTyped = 1 << 16

// notes reads typed readings; nil where the text holds none. A text of which most lines are not understood is refused,
// each of them with its reason.
func notes(text []byte, size int64, name string, c Choices) (*Bundle, error) {
	if size > maxTyped || bytes.IndexByte(text, 0) >= 0 {
		return nil, nil
	}
	base := filepath.Base(name)
	if c.Side == "" {
		c.Side = likelySide(name, trace.StallSide)
	}
	n, err := typed.ParseAs(c.Times, string(text), base, c.Side)
	if err != nil {
		return nil, nil
	}
	b := Typed(n, base, c)
	switch {
	case n.Problems() <= n.Recording.Len():
		return b, nil
	case n.MostlyTimed():
		return nil, &runfolder.FaultError{Faults: b.Faults}
	}
	return nil, nil
}

// Typed makes a run of typed readings.
func Typed(n *typed.Notes, name string, c Choices) *Bundle {
	b := &Bundle{
		Kind: TypedKind, Notes: n, Files: []File{{Name: name}},
		Run: &run.Run{StartedAt: c.StartedAt, Recordings: []*trace.Recording{n.Recording}, Marks: n.Marks},
	}
	if n.Other != nil {
		n.Other.Name = beside(name, n.Other.Side)
		b.Run.Recordings = append(b.Run.Recordings, n.Other)
		b.Files = append(b.Files, File{Name: n.Other.Name})
	}
	for _, l := range n.Lines {
		if l.Problem != "" {
			b.Faults = append(b.Faults, csvlog.Fault{File: name, Line: l.Number, Reason: l.Problem})
			b.LeftOut++
		}
	}
	return b
}
