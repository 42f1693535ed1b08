package draw

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"
	"unicode/utf8"

	"zincroad/core/words"
)

// Curves are one or more lines over a common axis.
type Curves struct {
	Title        string
	Lines        []Line
	Bands        []Band // behind the lines
	XName, XUnit string
	YName, YUnit string
	XFrom, XTo   float64 // both 0: from the lines
	Crowd        []Line  // drawn behind the lines, all alike and without names
	Minutes      bool    // x is in seconds and shown in minutes
	FromZero     bool    // y begins at zero
	Height       float64 // 0: 238
	Axis         string  // what the reading cursor calls the axis
}

// Line is one run's line; NaN breaks it. Style chooses colour and dash, 0 to 7.
type Line struct {
	Name  string
	X, Y  []float64
	Style int
}

// Band is what several runs fill; NaN breaks it. Style chooses colour and dash, 0 to 7.
type Band struct {
	Name         string
	X, Low, High []float64
	Style        int
}

// SVG draws the curves.
func (k *Curves) SVG() string {
	h := k.Height
	if h == 0 {
		h = 238
	}
	c := &canvas{w: 880, h: h}
	xFrom, xTo, yFrom, yTo := k.ranges()
	x0, x1, base, top := 36.0, 868.0, h-34, 20.0
	if k.named() {
		x1 = c.w - k.room()
	}
	px := func(v float64) float64 { return x0 + (v-xFrom)/(xTo-xFrom)*(x1-x0) }
	py := func(v float64) float64 { return base - (v-yFrom)/(yTo-yFrom)*(base-top) }

	c.open(
		"curves",
		k.Title,
		fmt.Sprintf(
			`data-axis="%s" data-x0="%s" data-x1="%s" data-from="%g" data-to="%g" `+
				`data-y0="%s" data-y1="%s" data-yfrom="%g" data-yto="%g"`,
			k.Axis,
			num(x0),
			num(x1),
			xFrom,
			xTo,
			num(top),
			num(base),
			yFrom,
			yTo,
		),
	)
	for _, v := range ticks(yFrom, yTo, 5) {
		if v != yFrom || !k.FromZero {
			c.line("gridline", x0, py(v), x1, py(v))
		}
		c.text("axis", "end", x0-6, py(v)+4, words.Figure(v, 2))
	}
	c.text("axis", "start", 2, 10, axisName(k.YName, k.YUnit))
	scale := 1.0
	if k.Minutes {
		scale = 60
	}
	for _, v := range ticks(xFrom/scale, xTo/scale, 10) {
		x := px(v * scale)
		c.line("tick", x, base, x, base+5)
		c.text("axis-strong", "middle", x, base+16, words.Figure(v, 2))
	}
	c.text("axis", "end", x1, base+31, axisName(k.XName, k.XUnit))
	for _, b := range k.Bands {
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(b.Name))
		for _, part := range b.parts() {
			d := strings.Builder{}
			pen := "M"
			for i := range part.X {
				fmt.Fprintf(&d, "%s%s %s", pen, num(px(part.X[i])), num(py(part.High[i])))
				pen = "L"
			}
			for i := len(part.X) - 1; i >= 0; i-- {
				fmt.Fprintf(&d, "L%s %s", num(px(part.X[i])), num(py(part.Low[i])))
			}
			fmt.Fprintf(c, `<path class="spread run-%d dash-%d" d="%sZ"/>`, b.Style, b.Style, d.String())
		}
		c.WriteString("</g>")
	}
	line := func(class string, l Line) {
		x, y := make([]float64, len(l.X)), make([]float64, len(l.X))
		for i := range l.X {
			x[i], y[i] = px(l.X[i]), py(l.Y[i])
		}
		fmt.Fprintf(c, `<path class="%s" d="%s"><title>%s</title></path>`, class, path(x, y), escaped(l.Name))
	}
	for _, l := range k.Crowd {
		line("series crowd", l)
	}
	for _, l := range k.Lines {
		line(fmt.Sprintf("series run-%d dash-%d", l.Style, l.Style), l)
	}
	c.line("base", x0, base, x1, base)
	if k.named() {
		k.names(c, px, py, x1, top, base)
	}
	fmt.Fprintf(c, `<line class="cursor" x1="0" x2="0" y1="%s" y2="%s"/>`, num(top-6), num(base))
	for i := range k.Lines {
		fmt.Fprintf(c, `<circle class="cursor-dot" data-line="%d" r="4.5"/>`, i)
	}
	c.WriteString("</svg>")
	return c.String()
}

// parts are a band's unbroken pieces.
func (b Band) parts() (out []Band) {
	from := -1
	for i := 0; i <= len(b.X); i++ {
		known := i < len(b.X) && plotted(b.Low[i]) && plotted(b.High[i]) && plotted(b.X[i])
		switch {
		case known && from < 0:
			from = i
		case !known && from >= 0:
			out = append(out, Band{X: b.X[from:i], Low: b.Low[from:i], High: b.High[from:i]})
			from = -1
		}
	}
	return out
}

// How wide the names at the ends are: where one begins behind the axis, what a letter of it takes (Archivo at
// 11.5 px, bold and narrow, comes to 5.0 on average and 5.6 with wide ones), and the least and most they get.
const (
	nameFrom   = 33.0
	nameLetter = 5.6
	leastRoom  = 120.0
	mostRoom   = 260.0
)

// room is how much of the picture's width the names at the ends need.
func (k *Curves) room() float64 {
	room := leastRoom
	for _, l := range k.Lines {
		room = max(room, nameFrom+nameLetter*float64(utf8.RuneCountInString(l.Name)))
	}
	return min(room, mostRoom)
}

// fitting is a name as far as there is room for it; the line itself has it whole.
func fitting(name string) string {
	most := math.Floor((mostRoom - nameFrom) / nameLetter)
	if letters := []rune(name); len(letters) > int(most) {
		return string(letters[:int(most)-1]) + "…"
	}
	return name
}

// named tells whether lines carry their names: several do, and so does one that stands for several runs.
func (k *Curves) named() bool {
	return len(k.Lines) > 1 || len(k.Bands) > 0
}

func axisName(name, unit string) string {
	if unit == "" {
		return name
	}
	return name + ", " + unit
}

// mostPlotted is more than any quantity of a session comes to, in its unit.
const mostPlotted = 1e7

// plotted tells whether a value can stand on an axis: a number, and not beyond all of them.
func plotted(v float64) bool { return math.Abs(v) <= mostPlotted }

// ranges gives the ends of both axes.
func (k *Curves) ranges() (xFrom, xTo, yFrom, yTo float64) {
	xFrom, xTo = math.Inf(1), math.Inf(-1)
	yFrom, yTo = math.Inf(1), math.Inf(-1)
	for _, l := range slices.Concat(k.Crowd, k.Lines) {
		for i := range l.X {
			if !plotted(l.X[i]) || !plotted(l.Y[i]) {
				continue
			}
			xFrom, xTo = math.Min(xFrom, l.X[i]), math.Max(xTo, l.X[i])
			yFrom, yTo = math.Min(yFrom, l.Y[i]), math.Max(yTo, l.Y[i])
		}
	}
	for _, b := range k.Bands {
		for i := range b.X {
			if plotted(b.X[i]) && plotted(b.Low[i]) && plotted(b.High[i]) {
				yFrom, yTo = math.Min(yFrom, b.Low[i]), math.Max(yTo, b.High[i])
			}
		}
	}
	if math.IsInf(xFrom, 1) {
		xFrom, xTo, yFrom, yTo = 0, 1, 0, 1
	}
	if k.XTo > k.XFrom {
		xFrom, xTo = k.XFrom, k.XTo
	}
	if k.FromZero {
		yFrom, yTo = math.Min(0, yFrom), niceTop(yTo)
	} else if pad := math.Max((yTo-yFrom)*0.08, 0.5); true {
		yFrom, yTo = yFrom-pad, yTo+pad
	}
	if !(xTo-xFrom > leastStep) {
		xTo = xFrom + 1
	}
	if !(yTo-yFrom > leastStep) {
		yTo = yFrom + 1
	}
	return xFrom, xTo, yFrom, yTo
}

// names writes each line's name beside its end, moved apart where they meet.
func (k *Curves) names(c *canvas, px, py func(float64) float64, x1, top, base float64) {
	type label struct {
		line int
		x, y float64
	}
	var labels []label
	for i, l := range k.Lines {
		// A line that falls to nothing at its end is named where it still stood.
		settled := math.Inf(-1)
		if k.FromZero {
			for _, y := range l.Y {
				if !math.IsNaN(y) {
					settled = math.Max(settled, y*0.2)
				}
			}
		}
		for j := len(l.X) - 1; j >= 0; j-- {
			if !math.IsNaN(l.X[j]) && !math.IsNaN(l.Y[j]) && l.Y[j] >= settled {
				labels = append(labels, label{i, px(l.X[j]), py(l.Y[j])})
				break
			}
		}
	}
	sort.SliceStable(labels, func(i, j int) bool { return labels[i].y < labels[j].y })
	heights := make([]float64, len(labels))
	for i, l := range labels {
		heights[i] = l.y + 4
	}
	apart(heights, 14, top, base)
	for i, l := range labels {
		l.y = heights[i]
		style := k.Lines[l.line].Style
		fmt.Fprintf(
			c,
			`<line class="series run-%d dash-%d" x1="%s" y1="%s" x2="%s" y2="%s"/>`,
			style,
			style,
			num(x1+6),
			num(l.y-4),
			num(x1+28),
			num(l.y-4),
		)
		c.text(fmt.Sprintf("end-label run-%d", style), "start", x1+nameFrom, l.y, fitting(k.Lines[l.line].Name))
	}
}

// apart moves heights, in order, so that none is nearer than a gap to the next: down from top, and back up
// where they would run over base.
func apart(y []float64, gap, top, base float64) {
	last := top - gap
	for i := range y {
		y[i] = math.Max(y[i], last+gap)
		last = y[i]
	}
	next := base + gap
	for i := len(y) - 1; i >= 0 && last > base; i-- {
		y[i] = math.Min(y[i], next-gap)
		next = y[i]
	}
}
