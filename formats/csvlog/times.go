package csvlog

import (
	"bytes"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"zincroad/core/trace"
	"zincroad/core/words"
)

// serialZero is day 0 of the serial dates that spreadsheets count (ECMA-376 part 1, 18.17.4.1,
// the 1900 system, from memory; right from March 1900 on).
var serialZero = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)

// times turns the cells of the time column into seconds. Absolute times count
// from origin, or from the first of them when it is zero; times of day count from
// the first and may pass midnight.
type times struct {
	format TimeFormat
	order  dateOrder
	comma  bool
	zone   *time.Location
	origin time.Time // of absolute times; set by the first one when zero

	followed bool // origin was set by the first one

	layout     string // of plain dates, once one fitted
	firstClock float64
	lastClock  float64
	days       float64
	anyClock   bool

	wall wallClock
}

// parse gives the seconds of a cell, false where it is no time of the format. date is the cell of
// a date column, empty where there is none.
func (p *times) parse(cell, date []byte) (float64, bool) {
	switch p.format {
	case Seconds:
		return p.number(cell, 1)
	case Minutes:
		return p.number(cell, 60)
	case Hours:
		return p.number(cell, 3600)
	case Milliseconds:
		return p.number(cell, 1e-3)
	case Elapsed:
		return elapsed(string(bytes.TrimSpace(cell)))
	case ClockTime:
		if day := dayOf(date); day != "" {
			if at, ok := p.absolute(day + " " + string(bytes.TrimSpace(cell))); ok {
				return at, true
			}
		}
		return p.clock(string(bytes.TrimSpace(cell)))
	case EpochS, EpochMS, SerialDate:
		return p.epoch(cell)
	case Midnight:
		v, ok := parseNumber(cell, p.comma)
		return p.ofDay(v, ok && v >= 0 && v < 86400)
	}
	return p.absolute(string(bytes.TrimSpace(cell)))
}

// dayOf gives the day of a cell of dates, without the midnight that spreadsheets write behind it.
func dayOf(date []byte) string {
	s := string(bytes.TrimSpace(date))
	if i := strings.IndexAny(s, " T"); i > 0 && strings.Contains(s[i:], ":") {
		s = s[:i]
	}
	return s
}

// elapsed reads m:ss and h:mm:ss, with days before them where they are written: 0 days 00:01:30.
func elapsed(s string) (float64, bool) {
	days := 0.0
	if m := withDays.FindStringSubmatch(s); m != nil {
		days, _ = strconv.ParseFloat(m[1], 64)
		s = m[2]
	}
	v, ok := words.ParseClock(s, false)
	return days*86400 + v, ok
}

var withDays = regexp.MustCompile(`^(\d{1,4})\s*(?:days?|d|[Tt]age?),?\s+(.+)$`)

func (p *times) number(cell []byte, factor float64) (float64, bool) {
	v, ok := parseNumber(cell, p.comma)
	return v * factor, ok && !math.IsNaN(v)
}

// epoch reads seconds since 1970, or thousandths, or days since 1900, as the layout says.
func (p *times) epoch(cell []byte) (float64, bool) {
	v, ok := parseNumber(cell, p.comma)
	if !ok || math.IsNaN(v) {
		return 0, false
	}
	if p.format == SerialDate {
		if v >= 0 && v < 1 { // a time of day without its date
			return p.ofDay(math.Round(v*86400e3)/1000, true)
		}
		if v < 1 || v > 110_000 {
			return 0, false
		}
		// A day's fraction has some 11 digits: a millisecond is the most that it holds.
		ms := math.Round(v * 86400e3)
		return p.since(serialZero.Add(time.Duration(ms)*time.Millisecond), true), true
	}
	if p.format == EpochMS {
		v /= 1000
	}
	if math.Abs(v) > trace.LongestTimeS {
		return 0, false
	}
	whole, frac := math.Modf(v)
	return p.since(time.Unix(int64(whole), int64(frac*1e9)), false), true
}

// since counts from the origin; wall tells that the time was read off a clock that summer time
// may set.
func (p *times) since(at time.Time, wall bool) float64 {
	if p.origin.IsZero() {
		p.origin, p.followed = at.UTC(), true
	}
	s := at.Sub(p.origin).Seconds()
	if wall {
		s = p.wall.take(s, float64(at.Hour()*3600+at.Minute()*60+at.Second()))
	}
	return s
}

// plainDates are read by the library, which is quicker, before parseDate is asked.
var plainDates = []string{"2006-01-02 15:04:05", "2006-01-02T15:04:05"}

// absolute reads a date with a time; in the layout's zone where it names none.
func (p *times) absolute(s string) (float64, bool) {
	if p.format == RFC3339 {
		at, err := time.Parse(time.RFC3339, strings.Replace(s, " ", "T", 1))
		return p.sinceIf(at, false, err == nil)
	}
	zone := p.zone
	if zone == nil {
		zone = time.UTC
	}
	for _, l := range plainDates {
		if p.layout == "" || p.layout == l {
			if at, err := time.ParseInLocation(l, s, zone); err == nil {
				p.layout = l
				return p.since(at, true), true
			}
		}
	}
	at, zoned, day, ok := parseDate(s, p.order, zone)
	return p.sinceIf(at, !zoned, ok && !day)
}

func (p *times) sinceIf(at time.Time, wall, ok bool) (float64, bool) {
	if !ok {
		return 0, false
	}
	return p.since(at, wall), true
}

// How far a log's first time of day may lie from the run's start to be counted from it: a drive there before,
// half an hour after. Beyond, the two clocks are not of one zone or not of one run (common practice, no source).
const (
	startsBeforeS = 3 * 3600
	startsAfterS  = 1800
)

// start is the time of day that times of day count from: that of the run's start where the first of them lies
// near to it, else the first.
func (p *times) start(first float64) float64 {
	if p.origin.IsZero() || p.zone == nil {
		return first
	}
	at := p.origin.In(p.zone)
	of := float64(at.Hour()*3600+at.Minute()*60+at.Second()) + float64(at.Nanosecond())/1e9
	by := math.Mod(first-of+1.5*86400, 86400) - 43200 // from half a day before to half a day after
	if by < -startsBeforeS || by > startsAfterS {
		return first
	}
	return first - by
}

// clock reads a time of day.
func (p *times) clock(s string) (float64, bool) { return p.ofDay(timeOfDay(s)) }

// ofDay puts a time of day, in seconds since midnight, behind those before; a step back by more than twelve hours is
// midnight.
func (p *times) ofDay(v float64, ok bool) (float64, bool) {
	if !ok {
		return 0, false
	}
	if !p.anyClock {
		p.anyClock, p.firstClock = true, p.start(v)
	} else if v < p.lastClock-43200 {
		p.days++
	} else if v > p.lastClock+43200 && p.days > 0 {
		p.days--
	}
	p.lastClock = v
	return p.wall.take(v+p.days*86400-p.firstClock, v), true
}

// timeOfDay reads a time of day in seconds: 18:24:10, 18:24, 6:24:10 PM, 18.24.10, 18h24.
func timeOfDay(s string) (float64, bool) {
	half := ""
	if low := strings.ToLower(strings.TrimSpace(strings.ReplaceAll(s, ".m", "m"))); strings.HasSuffix(
		strings.TrimRight(low, "."), "m") {
		low = strings.TrimRight(low, ".")
		if half = strings.TrimSpace(low[max(0, len(low)-2):]); half != "am" && half != "pm" {
			return 0, false
		}
		s = strings.TrimSpace(low[:len(low)-2])
	}
	if strings.Count(s, ".") == 2 && !strings.Contains(s, ":") {
		s = strings.ReplaceAll(s, ".", ":")
	}
	if strings.Count(s, ":") == 3 { // 18:20:00:125, thousandths behind a colon
		i := strings.LastIndexByte(s, ':')
		s = s[:i] + "." + s[i+1:]
	}
	v, ok := words.ParseClock(strings.Replace(s, "h", ":", 1), true)
	if !ok || v < 0 || v >= 86400 {
		return 0, false
	}
	if half != "" {
		if v < 3600 || v >= 13*3600 {
			return 0, false
		}
		v = math.Mod(v, 12*3600)
		if half == "pm" {
			v += 12 * 3600
		}
	}
	return v, true
}

// wallClock takes out what summer time does to a clock that is read without its zone: in autumn an
// hour comes twice, in spring one is left out.
type wallClock struct {
	any             bool
	last, lastOfDay float64 // as the clock showed them
	interval        float64 // the last one
	addS            float64
}

// How a change of the clock looks (common practice, no source): it goes back by an hour within a
// minute or two, which no log does that is in order; or it leaves out the hour from 1, 2 or 3
// o'clock on, with readings right up to it and right behind it.
const (
	hourS      = 3600
	backByS    = 300  // an hour back less the interval, which may be this long
	aroundHour = 3    // intervals on either side of the full hour
	atLeastS   = 2.0  // where readings come faster than this
	mostS      = 90.0 // and at most so far
)

// take gives a time without the changes; of is the time of day that was shown.
func (w *wallClock) take(s, ofDay float64) float64 {
	step := s - w.last
	switch {
	case !w.any:
	case step < -hourS/2 && step >= -hourS && step <= backByS-hourS:
		w.addS += hourS
	case step > hourS && w.interval > 0 && w.skipped(step, ofDay):
		w.addS -= hourS
	case step > 0:
		w.interval = step
	}
	w.any, w.last, w.lastOfDay = true, s, ofDay
	return s + w.addS
}

func (w *wallClock) skipped(step, ofDay float64) bool {
	near := math.Min(mostS, math.Max(atLeastS, aroundHour*w.interval))
	if step-hourS > near {
		return false
	}
	for _, h := range []float64{1, 2, 3} {
		if w.lastOfDay < h*hourS && w.lastOfDay >= h*hourS-near && ofDay >= (h+1)*hourS && ofDay <= (h+1)*hourS+near {
			return true
		}
	}
	return false
}
