package web_test

import (
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An empty logbook says what it is and has three ways to begin, each of which comes to its end: the sample is a run
// with its verdict after one press, once; at the stall and in Prepare names alone make the car and the stall that are
// needed.
func TestTheFirstFiveMinutes(t *testing.T) {
	h, _ := handler(t, false)
	road := get(h, "/").Body.String()
	for _, says := range []string{"No runs yet", "what held its power down", "Take the sample", "/stall", "/prepare"} {
		assert.Contains(t, road, says)
	}
	w := post(h, "/desk/sample", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	run := w.Header().Get("Location")
	assert.Regexp(t, `class="finding">\s*10–80 %`, get(h, run).Body.String())
	assert.Equal(t, run, post(h, "/desk/sample", nil).Header().Get("Location"), "once")
	given, err := os.ReadFile("../docs/samples/run-folder.zip")
	require.NoError(t, err)
	shipped, err := os.ReadFile("desk/sample/run-folder.zip")
	require.NoError(t, err)
	assert.True(t, string(given) == string(shipped), "the sample in the box is that of docs/samples")

	h, book := handler(t, false)
	plan := get(h, "/prepare").Body.String()
	assert.Contains(t, plan, "Which car do you charge, and where?")
	w = post(h, "/prepare/begin", url.Values{"car_name": {"Aspen"}})
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "Which stall?")
	assert.Contains(t, w.Body.String(), `value="Aspen"`)
	cars, err := book.Cars(t.Context())
	require.NoError(t, err)
	assert.Empty(t, cars, "nothing is made of half an answer")
	w = post(h, "/prepare/begin", url.Values{"car_name": {"Aspen"}, "usable_kwh": {"58"}, "site_name": {"Hill Mill"},
		"rated_kw": {"150"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	plan = get(h, w.Header().Get("Location")+"&now=20&battery=15&outside=10").Body.String()
	assert.NotContains(t, plan, "Which car do you charge")
	assert.Contains(t, plan, "Expect ")

	w = post(h, "/stall/start", url.Values{"car_name": {"Aspen"}, "site_name": {"Brook Quarry"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	live := get(h, w.Header().Get("Location")).Body.String()
	assert.Contains(t, live, "Brook Quarry")
	cars, err = book.Cars(t.Context())
	require.NoError(t, err)
	assert.Len(t, cars, 1, "a name that is there is that car")
	h, _ = handler(t, false)
	start := get(h, "/stall").Body.String()
	assert.Contains(t, start, `name="car_name"`)
	assert.False(t, strings.Contains(start, `<select id="f-car"`))
	w = post(h, "/stall/start", nil)
	assert.Contains(t, w.Body.String(), `id="e-car"`)
	assert.Contains(t, w.Body.String(), `id="e-stall"`)
}
