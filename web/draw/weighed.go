package draw

import (
	"fmt"
	"math"

	"zincroad/core/bench"
	"zincroad/core/units"
	"zincroad/core/words"
)

// Weighed draws a difference beside what it could come from, on one axis of minutes with zero marked: the difference as
// a dot with its interval, each condition as a bar from the least to the most that it could come to.
type Weighed struct {
	Title  string
	Second string // what the difference is of, against the reference
	Grey   string // what the zone about zero is
	Of     bench.Weighed
	Labels []string // of each weight: the condition and its values
}

// WeighedOf is a comparison's difference in a reader's units; false where it has none to tell.
func WeighedOf(c *bench.Comparison, second string, in units.People) (*Weighed, bool) {
	w, ok := c.Weighed()
	if !ok {
		return nil, false
	}
	d := &Weighed{Title: "The difference, " + words.SignedClock(w.TS) + ", beside what it could come from", Second: second,
		Grey: "grey: too small to matter", Of: w}
	if w.UsualS > w.SmallestS {
		d.Grey = "grey: as far as like runs usually lie apart"
	}
	for _, x := range w.Weights {
		values := bench.Distinct(x.Condition, x.Values, bench.MostValues)
		d.Labels = append(d.Labels, bench.Headed(x.Condition).In(in)+": "+values.In(in))
	}
	return d, true
}

const (
	weighedW     = 760.0
	weighedRowH  = 22.0
	weighedNameW = 250.0
	weighedHeadH = 54.0
	weighedTextW = 104.0 // of the words behind a bar
)

// SVG draws the picture; empty where a time is none that an axis has.
func (d *Weighed) SVG() string {
	w := d.Of
	low, high := math.Min(0, w.TS), math.Max(0, w.TS)
	reach := func(from, to float64) {
		if !math.IsNaN(from) && !math.IsNaN(to) {
			low, high = math.Min(low, from), math.Max(high, to)
		}
	}
	apart := w.SmallestS
	if w.LowS != nil {
		reach(*w.LowS, *w.HighS)
	} else {
		apart = math.Max(apart, w.UsualS)
	}
	reach(-apart, apart)
	for _, x := range w.Weights {
		reach(x.FromS, x.ToS)
		if !x.Sided {
			reach(-x.ToS, -x.FromS)
		}
	}
	if !plotted(low) || !plotted(high) || high-low < 1 {
		return ""
	}
	c := &canvas{w: weighedW, h: weighedHeadH + float64(len(w.Weights)+1)*weighedRowH + 2}
	c.open("weighed", d.Title, "")
	x0, x1, base := weighedNameW, weighedW-weighedTextW, weighedHeadH-10
	px := func(s float64) float64 { return x0 + (s-low)/(high-low)*(x1-x0) }
	c.rect("too-small", px(-apart), base, px(apart)-px(-apart), c.h-base, 0)
	for _, m := range ticks(low/60, high/60, 7) {
		class := "gridline"
		if m == 0 {
			class = "base"
		}
		c.line(class, px(m*60), base, px(m*60), c.h)
		c.text("axis", "middle", px(m*60), base-6, signedMinutes(m))
	}
	c.text("axis", "start", x1+8, base-6, "min")
	if low < -apart {
		c.text("axis", "end", px(-apart)-6, 16, clipped(d.Second, px(-apart)-weighedNameW/2, 12)+" shorter")
	}
	if high > apart {
		c.text("axis", "start", px(apart)+6, 16, clipped(d.Second, weighedW-px(apart)-60, 12)+" longer")
	}
	y := weighedHeadH + weighedRowH/2 - 4
	c.text("axis-strong", "start", 0, y+4, "the difference")
	title, end := words.SignedClock(w.TS), w.TS
	fmt.Fprintf(c, `<g><title>%s</title>`, escaped(title))
	if w.LowS != nil {
		c.line("interval", px(*w.LowS), y, px(*w.HighS), y)
		c.line("interval", px(*w.LowS), y-5, px(*w.LowS), y+5)
		c.line("interval", px(*w.HighS), y-5, px(*w.HighS), y+5)
		end = *w.HighS
	}
	fmt.Fprintf(c, `<circle class="point" cx="%s" cy="%s" r="5.5"/></g>`, num(px(w.TS)), num(y))
	c.text("end-label", "start", px(end)+10, y+4, title)
	for i, x := range w.Weights {
		y += weighedRowH
		c.text(axisOf(x.Matters), "start", 0, y+4, clipped(d.Labels[i], weighedNameW-8, 10))
		c.weight(x, px, y)
	}
	c.WriteString("</svg>")
	return c.String()
}

func axisOf(m bench.Matters) string {
	if m == bench.Does {
		return "axis-strong"
	}
	return "axis"
}

// weight draws one condition's bar: whole where it matters, open where it may, a line where it does not.
func (c *canvas) weight(x bench.Weight, px func(float64) float64, y float64) {
	if math.IsNaN(x.ToS) {
		said := "nothing says how much"
		if x.Matters == bench.DoesNot {
			said = "no matter"
		}
		c.text("axis", "start", px(0)+6, y+4, said)
		return
	}
	class := map[bench.Matters]string{
		bench.Does: "could", bench.Maybe: "could perhaps", bench.DoesNot: "could not",
	}[x.Matters]
	said := span(math.Min(math.Abs(x.FromS), math.Abs(x.ToS)), math.Max(math.Abs(x.FromS), math.Abs(x.ToS)))
	if !x.Sided {
		said = "± " + said
	}
	fmt.Fprintf(c, `<g><title>%s</title>`, escaped("could come to "+said))
	bar := func(from, to float64) {
		c.rect(class, px(from), y-6, math.Max(1.5, px(to)-px(from)), 12, 0)
	}
	bar(x.FromS, x.ToS)
	if !x.Sided {
		bar(-x.ToS, -x.FromS)
	}
	c.WriteString("</g>")
	c.text("axis", "start", math.Max(px(math.Max(x.ToS, 0)), px(0))+6, y+4, said)
}

// span is two durations, from the one to the other; equal ones once.
func span(low, high float64) string {
	a, b := words.Clock(math.Round(low)), words.Clock(math.Round(high))
	if a == b {
		return a
	}
	return a + " to " + b
}

// signedMinutes is a number of minutes on an axis that has two sides.
func signedMinutes(m float64) string {
	switch {
	case m > 0:
		return "+" + words.Figure(m, 2)
	case m < 0:
		return "−" + words.Figure(-m, 2)
	}
	return "0"
}
