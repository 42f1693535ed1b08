package logbook

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/trace"
)

// A strip that was cut off anywhere, or grown, is refused; none is read past its end.
func TestPackedStripsAreWhole(t *testing.T) {
	kw := 50.25
	s := Strip{Side: trace.StallSide, T: []float64{-1.5, 0, 2000}, KW: []float64{0, math.NaN(), 120.5}, WindowFrom: 10,
		WindowTo: 80, Posts: []curve.Post{{SoCPct: 10, TS: 4, PowerKW: &kw}, {SoCPct: 20, TS: 90}},
		Gaps: []trace.Span{{From: 5, To: 70}}}
	b := s.pack()
	back, err := unpackStrip(b)
	require.NoError(t, err)
	assert.True(t, math.IsNaN(back.KW[1]))
	back.KW[1], s.KW[1] = 0, 0
	assert.Equal(t, s, back)
	for n := range b {
		_, err := unpackStrip(b[:n])
		require.ErrorIs(t, err, errPacked, "%d bytes", n)
	}
	_, err = unpackStrip(append(b, 0))
	require.ErrorIs(t, err, errPacked)
	many := append([]byte{stripFormat, 0, 0, 0, 0, 0, 0, 0, 0, 0}, 0xff, 0xff, 0xff, 0xff, 0x7f)
	_, err = unpackStrip(many)
	require.ErrorIs(t, err, errPacked, "a length of 4e9 asks for no memory")
}
