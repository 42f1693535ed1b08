package web_test

import (
	"image/color"
	"net/url"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestScreenshots takes the pictures of docs/screenshots; make screenshots runs it.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("ZINCROAD_SCREENSHOTS")
	if dir == "" {
		t.Skip("ZINCROAD_SCREENSHOTS is not set")
	}
	require.NoError(t, os.MkdirAll(dir, 0o755))
	s := newSite(t, 1280, 800, true)
	s.clockShows(12)
	require.NoError(t, s.book.Rework(t.Context(), nil)) // what runs taught each other since they came
	shot := func(path, name string, before ...chromedp.Action[chromedp.Void]) {
		s.open(path)
		if len(before) > 0 {
			s.do(before...)
		}
		eval[bool](s, "document.fonts.ready.then(() => true)")
		s.picture(filepath.Join(dir, name+".png"))
	}
	shot("/?group=car", "road")
	shot("/runs/1", "run", chromedp.WaitVisible(css("figure.evidence svg")))
	shot("/trip?way=1&start=85&outside=6&at_18=140&at_5=230&detour_5=6&at_13=310&at_15=420", "trip")
	shot("/bench?runs=2,6", "bench")
	report := published(t, s.ts.Config.Handler, "1", url.Values{"title": {"Cold at Fulling Mill"},
		"author": {"The workshop"}})
	s.do(chromedp.Navigate(s.url+report+"/report.html"), chromedp.WaitVisible(css("main"))) // it has no script
	eval[bool](s, "document.fonts.ready.then(() => true)")
	s.picture(filepath.Join(dir, "report.png"))
	shot("/bench/matrix", "kinds")
	shot("/prepare?kept=2", "prepare")
	shot("/prepare/decide?kept=1&if_battery=25", "decide")
	shot("/prepare/sheet?kept=2", "run-sheet")
	shot("/prepare/matrix", "matrix")
	page := s.underWay(480)
	s.do(chromedp.Navigate(s.url+page), chromedp.WaitVisible(css("#live[data-ready]")))
	eval[bool](s, "document.fonts.ready.then(() => true)")
	s.picture(filepath.Join(dir, "stall.png"))
	s.do(chromedp.EmulateViewport(390, 844))
	s.do(chromedp.Navigate(s.url+page), chromedp.WaitVisible(css("#live[data-ready]")))
	s.picture(filepath.Join(dir, "stall-phone.png"))
	s.do(chromedp.EmulateViewport(1280, 800))
	shot("/garage/cars/1", "car")
	shot("/sites", "sites")
	shot("/desk", "desk")
	shot(s.recordingPage(4, 1)+"/clock", "clock")
	clip := &aFilm{seed: 7, runS: 480, speed: 24, perS: 8, face: "bold", ink: color.RGBA{240, 240, 236, 255},
		ground: color.RGBA{24, 28, 34, 255}, tall: 34}
	s.openClip(clip.make(t), "clip 0:00\nspeed 24\n0:00 plug-in\n0:04 18% 166kW 21C\n")
	for i, c := range []string{"soc_pct", "power_kw", "energy_kwh"} {
		s.drawBox(i, c, clip.boxes()[c])
	}
	s.do(chromedp.Click(css("[data-film-start]")))
	s.await(`document.querySelector("[data-film]").dataset.sifted`)
	s.weighed()
	eval[bool](s, `(window.scrollTo(0, 0), true)`)
	s.picture(filepath.Join(dir, "sheet.png"))
	s.open("/desk")
	sample, err := filepath.Abs("../docs/samples/spreadsheet.csv")
	require.NoError(t, err)
	s.do(chromedp.SetUploadFiles(chromedp.CSS("#file"), []string{sample}),
		chromedp.Click(chromedp.CSS("#file-form button")), chromedp.WaitVisible(chromedp.CSS("#understood")))
	s.picture(filepath.Join(dir, "import.png"))
	s.do(chromedp.Click(chromedp.CSS("[data-theme-to=night]")),
		chromedp.WaitVisible(chromedp.CSS("html[data-theme=night] h1")))
	shot("/?group=car", "road-night")
	s.quiet()
}
