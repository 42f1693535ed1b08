package bench

import (
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/say"
	"zincroad/web/ui"
)

// queryOf is what an address asks for, to be asked again at another.
func queryOf(r *http.Request) template.URL {
	return template.URL(r.URL.Query().Encode()) //nolint:gosec // made by package url, which escapes
}

// how explains a figure of the bench, of a ranking or of a matrix with the numbers of what the address asks for.
func (s *Room) how(w http.ResponseWriter, r *http.Request) error {
	f, err := ui.FigureOf(r, bench.Figures)
	if err != nil {
		return err
	}
	var x bench.Explained
	clock := "" // by which a comparison's times count
	v := ui.Explained{Name: f.Name, Of: "this comparison", Definition: f.Definition, Back: "/bench",
		BackText: "Back to the bench"}
	switch f.Key {
	case "ranking":
		v.Of, v.Back, v.BackText = "the logbook's cars", "/bench/ranking", "Back to the ranking"
		var ranked rankedCars
		ranked, err = s.ranked(r)
		x.Ranked = &ranked.Ranked
	case "matrix":
		v.Of, v.Back, v.BackText = "the logbook's runs", "/bench/matrix", "Back to the matrix"
		var sorted sortedRuns
		sorted, err = s.sorted(r)
		x.Sorted = &sorted.Sorted
	default:
		var view *benchView
		if view, err = s.benchView(r); err == nil && view.Compared != nil {
			x, clock = view.explained(), view.clockAndSide()
		}
	}
	if err != nil {
		return err
	}
	if v.Numbers = f.Numbers(x); clock != "" {
		v.Numbers = append(v.Numbers, say.Own(clock))
	}
	if q := queryOf(r); q != "" {
		v.Back += "?" + string(q)
	}
	s.Explain(w, r, v, ui.Frame{Page: "bench"})
	return nil
}

// explained is what the bench's figures are worked out of, as the page shows it.
func (v *benchView) explained() bench.Explained {
	c := v.Compared
	x := bench.Explained{Comparison: c.Comparison}
	if c.against >= 0 {
		x.Raced = &bench.Raced{Race: c.racing, Other: c.against, Unit: c.unit}
	}
	return x
}

// clockAndSide says from when the runs' times count, and which side each was read on.
func (v *benchView) clockAndSide() string {
	var sides []string
	for _, e := range v.Entries {
		sides = append(sides, fmt.Sprintf("%s %s", e.Name, e.reading.Side))
	}
	from := "plug-in"
	if v.Entries[0].reading.Clock == curve.PowerClock {
		from = "first power"
	}
	return "times from " + from + "; side: " + strings.Join(sides, ", ")
}
