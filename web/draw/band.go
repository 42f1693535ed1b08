package draw

import (
	"fmt"
	"html"
	"math"
	"strings"

	"zincroad/core/ceiling"
	"zincroad/core/words"
)

// Stretch is a part of a session with one holding ceiling. Times are seconds from
// clock zero.
type Stretch struct {
	FromS, ToS float64
	Cause      ceiling.Cause
}

// hatches tell the ceilings apart without colour: each cause's tile of 8 by 8. The
// stall's limits lie level, the car's and the pack's slant, cold and heat are
// dotted, what comes and goes is broken.
var hatches = map[ceiling.Cause]string{
	ceiling.Ramp:           "M0 4h2M4 4h2",
	ceiling.StallPower:     "M0 2h8M0 6h8",
	ceiling.StallCurrent:   "M2 0v8M6 0v8",
	ceiling.StallVoltage:   "M1 0v8M3 0v8M5 0v8M7 0v8",
	ceiling.AdapterCurrent: "M0 4h8M4 0v8",
	ceiling.CarPower:       "M0 8L8 0M-2 2L2 -2M6 10L10 6",
	ceiling.CarCurrent:     "M0 0L8 8M6 -2L10 2M-2 6L2 10",
	ceiling.CarConverter:   "M0 0L8 8M0 8L8 0",
	ceiling.PackTaper:      "M0 8L8 0",
	ceiling.Cold:           "M2 2h.1M6 6h.1",
	ceiling.Hot:            "M1 1h.1M5 1h.1M3 3h.1M7 3h.1M1 5h.1M5 5h.1M3 7h.1M7 7h.1",
	ceiling.TimerStep:      "M0 2h3M4 6h3",
	ceiling.SoCStep:        "M4 2v4M2 4h4",
	ceiling.Finish:         "M0 7h8",
	ceiling.StallFault:     "M2 2l4 4M6 2l-4 4",
	ceiling.SharedCabinet:  "M2 0v4M6 4v4",
	ceiling.CableHot:       "M0 2q2 3 4 0t4 0M0 6q2 3 4 0t4 0",
}

// hatchDefs are the patterns of all causes; a page needs them once, a picture that
// stands alone has them inside.
func hatchDefs(used []Stretch) string {
	var b strings.Builder
	seen := map[ceiling.Cause]bool{}
	for _, s := range used {
		tile, ok := hatches[s.Cause]
		if !ok || seen[s.Cause] {
			continue
		}
		seen[s.Cause] = true
		fmt.Fprintf(&b, `<pattern id="held-%s" width="8" height="8" patternUnits="userSpaceOnUse"><path class="held-tile" d="%s"/></pattern>`, s.Cause, tile)
	}
	if b.Len() == 0 {
		return ""
	}
	return "<defs>" + b.String() + "</defs>"
}

// band draws the holding ceilings as a row of height h under a road: hatch, letter
// and, where there is room, the word.
func band(c *canvas, stretches []Stretch, x func(float64) float64, y, h float64) {
	c.WriteString(hatchDefs(stretches))
	for _, s := range stretches {
		sign := s.Cause.Sign()
		x0, x1 := x(s.FromS), x(s.ToS)
		if x1-x0 < 0.5 {
			continue
		}
		fmt.Fprintf(c, `<g><title>%s, %s to %s</title>`, html.EscapeString(sign.Words), words.Clock(s.FromS), words.Clock(s.ToS))
		c.rect("held", x0, y, x1-x0, h, 0)
		if _, ok := hatches[s.Cause]; ok {
			fmt.Fprintf(c, `<rect x="%s" y="%s" width="%s" height="%s" fill="url(#held-%s)"/>`, num(x0), num(y), num(x1-x0), num(h), s.Cause)
		}
		label := sign.Letter
		if room := x1 - x0; float64(len([]rune(sign.Words)))*5.6+22 < room {
			label += "  " + sign.Words
		} else if room < 11 {
			label = ""
		}
		if label != "" {
			w := math.Min(x1-x0, float64(len([]rune(label)))*5.8+6)
			c.rect("held-plate", (x0+x1-w)/2, y+1.5, w, h-3, 1)
			c.text("held-letter", "middle", (x0+x1)/2, y+h/2+3.8, label)
		}
		c.WriteString("</g>")
	}
}
