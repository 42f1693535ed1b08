package csvlog

import (
	"bytes"
	"math"
	"strings"
	"time"

	"zincroad/core/trace"
	"zincroad/core/words"
)

// dateLayouts are the ways of writing a date and time without a zone. A date with
// slashes is read day first unless that cannot be.
var dateLayouts = []string{
	"2006-01-02 15:04:05", "2006-01-02T15:04:05", "2006-01-02 15:04",
	"2006/01/02 15:04:05", "2.1.2006 15:04:05", "2.1.2006 15:04",
	"2/1/2006 15:04:05", "2/1/2006 15:04", "1/2/2006 15:04:05", "1/2/2006 15:04",
	"2.1.06 15:04:05", "20060102T150405", "1/2/2006 3:04:05 PM", "2/1/2006 3:04:05 PM",
}

// times turns the cells of the time column into seconds. Absolute times count
// from origin, or from the first of them when it is zero; times of day count from
// the first and may pass midnight.
type times struct {
	format TimeFormat
	comma  bool
	zone   *time.Location
	origin time.Time // of absolute times; set by the first one when zero

	followed bool // origin was set by the first one

	layout     string // of DateTime, once one fitted
	firstClock float64
	lastClock  float64
	days       float64
	anyClock   bool
}

// parse gives the seconds of a cell, false where it is no time of the format.
func (p *times) parse(cell []byte) (float64, bool) {
	switch p.format {
	case Seconds:
		return p.number(cell, 1)
	case Minutes:
		return p.number(cell, 60)
	case Milliseconds:
		return p.number(cell, 1e-3)
	case Elapsed:
		return words.ParseClock(string(bytes.TrimSpace(cell)), false)
	case ClockTime:
		return p.clock(string(bytes.TrimSpace(cell)))
	case EpochS, EpochMS:
		return p.epoch(cell)
	}
	at, ok := p.absolute(string(bytes.TrimSpace(cell)))
	if !ok {
		return 0, false
	}
	return p.since(at), true
}

func (p *times) number(cell []byte, factor float64) (float64, bool) {
	v, ok := parseNumber(cell, p.comma)
	return v * factor, ok && !math.IsNaN(v)
}

// epoch reads seconds since 1970, or thousandths where the layout says so.
func (p *times) epoch(cell []byte) (float64, bool) {
	v, ok := parseNumber(cell, p.comma)
	if !ok || math.IsNaN(v) {
		return 0, false
	}
	if p.format == EpochMS {
		v /= 1000
	}
	if math.Abs(v) > trace.LongestTimeS {
		return 0, false
	}
	whole, frac := math.Modf(v)
	return p.since(time.Unix(int64(whole), int64(frac*1e9))), true
}

func (p *times) since(at time.Time) float64 {
	if p.origin.IsZero() {
		p.origin, p.followed = at.UTC(), true
	}
	return at.Sub(p.origin).Seconds()
}

// absolute reads a date with a time in a layout's zone.
func (p *times) absolute(s string) (time.Time, bool) {
	if p.format == RFC3339 {
		at, err := time.Parse(time.RFC3339, strings.Replace(s, " ", "T", 1))
		return at, err == nil
	}
	zone := p.zone
	if zone == nil {
		zone = time.UTC
	}
	if p.layout != "" {
		if at, err := time.ParseInLocation(p.layout, s, zone); err == nil {
			return at, true
		}
	}
	for _, l := range dateLayouts {
		if at, err := time.ParseInLocation(l, s, zone); err == nil {
			p.layout = l
			return at, true
		}
	}
	return time.Time{}, false
}

// clock reads a time of day; a step back by more than twelve hours is midnight.
func (p *times) clock(s string) (float64, bool) {
	v, ok := words.ParseClock(s, true)
	if !ok || v < 0 || v >= 86400 {
		return 0, false
	}
	if !p.anyClock {
		p.anyClock, p.firstClock = true, v
	} else if v < p.lastClock-43200 {
		p.days++
	} else if v > p.lastClock+43200 && p.days > 0 {
		p.days--
	}
	p.lastClock = v
	return v + p.days*86400 - p.firstClock, true
}
