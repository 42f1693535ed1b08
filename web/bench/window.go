package bench

import (
	"fmt"
	"maps"
	"slices"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/web/chart"
)

// windows offers the windows that every run covers, and the one that is found by itself.
func (v *benchView) windows(q chart.Query) {
	to := func(window string) string {
		with := maps.Clone(v.extra)
		with.Del("window")
		if window != "" {
			with.Set("window", window)
		}
		return "/bench" + q.With("", "", with)
	}
	asked := v.extra.Get("window")
	cuts := []chart.Choice{chart.A("found", to(""), asked == "")}
	for _, w := range v.Windows {
		if slices.Contains(w.Cells, (*bench.Cell)(nil)) {
			continue
		}
		key := fmt.Sprintf("%g-%g", w.FromPct, w.ToPct)
		cuts = append(cuts, chart.A(words.Window(w.FromPct, w.ToPct), to(key), asked == key))
	}
	if len(cuts) > 2 {
		v.Cuts = cuts
	}
}

// counted says from when times count, which side's readings are read, and which window is compared.
func (v *benchView) counted(q chart.Query) string {
	from := "Times from plug-in"
	if v.Entries[0].reading.Clock == curve.PowerClock {
		from = "Times from first power"
	}
	side := map[trace.Side]string{"": "the stall's readings, else the car's", trace.CarSide: "the car's readings",
		trace.StallSide: "the stall's readings"}[q.Side]
	if v.Compared == nil || v.Compared.Window.ToPct <= v.Compared.Window.FromPct {
		return from + "; " + side
	}
	return from + "; " + side + "; " + words.Window(v.Compared.Window.FromPct, v.Compared.Window.ToPct)
}
