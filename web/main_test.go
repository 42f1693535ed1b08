package web_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"zincroad/demo"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

var (
	server  *logbooktest.Server
	browser context.Context // one browser for all tests, one tab for each
)

func TestMain(m *testing.M) {
	code, err := setUp(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

func setUp(m *testing.M) (int, error) {
	var err error
	if server, err = logbooktest.Start(); err != nil {
		return 1, err
	}
	defer server.Stop()
	if err := server.Prepare(demoBook, func(b *logbook.Book) error {
		if err := demo.Load(context.Background(), b, func(string) {}); err != nil {
			return err
		}
		return b.Rework(context.Background(), nil)
	}); err != nil {
		return 1, err
	}
	// No look-ups: nothing but this machine is ever asked.
	opts := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND , EXCLUDE 127.0.0.1 , EXCLUDE localhost"),
		chromedp.DisableGPU, chromedp.Flag("disable-software-rasterizer", true))
	if path, err := exec.LookPath("chromium-headless-shell"); err == nil {
		opts = append(opts, chromedp.ExecPath(path))
	}
	alloc, stop := chromedp.NewExecAllocator(context.Background(), opts...)
	defer stop()
	ctx, quit := chromedp.NewContext(alloc)
	defer quit()
	if err := chromedp.Do(ctx); err != nil {
		return 1, fmt.Errorf("starting the browser: %w", err)
	}
	browser = ctx
	return m.Run(), nil
}

// site is a server with its logbook, and a tab that looks at it.
type site struct {
	*testing.T
	book *logbook.Book
	url  string
	tab  context.Context
	ts   *httptest.Server
	away atomic.Bool                   // it answers nothing but that it cannot
	deaf atomic.Pointer[chan struct{}] // where set, files that are sent are read when it is closed

	ahead atomic.Int64 // ns by which its clock is ahead of the machine's

	database string // its address, for a way around the logbook

	mu   sync.Mutex
	said []string // every message of the console, of any kind
}

// demoBook is the prepared database with the demo's runs.
const demoBook = "zincroad_demo"

// newBook gives an empty logbook, or one with the demo's runs.
func newBook(t testing.TB, withDemo bool) *logbook.Book {
	t.Helper()
	if withDemo {
		return server.BookFrom(t, demoBook)
	}
	return server.Book(t)
}

const patience = 2 * time.Minute

func newSite(t *testing.T, width, height int64, withDemo bool) *site {
	t.Helper()
	t.Parallel() // each has its own logbook, server and tab
	return openSite(t, width, height, withDemo)
}

// openSite is newSite for a test that has the machine for itself.
func openSite(t *testing.T, width, height int64, withDemo bool) *site {
	t.Helper()
	from := logbooktest.Empty
	if withDemo {
		from = demoBook
	}
	database := server.URLFrom(t, from)
	book, err := logbook.Open(context.Background(), database, logbooktest.Quiet())
	require.NoError(t, err)
	srv, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	s := &site{T: t, book: book, database: database}
	srv.SetClock(func() time.Time { return time.Now().Add(time.Duration(s.ahead.Load())) })
	handler := srv.Handler()
	ts := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.away.Load() {
			http.Error(w, "starting again", http.StatusServiceUnavailable)
			return
		}
		if hears := s.deaf.Load(); hears != nil && strings.HasPrefix(r.URL.Path, "/desk/files") {
			select {
			case <-*hears:
			case <-r.Context().Done():
			}
		}
		handler.ServeHTTP(w, r)
	}))
	tab, shut := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	s.url, s.tab, s.ts = ts.URL, tab, ts
	following, unfollow := context.WithCancel(context.Background())
	go srv.FollowLive(following)
	go book.KeepRead(following)
	t.Cleanup(func() {
		unfollow()
		shut()
		srv.Close()
		ts.CloseClientConnections()
		ts.Close()
		_ = book.Close()
	})
	messages := chromedp.Console(tab)
	go func() {
		for m, err := range messages {
			if err != nil {
				return
			}
			// A form that comes back with its faults is no fault of the page.
			refused := strings.Contains(m.String(), "status of 422") || strings.HasSuffix(m.URL, "/no-such-page")
			if !refused {
				s.mu.Lock()
				s.said = append(s.said, m.String()+" "+m.URL)
				s.mu.Unlock()
			}
		}
	}()
	require.NoError(t, chromedp.Do(tab, chromedp.EmulateViewport(width, height)))
	t.Cleanup(func() {
		if !t.Failed() {
			s.quiet()
		}
	})
	return s
}

// do runs browser actions within a time that fits all of them. An element that the
// page renewed between being found and being used, as a live one does every second,
// is looked for again: nothing was done to it.
func (s *site) do(actions ...chromedp.Action[chromedp.Void]) {
	s.Helper()
	ctx, cancel := context.WithTimeout(s.tab, patience)
	defer cancel()
	for _, a := range actions {
		err := chromedp.Do(ctx, a)
		for err != nil && ctx.Err() == nil && strings.Contains(err.Error(), "Could not find node with given id") {
			err = chromedp.Do(ctx, a)
		}
		require.NoError(s, err)
	}
}

// open goes to a page and waits for its script.
func (s *site) open(path string) {
	s.Helper()
	s.do(chromedp.Navigate(s.url+path), chromedp.WaitVisible(chromedp.CSS("html[data-ready] h1")))
}

// clockShows puts the reader's clock to an hour of the day, by the zone that the browser says it is in.
func (s *site) clockShows(hour int) {
	s.Helper()
	by := (hour-time.Now().UTC().Hour()+36)%24 - 12
	_, err := chromedp.Call(s.tab, emulation.SetTimezoneOverride,
		emulation.SetTimezoneOverrideParams{TimezoneID: fmt.Sprintf("Etc/GMT%+d", -by)}) // POSIX: west is above zero
	require.NoError(s, err)
}

// quiet fails the test when the console complained.
func (s *site) quiet() {
	s.Helper()
	s.mu.Lock()
	defer s.mu.Unlock()
	require.Empty(s, s.said, "the browser's console")
}

// eval gives the value of an expression in the page.
func eval[T any](s *site, js string) T {
	s.Helper()
	ctx, cancel := context.WithTimeout(s.tab, patience)
	defer cancel()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](js, chromedp.EvalAwaitPromise))
	require.NoError(s, err, js)
	return v
}

// set gives a field a value, as whoever chooses from a menu or moves a slider does: an expression, in which e is the
// field. The event is what the browser would tell the page of it.
func (s *site) set(field, value, event string) {
	s.Helper()
	eval[bool](s, fmt.Sprintf("(() => { const e = document.querySelector(%s); e.value = %s; "+
		"e.dispatchEvent(new Event(%q, {bubbles: true})); return true; })()", quote(field), value, event))
}

// unfold opens what is folded, where it is closed, by the key that its summary answers to.
func (s *site) unfold(details string) {
	s.Helper()
	if eval[bool](s, `document.querySelector(`+quote(details)+`).open`) {
		return
	}
	s.do(chromedp.Focus(css(details+" > summary")), chromedp.KeyEvent(kb.Enter))
	s.await(`document.querySelector(` + quote(details) + `).open`)
}

// await waits until an expression is true in a page that is ready, also across navigations: what is pressed before its
// scripts are there is lost.
func (s *site) await(js string) {
	s.Helper()
	ctx, cancel := context.WithTimeout(s.tab, patience)
	defer cancel()
	again := time.NewTicker(20 * time.Millisecond)
	defer again.Stop()
	var last error
	for {
		ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool]("!!(document.documentElement.dataset.ready && ("+js+"))"))
		if err == nil && ok {
			return
		}
		last = err
		select {
		case <-ctx.Done():
			require.Fail(s, "never true: "+js, "%v", last)
		case <-again.C:
		}
	}
}

func (s *site) picture(path string) {
	s.Helper()
	ctx, cancel := context.WithTimeout(s.tab, patience)
	defer cancel()
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	require.NoError(s, err)
	require.NoError(s, os.WriteFile(path, png, 0o644))
}
