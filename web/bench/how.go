package bench

import (
	"html/template"
	"net/http"

	"zincroad/core/bench"
	"zincroad/web/ui"
)

// queryOf is what an address asks for, to be asked again at another.
func queryOf(r *http.Request) template.URL {
	return template.URL(r.URL.Query().Encode()) //nolint:gosec // made by package url, which escapes
}

// how explains a figure of the bench, of a ranking or of a matrix with the numbers of what the address asks for.
func (s *Room) how(w http.ResponseWriter, r *http.Request) {
	f, err := ui.FigureOf(r, bench.Figures)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var x bench.Explained
	v := ui.Explained{Name: f.Name, Of: "this comparison", Definition: f.Definition, Back: "/bench",
		BackText: "Back to the bench"}
	switch f.Key {
	case "ranking":
		v.Of, v.Back, v.BackText = "the logbook's cars", "/bench/ranking", "Back to the ranking"
		x.Ranked = &bench.Ranked{}
		*x.Ranked, _, _, _, err = s.ranked(r)
	case "matrix":
		v.Of, v.Back, v.BackText = "the logbook's runs", "/bench/matrix", "Back to the matrix"
		x.Sorted = &bench.Sorted{}
		*x.Sorted, _, _, err = s.sorted(r)
	default:
		var view *benchView
		if view, err = s.benchView(r); err == nil && view.Compared != nil {
			x.Comparison = view.Compared.Comparison
		}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v.Numbers = f.Numbers(x)
	if q := queryOf(r); q != "" {
		v.Back += "?" + string(q)
	}
	s.Explain(w, r, v, ui.Frame{Page: "bench"})
}
