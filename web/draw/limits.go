package draw

import (
	"fmt"
	"math"
	"sort"

	"zincroad/core/limit"
	"zincroad/core/words"
)

// Limits are the ceilings of a stall and a car against state of charge, every
// whole percent; the lowest is inked.
type Limits struct {
	Title          string
	Lines          []Limit
	Holds          []float64 // the lowest at each percent
	FromPct, ToPct float64   // the window of the plan
}

// Limit is one ceiling against state of charge in kW; NaN where it says nothing.
type Limit struct {
	Cause limit.Cause
	Label string
	KW    []float64
}

const limitsW, limitsH = 435.0, 222.0

// SVG draws the diagram.
func (l *Limits) SVG() string {
	c := &canvas{w: limitsW, h: limitsH}
	top := l.top()
	x0, x1, base, head := 30.0, 306.0, limitsH-32, 22.0
	px := func(soc float64) float64 { return x0 + soc/100*(x1-x0) }
	py := func(kw float64) float64 { return base - kw/top*(base-head) }
	c.open("limits", l.Title, "")
	if l.ToPct > l.FromPct {
		c.rect("window", px(l.FromPct), head, px(l.ToPct)-px(l.FromPct), base-head, 0)
	}
	for _, v := range ticks(0, top, 5) {
		if v > 0 {
			c.line("gridline", x0, py(v), x1, py(v))
		}
		c.text("axis", "end", x0-5, py(v)+4, words.Figure(v, 0))
	}
	c.text("axis", "end", x0-5, 9, "kW")
	for soc := 0.0; soc <= 100; soc += 20 {
		c.line("tick", px(soc), base, px(soc), base+4)
		c.text("axis-strong", "middle", px(soc), base+15, words.Figure(soc, 0))
	}
	c.text("axis", "end", x1, base+29, "state of charge, %")
	for i, line := range l.Lines {
		x, y := make([]float64, len(line.KW)), make([]float64, len(line.KW))
		for soc, kw := range line.KW {
			x[soc], y[soc] = px(float64(soc)), py(kw)
			if kw > top {
				y[soc] = math.NaN()
			}
		}
		fmt.Fprintf(
			c,
			`<path class="limit limit-%d" d="%s"><title>%s</title></path>`,
			i%6,
			path(x, y),
			escaped(line.Label),
		)
	}
	x, y := make([]float64, len(l.Holds)), make([]float64, len(l.Holds))
	for soc, kw := range l.Holds {
		x[soc], y[soc] = px(float64(soc)), py(math.Min(kw, top))
	}
	fmt.Fprintf(c, `<path class="inked" d="%s"/>`, path(x, y))
	c.line("base", x0, base, x1, base)
	l.names(c, px, py, top, x1, head, base)
	c.WriteString("</svg>")
	return c.String()
}

// top leaves out what lies far above everything that can hold.
func (l *Limits) top() float64 {
	highest, all := maxOf(l.Holds), 0.0
	for _, line := range l.Lines {
		for _, kw := range line.KW {
			if !math.IsNaN(kw) && kw <= 2*highest {
				all = math.Max(all, kw)
			}
		}
	}
	return niceTop(math.Max(highest, all))
}

// names writes each line's name at its right end, moved apart where they meet;
// a line above the picture is named at the top with an arrow.
func (l *Limits) names(c *canvas, px, py func(float64) float64, top, x1, head, base float64) {
	type label struct {
		line      int
		x, y, at  float64
		above, on bool
	}
	var labels []label
	for i, line := range l.Lines {
		b := label{line: i, x: x1, y: head, above: true}
		for soc := len(line.KW) - 1; soc >= 0; soc-- {
			if kw := line.KW[soc]; !math.IsNaN(kw) && kw <= top {
				b.x, b.y, b.above = px(float64(soc)), py(kw), false
				break
			}
		}
		for soc, kw := range line.KW {
			b.on = b.on || soc < len(l.Holds) && kw <= l.Holds[soc]+1e-6
		}
		b.at = b.y
		labels = append(labels, b)
	}
	sort.SliceStable(labels, func(i, j int) bool { return labels[i].y < labels[j].y })
	last := head - 13
	for i := range labels {
		labels[i].y = math.Max(labels[i].y+4, last+13)
		last = labels[i].y
	}
	next := base + 17
	for i := len(labels) - 1; i >= 0; i-- {
		labels[i].y = math.Min(labels[i].y, next-13)
		next = labels[i].y
	}
	for _, b := range labels {
		class, text := "limit-name", l.Lines[b.line].Label
		if b.on {
			class = "limit-name-on"
		}
		if b.above {
			text = "↑ " + text
		} else {
			c.line(fmt.Sprintf("limit limit-%d", b.line%6), x1+2, b.at, x1+9, b.y-4)
		}
		c.text(class, "start", x1+12, b.y, text)
	}
}
