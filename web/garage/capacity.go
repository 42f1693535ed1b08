package garage

import (
	"fmt"
	"math"
	"time"

	"zincroad/core/curve"
	"zincroad/core/say"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// capacity is what a car's runs say of its usable capacity.
type capacity struct {
	ByDate, ByOdometer string // pictures; empty where no run, or fewer than two odometers, speak
	Said               []say.Text
}

// capacityOf draws what a car's runs say of its capacity, and puts how it went into sentences.
func capacityOf(name string, runs []logbook.CarCapacity, reader ui.Reader) (out capacity) {
	var said []curve.CapacityRun
	d := draw.Capacity{Measures: reader.People, Title: "Usable capacity of " + name + " by its runs",
		Day: func(t time.Time) string { return reader.Date(ui.Day(t)) }}
	odometers := 0
	for _, r := range runs {
		p := draw.CapacityPoint{At: ui.Local(r.StartedAt, r.Timezone), KWh: r.UsableKWh, LowKWh: r.UsableLow,
			HighKWh: math.NaN(), OdometerKM: math.NaN(), Software: r.Software}
		if r.OdometerKM != nil {
			p.OdometerKM = *r.OdometerKM
			odometers++
		}
		p.Tooltip = fmt.Sprintf("run %d: %s kWh, %s and more", r.ID, words.Fixed(p.KWh, 1), words.Fixed(p.LowKWh, 1))
		if r.UsableHigh != nil {
			p.HighKWh = *r.UsableHigh
			p.Tooltip = fmt.Sprintf("run %d: %s kWh, %s to %s", r.ID, words.Fixed(p.KWh, 1), words.Fixed(p.LowKWh, 1),
				words.Fixed(p.HighKWh, 1))
		}
		d.Points = append(d.Points, p)
		said = append(said, curve.CapacityRun{OdometerKM: p.OdometerKM, Software: r.Software,
			Interval: curve.Interval{Value: r.UsableKWh, Low: r.UsableLow, High: r.UsableHigh}})
	}
	d.Points = d.Points[max(0, len(d.Points)-runsShown):]
	out.ByDate, out.Said = d.SVG(), curve.CapacityOverTime(said)
	if odometers > 1 {
		d.Title, d.ByOdometer = "Usable capacity of "+name+" by its odometer", true
		out.ByOdometer = d.SVG()
	}
	return out
}
