package bench

import (
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/say"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/web/chart"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// rankingView is cars by what they are ranked by.
type rankingView struct {
	Query                    template.URL // of the address
	Said                     string
	Measures, Windows, Packs []chart.Choice
	Stalls                   []chart.Choice
	Held                     []chart.Choice // whether runs that a stall held down count
	Few                      int            // of how many runs alone, where they were named; 0: of all
	ByWindow                 bool           // the measure hangs on a window
	Sizes                    bool           // and compares the packs' sizes too
	Dots                     string         // the runs by how warm their packs were; empty: fewer than two say it
	Losses                   string         // minutes lost by cause, a bar for each car; empty: nothing was lost
	Key                      []draw.Keyed   // to the causes in it
	Hatches                  string
	Rows                     []rankRow
	Passed                   []bench.Passed
	Together                 string // address that lays the typical runs on the bench; empty: fewer than two
}

type rankRow struct {
	bench.Standing
	Written string
	Spread  string  // of several runs, from the best to the worst
	Share   float64 // per cent of the longest bar
	StartC  say.Text
	Start   say.Text
	StallKW say.Text
	Outside string
	Link    string    // its runs on the bench
	Dots    []float64 // each run's value, per cent of the longest bar
}

// rankedCars are the cars of the logbook as an address asks for them.
type rankedCars struct {
	bench.Ranked
	asked  asked
	known  []bench.Known  // the runs that it goes by
	stalls []chart.Choice // what it may ask for of them
	few    int            // how many runs were named; 0: none were
}

// ranked ranks the cars of the logbook as an address asks for it.
func (s *Room) ranked(r *http.Request) (x rankedCars, err error) {
	if x.known, err = s.book.Comparable(r.Context(), mostSorted); err != nil {
		return x, err
	}
	a := askedOf(r)
	by := bench.ByWindow
	if m := bench.Measure(r.URL.Query().Get("by")); slices.Contains(bench.Measures, m) {
		by = m
		a.values.Set("by", string(m))
	}
	x.Order = bench.Order{By: by, FromPct: a.From, ToPct: a.To, Warmth: a.Warmth}
	if r.URL.Query().Get("held") != "" {
		x.Order.Held = true
		a.values.Set("held", "1")
	}
	if only := ui.ParseIDs(r.URL.Query().Get("runs"), ","); len(only) > 0 {
		x.known = slices.DeleteFunc(x.known, func(k bench.Known) bool { return !slices.Contains(only, k.ID) })
		x.few = len(x.known)
		a.values.Set("runs", r.URL.Query().Get("runs"))
	}
	x.stalls = stallChoices(x.known, &a, r.URL.Query().Get("stalls"), &x.Order)
	x.asked = a
	x.List, x.Passed = bench.Ranking(x.known, x.Order)
	return x, nil
}

// ranking lists the cars of the logbook.
func (s *Room) ranking(w http.ResponseWriter, r *http.Request) error {
	ranked, err := s.ranked(r)
	if err != nil {
		return err
	}
	a, by, list, in := ranked.asked, ranked.Order.By, ranked.List, ui.MeasuresOf(r)
	v := rankingView{
		Query:    template.URL(a.values.Encode()), //nolint:gosec // made by package url, which escapes
		Stalls:   ranked.stalls,
		Packs:    a.packs(),
		Windows:  a.windows(ranked.known),
		ByWindow: by != bench.By100Km,
		Few:      ranked.few,
		Held: []chart.Choice{chart.A("not held by the stall", a.with("held", ""), !ranked.Order.Held),
			chart.A("all", a.with("held", "1"), ranked.Order.Held)},
		Sizes: by == bench.ByWindow,
	}
	for _, m := range bench.Measures {
		v.Measures = append(v.Measures, chart.A(m.Words().In(in), a.with("by", string(m)), m == by))
	}
	v.Passed, v.Said = ranked.Passed, bench.Leads(list, ranked.Order).In(in)
	most := 0.0
	for _, x := range list {
		most = math.Max(most, x.High)
	}
	var typical []int64
	for _, x := range list {
		row := rankRow{
			Standing: x,
			Written:  by.Write(x.Value).Kept(),
			Share:    100 * x.Value / most,
			Link: "/bench?runs=" + ui.JoinIDs(
				x.Runs[:min(len(x.Runs), bench.MaxRuns)], ","),
			StartC:  between(x.StartC, "°C"),
			Start:   between(x.StartPct, "%"),
			StallKW: between(x.StallKW, "kW"),
		}
		for _, value := range x.Values {
			row.Dots = append(row.Dots, 100*value/most)
		}
		if len(x.Runs) > 1 {
			row.Spread = by.Write(x.Low).Kept() + " to " + by.Write(x.High).Kept()
		}
		if x.OutsideS != nil && *x.OutsideS >= 1 {
			row.Outside = words.Clock(math.Round(*x.OutsideS))
		}
		v.Rows = append(v.Rows, row)
		typical = append(typical, x.Typical)
	}
	if len(typical) > 1 {
		v.Together = "/bench?runs=" + ui.JoinIDs(typical[:min(len(typical), bench.MaxRuns)], ",")
	}
	v.Dots = dotsOf(bench.Dots(ranked.known, ranked.Order), ranked.Order, in)
	v.losses(bench.LossesOf(ranked.known))
	s.Render(w, r, "ranking", http.StatusOK, ui.Frame{Title: "Ranking", Page: "bench", Data: v})
	return nil
}

// dotsOf draws runs by how warm their packs were at plug-in, a shape for each car.
func dotsOf(list []bench.Dot, o bench.Order, in units.People) string {
	if len(list) < 2 {
		return ""
	}
	by, name := o.By, o.By.Words().In(in)
	if by != bench.By100Km {
		name += ", " + words.Window(o.FromPct, o.ToPct)
	}
	d := &draw.Dots{Title: "Each run: " + name + " against the coldest cell at plug-in", XName: "coldest cell at plug-in",
		XUnit: in.Name("°C"), YName: name}
	for _, x := range list {
		car := strings.TrimSpace(x.Car + " " + x.Software)
		i := slices.IndexFunc(d.Kinds, func(k draw.DotKind) bool { return k.Name == car })
		if i < 0 {
			i = len(d.Kinds)
			d.Kinds = append(d.Kinds, draw.DotKind{Name: car})
		}
		at := in.Show("°C", x.StartC)
		d.Kinds[i].Marks = append(d.Kinds[i].Marks, draw.DotMark{X: at, Y: x.Value, Href: ui.RunPath(x.ID),
			Title: fmt.Sprintf("Run %d, %s: %s at %s %s", x.ID, car, by.Write(x.Value).In(in), words.Figure(at, 0),
				in.Name("°C"))})
	}
	return d.SVG()
}

// mostLosing is how many cars' losses are drawn.
const mostLosing = 12

// losses draws what each car's runs lost, by cause.
func (v *rankingView) losses(list []bench.Losses) {
	d := &draw.LossBars{Title: "Minutes that a run lost on average, by car and cause"}
	var held []draw.Stretch
	for _, l := range list[:min(len(list), mostLosing)] {
		n := len(l.Runs)
		d.Rows = append(d.Rows, draw.LossRow{Name: strings.TrimSpace(l.Car + " " + l.Software), Lost: l.Lost,
			Beside: fmt.Sprintf("%s, %d %s", words.Clock(math.Round(l.TotalS)), n, words.Plural(n, "run"))})
		for _, lost := range l.Lost {
			held = append(held, draw.Stretch{Cause: lost.Cause})
		}
	}
	v.Losses, v.Hatches, v.Key = d.SVG(), draw.HatchDefs(), draw.KeyOf(held)
}

// between writes a range with its unit; empty for none.
func between(r bench.Range, unit string) say.Text {
	switch {
	case math.IsNaN(r.Low):
		return nil
	case words.Figure(r.Low, 0) == words.Figure(r.High, 0):
		return say.T("bench.value", say.Q(r.Low, unit, 0))
	}
	return say.T("bench.low-to", say.Q(r.Low, unit, 0), say.Q(r.High, unit, 0))
}

// stallChoices offers how strong the stalls must have been: any, or at least so much as one of them
// promises, and puts what is asked for into the order.
func stallChoices(known []bench.Known, a *asked, wanted string, order *bench.Order) []chart.Choice {
	var labels []float64
	for _, k := range known {
		if k.StallKW > 0 && !slices.Contains(labels, k.StallKW) {
			labels = append(labels, k.StallKW)
		}
	}
	slices.Sort(labels)
	if from, err := strconv.ParseFloat(wanted, 64); err == nil && slices.Contains(labels, from) {
		order.StallFromKW = from
		a.values.Set("stalls", wanted)
	}
	out := []chart.Choice{chart.A("any", a.with("stalls", ""), order.StallFromKW == 0)}
	for _, kw := range labels[min(1, len(labels)):] {
		key := strconv.FormatFloat(kw, 'g', -1, 64)
		out = append(out, chart.A(words.Figure(kw, 0)+" kW and more", a.with("stalls", key), order.StallFromKW == kw))
	}
	return out
}
