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
	Along                        []Spot     // the charge, %; none: straight from stop to stop
	Land                         []Spot     // how high the way lies, m; none: nobody knows
	Measures                     units.People
}

// Spot is a value at a kilometre.
type Spot struct{ Km, V float64 }

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
	x, y := d.road(px, py)
	fmt.Fprintf(c, `<path class="road" d="%sL%s %sL%s %sZ"/>`, path(x, y), num(px(d.DistanceKm)), num(base), num(px(0)),
		num(base))
	d.land(c, px, base)
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

// road is the charge along the way.
func (d *Trip) road(px, py func(float64) float64) (x, y []float64) {
	for _, s := range d.Along {
		x, y = append(x, px(s.Km)), append(y, py(s.V))
	}
	if len(x) > 0 {
		return x, y
	}
	x, y = []float64{px(0)}, []float64{py(d.StartPct)}
	for _, s := range d.Stops {
		x, y = append(x, px(s.AtKm), px(s.AtKm)), append(y, py(s.ArrivePct), py(s.LeavePct))
	}
	return append(x, px(d.DistanceKm)), append(y, py(d.EndPct))
}

// landH is how high the land's highest place is drawn.
const landH = 52.0

// land draws the hills along the foot of the road, by their own scale, and says how high the highest lies.
func (d *Trip) land(c *canvas, px func(float64) float64, base float64) {
	if len(d.Land) < 2 {
		return
	}
	low, top := d.Land[0], d.Land[0]
	for _, s := range d.Land {
		if s.V < low.V {
			low = s
		}
		if s.V > top.V {
			top = s
		}
	}
	span := math.Max(100, top.V-low.V) // a plain is no range of hills
	var x, y []float64
	for _, s := range d.Land {
		x, y = append(x, px(s.Km)), append(y, base-landH*(0.12+0.88*(s.V-low.V)/span))
	}
	fmt.Fprintf(c, `<path class="land" d="%sL%s %sL%s %sZ"/>`, path(x, y), num(x[len(x)-1]), num(base), num(x[0]),
		num(base))
	c.text("axis land-top", "middle", px(top.Km), base-landH*(0.12+0.88*(top.V-low.V)/span)-5,
		words.Figure(d.Measures.Show("m", top.V), 0)+" "+d.Measures.Name("m"))
}
