package words

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWords(t *testing.T) {
	assert.Equal(t, "24:30", Clock(1470))
	assert.Equal(t, "1:00", Clock(59.6), "rounded, never 0:60")
	assert.Equal(t, "−0:05", Clock(-5))
	assert.Equal(t, "0:00", Clock(-0.2))
	assert.Equal(t, "72:05", Clock(4325))
	assert.Equal(t, "45 s", Duration(45))
	assert.Equal(t, "6 min", Duration(360))
	assert.Equal(t, "6 min 02 s", Duration(362))
	assert.Equal(t, "−3.5", Figure(-3.5, 1))
	assert.Equal(t, "120", Figure(119.96, 1))
	assert.Equal(t, "0", Figure(-0.04, 1))
	assert.Equal(t, "0.0", Fixed(-0.04, 1))
	assert.Equal(t, "+1:05", SignedClock(65))
	assert.Equal(t, "−1:05", SignedClock(-65))
}

// What Clock writes, ParseClock reads, to the second.
func TestParseClock(t *testing.T) {
	for _, v := range []float64{0, 5, 59, 60, 3599, 4325, -65} {
		got, ok := ParseClock(Clock(v), false)
		assert.True(t, ok)
		assert.Equal(t, v, got)
	}
	got, ok := ParseClock("18:24", true)
	assert.True(t, ok)
	assert.Equal(t, 18*3600+24*60.0, got)
	for _, s := range []string{"", ":", "90", "1:60", "1:2:3:4", "1.5:00", "a:00", "1:-5", "0x1:00", "1:Inf"} {
		_, ok := ParseClock(s, false)
		assert.False(t, ok, s)
	}
}
