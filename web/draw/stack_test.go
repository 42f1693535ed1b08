package draw

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Rows lie under the strip at its own times; what was not read breaks the line.
func TestAStackSharesTheStripsAxis(t *testing.T) {
	strip := &Strip{Title: "Power", T: []float64{0, 600, 1200}, KW: []float64{10, 50, 40}, ToS: 1200}
	d := &Stack{Title: "Volts and amps", Under: strip, Rows: []StackRow{
		{Name: "volts", Unit: "V", T: []float64{0, 300, 600, 1200}, V: []float64{350, math.NaN(), 360, 380}},
		{Name: "amps", Unit: "A", T: []float64{600}, V: []float64{200}, FromZero: true},
	}}
	svg := d.SVG()
	of := elements(t, svg)
	require.Len(t, of["path"], 2)
	large := elements(t, strip.Large())["svg"][0]
	for _, k := range []string{"data-x0", "data-x1", "data-from", "data-to"} {
		assert.Equal(t, large[k], of["svg"][0][k], k)
	}
	p := plane{x0: 36, x1: 866, t1: 1200}
	assert.Contains(t, of["path"][0]["d"], "M"+num(p.x(600))+" ", "the line begins anew behind what was not read")
	assert.Contains(t, svg, ">volts, V<")
	assert.Empty(t, (&Stack{Under: strip}).SVG())
}
