package web_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
)

// The race by the keyboard: every minute and every round post is a stop, who leads is said, and the
// bars of where the minutes go add up to the difference.
func TestRaceByKeys(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/bench?runs=2,6")
	assert.Contains(t, s.text("h1"), "10–80 % took 22 min 14 s in run 2 (Fulling Mill 3), 4 min 23 s longer in run 6 (Old Tannery 2).")
	assert.Contains(t, s.text(".said-list"), "stall's current")
	assert.Contains(t, s.text(".said-list"), "Fair: only the stall's power differs.")
	assert.Contains(t, s.text(".said-list"), "One run against one")
	assert.Contains(t, s.text(".minutes"), "+4:23 in all")
	s.do(chromedp.Focus(css("[data-race]")), chromedp.KeyEvent(kb.End))
	s.await(`document.querySelector("[data-race-said]").textContent.includes("reaches 80 %")`)
	s.do(chromedp.KeyEvent(kb.Home))
	s.await(`document.querySelector("[data-race-said]").textContent.startsWith("0:35")`)
	at := eval[float64](s, `+document.querySelector("[data-race-line]").getAttribute("x1")`)
	stops := 0
	for !eval[bool](s, `document.querySelector("[data-race-said]").textContent.startsWith("14:00 ·")`) {
		s.do(chromedp.KeyEvent(kb.ArrowRight))
		if stops++; !assert.Less(t, stops, 40, "14:00 is a stop") {
			break
		}
	}
	assert.Contains(t, s.text("[data-race-said]"), "2 · Fulling Mill 3 12.4 points ahead")
	assert.Greater(t, eval[float64](s, `+document.querySelector("[data-race-line]").getAttribute("x1")`), at)
	s.do(chromedp.Click(css(`.on-bench a[href*="ref=6"]`)), chromedp.WaitVisible(css("html[data-ready] [data-race]")))
	assert.Contains(t, s.text("h1"), "4 min 23 s shorter in run 2")
	s.quiet()
}

// Repeats and one that differs in the software alone: the difference is real, with its interval.
func TestBenchSaysWhetherItIsReal(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/bench?runs=2,3,4,5")
	assert.Contains(t, s.text(".said-list"), "Fair: only the software differs.")
	assert.Contains(t, s.text(".said-list"), "is real, in 95 of 100 between")
	s.quiet()
}
