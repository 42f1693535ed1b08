package csvlog

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
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
	l := Layout{Encoding: sniff(head)}
	if size == 0 {
		return l, fmt.Errorf("%s is %w: the file is empty", file, ErrNotALog)
	}
	if bytes.IndexByte(head, 0) >= 0 && l.Encoding != utf16Text {
		return l, fmt.Errorf("%s is %w: it is not text", file, ErrNotALog)
	}
	lines := sampleLines(head, l.Encoding, size > sampleBytes)
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
	l := Layout{Encoding: sniff(head), Delimiter: delimiter, HeaderLine: headerLine}
	lines := sampleLines(head, l.Encoding, size > sampleBytes)
	if headerLine < 1 || headerLine > len(lines) {
		return l, fmt.Errorf("%s has no line %d among its first %d", file, headerLine, len(lines))
	}
	l.Columns = nameColumns(fieldsOf(lines[headerLine-1], delimiter))
	l.Canonical = delimiter == "," && canonical(l.Columns)
	return l, l.fill(r, size, file, lines)
}

// fill decides what the header leaves open, from the lines of the sample and from
// stretches further on.
func (l *Layout) fill(r io.ReaderAt, size int64, file string, lines []string) error {
	rows := records(lines[l.HeaderLine:], l.Delimiter)
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
	for k := int64(1); k < sampleStretches && l.Encoding != utf16Text; k++ {
		if at := size / sampleStretches * k; at > sampleBytes {
			part := make([]byte, sampleBytes)
			n, _ := r.ReadAt(part, at)
			if more := sampleLines(part[:n], l.Encoding, true); len(more) > 1 {
				rows = append(rows, records(more[1:], l.Delimiter)...)
			}
		}
	}
	l.settle(rows)
	if err := l.Check(); err != nil {
		return fmt.Errorf("%s is %w: %v", file, ErrNotALog, err)
	}
	return nil
}

// sampleLines decodes a stretch of text into lines; partial says that the end
// cuts the last line.
func sampleLines(b []byte, encoding string, partial bool) []string {
	text, _ := io.ReadAll(decode(bytes.NewReader(b), encoding))
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

// findHeader looks for the row and the delimiter under which most columns can be
// named, and fills in the columns.
func (l *Layout) findHeader(lines []string) bool {
	best := 0
	for n, line := range lines[:min(len(lines), headerSearch)] {
		for _, delimiter := range []string{",", ";", "\t", "|"} {
			columns := nameColumns(fieldsOf(line, delimiter))
			c := Layout{Columns: columns}
			usable := c.named() || delimiter == "," && canonical(columns)
			if score := named(columns); usable && score > best {
				best = score
				l.Delimiter, l.HeaderLine, l.Columns = delimiter, n+1, columns
			}
		}
	}
	if best == 0 {
		return false
	}
	l.Canonical = l.Delimiter == "," && canonical(l.Columns)
	return true
}

// named tells whether the columns hold a time and something to draw.
func (l *Layout) named() bool {
	has := func(c trace.Channel) bool { return l.Find(c) >= 0 }
	return has(TimeColumn) && (has(trace.SoC) || has(trace.Power) || has(trace.Voltage) && has(trace.Current))
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

// rule names a channel by what its header says.
type rule struct {
	channel trace.Channel
	match   *regexp.Regexp
}

// rules are tried in order, and the first that fits names the column: "requested amps"
// before amps, "heater kW" before kW. The words are the channels' own.
var rules = func() []rule {
	var out []rule
	for _, c := range []trace.Channel{
		trace.RequestedAmps,
		trace.RequestedPower,
		trace.SoC,
		trace.HeaterPower,
		trace.AuxPower,
		trace.BatteryTempMin,
		trace.BatteryTempMax,
		trace.InletTemp,
		trace.AmbientTemp,
		trace.BatteryTemp,
		trace.Cost,
		trace.Energy,
		trace.Power,
		trace.Voltage,
		trace.Current,
	} {
		in, _ := trace.Describe(c)
		out = append(out, rule{c, regexp.MustCompile(in.Header)})
	}
	return out
}()

var (
	timeHeader = regexp.MustCompile(
		`^(t|t_s|time|timestamp|date ?time|date and time|date/time|elapsed.*|clock.*|time .*|.* time` +
			`|zeit.*|uhrzeit|seconds|secs?|s|minutes|mins?|min|duration|datum.*|timestamp.*|epoch.*)$`,
	)
	bracketed = regexp.MustCompile(`[\[(]([^\])]*)[\])]`)
)

// nameColumns guesses what each column holds from its header alone. The first
// column that fits a channel has it; a time column likewise.
func nameColumns(headers []string) []Column {
	taken := map[trace.Channel]bool{}
	columns := make([]Column, len(headers))
	for i, h := range headers {
		h = strings.TrimSpace(strings.Trim(strings.TrimSpace(strings.TrimPrefix(h, "\ufeff")), `"`))
		columns[i] = Column{Header: h}
		c := channelOf(h)
		if c == "" || taken[c] {
			continue
		}
		taken[c] = true
		columns[i].Channel = c
		if in, ok := trace.Describe(c); ok {
			columns[i].Unit = unitOf(h, in)
		}
	}
	return columns
}

// channelOf names what a header says, by the own names first, then by the words of the channels;
// empty for one that says nothing known.
func channelOf(header string) trace.Channel {
	if in, ok := trace.Describe(trace.Channel(header)); ok {
		return in.Channel
	}
	if !strings.ContainsFunc(header, unicode.IsLetter) {
		return ""
	}
	name := strings.ToLower(header)
	bare := strings.TrimSpace(bracketed.ReplaceAllString(name, " "))
	if bare == "" {
		bare = strings.Trim(name, "[]() ")
	}
	bare = strings.Join(
		strings.FieldsFunc(bare, func(r rune) bool { return r == ' ' || r == '_' || r == '-' || r == '.' }),
		" ",
	)
	if timeHeader.MatchString(bare) || name == "t_s" {
		return TimeColumn
	}
	for _, r := range rules {
		if r.match.MatchString(bare) || r.match.MatchString(name) {
			return r.channel
		}
	}
	return ""
}

// unitOf gives the unit that a header names: in brackets, else as its last word;
// empty where it names none.
func unitOf(header string, in trace.Info) string {
	try := func(word string) string {
		name, _ := units.Written(word)
		if word = strings.TrimSpace(word); word == "mW" || word == "MW" {
			name = "MW"
		}
		if _, ok := units.Find(in.Units, name); ok {
			return name
		}
		return ""
	}
	for _, m := range bracketed.FindAllStringSubmatch(header, -1) {
		if u := try(m[1]); u != "" {
			return u
		}
	}
	words := strings.FieldsFunc(header, func(r rune) bool { return strings.ContainsRune(" _-,/.:", r) })
	if len(words) > 1 {
		return try(words[len(words)-1])
	}
	return ""
}

// settle decides from the rows what the headers leave open: the decimal sign, the
// format of times, units without a name, and signs.
func (l *Layout) settle(rows [][]string) {
	rows = slices.DeleteFunc(rows, func(r []string) bool { return len(r) < len(l.Columns) })
	l.DecimalComma = l.commas(rows)
	l.Time = l.timeFormat(rows)
	numbers := make([][]float64, len(l.Columns))
	for i, c := range l.Columns {
		if c.Channel == "" || c.Channel == TimeColumn {
			continue
		}
		for _, row := range rows {
			v, ok := parseNumber([]byte(row[i]), l.DecimalComma)
			if !ok {
				v = math.NaN()
			}
			numbers[i] = append(numbers[i], v)
		}
		if c.Unit == "" {
			l.Columns[i].Unit = likelyUnit(c.Channel, numbers[i])
		}
	}
	var soc []float64
	if i := l.Find(trace.SoC); i >= 0 {
		soc = numbers[i]
	}
	for i, c := range l.Columns {
		if c.Channel == trace.Current || c.Channel == trace.Power {
			l.Columns[i].Negate = chargesNegative(numbers[i], soc)
		}
	}
}

// commas tells whether the numbers have a decimal comma: some cell reads as a
// number only with one. With a comma between the cells it takes quotes.
func (l *Layout) commas(rows [][]string) bool {
	comma, point := 0, 0
	for _, row := range rows {
		for i, c := range l.Columns {
			if c.Channel == "" || c.Channel == TimeColumn {
				continue
			}
			switch cell := strings.TrimSpace(row[i]); {
			case strings.Contains(cell, ",") && !strings.Contains(cell, "."):
				comma++
			case strings.Contains(cell, ".") && !strings.Contains(cell, ","):
				point++
			}
		}
	}
	return comma > point
}

// likelyUnit takes the kept unit, unless the numbers are far too large or small
// for it: watts for kilowatts, a fraction for percent, Wh for kWh.
func likelyUnit(c trace.Channel, v []float64) string {
	in, _ := trace.Describe(c)
	top := 0.0
	for _, x := range v {
		if !math.IsNaN(x) {
			top = math.Max(top, math.Abs(x))
		}
	}
	switch {
	case (c == trace.Power || c == trace.RequestedPower || c == trace.HeaterPower) && top > 1500:
		return "W"
	case c == trace.SoC && top > 0 && top <= 1:
		return "fraction"
	case c == trace.Voltage && top > 2000:
		return "mV"
	case c == trace.Energy && top > 1000:
		return "Wh"
	}
	return in.Units[0].Name
}

// chargesNegative tells whether a current or power is written with charging below
// zero: it is mostly negative while the state of charge rises. Without a state of
// charge the larger share decides.
func chargesNegative(v, soc []float64) bool {
	sum, rising, last := 0.0, 0.0, math.NaN()
	for i, x := range v {
		if math.IsNaN(x) {
			continue
		}
		sum += x
		if soc == nil || math.IsNaN(soc[i]) {
			continue
		}
		if d := soc[i] - last; !math.IsNaN(d) && math.Abs(d) < 5 {
			rising += x * d
		}
		last = soc[i]
	}
	if rising != 0 {
		return rising < 0
	}
	return sum < 0
}

// timeFormat finds the format that reads most of the times; among several the
// first in the order below.
func (l *Layout) timeFormat(rows [][]string) TimeFormat {
	i := l.Find(TimeColumn)
	if i < 0 {
		return Seconds
	}
	header := strings.ToLower(l.Columns[i].Header)
	var cells []string
	for _, row := range rows[:min(len(rows), 200)] {
		cells = append(cells, strings.TrimSpace(row[i]))
	}
	best, most := Seconds, 0
	for _, f := range []TimeFormat{RFC3339, DateTime, Elapsed, Seconds} {
		p := times{format: f, comma: l.DecimalComma}
		n := 0
		for _, c := range cells {
			if _, ok := p.parse([]byte(c)); ok {
				n++
			}
		}
		if n > most {
			best, most = f, n
		}
	}
	switch {
	case best == Elapsed && isClock(cells, header):
		return ClockTime
	case best == Seconds:
		return numberTime(cells, header, l.DecimalComma)
	}
	return best
}

// isClock tells times of day from elapsed times: the header says so, or they
// begin later than any run has lasted. h:mm can only be a clock when its minutes
// stay under 60 and its first number under 24 in every row.
func isClock(cells []string, header string) bool {
	if strings.Contains(header, "elapsed") || strings.Contains(header, "duration") {
		return false
	}
	if strings.Contains(header, "clock") || strings.Contains(header, "uhr") || strings.Contains(header, "of day") {
		return true
	}
	for _, c := range cells {
		parts := strings.Split(c, ":")
		v, ok := words.ParseClock(c, true)
		if !ok {
			continue
		}
		return len(parts) == 3 && v >= 5*3600
	}
	return false
}

// numberTime tells seconds, minutes, milliseconds and epochs apart.
func numberTime(cells []string, header string, comma bool) TimeFormat {
	first, last := math.NaN(), math.NaN()
	for _, c := range cells {
		if v, ok := parseNumber([]byte(c), comma); ok && !math.IsNaN(v) {
			if math.IsNaN(first) {
				first = v
			}
			last = v
		}
	}
	switch {
	case first > 1e12:
		return EpochMS
	case first > 1e9:
		return EpochS
	case regexp.MustCompile(`\bms\b|millisec|_ms`).MatchString(header):
		return Milliseconds
	case regexp.MustCompile(`\bmin`).MatchString(header):
		return Minutes
	case last-first > 1e5 && len(cells) < 5000:
		return Milliseconds
	}
	return Seconds
}
