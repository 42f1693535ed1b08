package web_test

import (
	"encoding/json"
	"fmt"
	"image/color"
	"math"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/film"
	"zincroad/core/trace"
)

// openFilm opens a clip on the sheet and draws its boxes, each with what it shows.
func (s *site) openFilm(path string, f *aFilm, channels ...string) {
	s.Helper()
	s.open("/desk/sheet")
	s.await(`document.querySelector("[data-film]").dataset.ready`)
	s.do(chromedp.SetUploadFiles(css("#film-file"), []string{path}))
	s.await(`document.querySelector("[data-film]").dataset.holds`)
	boxes := f.boxes()
	for i, c := range channels {
		b := boxes[c]
		s.do(chromedp.Click(css("[data-film-add]")))
		eval[bool](s, fmt.Sprintf(`(() => { const m = document.querySelectorAll("[data-film-list] select")[%d];
			m.value = %q; m.dispatchEvent(new Event("change", {bubbles: true})); return true; })()`, i, c))
		eval[bool](s, fmt.Sprintf(`(() => { window.filmBox(%d, {x: %g, y: %g, w: %g, h: %g}); return true; })()`, i, b[0], b[1],
			b[2], b[3]))
	}
}

func wordsClock(s string) (float64, bool) {
	var m, sec int
	_, err := fmt.Sscanf(s, "%d:%d", &m, &sec)
	return float64(m) + float64(sec)/60, err == nil
}

func TestFilmsTry(t *testing.T) {
	if os.Getenv("FILM") == "" {
		t.Skip()
	}
	for i, face := range []string{"regular", "bold", "mono", "bars", "dots", "smallcaps"} {
		for _, rough := range []bool{false, true} {
			t.Run(fmt.Sprint(face, rough), func(t *testing.T) {
				s := newSite(t, 1280, 800, false)
				f := &aFilm{seed: uint64(i + 1), runS: 800, speed: 20, perS: 4, face: face, ink: color.RGBA{240, 240, 236, 255},
					ground: color.RGBA{24, 28, 34, 255}, tall: 34, rough: rough}
				if i%2 == 1 {
					f.ink, f.ground = color.RGBA{30, 30, 40, 255}, color.RGBA{220, 226, 230, 255}
				}
				if face == "bars" || face == "dots" {
					f.ink, f.ground = color.RGBA{255, 170, 40, 255}, color.RGBA{16, 14, 12, 255}
				}
				began := time.Now()
				path := f.make(t)
				made := time.Since(began)
				channels := []string{"soc_pct", "power_kw", "energy_kwh", "current_a", "voltage_v", "minutes"}
				s.openFilm(path, f, channels...)
				eval[bool](s, `(() => { const was = window.fetch; window.fetch = (to, o) => { if (String(to).endsWith("sift"))
					window.sent = o.body; return was(to, o); };
					const t = document.querySelector("#readings"); t.value = "speed 20\n"; return true; })()`)
				began = time.Now()
				s.do(chromedp.Click(css("[data-film-start]")))
				s.await(`document.querySelector("[data-film]").dataset.sifted`)
				took := time.Since(began)
				var sent struct {
					Looks []struct {
						T    float64    `json:"t"`
						Seen [][]string `json:"seen"`
					} `json:"looks"`
				}
				require.NoError(t, json.Unmarshal([]byte(eval[string](s, "window.sent")), &sent))
				states := f.states()
				all, seen, right := 0, 0, 0
				bad := map[string]int{}
				for _, l := range sent.Looks {
					is := states[min(len(states)-1, int(l.T*float64(f.perS)+1e-6))]
					for k, p := range []string{is.soc, is.kw, is.kwh, is.amps, is.volts, is.clock} {
						all++
						text := ""
						for _, sign := range l.Seen[k] {
							text += sign[:1]
						}
						switch {
						case text == "":
							if !is.gone {
								bad[channels[k]+" none"]++
							}
						case is.gone:
							seen++
							bad["gone "+text]++
						case text == p:
							seen++
							right++
						default:
							seen++
							bad[p+">"+text]++
						}
					}
				}
				text := fmt.Sprintf("%s rough=%v: made %.1fs read %.1fs looks %d; seen %.1f%% right of seen %.2f%%\n", face, rough,
					made.Seconds(), took.Seconds(), len(sent.Looks), 100*float64(seen)/float64(all), 100*float64(right)/
						math.Max(1, float64(seen)))
				var looks []film.Look
				for _, l := range sent.Looks {
					look := film.Look{TS: l.T * f.speed}
					for _, seen := range l.Seen {
						var signs []film.Sign
						for _, x := range seen {
							if len(x) == 1 {
								signs = append(signs, film.Sign{Mark: x[0]})
								continue
							}
							var sg film.Sign
							for _, w := range strings.Fields(x) {
								var d, p int
								_, _ = fmt.Sscanf(w, "%d:%d", &d, &p)
								sg.Digit = append(sg.Digit, film.Digit{Digit: d, Share: float64(p) / 1000})
							}
							signs = append(signs, sg)
						}
						look.Seen = append(look.Seen, signs)
					}
					looks = append(looks, look)
				}
				var figures []film.Figure
				for _, c := range channels {
					figures = append(figures, film.Figure{Channel: trace.Channel(c)})
				}
				kept, wrong := 0, 0
				wr := map[string]int{}
				for i, row := range film.Sift(figures, looks, nil) {
					at := int(sent.Looks[i].T*float64(f.perS) + 1e-6)
					for k, x := range row {
						if !x.Counts() {
							if x.How == film.Doubtful {
								bad["doubt "+x.Said]++
							}
							if x.How == film.LeftOut {
								bad["left "+x.Said]++
							}
							continue
						}
						kept++
						good := false
						for _, j := range []int{at - 1, at, at + 1} {
							is := states[max(0, min(len(states)-1, j))]
							v := []string{is.soc, is.kw, is.kwh, is.amps, is.volts, is.clock}[k]
							want, err := strconv.ParseFloat(v, 64)
							if k == 5 {
								want, _ = wordsClock(v)
								err = nil
							}
							good = good || err == nil && math.Abs(want-x.Value) < 1e-6 && !is.gone
						}
						if !good {
							wrong++
							wr[fmt.Sprintf("%s said %s is %g", channels[k], x.Said, x.Value)]++
						}
					}
				}
				t.Logf("kept %.1f%%, wrong %d of %d %v", 100*float64(kept)/float64(all), wrong, kept, wr)
				n := 0
				for k, v := range bad {
					if n++; n > 14 {
						break
					}
					text += fmt.Sprintf(" %s x%d", k, v)
				}
				t.Log(text)
				t.Log(strings.TrimSpace(eval[string](s, `document.querySelector("[data-film-read] p").textContent`)))
				s.picture("/tmp/film-" + face + fmt.Sprint(rough) + ".png")
				assert.True(t, true)
			})
		}
	}
}
