package web_test

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

// copyOf is one copy of the program on a database that others use as well.
func copyOf(t *testing.T, database string) (*logbook.Book, string) {
	t.Helper()
	book, err := logbook.Open(context.Background(), database, logbooktest.Quiet())
	require.NoError(t, err)
	site, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	srv := httptest.NewServer(site.Handler())
	ctx, stop := context.WithCancel(context.Background())
	followed := make(chan struct{})
	go func() { defer close(followed); site.FollowLive(ctx) }()
	t.Cleanup(func() {
		site.Close()
		stop()
		<-followed
		srv.CloseClientConnections()
		srv.Close()
		require.NoError(t, book.Close())
	})
	return book, srv.URL
}

// stream listens to a live page's events.
type stream struct {
	t  *testing.T
	in *bufio.Scanner
}

func listen(t *testing.T, address string) *stream {
	t.Helper()
	ctx, stop := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(stop)
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	require.NoError(t, err)
	resp, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	t.Cleanup(func() { resp.Body.Close() })
	require.Equal(t, "text/event-stream", resp.Header.Get("Content-Type"))
	in := bufio.NewScanner(resp.Body)
	in.Buffer(nil, 1<<20)
	return &stream{t, in}
}

// until reads events of a kind until one says what is wanted, and gives how many
// events of that kind it took.
func (s *stream) until(kind, says string) int {
	s.t.Helper()
	var event string
	var data strings.Builder
	seen := 0
	for s.in.Scan() {
		line := s.in.Text()
		switch {
		case strings.HasPrefix(line, "event: "):
			event = line[7:]
			data.Reset()
		case strings.HasPrefix(line, "data: "):
			data.WriteString(line[6:] + "\n")
		case line == "" && event == kind:
			if seen++; strings.Contains(data.String(), says) {
				return seen
			}
			event = ""
		}
	}
	require.Fail(s.t, "the stream ended", "before %s said %q: %v", kind, says, s.in.Err())
	return 0
}

// Two copies of the program on one database: what one stores, the pages of the
// other show.
func TestEveryCopyShowsEveryRun(t *testing.T) {
	t.Parallel()
	database := server.URL(t)
	book, first := copyOf(t, database)
	_, second := copyOf(t, database)
	id := started(t, book, time.Minute, nil)
	page := fmt.Sprintf("/stall/%d", id)
	here, there := listen(t, first+page+"/events"), listen(t, second+page+"/events")
	here.until("now", "not plugged in yet")
	there.until("now", "not plugged in yet")
	there.until("acts", "Plugged in")
	resp, err := http.PostForm(first+page+"/readings", url.Values{"line": {"37 88 19"}, "key": {"k"}})
	require.NoError(t, err)
	resp.Body.Close()
	there.until("now", `>37</span>`)
	here.until("now", `>37</span>`)
	there.until("last", "37 88 19")
	resp, err = http.PostForm(second+page+"/marks", url.Values{"kind": {"fan"}})
	require.NoError(t, err)
	resp.Body.Close()
	here.until("last", "fan")
	require.NoError(t, book.EndLive(context.Background(), id))
	there.until("now", "This run has been ended")
	listen(t, first+page+"/events").until("now", "This run has been ended") // a page that was not looked at meanwhile
}

// A channel that comes later, and a recording that does: a page that has followed
// from the start shows the same as one that is opened now.
func TestFollowingShowsWhatOpeningShows(t *testing.T) {
	t.Parallel()
	database := server.URL(t)
	book, address := copyOf(t, database)
	id := started(t, book, 10*time.Minute, nil)
	car := &logbook.Feed{RunID: id, Kind: logbook.AdapterFeed, Address: "192.0.2.1:35000"}
	require.NoError(t, book.AddFeed(context.Background(), car, trace.CarSide))
	add := func(f *logbook.Feed, ts float64, values map[trace.Channel]float64) {
		t.Helper()
		require.NoError(
			t,
			book.Append(context.Background(), id, f.RecordingID,
				[]logbook.Sample{{TS: ts, HeardS: ts, Values: values}}),
		)
	}
	add(car, 570, map[trace.Channel]float64{trace.SoC: 21})
	add(car, 575, map[trace.Channel]float64{trace.SoC: 21.5})
	page := fmt.Sprintf("%s/stall/%d", address, id)
	followed := listen(t, page+"/events")
	followed.until("now", `>21.5</span>`)
	add(car, 580, map[trace.Channel]float64{trace.SoC: 22, trace.BatteryTempMin: 17})
	stall := &logbook.Feed{RunID: id, Kind: logbook.ChargePointFeed, Address: "MILL-7", Connector: 1}
	require.NoError(t, book.AddFeed(context.Background(), stall, trace.StallSide))
	add(stall, 585, map[trace.Channel]float64{trace.Power: 64, trace.OfferedPower: 100})
	add(car, 590, map[trace.Channel]float64{trace.SoC: 22.5})
	for _, figure := range []string{"22.5", "17", "64"} {
		followed.until("now", `>`+figure+`</span>`)
	}
	resp, err := http.Get(page)
	require.NoError(t, err)
	var body strings.Builder
	_, err = copyTo(&body, resp)
	require.NoError(t, err)
	for _, figure := range []string{"22.5", "17", "64"} {
		assert.Contains(t, body.String(), `>`+figure+`</span>`)
	}
}
