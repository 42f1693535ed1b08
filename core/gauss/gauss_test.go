package gauss

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// As scipy.special.log_ndtr (SciPy 1.15) has it; the asymptote's first term is off by one over the square of z.
func TestLogPhi(t *testing.T) {
	for z, want := range map[float64]float64{0: -0.6931471805599453, -1: -1.841021645009264, -3: -6.60772622151035,
		-8: -35.01343715991456, 2: -0.023012909328963486} {
		assert.InDelta(t, want, LogPhi(z), 1e-9, "%g", z)
	}
	assert.InDelta(t, -75.41067300156881, LogPhi(-12), 1./144)
	assert.InDelta(t, -39.19739642821768, LogPhi(-8.5), 1./72)
}
