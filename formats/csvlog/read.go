package csvlog

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"sort"
	"strconv"
	"strings"
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

// cellKind says what to do with one column's cells.
type cellKind struct {
	header   string
	time     bool
	date     bool
	comma    bool
	channel  trace.Channel
	min, max float64
	shift    float64
	factor   float64
	plain    bool      // shift 0, factor 1
	out      []float64 // the channel's column

	form  mould     // of its last cell
	still stillness // of this and the cells behind it
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

func (p *reader) split(line []byte) [][]byte {
	p.fields = p.fields[:0]
	if p.delim == ' ' {
		p.fields = append(p.fields, bytes.Fields(line)...)
		return p.fields
	}
	for {
		i := bytes.IndexByte(line, p.delim)
		if i < 0 {
			p.fields = append(p.fields, line)
			return p.fields
		}
		p.fields = append(p.fields, line[:i])
		line = line[i+1:]
	}
}

// fast reads the row of plain decimals that begins at a place of a text of whole lines into row n, and gives where the
// next begins; took counts it. It gives up, with 0, on anything that row must judge.
func (p *reader) fast(text []byte, pos int) int {
	if n := len(text); pos == n || text[n-1] != '\n' {
		return 0
	}
	for i := 0; i < len(p.cells); {
		k := &p.cells[i]
		if n := k.still.cells; n > 0 {
			if end := pos + len(k.still.text); end > pos && end <= len(text) && string(text[pos:end]) == k.still.text {
				pos = end
			} else if pos = p.stir(i, text, pos); pos == 0 {
				return 0
			}
			i += n
			continue
		}
		if end := pos + k.form.long; end > pos && end >= 8 && end <= len(text) {
			if v, ok := k.form.number(binary.LittleEndian.Uint64(text[end-8:])); ok {
				if !k.plain {
					v = (v + k.shift) * k.factor
				}
				if v < k.min || v > k.max {
					return 0
				}
				k.out[p.n] = v
				pos = end
				i++
				continue
			}
		}
		if pos = p.cell(i, text, pos); pos == 0 {
			return 0
		}
		i++
	}
	return pos
}

// cell reads one cell of a row as fast does, a byte at a time.
func (p *reader) cell(i int, text []byte, pos int) int {
	k, start := &p.cells[i], pos
	neg := text[pos] == '-'
	if neg {
		pos++
	}
	mantissa, begin := uint64(0), pos
	for ; text[pos]-'0' <= 9; pos++ {
		mantissa = mantissa*10 + uint64(text[pos]-'0')
	}
	digits, fraction := pos-begin, 0
	if text[pos] == '.' {
		pos++
		begin = pos
		for ; text[pos]-'0' <= 9; pos++ {
			mantissa = mantissa*10 + uint64(text[pos]-'0')
		}
		fraction = pos - begin
		digits += fraction
	}
	end := p.delim
	if i == len(p.cells)-1 {
		if end = '\n'; text[pos] == '\r' {
			pos++
		}
	}
	if text[pos] != end || digits > 15 {
		return 0
	}
	pos++
	v := float64(mantissa)
	if digits == 0 {
		if neg || fraction > 0 || k.time {
			return 0
		}
		v = math.NaN()
	} else if fraction > 0 {
		v /= powersOfTen[fraction]
	}
	if neg {
		v = -v
	}
	if k.out == nil {
		return pos
	}
	if !k.plain {
		v = (v + k.shift) * k.factor
	}
	if v < k.min || v > k.max {
		return 0
	}
	k.out[p.n] = v
	k.form = mouldOf(text, start, pos-start)
	return pos
}

// stillness is some cells beside each other that mostly say what those of the row above say (temperatures, volts, what
// is off): they are known again by their text, and their columns filled when it changes.
type stillness struct {
	cells int    // how many they are; 0: these are none
	text  string // what they said last
	from  int    // the first row that is not filled
}

// stir reads cells that stood still and say something else now, from the ith on.
func (p *reader) stir(i int, text []byte, pos int) int {
	p.fill(i)
	still, start := &p.cells[i].still, pos
	for k := i; k < i+still.cells; k++ {
		if pos = p.cell(k, text, pos); pos == 0 {
			return 0
		}
	}
	still.text, still.from = string(text[start:pos]), p.n+1
	return pos
}

// fill writes what cells that stand still said last into the rows that they said it in.
func (p *reader) fill(i int) {
	still := &p.cells[i].still
	if still.from == 0 || still.from >= p.n {
		return
	}
	for k := i; k < i+still.cells; k++ {
		out := p.cells[k].out[still.from-1 : p.n]
		for r := range out {
			out[r] = out[0]
		}
	}
	still.from = p.n
}

// row takes one row, or reports why it cannot. A cell that holds no value of its channel is left out and reported; a
// row that has nothing else is none.
func (p *reader) row(fields [][]byte, line int) {
	if p.layout.Long != nil {
		p.longRow(fields, line)
		return
	}
	if blank(fields) {
		return
	}
	if width := len(fields); width != len(p.cells) {
		if fields = p.fit(fields, line); fields == nil {
			return
		}
		defer func(n int) {
			if p.n > n {
				p.least = min(p.least, width)
			}
		}(p.n)
	}
	at, ok := p.timeOf(fields, line)
	if !ok {
		return
	}
	p.room()
	values := 0
	var bad []string
	for i := range p.cells {
		k := &p.cells[i]
		if k.channel == "" {
			continue
		}
		v, why := k.value(fields[i])
		if why != "" {
			bad = append(bad, why)
		} else if !math.IsNaN(v) {
			values++
		}
		k.out[p.n] = v
	}
	for _, why := range bad {
		p.fault(line, "%s", why)
	}
	if len(bad) > 0 && values == 0 {
		return
	}
	p.at[p.n] = at
	p.took(line)
}

// timeOf gives the time of a row; false where it has none, which is reported.
func (p *reader) timeOf(fields [][]byte, line int) (at float64, ok bool) {
	at = math.NaN()
	for i := range p.cells {
		k := &p.cells[i]
		if !k.time {
			continue
		}
		var date []byte
		if p.date >= 0 {
			date = fields[p.date]
		}
		if at, ok = p.times.parse(fields[i], date); ok {
			continue
		}
		if p.isHeader(fields) {
			p.fault(line, "the names of the columns again, no reading")
		} else {
			p.fault(line, "%s: %q is no time, expected %s", k.header, clip(fields[i]), p.layout.Time)
		}
		return at, false
	}
	return at, true
}

// value gives what a cell says in the channel's kept unit: NaN for no value, and why where it holds none of the
// channel.
func (k *cellKind) value(cell []byte) (v float64, why string) {
	v, ok := parseNumber(cell, k.comma)
	if !ok {
		return math.NaN(), fmt.Sprintf("%s: %q is no number", k.header, clip(cell))
	}
	if !k.plain {
		v = (v + k.shift) * k.factor
	}
	if v < k.min || v > k.max {
		in, _ := trace.Describe(k.channel)
		return math.NaN(), fmt.Sprintf("%s: %s, expected %g to %g %s", k.header, clip(cell), k.min, k.max, in.Unit)
	}
	return v, ""
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

// fit makes a row of another length as long as the header: what is missing at its end is empty, and so must be what
// stands behind the last column. Nil for a row that is no reading, which is reported.
func (p *reader) fit(fields [][]byte, line int) [][]byte {
	switch n := len(fields); {
	case n > len(p.cells) && !blank(fields[len(p.cells):]):
		p.fault(line, "%d fields, expected %d", n, len(p.cells))
		return nil
	case n > len(p.cells):
		return fields[:len(p.cells)]
	case n < p.least && p.open:
		p.fault(line, "the last line was cut off while it was written: %d of %d fields", n, len(p.cells))
		return nil
	}
	for i := range fields {
		if k := &p.cells[i]; !k.time && !k.date && len(bytes.TrimSpace(fields[i])) > 0 {
			return append(fields, make([][]byte, len(p.cells)-len(fields))...)
		}
	}
	p.fault(line, "%q is no reading", clip(bytes.Join(fields, []byte{p.delim})))
	return nil
}

// isHeader tells whether a row names the columns again.
func (p *reader) isHeader(fields [][]byte) bool {
	for i, h := range p.header {
		if !bytes.Equal(bytes.TrimSpace(fields[i]), h) {
			return false
		}
	}
	return true
}

func blank(fields [][]byte) bool {
	for _, f := range fields {
		if len(bytes.TrimSpace(f)) > 0 {
			return false
		}
	}
	return true
}

func (p *reader) fault(line int, format string, args ...any) {
	p.table.LeftOut++
	if len(p.table.Faults) < MaxFaults {
		p.table.Faults = append(p.table.Faults, Fault{p.file, line, fmt.Sprintf(format, args...)})
	}
}

// clip shortens a cell for a message.
func clip(cell []byte) string {
	s := strings.ToValidUTF8(string(bytes.TrimSpace(cell)), "?")
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

// leaveOut drops the rows whose time is none of the log's own, and says so: one of
// them would make an hour of ten years.
func (p *reader) leaveOut() {
	out := trace.Outlying(p.at[:p.n])
	if len(out) == 0 {
		return
	}
	for _, i := range out {
		p.fault(p.lineOf(i), "the time, %s s into the log, is far outside its rhythm",
			strconv.FormatFloat(p.at[i], 'g', 6, 64))
	}
	first := out[0] == 0 && p.times.followed
	drop := func(col []float64) {
		n, k := 0, 0
		for i, v := range col[:p.n] {
			if k < len(out) && out[k] == i {
				k++
				continue
			}
			col[n] = v
			n++
		}
	}
	for i := range p.cells {
		if c := &p.cells[i]; c.channel != "" {
			drop(c.out)
		}
	}
	drop(p.at)
	if p.n -= len(out); first && p.n > 0 { // times counted from a row that is left out
		by := p.at[0]
		for i := range p.at[:p.n] {
			p.at[i] -= by
		}
		p.times.origin = p.times.origin.Add(time.Duration(by * float64(time.Second)))
	}
	slices.SortStableFunc(p.table.Faults, func(a, b Fault) int { return a.Line - b.Line })
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
