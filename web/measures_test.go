package web_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/logbook"
)

// inUnits asks for a page as a reader who has chosen °F and miles.
func inUnits(h http.Handler, path string) string {
	r := httptest.NewRequest(http.MethodGet, path, nil)
	r.AddCookie(&http.Cookie{Name: "units", Value: "f-mi"})
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w.Body.String()
}

// The same pages in °F and miles: 26 °C are 79 °F, 6 °C are 43 °F; no °C and no km is
// left, and nothing else has changed.
func TestPagesInTheReadersUnits(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	for _, path := range []string{"/", "/runs/1", "/runs/2", "/bench?runs=1,2", "/bench/ranking", "/bench/matrix",
		"/garage", "/garage/cars/1", "/sites",
		"/prepare?car=1&stall=1&now=60&outside=40&units=f-mi",
		"/prepare/sheet?car=1&stall=1&now=60&outside=40&units=f-mi", "/prepare/methods", "/stall"} {
		page := inUnits(h, path)
		visible := strings.ReplaceAll(page, `data-unit="°C"`, "")
		visible = strings.ReplaceAll(visible, "Iron phosphate after a night at 2 °C", "") // a title, as it was typed
		assert.NotContains(t, visible, "°C", path)
		assert.NotContains(t, visible, " km<", path)
		assert.NotContains(t, visible, `class="unit">km`, path)
	}
	plain, us := get(h, "/runs/2").Body.String(), inUnits(h, "/runs/2")
	assert.Contains(t, unstyled(plain), "<b>26 °C</b> battery")
	assert.Contains(t, unstyled(us), "<b>79 °F</b> battery")
	assert.Equal(t, strings.Count(plain, "kWh"), strings.Count(us, "kWh"))
	assert.Contains(t, get(h, "/bench?runs=1,2").Body.String(), "6 °C, 26 °C")
	assert.Contains(t, inUnits(h, "/bench?runs=1,2"), "43 °F, 79 °F", "each of several values, not the last alone")
	chart := inUnits(h, "/runs/2?channel=coldest")
	assert.Contains(t, chart, `"unit":"°F"`)
	assert.Contains(t, inUnits(h, "/garage/cars/1"), `name="warm_c" value="77"`, "25 °C in a field")
}

// A file's own units stay what the file is in, and what was recorded is shown as it is
// kept: only a reader's figures are put into the reader's units.
func TestUnitsOfFilesStayTheFiles(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	id, err := book.Arrive(context.Background(), "log.csv",
		[]byte("Time,Battery temp (°C),Power kW\n0:00,20,100\n0:10,21,101\n"))
	require.NoError(t, err)
	page := inUnits(h, fmt.Sprintf("/desk/arrivals/%d", id))
	assert.Contains(t, page, "<option selected>°C</option>")
	assert.Contains(t, unstyled(page), "<td>20</td>")
	row, err := book.Run(context.Background(), 1)
	require.NoError(t, err)
	page = inUnits(h, fmt.Sprintf("/runs/1/recordings/%d/readings", row.Recordings[0].ID))
	assert.Contains(t, page, `<span class="unit">°C</span>`)
	assert.NotContains(t, page, "°F</span></th>")
}

// Both numbers of a range are of the unit behind it.
func TestRangesInTheReadersUnits(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	assert.Contains(t, inUnits(h, "/"), "32 °F to 50 °F")
	plan := inUnits(h, "/prepare?car=1&stall=1&now=60&outside=39&at=16:00&units=f-mi")
	assert.NotRegexp(t, `\d+ (to|of|and) \d+ °C`, plan)
}

// What is typed in one unit is kept in one, and shown again as it is wanted; a number
// with a unit of its own is always understood, whatever the field shows.
func TestTypedUnits(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	save := func(values map[string]string) {
		t.Helper()
		form := url.Values{"id": {"1"}, "name": {"Tamarack 78"}}
		for k, v := range values {
			form.Set(k, v)
		}
		require.Equal(t, http.StatusSeeOther, post(h, "/garage/cars", form).Code)
	}
	for _, c := range []struct {
		values map[string]string
		warm   float64
		range_ float64
	}{
		{map[string]string{"warm_c": "25", "rated_range_km": "400"}, 25, 400},
		{map[string]string{"warm_c": "77", "warm_c__unit": "°F", "rated_range_km": "310", "rated_range_km__unit": "mi"}, 25,
			310 * 1.609344},
		{map[string]string{"warm_c": "70F", "rated_range_km": "140 mi"}, 38 / 1.8, 140 * 1.609344},
		{map[string]string{"warm_c": "21 °C", "warm_c__unit": "°F", "rated_range_km": "400km",
			"rated_range_km__unit": "mi"}, 21, 400},
	} {
		save(c.values)
		car, err := book.Car(context.Background(), 1)
		require.NoError(t, err)
		assert.InDelta(t, c.warm, *car.WarmC, 1e-9, "%v", c.values)
		assert.InDelta(t, c.range_, *car.RatedRangeKm, 1e-9, "%v", c.values)
	}
	// A form that was shown in °F and miles and is kept as it stands changes nothing.
	save(map[string]string{"warm_c": "23.3", "rated_range_km": "401.7"})
	form := url.Values{"id": {"1"}, "name": {"Tamarack 78"}}
	page := inUnits(h, "/garage/cars/1")
	for _, name := range []string{"warm_c", "warm_c__unit", "warm_c__kept", "rated_range_km", "rated_range_km__unit",
		"rated_range_km__kept"} {
		m := regexp.MustCompile(`name="` + name + `" value="([^"]*)"`).FindStringSubmatch(page)
		require.NotNil(t, m, name)
		form.Set(name, m[1])
	}
	assert.Equal(t, "73.9", form.Get("warm_c"))
	require.Equal(t, http.StatusSeeOther, post(h, "/garage/cars", form).Code)
	car, err := book.Car(context.Background(), 1)
	require.NoError(t, err)
	assert.Equal(t, 23.3, *car.WarmC)
	assert.Equal(t, 401.7, *car.RatedRangeKm)

	refused := post(h, "/garage/cars", url.Values{"id": {"1"}, "name": {"Tamarack 78"}, "warm_c": {"70 mi"},
		"warm_c__unit": {"°F"}})
	assert.Equal(t, http.StatusUnprocessableEntity, refused.Code)
	assert.Contains(t, refused.Body.String(), `value="70 mi"`, "as it was typed")
}

// A plan is in the units of its address: passed on to a reader of others it stays what
// it is.
func TestPlansKeepTheirUnits(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	plain := get(h, "/prepare?car=1&stall=1&now=60&outside=4&at=16:00").Body.String()
	us := inUnits(h, "/prepare?car=1&stall=1&now=60&outside=39.2&at=16:00&units=f-mi")
	heading := func(page string) string {
		_, rest, _ := strings.Cut(page, `role="status">Leave`)
		text, _, _ := strings.Cut(rest, "</h1>")
		return text
	}
	require.NotEmpty(t, heading(plain))
	assert.Equal(t, heading(plain), heading(us), "4 °C are 39.2 °F")
	assert.Equal(t, heading(plain), heading(get(h,
		"/prepare?car=1&stall=1&now=60&outside=39.2&at=16:00&units=f-mi").Body.String()), "whoever opens it")
	assert.Equal(t, heading(plain), heading(inUnits(h, "/prepare?car=1&stall=1&now=60&outside=4&at=16:00")),
		"and one without units is in °C")
	assert.Contains(t, us, `value="39.2"`, "as typed")
}

// A line typed at the stall in the order of the field is in the unit that it showed.
func TestStallLineInFahrenheit(t *testing.T) {
	s := newSite(t, 390, 844, true)
	s.open("/")
	eval[bool](s, `(document.cookie = "units=f", true)`)
	id := s.startFromNothing()
	assert.Contains(t, s.text("#line-words"), "°F")
	s.typeLine("20 90 50")
	s.await(`document.querySelector(".figure").textContent === "20"`)
	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	full, err := s.book.Load(context.Background(), row)
	require.NoError(t, err)
	assert.InDelta(t, 10, full.Recordings[0].Columns[trace.BatteryTempMin][0], 1e-9)
	s.await(
		`document.querySelector("#live-now").textContent.includes("50") &&
			!document.querySelector("#live-now").textContent.includes("°C")`,
	)
	s.open(fmt.Sprintf("/stall/%d/end", id))
	assert.NotContains(t, s.text("main"), "°C")
}

// What a reader chooses on the page of settings holds on the others; what is none of the choices is refused, and what
// was chosen stands in the form.
func TestSettingsAreKept(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	hazel := &logbook.Car{Name: "Hazel"}
	require.NoError(t, book.SaveCar(t.Context(), hazel))
	car := fmt.Sprint(hazel.ID)
	w := post(h, "/settings", url.Values{"temperature": {"f"}, "distance": {"mi"}, "theme": {"night"},
		"window": {"20-80"},
		"dates":  {"digits"}, "car": {car}, "method": {"cold"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	ask := func(path string) string {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		for _, c := range w.Result().Cookies() {
			r.AddCookie(c)
		}
		answer := httptest.NewRecorder()
		h.ServeHTTP(answer, r)
		return answer.Body.String()
	}
	page := ask("/settings")
	for _, chosen := range []string{`value="f" selected`, `value="mi" selected`, `value="night" selected`,
		`value="20-80" selected`, `value="digits" selected`, `value="` + car + `" selected`,
		`value="cold" selected`} {
		assert.Contains(t, page, chosen)
	}
	assert.Contains(t, page, `data-theme="night"`)
	assert.Regexp(t, `\d{4}-\d\d-\d\d`, ask("/"))
	assert.NotRegexp(t, `\d [A-Z][a-z]{2} \d{4}`, ask("/"))
	assert.Contains(t, ask("/bench/ranking"), "20–80 %: ")
	assert.Contains(t, ask("/bench/ranking?window=10-80"), "10–80 %: ", "the address goes before")
	for path, chosen := range map[string]string{"/prepare": `value="cold" selected`,
		"/stall": `value="` + car + `" selected`,
		"/trip":  `value="` + car + `" selected`} {
		assert.Contains(t, ask(path), chosen, path)
	}
	assert.Contains(t, ask("/prepare"), `value="`+car+`" selected`)
	assert.Contains(t, ask("/prepare?car=1"), `value="1" selected`, "the address goes before")
	refused := post(h, "/settings", url.Values{"theme": {"dusk"}, "temperature": {"f"}, "distance": {"km"},
		"window": {"10-80"}, "dates": {"en"}})
	assert.Equal(t, http.StatusUnprocessableEntity, refused.Code)
	assert.Empty(t, refused.Result().Cookies())
}

// Under a run's strip stands what else was read, each with its side and in the reader's units.
func TestWhatElseWasReadStandsUnderTheStrip(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	page := get(h, "/runs/1").Body.String()
	assert.Contains(t, page, ">the car&#39;s volts, V<")
	assert.Contains(t, page, ">the stall&#39;s requested, kW<")
	assert.Contains(t, page, ">the car&#39;s coldest cell, °C<")
	assert.Contains(t, inUnits(h, "/runs/1"), ">the car&#39;s coldest cell, °F<")
}
