package bench

import (
	"fmt"
	"math"
	"net/http"

	"zincroad/core/bench"
	"zincroad/core/words"
	"zincroad/formats/sheet"
	"zincroad/web/ui"
)

// benchXLSX sends what stands on the bench as a workbook: a page each for the runs with their conditions,
// the windows, the posts, where the minutes go, and what can be said. Times are seconds.
func (s *Room) benchXLSX(w http.ResponseWriter, r *http.Request) error {
	v, err := s.benchView(r)
	if err != nil {
		return err
	}
	if len(v.Entries) == 0 {
		return ui.BadRequest("there is no run on the bench")
	}
	ui.Attach(w, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "bench.xlsx")
	if err := sheet.Write(w, v.pages()); err != nil {
		s.Log.Warn("sending the bench's workbook", "error", err)
	}
	return nil
}

// pages are the bench as a workbook's.
func (v *benchView) pages() []sheet.Page {
	runs := sheet.Page{Name: "Runs", Rows: [][]any{{"run", "name", "reference"}}}
	for _, c := range v.Conditions {
		runs.Rows[0] = append(runs.Rows[0], c.Name)
	}
	for i, e := range v.Entries {
		row := []any{e.Row.ID, e.Full, map[bool]any{true: "yes"}[i == v.Ref]}
		for _, c := range v.Conditions {
			row = append(row, c.Values[i])
		}
		runs.Rows = append(runs.Rows, row)
	}
	pages := []sheet.Page{runs, v.table("Windows", v.Windows, true), v.table("Posts", v.Posts, false)}
	if v.Compared == nil {
		return pages
	}
	minutes := sheet.Page{Name: "Where the minutes go", Rows: [][]any{{"from %", "to %"}}}
	for _, e := range v.Entries {
		minutes.Rows[0] = append(minutes.Rows[0], fmt.Sprintf("run %d s", e.Row.ID), fmt.Sprintf("run %d held by", e.Row.ID))
	}
	for _, b := range v.Compared.Bands {
		row := []any{b.FromPct, b.ToPct}
		for i := range v.Entries {
			held := ""
			if c := b.Said[i]; c != "" {
				held = c.Words()
			}
			row = append(row, b.TS[i], held)
		}
		minutes.Rows = append(minutes.Rows, row)
	}
	said := sheet.Page{Name: "What can be said", Rows: [][]any{{"sentence", "how sure"}}}
	for _, x := range v.Compared.Verdicts {
		said.Rows = append(said.Rows, []any{x.Text, x.Confidence})
	}
	differs := sheet.Page{Name: "What differs", Rows: [][]any{{"condition", "from s", "to s", "matters",
		"pairs in the logbook", "from s", "to s"}}}
	for _, d := range v.Compared.Fairness.Differs {
		name, _ := bench.InWords(d.Condition)
		row := []any{name, rounded(d.LowS), rounded(d.HighS), string(d.Matters)}
		if s := d.Shown; s != nil {
			row = append(row, s.Pairs, rounded(&s.LowS), rounded(&s.HighS))
		}
		differs.Rows = append(differs.Rows, row)
	}
	return append(pages, minutes, said, differs)
}

// table is posts or windows across the runs.
func (v *benchView) table(name string, rows []bench.Row, windows bool) sheet.Page {
	p := sheet.Page{Name: name, Rows: [][]any{{"%"}}}
	for _, e := range v.Entries {
		p.Rows[0] = append(p.Rows[0], fmt.Sprintf("run %d s", e.Row.ID), fmt.Sprintf("run %d difference s", e.Row.ID))
		if windows {
			p.Rows[0] = append(p.Rows[0], fmt.Sprintf("run %d kW", e.Row.ID))
		}
	}
	for _, r := range rows {
		row := []any{words.Figure(r.FromPct, 1)}
		if windows {
			row[0] = words.Figure(r.FromPct, 1) + "-" + words.Figure(r.ToPct, 1)
		}
		for _, c := range r.Cells {
			if c == nil {
				c = &bench.Cell{TS: math.NaN()}
			}
			row = append(row, rounded(&c.TS), rounded(c.DeltaS))
			if windows {
				row = append(row, rounded(c.AverageKW))
			}
		}
		p.Rows = append(p.Rows, row)
	}
	return p
}

// rounded is a figure to a hundredth.
func rounded(v *float64) *float64 {
	if v == nil {
		return nil
	}
	out := math.Round(*v*100) / 100
	return &out
}
