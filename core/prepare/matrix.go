package prepare

import (
	"cmp"
	"math"
	"slices"
)

// Cell is a kind of run in the matrix: a combination of what is varied. An empty field, or a
// NaN start, is "any".
type Cell struct {
	Car, Software, Stall, Preconditioned string
	FromPct                              float64 // the charge started from; NaN: any
}

// startWithin is how near a run's start must be to the wanted one, in points.
const startWithin = 3

// Holds tells whether a run made counts for a wanted combination.
func (c Cell) Holds(made Cell) bool {
	return fits(c.Car, made.Car) && fits(c.Software, made.Software) && fits(c.Stall, made.Stall) &&
		fits(c.Preconditioned, made.Preconditioned) &&
		(math.IsNaN(c.FromPct) || math.Abs(c.FromPct-made.FromPct) <= startWithin)
}

func fits(want, have string) bool { return want == "" || want == have }

// With joins two combinations into one that counts for both; false when there is
// no such run.
func (c Cell) With(o Cell) (Cell, bool) {
	ok := true
	join := func(a, b string) string {
		if a != "" && b != "" && a != b {
			ok = false
		}
		return cmp.Or(a, b)
	}
	out := Cell{
		join(c.Car, o.Car),
		join(c.Software, o.Software),
		join(c.Stall, o.Stall),
		join(c.Preconditioned, o.Preconditioned),
		c.FromPct,
	}
	switch {
	case math.IsNaN(c.FromPct):
		out.FromPct = o.FromPct
	case !math.IsNaN(o.FromPct) && c.FromPct != o.FromPct:
		ok = false
	}
	return out, ok
}

// Wanted is a combination that is to be run a number of times.
type Wanted struct {
	Cell
	Repeats int
}

// Made is a number of runs that are alike in all that the matrix varies.
type Made struct {
	Cell
	Runs int
}

// Row is a wanted combination with the runs that count for it.
type Row struct {
	Wanted
	Kinds   []int // indexes into the kinds of runs made
	Done    int   // runs of those kinds
	Missing int
}

// Next is the run that fills most of what is missing.
type Next struct {
	Cell
	Fills []int // indexes of the wanted rows that it counts for
}

// Matrix is what is wanted, what of it is done, and what to run next.
type Matrix struct {
	Rows    []Row
	Wanted  int   // runs in all
	Missing int   // of them
	Next    *Next // nil when nothing is missing
}

// MatrixOf lays the runs made over the wanted ones. A run counts for every row
// that it fits.
func MatrixOf(wanted []Wanted, made []Made) Matrix {
	var m Matrix
	for _, w := range wanted {
		row := Row{Wanted: w}
		for i, kind := range made {
			if w.Holds(kind.Cell) {
				row.Kinds, row.Done = append(row.Kinds, i), row.Done+kind.Runs
			}
		}
		row.Missing = max(0, w.Repeats-row.Done)
		m.Wanted += w.Repeats
		m.Missing += row.Missing
		m.Rows = append(m.Rows, row)
	}
	m.Next = next(m.Rows)
	return m
}

// searchLimit bounds the search for the next run; wanted rows that exclude each
// other, as they mostly do, stay far below it.
const searchLimit = 200_000

// next finds the combination that counts for most rows with something missing: of
// those that count for as many, the one with most missing.
func next(rows []Row) *Next {
	var open []int
	for i, r := range rows {
		if r.Missing > 0 {
			open = append(open, i)
		}
	}
	slices.SortStableFunc(open, func(a, b int) int { return rows[b].Missing - rows[a].Missing })
	s := search{rows: rows, open: open}
	s.from(0, Cell{FromPct: math.NaN()}, nil, 0)
	return s.best
}

type search struct {
	rows    []Row
	open    []int
	best    *Next
	missing int // of the best
	steps   int
}

// from tries the k-th open row with what is taken so far, and without it. What cannot beat the best
// any more is not followed.
func (s *search) from(k int, c Cell, taken []int, missing int) {
	s.steps++
	if len(taken) > 0 &&
		(s.best == nil || len(taken) > len(s.best.Fills) || len(taken) == len(s.best.Fills) && missing > s.missing) {
		s.best, s.missing = &Next{c, slices.Clone(taken)}, missing
	}
	if k == len(s.open) || s.steps > searchLimit || s.best != nil && len(taken)+len(s.open)-k < len(s.best.Fills) {
		return
	}
	row := s.open[k]
	if joined, ok := c.With(s.rows[row].Cell); ok {
		s.from(k+1, joined, append(taken, row), missing+s.rows[row].Missing)
	}
	s.from(k+1, c, taken, missing)
}

// Grid counts the runs made: cars with their software down, stalls across, both in the
// order in which they first come.
type Grid struct {
	Stalls []string // empty: not noted
	Rows   []GridRow
}

// GridRow is a car with one software version, at every stall of the grid.
type GridRow struct {
	Car, Software string
	Cells         []GridCell
}

// GridCell is how many runs there are, in all and by how the pack was warmed.
type GridCell struct {
	Runs             int
	ByPreconditioned map[string]int // nil where there is none
}

// GridOf counts the runs made of each car with its software at each stall.
func GridOf(made []Made) Grid {
	var g Grid
	column, rows := map[string]int{}, map[[2]string]int{}
	for _, m := range made {
		if _, ok := column[m.Stall]; !ok {
			column[m.Stall] = len(g.Stalls)
			g.Stalls = append(g.Stalls, m.Stall)
		}
		key := [2]string{m.Car, m.Software}
		if _, ok := rows[key]; !ok {
			rows[key] = len(g.Rows)
			g.Rows = append(g.Rows, GridRow{Car: m.Car, Software: m.Software})
		}
	}
	for i := range g.Rows {
		g.Rows[i].Cells = make([]GridCell, len(g.Stalls))
	}
	for _, m := range made {
		c := &g.Rows[rows[[2]string{m.Car, m.Software}]].Cells[column[m.Stall]]
		if c.ByPreconditioned == nil {
			c.ByPreconditioned = map[string]int{}
		}
		c.Runs += m.Runs
		c.ByPreconditioned[m.Preconditioned] += m.Runs
	}
	return g
}
