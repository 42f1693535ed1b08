package draw

import (
	"fmt"
	"math"

	"zincroad/core/words"
)

// Stack is other quantities of a run under its strip, each a row on the strip's own axis of time.
type Stack struct {
	Title string
	Under *Strip
	Rows  []StackRow
}

// StackRow is one quantity; V is NaN where it was not read.
type StackRow struct {
	Name, Unit string
	T, V       []float64 // T from clock zero
	FromZero   bool
}

const stackRowH = 66.0

// SVG draws the rows; empty for none. It carries what the reading cursor needs, as the strip does.
func (d *Stack) SVG() string {
	if len(d.Rows) == 0 {
		return ""
	}
	c := &canvas{w: 880, h: float64(len(d.Rows))*stackRowH + 6}
	p := plane{x0: 36, x1: c.w - 14, t0: d.Under.begin(), t1: d.Under.end()}
	c.open("stack large", d.Title, fmt.Sprintf(
		`data-axis="t" data-x0="%s" data-x1="%s" data-from="%g" data-to="%g" data-y0="0" data-y1="%s"`,
		num(p.x0), num(p.x1), p.t0, p.t1, num(c.h)))
	for i, r := range d.Rows {
		top, base := float64(i)*stackRowH+16, float64(i+1)*stackRowH
		low, high := math.Inf(1), math.Inf(-1)
		for k, v := range r.V {
			if plotted(v) && r.T[k] >= p.t0 && r.T[k] <= p.t1 {
				low, high = math.Min(low, v), math.Max(high, v)
			}
		}
		c.text("axis-strong", "start", p.x0, top-4, axisName(r.Name, r.Unit))
		c.line("base", p.x0, base, p.x1, base)
		if low > high {
			continue
		}
		if r.FromZero {
			low = math.Min(0, low)
		}
		if high-low < 1 {
			low, high = low-0.5, high+0.5
		}
		py := func(v float64) float64 { return base - (v-low)/(high-low)*(base-top) }
		for _, v := range ticks(low, high, 3) {
			c.line("gridline", p.x0, py(v), p.x1, py(v))
			c.text("axis", "end", p.x0-6, py(v)+4, words.Figure(v, 1))
		}
		x, y := make([]float64, len(r.T)), make([]float64, len(r.T))
		for k, t := range r.T {
			x[k], y[k] = p.x(t), math.NaN()
			if v := r.V[k]; plotted(v) && t >= p.t0 && t <= p.t1 {
				y[k] = py(v)
			}
		}
		fmt.Fprintf(c, `<path class="series run-0" d="%s"/>`, path(x, y))
	}
	fmt.Fprintf(c, `<line class="cursor" x1="0" x2="0" y1="0" y2="%s"/></svg>`, num(c.h))
	return c.String()
}
