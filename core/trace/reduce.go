package trace

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"sort"
	"strconv"
)

// Reduced is a recording thinned out for drawing: the same shape on the same
// clock with at most a few hundred points. NaN stands for "no value".
type Reduced struct {
	T       Floats             `json:"t_s"`
	Columns map[Channel]Floats `json:"columns"`
	Gaps    []Span             `json:"gaps"`
}

// Floats is a column in JSON: six significant digits are enough to draw, NaN is null.
type Floats []float64

// MarshalJSON writes the column as a list.
func (f Floats) MarshalJSON() ([]byte, error) {
	b := []byte{'['}
	for i, v := range f {
		if i > 0 {
			b = append(b, ',')
		}
		if math.IsNaN(v) || math.IsInf(v, 0) {
			b = append(b, "null"...)
			continue
		}
		b = strconv.AppendFloat(b, v, 'g', 6, 64)
	}
	return append(b, ']'), nil
}

// UnmarshalJSON reads a list, null as NaN.
func (f *Floats) UnmarshalJSON(b []byte) error {
	inner, ok := bytes.CutPrefix(bytes.TrimSpace(b), []byte{'['})
	inner, closed := bytes.CutSuffix(inner, []byte{']'})
	if !ok || !closed {
		return fmt.Errorf("%.20q: expected a list of numbers", b)
	}
	*f = make(Floats, 0, bytes.Count(inner, []byte{','})+1)
	if len(bytes.TrimSpace(inner)) == 0 {
		return nil
	}
	for item := range bytes.SplitSeq(inner, []byte{','}) {
		item = bytes.TrimSpace(item)
		v := math.NaN()
		if string(item) != "null" {
			var err error
			if v, err = strconv.ParseFloat(string(item), 64); err != nil {
				return fmt.Errorf("%.20q: expected a number", item)
			}
		}
		*f = append(*f, v)
	}
	return nil
}

// Reduce thins a set of series to about four points for each of n slices of
// time: the first, lowest, highest and last of the leading series in each, so
// that no peak or dip of it is lost. The other series are joined linearly to
// those times, not across gaps of their own. lead must be a key of the map.
func Reduce(series map[Channel]Series, lead Channel, n int) Reduced {
	main := series[lead]
	out := Reduced{Columns: map[Channel]Floats{}, Gaps: Gaps(main, MedianInterval(main.T))}
	keep := extremes(main, n)
	for _, i := range keep {
		out.T = append(out.T, main.T[i])
	}
	for c, s := range series {
		if s.Len() == 0 {
			continue
		}
		col := make(Floats, len(keep))
		limit := GapLimit(s.T)
		for k, i := range keep {
			if c == lead {
				col[k] = main.V[i]
				continue
			}
			col[k] = s.within(main.T[i], limit)
		}
		out.Columns[c] = col
	}
	return out
}

// Straightened leaves readings out that lie on the line between those that are kept, to within a tolerance: as long as
// one line from the last that was kept passes all since by no more, they are not needed. The first and the last stay.
func (s Series) Straightened(tolerance float64) Series {
	if s.Len() < 3 {
		return s
	}
	out := Series{T: []float64{s.T[0]}, V: []float64{s.V[0]}}
	from, least, most := 0, math.Inf(-1), math.Inf(1) // the slopes that pass all readings since
	for i := 1; i < s.Len(); i++ {
		over := s.T[i] - s.T[from]
		slope := (s.V[i] - s.V[from]) / over
		if !(slope >= least && slope <= most) || over <= 0 {
			from = i - 1
			out.T, out.V = append(out.T, s.T[from]), append(out.V, s.V[from])
			least, most = math.Inf(-1), math.Inf(1)
			if over = s.T[i] - s.T[from]; over <= 0 { // two readings of one moment
				continue
			}
		}
		least = math.Max(least, (s.V[i]-tolerance-s.V[from])/over)
		most = math.Min(most, (s.V[i]+tolerance-s.V[from])/over)
	}
	out.T, out.V = append(out.T, s.T[s.Len()-1]), append(out.V, s.V[s.Len()-1])
	return out
}

// Insert puts a point without any value at index i.
func (r *Reduced) Insert(i int, t float64) {
	r.T = slices.Insert(r.T, i, t)
	for c, col := range r.Columns {
		r.Columns[c] = slices.Insert(col, i, math.NaN())
	}
}

// within gives the joined value at t, NaN outside the series and in a stretch
// without readings longer than limit.
func (s Series) within(t, limit float64) float64 {
	v, ok := s.At(t)
	if !ok {
		return math.NaN()
	}
	if i := sort.SearchFloat64s(s.T, t); i > 0 && i < s.Len() && s.T[i] != t && s.T[i]-s.T[i-1] > limit {
		return math.NaN()
	}
	return v
}

// extremes gives the indices to keep, in order.
func extremes(s Series, n int) []int {
	if s.Len() <= 4*n || n < 1 {
		return identity(s.Len())
	}
	span := s.Span()
	width := span.Len() / float64(n)
	var keep []int
	for from := 0; from < s.Len(); {
		slice := math.Floor((s.T[from] - span.From) / width)
		to, lo, hi := from, from, from
		for to < s.Len() && (to == from || math.Floor((s.T[to]-span.From)/width) == slice) {
			if s.V[to] < s.V[lo] {
				lo = to
			}
			if s.V[to] > s.V[hi] {
				hi = to
			}
			to++
		}
		quad := []int{from, lo, hi, to - 1}
		sort.Ints(quad)
		for _, i := range quad {
			if len(keep) == 0 || keep[len(keep)-1] != i {
				keep = append(keep, i)
			}
		}
		from = to
	}
	return keep
}
