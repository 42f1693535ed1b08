package draw

import (
	"fmt"
	"math"

	"zincroad/core/words"
)

// The geometry that the strips of the logbook and their common axis share: on a desk and, narrow, on a phone.
const (
	rowW, narrowRowW = 820.0, 366.0
	rowX0            = 6.0
	rowX1Off         = 14.0 // from the right edge
	rowBase, rowTop  = 58.0, 18.0
)

// Small draws the strip of one row of the logbook; all rows share ToS and TopKW. The hatches of its
// band are those of HatchDefs, which the page has once.
func (s *Strip) Small() string { return s.row("strip small", rowW) }

// SmallNarrow is Small for a phone.
func (s *Strip) SmallNarrow() string { return s.row("strip small narrow", narrowRowW) }

func (s *Strip) row(class string, w float64) string {
	c := &canvas{w: w, h: 72}
	p := plane{x0: rowX0, x1: w - rowX1Off, base: rowBase, top: rowTop, t0: 0, t1: s.end(), kw: s.topKW()}
	c.open(class, s.Title, "")
	clipped := *s
	clipped.T, clipped.KW = fromZero(s.T, s.KW)
	clipped.T, clipped.KW = upTo(clipped.T, clipped.KW, p.t1)
	if kw := level(p.kw); kw > 0 && len(s.T) > 0 {
		c.line("level", p.x0, p.y(kw), p.x1, p.y(kw))
		c.text("axis level-name", "end", w, p.y(kw)-2, words.Figure(kw, 0)+" kW")
	}
	clipped.road(c, p)
	low := p
	low.top = p.y(maxOf(s.KW))
	clipped.gaps(c, low, false)
	if n := len(clipped.T); n > 0 {
		c.line("base", p.x0, p.base, p.x(clipped.T[n-1]), p.base)
	}
	if len(s.Held) > 0 {
		band(c, s.Held, func(t float64) float64 { return math.Min(p.x1, p.x(t)) }, p.base+2, 10, false)
	}
	last := math.Inf(-1)
	for i, post := range s.Posts {
		x := p.x(post.TS)
		y := p.y(s.at(post.TS))
		if x > p.x1+1 {
			break
		}
		c.line("post", x, p.base, x, y)
		if x-last < 15 && i > 0 && post.SoCPct != s.ToPct {
			continue
		}
		class := "post-label"
		if post.SoCPct == s.ToPct {
			class = "post-label-end"
		}
		c.text(class, "middle", math.Max(x, 9), math.Min(y, p.base-9)-4, words.Figure(post.SoCPct, 1))
		last = x
	}
	c.WriteString("</svg>")
	return c.String()
}

// Tiny draws the road and its band alone, for a cell of a table. The hatches are those of HatchDefs.
func (s *Strip) Tiny() string { return s.alone("tiny", 132) }

// Wide is Tiny for two that lie under each other.
func (s *Strip) Wide() string { return s.alone("wide", 360) }

// alone draws the road and its band, so broad.
func (s *Strip) alone(class string, w float64) string {
	const h, base = 40.0, 28.0
	c := &canvas{w: w, h: h}
	p := plane{x0: 1, x1: w - 1, base: base, top: 3, t0: 0, t1: s.end(), kw: s.topKW()}
	c.open("strip "+class, s.Title, "")
	clipped := *s
	clipped.T, clipped.KW = fromZero(s.T, s.KW)
	clipped.T, clipped.KW = upTo(clipped.T, clipped.KW, p.t1)
	clipped.road(c, p)
	if n := len(clipped.T); n > 0 {
		c.line("base", p.x0, p.base, p.x(clipped.T[n-1]), p.base)
	}
	if len(s.Held) > 0 {
		band(c, s.Held, func(t float64) float64 { return math.Min(p.x1, p.x(t)) }, p.base+2, 9, false)
	}
	c.WriteString("</svg>")
	return c.String()
}

// TimeDots marks times under a strip of Tiny, on its axis.
func TimeDots(title string, at []float64, toS float64) string {
	const w = 132.0
	c := &canvas{w: w, h: 10}
	p := plane{x0: 1, x1: w - 1, t0: 0, t1: toS}
	c.open("time-dots", title, "")
	for _, t := range at {
		if plotted(t) && t <= toS {
			fmt.Fprintf(c, `<circle class="point" cx="%s" cy="5" r="3"/>`, num(p.x(t)))
		}
	}
	c.WriteString("</svg>")
	return c.String()
}

// level is a round power that a road of so many kW has room for, to tell its height by.
func level(topKW float64) float64 {
	out := 0.0
	for _, v := range ticks(0, 0.85*topKW, 2) {
		out = math.Max(out, v)
	}
	return out
}

// RoadAxis draws the time axis over the logbook's strips.
func RoadAxis(toS float64) string { return roadAxis("strip axis-row", rowW, toS) }

// RoadAxisNarrow is RoadAxis for a phone.
func RoadAxisNarrow(toS float64) string { return roadAxis("strip axis-row narrow", narrowRowW, toS) }

func roadAxis(class string, w, toS float64) string {
	c := &canvas{w: w, h: 16}
	c.open(class, "minutes", `aria-hidden="true"`)
	p := plane{x0: rowX0, x1: w - rowX1Off, t0: 0, t1: toS}
	for i, m := range ticks(0, toS/60, 8) {
		label := words.Figure(m, 0)
		anchor := "middle"
		if i == 0 {
			label, anchor = "0 min", "start"
		}
		c.text("axis", anchor, p.x(m*60), 11, label)
	}
	c.WriteString("</svg>")
	return c.String()
}

// RoadGrid draws the axis' lines that run through all rows: a picture to be
// stretched behind them.
func RoadGrid(toS float64) string {
	c := &canvas{w: rowW, h: 10}
	c.open("road-grid", "", `aria-hidden="true" preserveAspectRatio="none"`)
	p := plane{x0: rowX0, x1: rowW - rowX1Off, t0: 0, t1: toS}
	for _, m := range ticks(0, toS/60, 8) {
		c.line("gridline", p.x(m*60), 0, p.x(m*60), 10)
	}
	c.WriteString("</svg>")
	return c.String()
}
