package trace

import "math"

// LowestAhead gives for each reading the lowest value of those after it, as far as a span of time ahead;
// NaN where there is none. One pass, whatever the span holds: of two readings ahead the later one stays in
// the window longer, so an earlier one that is no lower can never be the answer again and is dropped.
func (s Series) LowestAhead(span float64) []float64 { return s.ahead(span, 1) }

// HighestAhead is LowestAhead for the highest.
func (s Series) HighestAhead(span float64) []float64 { return s.ahead(span, -1) }

// ahead goes by the values times a sign, and gives the values themselves.
func (s Series) ahead(span, sign float64) []float64 {
	out := make([]float64, len(s.T))
	var waiting []int // readings whose values rise, each lower than all between it and the window's end
	next := 0
	for i, t := range s.T {
		for ; next < len(s.T) && s.T[next] <= t+span; next++ {
			for len(waiting) > 0 && sign*s.V[waiting[len(waiting)-1]] >= sign*s.V[next] {
				waiting = waiting[:len(waiting)-1]
			}
			waiting = append(waiting, next)
		}
		for len(waiting) > 0 && waiting[0] <= i {
			waiting = waiting[1:]
		}
		out[i] = math.NaN()
		if len(waiting) > 0 {
			out[i] = s.V[waiting[0]]
		}
	}
	return out
}
