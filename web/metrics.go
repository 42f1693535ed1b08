package web

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"zincroad/logbook"
)

// metrics are what a probe reads of the program in the Prometheus text format. There is nothing of anybody's
// runs in them.
type metrics struct {
	registry *prometheus.Registry
	took     *prometheus.HistogramVec
}

// probeTimeout is how long one figure may take to be found out.
const probeTimeout = 5 * time.Second

func newMetrics(book *logbook.Book) *metrics {
	m := &metrics{registry: prometheus.NewRegistry(), took: prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "zincroad_request_seconds", Help: "How long requests took, by the route and the answer.",
		Buckets: []float64{.005, .02, .06, .15, .5, 2, 10},
	}, []string{"method", "route", "status"})}
	asked := func(name, help string, ask func(context.Context) (float64, error)) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, func() float64 {
			ctx, cancel := context.WithTimeout(logbook.Everywhere(context.Background()), probeTimeout)
			defer cancel()
			v, err := ask(ctx)
			if err != nil {
				return -1
			}
			return v
		})
	}
	m.registry.MustRegister(m.took, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		asked("zincroad_rework_left", "Runs whose figures are still to be worked out; -1: not known.",
			func(ctx context.Context) (float64, error) { n, err := book.Unread(ctx); return float64(n), err }),
		asked("zincroad_live_runs", "Runs that are being recorded; -1: not known.",
			func(ctx context.Context) (float64, error) {
				all, err := book.LiveRuns(ctx)
				return float64(len(all)), err
			}),
		asked("zincroad_ready", "1 where the database answers, takes writes and has this program's tables, else 0.",
			func(ctx context.Context) (float64, error) {
				if book.Ready(ctx) != nil {
					return 0, nil
				}
				return 1, nil
			}),
		prometheus.NewCounterFunc(prometheus.CounterOpts{Name: "zincroad_readings_stored_total",
			Help: "Readings of live runs that this program has acknowledged."},
			func() float64 { return float64(book.Stored()) }),
	)
	return m
}

// watch times requests by the pattern that they were routed by: addresses hold numbers of runs.
func (m *metrics) watch(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		route := chi.RouteContext(r.Context()).RoutePattern()
		if route == "" {
			route = "none"
		}
		m.took.WithLabelValues(r.Method, route, strconv.Itoa(ww.Status())).Observe(time.Since(began).Seconds())
	})
}

// Metrics gives what a probe reads, to be served where the pages are not.
func (s *Server) Metrics() http.Handler {
	return promhttp.HandlerFor(s.metrics.registry, promhttp.HandlerOpts{})
}
