package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/words"
	"zincroad/demo"
	"zincroad/logbook"
)

// Twenty runs at once: the reference, the fastest and the slowest have lines of their own, the others are drawn
// behind, and nothing is left out of the table. One more than sixty is refused at the door.
func TestBenchOfMany(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	ids := make([]string, 20)
	for i := range ids {
		ids[i] = fmt.Sprint(i + 1)
	}
	body := get(h, "/bench?runs="+strings.Join(ids, ",")).Body.String()
	assert.Equal(t, 20, strings.Count(body, `class="swatch `), "each is listed")
	curves := body[strings.Index(body, `class="curves"`):]
	curves = curves[:strings.Index(curves, "</svg>")]
	assert.Equal(t, 17, strings.Count(curves, `class="series crowd"`))
	for _, style := range []string{"run-0", "run-1", "run-2"} {
		assert.Contains(t, curves, "series "+style)
	}
	assert.NotContains(t, curves, "series run-3")
	assert.Contains(t, body, "17 further runs are drawn behind")
	for i := len(ids); i < 61; i++ {
		ids = append(ids, fmt.Sprint(i+1))
	}
	assert.Equal(t, http.StatusOK, get(h, "/bench?runs="+strings.Join(ids, ",")).Code)
	w := post(h, "/bench/keep", url.Values{"runs": {strings.Join(ids, ",")}, "name": {"all of them"}})
	assert.Equal(t, http.StatusBadRequest, w.Code)
}

// The ranking and the matrix are made of the runs there are; what an address asks for is shown as chosen, and
// nonsense in it is passed over.
func TestRankingAndMatrix(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	// By the runs' own pages: in one go, at full power, warm from 24 °C on.
	var times []float64
	covered := 0
	for id := int64(1); id <= 20; id++ {
		row, err := book.Run(t.Context(), id)
		require.NoError(t, err)
		res, err := book.Results(t.Context(), row)
		require.NoError(t, err)
		x := res.Head()
		w, ok := x.Window(10, 80)
		if !ok || len(x.Legs) > 1 || row.Profile == "gentle" {
			continue
		}
		upset := 0.0
		if x.Pace != nil {
			for _, l := range x.Pace.Lost {
				if slices.Contains([]limit.Cause{limit.SharedCabinet, limit.StallFault, limit.CableHot, limit.Paused}, l.Cause) {
					upset += l.Minutes
				}
			}
		}
		if upset < 1 {
			covered++
		}
		if x.Pace != nil && slices.ContainsFunc(x.Pace.Lost, func(l curve.MinutesLost) bool {
			return l.Minutes > 1 && l.Cause.Sign().Whose == limit.OfStall
		}) {
			continue // held down by its stall
		}
		if row.Car.Name == "Tamarack 78" && row.Software.Version == "2.4" && *x.Battery.StartC >= 24 {
			times = append(times, w.TS)
		}
	}
	slices.Sort(times)
	require.Equal(t, 1, len(times)%2, "one is in the middle")
	middle := words.Duration(math.Round(times[len(times)/2]))
	body := get(h, "/bench/ranking").Body.String()
	assert.Contains(t, body, "Warm packs, ")
	assert.Contains(t, body, "Tamarack 78 (2.4) in "+middle)
	assert.Regexp(t, `Hornbeam 105 1\.2\s*<span class="second">no run with a warm pack`, body)
	body = get(h, "/bench/ranking?by=crate&packs=any&window=20-70&stalls=350").Body.String()
	assert.Contains(t, body, "at stalls of 350 kW and more")
	for _, on := range []string{"C-rate", "350 kW and more", "any"} {
		assert.Regexp(t, `aria-current="true"[^>]*>`+on+`<`, body)
	}
	assert.Equal(t, get(h, "/bench/ranking").Body.String(),
		get(h, "/bench/ranking?by=beauty&packs=tepid&window=80-10&stalls=7").Body.String())

	body = get(h, "/bench/matrix?rows=car&cols=stall_kw&packs=any").Body.String()
	assert.Contains(t, body, fmt.Sprintf("%d runs cover", covered))
	assert.Contains(t, body, "Tamarack 78, 100 kW: no run yet, though its row")
	assert.Contains(t, body, `class="strip tiny"`)
	assert.Equal(t, get(h, "/bench/matrix").Body.String(), get(h, "/bench/matrix?rows=mood&cols=").Body.String())
	body = get(h, "/bench/matrix?rows=car&cols=preconditioned").Body.String()
	assert.Contains(t, body, fmt.Sprintf("%d runs cover", covered), "by what warms packs, the cold ones too")
	body = get(h, "/bench/matrix").Body.String()
	assert.Contains(t, body, "runs with a warm pack cover", "cold ones are not mixed in")
	assert.Regexp(t, `>1 run</span>`, body, "a run alone says nothing of how far runs lie apart")
	empty, _ := handler(t, false)
	assert.Contains(t, get(empty, "/bench/ranking").Body.String(), "No car has a run that counts here.")
	assert.Contains(t, get(empty, "/bench/matrix").Body.String(), "0 runs cover")
}

// The bench as a workbook, read back: a page for the runs, the windows, the posts and what can be said.
func TestBenchAsWorkbook(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	w := get(h, "/bench.xlsx?runs=1,2&ref=2")
	require.Equal(t, http.StatusOK, w.Code)
	f, err := excelize.OpenReader(w.Body)
	require.NoError(t, err)
	assert.Equal(t, []string{"Runs", "Windows", "Posts", "Where the minutes go", "What can be said", "What differs"},
		f.GetSheetList())
	cell := func(page, at string) string {
		v, err := f.GetCellValue(page, at)
		require.NoError(t, err)
		return v
	}
	assert.Equal(t, []string{"1", "2", "yes"}, []string{cell("Runs", "A2"), cell("Runs", "A3"), cell("Runs", "C3")})
	rows, err := f.GetRows("Windows")
	require.NoError(t, err)
	var window []string
	for _, r := range rows {
		if r[0] == "10-80" {
			window = r
		}
	}
	require.Len(t, window, 7)
	first, err := strconv.ParseFloat(window[1], 64)
	require.NoError(t, err)
	assert.InDelta(t, 32*60+11, first, 0.6, "as the run's own page has it")
	assert.Empty(t, window[5], "the reference differs from itself by nothing")
	assert.Contains(t, cell("What can be said", "A2"), "run 1")
	assert.Equal(t, http.StatusBadRequest, get(h, "/bench.xlsx").Code)
}

// Money has its currency; where two runs were paid in different ones, or one does not say, there is none.
func TestCostHasItsCurrency(t *testing.T) {
	t.Parallel()
	h, sql := handlerWithSQL(t)
	assert.True(t, strings.Contains(get(h, "/runs/1?channel=cost").Body.String(), ">cost, EUR<"))
	assert.True(t, strings.Contains(get(h, "/bench?runs=1,2&channel=cost").Body.String(), ">cost, EUR<"))
	sql(`UPDATE runs SET stall_id = NULL, document = NULL, revision = revision + 1 WHERE id = 6`)
	assert.False(t, strings.Contains(get(h, "/bench?runs=1,6&channel=cost").Body.String(), ">cost, EUR<"))
}

// What the logbook's own pairs show stands beside what the forecast says, and a kept bench asks for the next run.
func TestTheLogbookIsAskedToo(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	rows, err := book.Runs(context.Background(), []int64{2, 6})
	require.NoError(t, err)
	require.Equal(t, rows[0].CarID, rows[1].CarID)
	var c struct {
		Fairness struct {
			Differs []bench.Differs `json:"differs"`
		} `json:"fairness"`
	}
	require.NoError(t, json.Unmarshal(get(h, "/bench.json?runs=2,6").Body.Bytes(), &c))
	at := slices.IndexFunc(c.Fairness.Differs, func(d bench.Differs) bool { return d.Shown != nil })
	require.GreaterOrEqual(t, at, 0, "the demo has a pair on two days, all else alike")
	assert.Equal(t, "ambient_c", c.Fairness.Differs[at].Condition)
	assert.True(t, strings.Contains(get(h, "/bench?runs=2,6").Body.String(), "in the logbook, "))

	matrix := func() string { return get(h, "/bench/matrix").Body.String() }
	require.False(t, strings.Contains(matrix(), "“Which stall”"))
	require.NoError(t, book.KeepBench(context.Background(), &logbook.Bench{Name: "Which stall", Runs: []int64{2, 6}}))
	assert.True(t, strings.Contains(matrix(), "the bench “Which stall” asks for its difference to 350 kW"))
}

// A band says whose it is and what it holds, also where one group is all there is.
func TestABandSaysWhatItHolds(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	bundles, err := demo.Bundles()
	require.NoError(t, err)
	warm := bundles[1]
	var ids []string
	for range 10 {
		id, err := book.Save(t.Context(), warm)
		require.NoError(t, err)
		ids = append(ids, strconv.FormatInt(id, 10))
	}
	body := get(h, "/bench?runs="+strings.Join(ids[:3], ",")+"&lines=groups").Body.String()
	assert.True(t, strings.Contains(body, "the band holds all of its runs."))
	assert.True(t, strings.Contains(body, ">3 runs</text>"), "a single group is named at its line's end")
	body = get(h, "/bench?runs="+strings.Join(ids, ",")+"&lines=groups").Body.String()
	assert.True(t, strings.Contains(body, "the band holds the middle 80 of 100 of its runs."))
	body = get(h, "/bench?runs="+strings.Join(ids, ",")).Body.String()
	assert.False(t, strings.Contains(body, "the band holds"))
}
