package draw

import (
	"fmt"
	"math"

	"zincroad/core/run"
	"zincroad/core/vehicle"
	"zincroad/core/words"
)

// Learned is a car's power against charge as its runs showed it, with the noted one beside.
type Learned struct {
	Title  string
	Points []vehicle.EnvelopePoint // rising in charge
	Noted  []run.Point             // empty: none is
}

const learnedW, learnedH = 560.0, 240.0

// SVG draws the picture; empty for no points. What the car held itself is a line, what something else held is hatched
// above, what no run says is dotted.
func (d *Learned) SVG() string {
	high := 0.0
	for _, p := range d.Points {
		high = math.Max(high, p.High)
	}
	for _, p := range d.Noted {
		high = math.Max(high, p.KW)
	}
	if len(d.Points) < 2 || !plotted(high) || high <= 0 {
		return ""
	}
	c := &canvas{w: learnedW, h: learnedH}
	c.open("learned", d.Title, "")
	c.WriteString(`<defs><pattern id="at-least" width="6" height="6" patternUnits="userSpaceOnUse">` +
		`<path class="held-tile" d="M3 0V6"/></pattern></defs>`)
	x0, x1, top, base := 40.0, learnedW-12, 18.0, learnedH-46
	px := func(soc float64) float64 { return x0 + soc/100*(x1-x0) }
	py := func(kw float64) float64 { return base - kw/high*(base-top) }
	for _, v := range ticks(0, high, 4) {
		c.line("gridline", x0, py(v), x1, py(v))
		c.text("axis", "end", x0-5, py(v)+4, words.Figure(v, 0))
	}
	c.text("axis", "end", x0-5, 9, "kW")
	c.line("base", x0, base, x1, base)
	for soc := 0.0; soc <= 100; soc += 20 {
		c.text("axis", "middle", math.Min(x1-12, px(soc)), base+15, words.Figure(soc, 0)+" %")
	}
	d.spread(c, px, py)
	for _, k := range []vehicle.Kind{vehicle.Seen, vehicle.AtLeast, vehicle.Assumed} {
		x, y := make([]float64, len(d.Points)), make([]float64, len(d.Points))
		for i, p := range d.Points {
			x[i], y[i] = px(p.SoCPct), py(p.Value)
			joins := p.Kind == k || i > 0 && d.Points[i-1].Kind == k || i+1 < len(d.Points) && d.Points[i+1].Kind == k
			if !joins || k == vehicle.Seen && p.Kind != k {
				y[i] = math.NaN()
			}
		}
		fmt.Fprintf(c, `<path class="envelope %s" d="%s"/>`, k, path(x, y))
	}
	if len(d.Noted) > 1 {
		var x, y []float64
		for _, p := range d.Noted {
			x, y = append(x, px(p.SoCPct)), append(y, py(p.KW))
		}
		fmt.Fprintf(c, `<path class="noted" d="%s"/>`, path(x, y))
	}
	d.key(c, x0)
	c.WriteString("</svg>")
	return c.String()
}

// spread is between what the power lies in nine of ten, hatched where runs say only that it is no less.
func (d *Learned) spread(c *canvas, px, py func(float64) float64) {
	for i := 1; i < len(d.Points); i++ {
		a, b := d.Points[i-1], d.Points[i]
		class, fill := "range", ""
		if b.Kind == vehicle.AtLeast {
			class, fill = "range-at-least", ` fill="url(#at-least)"`
		}
		fmt.Fprintf(c, `<path class="%s"%s d="M%s %sL%s %sL%s %sL%s %sZ"><title>%s</title></path>`, class, fill,
			num(px(a.SoCPct)), num(py(a.High)), num(px(b.SoCPct)), num(py(b.High)), num(px(b.SoCPct)), num(py(b.Low)),
			num(px(a.SoCPct)), num(py(a.Low)), escaped(fmt.Sprintf("%s %%: %s kW, %s to %s", words.Figure(b.SoCPct, 1),
				words.Figure(b.Value, 0), words.Figure(b.Low, 0), words.Figure(b.High, 0))))
	}
}

// key says what the lines are, of those that are there.
func (d *Learned) key(c *canvas, x float64) {
	y := learnedH - 10
	entry := func(class, name string) {
		fmt.Fprintf(c, `<path class="%s" d="M%s %sh22"/>`, class, num(x), num(y-4))
		c.text("axis", "start", x+27, y, name)
		x += 40 + 6.1*float64(len(name))
	}
	has := map[vehicle.Kind]bool{}
	for _, p := range d.Points {
		has[p.Kind] = true
	}
	for _, k := range []struct {
		kind vehicle.Kind
		name string
	}{{vehicle.Seen, "the car held it"}, {vehicle.AtLeast, "at least so much"}, {vehicle.Assumed, "by kind of car"}} {
		if has[k.kind] {
			entry("envelope "+string(k.kind), k.name)
		}
	}
	if len(d.Noted) > 1 {
		entry("noted", "as noted")
	}
}
