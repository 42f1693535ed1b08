package draw

import (
	"fmt"
	"math"
	"strings"

	"zincroad/core/trace"
	"zincroad/core/words"
)

// thinTo is how many slices a line is thinned to.
const thinTo = 400

// Thin keeps the shape of a series with few points: no peak or dip is lost.
func Thin(s trace.Series) trace.Series {
	if s.Len() <= 4*thinTo {
		return s
	}
	red := trace.Reduce(map[trace.Channel]trace.Series{trace.Power: s}, trace.Power, thinTo)
	return trace.Series{T: red.T, V: red.Columns[trace.Power]}
}

// Clocks are two recordings of one session over the run's time, one of which can be moved along it.
type Clocks struct {
	Title         string
	Master, Other trace.Series // Other as it lies at OffsetS
	MasterName    string
	OtherName     string
	OffsetS       float64
	YName, YUnit  string
	Marks         []float64 // of the run, s
	Height        float64   // 0: 300
}

// SVG draws the two; the one that can be moved is a group of its own, with how many units of the
// drawing a second is in data-scale.
func (k *Clocks) SVG() string {
	h := k.Height
	if h == 0 {
		h = 300
	}
	c := &canvas{w: 880, h: h}
	x0, x1, base, top := 40.0, 868.0, h-38, 22.0
	from, to := math.Inf(1), math.Inf(-1)
	high := 1.0
	for _, s := range []trace.Series{k.Master, k.Other} {
		if s.Len() > 0 {
			from, to = math.Min(from, s.T[0]), math.Max(to, s.T[s.Len()-1])
			high = math.Max(high, s.V[s.Max()])
		}
	}
	if from > to {
		from, to = 0, 60
	}
	pad := math.Max(30, (to-from)*0.04)
	from, to = from-pad, to+pad
	px := func(t float64) float64 { return x0 + (t-from)/(to-from)*(x1-x0) }
	py := func(v float64) float64 { return base - math.Max(0, v)/(high*1.08)*(base-top) }
	c.open("clocks", k.Title, fmt.Sprintf(`data-scale="%g" data-offset="%g" data-x0="%s" data-x1="%s"`,
		(x1-x0)/(to-from), k.OffsetS, num(x0), num(x1)))
	for _, v := range ticks(0, high, 4) {
		if v > 0 {
			c.line("gridline", x0, py(v), x1, py(v))
		}
		c.text("axis", "end", x0-6, py(v)+4, words.Figure(v, 0))
	}
	c.text("axis", "start", 2, 10, axisName(k.YName, k.YUnit))
	for _, v := range ticks(from/60, to/60, 10) {
		x := px(v * 60)
		c.line("tick", x, base, x, base+5)
		c.text("axis-strong", "middle", x, base+16, words.Figure(v, 1))
	}
	c.text("axis", "end", x1, base+31, axisName("run's time", "min"))
	for _, m := range k.Marks {
		if m >= from && m <= to {
			c.line("mark", px(m), top, px(m), base)
		}
	}
	path := func(class string, s trace.Series) {
		if s.Len() == 0 {
			return
		}
		var d strings.Builder
		limit := trace.GapLimit(s.T)
		for i, t := range s.T {
			how := "L"
			if i == 0 || t-s.T[i-1] > limit {
				how = "M"
			}
			fmt.Fprintf(&d, "%s%s %s", how, num(px(t)), num(py(s.V[i])))
		}
		fmt.Fprintf(c, `<path class="%s" d="%s"/>`, class, d.String())
	}
	path("master", k.Master)
	c.WriteString(`<g class="movable" data-movable>`)
	path("wide", k.Other) // something to take hold of
	path("other", k.Other)
	c.WriteString(`</g>`)
	c.text("name master-name", "start", x0+8, top-8, k.MasterName)
	c.text("name other-name", "end", x1, top-8, k.OtherName)
	c.WriteString(`</svg>`)
	return c.String()
}

// Likeness is how alike two recordings are against what is added to the times of the second.
type Likeness struct {
	OffsetS   trace.Series // offsets and the correlation there, 0 to 1
	AtS       float64      // where it is read now
	LowS      *float64     // of the interval; nil: none
	HighS     *float64
	OtherName string
}

// SVG draws the likeness, with a line where the recording is read; a second is data-scale units.
func (k *Likeness) SVG() string {
	c := &canvas{w: 880, h: 120}
	x0, x1, base, top := 40.0, 868.0, 88.0, 14.0
	if k.OffsetS.Len() < 2 {
		return ""
	}
	span := k.OffsetS.Span()
	px := func(t float64) float64 { return x0 + (t-span.From)/span.Len()*(x1-x0) }
	py := func(v float64) float64 { return base - v*(base-top) }
	c.open("likeness", "How alike the two are, against what is added to the times of "+k.OtherName,
		fmt.Sprintf(`data-scale="%g" data-from="%g" data-x0="%s"`, (x1-x0)/span.Len(), span.From, num(x0)))
	for _, v := range []float64{0, 0.5, 1} {
		c.line("gridline", x0, py(v), x1, py(v))
		c.text("axis", "end", x0-6, py(v)+4, words.Figure(v, 1))
	}
	unit, name := 1.0, "s"
	if span.Len() > 1200 {
		unit, name = 60, "min"
	}
	for _, v := range ticks(span.From/unit, span.To/unit, 10) {
		c.line("tick", px(v*unit), base, px(v*unit), base+5)
		c.text("axis-strong", "middle", px(v*unit), base+16, words.Figure(v, 1))
	}
	c.text("axis", "end", x1, base+29, axisName("added", name))
	if k.LowS != nil && k.HighS != nil {
		c.rect("interval", px(*k.LowS), top, px(*k.HighS)-px(*k.LowS), base-top, 0)
	}
	x, y := make([]float64, k.OffsetS.Len()), make([]float64, k.OffsetS.Len())
	for i, t := range k.OffsetS.T {
		x[i], y[i] = px(t), py(k.OffsetS.V[i])
	}
	fmt.Fprintf(c, `<path class="like" d="%s"/>`, path(x, y))
	fmt.Fprintf(c, `<line class="now" data-now x1="0" x2="0" y1="%s" y2="%s" transform="translate(%s 0)"/>`,
		num(top-6), num(base+4), num(px(k.AtS)))
	c.WriteString(`</svg>`)
	return c.String()
}
