package web_test

import (
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A run, a bench and a trip on a sheet of A4: nothing is cut off at the side, every finding is there, also those
// that wait behind "more" on the screen, and nothing that only a screen can follow.
func TestOnPaper(t *testing.T) {
	s := newSite(t, 718, 1000, true)
	_, err := chromedp.Call(s.tab, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: "print"})
	require.NoError(t, err)
	trip := "/trip?way=1&start=85&outside=6&at_18=140&at_5=230&detour_5=6&at_13=310&at_15=420"
	s.open("/help")
	eval[bool](s, `(document.cookie = "theme=night; path=/", true)`) // paper is white whatever the screen was
	for _, path := range []string{"/runs/1", "/runs/2", "/bench?runs=2,3,4", trip, "/garage/cars/1", "/prepare?kept=1",
		"/bench/ranking", "/bench/matrix", "/help"} {
		s.open(path)
		assert.Equal(t, "rgb(20, 24, 27)", eval[string](s, `getComputedStyle(document.body).color`), "%s: by day", path)
		assert.Equal(t, "", eval[string](s, `[...document.querySelectorAll("main svg, main table, main p, main li")]
			.filter((e) => e.getBoundingClientRect().right > innerWidth + 1 || e.scrollWidth > e.clientWidth + 2 && e.tagName !== "svg")
			.map((e) => e.outerHTML.slice(0, 80)).join("\n")`), "%s: cut off", path)
		assert.Zero(t, eval[int](s, `[...document.querySelectorAll(`+
			quote(".bar, .acts, [data-goto], .more-findings > summary, main button, main input[type=range], main textarea")+`)]
			.filter((e) => e.checkVisibility()).length`), "%s: of no use on paper", path)
	}
	s.open("/runs/1")
	hidden := `[...document.querySelectorAll(".more-findings .findings > li")].filter((e) => !e.checkVisibility()).length`
	assert.NotZero(t, eval[int](s, `document.querySelectorAll(".more-findings .findings > li").length`))
	assert.Zero(t, eval[int](s, hidden))
}

// Where a reader's own colours hold, what is chosen is still told from what is not: by a line that the others lack.
func TestWhatIsChosenIsSeenInForcedColours(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	_, err := chromedp.Call(s.tab, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
		Features: []*emulation.MediaFeature{{Name: "forced-colors", Value: "active"}},
	})
	require.NoError(t, err)
	for _, path := range []string{"/bench?runs=2,3", "/bench/ranking", "/runs/1"} {
		s.open(path)
		seen := eval[[]string](s, `[...document.querySelectorAll(".bar nav a, .choices a")].filter((a) => {
			const line = getComputedStyle(a).borderBottomColor;
			const ground = getComputedStyle(document.documentElement).backgroundColor;
			return (line !== ground) !== a.hasAttribute("aria-current");
		}).map((a) => a.textContent.trim())`)
		assert.Empty(t, seen, path)
	}
}
