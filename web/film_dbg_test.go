package web_test

import (
	"image/color"
	"os"
	"testing"
)

func TestFilmDbg(t *testing.T) {
	if os.Getenv("FILM") == "" {
		t.Skip()
	}
	for _, face := range []string{"bars", "dots", "regular"} {
		for _, rough := range []bool{false, true} {
			f := &aFilm{seed: 1, runS: 600, speed: 20, perS: 4, face: face, ink: color.RGBA{255, 170, 40, 255},
				ground: color.RGBA{16, 14, 12, 255}, tall: 34, rough: rough}
			path := f.make(t)
			b, _ := os.ReadFile(path)
			n := "/tmp/dbg-" + face
			if rough {
				n += "-rough"
			}
			os.WriteFile(n+".webm", b, 0o644)
		}
	}
}
