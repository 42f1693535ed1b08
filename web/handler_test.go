package web_test

import (
	"archive/zip"
	"bytes"
	"context"
	"database/sql"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"html"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/demo"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

func copyTo(w io.Writer, resp *http.Response) (int64, error) {
	defer resp.Body.Close()
	return io.Copy(w, resp.Body)
}

// desk is a handler with its logbook, without a browser.
func handler(t testing.TB, withDemo bool) (http.Handler, *logbook.Book) {
	t.Helper()
	book := newBook(t, withDemo)
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	background, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() {
		defer close(done)
		book.KeepRead(background)
	}()
	t.Cleanup(func() { stop(); <-done })
	return s.Handler(), book
}

func get(h http.Handler, path string) *httptest.ResponseRecorder {
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
	return w
}

// By night a page is what it is by day, but for the theme that colours go by.
func TestNightIsDayInOtherColours(t *testing.T) {
	t.Parallel()
	site, err := web.New(newBook(t, true), logbooktest.Quiet())
	require.NoError(t, err)
	now := time.Now().Add(3*time.Hour + time.Minute)
	site.SetClock(func() time.Time { return now }) // pages say how long ago something was
	h := site.Handler()
	by := func(theme, path string) string {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		r.AddCookie(&http.Cookie{Name: "theme", Value: theme})
		return newRecorder(h, r).Body.String()
	}
	assert.Regexp(t, `>3 h \d\d min ago<`, by("day", "/desk"), "by the pages' clock, not by the machine's")
	for _, path := range []string{"/", "/?group=car", "/runs/1", "/runs/1/edit", "/runs/10/costs",
		"/runs/1/evidence?stretch=1", "/bench?runs=1,2,3,4,5,6,7,8", "/bench/ranking", "/bench/matrix",
		"/desk", "/desk/sheet",
		"/garage", "/garage/cars/1",
		"/sites", "/sites/1", "/sites/stalls/1", "/stall", "/prepare", "/prepare?kept=1", "/prepare/sheet?kept=2",
		"/prepare/methods", "/prepare/matrix", "/definitions", "/runs/1/how/peak", "/no-such-page"} {
		day, night := by("day", path), by("night", path)
		require.Contains(t, night, `data-theme="night"`, path)
		assert.Equal(t, day, strings.Replace(night, `data-theme="night"`, `data-theme="day"`, 1), path)
	}
}

// Who gives up waiting finds no fault in the program's log; what is one, with somebody waiting, does stand in it.
func TestWhatAReaderGaveUpIsNoFault(t *testing.T) {
	t.Parallel()
	book := newBook(t, true)
	var log bytes.Buffer
	s, err := web.New(book, slog.New(slog.NewTextHandler(&log, nil)))
	require.NoError(t, err)
	h := s.Handler()
	gone, leave := context.WithCancel(t.Context())
	leave()
	for _, path := range []string{"/", "/runs/1", "/bench?runs=1,2", "/garage"} {
		newRecorder(h, httptest.NewRequestWithContext(gone, http.MethodGet, path, nil))
	}
	assert.NotContains(t, log.String(), "level=ERROR")
	assert.Contains(t, log.String(), "given up by its reader")
	require.NoError(t, book.Close())
	get(h, "/garage")
	assert.Contains(t, log.String(), "level=ERROR")
}

func newRecorder(h http.Handler, r *http.Request) *httptest.ResponseRecorder {
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

func post(h http.Handler, path string, v url.Values) *httptest.ResponseRecorder {
	r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(v.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

func TestEveryPageAnswers(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	for path, status := range map[string]int{
		"/":                                    200,
		"/?group=stall&sort=peak&ambient=cold": 200,
		"/?from=1000":                          200,
		"/runs/1":                              200,
		"/runs/1?clock=power&side=car&channel=c-rate&axis=energy-added": 200,
		"/runs/1?channel=nonsense&axis=nonsense&clock=x&side=y":         200,
		"/runs/20":                         200,
		"/runs/1/edit":                     200,
		"/bench":                           200,
		"/bench?runs=1":                    200,
		"/bench?runs=1,2,3,4,5,6,7,8,9,10": 200,
		"/bench?runs=99999":                200,
		"/bench.csv?runs=1,2":              200,
		"/desk":                            200,
		"/garage":                          200,
		"/garage/cars/1":                   200,
		"/garage/cars/new":                 200,
		"/sites":                           200,
		"/sites/1":                         200,
		"/sites/77":                        404,
		"/prepare":                         200,
		"/prepare?kept=1":                  200,
		"/prepare?kept=77":                 404,
		"/prepare?car=x&stall=y&now=z":     200,
		"/prepare/sheet?kept=1":            200,
		"/stall":                           200,
		"/stall/1":                         303,
		"/stall/999":                       404,
		"/prepare/decide":                  200,
		"/prepare/decide?kept=1&stop=much": 200,
		"/prepare/methods":                 200,
		"/prepare/methods?like=stop":       200,
		"/prepare/matrix":                  200,
		"/sites/stalls/1":                  200,
		"/sites/1/stalls/new":              200,
		"/definitions":                     200,
		"/runs/1/how/capacity":             200,
		"/healthz":                         200,
		"/static/app.css":                  200,
		"/runs/999":                        404,
		"/runs/x":                          404,
		"/runs/1/how/nonsense":             404,
		"/nowhere":                         404,
		"/desk/arrivals/77":                404,
		"/garage/cars/88":                  404,
		"/bench/curve.svg":                 400,
	} {
		w := get(h, path)
		assert.Equal(t, status, w.Code, "%s: %.200s", path, w.Body)
		assert.NotContains(t, w.Body.String(), "<nil>", path)
		assert.NotContains(t, w.Body.String(), "NaN", path)
	}
}

// Requests share the figures that were read: no page changes them, whatever it shows them in.
func TestPagesLeaveFiguresAlone(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	ids := make([]int64, 0, 20)
	for id := range int64(20) {
		ids = append(ids, id+1)
	}
	shared := func() (list []*logbook.Results) {
		rows, err := book.Runs(t.Context(), ids)
		require.NoError(t, err)
		list, err = book.SeveralResults(t.Context(), rows)
		require.NoError(t, err)
		return list
	}
	shared() // worked out, and kept
	all := shared()
	said := func() (out []string) {
		for i, x := range all {
			text := strings.Builder{}
			to := json.NewEncoder(&text)
			for _, o := range x.Of() {
				require.NoError(t, to.Encode(x.Reading(o.Clock, o.Side)), ids[i])
			}
			for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
				text.WriteString(fmt.Sprint(x.Curves[side])) // as text: not every column is a number everywhere
			}
			out = append(out, text.String())
		}
		return out
	}
	before := said()
	for _, path := range []string{"/bench?runs=1,2,3,4,5,6,7,8&ref=3&lead=energy",
		"/bench?runs=2,1&lead=distance&window=20-60",
		"/bench?runs=1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17,18,19,20&lines=groups&by=car", "/bench/ranking",
		"/bench?runs=1,2,3&channel=battery-temp&axis=distance", "/bench/matrix", "/bench.json?runs=1,2",
		"/bench.xlsx?runs=1,2",
		"/bench/curve.svg?runs=1,2&channel=c-rate&axis=energy-added", "/runs/1?channel=power&axis=minutes", "/runs/2",
		"/runs/3/how/capacity", "/runs/1/evidence", "/runs/2/costs", "/runs/1/strip.svg"} {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		r.AddCookie(&http.Cookie{Name: "units", Value: "f-mi"})
		w := newRecorder(h, r)
		assert.Less(t, w.Code, 500, path)
	}
	for i, now := range said() {
		assert.True(t, before[i] == now, "run %d has other figures now", ids[i])
	}
	for i, x := range shared() {
		assert.True(t, all[i] == x, "run %d is read once", ids[i])
	}
	require.NoError(t, book.SaveMark(t.Context(), &logbook.Mark{RunID: 1, Kind: run.Note, TS: 60, Note: "rain"}))
	assert.False(t, all[0] == shared()[0], "a run that was changed is read again")
}

func TestFormsFromElsewhereAreRefused(t *testing.T) {
	h, book := handler(t, true)
	r := httptest.NewRequest(http.MethodPost, "/runs/1/delete", nil)
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	assert.Equal(t, http.StatusForbidden, w.Code)
	row, err := book.Run(context.Background(), 1)
	require.NoError(t, err)
	assert.False(t, row.DeletedAt.Valid)
	w = post(h, "/night", url.Values{"theme": {"night"}, "back": {"//elsewhere.example/"}})
	assert.Equal(t, "/", w.Header().Get("Location"), "back leads nowhere else")
}

func TestRoadComesInPieces(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	bundles, err := demo.Bundles()
	require.NoError(t, err)
	for i := range 90 {
		_, err := book.Save(context.Background(), bundles[18+i%2])
		require.NoError(t, err)
	}
	body := get(h, "/").Body.String()
	assert.Equal(t, 40, strings.Count(body, "data-row"))
	assert.Contains(t, body, `<span id="total">90</span>`)
	for _, rows := range []int{40, 10} {
		next := regexp.MustCompile(`hx-get="(/\?[^"]*)"[^>]*><a`).FindStringSubmatch(body)
		require.Len(t, next, 2)
		r := httptest.NewRequest(http.MethodGet, html.UnescapeString(next[1]), nil)
		r.Header.Set("HX-Request", "true")
		body = newRecorder(h, r).Body.String()
		assert.Equal(t, rows, strings.Count(body, "data-row"))
		assert.NotContains(t, body, "<html")
	}
	assert.NotContains(t, body, "More runs")
}

func upload(t *testing.T, h http.Handler, name string, content []byte) *httptest.ResponseRecorder {
	t.Helper()
	return uploadTo(t, h, "/desk/files", name, content)
}

func uploadTo(t *testing.T, h http.Handler, path, name string, content []byte) *httptest.ResponseRecorder {
	t.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	f, err := m.CreateFormFile("file", name)
	require.NoError(t, err)
	_, err = f.Write(content)
	require.NoError(t, err)
	require.NoError(t, m.Close())
	r := httptest.NewRequest(http.MethodPost, path, &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

// A run folder goes in at once, comes out the same, and the second time is noticed.
// What is too large to be held while it is looked at is refused with the way that is left.
func TestTooLargeForTheDesk(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	w := upload(t, h, "long.csv", bytes.Repeat([]byte("1,2,3\n"), 11<<20))
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	said := html.UnescapeString(w.Body.String())
	assert.True(
		t,
		strings.Contains(said, `the file is larger than 64 MB; "zincroad import FILE" reads one of any size`),
		"the way",
	)
	list, err := book.Arrivals(t.Context())
	require.NoError(t, err)
	assert.Empty(t, list)
}

func TestRunFolderInAndOut(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, false)
	content, err := os.ReadFile("../docs/samples/run-folder.zip")
	require.NoError(t, err)
	w := upload(t, h, "run-folder.zip", content)
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body)
	require.Equal(t, "/runs/1", w.Header().Get("Location"))
	out := get(h, "/runs/1/folder.zip").Body.Bytes()
	assert.Equal(t, contents(t, content), contents(t, out))

	w = upload(t, h, "run-folder.zip", content)
	require.Contains(t, w.Header().Get("Location"), "/desk/arrivals/")
	page := get(h, w.Header().Get("Location"))
	assert.Contains(t, page.Body.String(), "The same file is in the logbook as")
	keep := w.Header().Get("Location") + "/keep"
	assert.Equal(t, http.StatusUnprocessableEntity, post(h, keep, url.Values{}).Code)
	assert.Equal(t, "/runs/2", post(h, keep, url.Values{"again": {"yes"}}).Header().Get("Location"))
}

func contents(t *testing.T, z []byte) map[string]string {
	t.Helper()
	r, err := zip.NewReader(bytes.NewReader(z), int64(len(z)))
	require.NoError(t, err)
	out := map[string]string{}
	for _, f := range r.File {
		rc, err := f.Open()
		require.NoError(t, err)
		b, err := io.ReadAll(rc)
		require.NoError(t, err)
		out[f.Name] = string(b)
	}
	return out
}

func TestBrokenFolderNamesEveryFault(t *testing.T) {
	h, book := handler(t, false)
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	f, err := z.Create("run.json")
	require.NoError(t, err)
	fmt.Fprint(f, "{\"format\":\"zincroad-run/1\",\n\"car\":{\"max_kw\":-1},\n\"recordings\":[{\"file\":\"a.csv\"}]}")
	require.NoError(t, z.Close())
	w := upload(t, h, "x.zip", b.Bytes())
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "car.max_kw: -1, expected 0 to 5000")
	assert.Contains(t, w.Body.String(), "line 2")
	n, err := book.Count(context.Background())
	require.NoError(t, err)
	assert.Zero(t, n)
}

func TestGarageAndSitesForms(t *testing.T) {
	h, book := handler(t, false)
	car := url.Values{
		"id":         {"0"},
		"name":       {"Whitebeam 60"},
		"chemistry":  {"LFP"},
		"usable_kwh": {"58,5"},
		"pack_min_v": {"400"},
		"pack_max_v": {"300"},
		"envelope":   {"10 90\n50"},
	}
	w := post(h, "/garage/cars", car)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	body := w.Body.String()
	assert.Contains(t, body, "Expected no less than the lowest pack voltage, 400 V.")
	assert.Contains(t, body, "Line 2: expected a state of charge and a power")
	assert.Contains(t, body, `value="Whitebeam 60"`, "what was typed stays")
	car.Set("pack_max_v", "450")
	car.Set("envelope", "10 90\n50 80")
	w = post(h, "/garage/cars", car)
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body)
	cars, err := book.Cars(context.Background())
	require.NoError(t, err)
	require.Len(t, cars, 1)
	assert.Equal(t, 58.5, *cars[0].UsableKWh)
	assert.Len(t, cars[0].Envelope, 2)
	assert.Contains(t, post(h, "/garage/cars", car).Body.String(), "Another car has this name.")
	assert.Equal(t, http.StatusSeeOther, post(h, "/garage/cars/1/software", url.Values{"version": {"1.0"}}).Code)
	assert.Contains(t, post(h, "/garage/cars/1/software", url.Values{"version": {"1.0"}}).Body.String(),
		"has that version already")

	assert.Equal(t, http.StatusSeeOther, post(h, "/sites", url.Values{"name": {"Lime Kiln"}}).Code)
	stall := url.Values{
		"site":        {"1"},
		"name":        {"1"},
		"rated_kw":    {"150"},
		"min_v":       {"500"},
		"max_v":       {"200"},
		"tier0_up_to": {"90"},
		"tier0_price": {"0.3"},
		"tier1_up_to": {"60"},
		"tier1_price": {"0.5"},
	}
	body = post(h, "/sites/stalls", stall).Body.String()
	assert.Contains(t, body, "Expected no less than the lowest voltage, 500 V.")
	assert.Contains(t, body, "Expected more than the tier before, 90 kW.")
	assert.Contains(t, body, "A price needs a currency")
	stall.Set("max_v", "920")
	stall.Set("tier1_up_to", "")
	stall.Set("currency", "EUR")
	require.Equal(t, http.StatusSeeOther, post(h, "/sites/stalls", stall).Code)
	assert.Contains(t, get(h, "/sites").Body.String(), "EUR 0.30 per min up to 90 kW, 0.50 per min")
	assert.Equal(t, http.StatusBadRequest, post(h, "/sites/1/delete", nil).Code, "a site with stalls stays")
}

func TestBenchTableAsCSV(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	rows, err := csv.NewReader(get(h, "/bench.csv?runs=1,2&ref=2").Body).ReadAll()
	require.NoError(t, err)
	by := map[string][]string{}
	for _, r := range rows {
		by[r[0]] = r
	}
	require.Contains(t, by, "window 10-80")
	require.Contains(t, by, "post 50")
	assert.Equal(t, []string{"software", "2.4", "", "", "2.4", "", ""}, by["software"])
	assert.Empty(t, by["window 10-80"][5], "the reference has no difference")
	assert.NotEmpty(t, by["window 10-80"][2])
}

// handlerWithSQL is a handler with the demo's runs, and a way around the logbook.
func handlerWithSQL(t *testing.T) (http.Handler, func(string)) {
	t.Helper()
	url := server.URLFrom(t, demoBook)
	book, err := logbook.Open(context.Background(), url, logbooktest.Quiet())
	require.NoError(t, err)
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	t.Cleanup(func() {
		db.Close()
		_ = book.Close()
	})
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, get(s.Handler(), "/").Code, "every run has its results")
	return s.Handler(), func(query string) {
		t.Helper()
		_, err := db.Exec(query)
		require.NoError(t, err)
	}
}

// One run whose kept figures are broken stands in its place with the way out; the others
// are as they were, and its own page works them out anew.
func TestOneBrokenRunSpoilsNoOther(t *testing.T) {
	t.Parallel()
	h, sql := handlerWithSQL(t)
	sql(`UPDATE results SET strip = '"x"', readings = '{"a": 1}' WHERE run_id = 2`)
	page := get(h, "/")
	require.Equal(t, http.StatusOK, page.Code)
	assert.Contains(t, page.Body.String(), `id="row-1"`)
	assert.Contains(t, page.Body.String(), "What was kept of its figures cannot be read.")
	assert.Contains(t, page.Body.String(), `action="/runs/2/delete"`)
	assert.Equal(t, http.StatusOK, get(h, "/runs/2").Code, "worked out anew")
	assert.NotContains(t, get(h, "/").Body.String(), "cannot be read")
}

// What cannot be read in a row of any list is left out and said in its place, with the way out; the row itself and
// all others stand, on every page that they are on.
func TestOneBrokenRowSpoilsNoList(t *testing.T) {
	t.Parallel()
	h, sql := handlerWithSQL(t)
	pages := []string{"/", "/garage", "/garage/cars/1", "/garage/software/1", "/sites", "/sites/stalls/1", "/prepare",
		"/prepare?kept=1", "/prepare/methods", "/prepare/matrix", "/stall", "/bench", "/bench?runs=1,2", "/bench/matrix",
		"/bench/ranking", "/runs/1", "/runs/1/edit", "/desk"}
	sql(`INSERT INTO methods (name, document) VALUES ('Ours', '{"from_pct": 5, "to_pct": 60}')`)
	for _, page := range pages {
		require.Equal(t, http.StatusOK, get(h, page).Code, page)
	}
	for _, broken := range []struct{ what, query, page, says string }{
		{"a car's curve", `UPDATE cars SET envelope = '{"at": 1}' WHERE id = 1`,
			"/garage", "its charging curve cannot be read"},
		{"a car's pack and claims", `UPDATE cars SET pack = '[1]', claims = '"none"' WHERE id = 1`, "/garage/cars/1",
			"its charging curve, pack, claims cannot be read"},
		{"a software's navigation", `UPDATE softwares SET navigation = '7' WHERE id = 1`, "/garage/software/1",
			"its preconditioning by navigation cannot be read"},
		{"a stall's tariff", `UPDATE stalls SET tariff = '{"per_kwh": "dear"}' WHERE id = 1`,
			"/sites", "its tariff cannot be read"},
		{"a plan's choices", `UPDATE preparations SET choices = '[]' WHERE id = 1`, "/prepare", "its choices cannot be read"},
		{"a method's rules", `UPDATE methods SET document = '{"from_pct": "ten"}'`,
			"/prepare/methods", "its rules cannot be read"},
		{"a run's claims", `UPDATE runs SET claims = '{"kind": 1}' WHERE id = 1`, "/runs/1", "its claims cannot be read"},
		{"a kept bench's view", `UPDATE benches SET view = '%zz' WHERE id = 1`, "/bench", "Bench"},
	} {
		sql(broken.query)
		for _, page := range pages {
			assert.Equal(t, http.StatusOK, get(h, page).Code, "%s: %s", broken.what, page)
		}
		said := strings.Join(strings.Fields(get(h, broken.page).Body.String()), " ")
		assert.True(t, strings.Contains(said, broken.says), "%s is said on %s", broken.what, broken.page)
	}
	form := url.Values{"id": {"1"}, "site": {"1"}, "name": {"1 new"}, "currency": {"EUR"}, "per_kwh": {"0.5"}}
	require.Equal(t, http.StatusSeeOther, post(h, "/sites/stalls", form).Code, "entered anew")
	assert.False(t, strings.Contains(get(h, "/sites").Body.String(), "its tariff cannot be read"))
}

// A run that went on for two days does not make every other a pixel wide.
func TestTheRoadsAxisEnds(t *testing.T) {
	t.Parallel()
	h, sql := handlerWithSQL(t)
	sql(`UPDATE runs SET length_s = 172800 WHERE id = 3`)
	page := get(h, "/").Body.String()
	assert.Contains(t, page, "The axis ends at 4 h; the longest run goes on to 48 h")
}

// Figures of an earlier version of the arithmetic are shown, and marked, until they are
// worked out anew; nobody waits for that.
func TestOldFiguresStandUntilTheyAreAnew(t *testing.T) {
	t.Parallel()
	h, sql := handlerWithSQL(t)
	sql(`UPDATE runs SET read_version = 1`)
	sql(`UPDATE results SET arithmetic = 1`)
	sql(`UPDATE runs SET peak_kw = 123.4 WHERE id = 2`)
	page := get(h, "/").Body.String()
	assert.Contains(t, page, "20 runs are being worked out anew")
	assert.Equal(t, 20, strings.Count(page, "earlier arithmetic"))
	assert.Contains(t, page, ">123<", "not worked out for the visitor")
	assert.Contains(t, get(h, "/unread").Body.String(), "20 runs")
	require.Equal(t, http.StatusOK, get(h, "/runs/2").Code)
	page = get(h, "/").Body.String()
	assert.Contains(t, page, "19 runs are being worked out anew", "who opens a run has its new figures")
	assert.NotContains(t, page, ">123<")
}

// Every number of a car, a stall, an adapter and a run that the logbook keeps has its place
// in a form.
func TestFieldsAreInTheForms(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	pages := map[string]string{"cars": "/garage/cars/new", "stalls": "/sites/1/stalls/new", "adapters": "/garage",
		"runs": "/runs/1/edit"}
	asked := 0
	for _, f := range run.Fields {
		page, known := pages[f.Table]
		if !known { // what is inside a document, and what comes with a recording's file
			continue
		}
		asked++
		assert.Contains(t, get(h, page).Body.String(), `name="`+f.Column+`"`, "%s on %s", f.Path, page)
	}
	assert.Greater(t, asked, 25)
}

// Help is there before anything is in the logbook: its pictures are worked out, not read.
func TestHelpTeaches(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, false)
	body := get(h, "/help").Body.String()
	assert.Contains(t, body, "Never pull a connector under load")
	assert.Contains(t, body, "10. What it costs, and per what")
	assert.Contains(t, get(h, "/").Body.String(), `href="/help"`)
}
