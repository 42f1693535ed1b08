package ui

import (
	"net/http"
	"time"

	"github.com/goodsign/monday"

	"zincroad/core/units"
)

// A Date is a moment on the clock of where it was; a page writes it in its reader's language of dates.
type Date struct {
	At time.Time
	as int
}

const (
	asDay = iota
	asDayOfYear
	asMinute
	asSecond
)

// Day is the date alone.
func Day(t time.Time) Date { return Date{At: t, as: asDay} }

// DayOfYear is the day and the month.
func DayOfYear(t time.Time) Date { return Date{At: t, as: asDayOfYear} }

// Minute is the date and the time to the minute.
func Minute(t time.Time) Date { return Date{At: t, as: asMinute} }

// Second is the date and the time to the second.
func Second(t time.Time) Date { return Date{At: t, as: asSecond} }

// A DateLanguage is a way to write dates that a reader can choose.
type DateLanguage struct {
	Code, Name     string
	day, dayOfYear string
	locale         monday.Locale
}

// DateLanguages are all there are; the first is what a reader has who chose none. The digits alone are ISO 8601's.
var DateLanguages = []DateLanguage{
	{"en", "English", "2 Jan 2006", "2 Jan", monday.LocaleEnGB},
	{"en-month", "English, month first", "Jan 2, 2006", "Jan 2", monday.LocaleEnUS},
	{"digits", "Digits alone", "2006-01-02", "01-02", monday.LocaleEnGB},
	{"da", "Dansk", "2. Jan 2006", "2. Jan", monday.LocaleDaDK},
	{"de", "Deutsch", "2. Jan 2006", "2. Jan", monday.LocaleDeDE},
	{"es", "Español", "2 Jan 2006", "2 Jan", monday.LocaleEsES},
	{"fr", "Français", "2 Jan 2006", "2 Jan", monday.LocaleFrFR},
	{"it", "Italiano", "2 Jan 2006", "2 Jan", monday.LocaleItIT},
	{"nl", "Nederlands", "2 Jan 2006", "2 Jan", monday.LocaleNlNL},
	{"nb", "Norsk", "2. Jan 2006", "2. Jan", monday.LocaleNbNO},
	{"pl", "Polski", "2 Jan 2006", "2 Jan", monday.LocalePlPL},
	{"pt", "Português", "2 Jan 2006", "2 Jan", monday.LocalePtPT},
	{"fi", "Suomi", "2.1.2006", "2.1.", monday.LocaleFiFI},
	{"sv", "Svenska", "2 Jan 2006", "2 Jan", monday.LocaleSvSE},
}

func languageOf(code string) DateLanguage {
	for _, l := range DateLanguages {
		if l.Code == code {
			return l
		}
	}
	return DateLanguages[0]
}

func dateCodes() (out []string) {
	for _, l := range DateLanguages {
		out = append(out, l.Code)
	}
	return out
}

// Example is how a day looks.
func (l DateLanguage) Example() string {
	return l.write(Day(time.Date(2026, time.March, 9, 0, 0, 0, 0, time.UTC)))
}

func (l DateLanguage) write(d Date) string {
	layout := l.day
	switch d.as {
	case asDayOfYear:
		layout = l.dayOfYear
	case asMinute:
		layout += ", 15:04"
	case asSecond:
		layout += ", 15:04:05"
	}
	return monday.Format(d.At, layout, l.locale)
}

// A Reader is whom a page is written for: the zero value reads °C, km and English dates.
type Reader struct {
	units.People
	Dates string // a language's code
}

// ReaderOf gives what a request's reader has chosen.
func ReaderOf(r *http.Request) Reader {
	out := Reader{People: MeasuresOf(r)}
	if c, err := r.Cookie("dates"); err == nil && languageOf(c.Value).Code == c.Value {
		out.Dates = c.Value
	}
	return out
}

// Date writes one in the reader's language.
func (r Reader) Date(d Date) string { return languageOf(r.Dates).write(d) }
