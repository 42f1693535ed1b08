package bench

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/formats/profile"
	"zincroad/live"
	"zincroad/logbook"
	"zincroad/logbook/cluster"
	"zincroad/logbook/logbooktest"
	"zincroad/standin"
	"zincroad/web"
)

const benchScenario = `{"car": {"chemistry": "NMC", "usable_kwh": 75, "cells_in_series": 96, "max_kw": 200},
	"stall": {"rated_kw": 350, "max_a": 500},
	"from_pct": 10, "to_pct": 80, "battery_c": 25, "ambient_c": 10, "plug_s": 1}`

// Live runs at one reading a second on two sides, with fifty open pages, on a
// PostgreSQL that syncs every commit to disk. Each step doubles the runs until a
// reading takes longer than a second at the 99th percentile.
func TestLiveRuns(t *testing.T) {
	only(t)
	for _, runs := range []int{200, 400, 800} {
		if p99 := liveRuns(t, runs, 50, 20*time.Second); p99 > time.Second {
			fmt.Printf("live runs: breaks at %d\n", runs)
			return
		}
	}
}

// liveRuns measures live runs on a logbook of their own, and gives the 99th percentile of
// the time from a reading to the disk.
func liveRuns(t *testing.T, runs, pages int, lasting time.Duration) time.Duration {
	dir, err := os.MkdirTemp("", "zincroad-live-")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	require.NoError(t, os.Chmod(dir, 0o755))
	c, err := cluster.Start(context.Background(), cluster.Options{Dir: dir + "/pg", Log: logbooktest.Quiet()})
	require.NoError(t, err)
	defer c.Stop()
	return liveRunsOn(t, c.URL, runs, pages, lasting)
}

func liveRunsOn(t *testing.T, url string, runs, pages int, lasting time.Duration) time.Duration {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	book, err := logbook.Open(ctx, url, logbooktest.Quiet()) // makes the tables of a new one
	require.NoError(t, err)
	defer book.Close()
	var before int64
	require.NoError(t, readingsStored(url, &before))

	var mu sync.Mutex
	var ages []time.Duration
	recorder := &live.Recorder{
		Book: book,
		Log:  logbooktest.Quiet(),
		Pace: time.Second,
		Stored: func(age time.Duration) {
			mu.Lock()
			ages = append(ages, age)
			mu.Unlock()
		},
	}
	centre := &live.Centre{Recorder: recorder}
	site, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	handler := site.Handler()
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if name, ok := strings.CutPrefix(r.URL.Path, "/ocpp/"); ok {
			centre.Serve(w, r, name)
			return
		}
		handler.ServeHTTP(w, r)
	}))
	defer srv.Close()
	defer srv.CloseClientConnections()
	defer site.Close()

	var p profile.Profile
	require.NoError(t, json.Unmarshal(profile.Example(), &p))
	for i := range p.Channels {
		p.Channels[i].EveryS = 1
	}
	text, err := json.Marshal(p)
	require.NoError(t, err)
	asked, err := profile.Parse(text)
	require.NoError(t, err)
	sc, err := standin.ReadScenario([]byte(benchScenario))
	require.NoError(t, err)
	world, err := standin.NewWorld(sc, 1, 1)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	var all sync.WaitGroup
	all.Go(func() { _ = (&standin.Adapter{World: world, Profile: asked, Log: logbooktest.Quiet()}).Serve(ctx, l) })

	start := time.Now().UTC()
	var ids []int64
	for i := range runs {
		at := start.Add(time.Duration(i) * time.Microsecond)
		id, err := book.StartLive(ctx, &logbook.Run{StartedAt: &at})
		require.NoError(t, err)
		ids = append(ids, id)
		f := &logbook.Feed{RunID: id, Kind: logbook.AdapterFeed, Address: l.Addr().String(), Profile: string(text)}
		require.NoError(t, book.AddFeed(ctx, f, trace.CarSide))
		name := fmt.Sprintf("CP-%d", i)
		f = &logbook.Feed{RunID: id, Kind: logbook.ChargePointFeed, Address: name, Connector: 1}
		require.NoError(t, book.AddFeed(ctx, f, trace.StallSide))
		all.Go(func() {
			_ = (&standin.Charger{World: world, URL: "ws" + srv.URL[4:] + "/ocpp/" + name, EveryS: 1,
				Log: logbooktest.Quiet()}).Run(ctx)
		})
	}
	all.Go(func() { recorder.Run(ctx) })
	all.Go(func() { site.FollowLive(ctx) })
	var frames atomic.Int64
	for i := range pages {
		all.Go(func() { watchPage(ctx, fmt.Sprintf("%s/stall/%d/events", srv.URL, ids[i*len(ids)/pages]), &frames) })
	}
	<-time.After(5 * time.Second) // everybody has connected
	mu.Lock()
	ages = nil
	mu.Unlock()
	frames.Store(0)
	<-time.After(lasting)
	mu.Lock()
	got := slices.Clone(ages)
	mu.Unlock()
	shown := frames.Load()
	stop()
	srv.CloseClientConnections()
	all.Wait()
	var stored int64
	require.NoError(t, readingsStored(url, &stored))
	stored -= before
	mu.Lock()
	acknowledged := int64(len(ages))
	mu.Unlock()
	slices.Sort(got)
	p99 := got[len(got)*99/100]
	fmt.Printf(
		"live runs: %d on two sides, %d pages: %.0f readings a second; stored after %v (median), %v (99 %%), %v "+
			"(all); %.0f pictures a second; %d acknowledged after the start, %d on disk\n",
		runs,
		pages,
		float64(len(got))/lasting.Seconds(),
		got[len(got)/2].Round(time.Millisecond),
		p99.Round(time.Millisecond),
		got[len(got)-1].Round(time.Millisecond),
		float64(shown)/lasting.Seconds(),
		acknowledged,
		stored,
	)
	require.GreaterOrEqual(t, stored, acknowledged, "no reading lost")
	return p99
}

// watchPage listens as a page does.
func watchPage(ctx context.Context, url string, frames *atomic.Int64) {
	r, _ := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return
	}
	defer resp.Body.Close()
	in := bufio.NewReader(resp.Body)
	for {
		line, err := in.ReadString('\n')
		if err == io.EOF || err != nil {
			return
		}
		if strings.HasPrefix(line, "event: now") {
			frames.Add(1)
		}
	}
}
