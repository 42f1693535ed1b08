package web_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/formats/intake"
	"zincroad/logbook"
)

// gallery is the folder of files in awkward shapes.
func gallery(t testing.TB, name string) string {
	t.Helper()
	path, err := filepath.Abs(filepath.Join("..", "formats", "testdata", "gallery", name))
	require.NoError(t, err)
	return path
}

// One file of each kind comes in by the browser, and the run has its twelve readings.
func TestEachKindOfFileComesIn(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	for _, name := range []string{"long.csv", "exceljs.xlsx", "hyparquet.parquet", "lines.jsonl", "meter-201.json",
		"language-fi.csv", "utf16-be.csv", "one-file.zip"} {
		s.open("/desk")
		s.do(chromedp.SetUploadFiles(css("#file"), []string{gallery(t, name)}), chromedp.Click(css("#file-form button")))
		s.await(`location.pathname.startsWith("/desk/arrivals/") && document.querySelector("#understood .lead")`)
		s.awaitText("#understood .lead", "12 readings")
		s.do(chromedp.Click(css("#keep .acts button.primary")))
		s.await(`location.pathname.startsWith("/runs/")`)
	}
	list, err := s.book.Arrivals(context.Background())
	require.NoError(t, err)
	assert.Empty(t, list, "none waits any more")
}

// What a column is read as is said once: the next file with the same header is read so.
func TestAMappingIsRemembered(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	ctx := context.Background()
	csv := func(from int) []byte {
		text := "Time (s),SoC,Zap\n"
		for i := range 12 {
			text += fmt.Sprintf("%d,%d,%d\n", i*10, from+i, 50)
		}
		return []byte(text)
	}
	first, err := book.Arrive(ctx, "a.csv", csv(10))
	require.NoError(t, err)
	page := fmt.Sprintf("/desk/arrivals/%d", first)
	body := get(h, page).Body.String()
	assert.NotContains(t, body, "as you last read")
	layout := htmlValue(t, body, "layout")
	form := url.Values{
		"layout":      {layout},
		"header_line": {"1"},
		"delimiter":   {","},
		"time":        {"seconds"},
		"side":        {"car"},
		"timezone":    {"UTC"},
		"c0_channel":  {"time"},
		"c1_channel":  {"soc_pct"},
		"c2_channel":  {"power_kw"},
		"c2_unit":     {"kW"},
	}
	require.Equal(t, http.StatusSeeOther, post(h, page+"/keep", form).Code)

	second, err := book.Arrive(ctx, "b.csv", csv(20))
	require.NoError(t, err)
	body = get(h, fmt.Sprintf("/desk/arrivals/%d", second)).Body.String()
	assert.Contains(t, body, "as you last read a file like it")
	assert.Contains(t, body, "power up to 50 kW")
}

// htmlValue gives the value of a hidden field.
func htmlValue(t *testing.T, body, name string) string {
	t.Helper()
	_, rest, ok := strings.Cut(body, `name="`+name+`" value="`)
	require.True(t, ok, name)
	value, _, _ := strings.Cut(rest, `"`)
	return strings.NewReplacer("&#34;", `"`, "&amp;", "&", "&#43;", "+", "&lt;", "<", "&gt;", ">").Replace(value)
}

// twoSides is a run of the car's log and a file of the stall's, whose clock is 100 s behind.
func twoSides(t testing.TB, book *logbook.Book) (id int64, stallFile string) {
	t.Helper()
	power := func(at float64) float64 {
		switch {
		case at < 20 || at > 900:
			return 0
		case at < 50:
			return 120 * (at - 20) / 30
		case at > 500:
			return 80
		}
		return 120
	}
	text := func(offset, factor float64) string {
		var b strings.Builder
		b.WriteString("t_s,soc_pct,power_kw\n")
		for i := range 960 {
			at := float64(i)
			fmt.Fprintf(&b, "%.1f,%.1f,%.2f\n", at-offset, 10+at/20, power(at)*factor+0.2*math.Sin(at*1.7))
		}
		return b.String()
	}
	in, err := intake.Bytes("car.csv", []byte(text(0, 1)), intake.Choices{Side: trace.CarSide})
	require.NoError(t, err)
	id, err = book.Save(context.Background(), in)
	require.NoError(t, err)
	stallFile = filepath.Join(t.TempDir(), "stall log.csv")
	require.NoError(t, os.WriteFile(stallFile, []byte(text(100, 1.04)), 0o644))
	return id, stallFile
}

func offsetOf(s *site, id int64) float64 {
	s.Helper()
	row, err := s.book.Run(context.Background(), id)
	require.NoError(s, err)
	res, err := s.book.Results(context.Background(), row)
	require.NoError(s, err)
	require.Len(s, res.Head().Recordings, 2)
	return res.Head().Recordings[1].ClockOffsetS
}

// The stall's file is dropped on the car's run: it is a second recording, lined up by its shape.
// Its clock is moved by keys and by the mouse, kept, and left to its shape again; the recording
// is taken away, and its file waits on the Desk.
func TestASecondRecordingAndItsClock(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	id, file := twoSides(t, s.book)
	s.open(fmt.Sprintf("/runs/%d", id))
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	eval[bool](s, fmt.Sprintf(`(() => { const d = new DataTransfer(); d.items.add(new File([%q], "stall log.csv"));
		document.body.dispatchEvent(new DragEvent("drop", {bubbles: true, cancelable: true, dataTransfer: d}));
		return true; })()`,
		string(content)))
	s.await(`document.body.textContent.includes("is added as the stall's")`)
	assert.InDelta(t, 100, offsetOf(s, id), 0.5, "by its shape")
	s.awaitText("main", "was lined up: its clock is 1 min 40 s behind")

	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	clock := fmt.Sprintf("/runs/%d/recordings/%d/clock", id, row.Recordings[1].ID)
	s.open(clock)
	alike := func() float64 {
		return eval[float64](s, `Number(document.querySelector("#fit b").textContent)`)
	}
	best := alike()
	assert.Greater(t, best, 0.99)
	s.do(chromedp.Focus(css(".clocks")), chromedp.KeyEvent(kb.ArrowRight, chromedp.KeyModifiers(8)),
		chromedp.KeyEvent(kb.ArrowRight))
	s.await(`Math.abs(Number(document.querySelector("#f-offset").value) - 111) < 0.6`)
	s.await(fmt.Sprintf(`Number(document.querySelector("#fit b").textContent) < %g`, best-0.01))
	before := eval[float64](s, `Number(document.querySelector("#f-offset").value)`)
	box := eval[[]float64](s, `(() => { const r = document.querySelector(".clocks").getBoundingClientRect();
		return [r.left + r.width / 2, r.top + r.height / 2]; })()`)
	s.do(chromedp.MouseEvent("mousePressed", box[0], box[1], chromedp.ButtonLeft),
		chromedp.MouseEvent("mouseMoved", box[0]+40, box[1], chromedp.ButtonLeft),
		chromedp.MouseEvent("mouseReleased", box[0]+40, box[1], chromedp.ButtonLeft))
	s.await(fmt.Sprintf(`Number(document.querySelector("#f-offset").value) > %g`, before+10))
	kept := eval[float64](s, `Number(document.querySelector("#f-offset").value)`)
	s.do(chromedp.Click(css(`button[value="hand"]`)))
	s.await(`document.body.textContent.includes("settled by hand")`)
	assert.InDelta(t, kept, offsetOf(s, id), 0.01)
	s.do(chromedp.Click(css(`button[value="shape"]`)))
	s.await(`!document.body.textContent.includes("settled by hand")`)
	assert.InDelta(t, 100, offsetOf(s, id), 0.5)

	s.open(fmt.Sprintf("/runs/%d", id))
	s.do(chromedp.Click(css(`form[action$="/away"] button`)))
	s.await(`document.body.textContent.includes("its file waits on the Desk")`)
	list, err := s.book.Arrivals(context.Background())
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "stall log.csv", list[0].Name)
}

// What is wrong with readings is proposed; a proposal is taken, and taken back.
func TestAProposalIsTakenAndTakenBack(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	var b strings.Builder
	b.WriteString("t_s,soc_pct,power_kw\n")
	for i := range 300 {
		kw := 100 + float64(i%3)
		if i == 150 {
			kw = 400
		}
		fmt.Fprintf(&b, "%d,%.1f,%.1f\n", i, 20+float64(i)/20, kw)
	}
	in, err := intake.Bytes("car.csv", []byte(b.String()), intake.Choices{})
	require.NoError(t, err)
	id, err := s.book.Save(context.Background(), in)
	require.NoError(t, err)
	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	page := fmt.Sprintf("/runs/%d/recordings/%d/readings", id, row.Recordings[0].ID)
	s.open(page)
	s.awaitText(".proposals", "power jumps to 400 kW and back")
	s.do(chromedp.Click(css(`.proposals button[name="take"]`)))
	s.await(`document.querySelector(".corrections")`)
	s.awaitText(".corrections", "power is read as left out")
	s.awaitText("main", "Nothing is wrong with its readings")
	s.do(chromedp.Click(css(`form[action$="/take-back"] button`)))
	s.await(`document.querySelector(".proposals")`)
	s.awaitText(".corrections", "undone")
}

// A file that is no log is refused on the run's page in one sentence, and nothing is stored.
func TestAFurtherRecordingThatIsNone(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	id, _ := twoSides(t, s.book)
	s.open(fmt.Sprintf("/runs/%d", id))
	s.do(chromedp.SetUploadFiles(css(`.add-recording input[type="file"]`), []string{gallery(t, "prose.txt")}),
		chromedp.Click(css(".add-recording button")))
	s.await(`document.querySelector(".fault[role=alert]")`)
	s.awaitText(".fault[role=alert]", "prose.txt: is no charging log")
	row, err := s.book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.Len(t, row.Recordings, 1)
}

// recordingPage is the address of a recording of a run, by its place.
func (s *site) recordingPage(runID int64, place int) string {
	s.Helper()
	row, err := s.book.Run(context.Background(), runID)
	require.NoError(s, err)
	require.Greater(s, len(row.Recordings), place)
	return fmt.Sprintf("/runs/%d/recordings/%d", runID, row.Recordings[place].ID)
}

// The footage sheet from nothing to a run without the mouse: the page is reached by the tab key, the
// lines typed, the run kept. What was typed outlives a page that was closed.
func TestAFootageSheetByKeys(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	s.open("/desk/sheet")
	enter := func(text string) { s.do(chromedp.SendKeys(css("#readings"), text)) }
	enter("clip 0:30\nspeed 8\n0:00 10% 0kW plug-in\n0:30 20% 120kW\n")
	s.await(`document.querySelector("#answers").textContent.includes("it runs 8 times as fast")`)
	s.open("/desk/sheet")
	s.await(`document.querySelector("#readings").value.includes("0:30 20%")`)
	enter("\" 22C\nspeed often\n2:00 80% 60kW\n")
	s.await(`document.querySelector("#answers .figures").textContent.includes("80")`)
	s.awaitText("#answers li.bad", "is no speed")
	s.awaitText("#answers .figures", "peak")
	s.do(chromedp.KeyEvent(kb.Tab))
	s.await(`document.activeElement.textContent.trim() === "Go on"`)
	s.do(chromedp.KeyEvent(kb.Enter))
	s.await(`document.querySelector("#understood .lead")`)
	// 0:00, 0:30 twice and 2:00 of the film: 30 s to 30 + 8 * 120 s of the run.
	s.awaitText("#understood .lead", "4 readings over 16 min")
	s.do(chromedp.Focus(css("#keep .acts button.primary")), chromedp.KeyEvent(kb.Enter))
	s.await(`location.pathname.startsWith("/runs/")`)
	list, err := s.book.CameIn(context.Background(), 1)
	require.NoError(t, err)
	require.Len(t, list, 1)
	row, err := s.book.Run(context.Background(), list[0].ID)
	require.NoError(t, err)
	full, err := s.book.Load(context.Background(), row)
	require.NoError(t, err)
	assert.Equal(t, []float64{30, 270, 270, 990}, full.Recordings[0].T)
	s.open("/desk/sheet")
	assert.Empty(t, eval[string](s, `document.querySelector("#readings").value`), "the draft is used up")
}

// The Desk's first view says what came in last, how good it is, and what needs a word; a proposal is
// taken there.
func TestTheDeskShowsWhatCameInLast(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	s.open("/desk")
	s.awaitText("main", "Nothing has come in yet")
	id, file := twoSides(t, s.book)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	spiked := strings.Replace(string(content), "200.0,25.0,", "200.0,25.0,4", 1)
	require.NotEqual(t, string(content), spiked)
	in, err := intake.Bytes("stall.csv", []byte(spiked), intake.Choices{Side: trace.StallSide})
	require.NoError(t, err)
	require.NoError(t, s.book.AddRecordings(context.Background(), id, in))
	s.open("/desk")
	s.awaitText("h1.finding", "its clock is 1 min 40 s behind. 2 things to check.")
	s.awaitText(".needs", "power jumps to")
	s.awaitText(".needs", "Not noted: car, stall, outside temperature")
	s.do(chromedp.Click(css(`.needs button[name="take"]`)))
	s.await(`location.pathname === "/desk" && !document.querySelector(".needs button")`)
	s.awaitText("main", "put right 1 value in stall.csv")
}

// A zip of several run folders brings each of them in, once; one of them faulty, and none comes in.
func TestAZipOfSeveralRuns(t *testing.T) {
	_, book := handler(t, false)
	csv := "t_s,soc_pct,power_kw\n0,10,0\n60,12,100\n120,14,100\n"
	pack := func(second string) []byte {
		var out bytes.Buffer
		z := zip.NewWriter(&out)
		for folder, text := range map[string]string{"a": csv, "b": second} {
			for name, content := range map[string]string{"run.json": `{"format": "zincroad-run/1", "title": "` + folder +
				`", "recordings": [{"file": "car.csv"}]}`, "car.csv": text} {
				w, err := z.Create(folder + "/" + name)
				require.NoError(t, err)
				_, err = w.Write([]byte(content))
				require.NoError(t, err)
			}
		}
		require.NoError(t, z.Close())
		return out.Bytes()
	}
	_, err := intake.All("runs.zip", pack("no log at all\n"), intake.Choices{})
	require.ErrorContains(t, err, "b/car.csv")
	list, err := intake.All("runs.zip", pack(strings.Replace(csv, "60,12", "60,13", 1)), intake.Choices{})
	require.NoError(t, err)
	require.Len(t, list, 2)
	for _, b := range list {
		_, err := book.Save(context.Background(), b)
		require.NoError(t, err)
	}
	came, err := book.CameIn(context.Background(), 9)
	require.NoError(t, err)
	require.Len(t, came, 2)
	assert.Equal(t, "b", came[0].Title)
	_, err = intake.Bytes("runs.zip", pack(csv), intake.Choices{})
	assert.ErrorContains(t, err, "it holds 2 runs")
}

// A car's log that begins with the drive there: the plug-in that nobody marked is proposed, and set.
func TestAMarkThatNobodyMadeIsProposed(t *testing.T) {
	h, book := handler(t, false)
	var b strings.Builder
	b.WriteString("t_s,soc_pct,power_kw\n")
	for i := range 1200 {
		kw, soc := 100.0, 20+float64(i-400)/20
		if i < 400 {
			kw, soc = -20+25*math.Sin(float64(i)/6), 22-float64(i)/200
		}
		fmt.Fprintf(&b, "%d,%.2f,%.1f\n", i, soc, kw)
	}
	in, err := intake.Bytes("car.csv", []byte(b.String()), intake.Choices{})
	require.NoError(t, err)
	id, err := book.Save(context.Background(), in)
	require.NoError(t, err)
	body := get(h, "/desk").Body.String()
	assert.Contains(t, body, "A mark is missing, plug-in at 6:")
	assert.Contains(t, body, "the log begins with the drive there")
	at := htmlValue(t, body, "time")
	require.Equal(t, http.StatusSeeOther, post(h, fmt.Sprintf("/runs/%d/marks", id),
		url.Values{"kind": {"plug-in"}, "time": {at}}).Code)
	assert.NotContains(t, get(h, "/desk").Body.String(), "A mark is missing")
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, row.Marks, 1)
	assert.InDelta(t, 399, row.Marks[0].TS, 60)
}

// A file that has the shape of a run that is there is proposed as another recording of it; as recorded
// and corrected can be switched between on the run's page.
func TestAFileThatBelongsToARun(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	id, file := twoSides(t, s.book)
	s.open("/desk")
	s.do(chromedp.SetUploadFiles(css("#file"), []string{file}), chromedp.Click(css("#file-form button")))
	s.await(`document.querySelector('button[formaction$="/add"]')`)
	s.awaitText(".what", fmt.Sprintf("It has the shape of run %d", id))
	s.do(chromedp.Click(css(`button[formaction$="/add"]`)))
	s.await(fmt.Sprintf(`location.pathname === "/runs/%d"`, id))
	assert.InDelta(t, 100, offsetOf(s, id), 0.5)
	list, err := s.book.Arrivals(context.Background())
	require.NoError(t, err)
	assert.Empty(t, list)

	s.await(`document.querySelector("main") && document.querySelector("main").textContent.includes("was lined up")`)
	eval[bool](s, `([...document.querySelectorAll(".set a")].find(a => a.textContent === "as recorded").click(), true)`)
	s.await(`location.search.includes("as=recorded")`)
	s.await(`document.querySelector("h1.finding") && !document.body.textContent.includes("was lined up")`)
	eval[bool](s, `([...document.querySelectorAll(".set a")].find(a => a.textContent === "corrected").click(), true)`)
	s.await(`!location.search.includes("as=recorded") && document.body.textContent.includes("was lined up")`)
}

// Any recording can give the run its time: the other is lined up with it then, and the posts stay where
// they were on the run's clock; it can be undone.
func TestAnotherRecordingGivesTheTime(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	ctx := context.Background()
	id, file := twoSides(t, book)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	in, err := intake.Bytes("stall.csv", content, intake.Choices{Side: trace.StallSide})
	require.NoError(t, err)
	require.NoError(t, book.AddRecordings(ctx, id, in))
	read := func() (row *logbook.Run, names string, offset, post float64) {
		row, err := book.Run(ctx, id)
		require.NoError(t, err)
		res, err := book.Results(ctx, row)
		require.NoError(t, err)
		x := res.Head()
		at, ok := x.Post(30)
		require.True(t, ok)
		return row, x.Recordings[0].File + " " + x.Recordings[1].File, x.Recordings[1].ClockOffsetS, at + x.ZeroS
	}
	row, names, offset, post := read()
	assert.Equal(t, "car.csv stall.csv", names)
	assert.InDelta(t, 100, offset, 0.5)
	stall := row.Recordings[1].ID
	w := sent(h, fmt.Sprintf("/runs/%d/recordings/%d/master", id, stall))
	assert.Contains(t, get(h, w).Body.String(), "stall.csv gives the run its time now")
	row, names, offset, same := read()
	assert.Equal(t, "stall.csv car.csv", names)
	assert.InDelta(t, 0, offset, 0.5, "the car's lies where it was")
	assert.InDelta(t, post, same, 1)
	sent(h, fmt.Sprintf("/runs/%d/recordings/%d/master", id, row.Recordings[1].ID))
	_, names, _, _ = read()
	assert.Equal(t, "car.csv stall.csv", names)
}

// sent sends an empty form and gives where it leads.
func sent(h http.Handler, path string) string {
	return post(h, path, url.Values{}).Header().Get("Location")
}

// awaitText waits until an element says something, also while its page is still coming.
func (s *site) awaitText(selector, text string) {
	s.Helper()
	s.await(
		fmt.Sprintf(`document.querySelector(%q) && document.querySelector(%q).textContent.replace(/\s+/g, " ").includes(%q)`,
			selector, selector, text),
	)
}

// A large file says how far it is and how long it takes yet, and can be stopped by keys: then nothing of it is there,
// and the next one comes in.
func TestAFileOnItsWayCanBeStopped(t *testing.T) {
	s := newSite(t, 1280, 800, false)
	s.open("/desk")
	drop := func(name string, mb int) {
		s.Helper()
		eval[bool](s, fmt.Sprintf(`(() => {
			const d = new DataTransfer();
			d.items.add(new File(["t_s,soc_pct,power_kw\n0,10,100\n600,30,100\n1800,70,90\n", " ".repeat(%d)], %q));
			document.dispatchEvent(new DragEvent("drop", {dataTransfer: d, cancelable: true}));
			return true;
		})()`, mb*1_000_000, name))
	}
	hears := make(chan struct{})
	s.deaf.Store(&hears)
	drop("long.csv", 40)
	s.await(`/^long\.csv: [0-9.]+ of 40\.0 MB, \d+ s left$/.test(document.querySelector("#sending-what").textContent)`)
	s.await(`!document.querySelector("#sending").hidden`)
	eval[bool](s, `(document.querySelector("#sending-stop").focus(), true)`)
	s.do(chromedp.KeyEvent(kb.Enter))
	s.awaitText("#sending-said", "long.csv was stopped; nothing of it was stored.")
	assert.True(t, eval[bool](s, `document.querySelector("#sending").hidden`))
	close(hears)
	drop("short.csv", 0)
	s.do(chromedp.WaitVisible(css("#understood")))
	waiting, err := s.book.Arrivals(context.Background())
	require.NoError(t, err)
	require.Len(t, waiting, 1)
	assert.Equal(t, "short.csv", waiting[0].Name)
	s.quiet()
}
