package draw

import (
	"fmt"
	"math"

	"zincroad/core/curve"
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
			c.line("gridline", p.x0, p.y(kw), p.x1, p.y(kw))
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

// bandH is the room that the holding band takes under a large strip.
const bandH = 17.0

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
