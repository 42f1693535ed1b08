package web_test

import (
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/demo"
)

// The lead by energy and by distance, in the reader's own units.
func TestRaceByEnergyAdded(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	widest := func(body string) string { return regexp.MustCompile(`widest: [0-9.]+ [A-Za-z]+ at`).FindString(body) }
	body := get(h, "/bench?runs=2,6&lead=energy").Body.String()
	assert.Regexp(t, `^widest: [0-9.]+ kWh at$`, widest(body))
	assert.True(t, strings.Contains(body, "unplugs, "), "who is ahead when the first one unplugs")
	assert.Regexp(t, `^widest: [0-9.]+ km at$`, widest(get(h, "/bench?runs=2,6&lead=distance").Body.String()))
	assert.Regexp(t, `^widest: [0-9.]+ mi at$`, widest(inUnits(h, "/bench?runs=2,6&lead=distance")))
	assert.Regexp(t, `^widest: [0-9.]+ points at$`, widest(get(h, "/bench?runs=2,6&lead=courage").Body.String()))
}

// The race by the keyboard: every minute and every round post is a stop, who leads is said, and the
// bars of where the minutes go add up to the difference.
func TestRaceByKeys(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/bench?runs=2,6")
	assert.Contains(
		t,
		s.text("h1"),
		"10–80 % took 22 min 14 s in run 2 (Fulling Mill 3), 4 min 23 s longer in run 6 (Old Tannery 2).",
	)
	assert.Contains(t, s.text(".said-list"), "stall's current")
	assert.Contains(t, s.text(".said-list"), "Fair: only the stall's power differs.")
	assert.Contains(t, s.text(".said-list"), "One run against one")
	assert.Contains(t, s.text(".minutes"), "+4:23 in all")
	s.do(chromedp.Focus(css("[data-race]")), chromedp.KeyEvent(kb.End))
	s.await(`document.querySelector("[data-race-said]").textContent.includes("reaches 80 %")`)
	// Played from the beginning, and stopped again, unless a slow machine is at the end by then.
	s.do(chromedp.KeyEvent(" "))
	s.await(`!/^(0|1):/.test(document.querySelector("[data-race-said]").textContent)`)
	eval[bool](
		s,
		`(b => b.textContent === "pause" ? (b.click(), true) : false)(document.querySelector("[data-race-play]"))`,
	)
	s.await(`document.querySelector("[data-race-play]").textContent === "play"`)
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
	s.do(chromedp.Click(css(`.on-bench a[href*="ref=6"]`)))
	s.await(`document.querySelector("h1").textContent.includes("4 min 23 s shorter in run 2")`)
	s.quiet()
}

// The comparison is cut to another window that both cover, and back.
func TestBenchCutToAWindow(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/bench?runs=2,6")
	found := s.text("h1")
	follow := func(name string) {
		s.Helper()
		s.unfold("details.by")
		eval[bool](s, `([...document.querySelectorAll(".bench > .by a")].find((a) => a.textContent === `+quote(name)+
			`).focus(), true)`)
		s.do(chromedp.KeyEvent(kb.Enter))
		s.await(`document.documentElement.dataset.ready && [...document.querySelectorAll(".bench > .by a[aria-current]")]
			.some((a) => a.textContent === ` + quote(name) + `)`)
	}
	follow("20–70 %")
	assert.Contains(t, s.text("h1"), "20–70 % took")
	assert.Equal(t, 5, eval[int](s, `document.querySelectorAll(".minutes g").length`), "one bar for each ten points")
	follow("found")
	assert.Equal(t, found, s.text("h1"))
	s.open("/bench?runs=2,6&window=70-20") // no window: what is found
	assert.Equal(t, found, s.text("h1"))
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

// A bench is kept under a name and found on the empty one; of runs that came since it says whether they
// lie inside; it is put aside and brought back.
func TestKeptBench(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/bench?runs=2,3,4")
	s.unfold("details.choose")
	s.do(chromedp.Click(css(`.choices a[href*="axis=minutes"]`))) // renews the curve alone
	s.await(`location.search.includes("axis=minutes")`)
	s.do(chromedp.SendKeys(css("#bench-name"), "Tamarack, warm"), chromedp.KeyEvent(kb.Enter),
		chromedp.WaitVisible(css("html[data-ready] .kept-as")))
	assert.Equal(t, "Kept as Tamarack, warm", s.text(".kept-as"))
	assert.Contains(t, eval[string](s, `location.search`), "axis=minutes", "looked at as before")

	// Two more runs of the car come in: the third's log half a per cent slower, and the second's by 5 in
	// 100. The three took 1334, 1333 and 1339.5 s: mean 1335.5, spread 3.5, so 1335.5 ± 4.303 · 3.5 ·
	// √(4/3) or 21:58 to 22:33 (1318.1 to 1352.9; scipy.stats.t.ppf(0.975, 2)); 1339.7 s lie inside,
	// 1400.7 do not.
	bundles, err := demo.Bundles()
	require.NoError(t, err)
	slower := func(i int, by float64) int64 {
		b := bundles[i]
		b.Run.Title = "Slower"
		for _, rec := range b.Run.Recordings {
			for k := range rec.T {
				rec.T[k] *= by
			}
		}
		for k := range b.Run.Marks {
			b.Run.Marks[k].TS *= by
		}
		id, err := s.book.Save(t.Context(), b)
		require.NoError(t, err)
		return id
	}
	inside, outside := slower(2, 1.005), slower(1, 1.05)
	s.open("/bench?kept=1")
	assert.Contains(t, eval[string](s, `location.search`), "axis=minutes")
	s.do(chromedp.Click(css(`.newer button[value="`+fmt.Sprint(inside)+`"]`)), chromedp.WaitVisible(css(".among")))
	assert.Contains(
		t,
		s.text(".among"),
		"new, and inside: 22 min 20 s in 10–80 %, where the 3 others of its group say 21 min 58 s to 22 min 33 s",
	)
	assert.Contains(t, eval[string](s, `location.search`), "axis=minutes", "and goes on being looked at so")
	s.do(chromedp.Click(css(`.newer button[value="` + fmt.Sprint(outside) + `"]`)))
	s.await(`document.querySelectorAll(".among").length == 2`)
	assert.Contains(t, eval[string](s, `document.querySelectorAll(".among")[1].textContent`),
		"outside: 23 min 21 s in 10–80 %")

	// From the empty bench, by the keyboard, to the kept one as it was kept; put aside, and back.
	eval[bool](s, `fetch("/bench/lay", {method: "POST", body: new URLSearchParams({runs: ""})}).then((r) => r.ok)`)
	s.open("/bench")
	assert.Contains(t, s.text(".kept-list"), "3 runs, 2 of its cars since")
	s.do(
		chromedp.Focus(css(".kept-list a")),
		chromedp.KeyEvent(kb.Enter),
		chromedp.WaitVisible(css("html[data-ready] .kept-as")),
	)
	assert.Equal(t, 3, eval[int](s, `document.querySelectorAll(".on-bench li").length`))
	s.do(chromedp.Click(css(`form[action$="/delete"] button`)), chromedp.WaitVisible(css(".notice")))
	assert.Contains(t, s.text(".notice"), "removed")
	s.do(chromedp.Click(css(".notice button")), chromedp.WaitVisible(css("html[data-ready] .kept-as")))
	s.quiet()
}

// Runs as groups: one median and band for the three on one version, the run on the other over it, said
// where it lies outside; by another condition; and each run again.
func TestBenchGroups(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/bench?runs=2,3,4,5")
	assert.Zero(t, eval[int](s, `document.querySelectorAll(".curves .spread").length`))
	follow := func(name string) {
		s.Helper()
		s.unfold("details.choose")
		eval[bool](s, `([...document.querySelectorAll(".curve-section .set a")].find((a) => a.textContent === `+quote(name)+
			`).focus(), true)`)
		s.do(chromedp.KeyEvent(kb.Enter))
		s.await(`document.documentElement.hasAttribute("data-ready") &&
			[...document.querySelectorAll(".curve-section .set a[aria-current]")].some((a) => a.textContent === ` + quote(name) + `)`)
	}
	follow("groups")
	s.await(`document.querySelectorAll(".curves .spread").length === 1`)
	assert.Contains(t, s.text(".curves"), "2.4, 3 runs")
	assert.Equal(t, 2, eval[int](s, `document.querySelectorAll(".curves > path.series").length`))
	assert.Contains(t, s.text(".curve-section"), "The line is a group's median, the band holds all of its runs.")
	assert.Contains(t, s.text(".beside"), "lies outside of the band of the 3 runs with software 2.4: below from")
	assert.Contains(t, eval[string](s, `document.querySelector(".files a").getAttribute("href")`), "lines=groups")
	// From the charge that all of them passed, the curves begin together.
	follow("minutes since 10 %")
	assert.Contains(t, eval[string](s, `location.search`), "axis=since")
	assert.Contains(t, s.text(".curves"), "minutes since 10 %")
	// Weather: overcast, dry and rain, and one of them twice.
	follow("weather")
	assert.NotContains(t, s.text(".curves"), "2.4, 3 runs")
	follow("each run")
	s.await(`document.querySelectorAll(".curves > path.series").length === 4`)
	s.quiet()
}

// Eight runs fit the page: nothing is cut off at its side.
func TestEightRunsFitThePage(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/bench?runs=1,2,3,4,5,6,7,8")
	assert.LessOrEqual(t, eval[float64](s, `document.documentElement.scrollWidth`), 1280.0)
	assert.True(t, eval[bool](s, `[...document.querySelectorAll("table.side-table")].every(t =>
		t.getBoundingClientRect().right <= innerWidth && t.scrollWidth <= t.parentElement.clientWidth)`))
}
