package draw

import (
	"fmt"
	"math"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// Strip is a run as a stretch of road: time to the right, power as its height.
// Times are seconds from clock zero.
type Strip struct {
	Title   string
	T, KW   []float64 // KW is NaN where the plug was out
	Posts   []curve.Post
	Gaps    []trace.Span
	Marks   []Sign
	Badges  []Badge
	FromPct float64 // posts of the headline window stand out
	ToPct   float64
	ToS     float64   // right end of the time axis; 0: the run's own end
	TopKW   float64   // height of the road; 0: from the run's own power
	Held    []Stretch // the ceilings that held, for the band under the road
	Width   float64   // of the large picture; 0: 880
	RoadH   float64   // how high the road may be there; 0: 132
	Narrow  bool      // for a phone: 362 wide and lower, beside a wider one that says the same

	GhostT, GhostKW []float64 // a forecast, dotted behind the road

	WarmT, WarmKW []float64  // what the warm pack takes, dotted over the road
	WarmLabel     string     // what that is
	Chosen        trace.Span // the stretch that is looked at, marked on the road; zero: none
}

// Sign is a mark at the roadside.
type Sign struct {
	TS     float64
	Letter string
	Title  string
}

// Badge numbers the stretch that a finding speaks of.
type Badge struct {
	TS     float64
	Number int
	Title  string
}

// SignLetter gives the letter on a mark's sign.
func SignLetter(kind string) string {
	switch kind {
	case run.PlugIn:
		return "P"
	case run.FirstPower:
		return "1"
	case run.Unplug:
		return "U"
	case run.Stop:
		return "S"
	case run.Attempt:
		return "A"
	case run.Heater:
		return "H"
	case run.Fan:
		return "F"
	case run.Neighbour:
		return "N"
	}
	return "i"
}

// plane maps time and power to the canvas.
type plane struct {
	x0, x1, base, top float64
	t0, t1, kw        float64
}

func (p plane) x(t float64) float64  { return p.x0 + (t-p.t0)/(p.t1-p.t0)*(p.x1-p.x0) }
func (p plane) y(kw float64) float64 { return p.base - kw/p.kw*(p.base-p.top) }

// What no session is: longer than a month, stronger than a town.
const (
	longestS = 30 * 86400.0
	mostKW   = 1e5
)

// begin is the left end of the axis: the first reading where that lies before clock zero.
func (s *Strip) begin() float64 {
	if len(s.T) > 0 && s.T[0] < 0 && s.T[0] >= -longestS {
		return s.T[0]
	}
	return 0
}

func (s *Strip) end() float64 {
	if s.ToS > 0 {
		return math.Min(longestS, s.ToS)
	}
	end := 60.0
	for _, t := range s.T {
		if t > end && t <= longestS {
			end = t
		}
	}
	return end
}

func (s *Strip) topKW() float64 {
	if s.TopKW > leastStep {
		return math.Min(mostKW, s.TopKW)
	}
	return niceTop(max(maxOf(s.KW), maxOf(s.GhostKW), 0.97*min(maxOf(s.WarmKW), mostWarm*maxOf(s.KW))))
}

// ghost draws the forecast.
func (s *Strip) ghost(c *canvas, p plane) {
	if len(s.GhostT) == 0 {
		return
	}
	x, y := make([]float64, len(s.GhostT)), make([]float64, len(s.GhostT))
	for i, t := range s.GhostT {
		x[i], y[i] = p.x(t), p.y(math.Max(0, s.GhostKW[i]))
	}
	fmt.Fprintf(c, `<path class="ghost" d="%s"/>`, path(x, y))
}

// mostWarm is how many times higher than the road the warm pack's line may make the picture.
const mostWarm = 1.6

// warm draws what the warm pack would take, named at its beginning.
func (s *Strip) warm(c *canvas, p plane) {
	if len(s.WarmT) < 2 {
		return
	}
	x, y := make([]float64, len(s.WarmT)), make([]float64, len(s.WarmT))
	for i, t := range s.WarmT {
		x[i], y[i] = p.x(t), math.NaN()
		if s.WarmKW[i] <= 1.04*p.kw {
			y[i] = p.y(s.WarmKW[i])
		}
	}
	fmt.Fprintf(c, `<path class="warm" d="%s"/>`, path(x, y))
	best, gap := -1, 0.06*p.kw // the name stands where the line is furthest above the road
	for i := range x {
		if g := s.WarmKW[i] - s.at(s.WarmT[i]); !math.IsNaN(y[i]) && g > gap && x[i] > p.x0+90 && x[i] < p.x1-90 {
			best, gap = i, g
		}
	}
	if best >= 0 && s.WarmLabel != "" {
		c.text("warm-label", "middle", x[best], y[best]-5, s.WarmLabel)
	}
}

// chosen marks the stretch that is looked at.
func (s *Strip) chosen(c *canvas, p plane) {
	if s.Chosen.Len() > 0 {
		x0, x1 := math.Max(p.x0, p.x(s.Chosen.From)), math.Min(p.x1, p.x(s.Chosen.To))
		c.rect("chosen", x0, p.top-8, math.Max(2, x1-x0), p.base-p.top+8, 0)
	}
}

// Large draws the strip of a run's own page. It carries what the reading cursor
// needs: the plot's edges and the times at them.
func (s *Strip) Large() string {
	c := &canvas{w: 880, h: 226}
	if s.Width > 0 {
		c.w = s.Width
	}
	base, class, hidden := 168.0, "strip large", ""
	if s.RoadH > 0 {
		base = 36 + s.RoadH
		c.h = base + 58
	}
	if len(s.Held) > 0 {
		c.h += bandH
	}
	if s.Narrow {
		c.w, c.h, base, class, hidden = 362, 190, 132, "strip large narrow", `aria-hidden="true" `
	}
	p := plane{x0: 36, x1: c.w - 14, base: base, top: 36, t0: s.begin(), t1: s.end(), kw: s.topKW()}
	for _, at := range s.signPlaces(p) {
		c.h = math.Max(c.h, at.y+signH/2+1)
	}
	c.open(
		class,
		s.Title,
		hidden+fmt.Sprintf(
			`data-axis="t" data-x0="%s" data-x1="%s" data-from="%g" data-to="%g" data-y0="%s" data-y1="%s"`,
			num(p.x0),
			num(p.x1),
			p.t0,
			p.t1,
			num(p.top),
			num(p.base),
		),
	)
	c.WriteString(hatch)
	for _, kw := range ticks(0, p.kw, 4) {
		if kw > 0 {
			c.line("grid", p.x0, p.y(kw), p.x1, p.y(kw))
			c.text("axis", "end", p.x0-6, p.y(kw)+4, words.Figure(kw, 0))
		}
	}
	c.text("axis", "end", p.x0-6, 14, "kW")
	s.ghost(c, p)
	s.road(c, p)
	s.chosen(c, p)
	s.warm(c, p)
	s.gaps(c, p, true)
	c.line("base", p.x0, p.base, p.x1, p.base)
	s.flags(c, p)
	if len(s.Held) > 0 {
		band(c, s.Held, p.x, p.base+3, 15, true)
		c.line("base", p.x0, p.base, p.x1, p.base)
	}
	s.times(c, p)
	s.signs(c, p)
	s.badges(c, p)
	fmt.Fprintf(
		c,
		`<line class="cursor" x1="0" x2="0" y1="%s" y2="%s"/><circle class="cursor-dot" r="4.5"/>`,
		num(p.top-8),
		num(p.base),
	)
	c.WriteString("</svg>")
	return c.String()
}

const hatch = `<defs><pattern id="gap-hatch" width="6" height="6" patternUnits="userSpaceOnUse" ` +
	`patternTransform="rotate(45)"><line class="hatch" x1="0" y1="0" x2="0" y2="6"/></pattern></defs>`

func first(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	return v[0]
}

// road draws the surface with its edge, in pieces where the power is NaN (the plug was
// out); what was read before clock zero, the approach, is drawn apart.
func (s *Strip) road(c *canvas, p plane) {
	for _, piece := range s.pieces() {
		x, y := make([]float64, 0, len(piece.T)), make([]float64, 0, len(piece.T))
		for i, t := range piece.T {
			x, y = append(x, p.x(t)), append(y, p.y(math.Max(0, piece.V[i])))
		}
		class := ""
		if piece.T[len(piece.T)-1] <= 0 {
			class = " approach"
		}
		line := path(x, y)
		fmt.Fprintf(c, `<path class="road%s" d="%sL%s %sL%s %sZ"/><path class="edge%s" d="%s"/>`,
			class, line, num(x[len(x)-1]), num(p.base), num(x[0]), num(p.base), class, line)
	}
}

// pieces are the stretches of the road without a break, split at clock zero too.
func (s *Strip) pieces() []trace.Series {
	var out []trace.Series
	var now trace.Series
	end := func() {
		if now.Len() > 0 {
			out = append(out, now)
		}
		now = trace.Series{}
	}
	for i, t := range s.T {
		if math.IsNaN(s.KW[i]) {
			end()
			continue
		}
		if n := now.Len(); n > 0 && now.T[n-1] < 0 && t >= 0 {
			end()
		}
		now.T, now.V = append(now.T, t), append(now.V, s.KW[i])
	}
	end()
	return out
}

// gaps hatches the road where nothing was read.
func (s *Strip) gaps(c *canvas, p plane, named bool) {
	for _, g := range s.Gaps {
		x0, x1 := p.x(g.From), math.Min(p.x(g.To), p.x1)
		fmt.Fprintf(
			c,
			`<rect class="gap" x="%s" y="%s" width="%s" height="%s"><title>no readings from %s to %s</title></rect>`,
			num(x0),
			num(p.top),
			num(x1-x0),
			num(p.base-p.top),
			words.Clock(g.From),
			words.Clock(g.To),
		)
		if named && x1-x0 > 60 {
			c.text("gap-label", "middle", (x0+x1)/2, p.top-4, "no readings")
		}
	}
}

// at gives the power on the joined line.
func (s *Strip) at(t float64) float64 {
	for _, piece := range s.pieces() {
		if v, ok := piece.At(t); ok {
			return math.Max(0, v)
		}
	}
	return 0
}

// flags draws a post at every SoC that was reached, its flag over the road; flags
// that would cover each other climb.
func (s *Strip) flags(c *canvas, p plane) {
	type box struct{ x, y float64 }
	var placed []box
	for _, post := range s.Posts {
		x := p.x(post.TS)
		y := math.Min(p.y(s.at(post.TS))-9, p.base-22)
		for again := true; again; {
			again = false
			for _, b := range placed {
				if math.Abs(b.x-x) < 26 && math.Abs(b.y-y) < 17 {
					y, again = b.y-17, true
				}
			}
		}
		y = math.Max(y, 9)
		placed = append(placed, box{x, y})
		c.line("post", x, p.base, x, y)
		x = math.Max(x, p.x0+9) // the flag stands clear of the axis; its post is where it is
		class := "flag"
		if post.SoCPct == s.FromPct || post.SoCPct == s.ToPct {
			class = "flag-end"
		}
		c.rect(class, x-12, y-8, 24, 15, 2)
		c.text(class+"-text", "middle", x, y+3.5, words.Figure(post.SoCPct, 1))
	}
}

// times writes the minute of each post under the road, leaving out those that
// would run into the one before.
func (s *Strip) times(c *canvas, p plane) {
	last, y := math.Inf(-1), p.base+15
	if len(s.Held) > 0 {
		y += bandH
	}
	for _, post := range s.Posts {
		if x := p.x(post.TS); x-last > 34 {
			c.text("post-time", "middle", x, y, words.Clock(post.TS))
			last = x
		}
	}
}

// signs stand under the road, where the marks were made.
func (s *Strip) signs(c *canvas, p plane) {
	places := s.signPlaces(p)
	for i, m := range s.Marks {
		x, y := places[i].x, places[i].y
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(m.Title))
		c.line("sign-stem", x, p.base, x, y-signH/2)
		c.rect("sign", x-6.5, y-signH/2, 13, signH, 2)
		c.text("sign-text", "middle", x, y+3.4, m.Letter)
		c.WriteString("</g>")
	}
}

// signPlaces are the middles of the signs: marks close to each other hang one
// below the other, on three rows at most.
func (s *Strip) signPlaces(p plane) []place {
	var row [3]float64
	for i := range row {
		row[i] = math.Inf(-1)
	}
	out := make([]place, len(s.Marks))
	for i, m := range s.Marks {
		x := math.Max(p.x0, math.Min(p.x1, p.x(m.TS)))
		level := 0
		for level < len(row)-1 && x-row[level] < 16 {
			level++
		}
		row[level] = x
		out[i] = place{x, p.base + 28 + float64(level)*14}
		if len(s.Held) > 0 {
			out[i].y += bandH
		}
	}
	return out
}

// place is a point of the picture.
type place struct{ x, y float64 }

// signH is the height of a sign.
const signH = 12.0

// badges stand in the road, each on the stretch its finding speaks of.
func (s *Strip) badges(c *canvas, p plane) {
	last := map[int]float64{}
	for _, b := range s.Badges {
		x := math.Max(p.x0+9, math.Min(p.x1-9, p.x(b.TS)))
		level := 0
		for v, taken := last[level]; taken && math.Abs(v-x) < 20; v, taken = last[level] {
			level++
		}
		last[level] = x
		y := p.base - 14 - float64(level)*20
		fmt.Fprintf(
			c,
			`<g><title>%s</title><circle class="badge" cx="%s" cy="%s" r="8"/>`,
			escaped(b.Title),
			num(x),
			num(y),
		)
		c.text("badge-text", "middle", x, y+4, fmt.Sprint(b.Number))
		c.WriteString("</g>")
	}
}

// The geometry that the strips of the logbook and their common axis share.
const (
	rowW, rowX0, rowX1 = 820.0, 6.0, 806.0
	rowBase, rowTop    = 58.0, 18.0
)

// bandH is the room that the holding band takes under a large strip.
const bandH = 17.0

// Small draws the strip of one row of the logbook; all rows share ToS and TopKW. The hatches of its
// band are those of HatchDefs, which the page has once.
func (s *Strip) Small() string {
	c := &canvas{w: rowW, h: 72}
	p := plane{x0: rowX0, x1: rowX1, base: rowBase, top: rowTop, t0: 0, t1: s.end(), kw: s.topKW()}
	c.open("strip small", s.Title, "")
	clipped := *s
	clipped.T, clipped.KW = fromZero(s.T, s.KW)
	clipped.T, clipped.KW = upTo(clipped.T, clipped.KW, p.t1)
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
func (s *Strip) Tiny() string {
	const w, h, base = 132.0, 40.0, 28.0
	c := &canvas{w: w, h: h}
	p := plane{x0: 1, x1: w - 1, base: base, top: 3, t0: 0, t1: s.end(), kw: s.topKW()}
	c.open("strip tiny", s.Title, "")
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

// maxOf is the largest of some powers; NaN, and what no session has, is none.
func maxOf(v []float64) float64 {
	top := 0.0
	for _, x := range v {
		if x > top && x <= mostKW { // NaN, where the plug was out, is not
			top = x
		}
	}
	return top
}

// fromZero leaves out what lies before clock zero.
func fromZero(t, v []float64) ([]float64, []float64) {
	i := 0
	for i < len(t) && t[i] < 0 {
		i++
	}
	return t[i:], v[i:]
}

// upTo leaves out what lies behind the end of the axis.
func upTo(t, v []float64, end float64) ([]float64, []float64) {
	i := len(t)
	for i > 0 && t[i-1] > end {
		i--
	}
	return t[:i], v[:i]
}

// RoadAxis draws the time axis over the logbook's strips.
func RoadAxis(toS float64) string {
	c := &canvas{w: rowW, h: 16}
	c.open("strip axis-row", "minutes", `aria-hidden="true"`)
	p := plane{x0: rowX0, x1: rowX1, t0: 0, t1: toS}
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
	p := plane{x0: rowX0, x1: rowX1, t0: 0, t1: toS}
	for _, m := range ticks(0, toS/60, 8) {
		c.line("grid", p.x(m*60), 0, p.x(m*60), 10)
	}
	c.WriteString("</svg>")
	return c.String()
}
