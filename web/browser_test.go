package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func css(s string) chromedp.CSS { return chromedp.CSS(s) }

func (s *site) text(sel string) string {
	s.Helper()
	return eval[string](s, `document.querySelector(`+quote(sel)+`).textContent.trim()`)
}

func quote(v string) string {
	b, _ := json.Marshal(v)
	return string(b)
}

func sample(t *testing.T, name string) string {
	t.Helper()
	p, err := filepath.Abs(filepath.Join("../docs/samples", name))
	require.NoError(t, err)
	return p
}

// Each sample, brought in through the page: the run's page within three actions.
func TestSamplesDroppedIntoThePage(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	s.open("/")
	assert.Equal(t, "No runs yet", s.text("h1"))
	for _, c := range []struct {
		file    string
		confirm bool
		heading string
	}{
		{"run-folder.zip", false, "10–80 %"}, {"zincroad.csv", true, "10–80 %"}, {"spreadsheet.csv", true,
			"10–80 %"}, {"screen-notes.txt", true, "20–80 %"},
	} {
		s.open("/desk")
		s.do(chromedp.SetUploadFiles(css("#file"), []string{sample(t, c.file)}),
			chromedp.Click(css("#file-form button")))
		if c.confirm {
			s.do(chromedp.WaitVisible(css("#understood")))
			assert.Contains(t, s.text("#understood"), "readings over", c.file)
			s.do(chromedp.Click(css(".what .primary")))
		}
		s.do(chromedp.WaitVisible(css("h1.finding")))
		assert.Contains(t, s.text("h1.finding"), c.heading, c.file)
	}
	s.quiet()
}

// A file dropped on the Road lands where the form would send it.
func TestDropOnTheRoad(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	s.open("/")
	eval[bool](s, `(() => {
		const d = new DataTransfer();
		d.items.add(new File(["t_s,soc_pct,power_kw\n0,10,100\n600,30,100\n1800,70,90\n"], "night.csv"));
		document.dispatchEvent(new DragEvent("dragover", {dataTransfer: d, cancelable: true}));
		const shown = !document.getElementById("drop").hidden;
		document.dispatchEvent(new DragEvent("drop", {dataTransfer: d, cancelable: true}));
		return shown;
	})()`)
	s.do(chromedp.WaitVisible(css("#understood")))
	assert.Contains(t, s.text("h1"), "night.csv")
	s.quiet()
}

// Every guess can be changed, and the sample rows follow at once.
func TestGuessesCanBeChanged(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	s.open("/desk")
	s.do(chromedp.SetUploadFiles(css("#file"), []string{sample(t, "spreadsheet.csv")}),
		chromedp.Click(css("#file-form button")), chromedp.WaitVisible(css("table.sample")))
	assert.Equal(
		t,
		"turned",
		eval[string](s, `document.querySelector('[name=c4_sign]').value`),
		"amps below zero while charging",
	)
	assert.Equal(t, "°F", eval[string](s, `document.querySelector('[name=c5_unit]').value`))
	assert.Contains(t, s.text("#understood .lead"), "battery 26 °C")
	s.set(`[name=c5_unit]`, `"°C"`, "change")
	s.await(`document.querySelector("#understood .lead").textContent.includes("battery 79 °C")`)
	s.set(`[name=c1_channel]`, `"power_kw"`, "change")
	s.await(
		`document.querySelector("#understood .bad") &&
			document.querySelector("#understood .bad").textContent.includes("both read as power_kw")`,
	)
	// Another delimiter makes other columns; the right one brings the guesses back.
	s.set(`[name=delimiter]`, `","`, "change")
	s.await(
		`document.querySelector("#understood .bad") && document.querySelector('[name=delimiter]').value === "," &&
			!document.querySelector("#understood .bad").textContent.includes("both read")`,
	)
	s.set(`[name=delimiter]`, `";"`, "change")
	s.await(
		`!document.querySelector("#understood .bad") &&
			document.querySelector("#understood .lead").textContent.includes("battery 26 °C")`,
	)
	s.set(`[name=header_line]`, `"900"`, "change")
	s.await(
		`document.querySelector("#e-header_line") &&
			document.querySelector("#e-header_line").textContent.includes("no line 900")`,
	)
	s.quiet()
}

func TestWhatIsNoLogIsRefusedAndNothingStored(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	letter := filepath.Join(t.TempDir(), "letter.csv")
	require.NoError(t, os.WriteFile(letter, []byte("Dear workshop,\nthe van is ready.\n"), 0o644))
	s.open("/desk")
	s.do(chromedp.SetUploadFiles(css("#file"), []string{letter}), chromedp.Click(css("#file-form button")),
		chromedp.WaitVisible(css(".notice.bad")))
	assert.Contains(t, s.text(".notice.bad"), "nothing was stored")
	list, err := s.book.Arrivals(context.Background())
	require.NoError(t, err)
	assert.Empty(t, list)
}

// Typing: each line is answered, then the run's page with what was typed beside it.
func TestTypingReadings(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	s.open("/desk/sheet")
	s.do(
		chromedp.SendKeys(css("#readings"),
			"0:00 plug-in\n3:10 20% 118kW 21C\n7:00 118\n13:00 50% 110kW\n23:00 80% 70kW\n"),
	)
	s.await(`document.querySelectorAll("#answers li").length >= 5 && document.querySelector("#answers li.bad")`)
	assert.Equal(t, "3:10 · SoC 20 % · power 118 kW · battery 21 °C", s.text("#answers li:nth-child(2)"))
	assert.Contains(t, s.text("#answers li.bad"), "118 has no unit")
	s.await(`document.querySelectorAll("#answers svg.strip").length === 1`) // it grows as one types
	s.do(chromedp.Click(css("form.typed .primary")), chromedp.WaitVisible(css("#understood")))
	assert.Contains(t, s.text("#understood .faults"), "118 has no unit")
	s.do(chromedp.SendKeys(css("#f-new_car"), "Larch 52"), chromedp.SendKeys(css("#f-software"), "3.0"),
		chromedp.SetValue(css("#f-from_pct"), "90"))
	s.do(chromedp.Click(css(".what .primary")), chromedp.WaitVisible(css("#e-to_pct")))
	assert.Equal(
		t,
		"Larch 52",
		eval[string](s, `document.querySelector("#f-new_car").value`),
		"what was typed stays after a fault",
	)
	s.do(chromedp.SetValue(css("#f-from_pct"), "20"), chromedp.Click(css(".what .primary")),
		chromedp.WaitVisible(css("h1.finding")))
	// Post 20 is where the notes start, at 3:10: what flowed since plug-in nobody noted. Post 80 is at 23:00.
	assert.Contains(t, s.text("h1.finding"), "20–80 % in 19 min 50 s")
	assert.Contains(t, s.text(".facts"), "Larch 52")
	s.quiet()
}

func TestRunPage(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/runs/1")
	before := s.text("h1.finding")
	assert.Contains(t, before, "10–80 % in ")

	// Channel and axis change in place, with the address.
	s.unfold("details.choose")
	s.do(chromedp.Click(css(`.choices a[href*="channel=volts"]`)))
	s.await(`document.querySelector("svg.curves").getAttribute("aria-label").includes("volts against state of charge")`)
	s.do(chromedp.Click(css(`.choices a[href*="axis=minutes"]`)))
	s.await(`document.querySelector("svg.curves").getAttribute("aria-label").includes("volts against minutes")`)
	assert.Contains(t, eval[string](s, "location.search"), "channel=volts")

	// The reading cursor by keyboard, shared by strip and curve.
	s.do(chromedp.Focus(css("svg.large")), chromedp.KeyEvent(kb.Home), chromedp.KeyEvent(kb.ArrowRight))
	s.await(`!document.querySelector("[data-readout]").hidden`)
	first := s.text("[data-readout]")
	s.do(chromedp.KeyEvent(kb.ArrowRight, chromedp.KeyModifiers(8)))
	s.await(`document.querySelector("[data-readout]").textContent !== ` + quote(first))
	assert.Equal(t, 3, eval[int](s, `document.querySelectorAll(".cursor.on").length`), "in the strip, under it and in the curve")
	assert.Equal(t, 1, eval[int](s, `document.querySelectorAll("svg.curves .cursor-dot.on").length`))
	s.do(chromedp.KeyEvent(kb.Escape))
	s.await(`document.querySelectorAll(".cursor.on").length === 0`)

	// And by pointer.
	eval[bool](s, `(() => { const e = document.querySelector("svg.curves"), r = e.getBoundingClientRect();
		const at = {clientX: r.left + r.width / 2, clientY: r.top + 50, bubbles: true};
		e.dispatchEvent(new PointerEvent("pointermove", at)); return true; })()`)
	s.await(`document.querySelector("[data-readout]").textContent.includes("kW")`)

	// A figure can be asked how it was worked out.
	s.do(chromedp.Click(css(`a[data-how][href$="/how/loss"]`)), chromedp.WaitVisible(css("#how[open] .numbers")))
	assert.Contains(t, s.text("#how-text"), "loss: ")
	s.do(chromedp.KeyEvent(kb.Escape))

	// The clock from first power.
	s.unfold("details.by")
	s.do(chromedp.Click(css(`.by a[href*="clock=power"]`)))
	s.await(
		`document.querySelector("h1.finding") && document.querySelector('.by a[href*="clock=power"][aria-current]')`,
	)
	s.quiet()
}

func TestConditionsAndMarksInPlace(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/runs/3")
	post := s.text("table.posts tr:nth-child(2) td:nth-child(3)")
	s.do(chromedp.Click(css("#conditions .edit")), chromedp.WaitVisible(css("#f-weather")))
	s.do(chromedp.SetValue(css("#f-weather"), "hail"), chromedp.SetValue(css("#f-ambient_c"), "900"),
		chromedp.Click(css("#conditions .primary")), chromedp.WaitVisible(css("#e-ambient_c")))
	assert.Equal(t, "hail", eval[string](s, `document.querySelector("#f-weather").value`))
	s.do(chromedp.SetValue(css("#f-ambient_c"), "−2,5"), chromedp.Click(css("#conditions .primary")),
		chromedp.WaitVisible(css("dl.conditions")))
	assert.Contains(t, s.text("dl.conditions"), "−2.5 °C, hail")

	s.open("/runs/3/edit")
	n := eval[int](s, `document.querySelectorAll(".markform").length`)
	s.do(chromedp.SetValue(css(".markform:last-child input[name=time]"), "12:30"),
		chromedp.SetValue(css(".markform:last-child input[name=note]"), "rain begins"),
		chromedp.Click(css(".markform:last-child button")))
	s.await(`document.querySelectorAll(".markform").length === ` + quoteInt(n+1))
	assert.Contains(t, s.text(".marks"), "12:30 rain begins")
	// The plug-in mark goes, comes back by undo, and moves every post.
	s.do(chromedp.SetValue(css(".markform input[name=time]"), "0:10"), chromedp.Click(css(".markform button")))
	s.await(
		`document.querySelector("table.posts tr:nth-child(2) td:nth-child(3)").textContent.trim() !== ` + quote(post),
	)
	s.do(chromedp.Click(css(`.markform button[aria-label^="Remove"]`)), chromedp.WaitVisible(css(".notice button")))
	assert.Equal(t, post, s.text("table.posts tr:nth-child(2) td:nth-child(3)"))
	s.do(chromedp.Click(css(".notice button")))
	s.await(
		`!document.querySelector(".notice") &&
			document.querySelector("table.posts tr:nth-child(2) td:nth-child(3)").textContent.trim() !== ` + quote(post),
	)
	s.quiet()
}

func quoteInt(n int) string {
	b, _ := json.Marshal(n)
	return string(b)
}

func TestDeleteAndUndo(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/runs/3")
	s.do(chromedp.Click(css(`form[action="/runs/3/delete"] button`)), chromedp.WaitVisible(css(".notice button")))
	assert.Equal(t, "19", s.text("#total"))
	assert.Contains(t, s.text(".notice"), "Run 3 is removed.")
	s.do(chromedp.Click(css(".notice button")), chromedp.WaitVisible(css("h1.finding")))
	s.open("/")
	assert.Equal(t, "20", s.text("#total"))
	s.quiet()
}

// The road by keyboard alone: walk, pick three, bench; then filter and group.
func TestRoadAndBenchByKeyboard(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/")
	for i := range 3 {
		s.do(chromedp.KeyEvent("j"), chromedp.KeyEvent("x"))
		s.await(`document.querySelector("#bench-count").textContent.trim() === ` + quote(string(rune('1'+i))))
	}
	assert.Equal(t, 3, eval[int](s, `document.querySelectorAll(".row.picked").length`))
	s.do(chromedp.KeyEvent("b"), chromedp.WaitVisible(css("html[data-ready] .bench-table")))
	assert.Equal(t, 3, eval[int](s, `document.querySelectorAll("svg.curves path.series").length`))
	assert.Contains(t, s.text(".differs-table"), "What differs")
	s.do(chromedp.Click(css(`.on-bench li:nth-child(2) a[href*="ref="]`)))
	s.await(`document.querySelector(".on-bench li:nth-child(2) b") !== null`)
	s.unfold("details.choose")
	s.do(chromedp.Click(css(`.choices a[href*="axis=minutes"]`)))
	s.await(`document.querySelector("svg.curves").getAttribute("aria-label").includes("against minutes")`)
	s.do(chromedp.Focus(css("svg.curves")), chromedp.KeyEvent(kb.Home), chromedp.KeyEvent(kb.ArrowRight),
		chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight))
	s.await(`document.querySelector("[data-readout]").textContent.includes(" kW")`)
	s.do(chromedp.Click(css(".on-bench .inline-form button")))
	s.await(`document.querySelectorAll(".on-bench li").length === 2`)
	assert.Equal(t, "2", s.text("#bench-count"))

	s.do(chromedp.KeyEvent("r"), chromedp.WaitVisible(css("html[data-ready] #filter")))
	// The browser's remote keyboard sends the character although the key was taken.
	s.do(chromedp.KeyEvent("/"))
	s.await(`document.activeElement.id === "find"`)
	eval[string](s, `document.activeElement.value = ""`)
	s.do(chromedp.KeyEvent("neighbour"))
	s.await(`document.querySelector("#total").textContent === "1"`)
	s.open("/?group=car")
	assert.Equal(t, 6, eval[int](s, `document.querySelectorAll("h2.group").length`))
	s.do(chromedp.KeyEvent("?"), chromedp.WaitVisible(css("#keys[open]")))
	s.quiet()
}

// axe opens a page and lists what axe-core has against it.
func (s *site) axe(page string) {
	s.Helper()
	axe, err := os.ReadFile("../node_modules/axe-core/axe.min.js")
	require.NoError(s, err, "npm ci brings axe-core")
	s.do(chromedp.Navigate(s.url+page),
		chromedp.WaitVisible(css("html[data-ready] h1, html[data-ready] h2, html[data-ready] #live")))
	eval[bool](s, string(axe)+"; true")
	s.passes(page, `["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]`)
}

// axeByNight has axe-core look at the colours of the page that axe looked at before, when it is night on it. All else
// is as it is by day: TestNightIsDayInOtherColours.
func (s *site) axeByNight(page string) {
	s.Helper()
	paper := `getComputedStyle(document.documentElement).backgroundColor`
	day := eval[string](s, paper)
	eval[bool](s, `(document.documentElement.dataset.theme = "night", true)`)
	require.NotEqual(s, day, eval[string](s, paper), "it is night on %s", page)
	s.passes(page+" by night", `["color-contrast"]`)
}

// passes has axe-core look at the open page by rules, or sets of them.
func (s *site) passes(page, rules string) {
	s.Helper()
	found := eval[[]string](
		s,
		`axe.run(document, {runOnly: `+rules+`, resultTypes: ["violations"]}).
		then(r => r.violations.map(v => v.id + ": " +
			v.nodes.map(n => n.target + " " + n.failureSummary).slice(0, 3).join(" | ")))`,
	)
	assert.Empty(s, found, page)
}

// Every page passes axe-core by day and by night, on a desk and 320 px broad, where pages are read at four times their
// size (WCAG 2.2, 1.4.10); the ones for the stall on a phone too, and none is broader than it.
func TestAccessibility(t *testing.T) {
	t.Parallel()
	everywhere := func(s *site) (pages []string, stall string) {
		s.open("/desk")
		s.do(chromedp.SetUploadFiles(css("#file"), []string{sample(s.T, "spreadsheet.csv")}),
			chromedp.Click(css("#file-form button")), chromedp.WaitVisible(css("#understood")))
		arrival := eval[string](s, "location.pathname")
		stall = s.underWay(480)
		return []string{
			"/",
			"/?group=car",
			"/runs/1",
			"/runs/18",
			"/runs/1/edit",
			"/runs/1/history",
			"/runs/11",
			"/runs/10/costs",
			"/runs/1/evidence?stretch=1",
			s.recordingPage(4, 1) + "/clock",
			s.recordingPage(1, 0) + "/readings",
			"/bench?runs=1,2,3,4,5,6,7,8",
			"/bench",
			"/bench/ranking",
			"/bench/matrix",
			"/desk",
			"/desk/sheet",
			arrival,
			"/garage",
			"/garage/cars/1",
			"/sites",
			"/sites/1",
			"/sites/stalls/1",
			"/stall",
			stall,
			stall + "/details",
			stall + "/sources",
			stall + "/end",
			"/prepare",
			"/prepare?kept=1",
			"/prepare?kept=2&x=1&now=50&outside=3&fallback=none&from=2",
			"/prepare/sheet?kept=2",
			"/trip?distance=620&start=85&at_1=180&at_5=310&at_13=420&at_18=500",
			"/prepare/decide?kept=1&if_battery=25&elsewhere=0.5",
			"/prepare/methods",
			"/prepare/matrix",
			"/definitions",
			"/runs/1/how/peak",
			"/bench/how/fair?runs=1,2,3",
			"/tokens",
			"/help", "/help/curve?seed=5&level=1", "/help/curve?seed=5&level=3", "/help/practice?seed=4&level=2",
			"/settings",
			"/hooks",
			"/reports",
			"/reports/new?runs=1,2",
			published(s.T, s.ts.Config.Handler, "1", nil),
			"/no-such-page",
		}, stall
	}
	const parts = 2 // side by side
	for part := range parts {
		t.Run(fmt.Sprintf("desk, part %d", part+1), func(t *testing.T) {
			s := newSite(t, 1280, 800, true)
			s.clockShows(12)
			pages, _ := everywhere(s)
			for i, page := range pages {
				if i%parts == part {
					s.axe(page)
					s.axeByNight(page)
				}
			}
		})
	}
	t.Run("narrow", func(t *testing.T) {
		s := newSite(t, 320, 640, true)
		s.clockShows(12)
		pages, _ := everywhere(s)
		for _, page := range pages {
			s.axe(page)
			s.axeByNight(page)
		}
	})
	t.Run("phone", func(t *testing.T) {
		s := newSite(t, 390, 844, true)
		s.clockShows(23)
		pages, stall := everywhere(s)
		for _, page := range []string{"/stall", stall, stall + "/details", stall + "/sources", stall + "/end",
			"/prepare?kept=1", "/prepare/matrix"} {
			s.axe(page)
		}
		for _, page := range pages {
			s.do(chromedp.Navigate(s.url+page),
				chromedp.WaitVisible(css("html[data-ready] h1, html[data-ready] h2, html[data-ready] #live")))
			assert.LessOrEqual(t, eval[int](s, "document.documentElement.scrollWidth"), 390, page)
		}
	})
}

// What a picture says can be read on a phone: none is drawn so small that it cannot, those that are broader than the
// screen are moved, by keys too, and axe-core finds nothing.
func TestPicturesCanBeReadOnAPhone(t *testing.T) {
	s := newSite(t, 390, 844, true)
	for _, page := range []string{"/runs/2", "/runs/2/evidence?stretch=1", "/bench?runs=2,6", "/garage/cars/1",
		s.recordingPage(4, 1) + "/clock", "/prepare?kept=1"} {
		s.axe(page)
		// What is there for screen readers alone is a pixel wide.
		small := eval[[]string](s, `[...document.querySelectorAll("main svg[viewBox]")].filter((svg) => {
			const scale = svg.getBoundingClientRect().width / svg.viewBox.baseVal.width;
			return scale > 0.05 && [...svg.querySelectorAll("text")].some(
				(text) => parseFloat(getComputedStyle(text).fontSize) * scale < 6.5);
		}).map((svg) => svg.getAttribute("class") + ": " + svg.getAttribute("aria-label"))`)
		assert.Empty(t, small, page)
		assert.LessOrEqual(t, eval[int](s, "document.documentElement.scrollWidth"), 390, page)
	}
}

// Pictures leave the page as SVG with their conditions, and as PNG.
func TestPicturesAsFiles(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	for _, path := range []string{"/runs/1/strip.svg", "/runs/1/curve.svg?channel=amps", "/bench/curve.svg?runs=1,2"} {
		resp, err := http.Get(s.url + path)
		require.NoError(t, err)
		b := new(strings.Builder)
		_, err = copyTo(b, resp)
		require.NoError(t, err)
		assert.Equal(t, "image/svg+xml", resp.Header.Get("Content-Type"))
		assert.Contains(t, b.String(), "@font-face")
		assert.Contains(t, b.String(), `class="caption"`)
	}
	s.open("/runs/1")
	s.do(chromedp.Click(css(`a[data-png="run-1-curve.png"]`)))
	s.await(`+document.querySelector('a[data-png="run-1-curve.png"]').dataset.saved > 5000`)
	s.quiet()
	// Drawn from the file alone, without the page: white ground, and little ink on it.
	ground := eval[[]float64](s, `(async () => {
		const img = new Image();
		img.src = URL.createObjectURL(new Blob([await (await fetch("/runs/1/strip.svg")).text()], {type: "image/svg+xml"}));
		await img.decode();
		const c = document.createElement("canvas"); c.width = img.width; c.height = img.height;
		const g = c.getContext("2d"); g.drawImage(img, 0, 0);
		const d = g.getImageData(0, 0, c.width, c.height).data;
		let white = 0, dark = 0;
		for (let i = 0; i < d.length; i += 4) { if (d[i] > 250) white++; if (d[i] < 60) dark++; }
		return [white / (d.length / 4), dark / (d.length / 4)];
	})()`)
	assert.Greater(t, ground[0], 0.3, "white")
	assert.Less(t, ground[1], 0.1, "ink")
	assert.Greater(t, ground[1], 0.001, "ink")
	s.do(chromedp.Navigate(s.url + "/runs/1/strip.svg?show"))
	assert.Equal(
		t,
		"rgb(255, 255, 255)",
		eval[string](s, `getComputedStyle(document.querySelector(".ground")).fill`),
		"opened on its own it has its colours",
	)
}

// Who works by keys stays where the change was: in a menu of what a column is read as, whose answer draws it anew; and
// in a run's conditions, where what had the focus is gone.
func TestTheFocusStaysWhereTheChangeWas(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/desk")
	s.do(chromedp.SetUploadFiles(css("#file"), []string{sample(t, "spreadsheet.csv")}),
		chromedp.Click(css("#file-form button")), chromedp.WaitVisible(css("#c1_channel")))
	eval[bool](s, `(window.was = document.querySelector("#c1_channel"), was.focus(), true)`)
	s.set("#c1_channel", `""`, "change")
	s.await(`document.querySelector("#c1_channel") !== window.was`)
	s.await(`document.activeElement.id === "c1_channel"`)
	s.open("/runs/1")
	s.do(chromedp.Focus(css("#conditions .edit")), chromedp.KeyEvent(kb.Enter), chromedp.WaitVisible(css("#f-weather")))
	s.await(`document.querySelector("#conditions").contains(document.activeElement)`)
}
