package ui

import (
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
)

func form(pairs ...string) *Fields {
	v := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		v.Set(pairs[i], pairs[i+1])
	}
	return NewFields(v)
}

func TestNumbersAsTestersTypeThem(t *testing.T) {
	for typed, want := range map[string]float64{"4": 4, " 4.5 ": 4.5, "4,5": 4.5, "−3": -3, "-3": -3, "0": 0,
		"1e1": 10} {
		f := form("x", typed)
		got := f.Number("x", -10, 10)
		require.NotNil(t, got, typed)
		assert.Equal(t, want, *got, typed)
		assert.True(t, f.OK())
	}
	assert.Nil(t, form().Number("x", 0, 1), "empty is not given, which is not zero")
	for _, typed := range []string{"warm", "11", "-11", "NaN", "Inf", "1.2.3"} {
		f := form("x", typed)
		assert.Nil(t, f.Number("x", -10, 10), typed)
		assert.Contains(t, f.Errors["x"], "expected a number from -10 to 10", typed)
	}
}

func TestTimesWithinARun(t *testing.T) {
	for typed, want := range map[string]float64{"12:30": 750, "1:02:03": 3723, "45": 45, "-0:10": -10, "−1:00": -60,
		"0:30.5": 30.5} {
		f := form("t", typed)
		assert.Equal(t, want, f.Minutes("t"), typed)
		assert.True(t, f.OK(), typed)
	}
	for _, typed := range []string{"", "soon", "1:75", "1:-5", "99999999"} {
		f := form("t", typed)
		f.Minutes("t")
		assert.False(t, f.OK(), typed)
	}
}

func TestDatesAreOfTheRunsZone(t *testing.T) {
	f := form("timezone", "Europe/Lisbon", "at", "2026-07-03T18:20")
	_, loc := f.Zone("timezone")
	at := f.Moment("at", loc)
	require.NotNil(t, at)
	assert.Equal(t, 17, at.Hour(), "kept in UTC")
	for _, zone := range []string{"Wend/Valley", "Local"} {
		f = form("timezone", zone)
		f.Zone("timezone")
		assert.Contains(t, f.Errors["timezone"], "expected a time zone", zone)
	}
	f = form("at", "yesterday")
	assert.Nil(t, f.Moment("at", loc))
	assert.False(t, f.OK())
}

func TestWordsIDsAndText(t *testing.T) {
	f := form("w", "lukewarm", "id", "x", "long", strings.Repeat("a", 501), "nul", "a\x00b", "name", " ")
	f.Word("w", run.Preconditioned)
	f.ID("id")
	f.Text("long")
	assert.Equal(t, "ab", f.Text("nul"), "PostgreSQL keeps no zero bytes")
	f.Needed("name", "A name")
	assert.Len(t, f.Errors, 4)
	assert.Equal(t, "A name is needed.", f.Errors["name"])
}

func TestBenchInTheCookie(t *testing.T) {
	assert.Equal(t, []int64{3, 5}, ParseIDs("3.5.3.x.-1.0", "."))
	assert.Equal(t, "3.5", JoinIDs([]int64{3, 5}, "."))
	assert.Empty(t, ParseIDs("", "."))
}

func TestTariffInWords(t *testing.T) {
	assert.Equal(t, "", tariffName(nil))
	assert.Equal(t, "EUR 0.47 per kWh, 1.00 a session",
		tariffName(&run.Tariff{Currency: "EUR", PerKWh: run.N(0.47), SessionFee: run.N(1)}))
	assert.Equal(t, "EUR 0.32 per min up to 90 kW, 0.64 per min", tariffName(&run.Tariff{Currency: "EUR",
		PerMin: []run.Tier{{UpToKW: run.N(90), Price: run.N(0.32)}, {Price: run.N(0.64)}}}))
}

func TestSentence(t *testing.T) {
	assert.Equal(t, "Run 3 is gone.", Sentence("run 3 is gone"))
	assert.Equal(t, "Really?", Sentence("really?"))
	assert.Empty(t, Sentence(""))
}
