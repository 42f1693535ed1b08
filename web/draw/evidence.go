package draw

import (
	"fmt"
	"math"
	"sort"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/words"
)

// Evidence is a small picture of why a cause is named: the power that was read over a stretch, and
// the lowest of the ceilings that are known there. Times are seconds from clock zero.
type Evidence struct {
	Title string
	Lines []judge.Line // the power first, its cause empty
	Holds limit.Cause  // the one that held
	ZeroS float64      // what is taken off the lines' times
}

const (
	evidenceW, evidenceH = 320.0, 150.0
	mostCeilings         = 3
	ceilingRoom          = 1.8 // a ceiling higher than this many times the power is not drawn
)

// lowest are the ceilings worth drawing: the one that held, and the lowest of the others; and what was
// asked for and offered, where it was read.
func (e *Evidence) lowest() []judge.Line {
	type ranked struct {
		judge.Line
		low float64
	}
	var list []ranked
	var told []judge.Line // by the car and the stall themselves
	top := 0.0
	for _, v := range e.Lines[0].KW {
		top = math.Max(top, v)
	}
	for _, l := range e.Lines[1:] {
		if l.Cause == limit.SharedCabinet && e.Holds != l.Cause { // nobody else was there
			continue
		}
		low := math.Inf(1)
		for _, v := range l.KW {
			low = math.Min(low, v)
		}
		if l.Cause == "" {
			if low <= ceilingRoom*top {
				told = append(told, l)
			}
			continue
		}
		if l.Cause == e.Holds {
			low = 0
		} else if low > ceilingRoom*top {
			continue
		}
		list = append(list, ranked{l, low})
	}
	sort.SliceStable(list, func(i, j int) bool { return list[i].low < list[j].low })
	out := []judge.Line{}
	for _, l := range list[:min(len(list), mostCeilings)] {
		out = append(out, l.Line)
	}
	return append(out, told...)
}

// SVG draws the picture; empty where there is no power to draw.
func (e *Evidence) SVG() string {
	if len(e.Lines) == 0 || len(e.Lines[0].T) < 2 {
		return ""
	}
	power, ceilings := e.Lines[0], e.lowest()
	top := maxOf(power.KW)
	for _, l := range ceilings {
		top = math.Max(top, 0.97*math.Min(maxOf(l.KW), ceilingRoom*maxOf(power.KW)))
	}
	c := &canvas{w: evidenceW, h: evidenceH}
	n := len(power.T)
	p := plane{x0: 30, x1: evidenceW - 6, base: evidenceH - 20, top: 12, t0: power.T[0], t1: power.T[n-1],
		kw: niceTop(top)}
	c.open("evidence", e.Title, "")
	for _, kw := range ticks(0, p.kw, 3) {
		if kw > 0 {
			c.line("gridline", p.x0, p.y(kw), p.x1, p.y(kw))
			c.text("axis", "end", p.x0-5, p.y(kw)+4, words.Figure(kw, 0))
		}
	}
	line := func(l judge.Line, class string) {
		x, y := make([]float64, len(l.T)), make([]float64, len(l.T))
		for i, t := range l.T {
			x[i], y[i] = p.x(t), math.NaN()
			if l.KW[i] <= 1.04*p.kw {
				y[i] = p.y(math.Max(0, l.KW[i]))
			}
		}
		fmt.Fprintf(c, `<path class="%s" d="%s"><title>%s</title></path>`, class, path(x, y), escaped(l.Label.Kept()))
	}
	for i, l := range ceilings {
		class := fmt.Sprintf("limit limit-%d", i)
		if l.Cause == e.Holds {
			class += " on"
		}
		line(l, class)
	}
	line(power, "inked")
	e.key(c, p, power, ceilings)
	c.line("base", p.x0, p.base, p.x1, p.base)
	c.text("axis", "start", p.x0, evidenceH-5, words.Clock(p.t0-e.ZeroS))
	c.text("axis", "end", p.x1, evidenceH-5, words.Clock(p.t1-e.ZeroS))
	c.WriteString("</svg>")
	return c.String()
}

// key names the lines, lowest ceiling first, in the empty ground under the power: in the half where the
// power stands higher.
func (e *Evidence) key(c *canvas, p plane, power judge.Line, ceilings []judge.Line) {
	left, right := math.Inf(1), math.Inf(1)
	for i, t := range power.T {
		if p.x(t) < (p.x0+p.x1)/2 {
			left = math.Min(left, power.KW[i])
		} else {
			right = math.Min(right, power.KW[i])
		}
	}
	x := p.x0 + 8
	if right > left {
		x = (p.x0+p.x1)/2 + 8
	}
	const rowH, sample = 13.0, 20.0
	for i, l := range ceilings {
		y := p.base - 8 - rowH*float64(len(ceilings)-1-i)
		class, name := fmt.Sprintf("limit limit-%d", i), "limit-name"
		if l.Cause == e.Holds {
			class, name = class+" on", "limit-name-on"
		}
		c.line(class, x, y-3.5, x+sample, y-3.5)
		c.text(name, "start", x+sample+5, y, l.Label.Kept())
	}
}

// Part is a part of a bar that adds up.
type Part struct {
	Cause   limit.Cause // empty: the pack's own pace
	Minutes float64
	Words   string
}

const paceW, paceH = 880.0, 34.0

// PaceBar draws how a window's minutes are made up: the pack's own pace, and what was lost to what.
func PaceBar(title string, parts []Part) string {
	c := &canvas{w: paceW, h: paceH}
	sum := 0.0
	for _, p := range parts {
		sum += p.Minutes
	}
	if sum <= 0 {
		return ""
	}
	c.open("pace", title, "")
	var held []Stretch
	for _, p := range parts {
		held = append(held, Stretch{Cause: p.Cause})
	}
	c.WriteString(hatchDefs(held))
	x, y, h := 36.0, 4.0, 20.0
	for _, p := range parts {
		w := p.Minutes / sum * (paceW - 50)
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(p.Words))
		class := "pace-own"
		if p.Cause != "" {
			class = "held"
		}
		c.rect(class, x, y, w, h, 0)
		if tile := LookOf(p.Cause).Hatch; p.Cause != "" && tile != "" {
			fmt.Fprintf(c, `<rect x="%s" y="%s" width="%s" height="%s" fill="url(#held-%s)"/>`, num(x), num(y), num(w), num(h),
				p.Cause)
		}
		label := p.Words
		if float64(len(label))*5.9+10 > w {
			label = ""
			if short := LookOf(p.Cause).Letter + " " + words.Clock(p.Minutes*60); p.Cause != "" && w > 50 {
				label = short
			} else if p.Cause != "" && w > 18 {
				label = LookOf(p.Cause).Letter
			}
		}
		if label != "" {
			plate := float64(len([]rune(label)))*5.9 + 8
			if p.Cause != "" {
				c.rect("held-plate", x+3, y+3, math.Min(plate, w-6), h-6, 1)
			}
			c.text("held-letter", "start", x+7, y+h/2+3.8, label)
		}
		c.WriteString("</g>")
		x += w
	}
	c.WriteString("</svg>")
	return c.String()
}
