// Package csvlog reads charging logs kept as tables of text: Zinc Road's own CSV
// files, and the wide tables that logger apps and spreadsheets write.
//
// A table has one header row (lines before it are skipped), one column of times
// and one column for each channel:
//
//	t_s,soc_pct,power_kw
//	0,10.0,0
//	1,10.0,12.5
//
// Guess looks at a file and proposes a Layout, Read reads it with that layout.
// A row that cannot be read is left out and reported with its line and reason.
package csvlog

import (
	"errors"
	"fmt"
	"strings"

	"zincroad/core/trace"
	"zincroad/core/units"
)

// Columns that are no channel: times, and dates beside times of day.
const (
	TimeColumn trace.Channel = "time"
	DateColumn trace.Channel = "date"
)

// TimeFormat says how times are written.
type TimeFormat string

// The ways of writing times.
const (
	Seconds      TimeFormat = "seconds"      // 90.5
	Minutes      TimeFormat = "minutes"      // 1.508
	Hours        TimeFormat = "hours"        // 0.025
	Milliseconds TimeFormat = "milliseconds" // 90500
	Elapsed      TimeFormat = "elapsed"      // 1:30 or 0:01:30, minutes or hours first
	ClockTime    TimeFormat = "clock"        // 18:24:10 or 18:24, passing midnight
	RFC3339      TimeFormat = "rfc3339"      // 2026-02-03T18:24:10Z
	DateTime     TimeFormat = "date-time"    // 2026-02-03 18:24:10 or 03.02.2026 18:24, without a zone
	EpochS       TimeFormat = "epoch-s"      // 1770142800
	EpochMS      TimeFormat = "epoch-ms"     // 1770142800000
	SerialDate   TimeFormat = "serial"       // 46056.766782, days as spreadsheets count them; 0.766782, a time of day
	Midnight     TimeFormat = "midnight"     // 66250, seconds since midnight
)

// TimeFormats lists them with an example each, for menus.
var TimeFormats = []struct {
	Format  TimeFormat
	Example string
}{
	{Seconds, "seconds, 90.5"}, {Minutes, "minutes, 1.508"}, {Milliseconds, "milliseconds, 90500"},
	{Hours, "hours, 0.025"},
	{Elapsed, "elapsed, 1:30 or 0:01:30"}, {ClockTime, "time of day, 18:24:10"},
	{RFC3339, "date, time and zone, 2026-02-03T18:24:10Z"},
	{DateTime, "date and time, 2026-02-03 18:24:10"},
	{EpochS, "seconds since 1970"}, {EpochMS, "milliseconds since 1970"},
	{SerialDate, "days as spreadsheets count them, 46056.7668"},
	{Midnight, "seconds since midnight, 66250"},
}

// Layout says how a table is to be read.
type Layout struct {
	Delimiter    string     `json:"delimiter"` // one character
	DecimalComma bool       `json:"decimal_comma"`
	HeaderLine   int        `json:"header_line"` // counted from 1
	Time         TimeFormat `json:"time"`
	Columns      []Column   `json:"columns"` // one for each column of the table
	Canonical    bool       `json:"canonical"`
	Encoding     string     `json:"encoding"` // utf-8, utf-16 or windows-1252

	// CR tells that lines end with a carriage return alone.
	CR bool `json:"cr,omitempty"`

	// Sheet is the sheet of a workbook that the table stands in; empty: no workbook.
	Sheet string `json:"sheet,omitempty"`

	// DataLine is the first line of readings where lines of units or of further names stand
	// below HeaderLine; 0: the line behind it.
	DataLine int `json:"data_line,omitempty"`

	// DateOrder is day-first or month-first, for dates with slashes or points. DateUnsure tells
	// that both fit: a person should say which.
	DateOrder  string `json:"date_order,omitempty"`
	DateUnsure bool   `json:"date_unsure,omitempty"`

	// Long is where name, value and unit stand in a table with one value a row; nil for a table
	// with a column for each channel. Columns are then the time and the names that were seen.
	Long *Long `json:"long,omitempty"`

	part bool // one side of a table that holds both: any channel will do
}

// Long says which fields of a row hold what, counted from 0; Unit is -1 where none does.
type Long struct {
	Time  int `json:"time"`
	Name  int `json:"name"`
	Value int `json:"value"`
	Unit  int `json:"unit"`
	Width int `json:"width"` // fields in a row
}

// Column is what one column of the table holds.
type Column struct {
	Header  string        `json:"header"`
	Channel trace.Channel `json:"channel"` // TimeColumn, a channel, or empty: left out
	Unit    string        `json:"unit"`    // name of the unit it is written in
	Negate  bool          `json:"negate"`  // written with the opposite sign

	// Side is whose reading it is, where one table holds both sides'; empty: the table's.
	Side trace.Side `json:"side,omitempty"`

	// Decimal is the mark before decimals where the column has another than the table, "." or
	// ","; the other one then stands between thousands.
	Decimal string `json:"decimal,omitempty"`

	twin bool // left out because another column says the same
}

// Shape is what tells a table's header from another's: the names of its columns.
func (l *Layout) Shape() string {
	names := make([]string, len(l.Columns))
	for i, c := range l.Columns {
		names[i] = plain(c.Header)
	}
	return strings.Join(names, "\x1f")
}

// As gives the layout with its columns read as those of one with the same shape were, and its times
// in the same format and order of dates.
func (l Layout) As(was Layout) Layout {
	if len(was.Columns) != len(l.Columns) {
		return l
	}
	columns := make([]Column, len(l.Columns))
	for i, c := range was.Columns {
		columns[i] = l.Columns[i]
		columns[i].Channel, columns[i].Unit, columns[i].Negate, columns[i].Side = c.Channel, c.Unit, c.Negate, c.Side
	}
	l.Columns, l.Time = columns, was.Time
	if was.DateOrder != "" && !was.DateUnsure {
		l.DateOrder, l.DateUnsure = was.DateOrder, false
	}
	return l
}

// comma tells whether a column's decimals stand behind a comma.
func (l *Layout) comma(c Column) bool {
	if c.Decimal == "" {
		return l.DecimalComma
	}
	return c.Decimal == commaMark
}

// dataLine is the first line that may hold a reading.
func (l *Layout) dataLine() int { return max(l.DataLine, l.HeaderLine+1) }

// Sides splits the layout of a table that holds both sides' readings into one for each side, the
// table's own first; columns that name no side are its own. A table of one side gives itself.
func (l Layout) Sides(own trace.Side) map[trace.Side]Layout {
	other := trace.StallSide
	if own == trace.StallSide {
		other = trace.CarSide
	}
	two := false
	for _, c := range l.Columns {
		two = two || c.Channel != "" && c.Side == other
	}
	if !two {
		return map[trace.Side]Layout{own: l}
	}
	out := map[trace.Side]Layout{}
	for _, side := range []trace.Side{own, other} {
		part := l
		part.Columns = make([]Column, len(l.Columns))
		for i, c := range l.Columns {
			timed := c.Channel == TimeColumn || c.Channel == DateColumn
			if !timed && c.Side != side && !(c.Side == "" && side == own) {
				c.Channel = ""
			}
			c.Side = ""
			part.Columns[i] = c
		}
		part.Canonical, part.part = false, true
		if len(part.channels()) > 0 {
			out[side] = part
		}
	}
	return out
}

// channels lists what is read besides times.
func (l *Layout) channels() (out []trace.Channel) {
	for _, c := range l.Columns {
		if _, ok := trace.Describe(c.Channel); ok {
			out = append(out, c.Channel)
		}
	}
	return out
}

// Find gives the index of the column that holds a channel, -1 where none does.
func (l *Layout) Find(c trace.Channel) int {
	for i, col := range l.Columns {
		if col.Channel == c {
			return i
		}
	}
	return -1
}

// ErrNotALog is what Guess and Read return, wrapped, for a file that holds no
// charging log.
var ErrNotALog = errors.New("no charging log")

// Check tells in one sentence what keeps a layout from being read.
func (l *Layout) Check() error {
	seen := map[trace.Channel]string{}
	sided := map[trace.Channel]map[trace.Side]string{}
	for _, c := range l.Columns {
		if c.Channel == "" {
			continue
		}
		if sided[c.Channel] == nil {
			sided[c.Channel] = map[trace.Side]string{}
		}
		if other, twice := sided[c.Channel][c.Side]; twice {
			return fmt.Errorf("columns %q and %q are both read as %s: choose one of them", other, c.Header, c.Channel)
		}
		seen[c.Channel], sided[c.Channel][c.Side] = c.Header, c.Header
		if in, ok := trace.Describe(c.Channel); ok {
			if _, ok := units.Find(in.Units, c.Unit); !ok {
				return fmt.Errorf("column %q: %q is no unit of %s, expected one of %s", c.Header, c.Unit, in.Name, unitNames(in))
			}
		} else if c.Channel != TimeColumn && c.Channel != DateColumn {
			return fmt.Errorf("column %q: %q is no channel", c.Header, c.Channel)
		}
	}
	if _, ok := seen[TimeColumn]; !ok {
		return errors.New("no column is read as time: choose one")
	}
	_, soc := seen[trace.SoC]
	_, power := seen[trace.Power]
	_, volts := seen[trace.Voltage]
	_, amps := seen[trace.Current]
	if !l.Canonical && !l.part && !soc && !power && !(volts && amps) {
		return errors.New("no column is read as state of charge, as power, or as volts and amps: choose at least one")
	}
	return nil
}

func unitNames(in trace.Info) string {
	s := ""
	for i, u := range in.Units {
		if i > 0 {
			s += ", "
		}
		s += u.Name
	}
	return s
}

// Fault is one thing wrong with a file, at a line counted from 1.
type Fault struct {
	File   string `json:"file"`
	Line   int    `json:"line"`
	Reason string `json:"reason"`
}

// Error gives "file:line: reason".
func (f Fault) Error() string {
	if f.Line == 0 {
		return f.File + ": " + f.Reason
	}
	return fmt.Sprintf("%s:%d: %s", f.File, f.Line, f.Reason)
}
