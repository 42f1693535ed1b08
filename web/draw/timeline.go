package draw

import (
	"fmt"
	"math"

	"zincroad/core/words"
)

// Timeline is the way from now to unplugging, with the plug-in at zero: state of
// charge and temperature as lines, what is done as bars, and a sign with the clock
// at each event.
type Timeline struct {
	Title    string
	T        []float64 // s since plug-in, negative before
	SoC      []float64
	Coldest  []float64
	Warmest  []float64
	TempUnit string  // of the temperatures, as drawn; empty: °C
	WantedC  float64 // of the coldest cell at plug-in; NaN: none
	Bars     []Bar
	Held     []Stretch
	Signs    []ClockSign
	CutS     float64 // what lies before this is not drawn; 0: everything is
	Narrow   bool    // for a phone: less wide, and without signs, which stand in a list there
}

// Bar is what is done for a time.
type Bar struct {
	FromS, ToS float64
	Kind       string // class of its look: drive, heat, hard, burn or charge
	Label      string
}

// ClockSign is a time that the tester has to know.
type ClockSign struct {
	TS     float64
	Clock  string
	Text   string
	Strong bool
}

// SVG draws the timeline.
func (l *Timeline) SVG() string {
	c := &canvas{w: 880}
	class, attrs := "timeline", ""
	if l.Narrow {
		c.w, class, attrs = 366, "timeline narrow", `aria-hidden="true"`
	}
	p := plane{x0: 30, x1: c.w - 34, base: 152, top: 22, t0: l.from(), t1: l.to(), kw: 100}
	low, high := l.temperatures()
	pt := func(temp float64) float64 { return p.base - (temp-low)/(high-low)*(p.base-p.top) }
	var signs []placed
	if c.h = p.base + 22; !l.Narrow {
		var deepest int
		signs, deepest = l.place(p, c.w)
		c.h = p.base + 27 + float64(deepest)*20 + 20
	}
	c.open(class, l.Title, attrs)
	c.rect("plugged", p.x(0), p.top-6, p.x1-p.x(0), p.base-p.top+6, 0)
	for _, v := range []float64{20, 40, 60, 80, 100} {
		c.line("gridline", p.x0, p.y(v), p.x1, p.y(v))
		c.text("axis", "end", p.x0-5, p.y(v)+4, words.Figure(v, 0))
	}
	c.text("axis", "end", p.x0-5, 9, "%")
	for _, v := range ticks(low, high, 5) {
		c.text("axis-temp", "start", p.x1+6, pt(v)+4, words.Figure(v, 0))
	}
	c.text("axis-temp", "start", p.x1+6, 9, l.tempUnit())
	if !math.IsNaN(l.WantedC) {
		fmt.Fprintf(
			c,
			`<line class="wanted" x1="%s" y1="%s" x2="%s" y2="%s"><title>wanted at plug-in: %s %s</title></line>`,
			num(p.x(0)-26),
			num(pt(l.WantedC)),
			num(p.x(0)+26),
			num(pt(l.WantedC)),
			words.Figure(l.WantedC, 0),
			l.tempUnit(),
		)
	}
	l.line(c, "soc-line", p.x, p.y, l.SoC)
	l.line(c, "warm-line", p.x, pt, l.Warmest)
	l.line(c, "cold-line", p.x, pt, l.Coldest)
	l.name(c, p, "soc-name", "state of charge", l.SoC, p.y, l.Coldest, pt)
	l.name(c, p, "cold-name", "coldest cell", l.Coldest, pt, l.SoC, p.y)
	l.bars(c, p)
	band(c, l.Held, p.x, p.base+3, 15, true)
	c.line("base", p.x0, p.base, p.x1, p.base)
	drawSigns(c, p, signs)
	if l.CutS < 0 {
		fmt.Fprintf(c, `<path class="torn" d="M%s %sl4 8l-8 8l8 8l-8 8l4 8"/>`, num(p.x0), num(p.base-44))
	}
	c.WriteString("</svg>")
	return c.String()
}

func (l *Timeline) tempUnit() string {
	if l.TempUnit == "" {
		return "°C"
	}
	return l.TempUnit
}

func (l *Timeline) from() float64 {
	if l.CutS < 0 {
		return l.CutS
	}
	return math.Min(first(l.T), -60)
}

func (l *Timeline) to() float64 {
	if n := len(l.T); n > 0 {
		return math.Max(60, l.T[n-1])
	}
	return 60
}

// temperatures gives a round range around both nodes.
func (l *Timeline) temperatures() (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for i := range l.T {
		low, high = math.Min(low, l.Coldest[i]), math.Max(high, l.Warmest[i])
	}
	if !math.IsNaN(l.WantedC) {
		low, high = math.Min(low, l.WantedC), math.Max(high, l.WantedC)
	}
	if math.IsInf(low, 1) {
		return 0, 40
	}
	return math.Floor((low-2)/10) * 10, math.Ceil((high+2)/10) * 10
}

// line draws values against time from where the picture begins.
func (l *Timeline) line(c *canvas, class string, px, py func(float64) float64, v []float64) {
	var x, y []float64
	for i, t := range l.T {
		if t >= l.from()-30 {
			x, y = append(x, px(math.Max(t, l.from()))), append(y, py(v[i]))
		}
	}
	fmt.Fprintf(c, `<path class="%s" d="%s"/>`, class, path(x, y))
}

// name writes a line's name on the side of it that is away from the other line.
func (l *Timeline) name(c *canvas, p plane, class, text string, v []float64, py func(float64) float64,
	other []float64, oy func(float64) float64) {
	for i, t := range l.T {
		if p.x(t) < p.x0+14 {
			continue
		}
		y := py(v[i])
		if y <= oy(other[i]) {
			y -= 6
		} else {
			y += 13
		}
		c.text(class, "start", p.x(t), math.Max(p.top+2, math.Min(p.base-4, y)), text)
		return
	}
}

// bars draws what is done when as a row under the lines.
func (l *Timeline) bars(c *canvas, p plane) {
	fmt.Fprint(
		c,
		`<defs><pattern id="warming" width="6" height="6" patternUnits="userSpaceOnUse" `+
			`patternTransform="rotate(45)"><line class="warming-tile" x1="0" y1="0" x2="0" y2="6"/></pattern></defs>`,
	)
	for _, b := range l.Bars {
		x0, x1 := p.x(math.Max(b.FromS, l.from())), p.x(b.ToS)
		if x1-x0 < 1 {
			continue
		}
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(b.Label))
		c.rect("bar-"+b.Kind, x0, p.base+3, x1-x0, 15, 0)
		if w := float64(len([]rune(b.Label)))*5.4 + 6; w < x1-x0 {
			c.rect("held-plate", x0+3, p.base+4.5, w, 12, 1)
			c.text("bar-name", "start", x0+6, p.base+14, b.Label)
		}
		c.WriteString("</g>")
	}
}

// placed is a sign with where it stands.
type placed struct {
	ClockSign
	stem, x, w float64
	level      int
}

// place puts the signs under the road; those that would cover each other go lower.
func (l *Timeline) place(p plane, width float64) (out []placed, deepest int) {
	const rows = 5
	var right [rows]float64
	for i := range right {
		right[i] = math.Inf(-1)
	}
	for _, s := range l.Signs {
		b := placed{ClockSign: s, w: float64(len([]rune(s.Clock+" "+s.Text)))*6 + 12, stem: math.Max(p.x0, p.x(s.TS))}
		b.x = math.Max(p.x0-28, math.Min(b.stem-5, width-b.w-1))
		for b.level < rows-1 && b.x < right[b.level]+4 {
			b.level++
		}
		right[b.level] = b.x + b.w
		deepest = max(deepest, b.level)
		out = append(out, b)
	}
	return out, deepest
}

// drawSigns draws all stems before the boards, so that none runs through words.
func drawSigns(c *canvas, p plane, signs []placed) {
	y := func(s placed) float64 { return p.base + 27 + float64(s.level)*20 }
	for _, s := range signs {
		c.line("sign-stem", s.stem, p.base, s.stem, y(s))
	}
	for _, s := range signs {
		class := "clock-sign"
		if s.Strong {
			class = "clock-sign-strong"
		}
		c.rect(class, s.x, y(s), s.w, 17, 2)
		fmt.Fprintf(
			c,
			`<text class="%s-text" x="%s" y="%s"><tspan class="at">%s</tspan> %s</text>`,
			class,
			num(s.x+5),
			num(y(s)+12.5),
			escaped(s.Clock),
			escaped(s.Text),
		)
	}
}
