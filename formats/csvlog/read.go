package csvlog

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"sort"
	"time"

	"zincroad/core/trace"
	"zincroad/core/units"
)

// MaxFaults is how many faults of one file are kept; the rest are counted.
const MaxFaults = 1000

// manyRows is from how many expected rows on a table is read by several at once.
const manyRows = 50_000

// Options of Read; the zero value serves a file on its own.
type Options struct {
	File      string         // its name, for faults
	StartedAt time.Time      // what absolute times count from; zero: the first of them
	Zone      *time.Location // of dates without a zone; nil: UTC
	Rows      int            // how many rows are expected, to allocate once; 0: unknown
}

// Table is what was read: columns in the units that Zinc Road keeps, NaN for no
// value, in the order of the file.
type Table struct {
	T         []float64
	Columns   map[trace.Channel][]float64
	StartedAt time.Time // what T counts from, where the file has absolute times
	Faults    []Fault   // the first MaxFaults
	LeftOut   int       // rows and cells that were left out
}

// Recording makes a recording of the table.
func (t *Table) Recording(name string, side trace.Side) *trace.Recording {
	return &trace.Recording{Name: name, Side: side, T: t.T, Columns: t.Columns}
}

// Read reads a table with a layout that passed Check. Missing cells at the end of a row are empty ones. What is no
// reading is left out and listed in Faults: a row of words, a total, the names of the columns again, a last line that
// was cut off, and single cells that hold no value of their channel. A table without a single good row is
// ErrNotALog, with the faults in the returned table.
func Read(r io.Reader, l Layout, o Options) (*Table, error) {
	if err := l.Check(); err != nil {
		return nil, fmt.Errorf("reading %s: %w", o.File, err)
	}
	p := newReader(l, o)
	read := func() error { return p.run(bufio.NewReaderSize(l.text(r), 1<<18)) }
	if p.plain && o.Rows > manyRows {
		read = func() error { return p.inBlocks(l.text(r), o) }
	}
	if err := read(); err != nil {
		return nil, fmt.Errorf("reading %s: %w", o.File, err)
	}
	p.finish()
	if len(p.table.T) == 0 {
		return p.table, fmt.Errorf("%s is %w: not one row below its header could be read", o.File, ErrNotALog)
	}
	return p.table, nil
}

// Chunk is a stretch of a table's rows, in the columns that its layout names, in the kept units. It is
// good until the next one comes.
type Chunk struct {
	T       []float64
	Columns map[trace.Channel][]float64
}

// Stream reads a table like Read and hands its rows over in chunks of at most so many, so that a table
// of any size takes the memory of one chunk. Rows whose time is outside the rhythm are told by the
// chunk that they stand in. The table that it gives has faults and a start, and no rows. What take
// returns as an error ends it.
func Stream(r io.Reader, l Layout, o Options, rows int, take func(Chunk) error) (*Table, error) {
	if err := l.Check(); err != nil {
		return nil, fmt.Errorf("reading %s: %w", o.File, err)
	}
	o.Rows = rows
	p := newReader(l, o)
	p.limit, p.take = rows, take
	if err := p.run(bufio.NewReaderSize(l.text(r), 1<<18)); err != nil {
		return nil, fmt.Errorf("reading %s: %w", o.File, err)
	}
	if err := p.handOver(); err != nil {
		return nil, err
	}
	p.startOf()
	return p.table, nil
}

// handOver gives the rows that were taken away.
func (p *reader) handOver() error {
	if p.n == 0 {
		return nil
	}
	p.leaveOut()
	c := Chunk{T: p.at[:p.n], Columns: map[trace.Channel][]float64{}}
	for _, k := range p.cells {
		if k.channel != "" {
			c.Columns[k.channel] = k.out[:p.n]
		}
	}
	p.n, p.runs, p.more = 0, p.runs[:0], false
	return p.take(c)
}

type reader struct {
	layout Layout
	file   string
	delim  byte
	cells  []cellKind
	times  times
	header [][]byte
	table  *Table

	plain  bool // rows can be tried by fast
	line   int
	n      int       // rows taken
	runs   []lineRun // where their lines are
	at     []float64 // their times; like the cells' columns, longer than n
	fields [][]byte
	date   int  // the column of dates beside times of day; -1: none
	least  int  // the fewest fields of a row that was taken
	open   bool // the line has no end: it is the last, and may be cut off

	// A table with one value a row:
	limit int               // rows of a chunk; 0: all are kept
	take  func(Chunk) error // takes each chunk

	names   map[string]int // the column of a name; -1: left out
	more    bool           // the row before is not finished: another value of its time may come
	moreRow string         // its time, as it was written
}

// lineRun says that from row n on, row n+i stands in line line+i.
type lineRun struct{ n, line int }

// took counts a row that stands in a line.
func (p *reader) took(line int) {
	if k := len(p.runs); k == 0 || line-p.n != p.runs[k-1].line-p.runs[k-1].n {
		p.runs = append(p.runs, lineRun{p.n, line})
	}
	p.n++
}

// lineOf gives the line of a row.
func (p *reader) lineOf(row int) int {
	k := sort.Search(len(p.runs), func(i int) bool { return p.runs[i].n > row }) - 1
	return p.runs[k].line + row - p.runs[k].n
}

// newReader makes room for the columns that a layout names, and works out how each cell is read.
func newReader(l Layout, o Options) *reader {
	p := &reader{
		layout: l, file: o.File, delim: l.Delimiter[0],
		times: times{format: l.Time, order: dateOrder(l.DateOrder), zone: o.Zone, origin: o.StartedAt},
		date:  -1,
		least: len(l.Columns),
		table: &Table{Columns: map[trace.Channel][]float64{}},
		at:    make([]float64, o.Rows),
	}
	p.plain = l.Time == Seconds && l.Long == nil
	for i, c := range l.Columns {
		k := cellKind{header: c.Header, time: c.Channel == TimeColumn, date: c.Channel == DateColumn, comma: l.comma(c)}
		if k.time {
			p.times.comma = k.comma
		}
		if k.date {
			p.date = i
		}
		p.plain = p.plain && !k.comma && !k.date
		if in, ok := trace.Describe(c.Channel); ok {
			u, _ := units.Find(in.Units, c.Unit)
			if c.Negate {
				u.Factor = -u.Factor
			}
			k.channel, k.min, k.max, k.shift, k.factor = c.Channel, in.Min, in.Max, u.Shift, u.Factor
			k.plain = u.Shift == 0 && u.Factor == 1
			k.out = make([]float64, o.Rows)
		} else if k.time {
			k.min, k.max, k.plain, k.out = math.Inf(-1), math.Inf(1), true, p.at
		}
		p.cells = append(p.cells, k)
		p.header = append(p.header, []byte(c.Header))
	}
	return p
}

// run goes through the rows to the end. A row that cannot be read is listed and left out.
func (p *reader) run(br *bufio.Reader) error {
	for {
		whole, err := p.next(br)
		p.room()
		switch {
		case p.line < p.layout.dataLine():
			whole = nil
		case p.plain && p.fast(whole, 0) > 0:
			p.took(p.line)
			whole = nil
		}
		if line := trimEnd(whole); len(line) > 0 {
			p.open = err == io.EOF
			if bytes.IndexByte(line, '"') >= 0 {
				line = bytes.Clone(line)
				err = p.quoted(br, line, err)
			} else {
				p.row(p.split(line), p.line)
			}
		}
		if p.limit > 0 && p.n >= p.limit {
			if full := p.handOver(); full != nil {
				return full
			}
		}
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// next gives the next line with its end. It is only good until the next call.
func (p *reader) next(br *bufio.Reader) ([]byte, error) {
	p.line++
	line, err := br.ReadSlice('\n')
	if err != nil && errors.Is(err, bufio.ErrBufferFull) {
		long := bytes.Clone(line)
		line, err = br.ReadBytes('\n')
		line = append(long, line...)
	}
	return line, err
}

func trimEnd(line []byte) []byte { return bytes.TrimRight(line, "\r\n") }

// quoted reads a row with quoted fields, which may span lines.
func (p *reader) quoted(br *bufio.Reader, line []byte, err error) error {
	start := p.line
	for bytes.Count(line, []byte{'"'})%2 == 1 && err == nil && len(line) < 1<<16 {
		var more []byte
		more, err = p.next(br)
		line = append(append(line, '\n'), trimEnd(more)...)
	}
	c := csv.NewReader(bytes.NewReader(line))
	c.Comma = rune(p.delim)
	c.FieldsPerRecord = -1
	record, bad := c.Read()
	if bad != nil {
		p.fault(start, "the quotes of this row do not match")
		return err
	}
	p.fields = p.fields[:0]
	for _, f := range record {
		p.fields = append(p.fields, []byte(f))
	}
	p.row(p.fields, start)
	return err
}

// room makes place for one more row.
func (p *reader) room() {
	if p.n == len(p.at) {
		p.grow(1)
	}
}

// grow makes the columns longer, by so many rows at least.
func (p *reader) grow(least int) {
	more := max(1024, len(p.at)/4, least)
	p.at = append(p.at, make([]float64, more)...)
	for i := range p.cells {
		if k := &p.cells[i]; k.channel != "" {
			k.out = append(k.out, make([]float64, more)...)
		} else if k.time {
			k.out = p.at
		}
	}
}

func (p *reader) fault(line int, format string, args ...any) {
	p.table.LeftOut++
	if len(p.table.Faults) < MaxFaults {
		p.table.Faults = append(p.table.Faults, Fault{p.file, line, fmt.Sprintf(format, args...)})
	}
}

// finish hands over the columns; one without a single value is left out.
func (p *reader) finish() {
	p.leaveOut()
	p.table.T = p.at[:p.n]
	for _, k := range p.cells {
		if k.channel == "" {
			continue
		}
		column := k.out[:p.n]
		if slices.ContainsFunc(column, func(v float64) bool { return !math.IsNaN(v) }) {
			p.table.Columns[k.channel] = column
		}
	}
	p.startOf()
}

// startOf notes what the times count from.
func (p *reader) startOf() {
	switch p.layout.Time {
	case RFC3339, DateTime, EpochS, EpochMS, SerialDate, ClockTime, Midnight:
		p.table.StartedAt = p.times.origin // zero where times of day had no date
	}
}

// Rows estimates from the beginning of a text how many rows all of it holds, a
// little too many, so that columns are allocated once.
func Rows(head []byte, size int64) int {
	head = head[:min(len(head), sampleBytes)]
	n := bytes.Count(head, []byte{'\n'})
	if n == 0 {
		return 1
	}
	if int64(len(head)) >= size {
		return n + 1
	}
	return int(float64(size) / float64(len(head)) * float64(n) * 1.03)
}
