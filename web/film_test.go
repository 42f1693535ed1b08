package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image/color"
	"image/png"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/film"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/typed"
	"zincroad/internal/sampled"
)

var filmFigures = []string{"soc_pct", "power_kw", "energy_kwh", "current_a", "voltage_v", "minutes"}

func (s shown) of(channel string) string {
	return map[string]string{"soc_pct": s.soc, "power_kw": s.kw, "energy_kwh": s.kwh, "current_a": s.amps,
		"voltage_v": s.volts, "minutes": s.clock}[channel]
}

// openClip opens a film on the sheet, which says what it is told.
func (s *site) openClip(path, says string) {
	s.Helper()
	s.open("/desk/sheet")
	s.await(`document.querySelector("[data-film]").dataset.ready`)
	s.do(chromedp.SetUploadFiles(css("#film-file"), []string{path}))
	s.await(`document.querySelector("[data-film]").dataset.holds`)
	if says != "" {
		s.set("#readings", quote(says), "input")
	}
}

// drawBox drags a box over the film, its corners in shares of the picture, and says what it shows.
func (s *site) drawBox(i int, channel string, b [4]float64) {
	s.Helper()
	eval[bool](s, `(document.querySelector("[data-film-boxes]").scrollIntoView({block: "start"}), true)`)
	r := eval[[]float64](s, `(() => { const r = document.querySelector("[data-film-boxes]").getBoundingClientRect();
		return [r.left, r.top, r.width, r.height]; })()`)
	x0, y0 := r[0]+b[0]*r[2], r[1]+b[1]*r[3]
	x1, y1 := x0+b[2]*r[2], y0+b[3]*r[3]
	s.do(chromedp.MouseEvent(input.DispatchMouseEventTypeMousePressed, x0, y0, chromedp.ButtonLeft),
		chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, (x0+x1)/2, (y0+y1)/2, chromedp.ButtonLeft),
		chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, x1, y1, chromedp.ButtonLeft),
		chromedp.MouseEvent(input.DispatchMouseEventTypeMouseReleased, x1, y1, chromedp.ButtonLeft))
	s.await(fmt.Sprintf(`document.querySelectorAll("[data-film-list] li").length === %d`, i+1))
	s.set(fmt.Sprintf("[data-film-list] li:nth-child(%d) select", i+1), quote(channel), "change")
}

// sentFilm is what the page sent of the film, and what was understood.
type sentFilm struct {
	Looks []struct {
		T    float64    `json:"t"`
		Seen [][]string `json:"seen"`
	} `json:"looks"`
}

// weighed waits until what was read, with the answers given by now, is weighed and shown.
func (s *site) weighed() {
	s.Helper()
	s.await(`!document.querySelector("[data-film-read][aria-busy]")`)
}

// read has a film read by itself, with all its figures, and gives what the page made of its pictures and how long it
// took.
func (s *site) read(f *aFilm, path string) (sent sentFilm, took time.Duration) {
	s.Helper()
	s.openClip(path, fmt.Sprintf("speed %g\n", f.speed))
	boxes := f.boxes()
	for i, c := range filmFigures {
		s.drawBox(i, c, boxes[c])
	}
	eval[bool](s, `(() => { const was = window.fetch; window.fetch = (to, o) => { if (String(to).endsWith("sift"))
		window.sent = o.body; return was(to, o); }; return true; })()`)
	s.do(chromedp.Click(css("[data-film-start]")))
	for last := ""; ; { // as long as it goes on
		time.Sleep(time.Second)
		said := eval[string](s, `document.querySelector("[data-film]").dataset.sifted ? "" :
			document.querySelector("[data-film-said]").textContent`)
		if said == "" {
			break
		}
		if said == last {
			s.await(`document.querySelector("[data-film]").dataset.sifted || document.querySelector("[data-film-said]")
				.textContent !== ` + quote(last))
		}
		last = said
	}
	seconds := eval[string](s, `document.querySelector("[data-film]").dataset.took`)
	v, err := strconv.ParseFloat(seconds, 64)
	require.NoError(s, err)
	require.NoError(s, json.Unmarshal([]byte(eval[string](s, "window.sent")), &sent))
	return sent, time.Duration(v * float64(time.Second))
}

// looksOf are what a page sent, as the sieve takes it.
func (f *aFilm) looksOf(sent sentFilm) (looks []film.Look) {
	for _, l := range sent.Looks {
		look := film.Look{TS: l.T * f.speed}
		for _, seen := range l.Seen {
			var signs []film.Sign
			for _, text := range seen {
				if text == "." || text == ":" {
					signs = append(signs, film.Sign{Mark: text[0]})
					continue
				}
				var sign film.Sign
				for word := range strings.FieldsSeq(text) {
					var d film.Digit
					var thousandths int
					_, _ = fmt.Sscanf(word, "%d:%d", &d.Digit, &thousandths)
					d.Share = float64(thousandths) / 1000
					sign.Digit = append(sign.Digit, d)
				}
				signs = append(signs, sign)
			}
			look.Seen = append(look.Seen, signs)
		}
		looks = append(looks, look)
	}
	return looks
}

// was is the number that a figure showed at a look, or just before or after it: a seek comes to a frame, and the
// screen is renewed between frames.
func (f *aFilm) was(states []shown, t float64, channel string, v float64) bool {
	at := int(t*float64(f.perS) + 1e-6)
	for _, j := range []int{at - 1, at, at + 1} {
		is := states[max(0, min(len(states)-1, j))]
		if !is.gone && math.Abs(numberOf(is.of(channel))-v) < 1e-6 {
			return true
		}
	}
	return false
}

// films are twenty clips of half an hour each, in typefaces, sizes, colours and light of all kinds; every second one
// by a poor camera in a hand.
func films() (list []*aFilm) {
	faces := []string{"regular", "bars", "bold", "dots", "mono", "medium", "smallcaps", "bars", "monobold", "regular"}
	colours := [][2]color.RGBA{
		{{240, 240, 236, 255}, {24, 28, 34, 255}},
		{{255, 170, 40, 255}, {16, 14, 12, 255}},
		{{30, 30, 40, 255}, {220, 226, 230, 255}},
		{{90, 230, 120, 255}, {10, 26, 16, 255}},
		{{250, 250, 250, 255}, {20, 70, 140, 255}},
	}
	for i := range 20 {
		c := colours[i%len(colours)]
		list = append(list, &aFilm{seed: uint64(100 + i), runS: 1800, speed: 60, perS: 8, face: faces[i%len(faces)],
			ink: c[0], ground: c[1], tall: []float64{34, 26, 44}[i%3], rough: i%2 == 1 != (i >= 10)})
	}
	return list
}

// Twenty films, of which a few pieces stand for all where the galleries are not asked for: of the readings that are
// kept nearly all are right, hardly one that is wrong comes in unmarked, and most of what was to be seen is kept. A
// post lies where it was.
func TestFilmsAreRead(t *testing.T) {
	list := films()
	if !sampled.Whole {
		list = []*aFilm{list[0], list[1], list[13]}
		for _, f := range list {
			f.runS = 600
		}
	}
	var all count
	for i, f := range list {
		name := fmt.Sprintf("%d %s %.0f rough=%v", i+1, f.face, f.tall, f.rough)
		t.Run(name, func(t *testing.T) {
			s := site1(t)
			sent, took := s.read(f, f.make(t))
			states, looks := f.states(), f.looksOf(sent)
			var figures []film.Figure
			for _, c := range filmFigures {
				figures = append(figures, film.Figure{Channel: trace.Channel(c)})
			}
			read := film.Sift(figures, looks, nil)
			alone := f.counted(t, states, sent, read)
			// Somebody who looks at what is asked, the longest first, as many as are laid out.
			var answers []film.Answer
			for _, q := range film.Questions(figures, read)[:min(40, len(film.Questions(figures, read)))] {
				v := numberOf(f.at(states, sent.Looks[q.From].T).of(filmFigures[q.Figure]))
				answers = append(answers, film.Answer{Figure: q.Figure, From: q.From, To: q.To, Value: v})
			}
			read = film.Sift(figures, looks, answers)
			asked := f.counted(t, states, sent, read)
			all.add(alone)
			t.Logf("| %s | %.0f | %v | %.1f %% | %.2f %% | %.0f of %.0f | %d | %.1f %% | %.0f s |", f.face, f.tall, f.rough,
				100*alone.kept/alone.visible, 100*alone.asSeen/alone.kept, alone.wrong, alone.kept, len(answers),
				100*asked.kept/asked.visible, took.Seconds()/(float64(len(states))/float64(f.perS)/60))
			least := 0.9
			if f.rough {
				least = 0.6
			}
			assert.GreaterOrEqual(t, alone.kept/alone.visible, least, "kept by itself of what was to be seen")
			assert.GreaterOrEqual(t, asked.kept, alone.kept)
			rec := film.Recording("film", trace.StallSide, figures, looks, read)
			f.posts(t, states, rec)
			if !f.rough {
				f.byHand(t, states, rec)
			}
		})
	}
	t.Logf("kept %.1f %% of %.0f; as they were seen %.2f %%; wrong and unmarked %.0f of %.0f", 100*all.kept/all.visible,
		all.visible, 100*all.asSeen/all.kept, all.wrong, all.kept)
	assert.LessOrEqual(t, all.wrong, math.Max(1, 0.001*all.kept), "of %.0f", all.kept)
}

// count is what became of the figures that could be seen.
type count struct{ visible, kept, asSeen, wrong float64 }

func (c *count) add(o count) {
	c.visible, c.kept, c.asSeen, c.wrong = c.visible+o.visible, c.kept+o.kept, c.asSeen+o.asSeen, c.wrong+o.wrong
}

// at is what the screen showed at a moment of the clip.
func (f *aFilm) at(states []shown, t float64) shown {
	return states[min(len(states)-1, int(t*float64(f.perS)+1e-6))]
}

// counted holds readings against the screen; what was answered is not counted as wrong or right.
func (f *aFilm) counted(t *testing.T, states []shown, sent sentFilm, read [][]film.Reading) (c count) {
	t.Helper()
	for i, row := range read {
		is := f.at(states, sent.Looks[i].T)
		for k, x := range row {
			if !is.gone {
				c.visible++
			}
			if !x.Counts() {
				continue
			}
			c.kept++
			switch {
			case x.How == film.Settled:
			case !f.was(states, sent.Looks[i].T, filmFigures[k], x.Value):
				c.wrong++
				t.Logf("at %.1f s %s: %q was read as %q and kept as %g (%s, %.3f)", sent.Looks[i].T, filmFigures[k],
					is.of(filmFigures[k]), x.Said, x.Value, x.How, x.Sure)
			case x.How == film.Kept:
				c.asSeen++
			}
		}
	}
	return c
}

// numberOf is what a figure says as a number; NaN: none.
func numberOf(text string) float64 {
	if m, s, clock := strings.Cut(text, ":"); clock {
		minutes, _ := strconv.Atoi(m)
		seconds, _ := strconv.Atoi(s)
		return float64(minutes) + float64(seconds)/60
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return math.NaN()
	}
	return v
}

// site1 is a site whose test runs by itself: what it measures is not another's.
func site1(t *testing.T) *site {
	t.Helper()
	return openSite(t, 1280, 900, false)
}

// posts holds the moments at which the charge came to round values against those of the screen.
func (f *aFilm) posts(t *testing.T, states []shown, rec *trace.Recording) {
	t.Helper()
	for _, pct := range []int{20, 30, 40, 50, 60, 70, 80} {
		first := -1
		for i, s := range states {
			if v, _ := strconv.Atoi(s.soc); v >= pct {
				first = i
				break
			}
		}
		if first <= 0 || states[first].gone {
			continue
		}
		before := math.Inf(-1) // when the charge was read before
		for i, v := range rec.Columns[trace.SoC] {
			if v >= float64(pct) {
				if rec.T[i]-before < 1.5*f.speed/float64(f.perS) {
					assert.InDelta(t, float64(first)/float64(f.perS)*f.speed, rec.T[i], 2+f.speed/float64(f.perS),
						"post %d %%", pct)
				}
				break
			}
			if !math.IsNaN(v) {
				before = rec.T[i]
			}
		}
	}
}

// byHand holds what was read against a sheet that somebody typed off the same film, at each new value of the charge.
func (f *aFilm) byHand(t *testing.T, states []shown, rec *trace.Recording) {
	t.Helper()
	var sheet strings.Builder
	fmt.Fprintf(&sheet, "speed %g\n", f.speed)
	last := ""
	for i, s := range states {
		if s.soc == last || i%2 == 1 {
			continue
		}
		last = s.soc
		at := float64(i) / float64(f.perS)
		fmt.Fprintf(&sheet, "%d:%04.1f %s%% %skW %skWh\n", int(at)/60, math.Mod(at, 60), s.soc, s.kw, s.kwh)
	}
	notes, err := typed.Parse(sheet.String(), "sheet", trace.StallSide)
	require.NoError(t, err)
	hand := curve.Read(&run.Run{Recordings: []*trace.Recording{notes.Recording}}, curve.Options{})
	own := curve.Read(&run.Run{Recordings: []*trace.Recording{rec}}, curve.Options{})
	for _, p := range hand.Posts {
		for _, q := range own.Posts {
			if p.SoCPct == q.SoCPct && p.TS > 60 {
				assert.InDelta(t, p.TS, q.TS, 2*f.speed/float64(f.perS)+2, "post %g %%", p.SoCPct)
			}
		}
	}
	require.NotNil(t, hand.Energy.StallKWh)
	require.NotNil(t, own.Energy.StallKWh)
	// The sheet has a line each per cent, which is 0.55 to 0.9 kWh of these batteries: one of them at either end.
	assert.InDelta(t, *hand.Energy.StallKWh, *own.Energy.StallKWh, 1.8, "energy")
}

// A film becomes a run in the browser: it is opened, its boxes are drawn, it is read, what is in doubt is answered by
// keys, and it is brought in with its clip's name and times. Nothing of it leaves the machine but the signs that were
// read.
func TestAFilmBecomesARun(t *testing.T) {
	s := newSite(t, 1280, 900, false)
	f := &aFilm{seed: 7, runS: 240, speed: 12, perS: 8, face: "bold", ink: color.RGBA{240, 240, 236, 255},
		ground: color.RGBA{24, 28, 34, 255}, tall: 34}
	path := f.make(t)
	s.openClip(path, "")
	eval[bool](s, `(() => { window.asked = []; const was = window.fetch;
		window.fetch = (to, o) => { window.asked.push([String(to), (o && o.body || "").length]); return was(to, o); };
		return true; })()`)
	// A line takes the clip's time.
	s.do(chromedp.Focus(css("#film-line")), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowDown))
	s.await(`Math.abs(document.querySelector("[data-film-clip]").currentTime - 2) < 0.01`)
	s.do(chromedp.SendKeys(css("#film-line"), "11% 90kW"+kb.Enter))
	s.await(`document.querySelector("#readings").value === "0:02 11% 90kW\n"`)
	// In the sheet, Alt and an arrow move a line's moment by a frame, Alt and Enter go to it.
	alt := func(key string) {
		eval[bool](s, `(() => { const e = document.querySelector("#readings"); e.setSelectionRange(1, 1);
			e.dispatchEvent(new KeyboardEvent("keydown", {key: `+quote(key)+`, altKey: true, bubbles: true})); return true; })()`)
	}
	alt("ArrowRight")
	s.await(`document.querySelector("#readings").value === "0:02.1 11% 90kW\n"`)
	alt("ArrowLeft")
	s.do(chromedp.Focus(css("#film-line")), chromedp.KeyEvent(kb.ArrowDown))
	alt("Enter")
	s.await(`Math.abs(document.querySelector("[data-film-clip]").currentTime - 2) < 0.01`)
	s.set("#readings", quote("clip 0:00\nspeed 12\n"), "input")

	boxes := f.boxes()
	for i, c := range []string{"soc_pct", "power_kw", "energy_kwh"} {
		s.drawBox(i, c, boxes[c])
	}
	s.await(`[...document.querySelectorAll("[data-film-reads]")].every(e => /^[0-9.]+$/.test(e.textContent))`)
	// A box moves by the arrow keys.
	was := s.text(`[data-film-reads="2"]`)
	s.do(chromedp.Focus(css("[data-film-list] li:nth-child(3) button")), chromedp.KeyEvent(kb.ArrowRight),
		chromedp.KeyEvent(kb.ArrowLeft))
	s.await(`document.querySelector('[data-film-reads="2"]').textContent === ` + quote(was))

	s.do(chromedp.Click(css("[data-film-start]")))
	s.await(`document.querySelector("[data-film]").dataset.sifted`)
	for range 40 { // by keys, as the picture has it
		if s.weighed(); !eval[bool](s, `!!document.querySelector("[data-film-question]")`) {
			break
		}
		s.do(chromedp.Focus(css("[data-film-question] input")), chromedp.KeyEvent(kb.Enter))
	}
	s.weighed()
	s.await(`!document.querySelector("[data-film-question]")`)
	s.do(chromedp.Click(css("[data-film-take]")))
	s.await(`location.pathname.startsWith("/desk/arrivals/")`)
	assert.Contains(t, s.text("main"), "stall film "+filepath.Base(path)+".csv")
	s.do(chromedp.Click(css(`form[action$="/keep"] button.primary`)))
	s.await(`location.pathname.startsWith("/runs/")`)
	row, err := s.book.Run(t.Context(), 1)
	require.NoError(t, err)
	of, err := s.book.Load(t.Context(), row)
	require.NoError(t, err)
	require.Len(t, of.Recordings, 1)
	rec := of.Recordings[0]
	assert.Equal(t, trace.StallSide, rec.Side)
	states := f.states()
	for i, v := range rec.Columns[trace.Power] {
		if !math.IsNaN(v) {
			assert.True(t, f.was(states, rec.T[i]/f.speed, "power_kw", v), "%g kW at %g s", v, rec.T[i])
		}
	}
	assert.Greater(t, rec.Len(), 100)
}

// All that goes over the network while a film is read: what was read, to this program.
func TestAFilmStaysOnTheMachine(t *testing.T) {
	s := newSite(t, 1280, 900, false)
	f := &aFilm{seed: 8, runS: 60, speed: 12, perS: 8, face: "mono", ink: color.RGBA{240, 240, 236, 255},
		ground: color.RGBA{24, 28, 34, 255}, tall: 34}
	path := f.make(t)
	s.openClip(path, "speed 12\n")
	s.drawBox(0, "soc_pct", f.boxes()["soc_pct"])
	s.await(`/^\d+$/.test(document.querySelector("[data-film-reads]").textContent)`)
	before := eval[int](s, `performance.getEntriesByType("resource").length`)
	s.do(chromedp.Click(css("[data-film-start]")))
	s.await(`document.querySelector("[data-film]").dataset.sifted`)
	type entry struct {
		Name string `json:"name"`
		Kind string `json:"initiatorType"`
	}
	for _, e := range eval[[]entry](s, fmt.Sprintf(`performance.getEntriesByType("resource").slice(%d)
		.map(e => ({name: e.name, initiatorType: e.initiatorType}))`, before)) {
		if !strings.HasPrefix(e.Name, "blob:") {
			assert.Equal(t, s.url+"/desk/film/sift", e.Name, e.Kind)
		}
	}
	info, err := os.Stat(path)
	require.NoError(t, err)
	require.Greater(t, info.Size(), int64(5000))
}

// A photo of a screen is read as a clip is, and as it is one look alone, what it says is asked.
func TestAPhotoOfAScreen(t *testing.T) {
	s := newSite(t, 1280, 900, false)
	f := &aFilm{seed: 9, face: "bold", ink: color.RGBA{240, 240, 236, 255},
		ground: color.RGBA{24, 28, 34, 255}, tall: 40}
	path := filepath.Join(t.TempDir(), "screen.png")
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, f.frame(shown{soc: "63", kw: "118", kwh: "31.4", amps: "300", volts: "393",
		clock: "17:04"})))
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	s.openClip(path, "")
	for i, c := range []string{"soc_pct", "power_kw"} {
		s.drawBox(i, c, f.boxes()[c])
	}
	s.await(`document.querySelector('[data-film-reads="0"]').textContent === "63"`)
	s.await(`document.querySelector('[data-film-reads="1"]').textContent === "118"`)
	// A box that the figure has outgrown reads nothing, rather than a part of it.
	narrow := f.boxes()["energy_kwh"]
	narrow[2] *= 0.75
	s.drawBox(2, "energy_kwh", narrow)
	s.await(`document.querySelector('[data-film-reads="2"]').textContent === "nothing yet"`)
	s.do(chromedp.Click(css("[data-film-start]")))
	s.await(`document.querySelectorAll("[data-film-question]").length === 2`)
	assert.Contains(t, s.text("[data-film-questions], .film-questions"), "63")
	s.do(chromedp.Focus(css("[data-film-question] input")), chromedp.KeyEvent(kb.Enter))
	s.await(`document.querySelectorAll("[data-film-question]").length === 1`)
	s.do(chromedp.SendKeys(css("[data-film-question] input"), "119"+kb.Enter))
	s.weighed()
	s.await(`!document.querySelector("[data-film-question]")`)
	s.do(chromedp.Click(css("[data-film-take]")))
	s.await(`location.pathname.startsWith("/desk/arrivals/")`)
}

// A film is read the same however its pictures come: from what the browser decoded, by drawing them where it does not
// give that, and turned, as by a telephone that was held the other way up: a player turns them back, what is decoded is
// as it was filmed.
func TestAFilmIsReadHoweverItsPicturesCome(t *testing.T) {
	f := &aFilm{seed: 9, runS: 24, speed: 12, perS: 8, face: "bold", ink: color.RGBA{240, 240, 236, 255},
		ground: color.RGBA{24, 28, 34, 255}, tall: 40}
	upright := f.make(t)
	over, turned := filepath.Join(t.TempDir(), "over.mp4"), filepath.Join(t.TempDir(), "turned.mp4")
	for _, args := range [][]string{
		{"-i", upright, "-vf", "hflip,vflip", "-c:v", "libx264", "-pix_fmt", "yuv420p", over},
		{"-i", over, "-c", "copy", "-metadata:s:v", "rotate=180", turned}, // an encoder does not pass it on
	} {
		out, err := exec.CommandContext(t.Context(), "ffmpeg", append([]string{"-loglevel", "error"}, args...)...).
			CombinedOutput()
		require.NoError(t, err, string(out))
	}
	first := f.states()[0]
	for name, c := range map[string]struct{ path, before string }{
		"decoded": {upright, `"VideoFrame" in window && "rotation" in VideoFrame.prototype`},
		"drawn":   {upright, `delete window.VideoFrame`},
		"turned":  {turned, `true`},
	} {
		t.Run(name, func(t *testing.T) {
			s := newSite(t, 1280, 900, false)
			s.openClip(c.path, "")
			assert.True(t, eval[bool](s, c.before))
			for i, channel := range []string{"soc_pct", "power_kw"} {
				s.drawBox(i, channel, f.boxes()[channel])
				s.await(fmt.Sprintf(`document.querySelector('[data-film-reads="%d"]').textContent === %q`, i,
					first.of(channel)))
			}
		})
	}
}

// An hour's film is read with less than 500 MB of the browser's: what its processes hold beyond what they held
// before.
func TestAnHoursFilm(t *testing.T) {
	if !sampled.Whole {
		t.Skip("it takes minutes: make galleries")
	}
	s := site1(t)
	f := &aFilm{seed: 11, runS: 3600, speed: 1, perS: 1, face: "regular", ink: color.RGBA{240, 240, 236, 255},
		ground: color.RGBA{24, 28, 34, 255}, tall: 34}
	path := f.make(t)
	before := browserMB(t)
	most := 0.0
	done := make(chan struct{})
	watched := make(chan struct{})
	go func() {
		defer close(watched)
		for {
			select {
			case <-done:
				return
			case <-time.After(2 * time.Second):
				most = math.Max(most, browserMB(t))
			}
		}
	}()
	sent, took := s.read(f, path)
	close(done)
	<-watched
	t.Logf("%d looks in %s, %.0f MB more than before", len(sent.Looks), took.Round(time.Second), most-before)
	assert.Less(t, most-before, 500.0)
}

// browserMB is what the browser's processes hold by themselves, in MB.
func browserMB(t *testing.T) (mb float64) {
	t.Helper()
	list, err := filepath.Glob("/proc/[0-9]*/smaps_rollup")
	require.NoError(t, err)
	for _, path := range list {
		name, _ := os.ReadFile(filepath.Join(filepath.Dir(path), "cmdline"))
		if !bytes.Contains(name, []byte("chromium")) && !bytes.Contains(name, []byte("headless")) {
			continue
		}
		text, _ := os.ReadFile(path)
		for line := range strings.Lines(string(text)) {
			if f := strings.Fields(line); len(f) > 1 && strings.HasPrefix(f[0], "Private_") {
				kb, _ := strconv.ParseFloat(f[1], 64)
				mb += kb / 1024
			}
		}
	}
	return mb
}

// What is sent of a film that cannot be one is refused in a sentence.
func TestOddFilms(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, false)
	ask := func(path, body string) (int, string) {
		r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Accept", "application/json")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		var said struct{ Fault string }
		_ = json.Unmarshal(w.Body.Bytes(), &said)
		return w.Code, said.Fault
	}
	for body, says := range map[string]string{
		`{"looks": [`: "did not come whole",
		`{}`:          "Expected 1 to 8 figures",
		`{"figures": ["colour"], "looks": [{"t": 0}]}`:                                          `"colour" is no figure`,
		`{"figures": ["soc_pct"], "looks": [{"t": 2}, {"t": 1}]}`:                               "in the clip's order",
		`{"figures": ["soc_pct"], "looks": [{"t": 1, "seen": [["x"]]}]}`:                        `"x" is no sign`,
		`{"figures": ["soc_pct"], "looks": [{"t": 1}], "answers": [{"from": 0, "to": 7}]}`:      "not there",
		`{"figures": ["soc_pct"], "looks": [{"t": 1}], "sheet": "freeze 0:00-0:10"}`:            "the picture stands",
		`{"figures": ["soc_pct"], "looks": [{"t": 1, "seen": [["1:990 17:3"]]}], "sheet": "x"}`: "is no sign",
	} {
		for _, path := range []string{"/desk/film/sift", "/desk/film"} {
			code, fault := ask(path, body)
			assert.Equal(t, http.StatusBadRequest, code, body)
			assert.Contains(t, fault, says, body)
		}
	}
	code, fault := ask("/desk/film", `{"figures": ["soc_pct"], "looks": [{"t": 1}, {"t": 2, "seen": [[]]}]}`)
	assert.Equal(t, http.StatusBadRequest, code)
	assert.Contains(t, fault, "Nothing was read")
}

// The screen's own minutes say how fast a clip runs, and the sheet takes it over.
func TestMinutesSayHowFastAClipRuns(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, false)
	var looks []string
	for i := range 60 {
		text := ""
		for _, c := range fmt.Sprintf("%d:%02d", (30+8*i)/60, (30+8*i)%60) {
			if c == ':' {
				text += `":",`
			} else {
				text += fmt.Sprintf(`"%c:990",`, c)
			}
		}
		looks = append(looks, fmt.Sprintf(`{"t": %d, "seen": [[%s]]}`, i, strings.TrimSuffix(text, ",")))
	}
	r := httptest.NewRequest(http.MethodPost, "/desk/film/sift",
		strings.NewReader(`{"figures": ["minutes"], "looks": [`+strings.Join(looks, ",")+`]}`))
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	require.Equal(t, http.StatusOK, w.Code)
	var said struct{ Part string }
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &said))
	assert.Contains(t, said.Part, "clip 0:30\nspeed 8")
}
