package web_test

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/trace"
	"zincroad/logbook"
)

// After a run a mistyped reading, the side and the clock of a recording can be put
// right: visibly, with what was recorded kept, and back again.
func TestReadingsSideAndClockCanBePutRight(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	ctx := context.Background()
	started := time.Date(2026, 2, 3, 18, 0, 0, 0, time.UTC)
	id, err := book.StartLive(ctx, &logbook.Run{StartedAt: &started})
	require.NoError(t, err)
	for i, v := range [][2]float64{{10, 90}, {22, 910}, {35, 88}, {50, 80}} { // 910 for 91
		at := float64(i) * 240
		require.NoError(t, book.Type(ctx, id, trace.StallSide, fmt.Sprint("k", i), "typed", "",
			logbook.Sample{TS: at, HeardS: at,
				Values: map[trace.Channel]float64{trace.SoC: v[0], trace.Power: v[1]}}))
	}
	require.NoError(t, book.EndLive(ctx, id))
	peak := func() *curve.Peak {
		t.Helper()
		row, err := book.Run(ctx, id)
		require.NoError(t, err)
		res, err := book.Results(ctx, row)
		require.NoError(t, err)
		return res.Head().Peak
	}
	require.Equal(t, 910.0, peak().KW)
	row, err := book.Run(ctx, id)
	require.NoError(t, err)
	rec := fmt.Sprintf("/runs/%d/recordings/%d", id, row.Recordings[0].ID)
	assert.Contains(t, get(h, fmt.Sprintf("/runs/%d", id)).Body.String(), rec+"/readings")
	assert.Contains(t, get(h, rec+"/readings").Body.String(), ">910</td>")

	bad := post(h, rec+"/corrections", url.Values{"number": {"9"}, "channel": {"power_kw"}, "value": {"91"}})
	assert.Equal(t, http.StatusUnprocessableEntity, bad.Code)
	assert.Contains(t, bad.Body.String(), `value="91"`, "what was typed is still there")
	require.Equal(t, http.StatusSeeOther, post(h, rec+"/corrections",
		url.Values{"number": {"2"}, "channel": {"power_kw"}, "value": {"91"}}).Code)
	assert.Equal(t, 91.0, peak().KW)
	page := get(h, rec+"/readings").Body.String()
	assert.Contains(t, page, "power is read as <b>91 kW</b>")
	assert.Contains(t, page, `class="corrected `)
	how := func(figure string) string {
		return spaced(get(h, fmt.Sprintf("/runs/%d/how/%s", id, figure)).Body.String())
	}
	assert.Regexp(t, `Put right in what it is made of.*power of reading 2: 91 kW.*Without that, as recorded.*910`,
		how("peak"))
	assert.Regexp(t, `power of reading 2: 91 kW.*As recorded, without that, it is the same`, how("clock"))
	file, err := book.File(ctx, &row.Recordings[0])
	require.NoError(t, err)
	var text strings.Builder
	require.NoError(t, file.Write(&text))
	assert.Contains(t, text.String(), "910", "the file as it came")
	assert.Contains(t, get(h, fmt.Sprintf("/runs/%d/readings.csv", id)).Body.String(), ",91", "as it is read")

	list, err := book.Corrections(ctx, id)
	require.NoError(t, err)
	back := fmt.Sprintf("/runs/%d/corrections/%d", id, list[0].ID)
	require.Equal(t, http.StatusSeeOther, post(h, back+"/back", nil).Code)
	assert.Equal(t, 910.0, peak().KW)
	require.Equal(t, http.StatusSeeOther, post(h, back+"/again", nil).Code)
	assert.Equal(t, 91.0, peak().KW)

	require.Equal(t, http.StatusSeeOther, post(h, rec, url.Values{"side": {"car"}, "offset": {"-30"}}).Code)
	row, err = book.Run(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "car", row.Recordings[0].Side)
	res, err := book.Results(ctx, row)
	require.NoError(t, err)
	assert.Equal(t, trace.CarSide, res.Head().Side)
	assert.InDelta(t, -30, res.Head().ZeroS, 1e-9)
	assert.Contains(t, get(h, fmt.Sprintf("/runs/%d", id)).Body.String(), "clock −30 s")
}

// What screen and display said at the end counts at the stop, though the form was sent
// ten minutes later; register and price stand beside what the power adds up to.
func TestNotesOfTheEndCountAtTheStop(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	ctx := context.Background()
	id := started(t, book, 40*time.Minute, nil)
	markAt(t, book, id, 0, "plug-in", "")
	for i := range 31 {
		at := float64(i) * 60
		require.NoError(t, book.Type(ctx, id, trace.StallSide, fmt.Sprint("k", i), "typed", "",
			logbook.Sample{TS: at, HeardS: at,
				Values: map[trace.Channel]float64{trace.SoC: 20 + float64(i)*59/30, trace.Power: 60}}))
	}
	markAt(t, book, id, 1810, "stop", "")
	markAt(t, book, id, 1830, "unplug", "")
	require.Equal(t, http.StatusSeeOther, post(h, fmt.Sprintf("/stall/%d/end", id),
		url.Values{"soc": {"80"}, "kwh": {"31.5"}, "cost": {"17.20"}}).Code)
	row, err := book.Run(ctx, id)
	require.NoError(t, err)
	res, err := book.Results(ctx, row)
	require.NoError(t, err)
	x := res.Head()
	at, ok := x.Post(80)
	require.True(t, ok)
	assert.InDelta(t, 1810, at, 1)
	page := get(h, fmt.Sprintf("/runs/%d", id)).Body.String()
	assert.Contains(t, page, "On the stall's screen")
	assert.Contains(t, page, "31.5")
	assert.Contains(t, page, "by the screen")
	assert.Contains(t, page, "17.20")
	assert.Contains(t, page, "not noted at the start")
	assert.NotContains(t, page, "°C at the end", "nobody read it")
}

// A run that was made at the stall keeps its forecast and its plan when it has ended.
func TestAFinishedRunKeepsItsForecastAndPlan(t *testing.T) {
	s := newSite(t, 1280, 800, true)
	page := s.underWay(900)
	var id int64
	_, err := fmt.Sscanf(page, "/stall/%d", &id)
	require.NoError(t, err)
	ctx := context.Background()
	plan := &logbook.Preparation{Title: "Ten to eighty, cold", Choices: map[string]string{"now": "60"}}
	require.NoError(t, s.book.SavePreparation(ctx, plan))
	require.NoError(t, s.book.EndLive(ctx, id))
	s.open(fmt.Sprintf("/runs/%d", id))
	assert.NotEmpty(t, eval[string](s, `document.querySelector(".strip.large .ghost").getAttribute("d")`))
	assert.Contains(t, s.text("main"), "Dotted: the forecast from how it began, 10–80 %")
}

// Typed times that could be either are asked for on the Desk, and read as told.
func TestDeskAsksWhatTimesMean(t *testing.T) {
	h, book := handler(t, false)
	id, err := book.Arrive(context.Background(), "typed readings.txt", []byte("14:00 plug-in\n14:10 50kW\n15:00 45kW\n"))
	require.NoError(t, err)
	page := fmt.Sprintf("/desk/arrivals/%d", id)
	body := get(h, page).Body.String()
	assert.Contains(t, body, "They could be either: please say which.")
	assert.Contains(t, body, "2 readings over 50 min")
	body = post(h, page+"/look", url.Values{"side": {"stall"}, "typed_times": {"minutes"}}).Body.String()
	assert.Contains(t, body, "2 readings over 50 s")
}

// Which software a car runs is for the tester to say.
func TestALiveStartChoosesNoSoftware(t *testing.T) {
	h, book := handler(t, true)
	w := post(h, "/stall/start", url.Values{"car": {"1"}, "stall": {"1"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	var id int64
	_, err := fmt.Sscanf(w.Header().Get("Location"), "/stall/%d", &id)
	require.NoError(t, err)
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.NotNil(t, row.CarID)
	assert.Nil(t, row.SoftwareID)
}
