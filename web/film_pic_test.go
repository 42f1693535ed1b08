package web_test

import (
	"image/color"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
)

func TestFilmPic(t *testing.T) {
	if os.Getenv("FILM") == "" {
		t.Skip()
	}
	for _, size := range [][2]int64{{1280, 800}, {390, 844}} {
		t.Run("", func(t *testing.T) {
			s := openSite(t, size[0], size[1], false)
			f := &aFilm{seed: 7, runS: 240, speed: 12, perS: 8, face: "dots", ink: color.RGBA{255, 170, 40, 255},
				ground: color.RGBA{16, 14, 12, 255}, tall: 34, rough: true}
			n := "/tmp/fp-" + map[int64]string{1280: "wide", 390: "phone"}[size[0]]
			s.open("/desk/sheet")
			s.picture(n + "0.png")
			s.openClip(f.make(t), "speed 12\n")
			for i, c := range []string{"soc_pct", "power_kw", "energy_kwh"} {
				s.drawBox(i, c, f.boxes()[c])
			}
			s.do(chromedp.Click(css("[data-film-start]")))
			s.await(`document.querySelector("[data-film]").dataset.sifted`)
			eval[bool](s, `(window.scrollTo(0,0),true)`)
			s.picture(n + "1.png")
			eval[bool](s, `(document.querySelector("[data-film-read]").scrollIntoView(),true)`)
			s.picture(n + "2.png")
		})
	}
}
