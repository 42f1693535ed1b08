package garage

import (
	"fmt"
	"math"

	"zincroad/core/curve"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
)

// capacityOf draws what a car's runs say of its capacity, and puts how it went into a sentence;
// empty where fewer than two speak.
func capacityOf(name string, runs []logbook.CarRun) (svg, said string) {
	var values []curve.Interval
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
		values = append(values, curve.Interval{Value: *r.UsableKWh, Low: *r.UsableLow, High: r.UsableHigh})
	}
	return d.SVG(), changeOf(values)
}

// changeOf says whether the capacity changed, from the first run to the last.
func changeOf(values []curve.Interval) string {
	n := len(values)
	if n < 2 {
		return ""
	}
	a, b := values[0], values[n-1]
	by := fmt.Sprintf("%s kWh in the first of %d runs, %s in the last", words.Fixed(a.Value, 1), n, words.Fixed(b.Value, 1))
	switch a.Change(b) {
	case -1:
		return by + ": less by more than the readings leave open."
	case 1:
		return by + ": more by more than the readings leave open."
	}
	return by + ": no change that the readings could show."
}
