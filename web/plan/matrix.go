package plan

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

type matrixView struct {
	*ui.Fields
	Rows     []matrixRow
	Wanted   int
	Missing  int
	Next     string // the next run in words
	NextHref string
	NextFor  int // how many of the wanted rows it counts for
	Grid     prepare.Grid
	Cars     []logbook.Car
	Sites    []logbook.Site
	Preconds []menuItem
}

// slotsShown is how many of the runs done a row names.
const slotsShown = 12

// matrixRow is a wanted combination with a slot for each repeat.
type matrixRow struct {
	ID      int64
	Wanted  logbook.Wanted
	Done    []int64 // the latest runs, by number
	More    int     // runs done that are not among them
	Open    []struct{}
	Missing int
	Next    bool
}

func (s *Room) matrix(w http.ResponseWriter, r *http.Request) {
	s.showMatrix(w, r, http.StatusOK, ui.NewFields(url.Values{"repeats": {"2"}}), nil)
}

// showMatrix shows what is wanted, what of it is done, and what has been run at all.
func (s *Room) showMatrix(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields, n *ui.Notice) {
	v := matrixView{Fields: f, Preconds: precondChoices()}
	wanted, err := s.book.Wanted(r.Context())
	if err == nil {
		v.Cars, err = s.book.Cars(r.Context())
	}
	if err == nil {
		v.Sites, err = s.book.Sites(r.Context())
	}
	var made []logbook.Made
	if err == nil {
		made, err = s.book.Made(r.Context())
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kinds := make([]prepare.Made, len(made))
	for i := range made {
		kinds[i] = prepare.Made{Cell: made[i].Cell, Runs: made[i].Runs}
	}
	v.lay(wanted, made, kinds)
	v.Grid = prepare.GridOf(kinds)
	s.Render(w, r, "matrix", status, ui.Frame{Title: "Matrix", Page: "prepare", Data: v, Notice: n})
}

func precondChoices() []menuItem {
	var out []menuItem
	for _, p := range run.Preconditioned {
		out = append(out, menuItem{Value: p, Label: ui.PreconditionedName(p)})
	}
	return out
}

// lay puts the runs made over the wanted ones.
func (v *matrixView) lay(wanted []logbook.Wanted, made []logbook.Made, kinds []prepare.Made) {
	want := make([]prepare.Wanted, len(wanted))
	for i := range wanted {
		want[i] = prepare.Wanted{Cell: wanted[i].Cell(), Repeats: wanted[i].Repeats}
	}
	m := prepare.MatrixOf(want, kinds)
	v.Wanted, v.Missing = m.Wanted, m.Missing
	for i, row := range m.Rows {
		out := matrixRow{ID: wanted[i].ID, Wanted: wanted[i], Missing: row.Missing, Open: make([]struct{}, row.Missing)}
		for _, k := range row.Kinds {
			out.Done = append(out.Done, made[k].Newest...)
		}
		slices.Sort(out.Done)
		out.Done = out.Done[max(0, len(out.Done)-slotsShown):]
		out.More = row.Done - len(out.Done)
		v.Rows = append(v.Rows, out)
	}
	if m.Next == nil {
		return
	}
	for _, i := range m.Next.Fills {
		v.Rows[i].Next = true
	}
	v.NextFor = len(m.Next.Fills)
	v.Next = cellWords(m.Next.Cell)
	v.NextHref = v.planHref(m.Next.Cell)
}

// cellWords says a combination in words.
func cellWords(c prepare.Cell) string {
	parts := []string{orAny(c.Car, "any car")}
	if c.Software != "" {
		parts[0] += " " + c.Software
	}
	parts = append(parts, "at "+orAny(c.Stall, "any stall"))
	if c.Preconditioned != "" {
		parts = append(parts, ui.PreconditionedName(c.Preconditioned))
	}
	if !math.IsNaN(c.FromPct) {
		parts = append(parts, "from "+words.Percent(c.FromPct))
	}
	return strings.Join(parts, ", ")
}

func orAny(s, any string) string {
	if s == "" {
		return any
	}
	return s
}

// planHref begins a plan with what a combination says.
func (v *matrixView) planHref(c prepare.Cell) string {
	q := url.Values{}
	for _, car := range v.Cars {
		if car.Name == c.Car {
			q.Set("car", strconv.FormatInt(car.ID, 10))
			q.Set("software", c.Software)
		}
	}
	for _, site := range v.Sites {
		for _, t := range site.Stalls {
			if site.Name+" "+t.Name == c.Stall {
				q.Set("stall", strconv.FormatInt(t.ID, 10))
			}
		}
	}
	if !math.IsNaN(c.FromPct) {
		q.Set("from", words.Figure(c.FromPct, 1))
	}
	if c.Preconditioned == "none" {
		q.Set("way", string(prepare.Steady))
	}
	return "/prepare?" + q.Encode()
}

// partsOf says how many runs of a cell were warmed how.
func partsOf(c prepare.GridCell) string {
	var parts []string
	for _, p := range append([]string{""}, run.Preconditioned...) {
		if n := c.ByPreconditioned[p]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, shortPrecond(p)))
		}
	}
	return strings.Join(parts, ", ")
}

// shortPrecond says a preconditioning in a word or two.
func shortPrecond(p string) string {
	switch p {
	case "none":
		return "plain"
	case "car":
		return "by the car"
	}
	return orAny(p, "not noted")
}

// saveWanted adds a combination to what is wanted.
func (s *Room) saveWanted(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	row := &logbook.Wanted{CarID: f.ID("car"), Software: f.Text("software"), StallID: f.ID("stall"),
		Preconditioned: f.Word("preconditioned", run.Preconditioned), FromPct: f.Number("from_pct", 0, 100)}
	switch n := f.Number("repeats", 1, 99); {
	case n != nil:
		row.Repeats = int(math.Round(*n))
	default:
		f.Fault("repeats", "How many runs of it? A number from 1 to 99 is needed.")
	}
	if row.Software != "" && row.CarID == nil {
		f.Fault("software", "Software belongs to a car: choose the car too.")
	}
	if !s.Keep(w, r, f, "car", "This is wanted already.", func() (string, error) {
		err := s.book.SaveWanted(r.Context(), row)
		return "/prepare/matrix", err
	}) {
		s.showMatrix(w, r, http.StatusUnprocessableEntity, f, nil)
	}
}

// deleteWanted takes a combination out, and offers to put it back.
func (s *Room) deleteWanted(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	row, err := s.book.DeleteWanted(r.Context(), id)
	if err != nil {
		return err
	}
	undo := map[string]string{
		"repeats":        strconv.Itoa(row.Repeats),
		"software":       row.Software,
		"preconditioned": row.Preconditioned,
		"from_pct":       ui.PlainNumber(row.FromPct),
	}
	if row.CarID != nil {
		undo["car"] = strconv.FormatInt(*row.CarID, 10)
	}
	if row.StallID != nil {
		undo["stall"] = strconv.FormatInt(*row.StallID, 10)
	}
	s.showMatrix(w, r, http.StatusOK, ui.NewFields(url.Values{"repeats": {"2"}}),
		&ui.Notice{Text: "No longer wanted.", Undo: "/prepare/matrix", Fields: undo})
	return nil
}
