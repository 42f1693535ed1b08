package garage

import (
	"fmt"
	"math"

	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
)

// capacityOf draws what a car's runs say of its capacity, and puts how it went into a sentence;
// empty where fewer than two speak.
func capacityOf(name string, runs []logbook.CarRun) (svg, said string) {
	d := draw.Capacity{Title: "Usable capacity of " + name + " by its runs"}
	for _, r := range runs {
		if r.UsableKWh == nil || r.UsableLow == nil || r.StartedAt == nil {
			continue
		}
		p := draw.CapacityPoint{At: *r.StartedAt, KWh: *r.UsableKWh, LowKWh: *r.UsableLow, HighKWh: math.NaN(),
			Software: r.Software}
		p.Tooltip = fmt.Sprintf("run %d: %s kWh, %s and more", r.ID, words.Fixed(p.KWh, 1), words.Fixed(p.LowKWh, 1))
		if r.UsableHigh != nil {
			p.HighKWh = *r.UsableHigh
			p.Tooltip = fmt.Sprintf("run %d: %s kWh, %s to %s", r.ID, words.Fixed(p.KWh, 1), words.Fixed(p.LowKWh, 1),
				words.Fixed(p.HighKWh, 1))
		}
		d.Points = append(d.Points, p)
	}
	return d.SVG(), changeOf(d.Points)
}

// changeOf says whether the capacity changed, from the first run to the last: only where their
// intervals do not touch.
func changeOf(points []draw.CapacityPoint) string {
	n := len(points)
	if n < 2 {
		return ""
	}
	a, b := points[0], points[n-1]
	by := fmt.Sprintf("%s kWh in the first of %d runs, %s in the last", words.Fixed(a.KWh, 1), n, words.Fixed(b.KWh, 1))
	switch {
	case b.HighKWh < a.LowKWh:
		return by + ": less by more than the readings leave open."
	case b.LowKWh > a.HighKWh:
		return by + ": more by more than the readings leave open."
	}
	return by + ": no change that the readings could show."
}
