package units

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// NIST SP 811 (2008), B.8 and B.9: t/°C = (t/°F − 32)/1.8, 1 mi = 1.609344 km.
func TestPeoplesUnits(t *testing.T) {
	us := People{Fahrenheit: true, Miles: true}
	for _, c := range []struct {
		kept        string
		v           float64
		name        string
		shown, tiny float64
	}{
		{"°C", 25, "°F", 77, 1e-12}, {"°C", -40, "°F", -40, 1e-12}, {"km", 1.609344, "mi", 1, 1e-12},
		{"km/h", 80.4672, "mph", 50, 1e-9},
		{"Wh/km", 200, "Wh/mi", 321.8688, 1e-9}, {"kW", 7, "kW", 7, 0},
	} {
		assert.Equal(t, c.name, us.Name(c.kept))
		assert.InDelta(t, c.shown, us.Show(c.kept, c.v), c.tiny)
		assert.InDelta(t, c.v, us.Keep(c.kept, c.shown), 1e-9, "there and back")
		assert.Equal(t, c.v, People{}.Show(c.kept, c.v))
	}
	v, ok := In("°F", "°C", 70)
	assert.True(t, ok)
	assert.InDelta(t, 21.1111, v, 1e-4)
	_, ok = In("km", "°C", 3)
	assert.False(t, ok)
}
