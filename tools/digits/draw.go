package main

import (
	"errors"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"os"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
)

const (
	wide, high = 20, 24 // of a figure as the network sees it: its height fills it, its width is kept
	figures    = 10
	styles     = 3                // a typeface, seven bars, dots
	none       = styles * figures // the class behind the figures of all styles: no figure
	barShare   = 0.25             // of all figures
	dotShare   = 0.15             // of them
	others     = "%kWAVhCmnsFg°/-xeKEPM€()"
	batchSize  = 64
)

type batch struct {
	pixels []float32 // wide*high each
	labels []int     // figure and ten times its style, or none
}

// typeface has what was drawn of it before.
type typeface struct {
	font  *sfnt.Font
	mu    sync.Mutex
	known map[string]*grey
}

// drawn is a text in the typeface; nil: it has nothing for it.
func (t *typeface) drawn(text string) *grey {
	t.mu.Lock()
	defer t.mu.Unlock()
	g, ok := t.known[text]
	if !ok {
		g = letters(t.font, text)
		t.known[text] = g
	}
	return g
}

func load(path string) (*typeface, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	f, err := opentype.Parse(text)
	if err != nil {
		return nil, err
	}
	var b sfnt.Buffer
	for _, c := range "0123456789" {
		if i, err := f.GlyphIndex(&b, c); err != nil || i == 0 {
			return nil, errors.New("no figures")
		}
	}
	return &typeface{font: f, known: map[string]*grey{}}, nil
}

// draw makes a batch of figures as cameras see them: small, soft, noisy, cut out not quite right.
func draw(r *rand.Rand, fonts []*typeface, n int) batch {
	b := batch{}
	for len(b.labels) < n {
		label := r.IntN(figures)
		text := string(rune('0' + label))
		other := r.Float64() < 0.2
		if other {
			label = none
			o := []rune(others)
			text = string(o[r.IntN(len(o))])
			if r.Float64() < 0.25 { // what a cut in the wrong place leaves
				text = string(rune('0'+r.IntN(10))) + string(rune('0'+r.IntN(10)))
			}
		}
		var g *grey
		style := r.Float64()
		switch {
		case !other && style < barShare:
			g = bars(r, label).trimmed()
			label += figures
		case !other && style < barShare+dotShare/2:
			g = dotted(r, label)
			label += 2 * figures
		default:
			g = fonts[r.IntN(len(fonts))].drawn(text)
			if g != nil && len(text) == 1 && style > barShare && style < barShare+dotShare {
				g = dots(r, g)
				if !other {
					label += 2 * figures
				}
			}
		}
		if g == nil {
			continue
		}
		if other && len(text) == 2 && text[0] >= '0' && text[0] <= '9' {
			g = g.column(0.25+0.1*r.Float64(), 0.65+0.1*r.Float64())
		}
		g = seen(r, g)
		pixels, ok := cut(r, g)
		if !ok {
			continue
		}
		b.pixels, b.labels = append(b.pixels, pixels...), append(b.labels, label)
	}
	return b
}

// grey is a picture with values of 0, nothing, to 1, ink.
type grey struct {
	w, h int
	v    []float32
}

func newGrey(w, h int) *grey { return &grey{w, h, make([]float32, w*h)} }

func (g *grey) at(x, y int) float64 {
	if x < 0 || y < 0 || x >= g.w || y >= g.h {
		return 0
	}
	return float64(g.v[y*g.w+x])
}

func (g *grey) near(x, y int) float32 {
	if x < 0 || y < 0 || x >= g.w || y >= g.h {
		return 0
	}
	return g.v[y*g.w+x]
}

// between is the value between pixels.
func (g *grey) between(x, y float64) float64 {
	x0, y0 := math.Floor(x), math.Floor(y)
	fx, fy, i, j := x-x0, y-y0, int(x0), int(y0)
	return (1-fy)*((1-fx)*g.at(i, j)+fx*g.at(i+1, j)) + fy*((1-fx)*g.at(i, j+1)+fx*g.at(i+1, j+1))
}

// letters draws a text in a typeface, 60 pixels to its size; nil: it lacks a sign of it, for which it would draw an
// empty box, and that is much like a 0.
func letters(f *sfnt.Font, text string) *grey {
	var b sfnt.Buffer
	for _, c := range text {
		if i, err := f.GlyphIndex(&b, c); err != nil || i == 0 {
			return nil
		}
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: 60, DPI: 72, Hinting: font.HintingNone})
	if err != nil {
		return nil
	}
	defer face.Close()
	img := image.NewGray(image.Rect(0, 0, 180, 110))
	d := font.Drawer{Dst: img, Src: image.NewUniform(color.White), Face: face, Dot: fixed.P(40, 80)}
	d.DrawString(text)
	g := newGrey(180, 110)
	for i, p := range img.Pix {
		g.v[i] = float32(p) / 255
	}
	return g.trimmed()
}

// trimmed is the part with ink; nil: there is none.
func (g *grey) trimmed() *grey {
	x0, y0, x1, y1, ok := g.ink(0.5)
	if !ok {
		return nil
	}
	out := newGrey(x1-x0, y1-y0)
	for y := range out.h {
		copy(out.v[y*out.w:(y+1)*out.w], g.v[(y+y0)*g.w+x0:(y+y0)*g.w+x1])
	}
	return out
}

// lit are the bars of each figure: top, upper right, lower right, bottom, lower left, upper left, middle.
var lit = []string{"1111110", "0110000", "1101101", "1111001", "0110011", "1011011", "1011111", "1110000", "1111111",
	"1111011"}

// bars draws a figure of seven bars, with or without the seventh's small variants of 6, 7 and 9.
func bars(r *rand.Rand, figure int) *grey {
	on := []byte(lit[figure])
	switch {
	case figure == 6 && r.Float64() < 0.3:
		on[0] = '0'
	case figure == 9 && r.Float64() < 0.3:
		on[3] = '0'
	case figure == 7 && r.Float64() < 0.3:
		on[5] = '1'
	}
	g := newGrey(180, 110)
	h, w := 60.0, 28+14*r.Float64()
	thick, gap, slant := 5+7*r.Float64(), 3*r.Float64(), 0.2*r.Float64()
	x0, y0 := 50.0, 25.0
	point := float64(r.IntN(2)) // ends are pointed or blunt
	blunt := (1 - point) * thick / 2
	in := func(x, y, fx, fy, tx, ty float64) bool {
		if fy == ty {
			d := math.Abs(y - fy)
			return d <= thick/2 && x >= fx+gap+blunt+point*d && x <= tx-gap-blunt-point*d
		}
		d := math.Abs(x - fx)
		return d <= thick/2 && y >= fy+gap+point*d && y <= ty-gap-point*d
	}
	type bar struct{ fx, fy, tx, ty float64 }
	all := []bar{{0, 0, w, 0}, {w, 0, w, h / 2}, {w, h / 2, w, h}, {0, h, w, h}, {0, h / 2, 0, h}, {0, 0, 0, h / 2},
		{0, h / 2, w, h / 2}}
	for y := range g.h {
		for x := range g.w {
			hits := 0
			for _, dy := range []float64{0.25, 0.75} {
				for _, dx := range []float64{0.25, 0.75} {
					py := float64(y) + dy - y0
					px := float64(x) + dx - x0 + slant*(py-h/2)
					for i, b := range all {
						if on[i] == '1' && in(px, py, b.fx, b.fy, b.tx, b.ty) {
							hits++
							break
						}
					}
				}
			}
			g.v[y*g.w+x] = float32(hits) / 4
		}
	}
	return g
}

const dotsAcross, dotsDown = 5, 7

// dotFigures are the usual figures of a matrix of five by seven, a row each from the top, the left dot in the highest
// bit; some have two.
var dotFigures = [figures][][dotsDown]byte{
	{{14, 17, 17, 17, 17, 17, 14}, {14, 17, 19, 21, 25, 17, 14}},
	{{4, 12, 4, 4, 4, 4, 14}, {4, 12, 4, 4, 4, 4, 4}},
	{{14, 17, 1, 2, 4, 8, 31}, {14, 17, 1, 6, 8, 16, 31}},
	{{31, 2, 4, 2, 1, 17, 14}, {14, 17, 1, 6, 1, 17, 14}},
	{{2, 6, 10, 18, 31, 2, 2}},
	{{31, 16, 30, 1, 1, 17, 14}},
	{{6, 8, 16, 30, 17, 17, 14}, {14, 16, 16, 30, 17, 17, 14}},
	{{31, 1, 2, 4, 8, 8, 8}, {31, 1, 1, 2, 4, 4, 4}},
	{{14, 17, 17, 14, 17, 17, 14}},
	{{14, 17, 17, 15, 1, 2, 12}, {14, 17, 17, 15, 1, 1, 14}},
}

// dotted is a figure of a matrix.
func dotted(r *rand.Rand, figure int) *grey {
	rows := dotFigures[figure][r.IntN(len(dotFigures[figure]))]
	return inDots(r, dotsAcross, func(col, row int) bool { return rows[row]>>(dotsAcross-1-col)&1 == 1 })
}

// dots is a sign of a typeface on such a matrix.
func dots(r *rand.Rand, g *grey) *grey {
	cols := dotsAcross
	if g.w*3 < g.h {
		cols = 3
	}
	least := 0.3 + 0.25*r.Float64() // of a dot's place that has ink
	return inDots(r, cols, func(col, row int) bool {
		sum := 0.0
		for j := range 6 {
			for i := range 6 {
				sum += g.between((float64(col)+(float64(i)+0.5)/6)/float64(cols)*float64(g.w)-0.5,
					(float64(row)+(float64(j)+0.5)/6)/dotsDown*float64(g.h)-0.5) / 36
			}
		}
		return sum >= least
	})
}

// inDots draws the dots that are lit, softened as the reader softens them; nil: none is.
func inDots(r *rand.Rand, cols int, lit func(col, row int) bool) *grey {
	const pitch = 9
	round := 0.28 + 0.12*r.Float64() // of a dot, in pitches
	out := newGrey(cols*pitch, dotsDown*pitch)
	for row := range dotsDown {
		for col := range cols {
			if !lit(col, row) {
				continue
			}
			for y := row * pitch; y < (row+1)*pitch; y++ {
				for x := col * pitch; x < (col+1)*pitch; x++ {
					dx, dy := (float64(x-col*pitch)+0.5)/pitch-0.5, (float64(y-row*pitch)+0.5)/pitch-0.5
					if max(math.Abs(dx), math.Abs(dy)) < round {
						out.v[y*out.w+x] = 1
					}
				}
			}
		}
	}
	out = out.blurred(pitch * (0.15 + 0.35*r.Float64()))
	top := float32(0)
	for _, v := range out.v {
		top = max(top, v)
	}
	if top == 0 {
		return nil
	}
	for i := range out.v {
		out.v[i] /= top
	}
	return out.trimmed()
}

// column is what lies between two shares of the ink's width.
func (g *grey) column(from, to float64) *grey {
	x0, _, x1, _, ok := g.ink(0.5)
	if !ok {
		return g
	}
	out := newGrey(g.w, g.h)
	a, b := x0+int(from*float64(x1-x0)), x0+int(to*float64(x1-x0))
	for y := range g.h {
		copy(out.v[y*g.w+a:y*g.w+b], g.v[y*g.w+a:y*g.w+b])
	}
	return out
}

// ink is the box around what is darker than a share.
func (g *grey) ink(share float32) (x0, y0, x1, y1 int, ok bool) {
	x0, y0 = g.w, g.h
	for y := range g.h {
		for x := range g.w {
			if g.v[y*g.w+x] > share {
				x0, y0, x1, y1, ok = min(x0, x), min(y0, y), max(x1, x+1), max(y1, y+1), true
			}
		}
	}
	return x0, y0, x1, y1, ok
}

// seen is a figure as a camera has it, and as it is enlarged again for reading: fewer pixels, aslant, blurred, with
// noise and another gamma.
func seen(r *rand.Rand, g *grey) *grey {
	tall := 9 + 35*r.Float64()*r.Float64() // pixels that a figure is high in the film
	ky := float64(g.h) / tall
	kx := ky * (0.8 + 0.4*r.Float64())
	shear := 0.0
	if r.Float64() < 0.3 {
		shear = 0.25*r.Float64() - 0.05
	}
	margin := 3 + tall*0.15
	small := newGrey(int(float64(g.w)/kx+2*margin+math.Abs(shear)*tall), int(tall+2*margin))
	dx, dy := margin+r.Float64(), margin+r.Float64()
	for y := range small.h {
		for x := range small.w {
			sum := 0.0
			for _, oy := range []float64{0.17, 0.5, 0.83} {
				for _, ox := range []float64{0.17, 0.5, 0.83} {
					py := (float64(y) + oy - dy) * ky
					sum += g.between((float64(x)+ox-dx)*kx+shear*(py-float64(g.h)/2)-0.5, py-0.5)
				}
			}
			small.v[y*small.w+x] = float32(sum / 9)
		}
	}
	small = small.blurred(tall * 0.07 * r.Float64())
	noise, gamma := 0.1*r.Float64()*r.Float64(), math.Exp(0.35*r.NormFloat64())
	for i, v := range small.v {
		v := math.Min(1, math.Max(0, float64(v)+noise*r.NormFloat64()))
		small.v[i] = float32(math.Pow(v, gamma))
	}
	up := 40 / tall
	out := newGrey(int(float64(small.w)*up), int(float64(small.h)*up))
	for y := range out.h {
		for x := range out.w {
			out.v[y*out.w+x] = float32(small.between((float64(x)+0.5)/up-0.5, (float64(y)+0.5)/up-0.5))
		}
	}
	return out
}

func (g *grey) blurred(sigma float64) *grey {
	if sigma < 0.2 {
		return g
	}
	reach := int(math.Ceil(2.5 * sigma))
	kernel, sum := make([]float64, 2*reach+1), 0.0
	for i := range kernel {
		d := float64(i - reach)
		kernel[i] = math.Exp(-d * d / 2 / sigma / sigma)
		sum += kernel[i]
	}
	across, out := newGrey(g.w, g.h), newGrey(g.w, g.h)
	for y := range g.h {
		for x := range g.w {
			for i, k := range kernel {
				across.v[y*g.w+x] += float32(k/sum) * g.near(x+i-reach, y)
			}
		}
	}
	for y := range g.h {
		for x := range g.w {
			for i, k := range kernel {
				out.v[y*g.w+x] += float32(k/sum) * across.near(x, y+i-reach)
			}
		}
	}
	return out
}

// cut takes the figure out by the box around its ink, not quite right, as the network sees it.
func cut(r *rand.Rand, g *grey) ([]float32, bool) {
	x0, y0, x1, y1, ok := g.ink(float32(0.35 + 0.3*r.Float64()))
	if !ok || y1-y0 < 12 {
		return nil, false
	}
	jitter := func() float64 { return (2*r.Float64() - 0.9) * 0.04 * float64(y1-y0) }
	l, t, rr, b := float64(x0)-jitter(), float64(y0)-jitter(), float64(x1)+jitter(), float64(y1)+jitter()
	scale := (b - t) / high
	if (rr-l)/scale > wide {
		return squeezed(g, l, t, (rr-l)/wide, scale, 0), true
	}
	return squeezed(g, l, t, scale, scale, (wide-(rr-l)/scale)/2), true
}

func squeezed(g *grey, l, t, sx, sy, left float64) []float32 {
	out := make([]float32, wide*high)
	top := 1e-9
	for y := range high {
		for x := range wide {
			v := 0.0
			for _, dy := range []float64{0.25, 0.75} {
				for _, dx := range []float64{0.25, 0.75} {
					v += g.between(l+(float64(x)+dx-left)*sx-0.5, t+(float64(y)+dy)*sy-0.5) / 4
				}
			}
			if float64(x)+0.5 < left || float64(x)+0.5 > wide-left {
				v = 0
			}
			out[y*wide+x] = float32(v)
			top = math.Max(top, v)
		}
	}
	for i := range out {
		out[i] /= float32(top)
	}
	return out
}
