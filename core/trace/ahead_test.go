package trace

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Against looking at every reading ahead: the same lowest and highest, with equal values, gaps longer than
// the span and readings at its very end.
func TestAheadAsByLooking(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 200 {
		var s Series
		at := 0.0
		for range 1 + r.IntN(60) {
			at += float64(1 + r.IntN(4)*r.IntN(4))
			s.T, s.V = append(s.T, at), append(s.V, float64(r.IntN(9)))
		}
		span := float64(1 + r.IntN(12))
		low, high := s.LowestAhead(span), s.HighestAhead(span)
		for i := range s.T {
			l, h := math.NaN(), math.NaN()
			for j := i + 1; j < len(s.T) && s.T[j] <= s.T[i]+span; j++ {
				if !(l <= s.V[j]) {
					l = s.V[j]
				}
				if !(h >= s.V[j]) {
					h = s.V[j]
				}
			}
			if math.IsNaN(l) {
				assert.True(t, math.IsNaN(low[i]) && math.IsNaN(high[i]))
				continue
			}
			assert.Equal(t, [2]float64{l, h}, [2]float64{low[i], high[i]})
		}
	}
}
