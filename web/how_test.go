package web_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/logbook"
)

// unstyled is a page without its classes, which are how it looks.
func unstyled(page string) string { return classes.ReplaceAllString(page, "") }

var classes = regexp.MustCompile(` class="[^"]*"`)

// spaced has plain spaces where a line must not break.
func spaced(s string) string { return strings.ReplaceAll(s, "\u00a0", " ") }

// Every figure of a plan can be asked how it is worked out, and answers with the
// plan's numbers: 48 points of the Osier's 88 kWh are driven and burnt.
func TestAPlansFiguresExplainThemselves(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	plan := "?car=9&stall=10&now=58&battery=9&outside=7&way=heater&at=16:45"
	for figure, says := range map[string][]string{
		"drive": {"consumption here:", "from 58 % to 10 %", "drive: ", "heater 6 kW: ", "driven in all:"},
		"expect": {"at plug-in: 10 %, coldest cell 27", "80 % after ", "= into the pack ", "held by ramp",
			"battery at the end"},
		"warm": {"straight there, parked: coldest cell", "heater by its switch: coldest cell 27", "which take ",
			"by navigation: not in this car"},
		"fallback": {"Weigh House 2"},
		"night":    {"as planned: coldest cell 27", "after a night outside: coldest cell 7"},
		"ceilings": {"10 %, pack at ", "stall, 250 A ", "45 %, pack at", "80 %, pack at"},
		"bill":     {"kWh at the stall", "minutes ", "= EUR "},
	} {
		body := spaced(get(h, "/prepare/how/"+figure+plan).Body.String())
		for _, s := range says {
			assert.Contains(t, body, s, figure)
		}
		assert.Contains(t, body, "Back to the plan")
		assert.Contains(t, get(h, "/prepare"+plan).Body.String(), "/prepare/how/"+figure+"?",
			"it can be asked on the page")
	}
	assert.Equal(t, http.StatusNotFound, get(h, "/prepare/how/luck"+plan).Code)
	assert.Contains(t, get(h, "/prepare/how/drive?car=9&stall=10&now=5&outside=7").Body.String(),
		"the plan is not worked out")
}

// So can what is concluded of runs side by side, of a ranking and of a matrix, with what the address asks for.
func TestTheBenchExplainsItself(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	for _, tt := range []struct{ figure, page, query, says, back string }{
		{"difference", "/bench", "?runs=1,2", "One run against one: like runs usually lie within", "/bench?runs=1%2C2"},
		{"fair", "/bench", "?runs=1,2", "Fair: only preconditioning differs. (strong)", "/bench?runs=1%2C2"},
		{"bands", "/bench", "?runs=1,2&window=20-60", "20–30 %: run 1 (6 °C): 5:04 (cold); run 2 (26 °C): 2:38",
			"/bench?runs=1%2C2&amp;window=20-60"},
		{"race", "/bench", "?runs=1,2", "points before run 1", "/bench?runs=1%2C2"},
		{"race", "/bench", "?runs=1,2,6&against=6&lead=energy", "kWh before run 1",
			"/bench?against=6&amp;lead=energy&amp;runs=1%2C2%2C6"},
		{"difference", "/bench", "?runs=1,2&clock=power", "times from first power; side: ",
			"/bench?clock=power&amp;runs=1%2C2"},
		{"ranking", "/bench/ranking", "?packs=any", "run 1: 32:11", "/bench/ranking?packs=any"},
		{"matrix", "/bench/matrix", "?rows=software", "by software and kind of stall", "/bench/matrix?rows=software"},
	} {
		body := spaced(get(h, "/bench/how/"+tt.figure+tt.query).Body.String())
		assert.Contains(t, body, tt.says, tt.figure)
		assert.Contains(t, body, `href="`+tt.back+`"`, tt.figure)
		assert.Contains(t, get(h, tt.page+tt.query).Body.String(), `href="/bench/how/`+tt.figure+"?",
			"it can be asked on the page")
	}
	assert.Equal(t, http.StatusNotFound, get(h, "/bench/how/luck?runs=1,2").Code)
	for _, query := range []string{"", "?runs=1", "?runs=9999,9998", "?kept=77"} {
		assert.NotContains(t, get(h, "/bench/how/race"+query).Body.String(), "With its numbers", query)
	}
}

// So can those of a run under way.
func TestALiveRunsFiguresExplainThemselves(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	car, stall := int64(1), int64(1)
	id := started(t, book, 10*time.Minute, func(r *logbook.Run) { r.CarID, r.StallID = &car, &stall })
	markAt(t, book, id, 10, "plug-in", "")
	markAt(t, book, id, 60, "attempt", "red light")
	markAt(t, book, id, 100, "plug-in", "")
	for i, ts := range []float64{130, 300, 450, 595} {
		require.NoError(t, book.Type(
			context.Background(),
			id,
			trace.StallSide,
			fmt.Sprint(i),
			"x",
			"",
			logbook.Sample{
				TS:     ts,
				HeardS: ts,
				Values: map[trace.Channel]float64{
					trace.SoC:            20 + float64(i)*6,
					trace.Power:          90,
					trace.BatteryTempMin: 24,
				},
			},
		))
	}
	page := fmt.Sprintf("/stall/%d", id)
	for figure, says := range map[string]string{"counted": "usable capacity: 75.0 kWh", "expected": "80 % at ",
		"holding": "power: 90 kW", "alert": "kW away since", "lost": "1 failed attempt, 1 min 30 s"} {
		body := spaced(get(h, page+"/how/"+figure).Body.String())
		assert.Contains(t, body, says, figure)
		assert.Contains(t, get(h, page).Body.String(), page+"/how/"+figure, "it can be asked on the page")
	}
	assert.Equal(t, http.StatusNotFound, get(h, page+"/how/luck").Code)
	body := get(h, "/definitions").Body.String()
	for _, s := range []string{"Drive-down", "Counted charge", "Ramp"} {
		assert.Contains(t, body, s)
	}
	r := httptest.NewRequest(http.MethodGet, page+"/how/lost", nil)
	r.Header.Set("HX-Request", "true")
	assert.False(t, strings.Contains(newRecorder(h, r).Body.String(), "<html"), "a dialog takes the part")
}

// In the browser the answer opens over the page, and the page goes on behind it.
func TestHowOpensOverThePage(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	s.open("/prepare?kept=2")
	s.do(chromedp.Click(css(`a[href*="/prepare/how/warm"]`)), chromedp.WaitVisible(css("#how[open]")))
	assert.Contains(t, spaced(s.text("#how-text")), "heater by its switch: coldest cell 27")
	page := s.underWay(480)
	s.do(chromedp.Navigate(s.url+page), chromedp.WaitVisible(css("#live[data-ready]")))
	s.do(chromedp.Click(css(`[data-how="holding"]`)), chromedp.WaitVisible(css("#how[open]")))
	assert.Contains(t, s.text("#how-text"), "amps level at 25")
	s.quiet()
}
