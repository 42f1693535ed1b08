package csvlog

import (
	"math"
	"regexp"
	"strings"

	"zincroad/core/words"
)

// timeUnits are the units of a column of times, as they are written, and their format.
var timeUnits = map[string]TimeFormat{
	"s": Seconds, "sec": Seconds, "secs": Seconds, "seconds": Seconds, "sekunden": Seconds, "secondes": Seconds,
	"segundos": Seconds, "secondi": Seconds, "seconden": Seconds, "sekunder": Seconds, "min": Minutes, "mins": Minutes,
	"minutes": Minutes, "minuten": Minutes, "minutos": Minutes, "minuti": Minutes, "minuter": Minutes,
	"ms": Milliseconds, "msec": Milliseconds, "milliseconds": Milliseconds, "h": Hours, "hrs": Hours, "hours": Hours,
	"hh:mm:ss": Elapsed, "mm:ss": Elapsed,
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
