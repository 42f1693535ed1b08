package web_test

import (
	"bytes"
	"context"
	"fmt"
	"html"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A way of 620 km past the logbook's sites: the page says where to charge, draws it, offers to prepare each stop;
// what is missing is asked for, what cannot be stands at its field.
func TestTripFindsItsStops(t *testing.T) {
	h, book := handler(t, true)
	sites, err := book.Sites(context.Background())
	require.NoError(t, err)
	require.Greater(t, len(sites), 3)
	page := get(h, "/trip").Body.String()
	assert.Contains(t, page, "How long is the way")

	q := url.Values{"distance": {"620"}, "start": {"85"}, "outside": {"6"}}
	fields := regexp.MustCompile(`name="(at_\d+)"`).FindAllStringSubmatch(page, -1)
	require.GreaterOrEqual(t, len(fields), 4)
	for i, f := range fields[:4] {
		q.Set(f[1], fmt.Sprint(140+90*i))
	}
	w := get(h, "/trip?"+q.Encode())
	require.Equal(t, http.StatusOK, w.Code)
	found := w.Body.String()
	assert.Regexp(t, regexp.MustCompile(`<h1>\d h( \d\d min)?: charge at .* to \d+ %`), found)
	assert.Contains(t, found, `class="way"`)
	for _, name := range []string{"Fastest", "Cheapest", "Fewest stops"} {
		assert.Contains(t, found, name+":")
	}
	for figure, says := range map[string]string{"driving": "On the level, 110 km/h and 6 °C: ", "stop": " min beside.",
		"battery": "at the start, 6 °C outside", "minutes": "fastest: "} {
		assert.Contains(t, found, "/trip/how/"+figure)
		assert.Contains(t, get(h, "/trip/how/"+figure+"?"+q.Encode()).Body.String(), says)
	}
	assert.Equal(t, http.StatusNotFound, get(h, "/trip/how/luck").Code)
	link := regexp.MustCompile(`href="(/prepare\?[^"]*)"`).FindStringSubmatch(found)
	require.NotNil(t, link)
	assert.Equal(t, http.StatusOK, get(h, html.UnescapeString(link[1])).Code)

	assert.Contains(t, get(h, html.UnescapeString(link[1])).Body.String(), "Expect ", "the stop is a plan")

	before, err := book.Preparations(context.Background())
	require.NoError(t, err)
	kept := url.Values{"plan": {"Fastest"}}
	for key := range q {
		kept.Set(key, q.Get(key))
	}
	w = post(h, "/trip/keep", kept)
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.Contains(t, get(h, w.Header().Get("Location")).Body.String(), "Stop 1 of ")
	after, err := book.Preparations(context.Background())
	require.NoError(t, err)
	assert.Greater(t, len(after), len(before))
	kept.Set("plan", "Slowest")
	assert.Equal(t, http.StatusBadRequest, post(h, "/trip/keep", kept).Code)
	same, err := book.Preparations(context.Background())
	require.NoError(t, err)
	assert.Len(t, same, len(after))

	q.Set("speed", "a lot")
	assert.Contains(t, get(h, "/trip?"+q.Encode()).Body.String(), `id="e-speed"`)
	q.Set("speed", "110")
	q.Set("distance", "300")
	assert.Contains(t, get(h, "/trip?"+q.Encode()).Body.String(), "The way is shorter.")
	far := url.Values{"distance": {"2000"}, fields[0][1]: {"100"}}
	assert.Contains(t, get(h, "/trip?"+far.Encode()).Body.String(), "There is no way with these stops")
}

// A track that is sent is gone along from then on, with what was chosen before; its hills and weather change what
// driving takes; a site of which its place is noted is put on it; what is no track changes nothing; removing can be
// undone.
func TestTripAlongATrack(t *testing.T) {
	h, book := handler(t, true)
	sites, err := book.Sites(t.Context())
	require.NoError(t, err)
	north, east := 0.02, 1.0
	sites[0].Latitude, sites[0].Longitude = &north, &east
	require.NoError(t, book.SaveSite(t.Context(), &sites[0]))
	send := func(q url.Values, name, content string) *httptest.ResponseRecorder {
		var b bytes.Buffer
		form := multipart.NewWriter(&b)
		part, err := form.CreateFormFile("file", name)
		require.NoError(t, err)
		_, err = part.Write([]byte(content))
		require.NoError(t, err)
		require.NoError(t, form.Close())
		r := httptest.NewRequest(http.MethodPost, "/trip/ways?"+q.Encode(), &b)
		r.Header.Set("Content-Type", form.FormDataContentType())
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	takes := func(page string) string {
		return regexp.MustCompile(`driving takes (\d+) kWh`).FindString(page)
	}
	chosen := url.Values{"start": {"83"}, "outside": {"6"}}
	w := send(chosen, "to the sea.gpx", "twelve miles")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "to the sea.gpx: a GPX file")
	assert.Contains(t, w.Body.String(), `value="83"`)
	ways, err := book.Ways(t.Context())
	require.NoError(t, err)
	before := len(ways)

	w = send(chosen, "to the sea.geojson", `{"type":"LineString","coordinates":[[0,0,900],[1,0,700],[1.5,0,0]]}`)
	require.Equal(t, http.StatusSeeOther, w.Code)
	to := w.Header().Get("Location")
	page := get(h, to).Body.String()
	assert.Contains(t, page, `value="83"`)
	assert.Contains(t, page, `name="distance" value="166.8"`)
	assert.Contains(t, page, `value="111.2"`, "the site is put where the track passes it")
	assert.Contains(t, page, `class="land"`)
	down := takes(page)
	require.NotEmpty(t, down)
	level := takes(get(h, "/trip?start=83&outside=6&distance=166.8").Body.String())
	assert.NotEqual(t, level, down)
	windy := get(h, to+"&wind=40&rain=yes").Body.String()
	assert.Contains(t, windy, "<details class=\"wide\" open")
	assert.NotEqual(t, down, takes(windy))

	id := regexp.MustCompile(`way=(\d+)`).FindStringSubmatch(to)[1]
	removed := post(h, "/trip/ways/"+id+"/delete", nil)
	assert.Contains(t, removed.Body.String(), "The way is removed.")
	ways, err = book.Ways(t.Context())
	require.NoError(t, err)
	assert.Len(t, ways, before)
	assert.Equal(t, http.StatusSeeOther, post(h, "/trip/ways/"+id+"/restore", nil).Code)
	assert.Equal(t, http.StatusNotFound, post(h, "/trip/ways/999999/delete", nil).Code)
}

// A trip that was kept stands on the page, each stop with what was planned; a run that was made by a stop's plan stands
// beside it with its own charge and time, and a stop whose plan was removed is gone.
func TestAKeptTripAgainstItsRuns(t *testing.T) {
	h, sql := handlerWithSQL(t)
	q := url.Values{"distance": {"620"}, "start": {"85"}, "outside": {"6"}, "plan": {"Fastest"}}
	page := get(h, "/trip").Body.String()
	for i, f := range regexp.MustCompile(`name="(at_\d+)"`).FindAllStringSubmatch(page, 4) {
		q.Set(f[1], fmt.Sprint(140+90*i))
	}
	assert.NotContains(t, page, "Kept trips")
	require.Equal(t, http.StatusSeeOther, post(h, "/trip/keep", q).Code)
	page = get(h, "/trip").Body.String()
	assert.Contains(t, page, "Fastest, 620 km with ")
	stops := regexp.MustCompile(`(\d+) to (\d+) % in \d+ min`).FindAllString(page, -1)
	require.Greater(t, len(stops), 1)
	assert.Equal(t, len(stops), strings.Count(page, "not charged yet"))

	sql(`UPDATE runs SET preparation_id = (SELECT min(id) FROM preparations WHERE trip_id IS NOT NULL) WHERE id = 1`)
	page = get(h, "/trip").Body.String()
	assert.Equal(t, len(stops)-1, strings.Count(page, "not charged yet"))
	assert.Regexp(t, `href="/runs/1"[^>]*>\d+ to \d+ % in `, page)
	assert.Contains(t, page, fmt.Sprintf("1 of %d charged: ", len(stops)))
	sql(`UPDATE preparations SET deleted_at = now() WHERE trip_id IS NOT NULL`)
	assert.NotContains(t, get(h, "/trip").Body.String(), "Kept trips")
}
