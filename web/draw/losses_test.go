package draw

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/bench"
	"zincroad/core/limit"
)

// The parts of a bar lie one behind the other on the axis; the widest bar fills it.
func TestLossBarsAddUp(t *testing.T) {
	d := &LossBars{Title: "Lost", Rows: []LossRow{
		{Name: "Larch 52", Beside: "10:00, 2 runs", Lost: []bench.GistLost{{Cause: limit.Cold, S: 450},
			{Cause: limit.StallPower, S: 150}}},
		{Name: "Rowan 82", Beside: "5:00, 1 run", Lost: []bench.GistLost{{Cause: limit.StallPower, S: 300}}},
	}}
	svg := d.SVG()
	var bars []map[string]string
	for _, r := range elements(t, svg)["rect"] {
		if r["class"] == "held" {
			bars = append(bars, r)
		}
	}
	require.Len(t, bars, 3)
	assert.InDelta(t, lossX0, number(t, bars[0]["x"]), 0.1)
	assert.InDelta(t, 0.75*(lossX1-lossX0), number(t, bars[0]["width"]), 0.1)
	assert.InDelta(t, number(t, bars[0]["x"])+number(t, bars[0]["width"]), number(t, bars[1]["x"]), 0.2)
	assert.InDelta(t, 0.5*(lossX1-lossX0), number(t, bars[2]["width"]), 0.1)
	assert.Contains(t, svg, ">C 7:30<")
	assert.Empty(t, (&LossBars{Rows: []LossRow{{Name: "Osier 88"}}}).SVG(), "nothing was lost")
}
