package web_test

import (
	"fmt"
	"html"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/drill"
	"zincroad/core/limit"
)

// pupil reads curves in a browser that keeps how far they have come.
type pupil struct {
	*testing.T
	h       http.Handler
	cookies map[string]*http.Cookie
}

func (p *pupil) ask(method, path string, form url.Values) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	for _, c := range p.cookies {
		r.AddCookie(c)
	}
	w := httptest.NewRecorder()
	p.h.ServeHTTP(w, r)
	for _, c := range w.Result().Cookies() {
		p.cookies[c.Name] = c
	}
	return w
}

// says answers the exercise of a seed as told of each place.
func (p *pupil) says(seed uint64, level int, wish drill.Wish, of func(drill.Place) string) string {
	p.Helper()
	e, err := drill.Make(seed, level)
	require.NoError(p, err)
	form := url.Values{"seed": {fmt.Sprint(seed)}, "level": {fmt.Sprint(level)}, "wish": {string(wish)}}
	if wish == "" {
		form.Set("wish", string(e.Best))
	}
	for i, at := range e.At {
		form.Set(fmt.Sprintf("place%d", i+1), of(at))
	}
	w := p.ask(http.MethodPost, "/help/curve", form)
	require.Equal(p, http.StatusOK, w.Code)
	return html.UnescapeString(w.Body.String())
}

// Whoever knows gets all points, and harder charges; whoever says everywhere that it cannot be told gets half a point
// where it can; whoever blames the other party gets nothing, and is told what they mix up.
func TestReadingCurves(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, false)
	p := &pupil{t, h, map[string]*http.Cookie{}}
	w := p.ask(http.MethodGet, "/help/curve", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.Contains(t, w.Header().Get("Location"), "level=1")
	page := p.ask(http.MethodGet, "/help/curve?seed=5&level=1", nil).Body.String()
	for _, hidden := range []string{"You said", "The program says"} {
		assert.NotContains(t, page, hidden)
	}
	assert.Contains(t, page, "the stall offers")
	truth := func(at drill.Place) string { return string(at.Cause) }
	assert.Contains(t, p.says(5, 1, "", truth), "<h1>7 of 7 points</h1>")
	assert.Contains(t, p.says(6, 1, "", truth), "/help/curve?level=2", "two good ones, and it gets harder")

	careful := p.says(5, 1, drill.Cells, func(drill.Place) string { return "open" })
	assert.Contains(t, careful, "<h1>1.5 of 7 points</h1>", "nothing of the first charge is open")

	// A charge of level 3 has open places, where that is the whole answer.
	for seed := range uint64(50) {
		e, err := drill.Make(seed, 3)
		require.NoError(t, err)
		if e.At[0].Open != drill.Told && e.At[1].Open != drill.Told && e.At[2].Open != drill.Told {
			assert.Contains(t, p.says(seed, 3, "", func(drill.Place) string { return "open" }), "<h1>7 of 7 points</h1>")
			assert.NotContains(t, p.ask(http.MethodGet, fmt.Sprintf("/help/curve?seed=%d&level=3", seed), nil).Body.String(),
				"the stall offers")
			break
		}
	}

	other := func(at drill.Place) string {
		if at.Whose() == limit.OfCar {
			return string(limit.StallPower)
		}
		return string(limit.TimerStep)
	}
	assert.Contains(t, p.says(5, 1, drill.Cells, other), "<h1>0 of 7 points</h1>")
	again := p.says(5, 1, drill.Cells, other)
	assert.Contains(t, again, "You take “")
	assert.Contains(t, again, "drill=")

	w = p.ask(http.MethodPost, "/help/curve", url.Values{"seed": {"5"}, "level": {"1"}, "place1": {"cold"}})
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "Say something of each place")
	assert.Contains(t, w.Body.String(), `value="cold" selected`)
	assert.Equal(t, http.StatusBadRequest, p.ask(http.MethodGet, "/help/curve?seed=x", nil).Code)
}

// A run is practised in the browser on the page at the stall: what is done is done above, and what is noted of it, with
// the page's own line, marks and undo, is marked. Nothing of it comes into the logbook.
func TestPractisingARun(t *testing.T) {
	s := newSite(t, 1280, 900, false)
	var seed uint64
	for ; ; seed++ { // one whose payment is refused
		p, err := drill.NewPractice(seed, 1)
		require.NoError(t, err)
		if p.Refusals > 0 {
			break
		}
	}
	s.open(fmt.Sprintf("/help/practice?seed=%d&level=1", seed))
	s.await(`document.querySelector("[data-practice]").dataset.ready`)
	s.set("[data-speed]", quote("1"), "change") // however slow the machine, it is no minute further
	does := func(deed, then string) {
		s.do(chromedp.Click(css(`[data-deed="` + deed + `"]`)))
		s.await(`document.querySelector("[data-stall]").textContent === ` + quote(then))
	}
	// The marks' buttons come and go with what the page hears.
	notes := func(button, shown string) {
		s.await(`document.querySelector(` + quote(button) + `)`)
		eval[bool](s, `(document.querySelector(`+quote(button)+`).click(), true)`)
		s.await(`document.querySelector("#live-last").textContent.includes(` + quote(shown) + `)`)
	}
	plugIn, refused, unplugged := `#live-acts [data-key="c"]`, `#live-acts .attempt button`, `#live-acts [data-key="u"]`
	does("looked", "Plug in, then pay.")
	does("inserted", "Plugged in. Pay.")
	notes(plugIn, "plugged in")
	does("paid", "Payment refused. Take the plug out and try again.")
	notes(refused, "payment refused")
	does("pulled", "Plug in, then pay.")
	does("inserted", "Plugged in. Pay.")
	notes(plugIn, "plugged in")
	s.set("[data-speed]", quote("20"), "change")
	does("paid", "Charging.")
	s.set("[data-speed]", quote("1"), "change")
	soc := strings.TrimSuffix(eval[string](s, `document.querySelector("[data-soc]").textContent`), " %")
	kw := strings.TrimSuffix(eval[string](s, `document.querySelector("[data-kw]").textContent`), " kW")
	s.do(chromedp.SendKeys(css("#line"), soc+" lots"+kb.Enter))
	s.await(`document.querySelector("#line-error").textContent.includes("lots")`)
	assert.Equal(t, soc+" lots", eval[string](s, `document.querySelector("#line").value`), "a refused line is put back")
	s.set("#line", quote(soc+" "+kw), "input")
	s.do(chromedp.SendKeys(css("#line"), kb.Enter))
	s.await(`document.querySelector("#live-last").textContent.includes(` + quote(soc+" "+kw) + `)`)
	s.await(`document.querySelector("#live-now .figure").textContent === ` + quote(soc))
	notes(`form:has([value="neighbour"]) button`, "neighbour")
	eval[bool](s, `(document.querySelector('#live-last [aria-label^="Undo"][aria-label*="eighbour"]').click(), true)`)
	s.await(`!document.querySelector("#live-last").textContent.includes("eighbour")`)
	does("halted", "Done. Thank you.")
	does("pulled", "Done. Thank you.")
	notes(unplugged, "unplugged")
	s.set("#f-sure", quote("sure"), "change")
	s.do(chromedp.Click(css("[data-mark]")))
	s.await(`document.querySelector("main").textContent.includes("Say what cost the charge most")`)
	s.await(`document.querySelector("[data-practice]").dataset.ready`)
	s.await(`document.querySelector("#live-last").textContent.includes("unplugged")`) // what was noted is kept
	s.await(`document.querySelector("[data-stall]").textContent === "Done. Thank you."`)
	s.await(`document.querySelector("#f-sure").value === "sure"`)
	s.set("#f-verdict", quote("any-car"), "change")
	s.do(chromedp.Click(css("[data-mark]")))
	s.await(`document.querySelector("h1").textContent.includes("points")`)
	page := s.text("main")
	assert.Contains(t, page, "payment refused")
	assert.Regexp(t, `Safety first[^\n]*\n?\s*2 of 2`, page)
	assert.Regexp(t, `Plugging in and out noted within 20 s\s*3 of 3\s*1 of 1`, page)
	assert.Regexp(t, `What happened, noted within 1 min 30 s\s*1 of 1\s*2 of 2`, page)
	assert.Regexp(t, `What was noted is what the screens said\s*1 of 1\s*1 of 1`, page)
	assert.Regexp(t, `Unplugged where the method ends[^0-9]*2 points past it\s*0 of 1`, page)
	list, err := s.book.LiveRuns(t.Context())
	require.NoError(t, err)
	assert.Empty(t, list)
}

// What a page sends of a practice that cannot be one is refused in a sentence, and what is no mark is passed over.
func TestOddPractices(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, false)
	ask := func(body string) (int, string) {
		r := httptest.NewRequest(http.MethodPost, "/help/practice/now", strings.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Accept", "application/json")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Code, w.Body.String()
	}
	for _, body := range []string{`{"seed": 1, "notes": [{"at": 1e300, "speed": 1, "kind": "note"}]}`,
		`{"seed": 1, "notes": [{"at": 5, "speed": 1e300, "line": "9 2"}]}`, `{"seed": -1}`, `{`, `{"seed": 1}`,
		`{"seed": 1, "notes": {}}`,
		`{"seed": 1, "notes": [` + strings.Repeat(`{},`, 600) + `{}]}`} {
		code, said := ask(body)
		assert.Equal(t, http.StatusBadRequest, code, body[:min(40, len(body))])
		assert.Contains(t, said, "begin again")
	}
	code, said := ask(`{"seed": 1, "level": 1, "at": 30, "notes": [{"id": 1, "at": 9, "kind": "a feast"},
		{"id": 2, "at": 12, "line": "9 2 1 4 5", "key": "k2"}, {"id": 3, "at": 14, "line": "9 2", "key": "k3"}]}`)
	assert.Equal(t, http.StatusOK, code)
	assert.NotContains(t, said, "feast")
	assert.Contains(t, said, `"k2":`)
	assert.NotContains(t, said, `"k3":`)
	assert.Contains(t, said, "9 2")
}

// Who reads °F sees the car's screen in °F, and what they type of it is right.
func TestAPracticeInFahrenheit(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, false)
	p, err := drill.NewPractice(3, 2)
	require.NoError(t, err)
	page := func(units string) string {
		r := httptest.NewRequest(http.MethodGet, "/help/practice?seed=3&level=2", nil)
		r.AddCookie(&http.Cookie{Name: "units", Value: units})
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Body.String()
	}
	is := p.Screens[0]
	assert.Contains(t, page(""), fmt.Sprintf(`{"screens":[[%g,%g,%g,%g],`, is.SoCPct, is.KW, is.KWh, is.ColdestC))
	assert.Contains(t, page("f"),
		fmt.Sprintf(`{"screens":[[%g,%g,%g,%.0f],`, is.SoCPct, is.KW, is.KWh, is.ColdestC*1.8+32))
	assert.Regexp(t, `coldest cell <span[^>]*>–</span> °F`, page("f"))
	// Typed before the charge, as one should: the car shows it then already.
	log := fmt.Sprintf(`[{"id": 1, "at": 5, "speed": 1, "line": "%g - %.0f", "set": "screen", "unit": "°F"}]`, is.SoCPct,
		is.ColdestC*1.8+32)
	marked := (&pupil{t, h, map[string]*http.Cookie{}}).ask(http.MethodPost, "/help/practice",
		url.Values{"seed": {"3"}, "level": {"2"}, "log": {log}, "verdict": {"cold"}})
	assert.Regexp(t, `What was noted is what the screens said<span[^>]*>\s*1 of 1`, marked.Body.String())
}
