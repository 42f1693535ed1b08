package draw

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/words"
)

// Approach draws the pack's temperature on the way to the stall: coldest and warmest cell against the
// minutes before plug-in.
type Approach struct {
	*curve.Approach
	WarmC   float64 // from which the pack is warm; NaN: not noted
	PeopleC func(float64) float64
	Unit    string
}

const approachW, approachH = 880.0, 104.0

// SVG draws the picture.
func (d *Approach) SVG() string {
	low, high := math.Inf(1), math.Inf(-1)
	include := func(v float64) { low, high = math.Min(low, v), math.Max(high, v) }
	var t, coldest, warmest []float64
	value := func(v *float64) float64 {
		if v == nil || !plotted(*v) {
			return math.NaN()
		}
		include(d.PeopleC(*v))
		return d.PeopleC(*v)
	}
	for _, p := range d.Points {
		t = append(t, p.TS)
		coldest, warmest = append(coldest, value(p.ColdestC)), append(warmest, value(p.WarmestC))
	}
	warm := plotted(d.WarmC)
	if warm {
		include(d.PeopleC(d.WarmC))
	}
	if !(d.ToS > d.FromS) || !plotted(d.FromS) || !plotted(d.ToS) || low > high {
		return ""
	}
	low, high = low-1, high+1
	c := &canvas{w: approachW, h: approachH}
	degrees := func(c float64) string { return words.Figure(d.PeopleC(c), 0) + " " + d.Unit }
	title := "On the way: the pack from " + degrees(d.FromC) + " to " + degrees(d.AtPlugC) + " in " +
		words.Duration(d.ToS-d.FromS)
	c.open("approach", title, "")
	x0, x1, top, base := 34.0, approachW-112, 8.0, approachH-22
	px := func(at float64) float64 { return x0 + (at-d.FromS)/(d.ToS-d.FromS)*(x1-x0) }
	py := func(v float64) float64 { return base - (v-low)/(high-low)*(base-top) }
	for _, v := range ticks(low, high, 3) {
		c.line("gridline", x0, py(v), x1, py(v))
		c.text("axis", "end", x0-4, py(v)+4, words.Figure(v, 0))
	}
	if warm {
		c.line("warm", x0, py(d.PeopleC(d.WarmC)), x1, py(d.PeopleC(d.WarmC)))
	}
	type name struct {
		y    float64
		text string
	}
	var names []name
	for _, s := range []struct {
		class, name string
		v           []float64
	}{{"warmest", "warmest cell", warmest}, {"coldest", d.coldestName(), coldest}} {
		x, y := make([]float64, len(t)), make([]float64, len(t))
		last := math.NaN()
		for i, v := range s.v {
			x[i], y[i] = px(t[i]), math.NaN()
			if !math.IsNaN(v) {
				y[i] = py(v)
				last = v
			}
		}
		if math.IsNaN(last) {
			continue
		}
		c.WriteString(`<path class="` + s.class + `" d="` + path(x, y) + `"/>`)
		names = append(names, name{py(last), s.name + " " + words.Figure(last, 0) + "\u00a0" + d.Unit})
	}
	if warm {
		from := d.PeopleC(d.WarmC)
		names = append(names, name{py(from), "warm from " + words.Figure(from, 0) + "\u00a0" + d.Unit})
	}
	slices.SortFunc(names, func(a, b name) int { return cmp.Compare(a.y, b.y) })
	heights := make([]float64, len(names))
	for i, n := range names {
		heights[i] = n.y + 4
	}
	apart(heights, 13, top+8, base)
	for i, n := range names {
		c.text("axis-strong", "start", x1+6, heights[i], n.text)
	}
	c.line("base", x0, base, x1, base)
	minutes := (d.ToS - d.FromS) / 60
	for _, m := range ticks(0, minutes, 6) {
		label := words.Figure(-m, 0)
		if m == 0 {
			label = "plug-in"
		}
		c.text("axis", "middle", px(d.ToS-m*60), base+14, label)
	}
	c.WriteString("</svg>")
	return c.String()
}

// coldestName says what the lower line is.
func (d *Approach) coldestName() string {
	if d.Coldest {
		return "coldest cell"
	}
	return "battery"
}
