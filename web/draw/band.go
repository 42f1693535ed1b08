package draw

import (
	"fmt"
	"math"
	"strings"

	"zincroad/core/limit"
	"zincroad/core/words"
)

// Stretch is a part of a session with one holding ceiling. Times are seconds from
// clock zero.
type Stretch struct {
	FromS, ToS float64
	Cause      limit.Cause
}

// hatchDefs are the patterns of all causes; a page needs them once, a picture that
// stands alone has them inside.
func hatchDefs(used []Stretch) string {
	var b strings.Builder
	seen := map[limit.Cause]bool{}
	for _, s := range used {
		tile := LookOf(s.Cause).Hatch
		if tile == "" || seen[s.Cause] {
			continue
		}
		seen[s.Cause] = true
		fmt.Fprintf(
			&b,
			`<pattern id="held-%s" width="8" height="8" patternUnits="userSpaceOnUse">`+
				`<path class="held-tile" d="%s"/></pattern>`,
			s.Cause,
			tile,
		)
	}
	if b.Len() == 0 {
		return ""
	}
	return "<defs>" + b.String() + "</defs>"
}

// HatchDefs are the hatches of every cause, for a page that draws many small bands.
func HatchDefs() string {
	all := make([]Stretch, len(limit.Signs))
	for i, s := range limit.Signs {
		all[i].Cause = s.Cause
	}
	return hatchDefs(all)
}

// band draws the holding ceilings as a row of height h under a road: hatch, letter
// and, where there is room, the word. A page that has the hatches already draws it alone.
func band(c *canvas, stretches []Stretch, x func(float64) float64, y, h float64, alone bool) {
	letter, charW := "held-letter", 5.8
	if alone {
		c.WriteString(hatchDefs(stretches))
	} else {
		letter, charW = "held-letter small", 4.7
	}
	for _, s := range stretches {
		look, name := LookOf(s.Cause), s.Cause.Words()
		x0, x1 := x(s.FromS), x(s.ToS)
		if x1-x0 < 0.5 {
			continue
		}
		fmt.Fprintf(
			c,
			`<g><title>%s, %s to %s</title>`,
			escaped(name),
			words.Clock(s.FromS),
			words.Clock(s.ToS),
		)
		c.rect("held", x0, y, x1-x0, h, 0)
		if look.Hatch != "" {
			fmt.Fprintf(
				c,
				`<rect x="%s" y="%s" width="%s" height="%s" fill="url(#held-%s)"/>`,
				num(x0),
				num(y),
				num(x1-x0),
				num(h),
				s.Cause,
			)
		}
		label := look.Letter
		if room := x1 - x0; float64(len([]rune(name)))*charW+22 < room {
			label += "  " + name
		} else if room < 11 {
			label = ""
		}
		if label != "" {
			w := math.Min(x1-x0, float64(len([]rune(label)))*charW+6)
			c.rect("held-plate", (x0+x1-w)/2, y+h/10, w, h*0.8, 1)
			c.text(letter, "middle", (x0+x1)/2, y+h/2+charW*0.65, label)
		}
		c.WriteString("</g>")
	}
}
