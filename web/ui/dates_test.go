package ui

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A date is written in the language that its reader chose: digits as ISO 8601 has them, months as they are called
// there (Unicode CLDR's abbreviations, from memory).
func TestDatesInTheLanguageOfTheirReader(t *testing.T) {
	at := time.Date(2026, time.March, 9, 21, 4, 5, 0, time.FixedZone("", 3600))
	for code, want := range map[string]string{
		"": "9 Mar 2026, 21:04", "nobody's": "9 Mar 2026, 21:04", "en-month": "Mar 9, 2026, 21:04",
		"digits": "2026-03-09, 21:04", "fr": "9 mars 2026, 21:04", "fi": "9.3.2026, 21:04", "es": "9 mar 2026, 21:04",
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.AddCookie(&http.Cookie{Name: "dates", Value: code})
		assert.Equal(t, want, ReaderOf(r).Date(Minute(at)), code)
	}
	reader := Reader{Dates: "digits"}
	assert.Equal(t, "2026-03-09", reader.Date(Day(at)))
	assert.Equal(t, "03-09", reader.Date(DayOfYear(at)))
	assert.Equal(t, "2026-03-09, 21:04:05", reader.Date(Second(at)))
	assert.Equal(t, "2. Mai 2026", Reader{Dates: "de"}.Date(Day(at.AddDate(0, 2, -7))))
}

// Two readers of one page are each written to in their own language: what is drawn for one is not kept for the other.
func TestEachReaderHasTheirOwnDates(t *testing.T) {
	u, err := New(nil, nil)
	require.NoError(t, err)
	pages, err := u.Pages(common, nil)
	require.NoError(t, err)
	for _, c := range []struct{ dates, want string }{{"", "9 Mar 2026"}, {"digits", "2026-03-09"}, {"", "9 Mar 2026"}} {
		var b bytes.Buffer
		require.NoError(t, pages.Draw(&b, Reader{Dates: c.dates}, "error", "base", Frame{Title: "Not done", Page: "none",
			Data: Day(time.Date(2026, time.March, 9, 0, 0, 0, 0, time.UTC))}))
		assert.Contains(t, b.String(), c.want)
	}
}
