package bench

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
)

func flat(from, to, v float64) trace.Series {
	return trace.Series{T: []float64{from, to}, V: []float64{v, v}}
}

// Three curves: the middle one is the median and all are the band; where one of three has ended the two
// others are enough, where two have nobody says anything.
func TestSpreadOfFew(t *testing.T) {
	s := SpreadOf([]trace.Series{flat(0, 10, 1), flat(0, 20, 2), flat(0, 30, 6)}, []float64{5, 15, 25})
	assert.True(t, s.Whole)
	assert.Equal(t, []float64{2, 4}, s.Median[:2])
	assert.Equal(t, []float64{1, 2}, s.Low[:2])
	assert.Equal(t, []float64{6, 6}, s.High[:2])
	assert.True(t, math.IsNaN(s.Median[2]))
}

// Of eleven curves of 0, 1, 4, 9 … 100 the outer tenths are left out: numpy.percentile([0, 1, 4, 9, 16, 25,
// 36, 49, 64, 81, 100], [10, 50, 90]) is 1, 25, 81; of twelve, with 121, 1.3, 30.5 and 98.1.
func TestSpreadOfMany(t *testing.T) {
	var curves []trace.Series
	for i := range 11 {
		curves = append(curves, flat(0, 1, float64(i*i)))
	}
	s := SpreadOf(curves, []float64{0.5})
	assert.False(t, s.Whole)
	assert.Equal(t, [3]float64{1, 25, 81}, [3]float64{s.Low[0], s.Median[0], s.High[0]})
	s = SpreadOf(append(curves, flat(0, 1, 121)), []float64{0.5})
	assert.InDelta(t, 1.3, s.Low[0], 1e-9)
	assert.InDelta(t, 30.5, s.Median[0], 1e-9)
	assert.InDelta(t, 98.1, s.High[0], 1e-9)
}

// A display that stands still and flickers back by one counts where it first came to a place: 50 at 10,
// 60 at 11, whatever it showed between.
func TestSpreadOfACoarseAxis(t *testing.T) {
	coarse := trace.Series{T: []float64{10, 10, 11, 10, 11, 12}, V: []float64{50, 55, 60, 1, 2, 70}}
	s := SpreadOf([]trace.Series{coarse, coarse}, []float64{10, 10.5, 11, 12})
	assert.Equal(t, []float64{50, 55, 60, 70}, s.Median)
}

// A band of 98 to 102 about 100: a curve of 105 from 20 to 40 lies above it there (beyond 102 and 2 % of 100 more),
// one of 103.5 does not, one of 90 for one point only is passed over, for three is not; and near stretches are one.
func TestOutsideOfABand(t *testing.T) {
	at := make([]float64, 0, 101)
	for x := range 101 {
		at = append(at, float64(x))
	}
	s := SpreadOf([]trace.Series{flat(0, 100, 98), flat(0, 100, 100), flat(0, 100, 102)}, at)
	run := func(v map[[2]float64]float64) (out trace.Series) {
		for _, x := range at {
			y := 100.0
			for span, other := range v {
				if x >= span[0] && x <= span[1] {
					y = other
				}
			}
			out.T, out.V = append(out.T, x), append(out.V, y)
		}
		return out
	}
	require.Equal(t, []Beside{{20, 40, true}}, s.Outside(run(map[[2]float64]float64{{20, 40}: 105, {60, 70}: 103.5}), 2))
	require.Equal(t, []Beside{{50, 55, false}}, s.Outside(run(map[[2]float64]float64{{50, 53}: 90, {55, 55}: 90}), 3),
		"two points of the axis between them are less than three")
	require.Empty(t, s.Outside(run(map[[2]float64]float64{{50, 51}: 90}), 2))
	require.Equal(t, []Beside{{50, 53, false}}, s.Outside(run(map[[2]float64]float64{{50, 53}: 90}), 2))
}
