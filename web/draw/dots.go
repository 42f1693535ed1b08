package draw

import (
	"fmt"
	"math"
	"strings"

	"zincroad/core/words"
)

// Dots are runs as marks in a plane, each kind with a shape of its own, so that no colour is needed.
type Dots struct {
	Title, XName, XUnit, YName, YUnit string
	Kinds                             []DotKind
}

// DotKind is what marks of one shape stand for.
type DotKind struct {
	Name  string
	Marks []DotMark
}

// DotMark is one mark; Href is where it leads.
type DotMark struct {
	X, Y        float64
	Title, Href string
}

// shapes are the marks' paths around a point, told apart without a colour: open and filled ones take turns.
var shapes = []struct {
	path   string
	filled bool
}{
	{"M-5 0a5 5 0 1 0 10 0a5 5 0 1 0 -10 0", true}, {"M-5 -5h10v10h-10z", false}, {"M0 -6L6 5H-6z", true},
	{"M0 -6.5L6.5 0L0 6.5L-6.5 0z", false}, {"M-5 -5h10v10h-10z", true}, {"M-5 0a5 5 0 1 0 10 0a5 5 0 1 0 -10 0", false},
	{"M0 6L6 -5H-6z", true}, {"M0 -6L6 5H-6z", false}, {"M0 -6.5L6.5 0L0 6.5L-6.5 0z", true},
	{"M-5 -5L5 5M-5 5L5 -5", false},
}

const (
	dotsW, dotsH = 1200.0, 270.0
	dotsKeyW     = 240.0
)

// SVG draws the marks, with a key at the right; what is beyond the shapes shares the last one.
func (d *Dots) SVG() string {
	c := &canvas{w: dotsW, h: dotsH}
	c.open("dots", d.Title, "")
	xFrom, xTo, yTo := math.Inf(1), math.Inf(-1), 0.0
	for _, k := range d.Kinds {
		for _, m := range k.Marks {
			xFrom, xTo, yTo = math.Min(xFrom, m.X), math.Max(xTo, m.X), math.Max(yTo, m.Y)
		}
	}
	if math.IsInf(xFrom, 1) {
		return ""
	}
	xFrom, xTo, yTo = 5*math.Floor(xFrom/5), math.Max(5*math.Ceil(xTo/5), 5*math.Floor(xFrom/5)+5), niceTop(yTo)
	x0, x1, top, base := 44.0, dotsW-dotsKeyW, 24.0, dotsH-40
	px := func(x float64) float64 { return x0 + 8 + (x-xFrom)/(xTo-xFrom)*(x1-x0-16) }
	py := func(y float64) float64 { return base - y/yTo*(base-top) }
	for _, y := range ticks(0, yTo, 5) {
		c.line("gridline", x0, py(y), x1, py(y))
		c.text("axis", "end", x0-6, py(y)+4, words.Figure(y, 2))
	}
	c.line("base", x0, base, x1, base)
	for _, x := range ticks(xFrom, xTo, 8) {
		c.line("tick", px(x), base, px(x), base+4)
		c.text("axis", "middle", px(x), base+16, words.Figure(x, 0))
	}
	c.text("axis", "end", x1, base+32, axisName(d.XName, d.XUnit))
	c.text("axis", "start", x0-40, 14, axisName(d.YName, d.YUnit))
	for i, k := range d.Kinds {
		shape := shapes[min(i, len(shapes)-1)]
		class := "dot-open"
		if shape.filled {
			class = "dot-filled"
		}
		y := top + 8 + 20*float64(i)
		if y < base {
			fmt.Fprintf(c, `<path class="%s" d="%s" transform="translate(%s %s)"/>`, class, shape.path, num(x1+22), num(y))
			c.text("axis-strong", "start", x1+36, y+4, clipped(k.Name, dotsKeyW-40, 11))
		}
		for _, m := range k.Marks {
			fmt.Fprintf(c, `<a href="%s" aria-label="%s"><title>%s</title>`, escaped(m.Href), escaped(m.Title), escaped(m.Title))
			fmt.Fprintf(c, `<path class="%s" d="%s" transform="translate(%s %s)"/></a>`, class, shape.path, num(px(m.X)),
				num(py(m.Y)))
		}
	}
	c.WriteString("</svg>")
	return strings.Replace(c.String(), `role="img"`, `role="group"`, 1) // a picture would hide the marks' links
}
