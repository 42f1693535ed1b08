package draw

import (
	"fmt"
	"math"

	"zincroad/core/decide"
	"zincroad/core/words"
)

// Tens is how many minutes each ten points of a charge take, with the charge to unplug at.
type Tens struct {
	Title  string
	Unplug *decide.Unplug
}

const tensW, tensH = 760.0, 240.0

// SVG draws the picture; empty for no ten that is reached.
func (d *Tens) SVG() string {
	high := 0.0
	for _, t := range d.Unplug.Tens {
		high = math.Max(high, t.TS/60)
		if !math.IsNaN(t.HighS) {
			high = math.Max(high, t.HighS/60)
		}
	}
	if high <= 0 || !plotted(high) {
		return ""
	}
	c := &canvas{w: tensW, h: tensH}
	c.open("tens", d.Title, "")
	x0, x1, top, base := 40.0, tensW-12, 34.0, tensH-26
	px := func(soc float64) float64 { return x0 + soc/100*(x1-x0) }
	py := func(min float64) float64 { return base - min/high*(base-top) }
	for _, v := range ticks(0, high, 4) {
		c.line("gridline", x0, py(v), x1, py(v))
		c.text("axis", "end", x0-5, py(v)+4, words.Figure(v, 0))
	}
	c.text("axis", "end", x0-5, 12, "min")
	u := d.Unplug
	if u.HighPct > u.LowPct {
		c.rect("chosen", px(u.LowPct), top-8, px(u.HighPct)-px(u.LowPct), base-top+8, 0)
	}
	for _, t := range u.Tens {
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(fmt.Sprintf("%s to %s %%: %s", words.Figure(t.FromPct, 0),
			words.Figure(t.ToPct, 0), decide.Between(t.TS, t.LowS, t.HighS).Kept())))
		c.rect("pace-own", px(t.FromPct)+2, py(t.TS/60), px(t.ToPct)-px(t.FromPct)-4, base-py(t.TS/60), 0)
		x, to := (px(t.FromPct)+px(t.ToPct))/2, t.HighS
		if math.IsNaN(to) { // it may never come: the line has no end
			to = high * 60
		}
		c.line("whisker", x, py(t.LowS/60), x, py(to/60))
		c.text("axis-strong", "middle", x, base-6, words.Fixed(t.TS/60, 1))
		c.WriteString("</g>")
	}
	c.line("base", x0, base, x1, base)
	for soc := 0.0; soc <= 100; soc += 20 {
		c.text("axis", "middle", math.Min(x1-12, px(soc)), base+16, words.Figure(soc, 0)+" %")
	}
	if !math.IsNaN(u.WarmPct) && plotted(u.WarmPct) && u.WarmPct != u.BestPct {
		c.line("update", px(u.WarmPct), top-8, px(u.WarmPct), base)
		c.plate("flag", px(u.WarmPct), top-20, words.Figure(u.WarmPct, 0))
	}
	c.line("meeting", px(u.BestPct), top-8, px(u.BestPct), base)
	c.plate("flag-end", px(u.BestPct), top-20, words.Figure(u.BestPct, 0))
	c.WriteString("</svg>")
	return c.String()
}

// plate is a charge on its plate.
func (c *canvas) plate(class string, x, y float64, text string) {
	c.rect(class, x-14, y-4, 28, 17, 2)
	c.text(class+"-text", "middle", x, y+8.5, text)
}
