package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/say"
	"zincroad/core/trace"
)

// Six levels that a tester typed, each from when to when it held, are six plateaus; a post behind a last fall has the
// power that was typed there.
func TestTypedLevelsArePlateaus(t *testing.T) {
	x := Read(of(typed(trace.StallSide,
		[3]float64{40, 5, 130}, [3]float64{200, 14, 130}, [3]float64{210, 15, 118}, [3]float64{420, 26, 118},
		[3]float64{430, 27, 102}, [3]float64{690, 41, 102}, [3]float64{700, 42, 84}, [3]float64{960, 52, 84},
		[3]float64{970, 53, 66}, [3]float64{1200, 60, 66}, [3]float64{1205, 61, 58}, [3]float64{1440, 70, 58},
		[3]float64{3000, 97, 27}, [3]float64{3360, 100, 4})), Options{})
	var kw []float64
	for _, p := range x.Plateaus {
		kw = append(kw, p.KW)
	}
	assert.Equal(t, []float64{130, 118, 102, 84, 66, 58}, kw)
	require.NotEmpty(t, x.Posts)
	last := x.Posts[len(x.Posts)-1]
	assert.Equal(t, 100.0, last.SoCPct)
	assert.InDelta(t, 4, *last.PowerKW, 1e-9)
}

// A dip of a minute is a fall that was seen, whatever held it; scatter around 4 kW is none.
func TestADipIsSaid(t *testing.T) {
	r := of(rec(trace.CarSide, 2, points{{0, 10}, {1200, 50}},
		points{{0, 131}, {598, 131}, {600, 80}, {658, 80}, {660, 131}, {1200, 131}}))
	f := find(t, Read(r, Options{}), AboutCliff)
	assert.Contains(t, f.Text.Kept(), "Fell from 131 to 80 kW")
	assert.Equal(t, say.Strong, f.Confidence)

	tail := rec(trace.CarSide, 2, points{{0, 95}, {1200, 99}}, points{{0, 4}, {1200, 4}})
	for i := range tail.Columns[trace.Power] {
		tail.Columns[trace.Power][i] = 4.2 - 1.2*float64(i%2)
	}
	assert.Empty(t, Read(of(tail), Options{}).Cliffs)
}
