package draw

import (
	"fmt"
	"math"

	"zincroad/core/run"
)

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
