package draw

import (
	"fmt"
	"html"
	"math"
	"time"

	"zincroad/core/words"
)

// Capacity is a pack's usable capacity as its runs had it, against their dates.
type Capacity struct {
	Title  string
	Points []CapacityPoint // in order of time
}

// CapacityPoint is one run's capacity with its interval; HighKWh NaN where it has no upper end.
type CapacityPoint struct {
	At                time.Time
	KWh, LowKWh       float64
	HighKWh           float64
	Software, Tooltip string
}

const capacityW, capacityH = 560.0, 190.0

// SVG draws the picture; empty for no points.
func (d *Capacity) SVG() string {
	if len(d.Points) == 0 {
		return ""
	}
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range d.Points {
		low, high = math.Min(low, p.LowKWh), math.Max(high, p.KWh)
		if !math.IsNaN(p.HighKWh) {
			high = math.Max(high, p.HighKWh)
		}
	}
	room := math.Max(1, 0.15*(high-low))
	low, high = low-room, high+room
	c := &canvas{w: capacityW, h: capacityH}
	c.open("capacity", d.Title, "")
	x0, x1, base, top := 40.0, capacityW-16, capacityH-26, 16.0
	first, last := d.Points[0].At, d.Points[len(d.Points)-1].At
	span := last.Sub(first).Hours()
	px := func(at time.Time) float64 {
		if span <= 0 {
			return (x0 + x1) / 2
		}
		return x0 + 18 + at.Sub(first).Hours()/span*(x1-x0-36)
	}
	py := func(kwh float64) float64 { return base - (kwh-low)/(high-low)*(base-top) }
	for _, v := range ticks(low, high, 4) {
		c.line("grid", x0, py(v), x1, py(v))
		c.text("axis", "end", x0-5, py(v)+4, words.Figure(v, 1))
	}
	c.text("axis", "end", x0-5, 9, "kWh")
	c.line("base", x0, base, x1, base)
	software := ""
	for i, p := range d.Points {
		x := px(p.At)
		fmt.Fprintf(c, `<g><title>%s</title>`, html.EscapeString(p.Tooltip))
		upper := p.HighKWh
		if math.IsNaN(upper) {
			upper = high
		}
		c.line("whisker", x, py(p.LowKWh), x, py(upper))
		fmt.Fprintf(c, `<circle class="dot" cx="%s" cy="%s" r="4"/></g>`, num(x), num(py(p.KWh)))
		if p.Software != software {
			if software = p.Software; i > 0 {
				c.line("update", x-9, top, x-9, base)
			}
			c.text("axis-strong", "start", x-7, top-4, software)
		}
		if i == 0 || i == len(d.Points)-1 && span > 0 {
			c.text("axis", "middle", math.Max(x0+24, math.Min(x1-24, x)), base+16, p.At.Format("2 Jan 2006"))
		}
	}
	c.WriteString("</svg>")
	return c.String()
}
