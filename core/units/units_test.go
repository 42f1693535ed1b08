package units

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Expected values: NIST SP 811 (2008), appendix B.8 and B.9, conversion factors
// as printed there (mechanical horsepower 550 ft·lbf/s = 7.456 999 E+02 W; the
// watt hour 3.6 E+03 J; °F by the printed formula).
func TestConversionsAgainstNISTSP811(t *testing.T) {
	for _, c := range []struct {
		list         []Unit
		unit         string
		written, got float64
	}{
		{Temperature, "°F", 32, 0},
		{Temperature, "°F", 212, 100},
		{Temperature, "°F", -40, -40},
		{Temperature, "°F", 77, 25},
		{Temperature, "K", 273.15, 0},
		{Temperature, "°C", -17.5, -17.5},
		{Power, "hp", 1, 0.7456999},
		{Power, "W", 150000, 150},
		{Power, "MW", 0.35, 350},
		{Energy, "MJ", 3.6, 1},
		{Energy, "kJ", 3600, 1},
		{Energy, "Wh", 1, 0.001},
		{Voltage, "mV", 398500, 398.5},
		{Current, "mA", 500000, 500},
		{Percent, "fraction", 0.8, 80},
		{Money, "hundredths", 4210, 42.10},
	} {
		u, ok := Find(c.list, c.unit)
		require.True(t, ok, c.unit)
		assert.InDelta(t, c.got, u.Convert(c.written), 1e-7, "%g %s", c.written, c.unit)
	}
	assert.InDelta(t, 1, KWhFromKJ(3600), 1e-12)
	_, ok := Find(Power, "furlong")
	assert.False(t, ok)
}
