package draw

import (
	"fmt"
	"math"
	"slices"
	"time"

	"zincroad/core/say"
	"zincroad/core/units"
	"zincroad/core/words"
)

// Capacity is a pack's usable capacity as its runs had it, against their dates or the odometer.
type Capacity struct {
	Title      string
	Measures   units.People // of its reader
	Day        func(time.Time) string
	ByOdometer bool            // points without one are left out
	Points     []CapacityPoint // in order of time
}

// CapacityPoint is one run's capacity with its interval; HighKWh NaN where it has no upper end.
type CapacityPoint struct {
	At                time.Time
	KWh, LowKWh       float64
	HighKWh           float64
	OdometerKM        float64 // NaN: not noted
	Software, Tooltip string
}

const capacityW, capacityH = 560.0, 190.0

// SVG draws the picture; empty for no points.
func (d *Capacity) SVG() string {
	points := d.Points
	if d.ByOdometer {
		points = nil
		for _, p := range d.Points {
			if !math.IsNaN(p.OdometerKM) {
				points = append(points, p)
			}
		}
	}
	points = slices.DeleteFunc(slices.Clone(points), func(p CapacityPoint) bool {
		return !plotted(p.KWh) || !plotted(p.LowKWh) || d.ByOdometer && !plotted(p.OdometerKM)
	})
	if len(points) == 0 {
		return ""
	}
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		low, high = math.Min(low, p.LowKWh), math.Max(high, p.KWh)
		if plotted(p.HighKWh) {
			high = math.Max(high, p.HighKWh)
		}
	}
	room := math.Max(1, 0.15*(high-low))
	low, high = low-room, high+room
	c := &canvas{w: capacityW, h: capacityH}
	c.open("capacity", d.Title, "")
	x0, x1, base, top := 40.0, capacityW-16, capacityH-26, 16.0
	along := func(p CapacityPoint) float64 {
		if d.ByOdometer {
			return p.OdometerKM
		}
		return p.At.Sub(points[0].At).Hours()
	}
	least, most := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		least, most = math.Min(least, along(p)), math.Max(most, along(p))
	}
	px := func(p CapacityPoint) float64 {
		if most <= least {
			return (x0 + x1) / 2
		}
		return x0 + 18 + (along(p)-least)/(most-least)*(x1-x0-36)
	}
	py := func(kwh float64) float64 { return base - (kwh-low)/(high-low)*(base-top) }
	for _, v := range ticks(low, high, 4) {
		c.line("gridline", x0, py(v), x1, py(v))
		c.text("axis", "end", x0-5, py(v)+4, words.Figure(v, 1))
	}
	c.text("axis", "end", x0-5, 9, "kWh")
	c.line("base", x0, base, x1, base)
	software := ""
	for i, p := range points {
		x := px(p)
		fmt.Fprintf(c, `<g><title>%s</title>`, escaped(p.Tooltip))
		upper := p.HighKWh
		if !plotted(upper) {
			upper = high
		}
		c.line("whisker", x, py(p.LowKWh), x, py(upper))
		fmt.Fprintf(c, `<circle class="dot" cx="%s" cy="%s" r="4"/></g>`, num(x), num(py(p.KWh)))
		if p.Software != software {
			if software = p.Software; i > 0 {
				c.line("update", x-9, top, x-9, base)
			}
			c.text("axis-strong", "start", x-7, top-4, software)
		}
		if i == 0 || i == len(points)-1 && most > least {
			named := d.Day(p.At)
			if d.ByOdometer {
				named = say.Q(p.OdometerKM, "km", 0).In(d.Measures)
			}
			c.text("axis", "middle", math.Max(x0+24, math.Min(x1-24, x)), base+16, named)
		}
	}
	c.WriteString("</svg>")
	return c.String()
}
