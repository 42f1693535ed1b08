// Package typed reads notes as a tester types them, one reading a line:
//
//	0:00 plug-in
//	3:10 12% 118kW 21C
//	399V 250A 5:02 15 %
//	21:50 fans at full
//
// One word of each line is the time: minutes and seconds since the start, hours,
// minutes and seconds, or a time of day (18:31, 5:12 PM); which of them is settled
// for the whole text. Two times, 0:40-3:17, are a level held from one to the other.
// Numbers carry their units, in any order; behind "car" or "stall" they are of that side. A line with words instead of
// numbers is a mark. A line may say of the film that the times are read off when it starts, how fast it runs, what is
// cut out and where it stands: clip 0:30, speed 8, cut 12:10-15:40, freeze 5:00-5:20. A line that begins with " has the
// time of the one above. Empty lines and lines that begin with # are passed over.
package typed

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"strings"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// Line is what one line was understood as.
type Line struct {
	Number int // from 1
	Text   string
	Empty  bool

	TS      float64 // in s: as minutes and seconds for a line alone, as settled for the text
	ToTS    float64 // until when the values held; NaN for a moment
	Values  map[trace.Channel]float64
	Beside  map[trace.Side]map[trace.Channel]float64 // what it says is of a side: car 119kW stall 122kW
	ToPct   float64                                  // the charge at the end of a level; NaN where it says none
	Mark    *run.Mark
	Problem string // one sentence; empty for a good line
	Clip    string // what it says of the film; empty for other lines

	from, to clock // the times as they stand there
}

// value gives what a line says of a channel, whosever it is.
func (l *Line) value(c trace.Channel) (float64, bool) {
	for _, values := range []map[trace.Channel]float64{l.Values, l.Beside[trace.StallSide], l.Beside[trace.CarSide]} {
		if v, ok := values[c]; ok {
			return v, true
		}
	}
	return 0, false
}

// Notes is a whole text of typed readings.
type Notes struct {
	Lines     []Line
	Recording *trace.Recording // the readings, in the order typed
	Other     *trace.Recording // those that the text says are of the other side; nil where none are
	Marks     []run.Mark
	ClockTime bool    // times are of day; TS of recording and marks count from the first
	FirstS    float64 // that first time of day, in seconds since midnight
	Times     Times   // what the times were taken for
	Ambiguous bool    // they could be the other as well
}

// Problems counts the lines that were not understood.
func (n *Notes) Problems() int {
	c := 0
	for _, l := range n.Lines {
		if l.Problem != "" {
			c++
		}
	}
	return c
}

// MostlyTimed tells whether most lines name a time, as notes do and a letter does not.
func (n *Notes) MostlyTimed() bool {
	timed, all := 0, 0
	for _, l := range n.Lines {
		if l.from.parts > 0 {
			timed++
		}
		if !l.Empty {
			all++
		}
	}
	return 2*timed > all
}

// ErrNoReadings is returned, wrapped, for a text without a single reading.
var ErrNoReadings = errors.New("no typed readings")

// Parse reads a text. Lines that are not understood are left out and say why.
// The error is ErrNoReadings where not one line is a reading; the notes are
// returned with it.
//
// Whether 18:31 is minutes and seconds or hours and minutes is decided for the whole
// text by what a charging session can be; ParseAs is told.
func Parse(text, name string, side trace.Side) (*Notes, error) {
	return ParseAs("", text, name, side)
}

// ParseAs is Parse with the meaning of two-part times given; an empty one is settled.
func ParseAs(as Times, text, name string, side trace.Side) (*Notes, error) {
	n := &Notes{Recording: newRecording(name, side)}
	text = strings.TrimPrefix(text, "\ufeff")
	var film clip
	var above clock
	for i, s := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		if said, problem, ok := film.line(s); ok {
			n.Lines = append(n.Lines, Line{Number: i + 1, Text: s, Clip: said, Problem: problem, Empty: problem == "",
				TS: math.NaN(), ToTS: math.NaN()})
			continue
		}
		l := ParseLine(sameTime(s, above), i+1)
		l.Text = s
		if l.from.parts > 0 {
			above = l.from
		}
		n.Lines = append(n.Lines, l)
	}
	if film.any && as == "" {
		as = MinutesSeconds // a film's own
	}
	n.placeTimes(as)
	n.unroll(&film)
	for _, l := range n.Lines {
		switch {
		case l.Empty || l.Problem != "":
		case l.Mark != nil:
			m := *l.Mark
			m.TS = l.TS
			n.Marks = append(n.Marks, m)
		}
		if l.Problem == "" {
			n.take(l)
		}
	}
	if n.Recording.Len() == 0 {
		n.Recording, n.Other = n.Other, nil
	}
	if n.Recording == nil {
		n.Recording = newRecording(name, side)
		return n, fmt.Errorf("%s holds %w: expected lines such as 3:10 12%% 118kW 21C", name, ErrNoReadings)
	}
	return n, nil
}

func newRecording(name string, side trace.Side) *trace.Recording {
	return &trace.Recording{Name: name, Side: side, Columns: map[trace.Channel][]float64{}}
}

// take appends what a line says to the recording of each side, a level at both of its ends. Charge and a register move
// while a level holds: they are those of its beginning, but for a charge that it names for its end.
func (n *Notes) take(l Line) {
	own := l.Values
	for side, values := range l.Beside {
		if side == n.Recording.Side {
			own = maps.Clone(own)
			maps.Copy(own, values)
			continue
		}
		if n.Other == nil {
			n.Other = newRecording(n.Recording.Name, side)
		}
		addLevel(n.Other, l, values)
	}
	addLevel(n.Recording, l, own)
}

func addLevel(rec *trace.Recording, l Line, values map[trace.Channel]float64) {
	if len(values) == 0 {
		return
	}
	add(rec, l.TS, values)
	if math.IsNaN(l.ToTS) {
		return
	}
	end := maps.Clone(values)
	delete(end, trace.Energy)
	if delete(end, trace.SoC); !math.IsNaN(l.ToPct) {
		end[trace.SoC] = l.ToPct
	}
	if len(end) > 0 {
		add(rec, l.ToTS, end)
	}
}

// add appends a reading, NaN for channels it does not have.
func add(rec *trace.Recording, at float64, values map[trace.Channel]float64) {
	rec.T = append(rec.T, at)
	for c := range values {
		if rec.Columns[c] == nil {
			rec.Columns[c] = nans(len(rec.T) - 1)
		}
	}
	for c, col := range rec.Columns {
		v, ok := values[c]
		if !ok {
			v = math.NaN()
		}
		rec.Columns[c] = append(col, v)
	}
}

func nans(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = math.NaN()
	}
	return out
}
