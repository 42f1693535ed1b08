package trace

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"
)

// What is left out lies within the tolerance of the line between what is kept; what is kept was read.
func TestStraightenedStaysWithinItsTolerance(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var s Series
		at, v := 0.0, 10.0
		for range rapid.IntRange(1, 200).Draw(t, "readings") {
			at += rapid.Float64Range(0.1, 60).Draw(t, "step")
			v += rapid.SampledFrom([]float64{0, 0, 0.1, 0.5, 1, -0.2}).Draw(t, "rise")
			s.T, s.V = append(s.T, at), append(s.V, v)
		}
		tolerance := rapid.SampledFrom([]float64{0.005, 0.05, 1}).Draw(t, "tolerance")
		line := s.Straightened(tolerance)
		for i, at := range s.T {
			got, ok := line.At(at)
			if !ok || math.Abs(got-s.V[i]) > tolerance+1e-9 {
				t.Fatalf("%g at %g, read %g", got, at, s.V[i])
			}
		}
	})
	straight := Series{T: []float64{0, 1, 2, 3, 10}, V: []float64{10, 11, 12, 13, 20}}
	assert.Equal(t, Series{T: []float64{0, 10}, V: []float64{10, 20}}, straight.Straightened(0.005))
}
