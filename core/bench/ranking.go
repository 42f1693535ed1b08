package bench

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/say"
)

// Measure is what cars are ranked by.
type Measure string

// The measures. Minutes of a window compare the packs' sizes too; distance, energy and C-rate do not.
const (
	ByWindow Measure = "window" // minutes for a window
	By100Km  Measure = "km100"  // minutes to +100 km by the observed consumption
	ByEnergy Measure = "kwh"    // kWh into the pack a minute, over the window
	ByCRate  Measure = "crate"  // mean power into the pack over its usable capacity, over the window
)

// Measures lists them.
var Measures = []Measure{ByWindow, By100Km, ByEnergy, ByCRate}

// Words are a measure as a page names it.
func (m Measure) Words() say.Text {
	if m == By100Km {
		return say.T("measure.km100", say.Q(100, "km", 0))
	}
	return say.T("measure." + string(m))
}

// lowStartPct is the charge from which +100 km may be counted at most: a taper that is entered half way takes
// longer for them, whatever the car (common practice, no source).
const lowStartPct = 20.0

// Less tells whether a smaller value of it is the better one.
func (m Measure) Less() bool { return m == ByWindow || m == By100Km }

// value is a run's value: minutes, kWh a minute, or 1/h; false where the run has none.
func (m Measure) value(k Known, from, to float64) (float64, bool) {
	if m == By100Km {
		if k.Gist.Km100S == nil {
			return 0, false
		}
		return *k.Gist.Km100S / 60, true
	}
	w, ok := k.Gist.Window(from, to)
	switch {
	case !ok:
		return 0, false
	case m == ByWindow:
		return w.TS / 60, true
	case w.PackKW == nil:
		return 0, false
	case m == ByEnergy:
		return *w.PackKW / 60, true
	case k.Gist.UsableKWh == nil || !(*k.Gist.UsableKWh > 0):
		return 0, false
	}
	return *w.PackKW / *k.Gist.UsableKWh, true
}

// Standing is a car's place in a ranking, with one software.
type Standing struct {
	Car, Software    string
	Value, Low, High float64   // the median of its runs, and the extremes
	Runs             []int64   // by value, the best first
	Values           []float64 // theirs
	Typical          int64     // the run whose value is nearest to the median
	StartC           Range     // coldest cell at plug-in
	StartPct         Range     // charge at plug-in
	StallKW          Range
	OutsideS         *float64 // median of what was lost to what is not the car's; nil: not judged
}

// Range is the least and the most of what was noted; NaN: nothing was.
type Range struct{ Low, High float64 }

// Passed is a car that has no place, and why.
type Passed struct {
	Car, Software string
	Why           say.Text
}

// Order is what a ranking goes by: the measure, over which window, of packs how warm and at which stalls.
type Order struct {
	By             Measure
	FromPct, ToPct float64
	Warmth         Warmth
	StallFromKW    float64 // stalls that promise so much and more; 0: any
	Held           bool    // runs that the stall held down count too
}

// heldShare is how much of a window may be lost to a stall that did not hold the run, as little as matters.
const heldShare = smallestShare

// unheld tells whether nothing outside the car held a run for long enough to matter; one that was not judged counts.
func (o Order) unheld(k Known) bool {
	if o.Held || k.Gist.OutsideS == nil {
		return true
	}
	took := 0.0
	if k.WindowS != nil {
		took = *k.WindowS
	}
	return *k.Gist.OutsideS < max(smallestS, heldShare*took)
}

// words are what an order goes by, with its window where it hangs on one.
func (o Order) words() say.Text {
	if o.By == By100Km {
		return say.T("bench.from-plug-in", o.By.Words())
	}
	return say.T("bench.over", o.By.Words(), say.Window(o.FromPct, o.ToPct))
}

// Ranking lists cars by an order, the best first. Runs that were plugged in twice or in a gentle profile are
// none of a car's best. A car with runs but none that counts is passed over with a reason.
func Ranking(runs []Known, o Order) (list []Standing, passed []Passed) {
	kinds := map[string][]Known{}
	var order []string
	for _, k := range runs {
		if k.Car == "" {
			continue
		}
		if _, seen := kinds[k.kind()]; !seen {
			order = append(order, k.kind())
		}
		kinds[k.kind()] = append(kinds[k.kind()], k)
	}
	for _, name := range order {
		all := kinds[name]
		s, why := o.standing(all)
		if why.Any() {
			passed = append(passed, Passed{all[0].Car, all[0].Software, why})
			continue
		}
		list = append(list, s)
	}
	slices.SortStableFunc(list, func(a, b Standing) int {
		if o.By.Less() {
			return cmp.Compare(a.Value, b.Value)
		}
		return cmp.Compare(b.Value, a.Value)
	})
	return list, passed
}

// standing is one car's, of its runs; or why it has none.
func (o Order) standing(runs []Known) (s Standing, why say.Text) {
	type one struct {
		run   Known
		value float64
	}
	var counted []one
	fair, warm, strong, free, low := false, false, false, false, false
	for _, k := range runs {
		if !k.fair() {
			continue
		}
		fair = true
		if !o.Warmth.is(k) {
			continue
		}
		warm = true
		if k.StallKW < o.StallFromKW {
			continue
		}
		strong = true
		if !o.unheld(k) {
			continue
		}
		free = true
		if o.By == By100Km && (k.StartPct == nil || *k.StartPct > lowStartPct) {
			continue
		}
		low = true
		if v, ok := o.By.value(k, o.FromPct, o.ToPct); ok {
			counted = append(counted, one{k, v})
		}
	}
	switch {
	case !fair:
		return s, say.T("bench.only-replugged-or-gentle")
	case !warm:
		return s, say.T("bench.no-run-" + string(o.Warmth))
	case !strong:
		return s, say.T("bench.no-run-at-such")
	case !free:
		return s, say.T("bench.no-run-that-the")
	case !low:
		return s, say.T("bench.no-run-that-starts", say.Fig(lowStartPct, 6))
	case len(counted) == 0:
		return s, say.T("bench.no-such-run-covers")
	}
	slices.SortStableFunc(counted, func(a, b one) int {
		if o.By.Less() {
			return cmp.Compare(a.value, b.value)
		}
		return cmp.Compare(b.value, a.value)
	})
	values := make([]float64, len(counted))
	var outside []float64
	s = Standing{Car: runs[0].Car, Software: runs[0].Software, StartC: Range{math.NaN(), math.NaN()},
		StartPct: Range{math.NaN(), math.NaN()},
		StallKW:  Range{math.NaN(), math.NaN()}}
	for i, c := range counted {
		values[i] = c.value
		s.Runs = append(s.Runs, c.run.ID)
		if c.run.StartC != nil {
			s.StartC.take(*c.run.StartC)
		}
		if c.run.StartPct != nil {
			s.StartPct.take(*c.run.StartPct)
		}
		if c.run.StallKW > 0 {
			s.StallKW.take(c.run.StallKW)
		}
		if c.run.Gist.OutsideS != nil {
			outside = append(outside, *c.run.Gist.OutsideS)
		}
	}
	s.Values = slices.Clone(values)
	slices.Sort(values)
	s.Value, s.Low, s.High = quantile(values, 0.5), values[0], values[len(values)-1]
	nearest := slices.MinFunc(counted, func(a, b one) int {
		return cmp.Compare(math.Abs(a.value-s.Value), math.Abs(b.value-s.Value))
	})
	s.Typical = nearest.run.ID
	if len(outside) > 0 {
		slices.Sort(outside)
		v := quantile(outside, 0.5)
		s.OutsideS = &v
	}
	return s, nil
}

func (r *Range) take(v float64) {
	if math.IsNaN(r.Low) || v < r.Low {
		r.Low = v
	}
	if math.IsNaN(r.High) || v > r.High {
		r.High = v
	}
}

// Leads puts a ranking into a sentence: who leads, by how much, and under which conditions.
func Leads(list []Standing, o Order) say.Text {
	if len(list) == 0 {
		return nil
	}
	out := say.T("packs." + string(o.Warmth))
	if o.By == By100Km {
		out = out.And("bench.to-100-km", say.Q(100, "km", 0))
	} else {
		out = out.And("bench.over-window", say.Window(o.FromPct, o.ToPct))
	}
	if o.StallFromKW > 0 {
		out = out.And("bench.at-stalls", say.Fig(o.StallFromKW, 0))
	}
	name := func(s Standing) string {
		if s.Software == "" {
			return s.Car
		}
		return s.Car + " (" + s.Software + ")"
	}
	in := "bench.with"
	if o.By.Less() {
		in = "bench.in"
	}
	first := list[0]
	out = out.And("colon").And(in, name(first), o.By.said(first.Value))
	if len(list) == 1 {
		return out.And("stop")
	}
	second := list[1]
	out = out.And("bench.then").And(in, name(second), o.By.said(second.Value)).And("stop")
	if first.Low <= second.High && second.Low <= first.High {
		out = out.And("bench.overlap")
	}
	return out
}

// Write is a value in words, with its unit: minutes as a clock.
func (m Measure) Write(v float64) say.Text {
	switch m {
	case ByEnergy:
		return say.T("bench.kwh-a-minute", say.Fixed(v, 2))
	case ByCRate:
		return say.T("bench.c", say.Fixed(v, 2))
	}
	return say.T("bench.clock", say.Clock(math.Round(v*60)))
}

// said writes a figure as a sentence has it.
func (m Measure) said(v float64) say.Text {
	if m.Less() {
		return say.T("bench.clock", say.Duration(math.Round(v*60)))
	}
	return m.Write(v)
}
