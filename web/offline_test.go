package web_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A stall page that was opened once opens again when nothing answers any more: as it was, saying of when that is,
// and it takes what is typed.
func TestTheStallOpensWithoutANetwork(t *testing.T) {
	s := newSite(t, 390, 844, false)
	id := started(t, s.book, time.Minute, nil)
	path := fmt.Sprintf("/stall/%d", id)
	s.do(chromedp.Navigate(s.url+path), chromedp.WaitVisible(css("#live[data-ready]")))
	s.await(`document.documentElement.dataset.kept === "yes"`)
	assert.False(t, eval[bool](s, `!!document.querySelector("#offline")`))
	s.ts.CloseClientConnections()
	s.ts.Listener.Close()
	s.ts.CloseClientConnections()
	s.do(chromedp.Navigate(s.url+path), chromedp.WaitVisible(css("#live[data-ready]")))
	assert.Regexp(t, `No network: this is the page as it was at \d`, s.text("#offline"))
	assert.True(t, eval[bool](s, `getComputedStyle(document.querySelector("#offline")).display !== "none"`))
	s.do(chromedp.SendKeys(css("#line"), "34 92\r"))
	s.await(`document.querySelector("#waiting").textContent.includes("1 entry waits")`)
	s.mu.Lock()
	s.said = nil // the browser complains of the network, as it should
	s.mu.Unlock()
}

// A network that answers every address with its own page to sign in does not take the place of what was kept.
func TestAForeignPageIsNotKept(t *testing.T) {
	s := newSite(t, 390, 844, false)
	id := started(t, s.book, time.Minute, nil)
	to, err := url.Parse(s.url)
	require.NoError(t, err)
	var foreign atomic.Bool
	through := httputil.NewSingleHostReverseProxy(to)
	front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !foreign.Load() {
			through.ServeHTTP(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, `<!doctype html><link rel="icon" href="data:,"><h1>Welcome to the guest network</h1>`)
	}))
	page := fmt.Sprintf("%s/stall/%d", front.URL, id)
	s.do(chromedp.Navigate(page), chromedp.WaitVisible(css("#live[data-ready]")))
	s.await(`document.documentElement.dataset.kept === "yes"`)
	foreign.Store(true)
	s.do(chromedp.Navigate(page), chromedp.WaitVisible(css("h1")))
	assert.Equal(t, "Welcome to the guest network", s.text("h1"), "who is to sign in sees where")
	front.CloseClientConnections()
	front.Listener.Close()
	front.CloseClientConnections()
	s.do(chromedp.Navigate(page), chromedp.WaitVisible(css("#live[data-ready]")))
	assert.Regexp(t, `No network: this is the page as it was at \d`, s.text("#offline"))
	s.mu.Lock()
	s.said = nil // the browser complains of the network, as it should
	s.mu.Unlock()
}

// A program whose disk is full says so beside what waits; what was typed is stored once there is room.
func TestAFullDiskIsSaidAtTheStall(t *testing.T) {
	s := newSite(t, 390, 844, false)
	id := started(t, s.book, time.Minute, nil)
	s.do(chromedp.Navigate(fmt.Sprintf("%s/stall/%d", s.url, id)), chromedp.WaitVisible(css("#live[data-ready]")))
	s.book.SetFull(true)
	s.typeLine("34 92")
	s.await(`document.querySelector("#waiting").textContent.includes("1 entry waits")`)
	s.await(`document.querySelector("#waiting").textContent.includes("the disk is full")`)
	assert.Equal(t, http.StatusServiceUnavailable, eval[int](s, `fetch("/readyz").then(r => r.status)`))
	s.book.SetFull(false)
	s.await(`document.querySelector("#waiting").hidden`)
	s.await(`document.querySelector(".figure").textContent === "34"`)
	s.mu.Lock()
	s.said = nil // the browser tells of the answers that refuse
	s.mu.Unlock()
}
