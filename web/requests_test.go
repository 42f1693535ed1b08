package web_test

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/require"

	"zincroad/internal/fuzzed"
	"zincroad/logbook"
	"zincroad/web"
)

// request is a page or a form of the program: its method and its address, with the number 1 for whatever has one.
type request struct{ method, path string }

// everything lists what can be asked of the program, but for the door, which takes its time on purpose, the streams,
// which do not end, and files.
func everything(t testing.TB, h http.Handler) (list []request) {
	t.Helper()
	number := regexp.MustCompile(`\{\w+\}`)
	without := regexp.MustCompile(`^/enter$|^/leave$|/events$|^/static`)
	type wrapping = func(http.Handler) http.Handler
	require.NoError(t, chi.Walk(h.(chi.Routes), func(method, route string, _ http.Handler, _ ...wrapping) error {
		path := strings.TrimSuffix(number.ReplaceAllString(route, "1"), "/")
		if (method == http.MethodGet || method == http.MethodPost) && !without.MatchString(path) {
			list = append(list, request{method, path})
		}
		return nil
	}))
	slices.SortFunc(list, func(a, b request) int { return strings.Compare(a.method+a.path, b.method+b.path) })
	return list
}

// Whatever stands in an address or in a form, the program answers in text that can be read, and says what is wrong with
// it rather than that something went wrong.
func FuzzRequests(f *testing.F) {
	book := newBook(f, true)
	var log bytes.Buffer
	s, err := web.New(book, slog.New(slog.NewTextHandler(&log, nil)))
	require.NoError(f, err)
	h := s.Handler()
	began := time.Now().UTC().Add(-time.Hour)
	_, err = book.StartLive(context.Background(), &logbook.Run{StartedAt: &began})
	require.NoError(f, err)
	list := everything(f, h)
	require.Greater(f, len(list), 100)
	const hostile = "name=%00&line=40+100&key=k&kind=note&note=a%0d%0ab&t_s=1e309&from_pct=-0&to_pct=1e-320&runs=1,2,2,0,-1" +
		"&ids=1&of=1&car=1&stall=1&kept=1&ago_ms=NaN&window=80-10&x=%2BInf&at=99999-01-01T00:00"
	for i := range list {
		for _, typed := range []string{"", hostile, "a=%FF&;&=%zz&name=%E2%80%AE"} {
			f.Add(uint8(i), typed)
		}
	}
	n := 0
	f.Fuzz(func(t *testing.T, which uint8, typed string) {
		defer fuzzed.Watch(t)()
		what := list[int(which)%len(list)]
		n++
		path, body, query := cmp.Or(what.path, "/"), typed, ""
		if what.method == http.MethodGet {
			body, query = "", typed
		}
		r := httptest.NewRequest(what.method, path, strings.NewReader(body))
		r.URL.RawQuery = query
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.RemoteAddr = fmt.Sprintf("10.%d.%d.%d:4711", n>>16&255, n>>8&255, n&255) // one address may not ask for all of this
		log.Reset()
		w := newRecorder(h, r)
		if w.Code == http.StatusInternalServerError || w.Code == http.StatusServiceUnavailable {
			t.Fatalf("%s %s with %q: %d, %s", what.method, path, typed, w.Code, &log)
		}
		if strings.HasPrefix(w.Header().Get("Content-Type"), "text/") && !utf8.Valid(w.Body.Bytes()) {
			t.Fatalf("%s %s with %q: not text", what.method, path, typed)
		}
	})
}
