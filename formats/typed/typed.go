// Package typed reads notes as a tester types them, one reading a line:
//
//	0:00 plug-in
//	3:10 12% 118kW 21C
//	399V 250A 5:02 15 %
//	21:50 fans at full
//
// One word of each line is the time: minutes and seconds since the start, or
// hours, minutes and seconds. Numbers carry their units, in any order. A line
// with words instead of numbers is a mark. Empty lines and lines that begin with
// # are passed over.
package typed

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
)

// Line is what one line was understood as.
type Line struct {
	Number int // from 1
	Text   string
	Empty  bool

	TS      float64 // seconds as written, before times of day are counted from the first
	Values  map[trace.Channel]float64
	Mark    *run.Mark
	Problem string // one sentence; empty for a good line
}

// Notes is a whole text of typed readings.
type Notes struct {
	Lines     []Line
	Recording *trace.Recording // the readings, in the order typed
	Marks     []run.Mark
	ClockTime bool    // times are of day; TS of recording and marks count from the first
	FirstS    float64 // that first time of day, in seconds since midnight
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

// ErrNoReadings is returned, wrapped, for a text without a single reading.
var ErrNoReadings = errors.New("no typed readings")

// Parse reads a text. Lines that are not understood are left out and say why.
// The error is ErrNoReadings where not one line is a reading; the notes are
// returned with it.
func Parse(text, name string, side trace.Side) (*Notes, error) {
	n := &Notes{Recording: &trace.Recording{Name: name, Side: side, Columns: map[trace.Channel][]float64{}}}
	text = strings.TrimPrefix(text, "\ufeff")
	for i, s := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		n.Lines = append(n.Lines, ParseLine(s, i+1))
	}
	n.settleClock()
	for _, l := range n.Lines {
		switch {
		case l.Empty || l.Problem != "":
		case l.Mark != nil:
			m := *l.Mark
			m.TS = l.TS
			n.Marks = append(n.Marks, m)
		}
		if l.Problem == "" && len(l.Values) > 0 {
			n.add(l)
		}
	}
	if n.Recording.Len() == 0 {
		return n, fmt.Errorf("%s holds %w: expected lines such as 3:10 12%% 118kW 21C", name, ErrNoReadings)
	}
	return n, nil
}

// add appends a reading, NaN for channels it does not have.
func (n *Notes) add(l Line) {
	rec := n.Recording
	rec.T = append(rec.T, l.TS)
	for c := range l.Values {
		if rec.Columns[c] == nil {
			rec.Columns[c] = nans(len(rec.T) - 1)
		}
	}
	for c, col := range rec.Columns {
		v, ok := l.Values[c]
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

// clockFromS is the time from which h:mm:ss must be a time of day: no run has
// lasted five hours.
const clockFromS = 5 * 3600

// settleClock counts times of day from the first of them, past midnight too.
func (n *Notes) settleClock() {
	first, last, days := math.NaN(), 0.0, 0.0
	for i := range n.Lines {
		l := &n.Lines[i]
		if l.Empty || l.Problem != "" {
			continue
		}
		if math.IsNaN(first) {
			first, last = l.TS, l.TS
			n.ClockTime = l.TS >= clockFromS
		}
		if !n.ClockTime {
			continue
		}
		if l.TS < last-43200 {
			days++
		}
		last = l.TS
		l.TS += days*86400 - first
	}
	if n.ClockTime {
		n.FirstS = first
	}
}

var (
	timeWord = regexp.MustCompile(`^-?\d+(:\d{1,2}){1,2}([.,]\d+)?$`)
	number   = regexp.MustCompile(`^([+-]?\d+(?:[.,]\d+)?)\s*(.*)$`)
)

// unitChannel gives the channel and the unit that a typed unit stands for. A
// degree sign is optional; min and max go before the number of a temperature.
var unitChannel = map[string]struct {
	channel trace.Channel
	unit    string
}{
	"%": {trace.SoC, "%"}, "pct": {trace.SoC, "%"},
	"kw": {trace.Power, "kW"}, "w": {trace.Power, "W"},
	"a": {trace.Current, "A"}, "v": {trace.Voltage, "V"},
	"c": {trace.BatteryTemp, "°C"}, "°c": {trace.BatteryTemp, "°C"}, "°": {trace.BatteryTemp, "°C"},
	"f": {trace.BatteryTemp, "°F"}, "°f": {trace.BatteryTemp, "°F"},
	"kwh": {trace.Energy, "kWh"},
}

// prefixes turn a temperature into another channel: "min 19C", "out 4C".
var prefixes = map[string]trace.Channel{
	"min": trace.BatteryTempMin, "max": trace.BatteryTempMax, "cell": trace.BatteryTemp, "battery": trace.BatteryTemp,
	"inlet": trace.InletTemp, "out": trace.AmbientTemp, "outside": trace.AmbientTemp, "ambient": trace.AmbientTemp,
}

// ParseLine reads one line; number is its place in the text.
func ParseLine(text string, number int) Line {
	l := Line{Number: number, Text: text, TS: math.NaN(), Values: map[trace.Channel]float64{}}
	if s := strings.TrimSpace(text); s == "" || strings.HasPrefix(s, "#") {
		l.Empty = true
		return l
	}
	var rest []string
	prefix := trace.Channel("")
	for _, w := range joinUnits(strings.Fields(strings.ReplaceAll(text, ";", " "))) {
		bare := strings.TrimRight(w, ",")
		switch {
		case timeWord.MatchString(bare) && math.IsNaN(l.TS):
			ts, ok := words.ParseClock(bare, false)
			if !ok {
				l.Problem = fmt.Sprintf("%q is no time, expected minutes and seconds such as 3:10", bare)
				return l
			}
			l.TS = ts
		case numeric(bare):
			c, v, problem := value(bare, prefix)
			if problem != "" {
				l.Problem = problem
				return l
			}
			if _, twice := l.Values[c]; twice {
				in, _ := trace.Describe(c)
				l.Problem = fmt.Sprintf("%s stands there twice", in.Name)
				return l
			}
			l.Values[c] = v
			prefix = ""
		default:
			if c, ok := prefixes[strings.ToLower(bare)]; ok {
				prefix = c
			} else {
				rest = append(rest, w)
			}
		}
	}
	return l.conclude(rest)
}

// conclude says what a line is once its words are sorted.
func (l Line) conclude(rest []string) Line {
	note := strings.Join(rest, " ")
	switch {
	case math.IsNaN(l.TS):
		l.Problem = "no time: begin with minutes and seconds, such as 3:10"
	case len(l.Values) == 0 && note == "":
		l.Problem = "a time without a reading: expected such as 12% 118kW 21C"
	case note != "":
		l.Mark = mark(note)
	}
	return l
}

// joinUnits puts a number and the unit typed behind a space together.
func joinUnits(in []string) []string {
	var out []string
	for i := 0; i < len(in); i++ {
		w := in[i]
		if m := number.FindStringSubmatch(w); m != nil && m[2] == "" && i+1 < len(in) {
			if _, ok := unitChannel[strings.ToLower(strings.TrimRight(in[i+1], ","))]; ok {
				w += in[i+1]
				i++
			}
		}
		out = append(out, w)
	}
	return out
}

func numeric(w string) bool { return number.MatchString(w) }

// value reads a number with its unit.
func value(w string, prefix trace.Channel) (trace.Channel, float64, string) {
	m := number.FindStringSubmatch(w)
	if m[2] == "" {
		return "", 0, fmt.Sprintf("%s has no unit: write %s%%, %skW, %sC, %sA or %sV", w, w, w, w, w, w)
	}
	u, ok := unitChannel[strings.ToLower(m[2])]
	if !ok {
		return "", 0, fmt.Sprintf("%q: %s is no unit known here, expected %%, kW, C, F, A, V or kWh", w, m[2])
	}
	v, err := strconv.ParseFloat(strings.Replace(m[1], ",", ".", 1), 64)
	if err != nil {
		return "", 0, fmt.Sprintf("%q is no number", w)
	}
	c := u.channel
	if c == trace.BatteryTemp && prefix != "" {
		c = prefix
	}
	in, _ := trace.Describe(c)
	unit, _ := units.Find(in.Units, u.unit)
	v = unit.Convert(v)
	if v < in.Min || v > in.Max {
		return "", 0, fmt.Sprintf("%s: %s of %s %s, expected %g to %g", w, in.Name, words.Figure(v, 1), in.Unit, in.Min, in.Max)
	}
	return c, v, ""
}

// markWords tell the kind of a mark from its first words.
var markWords = []struct {
	match *regexp.Regexp
	kind  string
}{
	{regexp.MustCompile(`(?i)^(plug(ged)?[- ]?in|replug(ged)?)\b`), run.PlugIn},
	{regexp.MustCompile(`(?i)^un-?plug(ged)?\b`), run.Unplug},
	{regexp.MustCompile(`(?i)^(first[- ]power|power on)\b`), run.FirstPower},
	{regexp.MustCompile(`(?i)^stop(ped)?\b`), run.Stop},
	{regexp.MustCompile(`(?i)^(attempt|refused|failed)\b`), run.Attempt},
	{regexp.MustCompile(`(?i)^heater\b`), run.Heater},
	{regexp.MustCompile(`(?i)^(fans?|compressor)\b`), run.Fan},
	{regexp.MustCompile(`(?i)^neighbour\b`), run.Neighbour},
}

func mark(note string) *run.Mark {
	for _, w := range markWords {
		if at := w.match.FindStringIndex(note); at != nil {
			kept := note
			if at[1] == len(note) {
				kept = ""
			}
			return &run.Mark{Kind: w.kind, Note: kept}
		}
	}
	return &run.Mark{Kind: run.Note, Note: note}
}

// Say puts a line back into words, so that the tester sees what was understood.
func (l Line) Say() string {
	if l.Problem != "" {
		return l.Problem
	}
	parts := []string{words.Clock(l.TS)}
	for _, in := range trace.Channels {
		if v, ok := l.Values[in.Channel]; ok {
			parts = append(parts, strings.TrimSpace(in.Short+" "+words.Figure(v, 1)+" "+in.Unit))
		}
	}
	if l.Mark != nil {
		s := "mark: " + l.Mark.Kind
		if l.Mark.Note != "" {
			s += ", " + l.Mark.Note
		}
		parts = append(parts, s)
	}
	return strings.Join(parts, " · ")
}
