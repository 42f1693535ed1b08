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

// findHeader looks for the row and the delimiter under which most columns can be
// named, and fills in the columns.
func (l *Layout) findHeader(lines []string) bool {
	best := 0
	for n, line := range lines[:min(len(lines), headerSearch)] {
		for _, delimiter := range delimiters {
			fields := fieldsOf(line, delimiter)
			if len(fields) > mostColumns || delimiter == " " && !spaced(fields, lines[n+1:]) {
				continue
			}
			columns := nameColumns(fields)
			c := Layout{Columns: columns}
			usable := c.named() || delimiter == "," && canonical(columns)
			score := named(columns)
			long := longIn(fields)
			if long != nil && !usable {
				usable, score = true, 3
			} else {
				long = nil
			}
			if n > 0 && unitsOnly(fields) { // what they are the units of stands above
				if joined := withUnits(fieldsOf(lines[n-1], delimiter), fields); joined != nil {
					columns = nameColumns(joined)
					c.Columns = columns
					usable, score = c.named(), named(columns)
				}
			} else if !usable && n > 0 { // names of one row and further names of the next
				if joined := joinedHeaders(fieldsOf(lines[n-1], delimiter), fields); joined != nil {
					columns = nameColumns(joined)
					c.Columns = columns
					usable, score = c.named(), named(columns)
				}
			}
			if usable && score > best {
				best = score
				l.Delimiter, l.HeaderLine, l.Columns, l.Long = delimiter, n+1, columns, long
			}
		}
	}
	if best == 0 {
		return false
	}
	l.Canonical = l.Delimiter == "," && l.Long == nil && canonical(l.Columns)
	return true
}

// spaced tells whether columns are apart by spaces: what follows the header has as many fields, and
// all of them are numbers or times.
func spaced(header, below []string) bool {
	i := slices.IndexFunc(below, func(s string) bool { return strings.TrimSpace(s) != "" })
	if i < 0 || len(header) < 2 {
		return false
	}
	fields := strings.Fields(below[i])
	return len(fields) == len(header) && !slices.ContainsFunc(fields, func(f string) bool {
		_, clock := words.ParseClock(f, false)
		return !isNumber(f) && !clock
	})
}

// mostColumns is how many columns a table may have: no log comes near.
const mostColumns = 2000

// joinedHeaders puts a row of groups ("Car", "", "Stall", "") before a row of names; a group
// holds until the next one. Nil where the upper row is no such thing.
func joinedHeaders(groups, names []string) []string {
	if len(groups) < 2 || len(groups) > len(names) || slices.ContainsFunc(groups, isNumber) {
		return nil
	}
	out := make([]string, len(names))
	group := ""
	for i, n := range names {
		if i < len(groups) && strings.TrimSpace(groups[i]) != "" {
			group = strings.TrimSpace(groups[i])
		}
		out[i] = strings.TrimSpace(group + " " + n)
	}
	return out
}

// unitsOnly tells whether a row says nothing but in which units its columns are.
func unitsOnly(fields []string) bool {
	n := 0
	for _, f := range fields {
		f = strings.Trim(strings.TrimSpace(f), "[]()")
		if f == "" {
			continue
		}
		_, known := units.Written(f)
		if !known && timeUnits[strings.ToLower(f)] == "" {
			return false
		}
		n++
	}
	return n > 1
}

// withUnits puts a row of units behind a row of names. Nil where the upper row is no such thing.
func withUnits(names, in []string) []string {
	filled := 0
	for _, n := range names {
		if isNumber(n) && strings.TrimSpace(n) != "" {
			return nil
		}
		if strings.TrimSpace(n) != "" {
			filled++
		}
	}
	if filled < 2 || len(names) > len(in) {
		return nil
	}
	out := make([]string, len(in))
	for i, u := range in {
		name := ""
		if i < len(names) {
			name = strings.TrimSpace(names[i])
		}
		if u = strings.Trim(strings.TrimSpace(u), "[]()"); u != "" {
			name = strings.TrimSpace(name + " (" + u + ")")
		}
		out[i] = name
	}
	return out
}

func isNumber(cell string) bool {
	v, ok := parseNumber([]byte(cell), false)
	return ok && !math.IsNaN(v)
}

// furtherHeaders takes what stands between the header and the readings: a row of units, or of
// further names, or both.
func (l *Layout) furtherHeaders(lines []string) {
	above := l.HeaderLine - 2
	if above >= 0 && !l.Canonical && l.Long == nil {
		l.group(fieldsOf(lines[above], l.Delimiter))
	}
	for n := l.HeaderLine; n < min(len(lines), l.HeaderLine+2) && l.Long == nil; n++ {
		fields := fieldsOf(lines[n], l.Delimiter)
		units := 0
		for i, f := range fields {
			f = strings.TrimSpace(strings.Trim(strings.TrimSpace(f), "[]()"))
			if isNumber(f) || i >= len(l.Columns) {
				return
			}
			c := &l.Columns[i]
			if c.unitBelow(f) {
				units++
			} else if c.Channel == TimeColumn && timeUnits[strings.ToLower(f)] != "" {
				c.Header += " (" + f + ")"
				units++
			}
		}
		if units < 2 && !(units == 1 && len(fields) <= 3) {
			return
		}
		l.DataLine = n + 2
		l.Canonical = false
	}
}

// group says of columns whose name says nothing of it whose they are, by a row above the header.
func (l *Layout) group(above []string) {
	if slices.ContainsFunc(above, isNumber) || len(above) < 2 {
		return
	}
	side := trace.Side("")
	for i := range l.Columns {
		if i < len(above) && strings.TrimSpace(above[i]) != "" {
			side = sideOf(above[i])
		}
		if _, ok := trace.Describe(l.Columns[i].Channel); (ok || l.Columns[i].twin) && l.Columns[i].Side == "" {
			l.Columns[i].Side = side
		}
	}
	l.decideSides()
}

// timeUnits are the units of a column of times, as they are written, and their format.
var timeUnits = map[string]TimeFormat{
	"s": Seconds, "sec": Seconds, "secs": Seconds, "seconds": Seconds, "sekunden": Seconds, "secondes": Seconds,
	"segundos": Seconds, "secondi": Seconds, "seconden": Seconds, "sekunder": Seconds, "min": Minutes, "mins": Minutes,
	"minutes": Minutes, "minuten": Minutes, "minutos": Minutes, "minuti": Minutes, "minuter": Minutes,
	"ms": Milliseconds, "msec": Milliseconds, "milliseconds": Milliseconds, "h": Hours, "hrs": Hours, "hours": Hours,
	"hh:mm:ss": Elapsed, "mm:ss": Elapsed,
}

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

// decideUnits decides from the rows what the headers leave open: the decimal sign, the
// format of times, units without a name, and signs.
func (l *Layout) decideUnits(rows [][]string) {
	for i, r := range rows { // missing cells at the end are empty
		rows[i] = append(r, make([]string, max(0, len(l.Columns)-len(r)))...)
	}
	l.decimals(rows)
	l.Time = l.timeFormat(rows)
	numbers := make([][]float64, len(l.Columns))
	for i, c := range l.Columns {
		if _, ok := trace.Describe(c.Channel); !ok {
			continue
		}
		for _, row := range rows {
			v, ok := parseNumber([]byte(row[i]), l.comma(c))
			if !ok {
				v = math.NaN()
			}
			numbers[i] = append(numbers[i], v)
		}
		if c.Unit == "" {
			l.Columns[i].Unit = l.likelyUnit(c.Channel, numbers[i])
		}
	}
	var soc []float64
	if i := l.Find(trace.SoC); i >= 0 {
		soc = numbers[i]
	}
	if l.falls(rows) { // the last comes first: what rises in time falls here
		for _, n := range numbers {
			slices.Reverse(n)
		}
	}
	at := make([]float64, len(rows)) // one row after the other
	for i := range at {
		at[i] = float64(i)
	}
	for i, c := range l.Columns {
		if c.Channel == trace.Current || c.Channel == trace.Power {
			l.Columns[i].Negate = trace.ChargesBelowZero(at, numbers[i], soc)
		}
	}
}

// falls tells whether the times of a table run backwards, row by row.
func (l *Layout) falls(rows [][]string) bool {
	i, d := l.Find(TimeColumn), l.Find(DateColumn)
	if i < 0 {
		return false
	}
	p := times{format: l.Time, order: dateOrder(l.DateOrder), comma: l.comma(l.Columns[i])}
	up, down, last := 0, 0, math.NaN()
	for _, row := range rows[:min(len(rows), 400)] {
		date := ""
		if d >= 0 {
			date = row[d]
		}
		at, ok := p.parse([]byte(row[i]), []byte(date))
		if ok && at > last {
			up++
		}
		if ok && at < last {
			down++
		}
		if ok {
			last = at
		}
	}
	return down > 2*up
}

// decimals finds the decimal mark of each column of numbers; those that do not show theirs go by
// the others. With a comma between the cells, a decimal comma takes quotes.
func (l *Layout) decimals(rows [][]string) {
	marks := make([]string, len(l.Columns))
	commas, points := 0, 0
	for i, c := range l.Columns {
		if c.Channel == "" || c.Channel == DateColumn {
			continue
		}
		cells := make([]string, len(rows))
		for k, row := range rows {
			cells[k] = strings.TrimSpace(row[i])
			if c.Channel == TimeColumn && strings.ContainsAny(cells[k], ":/-T") { // no plain number
				cells[k] = ""
			}
		}
		switch marks[i] = decimalMark(cells); {
		case c.Channel == TimeColumn:
		case marks[i] == commaMark:
			commas++
		case marks[i] == pointMark:
			points++
		}
	}
	l.DecimalComma = commas > points || commas == points && commas > 0 && l.Delimiter == ";"
	if commas == 0 && points == 0 {
		// Nothing but three digits behind each mark: what stands between the cells tells.
		l.DecimalComma = l.Delimiter == ";"
	}
	for i, m := range marks {
		if l.Columns[i].Decimal = ""; m != "" && (m == commaMark) != l.DecimalComma {
			l.Columns[i].Decimal = m
		}
	}
}

// What a temperature in °C does not pass (common practice, no source: cells are switched off at 60 °C, inlets at 100;
// nowhere was it hotter outside than 57 °C, the World Meteorological Organization's record), and what none in °F does
// on a car.
const (
	mostCellC    = 60
	mostInletC   = 100
	mostOutsideC = 57
	mostF        = 212
)

// likelyUnit takes the kept unit, unless the numbers are far too large or small
// for it: watts for kilowatts, a fraction for percent, Wh for kWh, °F for °C. Temperatures whose
// headers name no unit are in that of the others.
func (l *Layout) likelyUnit(c trace.Channel, v []float64) string {
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
	if in.Unit == "°C" {
		for _, o := range l.Columns {
			if isTemperature(o.Unit) && o.Unit != in.Unit {
				return o.Unit
			}
		}
		most, ok := map[trace.Channel]float64{trace.InletTemp: mostInletC, trace.AmbientTemp: mostOutsideC}[c]
		if !ok {
			most = mostCellC
		}
		switch {
		case top > mostF:
			return "K"
		case top > most:
			return "°F"
		}
	}
	return in.Units[0].Name
}

// timeFormat finds the format that reads most of the times; among several the
// first in the order below.
func (l *Layout) timeFormat(rows [][]string) TimeFormat {
	i, d := l.Find(TimeColumn), l.Find(DateColumn)
	if i < 0 && d >= 0 { // a column named "Date" that holds the time as well
		l.Columns[d].Channel = TimeColumn
		i, d = d, -1
	}
	if i < 0 {
		return Seconds
	}
	header := strings.ToLower(l.Columns[i].Header)
	var cells, dates []string
	for _, row := range rows[:min(len(rows), 400)] {
		cells = append(cells, strings.TrimSpace(row[i]))
		if d >= 0 {
			dates = append(dates, dayOf([]byte(row[d]))+" "+strings.TrimSpace(row[i]))
		}
	}
	comma := l.comma(l.Columns[i])
	whole := cells
	if d >= 0 {
		whole = dates
	}
	order, unsure := orderOf(whole)
	best, most := Seconds, 0
	for _, f := range []TimeFormat{RFC3339, DateTime, Elapsed, ClockTime, Seconds} {
		p := times{format: f, comma: comma, order: order}
		n := 0
		for _, c := range cells {
			if _, ok := p.parse([]byte(c), nil); ok {
				n++
			}
		}
		if n > most {
			best, most = f, n
		}
	}
	switch {
	case best == Elapsed && (d >= 0 || isClock(cells, header)):
		best = ClockTime
	case best == Seconds:
		best = numberTime(cells, header, comma)
	}
	l.DateOrder, l.DateUnsure = "", false
	if best == DateTime || best == ClockTime && d >= 0 {
		l.DateOrder, l.DateUnsure = string(order), unsure
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

// What a header of times says of their unit.
var (
	millisecondsIn = regexp.MustCompile(`\bms\b|millisec|_ms\b|msec`)
	secondsIn      = regexp.MustCompile(`\bs\b|\bsec`)
	minutesIn      = regexp.MustCompile(`\bmin`)
	hoursIn        = regexp.MustCompile(
		`\bh\b|\bhrs?\b|\bhours?\b|\b(stunden|heures|horas|ore|uren|timmar|timer|tunnit)\b`,
	)
)

// No session lasts five hours: seconds that begin later count from midnight, and so much of a day holds all of it.
const (
	clockFromS  = 5 * 3600
	longestDays = 5.0 / 24
)

// numberTime tells seconds, minutes, milliseconds, times of day and epochs apart.
func numberTime(cells []string, header string, comma bool) TimeFormat {
	first, last, top := math.NaN(), math.NaN(), 0.0
	for _, c := range cells {
		if v, ok := parseNumber([]byte(c), comma); ok && !math.IsNaN(v) {
			if math.IsNaN(first) {
				first = v
			}
			last, top = v, math.Max(top, v)
		}
	}
	switch {
	case first > 20_000 && last < 80_000 && math.Abs(last-first) < 3 && last != first &&
		(strings.Contains(header, "date") || math.Trunc(first) != first && math.Abs(last-first) < 1):
		return SerialDate
	case first > 1e12:
		return EpochMS
	case first > 1e9:
		return EpochS
	case millisecondsIn.MatchString(header):
		return Milliseconds
	case minutesIn.MatchString(header):
		return Minutes
	case hoursIn.MatchString(header):
		return Hours
	case top < 1 && first > 0 && last > first && last-first < longestDays && !secondsIn.MatchString(header):
		return SerialDate // a time of day, as a spreadsheet keeps it
	case last-first > 1e5 && len(cells) < 5000:
		return Milliseconds
	case first >= clockFromS && top < 86400 && !strings.Contains(header, "elapsed"):
		return Midnight
	}
	return Seconds
}
