package trace

import "math"

// LowestAhead gives for each reading the lowest value of those after it, as far as a span of time ahead;
// NaN where there is none. One pass, whatever the span holds.
func (s Series) LowestAhead(span float64) []float64 { return s.ahead(span, 1) }

// HighestAhead is LowestAhead for the highest.
func (s Series) HighestAhead(span float64) []float64 { return s.ahead(span, -1) }

// ahead goes by the values times a sign, and gives the values themselves.
//
// The window is a queue: readings come in at its far end and leave at its near one. It is kept as two heaps, divided at
// turn. Of the far one, [turn, next), the lowest is known as it grows. Of the near one each reading knows the lowest
// from itself up to turn, so that it stays right as readings leave. When the near one is used up, the far one is
// turned over into it, from its end; every reading is turned once.
func (s Series) ahead(span, sign float64) []float64 {
	out := make([]float64, len(s.T)) // up to i the answers; in the near heap the lowest from there up to turn
	next, turn := 0, 0
	far := math.Inf(1)
	for i, t := range s.T {
		for ; next < len(s.T) && s.T[next] <= t+span; next++ {
			if x := sign * s.V[next]; x < far {
				far = x
			}
		}
		first := i + 1
		if first >= next {
			out[i] = math.NaN()
			continue
		}
		if first >= turn {
			lowest := math.Inf(1)
			for k := next - 1; k >= first; k-- {
				if x := sign * s.V[k]; x < lowest {
					lowest = x
				}
				out[k] = lowest
			}
			turn, far = next, math.Inf(1)
		}
		lowest := far
		if first < turn && out[first] < lowest {
			lowest = out[first]
		}
		out[i] = sign * lowest
	}
	return out
}
