package web_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
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
