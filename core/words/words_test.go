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
	assert.Equal(t, "+2.0", Signed(2, 1))
	assert.Equal(t, "0.0", Signed(0.04, 1))
	assert.Equal(t, "+1:05", SignedClock(65))
	assert.Equal(t, "−1:05", SignedClock(-65))
}
