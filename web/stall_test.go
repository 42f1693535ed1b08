package web_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/trace"
	"zincroad/logbook"
)

// typeLine types a reading into the line and sends it.
func (s *site) typeLine(text string) {
	s.Helper()
	s.do(chromedp.Focus(css("#line")), chromedp.SendKeys(css("#line"), text+kb.Enter))
}

// startFromNothing begins a live run with the Tamarack at Fulling Mill 1 and gives
// its number.
func (s *site) startFromNothing() int64 {
	s.Helper()
	s.open("/stall")
	eval[bool](s, `(() => { for (const [id, text] of [["f-car", "Tamarack 78"], ["f-stall", "Fulling Mill 1"]]) {
		const e = document.getElementById(id);
		e.value = [...e.options].find(o => o.text === text).value; } return true; })()`)
	s.fill("#f-outside", "6")
	s.do(chromedp.Click(css("form.two .primary")), chromedp.WaitVisible(css("#live[data-ready]")))
	var id int64
	_, err := fmt.Sscan(eval[string](s, `document.querySelector("#live").dataset.run`), &id)
	require.NoError(s, err)
	return id
}

// Without any device a run goes from its start to the bench: refused payment, the
// next stall, readings typed and corrected, marks, the end, the run's page.
func TestTypedRunFromStartToBench(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	id := s.startFromNothing()
	s.await(`document.querySelector("#live-now").textContent.includes("not plugged in yet")`)
	s.do(chromedp.KeyEvent("c"))
	s.await(`document.querySelector("#live-acts").textContent.includes("No power?")`)
	s.do(chromedp.Click(css(".attempt button")))
	s.await(`document.querySelector("#live-now").textContent.includes("1 failed attempt")`)
	s.await(`document.querySelector(".move select")`)
	assert.Contains(t, s.text(".move select option"), "Fulling Mill", "stalls of the same site first")
	s.do(chromedp.Click(css(".move button")))
	s.await(`document.querySelector(".live-head").textContent.includes("Fulling Mill 3")`)
	s.do(chromedp.KeyEvent("c"))
	s.await(`document.querySelector("#live-acts").textContent.includes("No power?")`)

	s.typeLine("12 48 14")
	s.await(`document.querySelector(".figure").textContent === "12"`)
	s.await(`document.querySelector("#live-now").textContent.includes("plugged in at")`)
	assert.Contains(t, s.text("#live-now"), "1 failed before")
	s.typeLine("13 94kW 15C")
	s.await(`document.querySelector(".figure").textContent === "13"`)
	s.typeLine("14 950 15 3 4")
	s.await(`document.querySelector("#line-error").textContent.includes("5 numbers, but SoC kW °C are 3.")`)
	assert.Equal(t, "14 950 15 3 4", eval[string](s, `document.querySelector("#line").value`), "what was typed stays")
	s.do(chromedp.Focus(css("#line")), chromedp.KeyEvent(kb.Escape))
	s.do(chromedp.Click(css(`[data-line="13 94kW 15C"]`)))
	s.fill("#line", "13 49 15")
	s.do(chromedp.SendKeys(css("#line"), kb.Enter))
	s.await(`document.querySelectorAll(".figure")[1].textContent === "49"`)
	assert.NotContains(t, s.text(".last"), "94kW")
	eval[bool](s, `(document.activeElement.blur(), true)`)
	s.do(chromedp.KeyEvent("f"))
	s.await(`document.querySelector(".last").textContent.includes("fan")`)
	s.do(chromedp.KeyEvent("u"))
	s.await(`document.querySelector("#live-acts").textContent.includes("Plugged in again")`)
	s.do(chromedp.Click(css(`[aria-label^="Undo unplugged"]`)))
	s.await(`document.querySelector("#live-acts").textContent.includes("Stop pressed")`)
	assert.NotContains(t, s.text(".last"), "unplugged", "a slip of the thumb leaves nothing behind")
	s.do(chromedp.KeyEvent("u"))
	s.await(`document.querySelector("#live-acts").textContent.includes("Plugged in again")`)

	s.do(chromedp.KeyEvent("e"), chromedp.WaitVisible(css(`form[action$="/end"]`)))
	s.fill("#f-soc", "130")
	s.do(chromedp.Click(css("form .primary")), chromedp.WaitVisible(css(".error")))
	assert.Contains(t, s.text(".error"), "expected a number from 0 to 100")
	s.fill("#f-soc", "14")
	s.fill("#f-kwh", "1.4")
	s.do(chromedp.Click(css("form .primary")), chromedp.WaitVisible(css(".recordings")))
	assert.Contains(t, s.text(".marks"), "payment refused at Fulling Mill 1")
	assert.Contains(t, s.text(".recordings"), "typed-stall.csv")

	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	full, err := s.book.Load(context.Background(), row)
	require.NoError(t, err)
	var kw []float64
	for _, rec := range full.Recordings {
		if rec.Name == "typed-stall.csv" {
			kw = rec.Columns[trace.Power]
		}
	}
	require.GreaterOrEqual(t, len(kw), 2)
	assert.Equal(t, []float64{48, 49}, kw[:2], "the corrected value stands")
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	kept := 0
	for _, l := range lines {
		if l.Line == "13 94kW 15C" {
			kept++
			assert.NotNil(t, l.CorrectedBy, "and the first is kept beside it")
		}
	}
	assert.Equal(t, 1, kept)
	s.open(fmt.Sprintf("/bench?runs=1,%d", id))
	assert.Contains(t, s.text("main"), "Tamarack")
	s.quiet()
}

// The network goes, readings are typed, the network comes back: they are stored
// once, each with the time at which its typing began.
func TestReadingsTypedWhileAway(t *testing.T) {
	s := newSite(t, 390, 844, true)
	id := s.startFromNothing()
	s.typeLine("20 90 18")
	s.await(`document.querySelector(".figure").textContent === "20"`)
	eval[bool](s, `(window.network = window.fetch, true)`)
	offline := func(on bool) {
		if on {
			eval[bool](s, `(window.fetch = () => Promise.reject(new TypeError("Failed to fetch")), true)`)
		} else {
			eval[bool](s, `(window.fetch = window.network, window.dispatchEvent(new Event("online")), true)`)
		}
	}
	offline(true)
	later := s.pageClock()
	before := time.Now()
	s.typeLine("21 91 18")
	s.await(`!document.querySelector("#waiting").hidden`)
	later(90) // between the two
	s.typeLine("22 92 19")
	s.await(`document.querySelector("#waiting").textContent.startsWith("2 entries wait")`)
	later(60)
	offline(false)
	s.await(`document.querySelector("#waiting").hidden`)
	s.await(`document.querySelector(".figure").textContent === "22"`)
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, lines, 3)
	assert.Equal(t, "21 91 18", lines[1].Line)
	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.InDelta(t, before.Sub(*row.StartedAt).Seconds(), lines[1].TS, slowS, "its own time, not that of sending")
	assert.InDelta(t, 90, lines[2].TS-lines[1].TS, slowS)
	s.quiet()
}

// slowS is how long a slow machine may take for a few keys, in s; what is measured in the
// tests that use it is several times as long.
const slowS = 15

// pageClock lets time go on for page and program alike without waiting for it, and gives what does.
func (s *site) pageClock() (later func(seconds int)) {
	s.Helper()
	eval[bool](
		s,
		`(() => { const now = Date.now, timer = performance.now.bind(performance); window.ahead = 0;
			Date.now = () => now() + window.ahead; performance.now = () => timer() + window.ahead; return true; })()`,
	)
	return func(seconds int) {
		s.Helper()
		s.ahead.Add(int64(seconds) * int64(time.Second))
		eval[float64](s, fmt.Sprintf("window.ahead += %d", seconds*1000))
	}
}

// A phone's clock is set back by an hour while it is offline: what was typed before stands where it was typed, and the
// page says what happened.
func TestAPhonesClockIsSetWhileAway(t *testing.T) {
	s := newSite(t, 390, 844, true)
	id := s.startFromNothing()
	s.typeLine("20 90 18")
	s.await(`document.querySelector(".figure").textContent === "20"`)
	later := s.pageClock()
	eval[bool](s, `(window.network = window.fetch, window.fetch = () => Promise.reject(new TypeError("away")), true)`)
	later(60)
	s.typeLine("21 91 18")
	later(100)
	eval[bool](s, `(() => { const now = Date.now; Date.now = () => now() - 3600000; return true; })()`)
	eval[bool](s, `(window.fetch = window.network, window.dispatchEvent(new Event("online")), true)`)
	s.await(`!document.querySelector("#clock-set").hidden`)
	assert.Contains(t, s.text("#clock-set"), "clock was set back by 60 min")
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, lines, 2)
	assert.InDelta(t, 60, lines[1].TS-lines[0].TS, slowS)
	s.quiet()
}

// A line that was refused lends its time to nothing that is typed over it.
func TestARefusedLineLendsNoTime(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	id := s.startFromNothing()
	later := s.pageClock()
	s.typeLine("48 furlongs")
	s.await(`document.querySelector("#line").getAttribute("aria-invalid") === "true"`)
	assert.Contains(t, s.text("#line-error"), "such as 48% 92kW 21C")
	began := time.Now()
	later(120)
	eval[bool](s, `(document.querySelector("#line").select(), true)`)
	s.typeLine("48 89 21")
	s.await(`document.querySelector(".figure").textContent === "48"`)
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, lines, 1)
	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.InDelta(t, began.Sub(*row.StartedAt).Seconds()+120, lines[0].TS, slowS)
	s.quiet()
}

// Half a line, and what stands in the form of the end, are there again when the page is opened anew; once the run has
// ended the form is forgotten.
func TestWhatWasTypedSurvivesAReload(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	id := s.startFromNothing()
	s.do(chromedp.SendKeys(css("#line"), "48 89"))
	page := fmt.Sprintf("%s/stall/%d", s.url, id)
	s.do(chromedp.Navigate(page), chromedp.WaitVisible(css("#live[data-ready]")))
	assert.Equal(t, "48 89", eval[string](s, `document.querySelector("#line").value`))

	s.do(chromedp.Navigate(page+"/end"), chromedp.WaitVisible(css("html[data-ready] h1")))
	name := eval[string](s,
		`document.querySelector("form[data-keep] input[type=text], form[data-keep] input[inputmode]").name`)
	s.do(chromedp.SendKeys(css(`[name="`+name+`"]`), "80"))
	s.away.Store(true)
	_, err := chromedp.RunResponse(s.tab, chromedp.Click(css("form[data-keep] .primary")))
	require.NoError(t, err)
	s.away.Store(false)
	s.mu.Lock()
	s.said = nil // the browser complains of the refusal, as it should
	s.mu.Unlock()
	s.do(chromedp.Navigate(page+"/end"), chromedp.WaitVisible(css("html[data-ready] h1")))
	assert.Equal(t, "80", eval[string](s, `document.querySelector('[name="`+name+`"]').value`))
	s.do(chromedp.Click(css("form[data-keep] .primary")))
	s.await(`location.pathname.startsWith("/runs/")`)
	assert.Equal(t, 0, eval[int](s, `Object.keys(localStorage).filter((k) => k.startsWith("zincroad-form-end")).length`))
}

// With one thumb: the pad's keys make the line, and its time is when the first was
// touched. The pad stays open for the next reading.
func TestPadForThumbs(t *testing.T) {
	s := newSite(t, 390, 844, true)
	id := s.startFromNothing()
	s.do(chromedp.Click(css("#pad-open")), chromedp.WaitVisible(css("#pad")))
	press := func(keys ...string) {
		for _, k := range keys {
			s.do(chromedp.Click(css(`[data-pad="` + k + `"]`)))
		}
	}
	later := s.pageClock()
	began := time.Now()
	press("3")
	later(90) // the tester looks up
	press("4", "5", "back", " ", "9", "2", " ", "2", "1", ".", "5")
	assert.Equal(t, "34 92 21.5", eval[string](s, `document.querySelector("#line").value`))
	box := eval[[]float64](
		s,
		`(() => { const r = document.querySelector('[data-pad="5"]').getBoundingClientRect();
			return [r.width, r.height]; })()`,
	)
	assert.GreaterOrEqual(t, min(box[0], box[1]), 44.0, "large enough for a cold thumb")
	s.do(chromedp.Click(css(".line-acts .reading")))
	s.await(`document.querySelector(".figure").textContent === "34"`)
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, lines, 1)
	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.InDelta(t, began.Sub(*row.StartedAt).Seconds(), lines[0].TS, slowS, "when the first key was touched")
	s.do(chromedp.Navigate(fmt.Sprintf("%s/stall/%d", s.url, id)), chromedp.WaitVisible(css("#pad")))
	s.quiet()
}

// A page that nobody sees does not listen, and catches up when it is seen again.
func TestHiddenPageDoesNotListen(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	id := s.startFromNothing()
	o := s.beside()
	o.do(chromedp.Navigate(fmt.Sprintf("%s/stall/%d", s.url, id)), chromedp.WaitVisible(css("#live[data-ready]")))
	seen := func(hidden bool) {
		eval[bool](
			s,
			fmt.Sprintf(
				`(Object.defineProperty(document, "hidden", {value: %t, configurable: true}),
					document.dispatchEvent(new Event("visibilitychange")), true)`,
				hidden,
			),
		)
	}
	reading := func(key string, soc float64) {
		require.NoError(t, s.book.Type(context.Background(), id, trace.StallSide, key, key, "",
			logbook.Sample{TS: soc, HeardS: soc, Values: map[trace.Channel]float64{trace.SoC: soc, trace.Power: 90}}))
	}
	reading("a", 30)
	s.await(`document.querySelector(".figure").textContent === "30"`)
	seen(true)
	for i, soc := range []float64{31, 32, 33} { // a page that listens shows each of them
		reading(fmt.Sprint("b", i), soc)
		o.await(fmt.Sprintf(`document.querySelector(".figure").textContent === "%.0f"`, soc))
	}
	assert.Equal(t, "30", s.text(".figure"))
	seen(false)
	s.await(`document.querySelector(".figure").textContent === "33"`)
	s.quiet()
}

// A page that hears nothing any more says so, and its figures look old; when the program is there again it goes on
// by itself, though it was told that there is nothing to listen to meanwhile.
func TestAPageThatHearsNothingSaysSo(t *testing.T) {
	s := newSite(t, 390, 844, true)
	id := s.startFromNothing()
	s.typeLine("20 90 18")
	s.await(`document.querySelector(".figure").textContent === "20"`)
	assert.True(t, eval[bool](s, `document.querySelector("#contact").hidden`))
	colour := `getComputedStyle(document.querySelector(".figure")).color`
	fresh := eval[string](s, colour)
	s.away.Store(true)
	s.ts.CloseClientConnections()
	s.await(`!document.querySelector("#contact").hidden`)
	assert.Regexp(t, `^No word from the program for 1\d s: the figures are of then`, s.text("#contact"))
	assert.NotEqual(t, fresh, eval[string](s, colour))
	assert.Equal(t, "No word from the program. The figures are old.", s.text("#said"))
	s.away.Store(false)
	require.NoError(t, s.book.Type(context.Background(), id, trace.StallSide, "k", "k", "",
		logbook.Sample{TS: 21, HeardS: 21, Values: map[trace.Channel]float64{trace.SoC: 21, trace.Power: 90}}))
	s.await(`document.querySelector(".figure").textContent === "21"`)
	assert.True(t, eval[bool](s, `document.querySelector("#contact").hidden`))
	assert.Equal(t, fresh, eval[string](s, colour))
	s.mu.Lock()
	defer s.mu.Unlock()
	s.said = nil // browsers tell of streams that broke
}

// What is pressed while the page is put anew is pressed: the page waits until the button is let go.
func TestAPressIsNotLost(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	page := s.underWay(480)
	o := s.beside()
	o.do(chromedp.Navigate(s.url+page), chromedp.WaitVisible(css("#live[data-ready]")))
	s.do(chromedp.Navigate(s.url+page), chromedp.WaitVisible(css("#live[data-ready]")))
	const minutes = `[...document.querySelectorAll("#live-now .figure")].at(-1).textContent` // go on with each frame
	// However slow the machine is, no time passes for the page while the button is down.
	eval[bool](s, `(window.stopped = Date.now(), Date.now = () => window.stopped, true)`)
	at := eval[[]float64](s, `(() => {
		const b = document.querySelector('[data-how="holding"]').getBoundingClientRect();
		return [b.x + b.width / 2, b.y + b.height / 2];
	})()`)
	s.do(chromedp.MouseEvent("mousePressed", at[0], at[1], chromedp.ButtonLeft, chromedp.ClickCount(1)))
	was := eval[string](s, minutes)
	o.await(minutes + ` !== ` + quote(eval[string](o, minutes)))
	assert.Equal(t, was, eval[string](s, minutes), "it waits")
	s.do(chromedp.MouseEvent("mouseReleased", at[0], at[1], chromedp.ButtonLeft, chromedp.ClickCount(1)),
		chromedp.WaitVisible(css("#how[open]")))
	s.await(minutes + ` !== ` + quote(was))
	s.quiet()
}

// beside opens the same site in another browser.
func (s *site) beside() *site {
	s.Helper()
	other, shut := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	s.Cleanup(shut)
	require.NoError(s, chromedp.Do(other))
	return &site{T: s.T, book: s.book, url: s.url, tab: other}
}

// Two browsers on one run: what one types, the other shows.
func TestTwoBrowsersOnOneRun(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	id := s.startFromNothing()
	o := s.beside()
	o.do(chromedp.Navigate(fmt.Sprintf("%s/stall/%d", s.url, id)), chromedp.WaitVisible(css("#live[data-ready]")))
	s.typeLine("33 120 22")
	o.await(`document.querySelector(".figure").textContent === "33"`)
	o.typeLine("34 121 22")
	s.await(`document.querySelector(".figure").textContent === "34"`)
	s.quiet()
}

// byKeys moves the focus with Tab until it is on what is wanted.
func (s *site) byKeys(selector string) {
	s.Helper()
	for range 80 {
		if eval[bool](s, `document.activeElement.matches(`+strconv.Quote(selector)+`)`) {
			require.NotEqual(
				s,
				"none",
				eval[string](s, `getComputedStyle(document.activeElement).outlineStyle`),
				"the focus is seen",
			)
			return
		}
		s.do(chromedp.KeyEvent(kb.Tab))
	}
	require.Fail(s, "Tab does not reach "+selector)
}

// A prepared run from its start to its page, through a refused payment, a replug
// and the end, without a pointer.
func TestPreparedRunByKeyboardOnly(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/")
	s.do(chromedp.KeyEvent("a"), chromedp.WaitVisible(css(".start-list form")))
	s.byKeys(`.start-list form button[aria-label^="Start Osier"]`)
	s.do(chromedp.KeyEvent(kb.Enter), chromedp.WaitVisible(css("#live[data-ready]")))
	s.await(`document.querySelector(".live-head").textContent.includes("Weigh House 4")`)
	s.await(
		`document.querySelector("#live-now").textContent.includes("Battery heater") ||
			document.querySelector("#live-now").textContent.includes("Logger running")`,
	)
	s.do(chromedp.KeyEvent("c"))
	s.await(`document.querySelector(".attempt") !== null`)
	s.byKeys(".attempt button")
	s.do(chromedp.KeyEvent(kb.Enter))
	s.await(`document.querySelector(".move select") !== null`)
	s.byKeys(".move button")
	s.do(chromedp.KeyEvent(kb.Enter))
	s.await(`document.querySelector(".live-head").textContent.includes("Weigh House 2")`)
	s.do(chromedp.KeyEvent("c"))
	s.await(`document.querySelector(".attempt") !== null`)
	// The browser's remote keyboard sends the character although the key was taken.
	s.do(chromedp.KeyEvent("l"))
	s.await(`document.activeElement.id === "line"`)
	eval[string](s, `document.activeElement.value = ""`)
	s.do(chromedp.KeyEvent("11 88 26" + kb.Enter))
	s.await(`document.querySelector(".figure").textContent === "11"`)
	s.do(chromedp.KeyEvent(kb.Escape))
	for key, shown := range map[string]string{"f": "fan", "h": "heater", "o": "neighbour", "i": "dip",
		"z": "screen froze", "x": "stop"} {
		s.do(chromedp.KeyEvent(key))
		s.await(`document.querySelector(".last").textContent.includes("` + shown + `")`)
	}
	s.do(chromedp.KeyEvent("u"))
	s.await(`document.querySelector("#live-acts").textContent.includes("Plugged in again")`)
	s.do(chromedp.KeyEvent("c"))
	s.await(`document.querySelector(".live-head").textContent.includes("plugged in")`)
	s.do(chromedp.KeyEvent("e"), chromedp.WaitVisible(css(`form[action$="/end"]`)))
	s.byKeys("#f-soc")
	s.do(chromedp.KeyEvent("12"))
	s.byKeys(`form[action$="/end"] .primary`)
	s.do(chromedp.KeyEvent(kb.Enter), chromedp.WaitVisible(css(".recordings")))
	marks := s.text(".marks")
	for _, said := range []string{"payment refused at Weigh House 4", "moved to Weigh House 2", "stop", "fan"} {
		assert.Contains(t, marks, said)
	}
	assert.Contains(t, s.text(".conditions"), "10–80 % stop")
	assert.Contains(t, s.text(".facts"), "lost before it to 1 failed attempt")
	s.quiet()
}

// A prepared run brings its method, its stall and its forecast along.
func TestStartFromAPlan(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	w := post(h, "/stall/start", url.Values{"plan": {"2"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	body := get(h, w.Header().Get("Location")).Body.String()
	assert.Contains(t, body, "Osier 88")
	assert.Contains(t, body, `class="ghost"`, "the forecast stands behind the road")
	list, err := book.LiveRuns(context.Background())
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "10–80 % stop", list[0].MethodName)
	assert.Equal(t, "car", list[0].Preconditioned)
	require.NotNil(t, list[0].Plan)
	assert.Equal(t, 80.0, list[0].Plan.ToPct)
	assert.Contains(t, get(h, "/").Body.String(), `<span id="total">20</span>`, "it is no run of the road yet")
	assert.Contains(t, post(h, "/stall/start", url.Values{"outside": {"hot"}}).Body.String(), "Which car?")
}

// The start of a run that is under way stays what all that comes in counts from, though its details are stored without
// one; what a page sends late to a run whose start was taken away is refused in a sentence.
func TestAStartThatIsTakenAway(t *testing.T) {
	h, book := handler(t, true)
	id := started(t, book, 10*time.Minute, nil)
	path := fmt.Sprintf("/runs/%d/details", id)
	began := func() *time.Time {
		row, err := book.Run(t.Context(), id)
		require.NoError(t, err)
		return row.StartedAt
	}
	before := began()
	assert.Equal(t, http.StatusSeeOther, post(h, path, url.Values{"title": {"Rain"}, "started_at": {""}}).Code)
	assert.Equal(t, before, began())
	assert.Equal(t, http.StatusOK, get(h, fmt.Sprintf("/stall/%d", id)).Code)
	require.NoError(t, book.EndLive(t.Context(), id))
	assert.Equal(t, http.StatusSeeOther, post(h, path, url.Values{"title": {"Rain"}, "started_at": {""}}).Code)
	assert.Nil(t, began())
	for path, sent := range map[string]url.Values{"readings": {"line": {"40 100"}, "key": {"k"}},
		"marks": {"kind": {"note"}, "note": {"dip"}, "key": {"k"}}} {
		w := post(h, fmt.Sprintf("/stall/%d/%s", id, path), sent)
		assert.Equal(t, http.StatusBadRequest, w.Code, path)
		assert.Contains(t, w.Body.String(), "has no start any more to count from: give it one on its page.", path)
	}
}

// What a script sends twice is stored once, and what is late keeps its own time.
func TestSentTwiceStoredOnce(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	at := time.Now().UTC().Add(-10 * time.Minute)
	id, err := book.StartLive(context.Background(), &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	send := func(path string, v url.Values) (int, string) {
		r, err := http.NewRequest(http.MethodPost, fmt.Sprintf("/stall/%d/%s", id, path), strings.NewReader(v.Encode()))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Accept", "application/json")
		w := newRecorder(h, r)
		return w.Code, w.Body.String()
	}
	for range 3 {
		code, said := send("readings", url.Values{"line": {"40 100"}, "key": {"k1"}, "ago_ms": {"120000"}})
		require.Equal(t, 200, code, said)
		code, _ = send("marks", url.Values{"kind": {"fan"}, "key": {"m1"}, "ago_ms": {"60000"}})
		require.Equal(t, 200, code)
	}
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, row.Recordings, 1)
	assert.Equal(t, 1, row.Recordings[0].Readings)
	require.Len(t, row.Marks, 1)
	assert.InDelta(t, 540, row.Marks[0].TS, 5)
	for _, tt := range []struct{ line, says string }{
		{"", "Type a reading"}, {"120 50", "120: expected SoC from 0 to 100 %."}, {"fans loud",
			"expected numbers in the order"}, {"- -", "Type a reading"},
	} {
		code, said := send("readings", url.Values{"line": {tt.line}, "key": {"x"}})
		assert.Equal(t, 422, code, tt.line)
		assert.Contains(t, said, tt.says)
	}
	// A run that is not there is no reason for what waits behind this to wait for ever.
	gone := url.Values{"line": {"40 100"}, "key": {"k9"}}
	r := httptest.NewRequest(http.MethodPost, "/stall/4711/readings", strings.NewReader(gone.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Accept", "application/json")
	w := newRecorder(h, r)
	assert.Equal(t, http.StatusNotFound, w.Code)
	assert.JSONEq(t, `{"stored": false, "key": "k9", "fault": "Run 4711. Nothing of that is in this logbook."}`,
		w.Body.String())
	require.NoError(t, book.EndLive(context.Background(), id))
	for path, v := range map[string]url.Values{"readings": {"line": {"41 100"}, "key": {"k2"}, "ago_ms": {"300000"}},
		"marks": {"kind": {"fan"}, "key": {"m2"}}} {
		code, said := send(path, v)
		assert.Equal(t, 200, code, said)
	}
	row, err = book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.Equal(t, 2, row.Recordings[0].Readings, "what waited in a page belongs to the run that another has ended")
	assert.Len(t, row.Marks, 2)
	assert.Equal(t, http.StatusSeeOther, get(h, fmt.Sprintf("/stall/%d", id)).Code, "an ended run has its own page")
}

// underWay makes a live run with both sides logged that began some seconds ago, at
// a stall that gives less than its label, and gives its address.
func (s *site) underWay(seconds int) string {
	s.Helper()
	ctx := context.Background()
	cars, err := s.book.Cars(ctx)
	require.NoError(s, err)
	sites, err := s.book.Sites(ctx)
	require.NoError(s, err)
	var car *logbook.Car
	for i := range cars {
		if cars[i].Name == "Tamarack 78" {
			car = &cars[i]
		}
	}
	mill := sites[slices.IndexFunc(sites, func(x logbook.Site) bool { return x.Name == "Fulling Mill" })]
	stall := mill.Stalls[0]
	from, to := 10.0, 80.0
	at := time.Now().UTC().Add(-time.Duration(seconds+90) * time.Second)
	plan := forecast.Plan{FromPct: from, ToPct: to, AmbientC: 6, Battery: pack.Nodes{ColdestC: 25, WarmestC: 27}}
	id, err := s.book.StartLive(
		ctx,
		&logbook.Run{
			StartedAt:  &at,
			CarID:      &car.ID,
			StallID:    &stall.ID,
			FromPct:    &from,
			ToPct:      &to,
			MethodName: "10–80 % stop",
			Plan:       &plan,
		},
	)
	require.NoError(s, err)
	given := plan
	given.Car, given.Stall = car.Describe(""), stall.Describe()
	amps := 260.0
	given.Stall.MaxA = &amps
	f, err := forecast.Once(given)
	require.NoError(s, err)
	feeds := []*logbook.Feed{
		{RunID: id, Kind: logbook.AdapterFeed, Address: "192.0.2.1:35000"},
		{RunID: id, Kind: logbook.ChargePointFeed, Address: "FULLING-1", Connector: 1},
	}
	require.NoError(s, s.book.AddFeed(ctx, feeds[0], trace.CarSide))
	require.NoError(s, s.book.AddFeed(ctx, feeds[1], trace.StallSide))
	require.NoError(s, s.book.LiveMark(ctx, &logbook.Mark{RunID: id, TS: 20, Kind: "plug-in"}, "a"))
	require.NoError(
		s,
		s.book.LiveMark(ctx,
			&logbook.Mark{RunID: id, TS: 65, Kind: "attempt", Note: "payment refused at Fulling Mill 1"}, "b"),
	)
	require.NoError(s, s.book.LiveMark(ctx, &logbook.Mark{RunID: id, TS: 90, Kind: "plug-in"}, "c"))
	var carSide, stallSide []logbook.Sample
	for i := 0; i < seconds && i < len(f.Steps); i += 3 {
		st := f.Steps[i]
		t, n := 90+st.T, st.Battery.Ordered()
		carSide = append(
			carSide,
			logbook.Sample{
				TS:     t,
				HeardS: t,
				Values: map[trace.Channel]float64{trace.SoC: float64(int(st.SoCPct*10)) / 10, trace.Voltage: st.PackV,
					trace.Current: st.Amps, trace.BatteryTempMin: n.ColdestC, trace.BatteryTempMax: n.WarmestC},
			},
		)
		stallSide = append(stallSide,
			logbook.Sample{TS: t, HeardS: t, Values: map[trace.Channel]float64{trace.Power: st.StallKW}})
	}
	require.NoError(s, s.book.Append(ctx, id, feeds[0].RecordingID, carSide))
	require.NoError(s, s.book.Append(ctx, id, feeds[1].RecordingID, stallSide))
	require.NoError(s, s.book.SetFeed(ctx, feeds[0], logbook.FeedConnected, ""))
	require.NoError(s, s.book.SetFeed(ctx, feeds[1], logbook.FeedConnected, "charging"))
	return fmt.Sprintf("/stall/%d", id)
}

// A stall that gives little: the page says by how much, since when, and what seems
// to hold it; the end that is expected moves.
func TestLivePageRaisesTheAlarm(t *testing.T) {
	s := newSite(t, 390, 844, true)
	page := s.underWay(480)
	s.open("/stall")
	assert.Contains(t, s.text(".start-list"), "Tamarack 78")
	s.do(chromedp.Navigate(s.url+page), chromedp.WaitVisible(css("#live[data-ready]")))
	text := s.text(".hold")
	assert.Contains(t, text, "kW under forecast since")
	assert.Contains(t, text, "amps level at 25")
	assert.Contains(t, s.text("#live-now"), "1 failed before")
	assert.Contains(t, s.text(".next"), "learned from this run")
	assert.NotEmpty(t, eval[string](s, `document.querySelector(".ghost").getAttribute("d")`))
	assert.Contains(t, s.text(".source"), "connected")
	s.quiet()
}

// A source that has gone quiet is said at once, in the place of an alert, and old
// figures look old.
func TestSilentSourcesAreSaid(t *testing.T) {
	h, book := handler(t, true)
	id := started(t, book, 10*time.Minute, nil)
	markAt(t, book, id, 30, "plug-in", "")
	car := &logbook.Feed{RunID: id, Kind: logbook.AdapterFeed, Address: "192.0.2.1:35000"}
	require.NoError(t, book.AddFeed(context.Background(), car, trace.CarSide))
	page := func() string { return get(h, fmt.Sprintf("/stall/%d", id)).Body.String() }
	read := func(f *logbook.Feed, ts float64) {
		require.NoError(
			t,
			book.Append(
				context.Background(),
				id,
				f.RecordingID,
				[]logbook.Sample{
					{TS: ts, HeardS: ts, Values: map[trace.Channel]float64{trace.SoC: 40, trace.Power: 90}},
				},
			),
		)
	}
	read(car, 410)
	body := page()
	for _, said := range []string{"Nothing from the car&#39;s adapter for 3 min 1[0-9] s. Type what the screen says.",
		`class="figure old[ "]`, "display, 3 min 1[0-9] s ago"} {
		assert.True(t, regexp.MustCompile(said).MatchString(body), said)
	}
	stall := &logbook.Feed{RunID: id, Kind: logbook.ChargePointFeed, Address: "MILL-1", Connector: 1}
	require.NoError(t, book.AddFeed(context.Background(), stall, trace.StallSide))
	read(stall, 598)
	body = page()
	assert.Contains(t, body, "Nothing from the car&#39;s adapter")
	assert.NotContains(t, body, "Type what the screen says", "the stall's is read")
	read(car, 599)
	body = page()
	assert.NotContains(t, body, "Nothing from")
	assert.NotContains(t, body, "figure old")
	require.NoError(t, book.SetFeed(context.Background(), car, logbook.FeedLost, "connection refused"))
	body = page()
	assert.Contains(t, body, "Nothing from the car&#39;s adapter", "lost, however fresh its last reading")
	assert.Contains(t, body, "connection refused", "and why, where the sources are listed")
}

// Sources that cannot be are refused at their field, and nothing is lost.
func TestSourcesForm(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	at := time.Now().UTC()
	id, err := book.StartLive(context.Background(), &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	path := fmt.Sprintf("/stall/%d/sources", id)
	w := post(
		h,
		path,
		url.Values{
			"kind":    {"adapter"},
			"adapter": {"somewhere"},
			"profile": {`{"format": "zincroad-profile/1", "channels": []}`},
		},
	)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "expected a host and a port")
	assert.Contains(t, w.Body.String(), "The profile has no channels")
	assert.Contains(t, w.Body.String(), `value="somewhere"`)
	w = post(h, path, url.Values{"kind": {"charge-point"}, "point": {""}, "connector": {"0"}})
	assert.Contains(t, w.Body.String(), "Its name is needed.")
	assert.Contains(t, w.Body.String(), "expected a number from 1 to 99")
	require.Equal(t, http.StatusSeeOther,
		post(h, path, url.Values{"kind": {"charge-point"}, "point": {"MILL-9"}, "connector": {"2"}}).Code)
	f, err := book.FeedAt(context.Background(), "MILL-9", 2)
	require.NoError(t, err)
	require.NotNil(t, f)
	require.Equal(t, http.StatusSeeOther, post(h, fmt.Sprintf("%s/%d/delete", path, f.ID), nil).Code)
	f, err = book.FeedAt(context.Background(), "MILL-9", 2)
	require.NoError(t, err)
	assert.Nil(t, f)
	assert.Equal(t, http.StatusSeeOther, get(h, fmt.Sprintf("/runs/%d", id)).Code, "a live run has no run page yet")
}

// The sources of the last run with the same car and at the same stall are filled in:
// nobody types a profile in the rain.
func TestSourcesOfLastTimeAreFilledIn(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	own := `{"format": "zincroad-profile/1", "name": "ours", "channels": [` +
		`{"channel": "soc_pct", "request_id": "7A1", "response_id": "7A9", "identifier": "D010", "length": 1}]}`
	begin := func(car, stall int64) string {
		id := started(t, book, time.Minute, func(r *logbook.Run) { r.CarID, r.StallID = &car, &stall })
		return fmt.Sprintf("/stall/%d/sources", id)
	}
	path := begin(1, 1)
	assert.Contains(t, get(h, path).Body.String(), "Wend Valley workshop, staff cars", "the example to begin from")
	require.Equal(t, http.StatusSeeOther,
		post(h, path, url.Values{"kind": {"adapter"}, "adapter": {"192.0.2.9:35000"}, "profile": {own}}).Code)
	require.Equal(t, http.StatusSeeOther,
		post(h, path, url.Values{"kind": {"charge-point"}, "point": {"MILL-3"}, "connector": {"2"}}).Code)
	body := get(h, begin(1, 5)).Body.String()
	assert.Contains(t, body, `value="192.0.2.9:35000"`)
	assert.Contains(t, body, "&#34;ours&#34;")
	assert.NotContains(t, body, "MILL-3", "another stall")
	body = get(h, begin(9, 1)).Body.String()
	assert.Contains(t, body, `value="MILL-3"`)
	assert.Contains(t, body, `name="connector" value="2"`)
	assert.NotContains(t, body, "192.0.2.9", "another car")
}
