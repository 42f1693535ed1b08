package bench

// Dot is a run by how warm its pack was at plug-in, and what cars are ranked by.
type Dot struct {
	ID            int64
	Car, Software string
	StartC, Value float64 // coldest cell at plug-in; by the order's measure
}

// Dots are the runs that an order goes by, whether warm or cold, of which the pack's temperature is known: how far down
// cold holds each car is seen at a glance. They come in the order of runs.
func Dots(runs []Known, o Order) []Dot {
	var out []Dot
	for _, k := range runs {
		low := o.By != By100Km || k.StartPct != nil && *k.StartPct <= lowStartPct
		if k.Car == "" || k.StartC == nil || !k.fair() || k.StallKW < o.StallFromKW || !o.unheld(k) || !low {
			continue
		}
		if v, ok := o.By.value(k, o.FromPct, o.ToPct); ok {
			out = append(out, Dot{k.ID, k.Car, k.Software, *k.StartC, v})
		}
	}
	return out
}
