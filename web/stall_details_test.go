package web_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/logbook"
)

// started begins a live run some seconds ago.
func started(t *testing.T, book *logbook.Book, ago time.Duration, change func(*logbook.Run)) int64 {
	t.Helper()
	at := time.Now().UTC().Add(-ago).Truncate(time.Millisecond)
	row := &logbook.Run{StartedAt: &at}
	if change != nil {
		change(row)
	}
	id, err := book.StartLive(context.Background(), row)
	require.NoError(t, err)
	return id
}

func markAt(t *testing.T, book *logbook.Book, id int64, ts float64, kind, note string) {
	t.Helper()
	require.NoError(
		t,
		book.LiveMark(context.Background(), &logbook.Mark{RunID: id, TS: ts, Kind: kind, Note: note},
			fmt.Sprint(kind, ts)),
	)
}

// What no log holds can be noted while the run is under way; its start stays what
// all its readings count from.
func TestDetailsWhileUnderWay(t *testing.T) {
	h, book := handler(t, true)
	id := started(t, book, time.Minute, nil)
	path := fmt.Sprintf("/stall/%d/details", id)
	body := get(h, path).Body.String()
	assert.Contains(t, body, "What no log holds")
	assert.NotContains(t, body, `name="started_at"`, "what cannot be changed is not offered")
	v := url.Values{
		"ambient_c":   {"arctic"},
		"battery_c":   {"7"},
		"car":         {"1"},
		"started_at":  {"2020-01-01T00:00"},
		"climate":     {"off"},
		"method_name": {"Replug test"},
	}
	w := post(h, path, v)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "expected a number from -60 to 70")
	assert.Contains(t, w.Body.String(), `value="arctic"`)
	before, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	v.Set("ambient_c", "-4")
	require.Equal(t, http.StatusSeeOther, post(h, path, v).Code)
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.Equal(t, -4.0, *row.AmbientC)
	assert.Equal(t, 7.0, *row.BatteryC)
	assert.Equal(t, *before.StartedAt, *row.StartedAt)
	assert.True(t, row.Live)
}

// The method's list and cautions are on the page when they are due.
func TestWhatIsDueStandsOnTheLivePage(t *testing.T) {
	h, book := handler(t, true)
	id := started(t, book, 20*time.Minute, func(r *logbook.Run) {
		from, to := 10.0, 80.0
		r.MethodName, r.FromPct, r.ToPct = "Replug test", &from, &to
	})
	page := fmt.Sprintf("/stall/%d", id)
	body := get(h, page).Body.String()
	assert.Contains(t, body, "Logger running before the plug.")
	assert.Contains(t, body, "Damaged cable")
	assert.NotContains(t, body, "plug in again at 50 %")
	markAt(t, book, id, 60, run.PlugIn, run.ByStall)
	body = get(h, page).Body.String()
	assert.Contains(t, body, "contactors")
	assert.Contains(t, body, `data-key="c"`, "the tester's own mark is welcome while only the stall has said so")
	require.NoError(t, book.Type(context.Background(), id, trace.StallSide, "k", "48 90", "",
		logbook.Sample{TS: 1190, HeardS: 1190, Values: map[trace.Channel]float64{trace.SoC: 48, trace.Power: 90}}))
	body = get(h, page).Body.String()
	assert.Contains(t, body, "plug in again at 50 %, or at the drop")
	assert.NotContains(t, body, "Logger running")
	assert.NotContains(t, body, `data-key="c"`)
}

// An attempt before the run is no charging time, and its page says what it cost.
func TestLostTimeIsToldOnTheRunsPage(t *testing.T) {
	h, book := handler(t, false)
	id := started(t, book, time.Hour, nil)
	markAt(t, book, id, 10, run.PlugIn, "")
	markAt(t, book, id, 70, run.Attempt, "payment refused")
	markAt(t, book, id, 250, run.PlugIn, "")
	for i, kw := range []float64{0, 50, 50, 50} {
		ts := 250 + 30*float64(i)
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
				Values: map[trace.Channel]float64{trace.SoC: 20 + float64(i), trace.Power: kw},
			},
		))
	}
	require.NoError(t, book.EndLive(context.Background(), id))
	body := get(h, fmt.Sprintf("/runs/%d", id)).Body.String()
	assert.Contains(t, unstyled(body), "<b>4 min</b>")
	assert.Contains(t, body, "lost before it to 1 failed attempt")
}

// withPhoto is the form of a run's end with a file.
func withPhoto(t *testing.T, path string, fields url.Values, name string, content []byte) *http.Request {
	t.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for k := range fields {
		require.NoError(t, m.WriteField(k, fields.Get(k)))
	}
	f, err := m.CreateFormFile("photo", name)
	require.NoError(t, err)
	_, err = f.Write(content)
	require.NoError(t, err)
	require.NoError(t, m.Close())
	r := httptest.NewRequest(http.MethodPost, path, &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	return r
}

// A photo of the screen comes with the end's notes, is kept though a number is
// wrong, and can be put aside and brought back on the run's page.
func TestPhotoAtTheEnd(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	id := started(t, book, time.Minute, nil)
	path := fmt.Sprintf("/stall/%d/end", id)
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 4, 3))))
	send := func(v url.Values, name string, content []byte) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, withPhoto(t, path, v, name, content))
		return w
	}
	w := send(url.Values{"soc": {"80"}}, "notes.html", []byte("<script>alert(1)</script>"))
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "expected JPEG, PNG or WebP")
	assert.Contains(t, w.Body.String(), `value="80"`)
	w = send(url.Values{"soc": {"800"}}, "screen.png", picture.Bytes())
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "1 kept already")
	w = send(url.Values{"soc": {"80"}, "kwh": {"41"}}, "", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)

	page := fmt.Sprintf("/runs/%d", id)
	list, err := book.Photos(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, list, 1)
	src := fmt.Sprintf("%s/photos/%d", page, list[0].ID)
	assert.Contains(t, get(h, page).Body.String(), src)
	for _, which := range []string{src, src + "?small"} {
		got := get(h, which)
		assert.Equal(t, "image/jpeg", got.Header().Get("Content-Type"))
		kept, err := jpeg.DecodeConfig(got.Body)
		require.NoError(t, err)
		assert.Equal(t, image.Config{ColorModel: kept.ColorModel, Width: 4, Height: 3}, kept)
	}
	w = post(h, src+"/delete", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	body := get(h, w.Header().Get("Location")).Body.String()
	assert.Contains(t, body, "The photo is removed.")
	assert.NotContains(t, body, "src=\""+src)
	require.Equal(t, http.StatusSeeOther, post(h, src+"/restore", nil).Code)
	assert.Contains(t, unstyled(get(h, page).Body.String()), "<img src=\""+src)
}

// What was typed survives a photo that is too large, one that broke off on its way, and one that comes before the
// fields in the form; the run is not ended.
func TestTheEndSurvivesItsPhoto(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	id := started(t, book, time.Minute, nil)
	path := fmt.Sprintf("/stall/%d/end", id)
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	f, err := m.CreateFormFile("photo", "screen.jpg")
	require.NoError(t, err)
	_, err = f.Write(make([]byte, 17<<20))
	require.NoError(t, err)
	require.NoError(t, m.WriteField("soc", "80"))
	require.NoError(t, m.WriteField("note", "screen went blank"))
	require.NoError(t, m.Close())
	whole := b.Bytes()
	send := func(body []byte) *httptest.ResponseRecorder {
		r := httptest.NewRequest(http.MethodPost, path, bytes.NewReader(body))
		r.Header.Set("Content-Type", m.FormDataContentType())
		return newRecorder(h, r)
	}
	w := send(whole)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	for _, want := range []string{`value="80"`, `value="screen went blank"`, "is larger than 16 MB"} {
		assert.True(t, strings.Contains(w.Body.String(), want), want)
	}
	cut := bytes.Index(whole, []byte("screen went blank"))
	w = send(whole[:cut-4])
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.True(t, strings.Contains(w.Body.String(), `value="80"`), "what came is there")
	assert.True(t, strings.Contains(w.Body.String(), "broke off on its way"))
	row, err := book.Run(t.Context(), id)
	require.NoError(t, err)
	assert.True(t, row.Live)
}

// A photo as phones take them is made smaller in the page, before it travels.
func TestPhotosAreShrunkInThePage(t *testing.T) {
	s := newSite(t, 390, 844, false)
	id := started(t, s.book, time.Minute, nil)
	big := image.NewRGBA(image.Rect(0, 0, 3000, 2000))
	for i := range big.Pix {
		big.Pix[i] = uint8(i*7919 + i>>9*104729)
	}
	var b bytes.Buffer
	require.NoError(t, (&png.Encoder{CompressionLevel: png.NoCompression}).Encode(&b, big))
	file := filepath.Join(t.TempDir(), "screen.png")
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	require.Greater(t, b.Len(), 16<<20, "more than the server takes")
	s.open(fmt.Sprintf("/stall/%d/end", id))
	s.do(chromedp.SetUploadFiles(css("#f-photo"), []string{file}))
	s.await(`document.querySelector("#f-photo").files[0].name === "screen.jpg"`)
	assert.Less(t, eval[int](s, `document.querySelector("#f-photo").files[0].size`), 8<<20)
	s.do(chromedp.SendKeys(css("#f-soc"), "80"), chromedp.Click(css("button.primary")))
	s.await(`location.pathname.startsWith("/runs/")`)
	photos, err := s.book.Photos(context.Background(), id)
	require.NoError(t, err)
	assert.Len(t, photos, 1)
}

// Another page ends the run while this one is away: what waited is stored with its
// own times all the same, and the page says where the run is. What the server does
// not take stays on the page until the tester has put it right or let it go.
func TestNothingTypedIsLost(t *testing.T) {
	s := newSite(t, 390, 844, true)
	id := s.startFromNothing()
	s.typeLine("20 90 18")
	s.await(`document.querySelector(".figure").textContent === "20"`)
	eval[bool](
		s,
		`(window.network = window.fetch, window.fetch = () => Promise.reject(new TypeError("Failed to fetch")), true)`,
	)
	s.typeLine("21 91 18")
	s.typeLine("220 92")
	s.typeLine("230 93")
	s.await(`document.querySelector("#waiting").textContent.startsWith("3 entries wait")`)
	require.NoError(t, s.book.EndLive(context.Background(), id))
	s.await(`document.querySelector("#live-now").textContent.includes("This run has been ended")`)
	eval[bool](s, `(window.fetch = window.network, window.dispatchEvent(new Event("online")), true)`)
	s.await(`document.querySelector("#line").value === "220 92"`)
	s.await(`document.querySelector("#refused").textContent.includes("230 93 was not stored")`)
	s.do(chromedp.Navigate(fmt.Sprintf("%s/stall", s.url)), chromedp.WaitVisible(css("h1")))

	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	full, err := s.book.Load(context.Background(), row)
	require.NoError(t, err)
	assert.Equal(t, []float64{20, 21}, full.Recordings[0].Columns[trace.SoC])
	kept := eval[string](
		s,
		fmt.Sprintf(
			`Object.keys(localStorage).filter(n => n.startsWith("zincroad-refused-%d-"))
				.map(n => localStorage.getItem(n)).join()`,
			id,
		),
	)
	assert.True(t, strings.Contains(kept, "230 93"), kept)
	s.quiet()
}

// An answer that is not the program's own for that very entry is no acknowledgement: the
// sign-in page of a network, "stored" said of another entry or of none. One entry that
// the program cannot store now does not hold up what is behind it.
func TestOnlyTheProgramsOwnAnswerCounts(t *testing.T) {
	s := newSite(t, 390, 844, true)
	id := s.startFromNothing()
	waiting := `Object.keys(localStorage).filter(n => n.startsWith("zincroad-entry-")).length`
	eval[bool](s, `(window.network = window.fetch, true)`)
	for i, forged := range []string{
		`new Response("<html>Sign in to the guest network</html>", {status: 200})`,
		`new Response(JSON.stringify({stored: false}), {status: 200})`,
		`new Response(JSON.stringify({stored: true, key: "another"}), {status: 200})`,
		`new Response(JSON.stringify({fault: "no"}), {status: 422})`,
	} {
		eval[bool](s, `(window.answered = 0, window.fetch = async () => (window.answered++, `+forged+`), true)`)
		s.typeLine(fmt.Sprintf("%d 90 18", 20+i))
		s.await(fmt.Sprintf(`%s === %d`, waiting, i+1))
		s.await(`window.answered > 0`)
		// The answer is read in a few turns of the page's loop: two frames are more.
		eval[bool](s, `new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))`)
		require.Equal(t, i+1, eval[int](s, waiting), forged)
	}
	eval[bool](
		s,
		`(window.fetch = (to, o) => o.body && o.body.get("line") === "21 90 18"
			? Promise.resolve(new Response(JSON.stringify({stored: false, key: o.body.get("key")}), {status: 503}))
			: window.network(to, o),
		window.dispatchEvent(new Event("online")), true)`,
	)
	s.await(waiting + ` === 1`)
	s.await(`document.querySelector("#waiting").textContent.startsWith("1 entry waits")`)
	eval[bool](s, `(window.fetch = window.network, window.dispatchEvent(new Event("online")), true)`)
	s.await(waiting + ` === 0`)
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	assert.Len(t, lines, 4)
	s.quiet()
}

// What waits of one run is sent by whatever page is open next, and says so there until
// then; two pages of one run keep each what they have.
func TestEveryPageSendsWhatWaits(t *testing.T) {
	s := newSite(t, 390, 844, true)
	id := s.startFromNothing()
	eval[bool](s, fmt.Sprintf(`(() => {
		window.fetch = () => Promise.reject(new TypeError("Failed to fetch"));
		const entry = (key, line) => localStorage.setItem("zincroad-entry-%[1]d-" + key, JSON.stringify(
			{run: "%[1]d", to: "/stall/%[1]d/readings", fields: {line, set: "screen"}, at: Date.now(), key}));
		entry("a", "30 100 20"); // as another page of this browser left it
		return true;
	})()`, id))
	s.typeLine("31 101 20")
	s.await(`Object.keys(localStorage).filter(n => n.startsWith("zincroad-entry-")).length === 2`)
	require.NoError(t, s.book.EndLive(context.Background(), id))
	s.do(chromedp.Navigate(s.url+"/garage"), chromedp.WaitVisible(css("h1")))
	s.await(`Object.keys(localStorage).filter(n => n.startsWith("zincroad-entry-")).length === 0`)
	s.await(`!document.querySelector("#queued")`)
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	assert.Len(t, lines, 2)
	s.quiet()
}
