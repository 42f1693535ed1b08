package web_test

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/semaphore"

	"zincroad/logbook/logbooktest"
	"zincroad/web"
	"zincroad/web/ui"
)

func asked(h http.Handler, method, path, host string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, nil)
	if host != "" {
		r.Host = host
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

// The program answers to the loopback's names and to those it was given; a page elsewhere that had its own name
// point here gets nothing. Health is told to a probe by whatever name.
func TestOnlyItsOwnNames(t *testing.T) {
	h := web.OnlyHosts(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {}), []string{"workshop.wend", ""})
	for host, want := range map[string]int{
		"localhost": 200, "localhost:8460": 200, "LOCALHOST": 200, "127.0.0.1:8460": 200, "127.8.9.1": 200, "[::1]:8460": 200,
		"workshop.wend": 200, "Workshop.Wend.:80": 200,
		"elsewhere.example": 421, "localhost.elsewhere.example": 421, "127.0.0.1.elsewhere.example": 421,
		"10.0.0.7:8460": 421,
		"":              421, "[::2]": 421,
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.Host = host
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		assert.Equal(t, want, w.Code, "%q", host)
	}
	assert.Equal(t, 200, asked(h, "GET", "/healthz", "10.0.0.7").Code)
	assert.Equal(t, 421, asked(h, "GET", "/ocpp/MILL-3", "elsewhere.example").Code, "a WebSocket neither")
}

// What no text holds is refused in one sentence before it reaches a page; HEAD is answered as GET; files are
// served, lists of them are not.
func TestOddRequests(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	for _, path := range []string{"/?q=%00", "/runs/1?channel=%ff", "/?a%00b=1", "/%00"} {
		w := asked(h, http.MethodGet, path, "")
		assert.Equal(t, http.StatusBadRequest, w.Code, path)
		assert.Contains(t, w.Body.String(), "characters that are no text")
	}
	for _, path := range []string{"/", "/runs/1", "/bench", "/healthz", "/readyz", "/static/app.css"} {
		w := asked(h, http.MethodHead, path, "")
		assert.Equal(t, http.StatusOK, w.Code, path)
	}
	for _, path := range []string{"/static/", "/static"} {
		assert.Equal(t, http.StatusNotFound, asked(h, http.MethodGet, path, "").Code, path)
	}
	assert.Equal(t, "ready\n", asked(h, http.MethodGet, "/readyz", "").Body.String())
}

// A form takes two megabytes and no more, whether it says so or not; what was typed is cleaned of what is no
// text, and a line break in a note forges no event.
func TestFormsAreBounded(t *testing.T) {
	h, book := handler(t, true)
	w := post(h, "/garage/cars", url.Values{"name": {strings.Repeat("x", 3<<20)}})
	assert.Equal(t, http.StatusRequestEntityTooLarge, w.Code)
	r := httptest.NewRequest(http.MethodPost, "/garage/cars", io.MultiReader(strings.NewReader("name="),
		strings.NewReader(strings.Repeat("x", 3<<20)))) // it does not say how long it is
	r.ContentLength = -1
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	assert.Equal(t, http.StatusBadRequest, newRecorder(h, r).Code)

	w = post(
		h,
		"/runs/1/marks",
		url.Values{"time": {"1:00"}, "kind": {"note"}, "note": {"rain\r\ndata: begins\x00\u202e"}},
	)
	require.Equal(t, http.StatusSeeOther, w.Code)
	row, err := book.Run(t.Context(), 1)
	require.NoError(t, err)
	var notes []string
	for _, m := range row.Marks {
		notes = append(notes, m.Note)
	}
	assert.Contains(t, notes, "rain  data: begins")
}

// A body that drips is ended, and the connection with it; one that comes at a phone's pace is read, however
// long it takes.
func TestSlowBodiesAreEnded(t *testing.T) {
	t.Parallel()
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if _, err := io.ReadAll(r.Body); err != nil {
			http.Error(w, "too slow", http.StatusBadRequest)
		}
	})
	srv := httptest.NewServer(web.Paced(300 * time.Millisecond)(h))
	defer srv.Close()
	send := func(parts int, part string, every time.Duration) string {
		c, err := net.Dial("tcp", srv.Listener.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		_, err = fmt.Fprintf(
			c,
			"POST / HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\nContent-Length: %d\r\n\r\n",
			8*len(part),
		)
		require.NoError(t, err)
		tick := time.NewTicker(every)
		defer tick.Stop()
		for range parts {
			<-tick.C
			_, _ = io.WriteString(c, part)
		}
		require.NoError(t, c.SetReadDeadline(time.Now().Add(10*time.Second)))
		answer, err := io.ReadAll(c)
		require.NoError(t, err, "the server has closed it")
		return string(answer)
	}
	assert.Contains(t, send(1, "dr", time.Millisecond), "400 Bad Request", "it stops after two bytes of sixteen")
	assert.Contains(
		t,
		send(8, strings.Repeat("x", 2<<10), 60*time.Millisecond),
		"200 OK",
		"2 KB each 60 ms, for half a second",
	)
}

// What a probe reads: requests by their route and not by anybody's run, what is left to do, and whether the
// program is ready; at an address of its own, not among the pages.
func TestMetrics(t *testing.T) {
	t.Parallel()
	book := newBook(t, true)
	srv, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	h := srv.Handler()
	for _, path := range []string{"/runs/1", "/runs/2", "/no-such-page"} {
		asked(h, http.MethodGet, path, "")
	}
	text := asked(srv.Metrics(), http.MethodGet, "/metrics", "").Body.String()
	for _, want := range []string{
		"zincroad_ready 1", "zincroad_live_runs 0", "zincroad_readings_stored_total 0", "zincroad_rework_left ",
	} {
		assert.True(t, strings.Contains(text, want), "%s\n%.3000s", want, text)
	}
	routed := regexp.MustCompile(`request_seconds_count\{method="GET",route="/runs/\{id\}/?",status="200"\} 2`)
	assert.True(t, routed.MatchString(text))
	assert.False(t, strings.Contains(text, "/runs/1"))
	assert.Equal(t, http.StatusNotFound, asked(h, http.MethodGet, "/metrics", "").Code)
	require.NoError(t, book.Close())
	text = asked(srv.Metrics(), http.MethodGet, "/metrics", "").Body.String()
	assert.True(t, strings.Contains(text, "zincroad_ready 0"))
	assert.True(t, strings.Contains(text, "zincroad_rework_left -1"))
}

// A form of a page elsewhere changes nothing here; one of the program's own does.
func TestForeignOrigins(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	try := func(header, value string) int {
		r := httptest.NewRequest(http.MethodPost, "/runs/3/delete", strings.NewReader(""))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set(header, value)
		return newRecorder(h, r).Code
	}
	for _, foreign := range [][2]string{{"Origin", "http://elsewhere.example"}, {"Origin", "null"},
		{"Sec-Fetch-Site", "cross-site"}, {"Sec-Fetch-Site", "same-site"}} {
		assert.Equal(t, http.StatusForbidden, try(foreign[0], foreign[1]), foreign)
	}
	row, err := book.Run(t.Context(), 3)
	require.NoError(t, err)
	assert.False(t, row.DeletedAt.Valid)
	assert.Equal(t, http.StatusSeeOther, try("Sec-Fetch-Site", "same-origin"))
}

// Bodies are let in as far as they fit together; one more waits until another is done, is told to come again
// where that takes too long, and a page without a body never waits.
func TestLargeBodiesTakeTurns(t *testing.T) {
	t.Parallel()
	const mega = 1 << 20
	started, finish := make(chan int64, 9), make(chan struct{})
	h := queue(10 * mega).Take(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		if started <- r.ContentLength / mega; r.ContentLength > 0 {
			<-finish
		}
	}))
	answers := make(chan int, 9)
	send := func(n int) {
		go func() {
			w := httptest.NewRecorder()
			body := strings.NewReader(strings.Repeat("x", n*mega))
			h.ServeHTTP(w, httptest.NewRequest(http.MethodPost, "/desk/files", body))
			answers <- w.Code
		}()
	}
	send(6)
	require.Equal(t, int64(6), <-started)
	send(4)
	require.Equal(t, int64(4), <-started)
	send(2)
	assert.Equal(t, http.StatusServiceUnavailable, <-answers, "it has waited long enough")
	h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "/desk", nil))
	assert.Equal(t, int64(0), <-started)
	send(3)
	finish <- struct{}{}
	require.Equal(t, int64(3), <-started, "one is done")
	finish <- struct{}{}
	finish <- struct{}{}
	for range 3 {
		assert.Equal(t, http.StatusOK, <-answers)
	}
}

func queue(room int64) *ui.Queue {
	return &ui.Queue{Held: semaphore.NewWeighted(room), Unpacked: semaphore.NewWeighted(room),
		Coming: semaphore.NewWeighted(2), Patience: 150 * time.Millisecond}
}

// Who sends slowly waits alone: another's file is taken in meanwhile, and comes as it was sent.
func TestASlowSenderWaitsAlone(t *testing.T) {
	t.Parallel()
	got := make(chan string, 2)
	h := queue(3 << 20).Take(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		b, err := io.ReadAll(r.Body)
		got <- fmt.Sprintf("%d %.3s %v", len(b), b, err)
	}))
	slow, send := io.Pipe()
	go h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodPost, "/desk/files", slow))
	_, err := send.Write([]byte("half of it"))
	require.NoError(t, err)
	whole := strings.NewReader("abc" + strings.Repeat("x", 2<<20))
	h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodPost, "/desk/files", whole))
	assert.Equal(t, "2097155 abc <nil>", <-got)
	require.NoError(t, send.CloseWithError(io.ErrUnexpectedEOF))
	assert.Equal(t, "10 hal unexpected EOF", <-got, "it is known to have broken off")
}

// What files unpack to takes turns too, beside the bodies; a request that ends frees what it held, and one that has
// waited long enough is told to come again.
func TestUnpackedFilesTakeTurns(t *testing.T) {
	t.Parallel()
	const room = 100
	entered, finish := make(chan error), make(chan struct{})
	h := queue(room).Take(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		entered <- ui.Hold(r.Context(), 60)
		<-finish
	}))
	ask := func() {
		go h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "/desk/arrivals/1", nil))
	}
	ask()
	require.NoError(t, <-entered)
	ask()
	require.ErrorIs(t, <-entered, ui.ErrBusy, "two of them are more than there is room for")
	finish <- struct{}{}
	finish <- struct{}{}
	ask()
	require.NoError(t, <-entered, "the first is done")
	finish <- struct{}{}
	assert.NoError(t, ui.Hold(t.Context(), room), "outside of it nothing is counted")
}

// A further recording of a run may be as large as a file for the Desk: more than a form without a file.
func TestALargeFurtherRecording(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	var text strings.Builder
	text.WriteString("t_s,soc_pct,power_kw,stall\n")
	for i := 0; text.Len() < 3<<20; i++ {
		fmt.Fprintf(&text, "%.3f,%.4f,%.4f,\n", float64(i)*0.01, 10+float64(i)*0.0002, 100+float64(i%7))
	}
	before, err := book.Run(t.Context(), 1)
	require.NoError(t, err)
	w := uploadTo(t, h, "/runs/1/recordings", "stall-long.csv", []byte(text.String()))
	assert.Equal(t, http.StatusSeeOther, w.Code, "%.300s", w.Body.String())
	after, err := book.Run(t.Context(), 1)
	require.NoError(t, err)
	assert.Len(t, after.Recordings, len(before.Recordings)+1)
}
