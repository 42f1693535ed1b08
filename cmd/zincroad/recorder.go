package main

import (
	"context"
	"net/http"
	"strings"
	"time"

	"zincroad/live"
	"zincroad/web"
)

// fastClock is a clock that runs speed times faster than the real one, for
// practising with a stand-in of the same speed.
func fastClock(speed float64) func() time.Time {
	began := time.Now()
	return func() time.Time { return began.Add(time.Duration(float64(time.Since(began)) * speed)) }
}

// record starts the recorder and puts the charge points' entrance before the pages.
// The recorder has stored what it read when recorded is closed, after the context's
// end.
func record(ctx context.Context, recorder *live.Recorder, site *web.Server, proxied bool) (entrance http.Handler,
	recorded <-chan struct{}) {
	done := make(chan struct{})
	go func() { defer close(done); recorder.Run(ctx) }()
	go site.FollowLive(ctx)
	centre := &live.Centre{Recorder: recorder, Passwords: recorder.Book, Proxied: proxied}
	pages := site.Handler()
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name, ok := strings.CutPrefix(r.URL.Path, "/ocpp/")
		if ok && name != "" && !strings.Contains(name, "/") {
			centre.Serve(w, r, name)
			return
		}
		pages.ServeHTTP(w, r)
	}), done
}
