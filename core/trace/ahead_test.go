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
	asked := func(steep, away float64) func(v, lowest, highest float64) bool {
		return func(v, lowest, highest float64) bool {
			return lowest <= steep*v || highest-v >= away || v-lowest >= away
		}
	}
	for round := range 300 {
		var s Series
		at, level := 0.0, 100.0
		n := 1 + r.IntN(60)
		if round%3 == 0 {
			n = 1 + r.IntN(5*aheadBlock)
		}
		for range n {
			at += float64(1 + r.IntN(4)*r.IntN(4))
			if r.IntN(200) == 0 {
				level = 50 + 50*r.Float64()
			}
			if r.IntN(300) == 0 {
				at += 500
			}
			s.T, s.V = append(s.T, at), append(s.V, level+float64(r.IntN(9)))
		}
		span := float64(1 + r.IntN(12))
		is := asked(0.75, 12+20*r.Float64())
		if round%2 == 0 {
			is = asked(0.97, 5)
		}
		var want []int
		for i := range s.T {
			low, high, some := math.Inf(1), math.Inf(-1), false
			for j := i + 1; j < len(s.T) && s.T[j] <= s.T[i]+span; j++ {
				low, high, some = math.Min(low, s.V[j]), math.Max(high, s.V[j]), true
			}
			if some && is(s.V[i], low, high) {
				want = append(want, i)
			}
		}
		assert.Equal(t, want, s.Ahead(span, is), "%d readings", n)
	}
	assert.Empty(t, Series{}.Ahead(1, asked(1, 0)))
}
