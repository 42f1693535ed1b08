package web_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

// Pages are read from a streaming copy of the database, and who wrote something sees it though the copy stands still.
// When the database is killed pages go on, and say that nothing is stored; when the copy has taken its place what is
// typed is stored again, and nothing is missing of what was said to be stored before.
func TestACopyOfTheDatabase(t *testing.T) {
	pair := logbooktest.StartPair(t)
	book, err := logbook.OpenWithCopies(t.Context(), pair.URL, []string{pair.CopyURL}, logbooktest.Quiet())
	require.NoError(t, err)
	t.Cleanup(func() { _ = book.Close() })
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	srv := httptest.NewServer(s.Handler())
	t.Cleanup(srv.Close)
	tester := func() func(path string, typed url.Values) (int, string) {
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		c := &http.Client{Jar: jar}
		return func(path string, typed url.Values) (int, string) {
			t.Helper()
			r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, srv.URL+path, nil)
			if typed != nil {
				r, err = http.NewRequestWithContext(t.Context(), http.MethodPost, srv.URL+path, strings.NewReader(typed.Encode()))
				r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			}
			require.NoError(t, err)
			if strings.HasSuffix(path, "/readings") {
				r.Header.Set("Accept", "application/json")
			}
			answer, err := c.Do(r)
			require.NoError(t, err)
			defer answer.Body.Close()
			text, err := io.ReadAll(answer.Body)
			require.NoError(t, err)
			return answer.StatusCode, string(text)
		}
	}
	one, another := tester(), tester()
	shows := func(ask func(string, url.Values) (int, string), path, text string) func() bool {
		return func() bool {
			code, body := ask(path, nil)
			return code == http.StatusOK && strings.Contains(body, text)
		}
	}
	const patience, often = 20 * time.Second, 20 * time.Millisecond
	method := func(name string) url.Values {
		return url.Values{"name": {name}, "from_pct": {"10"}, "to_pct": {"80"}}
	}

	code, body := one("/prepare/methods", method("Before"))
	require.Equal(t, http.StatusOK, code, "%.300s", body)
	require.Eventually(t, shows(another, "/prepare/methods", "Before"), patience, often)
	require.Eventually(t, book.Reads, patience, often)
	pair.CaughtUp(t)
	pair.Halt(t)
	code, body = one("/prepare/methods", method("Meanwhile"))
	require.Equal(t, http.StatusOK, code, "%.300s", body)
	assert.True(t, shows(one, "/prepare/methods", "Meanwhile")(), "one's own")
	require.Eventually(t, func() bool { return !shows(another, "/prepare/methods", "Meanwhile")() }, patience, often,
		"it is read from the copy, which stands still")
	require.Eventually(t, shows(another, "/prepare/methods", "Meanwhile"), patience, often, "a copy behind is left alone")
	pair.Resume(t)

	at := time.Now().UTC().Add(-10 * time.Minute)
	id, err := book.StartLive(t.Context(), &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	stored, n := map[string]bool{}, 0
	reading := func() (int, string) {
		n++
		line := fmt.Sprintf("%.2f 100", 10+float64(n)/10)
		code, said := one(fmt.Sprintf("/stall/%d/readings", id), url.Values{"line": {line}, "key": {line},
			"ago_ms": {fmt.Sprint(200_000 - 1000*n)}})
		stored[line] = code == http.StatusOK
		return code, said
	}
	for range 30 {
		code, said := reading()
		require.Equal(t, http.StatusOK, code, said)
	}
	pair.Kill(t)
	require.Eventually(t, book.Away, patience, often)
	for _, path := range []string{"/", "/garage", "/prepare", "/prepare/methods", "/bench", "/desk",
		fmt.Sprintf("/stall/%d", id)} {
		code, body := another(path, nil)
		assert.Equal(t, http.StatusOK, code, path)
		assert.Contains(t, body, "this page is of a copy of it, and nothing can be stored", path)
	}
	assert.True(t, shows(one, fmt.Sprintf("/stall/%d", id), "13.00 100")(), "one's own last reading")
	asCopy := logbook.Reading(t.Context(), 0)
	methods, err := book.Methods(asCopy)
	require.NoError(t, err)
	assert.NotEmpty(t, methods)
	theirs, err := book.Methods(logbook.InCrew(asCopy, 7))
	require.NoError(t, err)
	assert.Empty(t, theirs, "a copy keeps crews apart as the database does")
	code, said := reading()
	assert.Equal(t, http.StatusServiceUnavailable, code)
	assert.Contains(t, said, `"why":"the database does not answer"`)
	code, body = one("/prepare/methods", method("Too late"))
	assert.Equal(t, http.StatusServiceUnavailable, code)
	assert.Contains(t, body, "The database does not answer, and nothing can be stored until it does.")
	code, body = another("/readyz", nil)
	assert.Equal(t, http.StatusOK, code, body)

	pair.Promote(t)
	require.Eventually(t, func() bool { code, _ := reading(); return code == http.StatusOK }, patience, often)
	for range 10 {
		code, said := reading()
		require.Equal(t, http.StatusOK, code, said)
	}
	lines, err := book.TypedLines(t.Context(), id)
	require.NoError(t, err)
	there := map[string]bool{}
	for _, l := range lines {
		there[l.Line] = true
	}
	for line, acknowledged := range stored {
		if acknowledged {
			assert.True(t, there[line], "%s was said to be stored", line)
		}
	}
	require.Eventually(t, func() bool { return !book.Away() }, patience, often)
	_, body = another("/", nil)
	assert.NotContains(t, body, "nothing can be stored")
}
