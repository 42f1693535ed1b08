package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Others of 1,200, 1,230 and 1,260 s: mean 1,230, spread 30; t of two degrees of freedom is 4.302653
// (scipy.stats.t.ppf(0.975, 2)), times 30 · √(4/3) = 34.6410: 149.048. A run of another group is none
// of the others.
func TestAmongItsLikes(t *testing.T) {
	c := &Comparison{copyOf: []int{0, 1, 2, 3, 4, 5, 6, 4}, Groups: []Group{{Runs: []int{0, 1, 3, 4, 7}},
		{Runs: []int{2, 5, 6}}}}
	for _, s := range []float64{1300, 1200, 9000, 1230, 1260, 1380, 0, 1260} { // the last is the fifth once more
		c.times = append(c.times, &s)
	}
	c.times[6] = nil
	all := []int{0, 1, 2, 3, 4, 5, 6, 7}
	a, ok := c.Among(0, all)
	require.True(t, ok)
	assert.Equal(t, 3, a.Others)
	assert.InDelta(t, 1230-149.048, a.LowS, 0.01)
	assert.InDelta(t, 1230+149.048, a.HighS, 0.01)
	assert.True(t, a.Inside())
	*c.times[0] = 1380
	a, _ = c.Among(0, all)
	assert.False(t, a.Inside(), "a second beyond")
	a, _ = c.Among(0, []int{0, 1, 3})
	assert.Equal(t, 2, a.Others, "only those that are to be its measure")
	a, ok = c.Among(2, all)
	require.True(t, ok)
	assert.False(t, a.Known(), "one like it tells nothing")
	assert.False(t, a.Inside())
	a, _ = c.Among(7, all)
	assert.Equal(t, 3, a.Others, "a log is none of its own others")
	_, ok = c.Among(6, all)
	assert.False(t, ok, "it has no time in the window")
}
