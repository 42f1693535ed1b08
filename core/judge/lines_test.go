package judge

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The plug's volts over the pack's: 102 of 100 where most cells say so, though 6 kW beside the pack make 115
// of it at the start; half where a converter doubles them for the pack; 1 where no amps were read.
func TestPlugToPack(t *testing.T) {
	cells := func(volts float64, plugV ...float64) *grid {
		g := &grid{}
		for i, v := range plugV {
			g.t, g.volts = append(g.t, float64(i)), append(g.volts, volts)
			g.plugA, g.plugKW = append(g.plugA, 200), append(g.plugKW, v*200/1000)
		}
		return g
	}
	assert.InDelta(t, 1.02, cells(400, 460, 440, 408, 408, 408).plugToPack(), 1e-9)
	assert.InDelta(t, 0.5, cells(800, 400, 400, 404).plugToPack(), 1e-9)
	none := cells(400, 400)
	none.plugA[0] = math.NaN()
	assert.Equal(t, 1.0, none.plugToPack())
}
