package chart

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/curve"
	"zincroad/core/trace"
	"zincroad/logbook"
)

// A run that reached 20 % 100 s after plug-in counts from there: what lay before has no time, nor has a
// run that began above it or never came to it.
func TestMinutesSinceACharge(t *testing.T) {
	subject := func(soc ...float64) *Subject {
		c := trace.Reduced{T: []float64{50, 100, 150, 250}, Columns: map[trace.Channel]trace.Floats{trace.SoC: soc}}
		return &Subject{Results: &logbook.Results{Curves: map[trace.Side]trace.Reduced{trace.CarSide: c}},
			Reading: &curve.Reading{Side: trace.CarSide, ZeroS: 50}}
	}
	at := []float64{0, 50, 100, 130, 200}
	got := subject(10, 15, 20, 30).Against(since(20), at)
	assert.True(t, math.IsNaN(got[0]) && math.IsNaN(got[1]))
	assert.Equal(t, []float64{0, 30, 100}, got[2:])
	for _, never := range []*Subject{subject(21, 22, 23, 30), subject(10, 11, 12, 13)} {
		for _, v := range never.Against(since(20), at) {
			assert.True(t, math.IsNaN(v))
		}
	}
}
