package csvlog

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"zincroad/core/trace"
)

// Sampling: a layout is guessed from the beginning of a file, and signs and
// missing units also from stretches further on, where the car charges.
const (
	sampleBytes     = 1 << 16
	sampleStretches = 4
	headerSearch    = 40 // lines
)

// Guess proposes a layout for a table of the given size. It returns ErrNotALog,
// wrapped, for a file that holds none.
func Guess(r io.ReaderAt, size int64, file string) (Layout, error) {
	head := make([]byte, min(size, sampleBytes))
	if _, err := r.ReadAt(head, 0); err != nil && err != io.EOF {
		return Layout{}, fmt.Errorf("reading %s: %w", file, err)
	}
	l := Layout{Encoding: sniff(head), CR: onlyCR(head)}
	if size == 0 {
		return l, fmt.Errorf("%s is %w: the file is empty", file, ErrNotALog)
	}
	if bytes.IndexByte(head, 0) >= 0 && !wide(l.Encoding) {
		return l, fmt.Errorf("%s is %w: it is not text", file, ErrNotALog)
	}
	lines := l.sampleLines(head, size > sampleBytes)
	if !l.findHeader(lines) {
		return l, fmt.Errorf(
			"%s is %w: no row names a column of times and columns for state of charge, power, or volts and amps",
			file,
			ErrNotALog,
		)
	}
	return l, l.fill(r, size, file, lines)
}

// GuessWith is Guess for a tester who knows which line names the columns and what
// stands between them.
func GuessWith(r io.ReaderAt, size int64, file, delimiter string, headerLine int) (Layout, error) {
	head := make([]byte, min(size, sampleBytes))
	if _, err := r.ReadAt(head, 0); err != nil && err != io.EOF {
		return Layout{}, fmt.Errorf("reading %s: %w", file, err)
	}
	l := Layout{Encoding: sniff(head), CR: onlyCR(head), Delimiter: delimiter, HeaderLine: headerLine}
	lines := l.sampleLines(head, size > sampleBytes)
	if headerLine < 1 || headerLine > len(lines) {
		return l, fmt.Errorf("%s has no line %d among its first %d", file, headerLine, len(lines))
	}
	l.Columns = nameColumns(fieldsOf(lines[headerLine-1], delimiter))
	l.Canonical = delimiter == "," && canonical(l.Columns)
	l.Long = longIn(fieldsOf(lines[headerLine-1], delimiter))
	return l, l.fill(r, size, file, lines)
}

// fill decides what the header leaves open, from the lines of the sample and from
// stretches further on.
func (l *Layout) fill(r io.ReaderAt, size int64, file string, lines []string) error {
	l.furtherHeaders(lines)
	rows := records(lines[l.dataLine()-1:], l.Delimiter)
	if l.Canonical {
		for i, c := range l.Columns {
			if in, ok := trace.Describe(c.Channel); ok {
				l.Columns[i].Unit = in.Units[0].Name
			}
		}
		l.Time = Seconds
		if l.Columns[l.Find(TimeColumn)].Header == "time" {
			l.Time = RFC3339
		}
		return nil
	}
	for k := int64(1); k < sampleStretches && !wide(l.Encoding); k++ {
		if at := size / sampleStretches * k; at > sampleBytes {
			part := make([]byte, sampleBytes)
			n, _ := r.ReadAt(part, at)
			if more := l.sampleLines(part[:n], true); len(more) > 1 {
				rows = append(rows, records(more[1:], l.Delimiter)...)
			}
		}
	}
	if l.Long != nil {
		rows = l.nameLong(rows)
	}
	l.decideUnits(rows)
	if err := l.Check(); err != nil {
		return fmt.Errorf("%s is %w: %v", file, ErrNotALog, err)
	}
	return nil
}

// sampleLines decodes a stretch of text into lines; partial says that the end
// cuts the last line.
func (l *Layout) sampleLines(b []byte, partial bool) []string {
	text, _ := io.ReadAll(l.text(bytes.NewReader(b)))
	var lines []string
	sc := bufio.NewScanner(bytes.NewReader(text))
	sc.Buffer(nil, 1<<20)
	for sc.Scan() {
		lines = append(lines, sc.Text())
	}
	if partial && len(lines) > 1 {
		lines = lines[:len(lines)-1]
	}
	return lines
}

func records(lines []string, delimiter string) [][]string {
	var out [][]string
	for _, line := range lines {
		if strings.TrimSpace(line) == "" {
			continue
		}
		out = append(out, fieldsOf(line, delimiter))
	}
	return out
}

func fieldsOf(line, delimiter string) []string {
	if delimiter == " " {
		return strings.Fields(line)
	}
	if !strings.Contains(line, `"`) {
		return strings.Split(line, delimiter)
	}
	c := csv.NewReader(strings.NewReader(line))
	c.Comma, c.LazyQuotes, c.FieldsPerRecord = rune(delimiter[0]), true, -1
	rec, err := c.Read()
	if err != nil {
		return strings.Split(line, delimiter)
	}
	return rec
}

// delimiters are what may stand between columns.
var delimiters = []string{",", ";", "\t", "|", " "}

// named tells whether the columns hold a time and something to draw.
func (l *Layout) named() bool {
	has := func(c trace.Channel) bool { return l.Find(c) >= 0 }
	return (has(TimeColumn) || has(DateColumn)) &&
		(has(trace.SoC) || has(trace.Power) || has(trace.Voltage) && has(trace.Current))
}

func named(columns []Column) int {
	n := 0
	for _, c := range columns {
		if c.Channel != "" {
			n++
		}
	}
	return n
}

// canonical tells whether the headers are those of Zinc Road's own files: a time
// and at least one channel under their exact names. Further columns are allowed.
func canonical(columns []Column) bool {
	timed, channels := false, 0
	for _, c := range columns {
		switch {
		case c.Header == "t_s", c.Header == "time":
			timed = true
		case c.Channel != "" && c.Header == string(c.Channel):
			channels++
		case c.Channel != "":
			return false
		}
	}
	return timed && channels > 0
}

// nameColumns guesses what each column holds from its header alone. Of several that say the same,
// those whose headers name a side are the sides' own; else the first has it, also as a time.
func nameColumns(headers []string) []Column {
	l := Layout{Columns: make([]Column, len(headers))}
	for i, h := range headers {
		h = strings.TrimSpace(strings.Trim(strings.TrimSpace(strings.TrimPrefix(h, "\ufeff")), `"`))
		c := channelOf(h)
		l.Columns[i] = Column{Header: h, Channel: c}
		if in, ok := trace.Describe(c); ok {
			l.Columns[i].Unit = unitOf(h, in)
			if h != string(c) {
				l.Columns[i].Side = sideOf(h)
			}
		}
	}
	l.decideSides()
	return l.Columns
}

// decideSides leaves a channel to two columns only where one of them is the car's and the other
// the stall's. A side counts only where the table holds something of the other one as well:
// "battery" in the name of the only column of power says nothing.
func (l *Layout) decideSides() {
	first := map[trace.Channel]int{}
	two := false
	for i := range l.Columns {
		c := &l.Columns[i]
		if c.twin { // left out before: perhaps its side is known by now
			c.Channel, c.twin = channelOf(c.Header), false
			if in, ok := trace.Describe(c.Channel); ok {
				c.Unit = unitOf(c.Header, in)
			}
		}
		if c.Channel == "" {
			continue
		}
		k, seen := first[c.Channel]
		if !seen {
			first[c.Channel] = i
			continue
		}
		a, b := &l.Columns[k], c
		switch {
		case c.Channel == trace.SoC || !measured[c.Channel]: // both figures may be the car's
		case a.Side == "" && b.Side != "":
			a.Side = otherSide(b.Side)
		case b.Side == "" && a.Side != "":
			b.Side = otherSide(a.Side)
		}
		if (a.Side == "" || b.Side == "") && !measured[c.Channel] {
			b.Side = a.Side
		}
		if a.Side == b.Side || a.Channel == TimeColumn || a.Channel == DateColumn {
			b.Channel, b.Unit, b.twin = "", "", true
			continue
		}
		two = true
	}
	if two {
		return
	}
	for i := range l.Columns {
		l.Columns[i].Side = ""
	}
}

// measured are the channels that both sides measure: of two columns of one, where one says whose it
// is the other is the other's.
var measured = map[trace.Channel]bool{trace.Power: true, trace.Current: true, trace.Voltage: true, trace.Energy: true}

func otherSide(s trace.Side) trace.Side {
	if s == trace.StallSide {
		return trace.CarSide
	}
	return trace.StallSide
}
