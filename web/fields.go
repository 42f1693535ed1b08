package web

import (
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
)

// fields reads a form: what was typed stays, and every fault stands at its field.
type fields struct {
	Values url.Values
	Errors map[string]string
	Typed  bool // the values are as they were typed, in the units that the form named
}

func newFields(v url.Values) *fields {
	return &fields{Values: v, Errors: map[string]string{}}
}

func (f *fields) ok() bool { return len(f.Errors) == 0 }

func (f *fields) fault(name, format string, args ...any) {
	if _, already := f.Errors[name]; !already {
		f.Errors[name] = fmt.Sprintf(format, args...)
	}
}

const maxText = 500

// text reads one line of words.
func (f *fields) text(name string) string {
	s := strings.TrimSpace(f.Values.Get(name))
	if len([]rune(s)) > maxText {
		f.fault(name, "Longer than %d characters.", maxText)
	}
	return strings.ReplaceAll(strings.ToValidUTF8(s, ""), "\x00", "")
}

// maxLong is how long a text of several lines may be.
const maxLong = 5000

// long reads a text that may have several lines.
func (f *fields) long(name string) string {
	s := strings.TrimSpace(strings.ReplaceAll(f.Values.Get(name), "\r", ""))
	if len([]rune(s)) > maxLong {
		f.fault(name, "Longer than %d characters.", maxLong)
	}
	return strings.ReplaceAll(strings.ToValidUTF8(s, ""), "\x00", "")
}

// lines reads a text of several lines as a list, without empty ones.
func (f *fields) lines(name string) []string {
	var out []string
	for _, line := range strings.Split(f.long(name), "\n") {
		if line = strings.TrimSpace(line); line != "" {
			out = append(out, line)
		}
	}
	return out
}

// needed reads one line of words that may not be empty.
func (f *fields) needed(name, what string) string {
	s := f.text(name)
	if s == "" {
		f.fault(name, "%s is needed.", what)
	}
	return s
}

// number reads an optional number; a decimal comma will do.
func (f *fields) number(name string, min, max float64) *float64 {
	return f.numberIn(name, "", min, max)
}

// withUnit is a number with a unit behind it.
var withUnit = regexp.MustCompile(`^([-+]?[0-9.]+)\s*([^0-9.\s].*)$`)

// numberIn is number for a quantity that is kept in a unit: the number is in the unit
// that the form's field showed, or in one that stands behind it (70F, 140 mi).
func (f *fields) numberIn(name, kept string, min, max float64) *float64 {
	s := strings.ReplaceAll(strings.TrimSpace(strings.ReplaceAll(f.Values.Get(name), "−", "-")), ",", ".")
	if s == "" {
		return nil
	}
	unit := f.Values.Get(name + "__unit")
	if unit == "" {
		unit = kept
	}
	if was := f.Values.Get(name + "__kept"); was != "" && s != "" {
		// Shown in the reader's unit it is rounded: left as it was shown it is what it was.
		p := units.People{Fahrenheit: unit == "°F", Miles: unit != kept && unit != "°F"}
		if v, err := strconv.ParseFloat(was, 64); err == nil && unit != kept && s == inField(was, kept, p) &&
			v >= min && v <= max {
			return &v
		}
	}
	shown := unit
	if _, err := strconv.ParseFloat(s, 64); err == nil {
		// a number alone, 1e3 too
	} else if m := withUnit.FindStringSubmatch(s); m != nil {
		s, unit = m[1], strings.TrimSpace(m[2])
		if known, ok := units.Written(unit); ok {
			unit = known
		} else if strings.EqualFold(unit, kept) {
			unit = kept
		}
	}
	typed, err := strconv.ParseFloat(s, 64)
	v, same := units.In(unit, kept, typed)
	if err != nil || !same || math.IsNaN(v) || v < min || v > max {
		f.fault(name, "%q: expected a number from %g to %g.", f.Values.Get(name), units.Out(shown, kept, min),
			units.Out(shown, kept, max))
		return nil
	}
	return &v
}

// ranged reads an optional number of a field of a run, by its path.
func (f *fields) ranged(name, path string) *float64 {
	in := run.MustField(path)
	return f.numberIn(name, in.Unit, in.Min, in.Max)
}

// measured reads an optional value of a channel.
func (f *fields) measured(name string, in trace.Info) *float64 {
	return f.numberIn(name, in.Unit, in.Min, in.Max)
}

// word reads one of some words, or nothing.
func (f *fields) word(name string, allowed []string) string {
	s := f.Values.Get(name)
	if s != "" && !slices.Contains(allowed, s) {
		f.fault(name, "%q: expected one of %s.", s, strings.Join(allowed, ", "))
		return ""
	}
	return s
}

// id reads an optional choice of something with a number.
func (f *fields) id(name string) *int64 {
	s := f.Values.Get(name)
	if s == "" {
		return nil
	}
	id, err := strconv.ParseInt(s, 10, 64)
	if err != nil || id < 1 {
		f.fault(name, "%q: choose one of the list.", s)
		return nil
	}
	return &id
}

// zone reads a time zone; empty is UTC.
func (f *fields) zone(name string) (string, *time.Location) {
	s := f.text(name)
	loc, err := time.LoadLocation(s)
	if err != nil || s == "Local" {
		f.fault(name, "%q: expected a time zone such as Europe/Lisbon.", s)
		return "", time.UTC
	}
	return s, loc
}

// inputTime is how a browser's date-and-time field writes.
const inputTime = "2006-01-02T15:04"

// moment reads an optional date and time in a zone.
func (f *fields) moment(name string, loc *time.Location) *time.Time {
	s := strings.TrimSpace(f.Values.Get(name))
	if s == "" {
		return nil
	}
	for _, layout := range []string{inputTime + ":05", inputTime} {
		if t, err := time.ParseInLocation(layout, s, loc); err == nil {
			t = t.UTC()
			return &t
		}
	}
	f.fault(name, "%q: expected a date and time such as 2026-02-03T18:20.", s)
	return nil
}

// minutes reads a time within a run, m:ss or h:mm:ss or seconds.
func (f *fields) minutes(name string) float64 {
	typed := strings.TrimSpace(f.Values.Get(name))
	v, ok := words.ParseClock(typed, false)
	if !ok && !strings.Contains(typed, ":") {
		seconds, err := strconv.ParseFloat(strings.ReplaceAll(typed, "−", "-"), 64)
		v, ok = seconds, err == nil
	}
	if !ok || math.IsNaN(v) || math.Abs(v) > 1e6 {
		f.fault(name, "%q: expected minutes and seconds such as 12:30.", typed)
		return 0
	}
	return v
}

// window reads the two ends of a window, which must be in order.
func (f *fields) window() (from, to *float64) {
	from, to = f.ranged("from_pct", "method.from_pct"), f.ranged("to_pct", "method.to_pct")
	if from != nil && to != nil && *from >= *to {
		f.fault("to_pct", "%s: expected more than the start, %s.", words.Figure(*to, 1), words.Figure(*from, 1))
	}
	return from, to
}
