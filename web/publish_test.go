package web_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/formats/intake"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

// published makes a report of runs, and gives its path.
func published(t *testing.T, h http.Handler, runs string, more url.Values) string {
	t.Helper()
	q := url.Values{"runs": {runs}, "data": {"yes"},
		"part": {"held", "found", "curve", "posts", "windows", "money", "figures"}}
	for k, v := range more {
		q[k] = v
	}
	w := post(h, "/reports", q)
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	return w.Header().Get("Location")
}

// linkTo makes a link to a report, and gives its path.
func linkTo(t *testing.T, h http.Handler, report string, q url.Values) string {
	t.Helper()
	w := post(h, report+"/links", q)
	require.Equal(t, http.StatusOK, w.Code)
	assert.Equal(t, "no-store", w.Header().Get("Cache-Control"))
	found := regexp.MustCompile(`href="http://[^/"]*(/r/[^"]+)"`).FindStringSubmatch(w.Body.String())
	require.NotNil(t, found)
	assert.NotContains(t, get(h, report).Body.String(), found[1], "it is shown once")
	return found[1]
}

// A report of a run answers what readers ask, with its author's words made safe; its link is read by anybody, sets no
// cookie, is listed by nobody, and reaches nothing else; once withdrawn it is gone at once.
func TestAReportIsReadOverALink(t *testing.T) {
	book := newBook(t, true)
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	h := s.Handler()
	assert.Contains(t, get(h, "/runs/1").Body.String(), `href="/reports/new?runs=1"`)
	form := get(h, "/reports/new?runs=1").Body.String()
	assert.Contains(t, form, "<h1>10–80 %")
	report := published(t, h, "1", url.Values{"title": {"Cold <van>"}, "author": {"The workshop"},
		"words": {"A *wet* night.\n\n<script>alert(1)</script> ![x](https://example.org/a.png)"}})
	path := linkTo(t, h, report, url.Values{"name": {"the forum"}})

	require.NoError(t, book.SetPassword(t.Context(), quickHash(word)))
	assert.Equal(t, http.StatusSeeOther, get(h, report).Code, "the program itself is shut")
	w := get(h, path)
	require.Equal(t, http.StatusOK, w.Code)
	page := w.Body.String()
	for _, says := range []string{"Cold &lt;van&gt;, by The workshop", "<em>wet</em>", "How this was tested",
		"What held it", "How sure that is: strong.", "from plug-in, the stall&#39;s side",
		"Posts: when", "Cite as: The workshop: Cold &lt;van&gt;", "SHA-256", `itemtype="https://schema.org/Dataset"`,
		`property="og:title"`, "noindex"} {
		assert.Contains(t, page, says)
	}
	for _, never := range []string{"<script", "<img", "/static/", "/runs/"} {
		assert.NotContains(t, page, never)
	}
	assert.Empty(t, w.Result().Cookies())
	assert.Equal(t, "no-store", w.Header().Get("Cache-Control"))
	assert.Equal(t, "no-referrer", w.Header().Get("Referrer-Policy"))
	assert.Contains(t, w.Header().Get("Content-Security-Policy"), "default-src 'none'")
	assert.Contains(t, w.Header().Get("X-Robots-Tag"), "noindex")
	for _, other := range []string{path + "/", path + "/report.html", path + "/../../runs/1", path[:len(path)-1],
		path + "x", "/r/", "/r/../reports"} {
		assert.NotEqual(t, http.StatusOK, get(h, other).Code, other)
	}
	assert.Equal(t, http.StatusOK, get(h, path+"/data.zip").Code)

	require.NoError(t, book.SetPassword(t.Context(), ""))
	assert.Regexp(t, `the forum[\s\S]*1 ×`, get(h, report).Body.String())
	links, err := book.Links(t.Context(), 1)
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, post(h, fmt.Sprintf("%s/links/%d/withdraw", report, links[0].ID), nil).Code)
	assert.Equal(t, http.StatusNotFound, get(h, path).Code)
	assert.Equal(t, http.StatusNotFound, get(h, path+"/data.zip").Code)
}

// A link with a password asks for it, on the data too; wrong ones are counted; one that has ended is none; search
// engines may list the one of which that is wanted.
func TestLinksWithAPasswordAndAnEnd(t *testing.T) {
	book := newBook(t, true)
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	now := time.Date(2026, 3, 1, 21, 0, 0, 0, time.UTC)
	s.SetClock(func() time.Time { return now })
	h := s.Handler()
	report := published(t, h, "1", nil)
	assert.Contains(t, post(h, report+"/links", url.Values{"name": {"x"}, "password": {"short"}}).Body.String(),
		"at least 12 characters")
	assert.Contains(t, post(h, report+"/links", nil).Body.String(), `id="e-name"`)
	path := linkTo(t, h, report, url.Values{"name": {"the club"}, "password": {word}, "days": {"2"}, "listed": {"yes"}})
	w := get(h, path)
	assert.Contains(t, w.Body.String(), "asks for a password")
	assert.NotContains(t, w.Body.String(), "10–80")
	assert.Contains(t, get(h, path+"/data.zip").Body.String(), "asks for a password")
	w = post(h, path, url.Values{"password": {"another word or two"}})
	assert.Equal(t, http.StatusForbidden, w.Code)
	assert.NotContains(t, w.Body.String(), "10–80")
	w = post(h, path, url.Values{"password": {word}})
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Body.String(), "10–80")
	assert.Empty(t, w.Header().Get("X-Robots-Tag"))
	assert.Empty(t, w.Result().Cookies())
	w = post(h, path+"/data.zip", url.Values{"password": {word}})
	assert.Equal(t, "application/zip", w.Header().Get("Content-Type"))
	tries := 0
	for post(h, path, url.Values{"password": {"guess"}}).Code != http.StatusTooManyRequests {
		if tries++; tries > 20 {
			t.Fatal("passwords can be tried out")
		}
	}
	now = now.Add(48 * time.Hour)
	assert.Equal(t, http.StatusNotFound, get(h, path).Code, "it has ended")
}

// A report stays as it was made: a change of its run is offered, and slipped in nowhere; made anew it says why.
func TestAReportStaysAsItWasMade(t *testing.T) {
	h, book := handler(t, true)
	report := published(t, h, "2", nil)
	before := get(h, report+"/report.html").Body.String()
	assert.NotContains(t, get(h, report).Body.String(), "would be others today")
	row, err := book.Run(t.Context(), 2)
	require.NoError(t, err)
	row.Title = "The same run under another name"
	require.NoError(t, book.SaveDetails(t.Context(), row))
	assert.Equal(t, before, get(h, report+"/report.html").Body.String())
	assert.Contains(t, get(h, report).Body.String(), "would be others today")
	assert.Equal(t, http.StatusUnprocessableEntity, post(h, report+"/renew", nil).Code, "why is to be said")
	require.Equal(t, http.StatusSeeOther, post(h, report+"/renew", url.Values{"note": {"Its name was wrong."}}).Code)
	after := get(h, report+"/report.html").Body.String()
	assert.Contains(t, after, "The same run under another name")
	assert.Regexp(t, `Corrected [^<]*:</b> Its name was wrong\.`, after)
	hash := regexp.MustCompile(`<code>([0-9a-f]{64})</code>`)
	assert.NotEqual(t, hash.FindStringSubmatch(before)[1], hash.FindStringSubmatch(after)[1])
	require.Equal(t, http.StatusSeeOther, post(h, report+"/correct", url.Values{"note": {"Rain, not snow."}}).Code)
	assert.Regexp(t, `Its name was wrong[\s\S]*Rain, not snow`, get(h, report+"/report.html").Body.String())

	assert.Contains(t, post(h, report+"/delete", nil).Body.String(), "The report is removed")
	assert.Equal(t, http.StatusNotFound, get(h, report).Code)
	require.Equal(t, http.StatusSeeOther, post(h, report+"/restore", nil).Code)
	assert.Equal(t, http.StatusOK, get(h, report).Code)
}

// The data that goes with a report comes back in with the same figures, and brings no photo along.
func TestDataOfAReportComesBackIn(t *testing.T) {
	h, book := handler(t, true)
	report := published(t, h, "1,2", nil)
	page := get(h, report+"/report.html").Body.String()
	assert.Contains(t, page, "The runs side by side")
	data := get(h, report+"/data.zip").Body.Bytes()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	for _, f := range z.File {
		assert.NotContains(t, f.Name, "photos/")
	}
	for i, id := range []int64{1, 2} {
		in, err := intake.All("data.zip", data, intake.Choices{})
		require.NoError(t, err)
		require.Len(t, in, 2)
		row, err := book.Run(t.Context(), id)
		require.NoError(t, err)
		loaded, err := book.Load(t.Context(), row)
		require.NoError(t, err)
		o := curve.Options{Clock: curve.PlugClock}
		assert.Equal(t, curve.Of(loaded).Read(o).Posts, curve.Of(in[i].Run).Read(o).Posts)
	}
}

// Tables and pictures of a report say what it says.
func TestPicturesAndTablesOfAReport(t *testing.T) {
	h, _ := handler(t, true)
	report := published(t, h, "1", url.Values{"title": {"A night in the rain"}})
	for size, box := range map[string]string{"wide": "1200 630", "square": "1080 1080", "tall": "1080 1920"} {
		w := get(h, report+"/picture.svg?show&size="+size)
		assert.Equal(t, "image/svg+xml", w.Header().Get("Content-Type"))
		for _, says := range []string{`viewBox="0 0 ` + box, "A night in the rain", "10–80 %", `class="strip`} {
			assert.Contains(t, w.Body.String(), says, size)
		}
	}
	assert.Equal(t, http.StatusBadRequest, get(h, report+"/picture.svg?size=round").Code)
	md := get(h, report+"/table.md").Body.String()
	assert.True(t, strings.HasPrefix(md, "| run | car | software |"), md)
	assert.Contains(t, get(h, report+"/table.csv").Body.String(), "10,80,")
	for _, wrong := range []string{"", "x", "1,,2", "1,2,3,4,5,6,7,8,9,10,11,12,13"} {
		assert.Equal(t, http.StatusBadRequest, get(h, "/reports/new?runs="+wrong).Code, wrong)
	}
	assert.Equal(t, http.StatusNotFound, get(h, "/reports/new?runs=99999").Code)
}

// Runs that are taken along together come back in as they were, photos too; a run that is not there gives nothing.
func TestRunFoldersTogether(t *testing.T) {
	h, _ := handler(t, true)
	data := get(h, "/folders.zip?runs=3,1").Body.Bytes()
	in, err := intake.All("runs.zip", data, intake.Choices{})
	require.NoError(t, err)
	require.Len(t, in, 2)
	one, err := intake.All("run.zip", get(h, "/runs/1/folder.zip").Body.Bytes(), intake.Choices{})
	require.NoError(t, err)
	at := slices.IndexFunc(in, func(b *intake.Bundle) bool { return b.Run.Title == one[0].Run.Title })
	require.GreaterOrEqual(t, at, 0)
	assert.Equal(t, curve.Of(one[0].Run).Read(curve.Options{}).Posts, curve.Of(in[at].Run).Read(curve.Options{}).Posts)
	assert.Equal(t, http.StatusBadRequest, get(h, "/folders.zip").Code)
	assert.Equal(t, http.StatusNotFound, get(h, "/folders.zip?runs=99999").Code)
}

// A report of a car says what its runs taught: its curve with what it rests on, and how each run was foretold from the
// others. A car of which no run says anything has none; one that was removed leaves its report as it was.
func TestAReportOfACar(t *testing.T) {
	h, book := handler(t, true)
	require.NoError(t, book.Rework(t.Context(), nil))
	row, err := book.Run(t.Context(), 2)
	require.NoError(t, err)
	car := fmt.Sprint(*row.CarID)
	assert.Contains(t, get(h, "/garage/cars/"+car).Body.String(), "/reports/new?car="+car)
	assert.Contains(t, get(h, "/reports/new?car="+car+"&profile=full").Body.String(), "Warm, it takes ")
	w := post(h, "/reports", url.Values{"car": {car}, "profile": {"full"}, "data": {"yes"}})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	report := w.Header().Get("Location")
	page := get(h, report+"/report.html").Body.String()
	for _, says := range []string{"Warm, it takes ", "From ", "Foretold from its other runs", "the range of nine in ten",
		"seen",
		`class="learned"`} {
		assert.Contains(t, page, says)
	}
	assert.NotContains(t, page, "data.zip")
	assert.Equal(t, http.StatusNotFound, get(h, report+"/data.zip").Code)
	assert.Contains(t, get(h, report+"/table.csv").Body.String(), "car,soc_pct,kw,low_kw,high_kw,rests_on,runs")
	assert.NotContains(t, get(h, report).Body.String(), "would be others today")
	assert.Contains(t, get(h, "/reports").Body.String(), "a car, made")
	made, err := book.CarNamed(t.Context(), &run.Car{Name: "Aspen"})
	require.NoError(t, err)
	assert.Equal(t, http.StatusNotFound, get(h, fmt.Sprintf("/reports/new?car=%d", *made)).Code)
	assert.Equal(t, http.StatusBadRequest, get(h, "/reports/new").Code)
}

// A report of a trip says the plans as they were found, with what was asked for; its data is a table of the stops.
// Where there is no way there is no report.
func TestAReportOfATrip(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	q := url.Values{"distance": {"620"}, "start": {"85"}, "outside": {"6"}, "rain": {"yes"}}
	for i, f := range regexp.MustCompile(`name="(at_\d+)"`).FindAllStringSubmatch(get(h, "/trip").Body.String(), 4) {
		q.Set(f[1], fmt.Sprint(140+90*i))
	}
	found := get(h, "/trip?"+q.Encode()).Body.String()
	offered := regexp.MustCompile(`href="(/reports/new\?trip=[^"]+)"`).FindStringSubmatch(found)
	require.NotNil(t, offered)
	asked := get(h, html.UnescapeString(offered[1])).Body.String()
	heading := regexp.MustCompile(`<h1>(\d h[^<]*)\.</h1>`).FindStringSubmatch(asked)
	require.NotNil(t, heading)
	w := post(h, "/reports", url.Values{"trip": {q.Encode()}, "title": {"To the coast"}, "author": {"The workshop"}})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	path := w.Header().Get("Location")
	file := get(h, path+"/report.html").Body.String()
	for _, says := range []string{heading[1], "To the coast", "620 km at 110 km/h", "Fastest:", "Outside 6", ", rain.",
		"Forecasts are no promise", `class="trip"`} {
		assert.Contains(t, file, says)
	}
	table := get(h, path+"/table.csv").Body.String()
	assert.Regexp(t, `(?m)^Fastest,1,.*,\d+`, table)
	// The car takes more by now: it stays as it was made, and what it would say is offered.
	cars, err := book.Cars(t.Context())
	require.NoError(t, err)
	for i := range cars {
		if cars[i].ConsumptionWhKm != nil {
			cars[i].ConsumptionWhKm = run.N(1.2 * *cars[i].ConsumptionWhKm)
			require.NoError(t, book.SaveCar(t.Context(), &cars[i]))
		}
	}
	assert.Equal(t, file, get(h, path+"/report.html").Body.String())
	assert.Contains(t, get(h, path).Body.String(), "/renew")
	assert.Equal(t, http.StatusNotFound, get(h, "/reports/new?trip="+url.QueryEscape("distance=9000&start=20")).Code)
	assert.Equal(t, http.StatusBadRequest, get(h, "/reports/new?trip="+strings.Repeat("a", 9000)).Code)
}

// A report of a run answers in its own text what readers ask of one: twelve questions, each with the words that a
// reader would find.
func TestAReportAnswersWhatReadersAsk(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	file := get(h, published(t, h, "8", nil)+"/report.html").Body.String()
	text := regexp.MustCompile(`(?s)<style.*?</style>|<svg.*?</svg>`).ReplaceAllString(file, "")
	text = html.UnescapeString(regexp.MustCompile(`<[^>]*>`).ReplaceAllString(text, " "))
	text = strings.Join(strings.Fields(text), " ")
	for question, answer := range map[string]string{
		"which car and software":            "Tamarack 78 on software 2.4",
		"which stall":                       "Fulling Mill 4: 350 kW, 500 A",
		"how cold outside":                  "10 °C outside",
		"how warm the pack":                 "The battery had 25 °C",
		"preconditioned how":                "Preconditioned by the car",
		"when, and by which method":         "Method: 10-80 stop",
		"from where to where, and how long": "10–80 % in 25 min 26 s",
		"was it the stall":                  "stall shared cabinet strong",
		"how sure is that":                  "How sure that is: strong",
		"counted from when, whose readings": "from plug-in, the stall's side",
		"what did it cost":                  "EUR",
		"can I have the data":               "data.zip",
	} {
		if question == "can I have the data" {
			assert.Contains(t, file, answer, question)
			continue
		}
		assert.Contains(t, text, answer, question)
	}
}
