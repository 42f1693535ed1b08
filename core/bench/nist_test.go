package bench

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat"
)

// NIST's statistical reference data sets for numerical accuracy, univariate NumAcc1 to NumAcc4 (built as the
// data sets say, certified mean and standard deviation exact by construction; from memory): times that differ
// in their last digits must not lose their spread to the size of their mean. The prediction interval is
// Student's 97.5 % point (scipy.stats.t.ppf(0.975, n-1)) times s √(1 + 1/n).
func TestSpreadAgainstNIST(t *testing.T) {
	alternating := func(middle, step float64) []float64 {
		v := []float64{middle}
		for range 500 {
			v = append(v, middle-step, middle+step)
		}
		return v
	}
	for _, c := range []struct {
		name          string
		values        []float64
		mean, s, t975 float64
		digits        float64 // of s that double precision can hold, as NIST tells
	}{
		{"NumAcc1", []float64{10000001, 10000003, 10000002}, 10000002, 1, 4.302652729696, 1e-12},
		{"NumAcc2", alternating(1.2, 0.1), 1.2, 0.1, 1.962339080, 1e-12},
		{"NumAcc3", alternating(1000000.2, 0.1), 1000000.2, 0.1, 1.962339080, 1e-8},
		{"NumAcc4", alternating(10000000.2, 0.1), 10000000.2, 0.1, 1.962339080, 1e-7},
	} {
		n := float64(len(c.values))
		assert.InEpsilon(t, c.mean, stat.Mean(c.values, nil), 1e-14, c.name)
		assert.InEpsilon(t, c.t975*c.s*math.Sqrt(1+1/n), predicted(c.values), c.digits+1e-8, c.name)
	}
}
