package web_test

import (
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/argon2"

	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

const word = "a few words do well"

// quickHash is a hash that a password is held against in no time; those of "zincroad passwd" are slow on purpose.
func quickHash(p string) string {
	salt, b64 := []byte("sixteen octets.."), base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=8,t=1,p=1$%s$%s", argon2.Version, b64.EncodeToString(salt),
		b64.EncodeToString(argon2.IDKey([]byte(p), salt, 1, 8, 1, 32)))
}

// locked is a server with a password, and a client that keeps its cookies and follows nothing.
func locked(t *testing.T) (string, func() *http.Client) {
	t.Helper()
	return lockedBehind(t, func(h http.Handler) http.Handler { return h })
}

// lockedBehind is locked with something before the server.
func lockedBehind(t *testing.T, before func(http.Handler) http.Handler) (string, func() *http.Client) {
	t.Helper()
	book := newBook(t, true)
	require.NoError(t, book.SetPassword(t.Context(), quickHash(word)))
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	srv := httptest.NewServer(before(s.Handler()))
	t.Cleanup(srv.Close)
	return srv.URL, func() *http.Client {
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		return &http.Client{
			Jar:           jar,
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		}
	}
}

func fetched(t *testing.T, c *http.Client, address string) *http.Response {
	t.Helper()
	r, err := c.Get(address)
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	return r
}

func posted(t *testing.T, c *http.Client, address string, v url.Values) *http.Response {
	t.Helper()
	r, err := c.PostForm(address, v)
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	return r
}

// Where a password is set nobody sees a page, an export or a stream without it, nor changes anything; health and
// the files of the sign-in page are open. Signed in everything is there, and signing out everywhere ends it for
// others too.
func TestPasswordKeepsOut(t *testing.T) {
	t.Parallel()
	at, client := locked(t)
	stranger := client()
	for _, path := range []string{"/", "/runs/1", "/runs/1/export.zip", "/bench.csv?runs=1,2", "/definitions",
		"/stall/1/events",
		"/desk", "/garage"} {
		r := fetched(t, stranger, at+path)
		assert.Equal(t, http.StatusSeeOther, r.StatusCode, path)
		assert.Equal(t, "/enter?to="+url.QueryEscape(path), r.Header.Get("Location"))
	}
	for _, path := range []string{"/runs/1/delete", "/desk/files", "/garage/cars"} { // with the door for an answer
		r := posted(t, stranger, at+path, url.Values{"name": {"Larch"}})
		assert.Equal(t, http.StatusUnauthorized, r.StatusCode, path)
	}
	for _, path := range []string{"/healthz", "/readyz", "/static/app.css", "/enter"} {
		assert.Equal(t, http.StatusOK, fetched(t, stranger, at+path).StatusCode, path)
	}

	enter := func(c *http.Client, p, to string) *http.Response {
		t.Helper()
		return posted(t, c, at+"/enter", url.Values{"password": {p}, "to": {to}})
	}
	one, two := client(), client()
	r := enter(one, word, "/runs/1?channel=amps")
	assert.Equal(t, "/runs/1?channel=amps", r.Header.Get("Location"))
	require.Len(t, r.Cookies(), 1)
	c := r.Cookies()[0]
	assert.True(t, c.HttpOnly)
	assert.Equal(t, http.SameSiteLaxMode, c.SameSite)
	assert.Equal(t, http.StatusOK, fetched(t, one, at+"/runs/1").StatusCode)
	assert.Equal(t, "/", enter(two, word, "//elsewhere.example/").Header.Get("Location"), "nowhere else")
	assert.Equal(t, http.StatusOK, fetched(t, two, at+"/").StatusCode)

	assert.Equal(t, http.StatusSeeOther, posted(t, one, at+"/leave", url.Values{"everywhere": {"yes"}}).StatusCode)
	for _, c := range []*http.Client{one, two} {
		assert.Equal(t, http.StatusSeeOther, fetched(t, c, at+"/").StatusCode, "signed out everywhere")
	}
}

// told is a body that tells when it is first read.
type told struct {
	io.ReadCloser
	read func()
}

func (b told) Read(p []byte) (int, error) {
	b.read()
	return b.ReadCloser.Read(p)
}

// What is under way while everybody is signed out ends with its own answer, and signs nobody in again.
func TestSignedOutStaysOut(t *testing.T) {
	t.Parallel()
	reading := make(chan struct{})
	at, client := lockedBehind(t, func(h http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.URL.Path == "/garage/cars" {
				r.Body = told{r.Body, sync.OnceFunc(func() { close(reading) })}
			}
			h.ServeHTTP(w, r)
		})
	})
	c := client()
	assert.Equal(t, http.StatusSeeOther, posted(t, c, at+"/enter", url.Values{"password": {word}}).StatusCode)
	begun, body := io.Pipe()
	answer := make(chan int, 1)
	go func() {
		r, err := c.Post(at+"/garage/cars", "application/x-www-form-urlencoded", begun)
		if err != nil {
			answer <- 0
			return
		}
		_ = r.Body.Close()
		answer <- r.StatusCode
	}()
	_, err := io.WriteString(body, "name=")
	require.NoError(t, err)
	<-reading // it is past the door, and waits for the rest of the form
	other := client()
	posted(t, other, at+"/enter", url.Values{"password": {word}})
	posted(t, other, at+"/leave", url.Values{"everywhere": {"yes"}})
	require.NoError(t, body.Close())
	assert.Equal(t, http.StatusUnprocessableEntity, <-answer, "it was let in, and the name is missing")
	assert.Equal(t, http.StatusSeeOther, fetched(t, c, at+"/").StatusCode)
}

// A live page that stays open gets nothing more once its reader has signed out, here or everywhere; others' go on.
func TestSigningOutEndsWhatIsOpen(t *testing.T) {
	t.Parallel()
	at, client := locked(t)
	const patience = 20 * time.Second
	open := func() (*http.Client, string, chan struct{}) {
		c := client()
		posted(t, c, at+"/enter", url.Values{"password": {word}})
		run := posted(t, c, at+"/stall/start", url.Values{"plan": {"2"}}).Header.Get("Location")
		require.NotEmpty(t, run)
		r, err := c.Get(at + run + "/events")
		require.NoError(t, err)
		require.Equal(t, "text/event-stream", r.Header.Get("Content-Type"))
		ended := make(chan struct{})
		go func() {
			_, _ = io.Copy(io.Discard, r.Body)
			_ = r.Body.Close()
			close(ended)
		}()
		return c, run, ended
	}
	one, _, ofOne := open()
	two, run, ofTwo := open()
	posted(t, one, at+"/leave", nil)
	select {
	case <-ofOne:
	case <-time.After(patience):
		t.Fatal("who signed out goes on reading")
	}
	select {
	case <-ofTwo:
		t.Fatal("who is signed in still reads")
	default:
	}
	posted(t, client(), at+"/enter", url.Values{"password": {word}})
	posted(t, two, at+"/leave", url.Values{"everywhere": {"yes"}})
	select {
	case <-ofTwo:
	case <-time.After(patience):
		t.Fatal("signed out everywhere, and it goes on")
	}
	assert.Equal(t, http.StatusSeeOther, fetched(t, two, at+run+"/events").StatusCode)
}

// A wrong password is told in one sentence and nothing more; after six tries in a minute nobody of that address
// gets another, the right one neither.
func TestPasswordsAreNotTriedOut(t *testing.T) {
	t.Parallel()
	at, client := locked(t)
	c := client()
	for range 6 {
		r := posted(t, c, at+"/enter", url.Values{"password": {"a few words do wel"}})
		assert.Equal(t, http.StatusUnprocessableEntity, r.StatusCode)
		assert.Empty(t, r.Header.Get("Location"))
	}
	assert.Equal(t, http.StatusTooManyRequests, posted(t, c, at+"/enter", url.Values{"password": {word}}).StatusCode)
	assert.Equal(t, http.StatusSeeOther, fetched(t, c, at+"/").StatusCode)
}

// What is behind the password is kept by no browser, and nobody is sent out of here by the address that they are to
// go on to: browsers leave out tabs and ends of lines.
func TestBehindThePassword(t *testing.T) {
	t.Parallel()
	at, client := locked(t)
	for _, to := range []string{"/\t/elsewhere.example", "/\n/elsewhere.example", "//elsewhere.example",
		"/\\elsewhere.example",
		"https://elsewhere.example"} {
		c := client()
		r := posted(t, c, at+"/enter", url.Values{"password": {word}, "to": {to}})
		assert.Equal(t, "/", r.Header.Get("Location"), "%q", to)
		r = fetched(t, c, at+"/runs/1")
		assert.Equal(t, http.StatusOK, r.StatusCode)
		assert.Equal(t, "no-store", r.Header.Get("Cache-Control"))
		r = posted(t, c, at+"/night", url.Values{"night": {"day"}, "back": {to}})
		assert.Equal(t, "/", r.Header.Get("Location"), "%q", to)
	}
}

// By the keyboard: asked for a page, in, and there; axe finds nothing.
func TestSignInByKeys(t *testing.T) {
	s := newSite(t, 390, 844, true)
	require.NoError(t, s.book.SetPassword(t.Context(), quickHash(word)))
	s.open("/runs/1")
	s.await(`location.pathname === "/enter" && document.activeElement.id === "f-password"`)
	assert.False(t, eval[bool](s, `!!document.querySelector("nav")`), "nothing to go to yet")
	s.axe("/enter?to=/runs/1")
	s.do(chromedp.SendKeys(css("#f-password"), "nonsense"+kb.Enter), chromedp.WaitVisible(css("#e-password")))
	assert.Contains(t, s.text("#e-password"), "This is not the password.")
	s.do(chromedp.SendKeys(css("#f-password"), word+kb.Enter))
	s.await(`location.pathname === "/runs/1" && document.documentElement.dataset.ready`)
	s.open("/settings")
	s.awaitText("main", "Sign out everywhere")
	s.open("/runs/1")

	// Signed out meanwhile: what was typed waits beside the password, also a wrong one, and is stored then.
	press := func(selector string) { eval[bool](s, `(document.querySelector(`+quote(selector)+`).click(), true)`) }
	enter := func(p string) {
		s.await(`document.documentElement.dataset.ready && document.querySelector("#f-password")`)
		s.do(chromedp.SendKeys(css("#f-password"), p+kb.Enter))
	}
	press("#conditions .edit")
	s.await(`document.querySelector("#f-weather")`)
	s.do(chromedp.SetValue(css("#f-weather"), "hail"))
	require.NoError(t, s.book.ForgetSessions(t.Context()))
	press("#conditions .primary")
	s.await(`document.querySelector("#e-password")?.textContent.includes("What you typed is kept")`)
	enter("nonsense")
	s.await(`document.querySelector("#e-password")?.textContent.includes("not the password")`)
	enter(word)
	s.await(`location.pathname === "/runs/1" && document.documentElement.dataset.ready &&
		document.querySelector("dl.conditions").textContent.includes("hail")`)

	// And a part that a page renews says so in its place.
	require.NoError(t, s.book.ForgetSessions(t.Context()))
	press("#conditions .edit")
	s.await(`document.querySelector("#signed-out")?.checkVisibility()`)
	s.mu.Lock()
	s.said = nil // the browser notes the refusals in its console
	s.mu.Unlock()
}

// What is expensive can be asked for so often from one address, and no less often from another. Behind a proxy
// it is the address that the proxy names last; what a caller puts before it is nobody's word.
func TestOneAddressAsksForSoMuch(t *testing.T) {
	t.Parallel()
	book := newBook(t, false)
	srv, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	srv.BehindTLS()
	h := srv.Handler()
	ask := func(forwarded string) int {
		r := httptest.NewRequest(http.MethodGet, "/runs/4711/folder.zip", nil)
		r.RemoteAddr = "127.0.0.1:40000" // the proxy
		r.Header.Set("X-Forwarded-For", forwarded)
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Code
	}
	for n := 0; ask(fmt.Sprintf("203.0.113.%d, 198.51.100.7", n%250)) == http.StatusNotFound; n++ {
		require.Less(t, n, 301, "it ends")
	}
	assert.Equal(t, http.StatusTooManyRequests, ask("198.51.100.7"))
	assert.Equal(t, http.StatusNotFound, ask("198.51.100.8"), "another may")
	assert.Equal(t, "max-age=31536000", get(h, "/").Header().Get("Strict-Transport-Security"), "only TLS from then on")
	plain, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	assert.Empty(t, get(plain.Handler(), "/").Header().Get("Strict-Transport-Security"))
}

// A token is made on a page, shown once, used by a program, and withdrawn at once; whoever is not signed in makes none.
func TestATokenIsMadeOnAPage(t *testing.T) {
	address, client := locked(t)
	stranger := client()
	res, err := stranger.PostForm(address+"/tokens", url.Values{"name": {"x"}, "role": {"keeper"}})
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, http.StatusUnauthorized, res.StatusCode)

	tester := client()
	res, err = tester.PostForm(address+"/enter", url.Values{"password": {word}})
	require.NoError(t, err)
	res.Body.Close()
	res, err = tester.PostForm(address+"/tokens", url.Values{"name": {""}, "role": {"reader"}})
	require.NoError(t, err)
	assert.Contains(t, body(t, res), `id="e-name"`)
	res, err = tester.PostForm(address+"/tokens", url.Values{"name": {"the logger"}, "role": {"reader"}, "days": {"7"}})
	require.NoError(t, err)
	secret := regexp.MustCompile(`zincroad_[\w-]+`).FindString(body(t, res))
	require.NotEmpty(t, secret)
	assert.Equal(t, "no-store", res.Header.Get("Cache-Control"))
	read := func(address string) string {
		res, err := tester.Get(address)
		require.NoError(t, err)
		return body(t, res)
	}
	page := read(address + "/tokens")
	assert.NotContains(t, page, secret)
	assert.Contains(t, page, "the logger")
	assert.Contains(t, page, "never")
	asks := func() int {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address+"/api/v1/runs", nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+secret)
		res, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		res.Body.Close()
		return res.StatusCode
	}
	assert.Equal(t, http.StatusOK, asks())
	res, err = tester.PostForm(address+"/tokens/1/withdraw", nil)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, http.StatusUnauthorized, asks())
	assert.Contains(t, read(address+"/tokens"), "withdrawn")
}

// body reads an answer to its end.
func body(t *testing.T, res *http.Response) string {
	t.Helper()
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return string(text)
}
