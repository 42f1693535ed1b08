package web_test

import (
	"context"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// signs are the clock times under the timeline, by what they are for.
func (s *site) signs() map[string]string {
	s.Helper()
	out := map[string]string{}
	for _, line := range eval[[]string](s,
		`[...document.querySelectorAll(".timeline text")].filter(t => t.querySelector(".at")).map(t => t.textContent)`) {
		at, what, _ := strings.Cut(line, " ")
		what, _, _ = strings.Cut(strings.ReplaceAll(what, "\u00a0", " "), ",")
		out[what] = at
	}
	return out
}

// fill types into a field in place of what stood there.
func (s *site) fill(selector, text string) {
	s.Helper()
	s.do(chromedp.Focus(css(selector)))
	eval[bool](s, `(document.querySelector(`+quote(selector)+`).select(), true)`)
	s.do(chromedp.SendKeys(css(selector), kb.Backspace+text))
}

// A run is prepared from an empty page; a change of the start moves every time that
// hangs on it; a plan that cannot be is refused with its reason; and it is kept.
func TestPrepareARun(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/prepare?car=1&stall=1&at=16:00")
	assert.Contains(t, s.text("#plan h1"), "How much charge is there now")
	assert.Contains(t, s.text(".ranking"), "Fulling Mill", "what the stalls give a warm pack is there all the same")
	s.fill("#p-now", "60")
	s.fill("#p-outside", "4")
	s.await(`document.querySelector("#plan h1").textContent.startsWith("Leave")`)
	before := s.signs()
	require.Contains(t, before, "plug in at 10 %")
	assert.Equal(t, "16:00", before["leave"])

	s.fill("#p-from", "20")
	s.await(`document.querySelector(".timeline").textContent.includes("plug in at 20")`)
	after := s.signs()
	assert.Equal(t, "16:00", after["leave"])
	assert.Less(t, after["plug in at 20 %"], before["plug in at 10 %"], "less to drive off")
	assert.NotEqual(t, before["80 %"], after["80 %"])
	assert.NotEqual(t, before["50 %"], after["50 %"])
	assert.True(t, eval[bool](s, `document.activeElement.id === "p-from"`), "the focus stays where it was")
	assert.Contains(t, eval[string](s, "location.search"), "from=20", "the address is the plan")

	s.fill("#p-from", "70")
	s.await(`document.querySelector("#plan h1").classList.contains("refused")`)
	assert.Contains(t, s.text("#plan h1"), "Cannot start from 70 %: the battery is at 60 % now.")
	assert.Contains(t, s.text("#e-from"), "Cannot start from 70 %")
	assert.True(t, eval[bool](s, `document.querySelector("#p-from").getAttribute("aria-invalid") === "true"`))
	assert.Equal(t, "60", eval[string](s, `document.querySelector("#p-now").value`), "nothing is lost")

	s.fill("#p-from", "10")
	s.await(
		`location.search.includes("from=10&") && document.querySelector("#e-from").textContent === "" &&
			document.querySelector(".keep-plan")`,
	)
	s.fill("#p-title", "Saturday, warm")
	s.do(chromedp.Click(css(".keep-plan .primary")), chromedp.WaitVisible(css(".kept li.on")))
	assert.Contains(t, s.text(".kept li.on"), "Saturday, warm")
	assert.Equal(t, "10", eval[string](s, `document.querySelector("#p-from").value`))
	assert.Equal(t, before, s.signs(), "a kept plan comes back as it was")

	s.do(chromedp.Click(css(".keep-plan a.button")), chromedp.WaitVisible(css(".sheet")))
	assert.Contains(t, s.text(".sheet"), "Never pull a connector under load")
	assert.GreaterOrEqual(t, eval[int](s, `document.querySelectorAll(".sheet .blanks .blank").length`), 40)

	// Another stall of the list, with everything else as it was.
	s.open("/prepare?car=1&stall=1&at=16:00&now=60&outside=4")
	s.do(chromedp.Click(css(".ranking tr:last-child a")))
	s.await(
		`location.search.includes("now=60") && !location.search.includes("stall=1&") &&
			document.querySelector("html").dataset.ready`,
	)
	assert.Contains(t, s.text("#plan .left"), "Copse Lane Quarry 1")
	s.quiet()
}

// The plan answers the keyboard and the slider as it does typing.
func TestPrepareByKeysAndSlider(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/prepare?car=1&stall=1&now=50&outside=10&at=16:00")
	at50 := s.signs()["plug in at 10 %"]
	s.do(chromedp.Focus(css("#p-now")), chromedp.KeyEvent(kb.ArrowUp), chromedp.KeyEvent(kb.ArrowUp))
	s.await(`document.querySelector("#p-now").value === "52" && location.search.includes("now=52")`)
	s.await(`!document.querySelector(".timeline").textContent.includes("` + at50 + ` plug in")`)
	at52 := s.signs()["plug in at 10 %"]
	assert.Greater(t, at52, at50)
	s.set(`[data-for="p-now"]`, "60", "input")
	s.await(`location.search.includes("now=60")`)
	s.await(`!document.querySelector(".timeline").textContent.includes("` + at52 + ` plug in")`)
	assert.Greater(t, s.signs()["plug in at 10 %"], at52)
	// Another car: the menus that hang on it follow.
	s.set("#p-car", `[...e.options].find(o => o.text === "Rowan 82").value`, "input")
	s.await(`[...document.querySelector("#p-software").options].some(o => o.text === "5.1")`)
	assert.Equal(t, "60", eval[string](s, `document.querySelector("#p-now").value`))
	s.quiet()
}

// Changes that come faster than the answers are all kept, whichever menu or field they
// were made in, and the menus that hang on the car follow.
func TestPrepareChangedFasterThanItAnswers(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/prepare?car=1&stall=1&now=50&outside=10&at=16:00")
	eval[bool](s, `(() => {
		const change = (id, value) => {
			const field = document.querySelector(id);
			field.value = value(field);
			field.dispatchEvent(new Event("input", {bubbles: true}));
		};
		const named = (text) => (menu) => [...menu.options].find((o) => o.text.startsWith(text)).value;
		change("#p-now", () => "55");
		change("#p-car", named("Rowan 82"));
		change("#p-stall", named("Copse Lane Quarry 1"));
		change("#p-outside", () => "4");
		return true;
	})()`)
	s.await(`[...document.querySelector("#p-software").options].some(o => o.text === "5.1")`)
	s.await(`document.querySelector("#plan .left").textContent.includes("Copse Lane Quarry 1")`)
	s.await(`!document.querySelector(".htmx-request")`)
	chosen := func(id string) string {
		return eval[string](s, `document.querySelector("`+id+`").selectedOptions[0].text`)
	}
	assert.Equal(t, "Rowan 82", chosen("#p-car"))
	assert.Contains(t, chosen("#p-stall"), "Copse Lane Quarry 1")
	assert.Equal(t, "55", eval[string](s, `document.querySelector("#p-now").value`))
	assert.Equal(t, "4", eval[string](s, `document.querySelector("#p-outside").value`))
	s.await(`location.search.includes("now=55") && location.search.includes("outside=4")`)
	s.quiet()
}

// Before anything is said of the car's state the page shows what the stall would give
// a warm pack: in words, as ceilings and as a strip.
func TestPrepareBeforeAnythingIsSaid(t *testing.T) {
	h, _ := handler(t, true)
	body := get(h, "/prepare?car=1&stall=1").Body.String()
	assert.Contains(t, body, "How much charge is there now, and how cold is it outside?")
	assert.Regexp(t, `With a warm pack 10\x{2060}–\x{2060}80\x{a0}% would take 2\d min here`, body)
	assert.Contains(t, body, `class="strip large"`)
	assert.NotContains(t, body, `class="timeline"`)
}

// The page works as a plain form, without a script.
func TestPrepareWithoutScript(t *testing.T) {
	h, _ := handler(t, true)
	w := get(h, "/prepare?car=6&stall=1&now=60&outside=4&battery=6&when=plug&at=18:30&day=2026-12-01")
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Body.String(), "plug in at 18:30")
	assert.Contains(t, w.Body.String(), "<noscript><button")
}

// One sentence at the field for each thing that cannot be, and what was typed stays.
func TestPrepareSaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	for _, tt := range []struct{ query, field, says string }{
		{"now=12&outside=5&from=30", "from", "Cannot start from 30 %: the battery is at 12 % now."},
		{"now=200&outside=5", "now", `&#34;200&#34;: expected a number from 0 to 100.`},
		{"now=50&outside=warm", "outside", `&#34;warm&#34;: expected a number from -60 to 60.`},
		{"now=50&outside=5&from=50&to=40", "to", "The charge to stop at must be above"},
		{"now=11&outside=5&km=60", "now", "The car does not get there: 60 km take"},
		{"now=50&outside=5&from=2&fallback=none", "fallback", "No run-out planned"},
		{"now=50&outside=5&at=quarter+past", "at", "expected a time of day such as 18:30"},
		{"now=50&outside=5&way=navigation&car=5", "way", "Not this way"},
	} {
		q := "car=6&stall=1&" + tt.query
		body := get(h, "/prepare?"+q).Body.String()
		_, after, found := strings.Cut(body, `id="e-`+tt.field+`">`)
		require.True(t, found, tt.query)
		text, _, _ := strings.Cut(after, "</")
		assert.Contains(t, text, tt.says, tt.query)
		v, err := url.ParseQuery(tt.query)
		require.NoError(t, err)
		for name, typed := range v {
			if name != "car" && name != "way" && name != "fallback" {
				assert.Contains(t, body, `value="`+typed[0]+`"`, "%s: %s stays", tt.query, name)
			}
		}
	}
}

// A stall of which the voltages do not meet is named as what it is, not given a number.
func TestPrepareAtAStallThatCannotCharge(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	var id string
	sites, err := book.Sites(context.Background())
	require.NoError(t, err)
	for _, site := range sites {
		for _, st := range site.Stalls {
			if site.Name == "Copse Lane Quarry" {
				id = plain(st.ID)
			}
		}
	}
	cars, err := book.Cars(context.Background())
	require.NoError(t, err)
	for _, c := range cars {
		if c.Name == "Hornbeam 105" { // 500 to 650 V, no converter
			body := get(h, "/prepare?now=60&outside=10&car="+plain(c.ID)+"&stall="+id).Body.String()
			assert.Contains(t, body, "This stall cannot charge this car")
			assert.NotContains(t, body, `class="timeline"`)
		}
	}
}

func TestMatrixPage(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/prepare/matrix")
	assert.Contains(t, s.text("h1"), "wanted runs are missing")
	rows := eval[int](s, `document.querySelectorAll("table.list tbody tr").length`)
	before := eval[int](s, `document.querySelectorAll(".list .open").length`)
	s.fill("#f-software", "3.0")
	s.do(chromedp.Click(css(".matrix form.in-line .primary")), chromedp.WaitVisible(css(".error")))
	assert.Contains(t, s.text(".matrix .error"), "Software belongs to a car")
	s.fill("#f-software", "")
	s.fill("#f-from_pct", "30")
	s.fill("#f-repeats", "4")
	s.do(chromedp.Click(css(".matrix form.in-line .primary")))
	s.await(`document.querySelectorAll("table.list tbody tr").length === ` + plain(int64(rows+1)))
	done := eval[int](s, `document.querySelectorAll("table.list tbody tr:last-child .done").length`)
	assert.Equal(t, before+max(0, 4-done), eval[int](s, `document.querySelectorAll(".list .open").length`))
	s.do(chromedp.Click(css("table.list tbody tr:last-child button")), chromedp.WaitVisible(css(".notice")))
	s.do(chromedp.Click(css(".notice button")))
	s.await(
		`!document.querySelector(".notice") && document.querySelectorAll("table.list tbody tr").length === ` + plain(
			int64(rows+1),
		),
	)
	s.do(chromedp.Click(css(".lead .button")), chromedp.WaitVisible(css("#plan-form")))
	assert.Contains(t, s.text("#plan h1"), "How much charge", "the next run can be prepared")
	s.quiet()
}

func TestOwnMethods(t *testing.T) {
	h, book := handler(t, false)
	m := url.Values{
		"name":          {"Short hop"},
		"from_pct":      {"40"},
		"to_pct":        {"30"},
		"clock":         {"plug"},
		"climate":       {"off"},
		"repeats":       {"0"},
		"replug_at_pct": {"90"},
		"same":          {"tyres\n\n stall "},
	}
	w := post(h, "/prepare/methods", m)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "30: expected more than the start, 40.")
	assert.Contains(t, w.Body.String(), "expected a number from 1 to 99")
	assert.Contains(t, w.Body.String(), `value="Short hop"`)
	m.Set("to_pct", "60")
	m.Set("repeats", "3")
	assert.Contains(t, post(h, "/prepare/methods", m).Body.String(), "Expected a charge within the window, 40 to 60 %.")
	m.Set("replug_at_pct", "")
	require.Equal(t, http.StatusSeeOther, post(h, "/prepare/methods", m).Code)
	own, err := book.Methods(context.Background())
	require.NoError(t, err)
	require.Len(t, own, 1)
	assert.Equal(t, []string{"tyres", "stall"}, own[0].Document.Same)
	assert.Equal(t, 3, own[0].Document.Repeats)
	assert.Contains(t, post(h, "/prepare/methods", m).Body.String(), "Another of your methods has this name.")
	assert.Contains(t, get(h, "/prepare?method=own-1").Body.String(), `<option value="own-1" selected>Short hop`)
	body := post(h, "/prepare/methods/1/delete", nil).Body.String()
	assert.Contains(t, body, "The method Short hop is gone.")
	assert.Contains(t, body, `name="same" value="tyres`, "undo brings it back as it was")
}

// Kept plans, matrix and roads survive being written and read.
func TestPlansAreKeptAndPutAside(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	w := post(
		h,
		"/prepare/keep",
		url.Values{
			"title":   {"Trial"},
			"car":     {"1"},
			"stall":   {"1"},
			"now":     {"44"},
			"outside": {"-3"},
			"day":     {"2026-12-01"},
		},
	)
	require.Equal(t, http.StatusSeeOther, w.Code)
	p, err := book.Preparation(context.Background(), 3)
	require.NoError(t, err)
	assert.Equal(t, "44", p.Choices["now"])
	assert.Equal(t, "2026-12-01", p.Day.Format("2006-01-02"))
	assert.Equal(t, http.StatusBadRequest, post(h, "/prepare/keep", url.Values{"car": {"1"}}).Code,
		"a plan needs a name")
	body := post(h, "/prepare/plans/3/delete", nil).Body.String()
	assert.Contains(t, body, "The plan is removed.")
	assert.Equal(t, http.StatusNotFound, get(h, "/prepare?kept=3").Code)
	require.Equal(t, http.StatusSeeOther, post(h, "/prepare/plans/3/restore", nil).Code)
	assert.Equal(t, http.StatusOK, get(h, "/prepare?kept=3").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, get(h, "/prepare/sheet").Code, "nothing to print without a plan")
}

func TestSitePageAndMembership(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	ctx := context.Background()
	sites, err := book.Sites(ctx)
	require.NoError(t, err)
	mill, tannery := sites[1], sites[2]
	require.Equal(t, "Fulling Mill Old Tannery", mill.Name+" "+tannery.Name)
	page, road := "/sites/"+plain(mill.ID), "road_"+plain(tannery.ID)
	site := url.Values{"name": {mill.Name}, "base_km": {"-4"}, road: {"12,5"}}
	w := post(h, page, site)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "expected a number from 0 to 2000")
	assert.Contains(t, w.Body.String(), `value="12,5"`)
	site.Set("base_km", "33")
	require.Equal(t, http.StatusSeeOther, post(h, page, site).Code)
	roads, err := book.Roads(ctx)
	require.NoError(t, err)
	assert.Equal(t, 12.5, roads[[2]int64{tannery.ID, mill.ID}])
	_, known := roads[[2]int64{mill.ID, sites[3].ID}]
	assert.False(t, known, "an emptied field takes the road away")

	id := plain(mill.Stalls[0].ID)
	stall := url.Values{
		"id":               {id},
		"site":             {plain(mill.ID)},
		"name":             {"1"},
		"currency":         {"EUR"},
		"per_kwh":          {"0.5"},
		"member_per_month": {"4"},
	}
	assert.Contains(t, post(h, "/sites/stalls", stall).Body.String(), "A membership needs what it takes off each kWh.")
	stall.Set("member_per_kwh_off", "0.12")
	require.Equal(t, http.StatusSeeOther, post(h, "/sites/stalls", stall).Code)
	// 4 a month against 0.12 off: 33.3 kWh (common practice, no source: "34 kWh").
	assert.Contains(t, get(h, "/sites/stalls/"+id).Body.String(), "Pays off above 33 kWh a month.")
}

func TestCarsPackBeyondItsLabel(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	car := url.Values{
		"id":              {"1"},
		"name":            {"Tamarack 78"},
		"usable_kwh":      {"-5"},
		"resistance_mohm": {"55"},
		"timer_s":         {"300"},
		"timer_share_pct": {"70"},
	}
	w := post(h, "/garage/cars", car)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "&#34;-5&#34;: expected a number from 0 to 2000.")
	assert.Contains(t, w.Body.String(), `value="55"`)
	car.Set("usable_kwh", "64")
	require.Equal(t, http.StatusSeeOther, post(h, "/garage/cars", car).Code)
	c, err := book.Car(context.Background(), 1)
	require.NoError(t, err)
	require.NotNil(t, c.Pack)
	assert.Equal(t, 55.0, *c.Pack.ResistanceMOhm)
	assert.Equal(t, 300.0, *c.Describe("").TimerS)
	assert.Contains(t, get(h, "/garage/cars/1").Body.String(), "Filled in by the arithmetic")
}

func plain(id int64) string { return quoteInt(int(id)) }

// Changing the car or any other menu draws the whole form anew, and a fault that is
// typed afterwards still stands at its field; the console says nothing (as in every test).
func TestFaultsAfterAMenuWasChanged(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/prepare?car=1&stall=1&at=16:00&now=60&outside=4")
	for _, car := range []string{"17", "12", "1"} {
		eval[bool](s, `document.querySelector("#prepare").old = true`)
		s.set("#p-car", quote(car), "input")
		s.await(`!document.querySelector("#prepare").old && document.querySelector("#p-car").value === "` + car + `"`)
		s.fill("#p-now", "140")
		s.await(`document.querySelector("#e-now").textContent.includes("140")`)
		s.fill("#p-now", "60")
		s.await(`document.querySelector("#e-now").textContent === "" && !document.querySelector(".htmx-request")`)
	}
	for _, menu := range []string{"method", "way", "when", "stall"} {
		eval[bool](s, `document.querySelector("#prepare").old = true`)
		s.set("#p-"+menu, `[...e.options].at(-1).value`, "input")
		s.await(
			`!document.querySelector("#prepare").old && document.querySelector("#p-` + menu +
				`").selectedIndex === document.querySelector("#p-` + menu + `").options.length - 1`,
		)
		s.fill("#p-outside", "900")
		s.await(`document.querySelector("#e-outside").textContent !== ""`)
		s.fill("#p-outside", "4")
		s.await(`document.querySelector("#e-outside").textContent === "" && !document.querySelector(".htmx-request")`)
	}
}
