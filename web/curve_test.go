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

// A run is practised in the browser at sixty times its speed: what is done and typed is noted with its time, and marked.
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
	press := func(kind string) { s.do(chromedp.Click(css(`[data-note="` + kind + `"]`))) }
	s.set("[data-speed]", quote("60"), "change")
	press("checked")
	press("paid")
	s.await(`document.querySelector("[data-stall]").textContent === "Payment refused. Try again."`)
	press("refused")
	press("paid")
	s.await(`document.querySelector("[data-stall]").textContent === "Paid. Plug in."`)
	press("plug")
	s.await(`document.querySelector("[data-stall]").textContent === "Charging."`)
	s.set("[data-speed]", quote("1"), "change") // however slow the machine, it is no minute further
	soc := eval[string](s, `document.querySelector("[data-soc]").textContent`)
	kw := eval[string](s, `document.querySelector("[data-kw]").textContent`)
	s.do(chromedp.SendKeys(css("#practice-line"), soc+" "+kw+kb.Enter))
	press("stop")
	press("unplug")
	s.await(`document.querySelector("[data-stall]").textContent === "Done. Thank you."`)
	s.do(chromedp.Click(css(".acts .primary")))
	s.await(`document.querySelector("[role=alert]")`)
	assert.Contains(t, s.text("[role=alert]"), "Say what cost the charge most")
	assert.Contains(t, eval[string](s, `document.querySelector("[data-log]").value`), " plug\n", "what was noted is kept")
	s.set("#f-verdict", quote("any-car"), "change")
	s.do(chromedp.Click(css(".acts .primary")))
	s.await(`document.querySelector("h1").textContent.includes("points")`)
	page := s.text("main")
	assert.Contains(t, page, "payment refused")
	assert.Regexp(t, `Safety first[^\n]*\n?\s*2 of 2`, page)
	assert.Regexp(t, `Plugged in, and noted\s*1 of 1`, page)
	assert.Regexp(t, `Unplugged where the method ends[^0-9]*2 points past it\s*0 of 1`, page)
}
