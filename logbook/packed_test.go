package logbook

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
)

// Curves of both sides come back to a single's seven digits, with what was not read; every channel
// has its place. What was cut off anywhere, or grown, is refused, and a length that lies asks for no memory.
func TestPackedCurvesAreWhole(t *testing.T) {
	car := trace.Reduced{T: []float64{-12.5, 0, 3600.125}, Columns: map[trace.Channel]trace.Floats{},
		Gaps: []trace.Span{{From: 3, To: 90}}}
	for i, in := range trace.Channels {
		car.Columns[in.Channel] = trace.Floats{float64(i) + 0.123456, math.NaN(), -1e4}
	}
	car.Columns["worked out"] = trace.Floats{1, math.NaN(), -1e4}
	curves := map[trace.Side]trace.Reduced{trace.CarSide: car,
		trace.StallSide: {T: []float64{1}, Columns: map[trace.Channel]trace.Floats{trace.Power: {150}}}}
	b := packCurves(curves)
	back, err := unpackCurves(b)
	require.NoError(t, err)
	require.Len(t, back, 2)
	assert.Equal(t, car.T, back[trace.CarSide].T)
	assert.Equal(t, car.Gaps, back[trace.CarSide].Gaps)
	require.Len(t, back[trace.CarSide].Columns, len(trace.Channels)+1)
	for c, v := range car.Columns {
		got := back[trace.CarSide].Columns[c]
		require.Len(t, got, 3)
		assert.InEpsilon(t, v[0], got[0], 1e-6, c)
		assert.True(t, math.IsNaN(got[1]))
		assert.Equal(t, v[2], got[2])
	}
	assert.Equal(t, curves[trace.StallSide].Columns, back[trace.StallSide].Columns)

	for n := range b {
		_, err := unpackCurves(b[:n])
		require.ErrorIs(t, err, errPacked, "%d bytes", n)
	}
	_, err = unpackCurves(append(b, 0))
	require.ErrorIs(t, err, errPacked)
	_, err = unpackCurves([]byte{curvesFormat, 1, 3, 'c', 'a', 'r', 0xff, 0xff, 0xff, 0xff, 0x7f})
	require.ErrorIs(t, err, errPacked)
}
