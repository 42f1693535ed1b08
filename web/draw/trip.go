package draw

import (
	"fmt"
	"math"

	"zincroad/core/units"
	"zincroad/core/words"
)

// Trip is a way with its stops: charge against kilometres.
type Trip struct {
	Title                        string
	DistanceKm, StartPct, EndPct float64
	ReservePct                   float64
	Stops                        []TripStop // in order of the way
	Measures                     units.People
}

// TripStop is one charge on a way.
type TripStop struct {
	Name                      string
	AtKm, ArrivePct, LeavePct float64
	Minutes                   float64
	Why                       string
}

const tripW, tripH = 900.0, 260.0

// SVG draws the way as a road whose height is the charge; each stop is a post with its minutes.
func (d *Trip) SVG() string {
	if !(d.DistanceKm > 0) {
		return ""
	}
	c := &canvas{w: tripW, h: tripH}
	c.open("trip", d.Title, "")
	x0, x1, top, base := 44.0, tripW-24, 34.0, tripH-44
	px := func(km float64) float64 { return x0 + km/d.DistanceKm*(x1-x0) }
	py := func(pct float64) float64 { return base - math.Max(0, math.Min(100, pct))/100*(base-top) }
	for pct := 20.0; pct <= 100; pct += 20 {
		c.line("gridline", x0, py(pct), x1, py(pct))
		c.text("axis", "end", x0-6, py(pct)+4, words.Figure(pct, 0)+" %")
	}
	if d.ReservePct > 0 {
		c.line("reserve", x0, py(d.ReservePct), x1, py(d.ReservePct))
	}
	c.line("base", x0, base, x1, base)
	x, y := []float64{px(0)}, []float64{py(d.StartPct)}
	for _, s := range d.Stops {
		x, y = append(x, px(s.AtKm), px(s.AtKm)), append(y, py(s.ArrivePct), py(s.LeavePct))
	}
	x, y = append(x, px(d.DistanceKm)), append(y, py(d.EndPct))
	fmt.Fprintf(c, `<path class="road" d="%sL%s %sL%s %sZ"/>`, path(x, y), num(px(d.DistanceKm)), num(base), num(px(0)),
		num(base))
	fmt.Fprintf(c, `<path class="way" d="%s"/>`, path(x, y))
	for i, s := range d.Stops {
		at := px(s.AtKm)
		name := fmt.Sprintf("%s: %s to %s %% in %s. %s", s.Name, words.Figure(s.ArrivePct, 0), words.Figure(s.LeavePct, 0),
			words.Duration(s.Minutes*60), s.Why)
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(name))
		c.line("post", at, py(s.ArrivePct), at, py(s.LeavePct)-6)
		label := words.Figure(s.Minutes, 0) + " min"
		w := 14 + 6.6*float64(len(label))
		c.rect("plate", at-w/2, py(s.LeavePct)-26, w, 20, 3)
		c.text("plate-text", "middle", at, py(s.LeavePct)-12, label)
		c.text("axis", "middle", math.Max(x0+30, math.Min(x1-30, at)), base+15+14*float64(i%2), s.Name)
		c.WriteString("</g>")
	}
	unit := d.Measures.Name("km")
	c.text("axis", "start", x0, base+15, "0 "+unit)
	c.text("axis", "end", x1, base+15, words.Figure(d.Measures.Show("km", d.DistanceKm), 0)+" "+unit)
	c.WriteString("</svg>")
	return c.String()
}
