package trace_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/trace"
)

// What the offsets of a charge point's messages, in the order heard, come to.
func TestSourceClock(t *testing.T) {
	for _, tt := range []struct {
		name  string
		off   []float64
		want  float64
		steps int
	}{
		{"right", []float64{0.4, 0.6, 1.2, 0.5}, 0.55, 0},
		{"seven minutes behind", []float64{420.5, 421, 420.2}, 420.5, 0},
		{"the first was kept for a quarter of an hour", []float64{900, 0.5, 0.7, 0.6}, 0.6, 0},
		{"a queue of them", []float64{900, 700, 500, 300, 100, 0.5, 0.5, 0.6}, 0.5, 0},
		{"one kept waiting on the way", []float64{0.5, 0.6, 0.4, 300, 0.5}, 0.5, 0},
		{"corrected forward by an hour", []float64{3600, 3601, 3600, 0.4, 0.5}, 0.45, 1},
		{"set back by an hour", []float64{0.5, 0.4, 0.6, 3600.5, 3600.4, 3600.6}, 3600.5, 1},
		{"from 1970 to now", []float64{1.77e9, 1.77e9, 1.77e9, 2}, 2, 1},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var c trace.SourceClock
			got, steps := 0.0, 0
			for _, o := range tt.off {
				var step bool
				if got, step = c.Take(o); step {
					steps++
				}
			}
			assert.InDelta(t, tt.want, got, 0.3)
			assert.Equal(t, tt.steps, steps)
		})
	}
}
