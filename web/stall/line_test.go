package stall

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/internal/fuzzed"
)

// Whatever is typed in a hurry is a reading of legal values or one sentence that says what was expected; it is never
// both, nothing, or a fall.
func FuzzReadLine(f *testing.F) {
	for _, line := range []string{"48 89 21", "48,5; 89", "- 90", "48% 89kW 21C", "400 V 250 A", "NaN 1", "1e308 1e-320",
		"+Inf", "−5", "48 89 21 7", "0x10", "fans loud", "\x00", "48 %  89 kW"} {
		f.Add(line, byte(0), "°C")
		f.Add(line, byte(1), "°F")
	}
	f.Fuzz(func(t *testing.T, line string, set byte, unit string) {
		defer fuzzed.Watch(t)()
		values, fault := readLine(line, lineSets[int(set)%len(lineSets)], unit)
		require.NotEqual(t, fault == "", len(values) == 0, "%q: %v %q", line, values, fault)
		for c, v := range values {
			in, known := trace.Describe(c)
			require.True(t, known, "%q: %s", line, c)
			require.False(t, math.IsNaN(v) || v < in.Min || v > in.Max, "%q: %s of %g", line, c, v)
		}
	})
}
