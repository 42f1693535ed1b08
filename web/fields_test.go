package web

import (
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/logbook"
)

func form(pairs ...string) *fields {
	v := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		v.Set(pairs[i], pairs[i+1])
	}
	return newFields(v)
}

func TestNumbersAsTestersTypeThem(t *testing.T) {
	for typed, want := range map[string]float64{"4": 4, " 4.5 ": 4.5, "4,5": 4.5, "−3": -3, "-3": -3, "0": 0, "1e1": 10} {
		f := form("x", typed)
		got := f.number("x", -10, 10)
		require.NotNil(t, got, typed)
		assert.Equal(t, want, *got, typed)
		assert.True(t, f.ok())
	}
	assert.Nil(t, form().number("x", 0, 1), "empty is not given, which is not zero")
	for _, typed := range []string{"warm", "11", "-11", "NaN", "Inf", "1.2.3"} {
		f := form("x", typed)
		assert.Nil(t, f.number("x", -10, 10), typed)
		assert.Contains(t, f.Errors["x"], "expected a number from -10 to 10", typed)
	}
}

func TestTimesWithinARun(t *testing.T) {
	for typed, want := range map[string]float64{"12:30": 750, "1:02:03": 3723, "45": 45, "-0:10": -10, "−1:00": -60, "0:30.5": 30.5} {
		f := form("t", typed)
		assert.Equal(t, want, f.minutes("t"), typed)
		assert.True(t, f.ok(), typed)
	}
	for _, typed := range []string{"", "soon", "1:75", "1:-5", "99999999"} {
		f := form("t", typed)
		f.minutes("t")
		assert.False(t, f.ok(), typed)
	}
}

func TestDatesAreOfTheRunsZone(t *testing.T) {
	f := form("timezone", "Europe/Lisbon", "at", "2026-07-03T18:20")
	_, loc := f.zone("timezone")
	at := f.moment("at", loc)
	require.NotNil(t, at)
	assert.Equal(t, 17, at.Hour(), "kept in UTC")
	for _, zone := range []string{"Wend/Valley", "Local"} {
		f = form("timezone", zone)
		f.zone("timezone")
		assert.Contains(t, f.Errors["timezone"], "expected a time zone", zone)
	}
	f = form("at", "yesterday")
	assert.Nil(t, f.moment("at", loc))
	assert.False(t, f.ok())
}

func TestWordsIDsAndText(t *testing.T) {
	f := form("w", "lukewarm", "id", "x", "long", strings.Repeat("a", 501), "nul", "a\x00b", "name", " ")
	f.word("w", run.Preconditioned)
	f.id("id")
	f.text("long")
	assert.Equal(t, "ab", f.text("nul"), "PostgreSQL keeps no zero bytes")
	f.needed("name", "A name")
	assert.Len(t, f.Errors, 4)
	assert.Equal(t, "A name is needed.", f.Errors["name"])
}

// What is stored fills the form, and the form unchanged stores the same.
func TestDetailsSurviveTheForm(t *testing.T) {
	carID, stallID := int64(3), int64(4)
	at := form("at", "2026-02-03T18:20:07").moment("at", time.UTC)
	row := &logbook.Run{Title: "Cold soak", StartedAt: at, Timezone: "Europe/Lisbon", CarID: &carID, StallID: &stallID, MethodName: "10-80 stop",
		FromPct: run.N(10), ToPct: run.N(80), Clock: "power", MethodClimate: "off", AmbientC: run.N(-3.5), BatteryC: run.N(0), Preconditioned: "car",
		PreconditionedMin: run.N(32), Profile: "gentle", Climate: "on", Weather: "sleet"}
	var again logbook.Run
	f := newFields(valuesOf(row))
	readDetails(f, &again)
	require.True(t, f.ok(), f.Errors)
	assert.Equal(t, *row, again)

	f = form("from_pct", "80", "to_pct", "10", "software", "2.4")
	readDetails(f, &again)
	assert.Contains(t, f.Errors["to_pct"], "expected more than the start, 80")
	assert.Contains(t, f.Errors["software"], "Choose the car")
}

// The road's address and its filter say the same.
func TestRoadAddress(t *testing.T) {
	v, err := url.ParseQuery("car=Larch 52&stall=Weigh House 2&pre=none&ambient=cold&q= night  frost &group=car&sort=peak&after=40")
	require.NoError(t, err)
	q := readRoadQuery(v)
	f := q.filter()
	assert.Equal(t, 0.0, *f.AmbientFrom)
	assert.Equal(t, 10.0, *f.AmbientBelow)
	assert.Equal(t, "night  frost", f.Text)
	again, err := url.ParseQuery(strings.TrimPrefix(q.address(40), "/?"))
	require.NoError(t, err)
	assert.Equal(t, q, readRoadQuery(again))
	assert.False(t, readRoadQuery(url.Values{"after": {"-5"}, "sort": {"peak"}}).Filtered())
	assert.Zero(t, readRoadQuery(url.Values{"after": {"-5"}}).After)
}

func TestBenchInTheCookie(t *testing.T) {
	assert.Equal(t, []int64{3, 5}, parseIDs("3.5.3.x.-1.0", "."))
	assert.Equal(t, "3.5", joinIDs([]int64{3, 5}, "."))
	assert.Empty(t, parseIDs("", "."))
}

func TestTariffInWords(t *testing.T) {
	assert.Equal(t, "", tariffName(nil))
	assert.Equal(t, "EUR 0.47 per kWh, 1.00 a session", tariffName(&run.Tariff{Currency: "EUR", PerKWh: run.N(0.47), SessionFee: run.N(1)}))
	assert.Equal(t, "EUR 0.32 per min up to 90 kW, 0.64 per min", tariffName(&run.Tariff{Currency: "EUR",
		PerMin: []run.Tier{{UpToKW: run.N(90), Price: run.N(0.32)}, {Price: run.N(0.64)}}}))
}

func TestSentence(t *testing.T) {
	assert.Equal(t, "Run 3 is gone.", sentence("run 3 is gone"))
	assert.Equal(t, "Really?", sentence("really?"))
	assert.Empty(t, sentence(""))
}
