package bench

import (
	"fmt"
	"maps"
	"net/url"
	"slices"

	"zincroad/core/bench"
	"zincroad/core/words"
	"zincroad/web/chart"
)

// cutTo is the window that the address asks to compare, "20-70"; 0 and 0 where it asks for none.
func cutTo(address url.Values) (from, to float64) {
	var rest string
	n, _ := fmt.Sscanf(address.Get("window")+" .", "%f-%f %s", &from, &to, &rest)
	if n != 3 || !(from >= 0 && from < to && to <= 100) {
		return 0, 0
	}
	return from, to
}

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
