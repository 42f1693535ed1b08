package vehicle

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
)

// What a run is said to tell is what it tells: the window's minutes are as far off after learning from such a run as was
// foretold before it.
func TestTheNextRunTellsWhatItSays(t *testing.T) {
	t.Parallel()
	lessons := []Lesson{flat(1, 100, 20, 50, 1, 30), flat(2, 101, 20, 50, 1, 30)}
	m := Learn(ordinary, "", "", lessons)
	list := m.NextRuns(10, 80)
	require.NotEmpty(t, list, "above 50 % nobody has seen it")
	for _, next := range list {
		assert.Less(t, next.ThenPct, next.NowPct)
		made := flat(3, 100, next.FromPct, next.ToPct, 1, 30)
		for i := range made.Points { // it shows what was expected, so that nothing else changes
			made.Points[i].KW = m.At(made.Points[i].SoCPct)
		}
		after := Learn(ordinary, "", "", append(lessons, made))
		w := m.timeShares(10, 80)
		v := 0.0
		for i := range nodes {
			for k := range nodes {
				v += w.AtVec(i) * w.AtVec(k) * after.cov[i][k]
			}
		}
		assert.InEpsilon(t, 100*OfRange*math.Sqrt(v), next.ThenPct, 0.25, "%g to %g %%", next.FromPct, next.ToPct)
		assert.Greater(t, next.StallKW, 95.0)
	}
	assert.GreaterOrEqual(t, list[0].ToPct, 80.0, "what is not known of 10 to 80 lies above 50")
}

// A car that was seen all over has no run that would tell more than runs differ by; of a car that nobody drew any does.
func TestNothingIsLeftToTest(t *testing.T) {
	t.Parallel()
	var lessons []Lesson
	for day := range 6 {
		lessons = append(lessons, flat(day+1, 100+float64(day%3), 0, 100, 1, 30))
	}
	known := Learn(ordinary, "", "", lessons)
	assert.Empty(t, known.NextRuns(10, 80))
	one := Learn(&run.Car{Name: "Rowan", UsableKWh: run.N(60)}, "", "", []Lesson{flat(1, 60, 10, 30, 0, 30)})
	require.NotNil(t, one)
	assert.NotEmpty(t, one.NextRuns(10, 80))
	assert.Empty(t, one.NextRuns(80, 10))
	assert.Empty(t, (*Model)(nil).NextRuns(10, 80))
}
