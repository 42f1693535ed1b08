package ui

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

// Fields reads a form: what was typed stays, and every fault stands at its field.
type Fields struct {
	Values url.Values
	Errors map[string]string
	Typed  bool // the values are as they were typed, in the units that the form named
}

// Shown is what stands in a field, and whether it is as it was typed: else it is in the unit that is kept.
func (f *Fields) Shown(name string) (value string, typed bool) { return f.Values.Get(name), f.Typed }

// NewFields reads a form, or fills one with what is stored.
func NewFields(v url.Values) *Fields {
	return &Fields{Values: v, Errors: map[string]string{}}
}

// OK tells whether nothing is wrong with what was read so far.
func (f *Fields) OK() bool { return len(f.Errors) == 0 }

// Fault says what is wrong with a field, in one sentence; the first that is said stays.
func (f *Fields) Fault(name, format string, args ...any) {
	if _, already := f.Errors[name]; !already {
		f.Errors[name] = fmt.Sprintf(format, args...)
	}
}

const maxText = 500

// Text reads one line of words.
func (f *Fields) Text(name string) string {
	s := strings.TrimSpace(f.Values.Get(name))
	if len([]rune(s)) > maxText {
		f.Fault(name, "Longer than %d characters.", maxText)
	}
	return words.Line(s)
}

// maxLong is how long a text of several lines may be.
const maxLong = 5000

// Long reads a text that may have several lines.
func (f *Fields) Long(name string) string {
	s := words.Prose(f.Values.Get(name))
	if len([]rune(s)) > maxLong {
		f.Fault(name, "Longer than %d characters.", maxLong)
	}
	return s
}

// Lines reads a text of several lines as a list, without empty ones.
func (f *Fields) Lines(name string) []string {
	var out []string
	for _, line := range strings.Split(f.Long(name), "\n") {
		if line = strings.TrimSpace(line); line != "" {
			out = append(out, line)
		}
	}
	return out
}

// Needed reads one line of words that may not be empty.
func (f *Fields) Needed(name, what string) string {
	s := f.Text(name)
	if s == "" {
		f.Fault(name, "%s is needed.", what)
	}
	return s
}

// Number reads an optional number; a decimal comma will do.
func (f *Fields) Number(name string, min, max float64) *float64 {
	return f.NumberIn(name, "", min, max)
}

// withUnit is a number with a unit behind it.
var withUnit = regexp.MustCompile(`^([-+]?[0-9.]+)\s*([^0-9.\s].*)$`)

// NumberIn is number for a quantity that is kept in a unit: the number is in the unit
// that the form's field showed, or in one that stands behind it (70F, 140 mi).
func (f *Fields) NumberIn(name, kept string, min, max float64) *float64 {
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
		f.Fault(name, "%q: expected a number from %g to %g.", f.Values.Get(name), units.Out(shown, kept, min),
			units.Out(shown, kept, max))
		return nil
	}
	return &v
}

// Ranged reads an optional number of a field of a run, by its path.
func (f *Fields) Ranged(name, path string) *float64 {
	in := run.MustField(path)
	return f.NumberIn(name, in.Unit, in.Min, in.Max)
}

// Measured reads an optional value of a channel.
func (f *Fields) Measured(name string, in trace.Info) *float64 {
	return f.NumberIn(name, in.Unit, in.Min, in.Max)
}

// Word reads one of some words, or nothing.
func (f *Fields) Word(name string, allowed []string) string {
	s := f.Values.Get(name)
	if s != "" && !slices.Contains(allowed, s) {
		f.Fault(name, "%q: expected one of %s.", s, strings.Join(allowed, ", "))
		return ""
	}
	return s
}

// ID reads an optional choice of something with a number.
func (f *Fields) ID(name string) *int64 {
	s := f.Values.Get(name)
	if s == "" {
		return nil
	}
	id, err := strconv.ParseInt(s, 10, 64)
	if err != nil || id < 1 {
		f.Fault(name, "%q: choose one of the list.", s)
		return nil
	}
	return &id
}

// Zone reads a time zone; empty is UTC.
func (f *Fields) Zone(name string) (string, *time.Location) {
	s := f.Text(name)
	loc, err := time.LoadLocation(s)
	if err != nil || s == "Local" {
		f.Fault(name, "%q: expected a time zone such as Europe/Lisbon.", s)
		return "", time.UTC
	}
	return s, loc
}

// InputTime is how a browser's date-and-time field writes.
const InputTime = "2006-01-02T15:04"

// Moment reads an optional date and time in a zone.
func (f *Fields) Moment(name string, loc *time.Location) *time.Time {
	s := strings.TrimSpace(f.Values.Get(name))
	if s == "" {
		return nil
	}
	for _, layout := range []string{InputTime + ":05", InputTime} {
		if t, err := time.ParseInLocation(layout, s, loc); err == nil {
			t = t.UTC()
			return &t
		}
	}
	f.Fault(name, "%q: expected a date and time such as 2026-02-03T18:20.", s)
	return nil
}

// Minutes reads a time within a run, m:ss or h:mm:ss or seconds.
func (f *Fields) Minutes(name string) float64 {
	typed := strings.TrimSpace(f.Values.Get(name))
	v, ok := words.ParseClock(typed, false)
	if !ok && !strings.Contains(typed, ":") {
		seconds, err := strconv.ParseFloat(strings.ReplaceAll(typed, "−", "-"), 64)
		v, ok = seconds, err == nil
	}
	if !ok || math.IsNaN(v) || math.Abs(v) > 1e6 {
		f.Fault(name, "%q: expected minutes and seconds such as 12:30.", typed)
		return 0
	}
	return v
}

// Window reads the two ends of a window, which must be in order.
func (f *Fields) Window() (from, to *float64) {
	from, to = f.Ranged("from_pct", "method.from_pct"), f.Ranged("to_pct", "method.to_pct")
	if from != nil && to != nil && *from >= *to {
		f.Fault("to_pct", "%s: expected more than the start, %s.", words.Figure(*to, 1), words.Figure(*from, 1))
	}
	return from, to
}
