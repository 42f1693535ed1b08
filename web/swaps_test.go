package web_test

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
)

// Who works by keys comes to what a run or a comparison says within twenty stops, and a scroller that has nothing to
// scroll is none of them.
func TestFindingsAreNearForTheKeyboard(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	for page, finding := range map[string]string{"/runs/2": ".findings",
		"/bench?runs=2,6": `[aria-label^="The difference"]`} {
		s.open(page)
		stops := 0
		for there := false; !there && stops < 40; stops++ {
			s.do(chromedp.KeyEvent(kb.Tab))
			there = eval[bool](s, `!!document.activeElement.closest(`+quote(finding)+`)`)
		}
		assert.Less(t, stops, 20, page)
		assert.Zero(t, eval[int](s, `[...document.querySelectorAll(".scroller[tabindex]:not([data-race])")].filter(
			(box) => box.scrollWidth <= box.clientWidth).length`), page)
	}
}

// Nothing that a reader looks at moves when a part of a page is changed in place: the browser's own measure of it,
// which leaves out what a key or a press moves on purpose, is zero. The presses are a script's, so that nothing is left
// out.
func TestNothingShiftsWhenAPartChanges(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	frames := `new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))`
	for _, c := range []struct{ page, press, done string }{
		{"/", `document.querySelector(".pick button").click()`, `document.querySelector(".pick [aria-pressed=true]")`},
		{"/runs/2", `document.querySelector("#curve .choices a:not([aria-current])").click()`,
			`document.querySelector("#curve .choices a:not([data-was])")`},
		{"/bench?runs=2,6", `document.querySelector("#curve .choices a:not([aria-current])").click()`,
			`document.querySelector("#curve .choices a:not([data-was])")`},
		{"/prepare?kept=1", `(() => { const f = document.querySelector("#plan-form [name=outside]"); f.value = "12";
			f.dispatchEvent(new Event("input", {bubbles: true})); f.dispatchEvent(new Event("change", {bubbles: true})) })()`,
			`document.querySelector("#plan:not([data-was])")`},
	} {
		s.open(c.page)
		// The picture of the finding that stands open comes by itself, a moment later.
		s.await(`!document.querySelector(".findings details[open] [hx-get]")`)
		eval[bool](s, frames)
		eval[bool](s, `(() => {
			window.shifted = [];
			new PerformanceObserver((list) => list.getEntries().forEach((e) => window.shifted.push(
				e.value.toFixed(4) + " " + e.sources.map((s) => s.node && (s.node.outerHTML || s.node.data || "").slice(0, 60))
					.join(" | ")))).observe({type: "layout-shift"});
			document.querySelectorAll("#curve .choices a, #plan").forEach((el) => el.dataset.was = "");
			return true })()`)
		eval[bool](s, "("+c.press+", true)")
		s.await("!!(" + c.done + ")")
		s.quiet()
		eval[bool](s, frames)
		assert.Empty(t, eval[[]string](s, "window.shifted"), fmt.Sprint(c.page))
	}
}
