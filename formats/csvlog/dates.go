package csvlog

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// dateOrder says which number of a date with slashes or points is the day.
type dateOrder string

// The orders.
const (
	dayFirst   dateOrder = "day-first"
	monthFirst dateOrder = "month-first"
)

// dateForm matches a date, a time behind it, half of the day and zone, in the many ways in which
// they are written.
var dateForm = regexp.MustCompile(`(?i)^(?:[\p{L}]{2,12}\.?,?\s+)?` + // a day of the week
	`(?:(\d{4})[-/. ](\d{1,2})[-/. ](\d{1,2})` + // 1-3: year first
	`|(\d{1,2})[-/. ]{1,2}(\d{1,2})[-/. ]{1,2}(\d{4}|\d{2})` + // 4-6: year last
	`|(\d{1,2})\.?[- ]+(\p{L}{3,12})\.?,?[- ]+(\d{4}|\d{2})` + // 7-9: 3 Feb 2026
	`|(\p{L}{3,12})\.?[- ]+(\d{1,2}),?[- ]+(\d{4})` + // 10-12: Feb 3, 2026
	`|(\d{4})(\d{2})(\d{2}))` + // 13-15: 20260203
	`(?:[T,\s]+(?:at\s+|um\s+|kl\.?\s+)?(\d{1,2})[:.h]?(\d{2})(?:[:.m]?(\d{2})(?:[.,:](\d{1,9}))?)?s?` + // 16-19
	`\s*([ap]\.?\s?m\.?)?\s*` + // 20
	`(Z|UTC|GMT|[+-]\d{2}:?\d{2}|[+-]\d{2})?)?$`) // 21

// yearLast is a date with the year behind the time: month, day, time, year.
var yearLast = regexp.MustCompile(`^(?:\p{L}{2,4}\s+)?(\p{L}{3,9})\s+(\d{1,2})\s+(\d{1,2}:\d{2}:\d{2}(?:\.\d+)?)\s+` +
	`(?:[A-Z]{3,4}\s+)?(\d{4})$`)

// pointed is a date with points.
var pointed = regexp.MustCompile(`^\s*\d{1,2}\.\s?\d{1,2}\.\s?\d{2,4}`)

// months are the beginnings of the months' names, without accents, in the languages of words.csv.
var months = [12][]string{
	{
		"jan",
		"ene",
		"gen",
		"tam",
	}, {"feb", "fev", "febr", "hel"}, {"mar", "mrz", "maa", "maerz"}, {"apr", "avr", "abr", "huh"},
	{"may", "mai", "mag", "mei", "maj", "tou"}, {"jun", "juin", "giu", "kes"}, {"jul", "juil", "lug", "hei"},
	{
		"aug",
		"aou",
		"ago",
		"elo",
	}, {"sep", "set", "syy"}, {"oct", "okt", "ott", "lok"}, {"nov"}, {"dec", "dez", "dic", "des", "jou"},
}

func monthNamed(name string) int {
	name = plain(name)
	if strings.HasPrefix(name, "marr") {
		return 11 // Finnish
	}
	for i, starts := range months {
		if slices.ContainsFunc(starts, func(s string) bool { return strings.HasPrefix(name, s) }) {
			return i + 1
		}
	}
	return 0
}

// parseDate reads a date with or without a time. zoned tells that the text names its own zone;
// day tells that it holds no time.
func parseDate(s string, order dateOrder, zone *time.Location) (at time.Time, zoned, day, ok bool) {
	s = strings.TrimSpace(s)
	if y := yearLast.FindStringSubmatch(s); y != nil { // Tue Feb  3 18:20:00 2026
		s = y[1] + " " + y[2] + ", " + y[4] + " " + y[3]
	}
	m := dateForm.FindStringSubmatch(s)
	if m == nil {
		return time.Time{}, false, false, false
	}
	n := func(i int) int { v, _ := strconv.Atoi(m[i]); return v }
	var y, mo, d int
	switch {
	case m[1] != "":
		y, mo, d = n(1), n(2), n(3)
	case m[4] != "" && order == monthFirst:
		mo, d, y = n(4), n(5), n(6)
	case m[4] != "":
		d, mo, y = n(4), n(5), n(6)
	case m[7] != "":
		d, mo, y = n(7), monthNamed(m[8]), n(9)
	case m[10] != "":
		mo, d, y = monthNamed(m[10]), n(11), n(12)
	default:
		y, mo, d = n(13), n(14), n(15)
	}
	if y < 100 {
		y += 2000
	}
	h, mi, sec, nano := n(16), n(17), n(18), 0
	if f := m[19]; f != "" {
		nano, _ = strconv.Atoi((f + "000000000")[:9])
	}
	if half := strings.ToLower(m[20]); half != "" {
		if h < 1 || h > 12 {
			return time.Time{}, false, false, false
		}
		h %= 12
		if half[0] == 'p' {
			h += 12
		}
	}
	if mo < 1 || mo > 12 || d < 1 || d > 31 || h > 24 || mi > 59 || sec > 60 || y < 1970 || y > 2199 {
		return time.Time{}, false, false, false
	}
	if z := strings.ToUpper(m[21]); z != "" {
		zone, zoned = zoneNamed(z), true
	}
	at = time.Date(y, time.Month(mo), d, h, mi, sec, nano, zone)
	if time.Date(y, time.Month(mo), d, 0, 0, 0, 0, time.UTC).Day() != d { // the 31st of February
		return time.Time{}, false, false, false
	}
	return at, zoned, m[16] == "", true
}

// zoneNamed gives the zone of Z, UTC, +01, +0100 or +01:00.
func zoneNamed(z string) *time.Location {
	digits := strings.ReplaceAll(strings.TrimLeft(z, "+-"), ":", "")
	if digits == "" || digits[0] < '0' || digits[0] > '9' {
		return time.UTC
	}
	v, _ := strconv.Atoi((digits + "00")[:4])
	s := v/100*3600 + v%100*60
	if z[0] == '-' {
		s = -s
	}
	return time.FixedZone("", s)
}

// orderOf tells which number of the dates of a column is the day, by the run of values; unsure
// where both are possible. Half-day clocks are written where months come first.
func orderOf(cells []string) (order dateOrder, unsure bool) {
	if slices.ContainsFunc(cells, func(c string) bool { return pointed.MatchString(c) }) {
		return dayFirst, false // 3.2.2026 is written where days come first
	}
	var fits [2]bool
	var span [2]time.Duration
	half := false
	for i, o := range []dateOrder{dayFirst, monthFirst} {
		n, all, rising := 0, 0, true
		var first, last time.Time
		for _, c := range cells {
			if strings.TrimSpace(c) == "" {
				continue
			}
			all++
			at, _, _, ok := parseDate(c, o, time.UTC)
			if !ok {
				continue
			}
			if n == 0 {
				first = at
			}
			rising = rising && (n == 0 || !at.Before(last.Add(-time.Hour-time.Minute)))
			last = at
			n++
			half = half || strings.HasSuffix(strings.ToLower(strings.ReplaceAll(c, ".", "")), "m")
		}
		fits[i] = n > 0 && n*10 >= all*8 && rising
		span[i] = last.Sub(first)
	}
	const longest = 48 * time.Hour
	switch {
	case fits[0] && !fits[1]:
		return dayFirst, false
	case fits[1] && !fits[0]:
		return monthFirst, false
	case !fits[0]:
		return dayFirst, false
	case span[0] <= longest && span[1] > longest:
		return dayFirst, false
	case span[1] <= longest && span[0] > longest:
		return monthFirst, false
	}
	same := func(c string) bool {
		a, _, _, _ := parseDate(c, dayFirst, time.UTC)
		b, _, _, _ := parseDate(c, monthFirst, time.UTC)
		return a.Equal(b)
	}
	if !slices.ContainsFunc(cells, func(c string) bool { return !same(c) }) {
		return dayFirst, false // it makes no difference
	}
	if half {
		return monthFirst, true
	}
	return dayFirst, true
}
