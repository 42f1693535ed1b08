package web_test

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
)

// From the verdict to the stretch on the strip, its evidence as a picture, and how it was worked
// out, by the keyboard alone.
func TestVerdictToStripToEvidenceByKeys(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/runs/8")
	assert.Contains(t, s.text("h1"), "A shared cabinet held it from 26 to 39 %, 3 min 22 s lost")
	assert.Contains(t, s.text(".strip.large"), "shared cabinet", "the band under the strip says it in words")
	s.do(chromedp.WaitVisible(css(".findings > li:first-child figure.evidence svg")))
	assert.Contains(t, s.text(".findings > li:first-child"), "half of the cabinet")
	assert.Equal(t, 1, eval[int](s, `document.querySelectorAll(".strip.large .chosen").length`), "its stretch is marked")
	from := eval[float64](s, `+document.querySelector(".strip.large .chosen").getAttribute("x")`)

	// The second one: closed, opened by Enter; its picture comes then, and its stretch is the one marked.
	s.do(chromedp.Focus(css(".findings > li:nth-child(2) summary")), chromedp.KeyEvent("\r"),
		chromedp.WaitVisible(css(".findings > li:nth-child(2) figure.evidence svg")))
	s.await(fmt.Sprintf(`+document.querySelector(".strip.large .chosen").getAttribute("x") !== %v`, from))
	s.do(chromedp.Focus(css(".findings > li:nth-child(2) [data-goto]")), chromedp.KeyEvent("\r"))
	assert.True(
		t,
		eval[bool](s, `document.activeElement.classList.contains("large")`),
		"the strip has the focus, for its keys",
	)
	s.do(chromedp.Focus(css(".findings > li:nth-child(2) a[data-how]")), chromedp.KeyEvent("\r"),
		chromedp.WaitVisible(css("dialog[open] .numbers")))
	assert.Contains(t, s.text("dialog[open]"), "What held it down of run 8")
	assert.Contains(t, s.text("dialog[open]"), "shared cabinet, strong")
	s.quiet()
}

// A claim is entered at the car; its runs test it: one met, one not tested and why; a line that is
// none is refused with what was typed.
func TestAClaimIsEnteredAndTested(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/garage/cars/1")
	s.fill("#f-claims", "quick")
	s.do(chromedp.Click(css("form[action='/garage/cars'] button.primary")), chromedp.WaitVisible(css("#e-claims")))
	assert.Contains(t, s.text("#e-claims"), "Line 1: expected a claim such as")
	assert.Equal(t, "quick", eval[string](s, `document.querySelector("#f-claims").value.trim()`))
	s.fill("#f-claims", "20-80 in 20 min, from 20 °C: brochure")
	s.do(chromedp.Click(css("form[action='/garage/cars'] button.primary")))
	s.await(`document.documentElement.hasAttribute("data-ready") && !document.querySelector("#e-claims")`) // it is stored
	s.open("/runs/2")
	assert.Contains(t, s.text("table.claims"), "20–80 % in 20 min")
	assert.Contains(t, s.text("table.claims"), "met")
	s.open("/runs/1")
	assert.Contains(t, s.text("table.claims"), "this pack had 6")
	s.quiet()
}

// The list says what held each run, in the band and in a line, and the sites what it would have cost.
func TestTheListSaysWhatHeldEachRun(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/?q=neighbour")
	assert.Contains(t, s.text("#rows"), "A shared cabinet held it")
	assert.Contains(t, s.text(".legend"), "shared cabinet")
	s.open("/runs/10/costs")
	assert.Contains(t, s.text("table.list"), "where it was made")
	assert.Contains(t, s.text("table.list"), "a kWh cost")
	s.quiet()
}
