package bench

import (
	"fmt"
	"html/template"
	"math"
	"net/http"

	"zincroad/core/bench"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/chart"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// matrixView is factors against factors.
type matrixView struct {
	Query                      template.URL // of the address
	Said                       string
	ByRow, ByCol               []chart.Choice
	Windows, Packs             []chart.Choice
	RowWords, ColWords, Window string
	Cols                       []string
	Rows                       []kindRow
	Next                       string
	Hatches                    string
}

type kindRow struct {
	Name  string
	Cells []kindCell
}

type kindCell struct {
	bench.KindCell
	SVG    string
	Median string
	Dots   string // when each of its runs had covered the window, on the strip's axis; empty: it is one
	Spread string // how far its runs lie apart, or how well their mean is known
	Link   string
	Next   bool
}

// sortedRuns are the runs of the logbook as an address asks for them.
type sortedRuns struct {
	bench.Sorted
	asked asked
	known []bench.Known // the runs that it goes by
}

// sorted sorts the runs of the logbook by the two factors that an address names.
func (s *Room) sorted(r *http.Request) (x sortedRuns, err error) {
	if x.known, err = s.book.Comparable(r.Context(), mostSorted); err != nil {
		return x, err
	}
	a := askedOf(r)
	pick := func(key, otherwise string) bench.Factor {
		if f, ok := bench.FactorOf(r.URL.Query().Get(key)); ok {
			a.values.Set(key, f.Name)
			return f
		}
		f, _ := bench.FactorOf(otherwise)
		return f
	}
	x.Row, x.Col = pick("rows", "car"), pick("cols", "stall_kw")
	chosen := r.URL.Query().Get("packs") != ""
	if !chosen && (x.Row.OfWarmth() || x.Col.OfWarmth()) {
		a.Warmth = bench.AnyWarmth
	}
	kept, err := s.book.Benches(r.Context())
	if err != nil {
		return x, err
	}
	about := make([]bench.Asked, len(kept))
	for i, k := range kept {
		about[i] = bench.Asked{Name: k.Name, Runs: k.Runs}
	}
	x.Matrix = bench.MatrixOf(x.known, x.Row, x.Col, a.From, a.To, a.Warmth, about...)
	if x.Count == 0 && !chosen { // nobody charged a warm pack, or read how warm it was
		a.Warmth = bench.AnyWarmth
		x.Matrix = bench.MatrixOf(x.known, x.Row, x.Col, a.From, a.To, a.Warmth, about...)
	}
	x.asked, x.FromPct, x.ToPct, x.Warmth = a, a.From, a.To, a.Warmth
	return x, nil
}

// matrix shows the runs of the logbook sorted by two factors.
func (s *Room) matrix(w http.ResponseWriter, r *http.Request) error {
	m, err := s.sorted(r)
	if err != nil {
		return err
	}
	a, row, col := m.asked, m.Row, m.Col
	v := matrixView{
		Query:    template.URL(a.values.Encode()), //nolint:gosec // made by package url, which escapes
		Windows:  a.windows(m.known),
		Packs:    a.packs(),
		Cols:     m.Cols,
		RowWords: row.Words().Kept(),
		ColWords: col.Words().Kept(),
		Window:   words.Window(a.From, a.To),
		Hatches:  draw.HatchDefs(),
	}
	for _, f := range bench.Factors {
		v.ByRow = append(v.ByRow, chart.A(f.Words().Kept(), a.with("rows", f.Name), f.Name == row.Name))
		v.ByCol = append(v.ByCol, chart.A(f.Words().Kept(), a.with("cols", f.Name), f.Name == col.Name))
	}
	var typical []int64
	longest := 0.0
	for _, line := range m.Cells {
		for _, c := range line {
			if len(c.Runs) > 0 {
				typical, longest = append(typical, c.Typical), math.Max(longest, c.HighS)
			}
		}
	}
	strips, err := s.book.Strips(r.Context(), typical)
	if err != nil {
		return err
	}
	top := topOf(strips)
	for i, line := range m.Cells {
		out := kindRow{Name: m.Rows[i]}
		for j, c := range line {
			cell := kindCell{KindCell: c, Next: m.Next != nil && m.Next.Row == i && m.Next.Col == j}
			if n := len(c.Runs); n > 0 {
				cell.Median = words.Clock(math.Round(c.MedianS))
				cell.Link = "/bench?runs=" + ui.JoinIDs(c.Runs[:min(n, bench.MaxRuns)], ",")
				if n == 1 {
					cell.Link = ui.RunPath(c.Runs[0])
				}
				cell.Spread = spreadOf(c)
				title := fmt.Sprintf("Run %d, %s, %s: power against time", c.Typical, m.Rows[i], m.Cols[j])
				cell.SVG = small(strips[c.Typical], title, longest*1.2, top).Tiny()
				if n > 1 {
					cell.Dots = draw.TimeDots(cell.Spread, c.TS, longest*1.2)
				}
			}
			out.Cells = append(out.Cells, cell)
		}
		v.Rows = append(v.Rows, out)
	}
	packs := map[bench.Warmth]string{bench.WarmPack: " with a warm pack", bench.ColdPack: " with a cold pack"}[a.Warmth]
	v.Said = fmt.Sprintf("%d %s%s cover %s, by %s and %s.", m.Count, words.Plural(m.Count, "run"), packs, v.Window,
		row.Words().Kept(), col.Words().Kept())
	if n := m.Next; n != nil {
		v.Next = fmt.Sprintf("%s, %s: %s.", m.Rows[n.Row], m.Cols[n.Col], n.Why)
	}
	s.Render(w, r, "kinds", http.StatusOK, ui.Frame{Title: "Matrix", Page: "bench", Data: v})
	return nil
}

// spreadOf says how far a cell's runs lie apart and how well their mean is known; of a single run, that it is one: what
// other cells' repeats say of it would stand in every cell.
func spreadOf(c bench.KindCell) string {
	n := len(c.Runs)
	s := fmt.Sprintf("%d %s", n, words.Plural(n, "run"))
	if n > 1 {
		s += ", " + words.Clock(math.Round(c.LowS)) + " to " + words.Clock(math.Round(c.HighS))
	}
	if n > 1 && !math.IsInf(c.HalfS, 1) {
		s += ", ± " + words.Clock(math.Round(c.HalfS))
	}
	return s
}

// small is the strip of a cell; all of a matrix share the axis of time and of power.
func small(strip logbook.Strip, title string, toS, topKW float64) *draw.Strip {
	d := &draw.Strip{Title: title, T: strip.T, KW: strip.KW, ToS: toS, TopKW: topKW}
	for _, h := range strip.Held {
		d.Held = append(d.Held, draw.Stretch(h))
	}
	return d
}

// topOf is the height of the road that all strips share, kW.
func topOf(strips map[int64]logbook.Strip) float64 {
	top := 50.0
	for _, s := range strips {
		for _, kw := range s.KW {
			if kw > top { // NaN, where the plug was out, is not
				top = kw
			}
		}
	}
	return top * 1.04
}
