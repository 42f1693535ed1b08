package main

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"zincroad/demo"
	"zincroad/internal/memory"
	"zincroad/live"
	"zincroad/logbook"
	"zincroad/logbook/cluster"
	"zincroad/web"
)

const (
	defaultPort     = 8460
	portTries       = 20
	shutdownTimeout = 10 * time.Second
)

// storage says where the logbook is: any PostgreSQL, or one of the program's own
// under a data folder.
type storage struct {
	databaseURL, databaseFile, data string
	replicas                        []string // addresses of copies of the database
	verbose                         bool
}

func (st *storage) flags(c *cobra.Command) {
	c.Flags().StringVar(&st.databaseURL, "database-url", "",
		"use this PostgreSQL instead of starting one; others on the machine can read it: rather ZINCROAD_DATABASE_URL")
	c.Flags().StringVar(
		&st.databaseFile,
		"database-url-file",
		"",
		"a file that holds the address of the PostgreSQL to use",
	)
	c.Flags().StringSliceVar(&st.replicas, "replica-url", nil,
		"a streaming copy of the PostgreSQL of --database-url, to read pages from; can be repeated (rather in "+
			"ZINCROAD_REPLICA_URLS, blanks between them)")
	c.Flags().StringVar(&st.data, "data", "", "data folder of the program's own PostgreSQL (default .zincroad here)")
	c.Flags().BoolVar(&st.verbose, "verbose", false, "log every request")
}

func (st *storage) log() *slog.Logger {
	level := slog.LevelInfo
	if st.verbose {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

// folder gives the data folder. As root, PostgreSQL runs as another user, which
// must be able to reach it; where it cannot, the folder stands under /var/lib.
func (st *storage) folder() (string, error) {
	if st.data != "" {
		return filepath.Abs(st.data)
	}
	here, err := filepath.Abs(".zincroad")
	if err != nil {
		return "", fmt.Errorf("data folder: %w", err)
	}
	if cluster.Reachable(here) {
		return here, nil
	}
	return fmt.Sprintf("/var/lib/zincroad-%x", sha256.Sum256([]byte(here)))[:30], nil
}

// url is the address of the PostgreSQL to use: named, in a file, or in the environment; empty: none.
func (st *storage) url() (string, error) {
	switch {
	case st.databaseURL != "":
		return st.databaseURL, nil
	case st.databaseFile != "":
		text, err := os.ReadFile(st.databaseFile)
		if err != nil {
			return "", complainUsage("--database-url-file: %v", err)
		}
		return strings.TrimSpace(string(text)), nil
	}
	return os.Getenv("ZINCROAD_DATABASE_URL"), nil
}

// open opens the logbook, starting PostgreSQL where none is named or running.
func (st *storage) open(ctx context.Context, log *slog.Logger, own bool) (*logbook.Book, func(), error) {
	named, err := st.url()
	if err != nil {
		return nil, nil, err
	}
	replicas := st.replicas
	if len(replicas) == 0 {
		replicas = strings.Fields(os.Getenv("ZINCROAD_REPLICA_URLS"))
	}
	if named != "" {
		b, err := logbook.OpenWithCopies(ctx, named, replicas, log)
		if err != nil {
			return nil, nil, err
		}
		return b, func() { b.Close() }, nil
	}
	if len(replicas) > 0 {
		return nil, nil, complainUsage("--replica-url is for copies of a PostgreSQL that --database-url names")
	}
	dir, err := st.folder()
	if err != nil {
		return nil, nil, err
	}
	if !own {
		if url, up := cluster.Attach(dir); up {
			b, err := logbook.Open(ctx, url, log)
			if err != nil {
				return nil, nil, err
			}
			return b, func() { b.Close() }, nil
		}
	}
	c, err := cluster.Start(ctx, cluster.Options{Dir: dir, Log: log})
	if err != nil {
		return nil, nil, err
	}
	b, err := logbook.Open(ctx, c.URL, log)
	if err != nil {
		return nil, nil, errors.Join(err, c.Stop())
	}
	if own {
		go c.Keep(ctx, log)
		go c.Room(ctx, log, b.SetFull)
	}
	return b, func() {
		b.Close()
		if err := c.Stop(); err != nil {
			log.Error("stopping PostgreSQL", "error", err)
		}
	}, nil
}

// door says where the program listens, and to whom it answers.
type door struct {
	listen    string
	hosts     []string
	behindTLS bool
	metrics   string   // where metrics are served; empty: nowhere
	adapters  []string // networks of adapters beside the machine's own
	speed     float64  // how many times faster the clock of live runs goes
}

func (d *door) flags(c *cobra.Command) {
	c.Flags().StringVar(&d.listen, "listen", "",
		"address to listen on (default 127.0.0.1 and the first free port from 8460); beyond this machine it needs a "+
			"password, see passwd")
	c.Flags().StringSliceVar(&d.hosts, "host", nil, "a name that the program goes by, beside localhost; can be repeated")
	c.Flags().StringSliceVar(&d.adapters, "adapter-net", nil,
		"a network, such as 10.20.0.0/16, on which adapters may be dialled beside this machine's own private ones")
	c.Flags().StringVar(&d.metrics, "metrics", "", "address to serve metrics on, such as 127.0.0.1:9460 (default: none)")
	c.Flags().BoolVar(&d.behindTLS, "behind-tls", false, "a proxy in front speaks TLS: cookies are for TLS alone")
	c.Flags().Float64Var(&d.speed, "speed", 1,
		"run the clock of live runs so many times faster, for a stand-in of the same speed")
}

// open listens, and tells by which names the program goes: those of --host, and the address itself where it
// is one of this machine's. It refuses to listen beyond the machine where no password is set.
func (d *door) open(ctx context.Context, book *logbook.Book) (net.Listener, []string, error) {
	if host, _, err := net.SplitHostPort(d.listen); d.listen != "" && err == nil && !loopback(host) {
		hash, err := book.PasswordHash(ctx)
		if err != nil {
			return nil, nil, err
		}
		if hash == "" {
			return nil, nil, complainUsage("--listen %s reaches beyond this machine, and no password is set: "+
				"zincroad passwd sets one", d.listen)
		}
	}
	l, err := listenOn(d.listen)
	if err != nil {
		return nil, nil, err
	}
	names := d.hosts
	if host, _, err := net.SplitHostPort(l.Addr().String()); err == nil && !net.ParseIP(host).IsUnspecified() {
		names = append(names, host)
	}
	return l, names, nil
}

// reach is where adapters may be.
func (d *door) reach() (r live.Reach, err error) {
	for _, text := range d.adapters {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			return r, complainUsage("--adapter-net %q: expected a network such as 10.20.0.0/16", text)
		}
		r.Also = append(r.Also, p.Masked())
	}
	return r, nil
}

// loopback tells whether a host to listen on is this machine's alone.
func loopback(host string) bool {
	if host == "localhost" {
		return true
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}

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
	defer keepRead(ctx, book)() // it is at the database, which closes behind it
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

// keepRead works runs out in the background; what it gives stops that, and waits for it.
func keepRead(ctx context.Context, book *logbook.Book) (stop func()) {
	reading, cancel := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		book.KeepRead(reading)
	}()
	return func() {
		cancel()
		<-done
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
