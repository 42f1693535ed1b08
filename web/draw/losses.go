package draw

import (
	"fmt"
	"math"

	"zincroad/core/bench"
	"zincroad/core/words"
)

// LossBars are cars' minutes lost by cause, each a bar on one axis.
type LossBars struct {
	Title string
	Rows  []LossRow
}

// LossRow is one car's bar.
type LossRow struct {
	Name, Beside string // beside stands behind the bar
	Lost         []bench.GistLost
}

const (
	lossW, lossRowH = 1200.0, 24.0
	lossX0, lossX1  = 200.0, 1060.0
)

// SVG draws the bars; the hatches are those of HatchDefs, which the page has once. Empty where nothing was lost.
func (d *LossBars) SVG() string {
	most := 0.0
	for _, r := range d.Rows {
		sum := 0.0
		for _, l := range r.Lost {
			sum += l.S
		}
		most = math.Max(most, sum)
	}
	if !(most >= 1) || !plotted(most) {
		return ""
	}
	c := &canvas{w: lossW, h: float64(len(d.Rows))*lossRowH + 24}
	c.open("losses", d.Title, "")
	px := func(s float64) float64 { return lossX0 + s/most*(lossX1-lossX0) }
	foot := float64(len(d.Rows)) * lossRowH
	for i, m := range ticks(0, most/60, 8) {
		label := words.Figure(m, 2)
		if i == 0 {
			label = "0 min"
		}
		c.line("gridline", px(m*60), 0, px(m*60), foot+4)
		c.text("axis", "middle", px(m*60), foot+18, label)
	}
	for i, r := range d.Rows {
		y, at := float64(i)*lossRowH, 0.0
		c.text("axis-strong", "start", 0, y+16, clipped(r.Name, lossX0-10, 11))
		for _, l := range r.Lost {
			x, w := px(at), px(at+l.S)-px(at)
			fmt.Fprintf(c, `<g><title>%s</title>`, escaped(r.Name+": "+words.Clock(math.Round(l.S))+" "+l.Cause.Words()))
			c.rect("held", x, y+3, w, 17, 0)
			look := LookOf(l.Cause)
			if look.Hatch != "" {
				fmt.Fprintf(c, `<rect x="%s" y="%s" width="%s" height="17" fill="url(#held-%s)"/>`, num(x), num(y+3), num(w),
					l.Cause)
			}
			label := look.Letter + " " + words.Clock(math.Round(l.S))
			if wide := 6*float64(len([]rune(label))) + 6; w > wide+6 {
				c.rect("held-plate", x+3, y+6, wide, 11, 1)
				c.text("held-letter", "start", x+6, y+15.5, label)
			} else if w > 16 {
				c.rect("held-plate", x+w/2-6, y+6, 12, 11, 1)
				c.text("held-letter", "middle", x+w/2, y+15.5, look.Letter)
			}
			c.WriteString("</g>")
			at += l.S
		}
		c.text("axis", "start", px(at)+8, y+16, r.Beside)
	}
	c.WriteString("</svg>")
	return c.String()
}
