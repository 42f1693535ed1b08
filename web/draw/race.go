package draw

import (
	"fmt"
	"math"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/words"
)

// Racer is one run of a race: its road, from its clock's zero.
type Racer struct {
	Name  string
	T, KW []float64
	Posts []curve.Post
	Style int
}

// RaceStrips is two runs on one clock: the one above the axis, the other below it, and who leads by
// how much underneath.
type RaceStrips struct {
	Title          string
	Above, Below   Racer
	Race           bench.Race // of the one below against the one above
	FromPct, ToPct float64    // posts that stand out
	Unit           string     // of the lead; empty: points of charge
}

const raceW, raceH, raceRoadH = 880.0, 372.0, 112.0

// SVG draws the race. It carries what its cursor needs: the plot's edges and the times at them.
func (r *RaceStrips) SVG() string {
	end, top := 60.0, 0.0
	for _, x := range []Racer{r.Above, r.Below} {
		if n := len(x.T); n > 0 {
			end = math.Max(end, x.T[n-1])
		}
		top = math.Max(top, maxOf(x.KW))
	}
	c := &canvas{w: raceW, h: raceH}
	up := plane{x0: 44, x1: raceW - 14, base: 26 + raceRoadH, top: 26, t0: 0, t1: end, kw: niceTop(top)}
	down := up
	down.base, down.top = up.base+24, up.base+24+raceRoadH
	c.open("race", r.Title, fmt.Sprintf(`data-axis="t" data-x0="%s" data-x1="%s" data-from="0" data-to="%g"`, num(up.x0),
		num(up.x1), end))
	for i, m := range ticks(0, end/60, 9) {
		label, x := words.Figure(m, 0), up.x(m*60)
		if i == 0 {
			label += " min"
		}
		c.text("axis", "middle", x, up.base+16, label)
	}
	r.road(c, up, r.Above, -1)
	r.road(c, down, r.Below, 1)
	c.text("end-label run-"+fmt.Sprint(r.Above.Style), "end", up.x1, up.top-8, r.Above.Name)
	c.text("end-label run-"+fmt.Sprint(r.Below.Style), "end", up.x1, down.top+14, r.Below.Name)
	r.lead(c, up)
	fmt.Fprintf(c, `<line class="race-cursor" data-race-line x1="%s" x2="%s" y1="%s" y2="%s"/>`, num(up.x0), num(up.x0),
		num(up.top-6), num(down.top+6))
	c.WriteString("</svg>")
	return c.String()
}

// road draws one run's road, its posts away from the axis: side −1 above, 1 below.
func (r *RaceStrips) road(c *canvas, p plane, x Racer, side float64) {
	var px, py []float64
	for i, t := range x.T {
		if t >= 0 && !math.IsNaN(x.KW[i]) {
			px, py = append(px, p.x(t)), append(py, p.y(math.Max(0, x.KW[i])))
		}
	}
	if len(px) > 1 {
		line := path(px, py)
		fmt.Fprintf(
			c,
			`<path class="road" d="%sL%s %sL%s %sZ"/><path class="series run-%d" d="%s"/>`,
			line,
			num(px[len(px)-1]),
			num(p.base),
			num(px[0]),
			num(p.base),
			x.Style,
			line,
		)
	}
	c.line("base", p.x0, p.base, p.x1, p.base)
	road := Strip{T: x.T, KW: x.KW}
	for _, post := range x.Posts {
		if math.Mod(post.SoCPct, 10) != 0 && post.SoCPct != r.FromPct && post.SoCPct != r.ToPct || post.TS < 0 {
			continue
		}
		at, y := p.x(post.TS), p.y(road.at(post.TS))+side*9
		c.line("post", at, p.base, at, y)
		class := "flag"
		if post.SoCPct == r.FromPct || post.SoCPct == r.ToPct {
			class = "flag-end"
		}
		c.rect(class, at-11, y-7.5, 22, 15, 2)
		c.text(class+"-text", "middle", at, y+4, words.Figure(post.SoCPct, 1))
	}
}

// unit is what the lead is counted in.
func (r *RaceStrips) unit() string {
	if r.Unit == "" {
		return "points"
	}
	return r.Unit
}

// lead draws the lead against time under the strips.
func (r *RaceStrips) lead(c *canvas, p plane) {
	base, top := raceH-14, raceH-70
	most := 1.0
	for _, l := range r.Race.Lead {
		most = math.Max(most, math.Abs(l.Points))
	}
	most = niceTop(most)
	low := 0.0
	for _, l := range r.Race.Lead {
		low = math.Min(low, l.Points)
	}
	if low < -0.05*most {
		low = -most
	} else {
		low = 0
	}
	high := most
	if r.Race.Widest != nil && r.Race.Widest.Points < 0 && low < 0 {
		any := false
		for _, l := range r.Race.Lead {
			any = any || l.Points > 0.05*most
		}
		if !any {
			high = 0
		}
	}
	py := func(v float64) float64 { return base - (v-low)/(high-low)*(base-top) }
	c.text("axis", "start", p.x0, top-8, "lead of "+r.Below.Name+", "+r.unit())
	for _, v := range ticks(low, high, 3) {
		c.line("gridline", p.x0, py(v), p.x1, py(v))
		c.text("axis", "end", p.x0-5, py(v)+4, words.Figure(v, 0))
	}
	var x, y []float64
	for _, l := range r.Race.Lead {
		x, y = append(x, p.x(l.TS)), append(y, py(l.Points))
	}
	if len(x) > 1 {
		fmt.Fprintf(c, `<path class="series run-%d" d="%s"/>`, r.Below.Style, path(x, y))
	}
	if w := r.Race.Widest; w != nil {
		fmt.Fprintf(c, `<circle class="cursor-dot on" cx="%s" cy="%s" r="4.5"/>`, num(p.x(w.TS)), num(py(w.Points)))
		anchor, at := "start", p.x(w.TS)+8
		if at > p.x1-190 {
			anchor, at = "end", p.x(w.TS)-8
		}
		c.text("axis-strong", anchor, at, py(w.Points)-5, fmt.Sprintf("widest: %s %s at %s",
			words.Figure(math.Abs(w.Points), 1), r.unit(), words.Clock(w.TS)))
	}
	for _, m := range r.Race.Meetings {
		title := "they meet at " + words.Clock(m.TS)
		if !math.IsNaN(m.SoCPct) {
			title += fmt.Sprintf(", at %s %%", words.Figure(m.SoCPct, 0))
		}
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(title))
		c.line("meeting", p.x(m.TS), py(0)-7, p.x(m.TS), py(0)+7)
		c.WriteString("</g>")
	}
}

// MinutesRow is one band of charge: two runs' minutes, and by how much the second took longer.
type MinutesRow struct {
	Label  string
	A, B   float64 // s; NaN: not covered
	Cause  Part    // what held the slower one there; Minutes is the difference with its sign
	Shared string  // what held both, where they took the same
}

const minutesRowH = 21.0

// Minutes draws where the minutes go: each bar begins where the one above it ended, so that they add
// up to the difference of the whole window.
func Minutes(title, total string, rows []MinutesRow) string {
	c := &canvas{w: raceW, h: float64(len(rows)+1)*minutesRowH + 10}
	low, high, at := 0.0, 0.0, 0.0
	var held []Stretch
	for _, r := range rows {
		at += r.Cause.Minutes
		low, high = math.Min(low, at), math.Max(high, at)
		held = append(held, Stretch{Cause: r.Cause.Cause})
	}
	c.open("minutes", title, "")
	c.WriteString(hatchDefs(held))
	x0, x1 := 236.0, 600.0
	px := func(m float64) float64 {
		if high-low < 1e-9 {
			return x0
		}
		return x0 + (m-low)/(high-low)*(x1-x0)
	}
	at = 0
	for i, r := range rows {
		y := 4 + float64(i)*minutesRowH
		c.text("axis-strong", "start", 44, y+14, r.Label)
		for k, s := range []float64{r.A, r.B} {
			if !math.IsNaN(s) {
				c.text("axis", "end", 150+float64(k)*52, y+14, words.Clock(math.Round(s)))
			}
		}
		from, to := px(at), px(at+r.Cause.Minutes)
		left, wide := math.Min(from, to), math.Max(1, math.Abs(to-from))
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(r.Label+": "+r.Cause.Words))
		c.rect("held", left, y+2, wide, 15, 0)
		if LookOf(r.Cause.Cause).Hatch != "" && wide > 2 {
			fmt.Fprintf(c, `<rect x="%s" y="%s" width="%s" height="15" fill="url(#held-%s)"/>`, num(left), num(y+2), num(wide),
				r.Cause.Cause)
		}
		c.WriteString("</g>")
		c.text("axis", "start", math.Max(from, to)+6, y+14, r.Cause.Words)
		at += r.Cause.Minutes
	}
	y := 4 + float64(len(rows))*minutesRowH
	c.text("axis-strong", "start", 44, y+14, "together")
	c.text("axis-strong", "start", px(at)+6, y+14, total)
	c.WriteString("</svg>")
	return c.String()
}
