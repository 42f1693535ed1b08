package bench

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"zincroad/core/say"
)

// KindCell is what the runs of one kind of the row and one of the column took for the window.
type KindCell struct {
	Runs    []int64 // the fastest first
	TS      []float64
	Typical int64   // the one in the middle; 0: none
	MedianS float64 // s; NaN: none
	LowS    float64
	HighS   float64
	HalfS   float64 // half of the 95 % interval of their mean; +Inf: not to be told
}

// NextRun is the run that would tell most in a matrix.
type NextRun struct {
	Row, Col int
	Why      say.Text
}

// Matrix is factors against factors over a window.
type Matrix struct {
	Rows, Cols []string     // the kinds there are, in order of their names
	Cells      [][]KindCell // by row, then column
	Count      int          // runs in it
	PooledS    float64      // the standard deviation of repeats over all cells, s; NaN: fewer than 3 to learn from
	Next       *NextRun     // nil: fewer than two cells
}

// Asked is a comparison that somebody asked about: a kept bench.
type Asked struct {
	Name string
	Runs []int64
}

// MatrixOf sorts the runs that cover a window by two factors. Runs that were disturbed are left out, gentle ones unless
// the profile is a factor, those that do not note a factor too. The next run is looked for in what was asked about
// first.
func MatrixOf(runs []Known, row, col Factor, from, to float64, warmth Warmth, asked ...Asked) Matrix {
	m := Matrix{PooledS: math.NaN()}
	type timed struct {
		id int64
		s  float64
	}
	cells := map[[2]string][]timed{}
	rows, cols := map[string]bool{}, map[string]bool{}
	for _, k := range runs {
		w, ok := k.Gist.Window(from, to)
		gentle := row.Name == "profile" || col.Name == "profile"
		if !ok || !k.undisturbed() || !gentle && !k.fair() || !warmth.is(k) {
			continue
		}
		a, b := row.of(k), col.of(k)
		if a == "" || b == "" {
			continue
		}
		m.Count++
		cells[[2]string{a, b}] = append(cells[[2]string{a, b}], timed{k.ID, w.TS})
		rows[a], cols[b] = true, true
	}
	m.Rows = slices.SortedFunc(maps.Keys(rows), byNumber)
	m.Cols = slices.SortedFunc(maps.Keys(cols), byNumber)

	squares, freedom := 0.0, 0
	for _, list := range cells {
		if len(list) > 1 {
			v := make([]float64, len(list))
			for i, t := range list {
				v[i] = t.s
			}
			squares += stat.Variance(v, nil) * float64(len(v)-1)
			freedom += len(v) - 1
		}
	}
	if freedom >= leastFreedom {
		m.PooledS = math.Sqrt(squares / float64(freedom))
	}
	for _, a := range m.Rows {
		line := make([]KindCell, len(m.Cols))
		for j, b := range m.Cols {
			list := cells[[2]string{a, b}]
			slices.SortStableFunc(list, func(a, b timed) int { return cmp.Compare(a.s, b.s) })
			c := KindCell{MedianS: math.NaN(), LowS: math.NaN(), HighS: math.NaN(), HalfS: math.Inf(1)}
			if n := len(list); n > 0 {
				times := make([]float64, n)
				for i, t := range list {
					times[i] = t.s
					c.Runs = append(c.Runs, t.id)
				}
				c.Typical, c.MedianS = list[(n-1)/2].id, quantile(times, 0.5)
				c.TS, c.LowS, c.HighS = times, times[0], times[n-1]
				if !math.IsNaN(m.PooledS) {
					c.HalfS = student(float64(freedom)) * m.PooledS / math.Sqrt(float64(n))
				}
			}
			line[j] = c
		}
		m.Cells = append(m.Cells, line)
	}
	if m.Next = m.nextAsked(asked, freedom); m.Next == nil {
		m.next()
	}
	return m
}

// nextAsked finds the run that shrinks the widest interval that somebody asked about: of a kept bench whose runs
// lie in several cells, the difference of the two cells that is known least well, in the one that has fewer runs.
// nil: nobody asked, or every such difference is known to less than what matters.
func (m *Matrix) nextAsked(asked []Asked, freedom int) *NextRun {
	type place struct{ row, col int }
	var best *NextRun
	widest := 0.0
	for _, a := range asked {
		var cells []place
		for i, line := range m.Cells {
			for j, c := range line {
				if slices.ContainsFunc(c.Runs, func(id int64) bool { return slices.Contains(a.Runs, id) }) {
					cells = append(cells, place{i, j})
				}
			}
		}
		for k, p := range cells {
			for _, q := range cells[:k] {
				few, other := q, p
				if len(m.Cells[p.row][p.col].Runs) < len(m.Cells[q.row][q.col].Runs) {
					few, other = p, q
				}
				x, y := m.Cells[few.row][few.col], m.Cells[other.row][other.col]
				n, o := float64(len(x.Runs)), float64(len(y.Runs))
				width, why := neverRepeatedS/n, say.T("bench.no-repeats")
				if !math.IsNaN(m.PooledS) {
					half := func(n float64) float64 {
						return student(float64(freedom)) * m.PooledS * math.Sqrt(1/n+1/o)
					}
					if width = half(n); width < max(smallestS, smallestShare*max(x.MedianS, y.MedianS)) {
						continue
					}
					why = say.T("bench.that-is-known-to", say.Clock(math.Round(width)), say.Clock(math.Round(half(n+1))))
				}
				if width > widest {
					widest = width
					best = &NextRun{few.row, few.col, say.T("bench.the-bench-asks-for", a.Name, m.beside(few.row, few.col,
						other.row, other.col), why)}
				}
			}
		}
	}
	return best
}

// neverRepeatedS stands for an interval that nothing bounds: wider than any that is known.
const neverRepeatedS = 1e9

// beside names a cell by what tells it from another one.
func (m *Matrix) beside(row, col, otherRow, otherCol int) string {
	switch {
	case row == otherRow:
		return m.Cols[otherCol]
	case col == otherCol:
		return m.Rows[otherRow]
	}
	return m.Rows[otherRow] + ", " + m.Cols[otherCol]
}

// byNumber sorts names by the number that they begin with, else as words.
func byNumber(a, b string) int {
	var x, y float64
	_, errA := fmt.Sscan(a, &x)
	_, errB := fmt.Sscan(b, &y)
	if errA == nil && errB == nil && x != y {
		return cmp.Compare(x, y)
	}
	return cmp.Compare(a, b)
}

// next finds the run that would tell most: in an empty cell whose row and column have the most runs, since
// nothing at all is known there; where none is empty, in the cell with the widest interval.
func (m *Matrix) next() {
	if len(m.Rows)*len(m.Cols) < 2 || m.Count == 0 {
		return
	}
	inRow, inCol := make([]int, len(m.Rows)), make([]int, len(m.Cols))
	for i, line := range m.Cells {
		for j, c := range line {
			inRow[i] += len(c.Runs)
			inCol[j] += len(c.Runs)
		}
	}
	best, most := NextRun{}, 0
	for i, line := range m.Cells {
		for j, c := range line {
			if worth := min(inRow[i], inCol[j])*1000 + inRow[i] + inCol[j]; len(c.Runs) == 0 && worth > most {
				best, most = NextRun{i, j, say.T("bench.nobody-has-measured-it")}, worth
			}
		}
	}
	if most == 0 {
		widest := -1.0
		for i, line := range m.Cells {
			for j, c := range line {
				width := c.HalfS
				if math.IsInf(width, 1) {
					width = neverRepeatedS / float64(len(c.Runs)) // the fewest runs
				}
				if width > widest {
					widest = width
					best = NextRun{i, j, say.T("bench.one-run-alone-says")}
					if n := float64(len(c.Runs)); !math.IsInf(c.HalfS, 1) {
						best.Why = say.T("bench.its-mean-is-known", say.Clock(math.Round(c.HalfS)),
							say.Clock(math.Round(c.HalfS*math.Sqrt(n/(n+1)))))
					}
				}
			}
		}
	}
	m.Next = &best
}
