package web_test

import (
	"context"
	"fmt"
	"html"
	"net/http"
	"net/url"
	"regexp"
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
	link := regexp.MustCompile(`href="(/prepare\?[^"]*)"`).FindStringSubmatch(found)
	require.NotNil(t, link)
	assert.Equal(t, http.StatusOK, get(h, html.UnescapeString(link[1])).Code)

	assert.Contains(t, get(h, html.UnescapeString(link[1])).Body.String(), "Expect ", "the stop is a plan that is worked out")

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
