package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"strconv"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"zincroad/demo"
	"zincroad/internal/memory"
	"zincroad/live"
	"zincroad/logbook"
	"zincroad/web"
	"zincroad/web/hooks"
)

const (
	defaultPort     = 8460
	portTries       = 20
	shutdownTimeout = 10 * time.Second
)

func serveCommand() *cobra.Command {
	var st storage
	var d door
	c := &cobra.Command{
		Use: "serve", Short: "Serve the logbook over HTTP", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return serve(c.Context(), &st, &d, false) },
	}
	st.flags(c)
	d.flags(c)
	return c
}

func demoCommand() *cobra.Command {
	var st storage
	var d door
	c := &cobra.Command{
		Use: "demo", Short: "Start PostgreSQL and serve the logbook with demo data", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return serve(c.Context(), &st, &d, true) },
	}
	st.flags(c)
	d.flags(c)
	return c
}

func migrateCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "migrate", Short: "Bring the database's tables up to date", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			_, closeBook, err := st.open(c.Context(), st.log(), false)
			if err != nil {
				return err
			}
			closeBook()
			fmt.Fprintln(c.OutOrStdout(), "The tables are up to date.")
			return nil
		},
	}
	st.flags(c)
	return c
}

// serve opens the logbook, with demo data where it is empty and wanted, and serves it with a
// recorder beside it until the context ends.
func serve(ctx context.Context, st *storage, d *door, withDemo bool) error {
	if !(d.speed >= 1 && d.speed <= 120) {
		return complainUsage("--speed %g: expected 1 to 120", d.speed)
	}
	reach, err := d.reach()
	if err != nil {
		return err
	}
	memory.Settle()
	log := st.log()
	book, closeBook, err := st.open(ctx, log, true)
	if err != nil {
		return err
	}
	defer closeBook()
	if withDemo {
		if err := loadDemo(ctx, book, os.Stdout); err != nil {
			return err
		}
	}
	defer keepRead(ctx, book, log)() // it is at the database, which closes behind it
	if err := book.Tidy(ctx); err != nil {
		log.Warn("tidying up", "error", err)
	}
	site, err := web.New(book, log)
	if err != nil {
		return err
	}
	l, names, err := d.open(ctx, book)
	if err != nil {
		return err
	}
	if d.behindTLS {
		site.BehindTLS()
	}
	if err := d.trust(site); err != nil {
		return err
	}
	if d.metrics != "" {
		stop, err := serveMetrics(d.metrics, site.Metrics(), log)
		if err != nil {
			return err
		}
		defer stop()
	}
	recorder := &live.Recorder{Book: book, Log: log, Now: fastClock(d.speed), Speed: d.speed, Reach: reach}
	if d.speed == 1 {
		recorder.Steady = live.NewSteady()
		recorder.Now = recorder.Steady.Now
		if err := recorder.TakeUp(ctx); err != nil {
			return err
		}
	}
	site.SetClock(recorder.Now)
	entrance, recorded := record(ctx, recorder, site, d.behindTLS)
	srv := &http.Server{
		Handler: web.OnlyHosts(
			entrance,
			names,
		), MaxHeaderBytes: 64 << 10, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		BaseContext: func(net.Listener) context.Context { return context.WithoutCancel(ctx) },
		ErrorLog:    slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	srv.RegisterOnShutdown(site.Close)
	return serveUntil(ctx, srv, l, recorded, log)
}

// keepRead works runs out in the background, and tells hooks what happened; what it gives stops both, and waits for
// them.
func keepRead(ctx context.Context, book *logbook.Book, log *slog.Logger) (stop func()) {
	working, cancel := context.WithCancel(ctx)
	sender := &hooks.Sender{Book: book, Log: log, Now: time.Now, Client: hooks.NewClient()}
	var all sync.WaitGroup
	all.Go(func() { book.KeepRead(working) })
	all.Go(func() { sender.Keep(working) })
	return func() {
		cancel()
		all.Wait()
	}
}

// serveUntil serves until the context ends, and then lets what is under way come to its
// end: requests, and the recorder, which tells when it has stored the last readings.
func serveUntil(
	ctx context.Context,
	srv *http.Server,
	l net.Listener,
	recorded <-chan struct{},
	log *slog.Logger,
) error {
	fmt.Printf("Zinc Road is at http://%s/ (Ctrl-C stops it)\n", l.Addr())
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(l) }()
	select {
	case err := <-failed:
		return fmt.Errorf("serving: %w", err)
	case <-ctx.Done():
	}
	fmt.Println("Stopping.")
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), shutdownTimeout)
	defer cancel()
	if err := srv.Shutdown(end); err != nil {
		log.Warn("some requests were cut off", "error", err)
	}
	select {
	case <-recorded:
	case <-end.Done():
		log.Warn("the recorder was cut off")
	}
	return nil
}

// listenOn opens the wanted address, or the first free port from the usual one.
func listenOn(address string) (net.Listener, error) {
	if address != "" {
		l, err := net.Listen("tcp", address)
		if err != nil {
			return nil, fmt.Errorf("listening: %w", err)
		}
		return l, nil
	}
	var last error
	for port := defaultPort; port < defaultPort+portTries; port++ {
		l, err := net.Listen("tcp", "127.0.0.1:"+strconv.Itoa(port))
		if err == nil {
			return l, nil
		}
		last = err
	}
	return nil, fmt.Errorf("listening: %w", last)
}

// loadDemo fills an empty logbook with the demo's runs, and one in which that was cut off with what is missing.
func loadDemo(ctx context.Context, book *logbook.Book, out io.Writer) error {
	n, err := book.Count(ctx)
	if err != nil {
		return err
	}
	begun, err := book.DemoLoading(ctx)
	if err != nil || n > 0 && !begun {
		return err
	}
	if err := book.SetDemoLoading(ctx, true); err != nil {
		return err
	}
	fmt.Fprintln(out, "Loading the demo: the vehicle workshop of the Wend Valley mobile libraries.")
	loaded := 0
	if err := demo.Load(ctx, book, func(string) { loaded++ }); err != nil {
		return err
	}
	if err := book.SetDemoLoading(ctx, false); err != nil {
		return err
	}
	fmt.Fprintf(out, "%d runs loaded.\n", loaded)
	return nil
}

// serveMetrics serves metrics at an address of their own until it is stopped.
func serveMetrics(address string, h http.Handler, log *slog.Logger) (stop func(), err error) {
	if host, _, err := net.SplitHostPort(address); err != nil || !loopback(host) {
		return nil, complainUsage("--metrics %s: expected an address of this machine alone, such as 127.0.0.1:9460",
			address)
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("listening for metrics: %w", err)
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", h)
	srv := &http.Server{
		Handler:           web.OnlyHosts(mux, nil),
		ReadHeaderTimeout: 5 * time.Second,
		WriteTimeout:      30 * time.Second,
	}
	go func() {
		if err := srv.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			log.Error("serving metrics", "error", err)
		}
	}()
	return func() { srv.Close() }, nil
}
