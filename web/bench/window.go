package bench

import (
	"fmt"
	"maps"
	"slices"

	"zincroad/core/bench"
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
