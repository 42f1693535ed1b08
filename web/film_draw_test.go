package web_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomedium"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/gomonobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/gofont/gosmallcaps"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// aFilm is a clip of a screen that never was: what it showed is known, and how well it was filmed is chosen. None of
// its typefaces is one that the reader was taught.
type aFilm struct {
	seed   uint64
	runS   float64 // that it shows
	speed  float64 // times as fast as the run
	perS   int     // frames
	face   string  // "regular", "bold", "mono", …, "bars", "dots"
	ink    color.RGBA
	ground color.RGBA
	tall   float64 // pixels that a figure is high
	rough  bool    // a hand, glare, a poor camera
}

// shown is what the screen says at a moment, by figure, as it is written there.
type shown struct {
	soc, kw, amps, volts, kwh, clock string
	gone                             bool // the screen is dark, or not in the picture
}

const filmW, filmH = 640, 360

// at is where each figure stands, and the box that somebody draws around it.
type place struct {
	channel string
	x, y    float64 // of the figure's left and base
	of      func(shown) string
	label   string
}

func (f *aFilm) places() []place {
	h := f.tall
	return []place{
		{"soc_pct", 40, 60 + h, func(s shown) string { return s.soc }, "charge %"},
		{"power_kw", 250, 60 + h, func(s shown) string { return s.kw }, "kW"},
		{"energy_kwh", 440, 60 + h, func(s shown) string { return s.kwh }, "kWh"},
		{"current_a", 40, 190 + h, func(s shown) string { return s.amps }, "A"},
		{"voltage_v", 250, 190 + h, func(s shown) string { return s.volts }, "V"},
		{"minutes", 440, 190 + h, func(s shown) string { return s.clock }, "min"},
	}
}

// states are what the screen shows, once a frame.
func (f *aFilm) states() []shown {
	r := rand.New(rand.NewPCG(f.seed, 21))
	n := int(f.runS / f.speed * float64(f.perS))
	capacity, soc, kwh := 55+30*r.Float64(), 8+6*r.Float64(), 0.0
	level := 110 + 80*r.Float64()
	var out []shown
	var s shown
	next := 0.0
	darkFrom, darkTo := -1, -1
	if f.rough {
		darkFrom = int(float64(n) * (0.3 + 0.3*r.Float64()))
		darkTo = darkFrom + n/20
	}
	for i := range n {
		t := float64(i) / float64(f.perS) * f.speed
		dt := f.speed / float64(f.perS)
		kw := math.Min(level, 260-2.4*soc) * math.Min(1, t/40)
		kwh += kw * dt / 3600
		soc += kw * 0.94 * dt / 3600 / capacity * 100
		if t >= next { // the screen is renewed every two seconds
			next += 2
			volts := 340 + 0.6*soc + 0.04*kw
			s = shown{soc: strconv.Itoa(int(soc)), kw: strconv.Itoa(int(math.Round(kw))),
				amps: strconv.Itoa(int(math.Round(kw * 1000 / volts))), volts: strconv.Itoa(int(math.Round(volts))),
				kwh: fmt.Sprintf("%.1f", kwh), clock: fmt.Sprintf("%d:%02d", int(t)/60, int(t)%60)}
		}
		s.gone = i >= darkFrom && i < darkTo
		out = append(out, s)
	}
	return out
}

// boxes are as somebody draws them: around the longest figure that a place can have, with some room.
func (f *aFilm) boxes() map[string][4]float64 {
	out := map[string][4]float64{}
	r := rand.New(rand.NewPCG(f.seed, 22))
	long := map[string]float64{"soc_pct": 2.2, "power_kw": 3.2, "energy_kwh": 3.2, "current_a": 3.2, "voltage_v": 3.2,
		"minutes": 4.6}
	wide := 0.78 // of a digit's height, with what is between two
	switch f.face {
	case "dots":
		wide = 0.92
	case "mono", "monobold":
		wide = 0.95
	}
	for _, p := range f.places() {
		room := f.tall * (0.12 + 0.1*r.Float64())
		out[p.channel] = [4]float64{(p.x - room) / filmW, (p.y - f.tall - room) / filmH,
			(long[p.channel]*wide*f.tall + 2*room) / filmW, (f.tall + 2*room) / filmH}
	}
	return out
}

// make draws the film, and gives its path.
func (f *aFilm) make(t *testing.T) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), fmt.Sprintf("night-charge-%d.webm", f.seed))
	rate := "900k"
	if f.rough {
		rate = "350k"
	}
	c := exec.CommandContext(t.Context(), "ffmpeg", "-loglevel", "error", "-f", "rawvideo", "-pix_fmt", "rgba", "-s",
		fmt.Sprintf("%dx%d", filmW, filmH), "-r", strconv.Itoa(f.perS), "-i", "-", "-pix_fmt", "yuv420p", "-c:v", "libvpx",
		"-deadline", "realtime",
		"-cpu-used", "8", "-b:v", rate, "-g", strconv.Itoa(2*f.perS), "-y", path)
	in, err := c.StdinPipe()
	require.NoError(t, err)
	var said bytes.Buffer
	c.Stderr = &said
	require.NoError(t, c.Start(), "ffmpeg is one of what make test installs")
	r := rand.New(rand.NewPCG(f.seed, 23))
	type drawn struct {
		s   shown
		img *image.RGBA
	}
	var last drawn
	wobbleX, wobbleY := 0.0, 0.0
	glareX, glareY := 100+400*r.Float64(), 60+200*r.Float64()
	for i, s := range f.states() {
		if last.img == nil || last.s != s {
			last = drawn{s, f.frame(s)}
		}
		img := last.img
		if f.rough {
			wobbleX = 0.9*wobbleX + 1.2*r.NormFloat64()
			wobbleY = 0.9*wobbleY + 1.2*r.NormFloat64()
			glareX += 0.4 * r.NormFloat64()
			img = f.filmed(r, img, wobbleX, wobbleY, glareX, glareY+20*math.Sin(float64(i)/90))
		}
		if _, err := in.Write(img.Pix); err != nil {
			break
		}
	}
	require.NoError(t, in.Close())
	require.NoError(t, c.Wait(), said.String())
	return path
}

// filmed is a frame as a poor camera in a hand has it.
func (f *aFilm) filmed(r *rand.Rand, img *image.RGBA, dx, dy, gx, gy float64) *image.RGBA {
	out := image.NewRGBA(img.Rect)
	ix, iy := int(math.Round(dx)), int(math.Round(dy))
	for y := range filmH {
		for x := range filmW {
			sx, sy := min(filmW-2, max(1, x+ix)), min(filmH-2, max(1, y+iy))
			d := (math.Pow(float64(x)-gx, 2) + math.Pow(float64(y)-gy, 2)) / (90 * 90)
			glare := 0.0
			if d < 6 {
				glare = 70 * math.Exp(-d)
			}
			noise := float64(int(r.Uint32()&31) - 16)
			for k := range 3 {
				at := func(x, y int) int { return int(img.Pix[img.PixOffset(x, y)+k]) }
				soft := (4*at(sx, sy) + at(sx-1, sy) + at(sx+1, sy) + at(sx, sy-1) + at(sx, sy+1)) / 8
				v := float64(soft)*0.8 + glare + noise*0.7 + 8
				out.Pix[out.PixOffset(x, y)+k] = uint8(math.Max(0, math.Min(255, v)))
			}
			out.Pix[out.PixOffset(x, y)+3] = 255
		}
	}
	return out
}

var goFaces = map[string][]byte{"regular": goregular.TTF, "bold": gobold.TTF, "mono": gomono.TTF,
	"monobold": gomonobold.TTF, "medium": gomedium.TTF, "smallcaps": gosmallcaps.TTF}

// frame draws the screen.
func (f *aFilm) frame(s shown) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, filmW, filmH))
	draw.Draw(img, img.Rect, image.NewUniform(f.ground), image.Point{}, draw.Src)
	if s.gone {
		draw.Draw(img, img.Rect, image.NewUniform(color.RGBA{9, 9, 11, 255}), image.Point{}, draw.Src)
		return img
	}
	rim := color.RGBA{f.ink.R / 2, f.ink.G / 2, f.ink.B / 2, 255}
	for _, b := range []image.Rectangle{image.Rect(14, 14, 626, 18), image.Rect(14, 342, 626, 346),
		image.Rect(14, 14, 18, 346),
		image.Rect(622, 14, 626, 346), image.Rect(14, 158, 626, 160)} {
		draw.Draw(img, b, image.NewUniform(rim), image.Point{}, draw.Src)
	}
	for _, p := range f.places() {
		f.write(img, "regular", p.label, p.x, p.y+28, 13, rim)
		f.write(img, f.face, p.of(s), p.x, p.y, f.tall, f.ink)
	}
	return img
}

// write writes digits so tall, from their base up.
func (f *aFilm) write(img *image.RGBA, face, text string, x, base, tall float64, ink color.RGBA) {
	switch face {
	case "bars", "dots":
		for _, c := range text {
			x += f.sign(img, face, c, x, base, tall, ink)
		}
		return
	}
	parsed, err := opentype.Parse(goFaces[face])
	if err != nil {
		panic(err)
	}
	// Digits are 0.73 of a typeface's size high (measured off its figures).
	ff, err := opentype.NewFace(parsed, &opentype.FaceOptions{Size: tall / 0.73, DPI: 72, Hinting: font.HintingNone})
	if err != nil {
		panic(err)
	}
	defer ff.Close()
	d := font.Drawer{Dst: img, Src: image.NewUniform(ink), Face: ff, Dot: fixed.P(int(x), int(base))}
	d.DrawString(text)
}

// bars7 are the bars of each digit, from the top round to the middle; dots5 are the rows of each in a matrix of five
// by seven.
var (
	bars7 = []string{"1111110", "0110000", "1101101", "1111001", "0110011", "1011011", "1011111", "1110000", "1111111",
		"1111011"}
	dots5 = [][7]byte{{14, 17, 19, 21, 25, 17, 14}, {4, 12, 4, 4, 4, 4, 14}, {14, 17, 1, 6, 8, 16, 31},
		{14, 17, 1, 6, 1, 17, 14}, {2, 6, 10, 18, 31, 2, 2}, {31, 16, 30, 1, 1, 17, 14}, {6, 8, 16, 30, 17, 17, 14},
		{31, 1, 2, 4, 8, 8, 8}, {14, 17, 17, 14, 17, 17, 14}, {14, 17, 17, 15, 1, 2, 12}}
)

// sign draws a digit, a point or a colon of bars or dots, and gives how wide it is.
func (f *aFilm) sign(img *image.RGBA, face string, c rune, x, base, tall float64, ink color.RGBA) float64 {
	fill := func(x0, y0, x1, y1 float64) {
		draw.Draw(img, image.Rect(int(math.Round(x0)), int(math.Round(y0)), int(math.Round(x1)), int(math.Round(y1))),
			image.NewUniform(ink), image.Point{}, draw.Src)
	}
	thick := tall * 0.13
	switch c {
	case '.':
		fill(x+thick*0.5, base-thick, x+1.5*thick, base)
		return 2.4 * thick
	case ':':
		fill(x+thick*0.5, base-thick*2.2, x+1.5*thick, base-thick*1.2)
		fill(x+thick*0.5, base-tall+thick*1.2, x+1.5*thick, base-tall+thick*2.2)
		return 2.4 * thick
	}
	w, top, mid, gap := tall*0.52, base-tall, base-tall/2, thick*0.12
	if face == "dots" {
		pitch := tall / 7
		for row, bits := range dots5[c-'0'] {
			for col := range 5 {
				if bits>>(4-col)&1 == 1 {
					fill(x+float64(col)*pitch, top+float64(row)*pitch, x+(float64(col)+0.8)*pitch,
						top+(float64(row)+0.8)*pitch)
				}
			}
		}
		return 6.2 * pitch
	}
	bar := func(i int, x0, y0, x1, y1 float64) {
		if bars7[c-'0'][i] == '1' {
			fill(x0, y0, x1, y1)
		}
	}
	half := thick / 2
	bar(0, x+thick+gap, top, x+w-thick-gap, top+thick)
	bar(1, x+w-thick, top+gap, x+w, mid-gap)
	bar(2, x+w-thick, mid+gap, x+w, base-gap)
	bar(3, x+thick+gap, base-thick, x+w-thick-gap, base)
	bar(4, x, mid+gap, x+thick, base-gap)
	bar(5, x, top+gap, x+thick, mid-gap)
	bar(6, x+thick+gap, mid-half, x+w-thick-gap, mid+half)
	return w + 1.6*thick
}
