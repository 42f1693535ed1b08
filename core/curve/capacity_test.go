package curve

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// capacityRun is a run whose capacity is known to one kWh either way.
func capacityRun(kwh, odometerKM float64, software string) CapacityRun {
	high := kwh + 1
	return CapacityRun{Interval{kwh, kwh - 1, &high}, odometerKM, software}
}

// Stopping distances against speed, R's data set "cars" (Ezekiel 1930; the values from memory), and what
// lm(dist ~ speed) and confint say of it.
func TestSlopeAgainstR(t *testing.T) {
	speed := []float64{4, 4, 7, 7, 8, 9, 10, 10, 10, 11, 11, 12, 12, 12, 12, 13, 13, 13, 13, 14, 14, 14, 14, 15, 15,
		15, 16, 16, 17, 17, 17, 18, 18, 18, 18, 19, 19, 19, 20, 20, 20, 20, 20, 22, 23, 24, 24, 24, 24, 25}
	dist := []float64{2, 10, 4, 22, 16, 10, 18, 26, 34, 17, 28, 14, 20, 24, 28, 26, 34, 34, 46, 26, 36, 60, 80, 20, 26,
		54, 32, 40, 32, 40, 50, 42, 56, 76, 84, 36, 46, 68, 32, 48, 52, 56, 64, 66, 54, 70, 92, 93, 120, 85}
	b, half := slope(speed, dist)
	assert.InDelta(t, 3.9324, b, 5e-5)
	assert.InDelta(t, 3.096964, b-half, 5e-6)
	assert.InDelta(t, 4.767853, b+half, 5e-6)
}

// A trend needs four runs and 5,000 km; points on a line give the line, with nothing left open.
func TestCapacityOverTheOdometer(t *testing.T) {
	var runs []CapacityRun
	for i := range 3 {
		runs = append(runs, capacityRun(78-float64(i), float64(i)*10_000, "2.3"))
	}
	_, _, ok := CapacityPerKM(runs)
	assert.False(t, ok, "three runs")
	_, _, ok = CapacityPerKM(append(runs, capacityRun(75, math.NaN(), "2.3")))
	assert.False(t, ok, "the fourth does not say where it stood")
	runs = append(runs, capacityRun(75, 30_000, "2.3"))
	per, half, ok := CapacityPerKM(runs)
	require.True(t, ok)
	assert.InDelta(t, -1e-4, per, 1e-12)
	assert.InDelta(t, 0, half, 1e-10)
	assert.Contains(t, CapacityOverTime(runs)[2].Kept(), "1.00 kWh less each 10000 km")
	near := []CapacityRun{runs[0], runs[0], runs[0], capacityRun(75, 4_999, "2.3")}
	_, _, ok = CapacityPerKM(near)
	assert.False(t, ok, "within 5,000 km")
}

// An update that opened more of the pack is a change at the software, not wear; ups and downs that the
// readings leave open are none.
func TestCapacityAtAnUpdate(t *testing.T) {
	nowhere := math.NaN()
	said := CapacityOverTime([]CapacityRun{capacityRun(78, nowhere, "2.3"), capacityRun(78.4, nowhere, "2.3"),
		capacityRun(70, nowhere, ""), capacityRun(82, nowhere, "2.4")})
	require.Len(t, said, 3)
	assert.Equal(t, "82 kWh by the last run, 7 more than by its runs before.", said[0].Kept())
	assert.Contains(t, said[1].Kept(), "78.0 kWh in the first of 4 runs, 82.0 in the last: more by more")
	assert.Equal(t, "Software 2.3 had 78.2 kWh (2 runs), 2.4 had 82.0 (1 run): more by more than the readings leave open.",
		said[2].Kept())
	said = CapacityOverTime([]CapacityRun{capacityRun(78, nowhere, "2.3"), capacityRun(79.5, nowhere, "2.4")})
	assert.Contains(t, said[2].Kept(), "no change that the readings could show")
	assert.Empty(t, CapacityOverTime([]CapacityRun{capacityRun(78, nowhere, "2.3")}), "one run shows no change")
}

// Many runs that all read half a kWh too low are no surer than one.
func TestManyRunsDoNotNarrowWhatIsCommonToAll(t *testing.T) {
	var runs []CapacityRun
	for range 50 {
		runs = append(runs, capacityRun(78, math.NaN(), "2.3"))
	}
	got := typical(runs)
	assert.InDelta(t, 77, got.Low, 1e-9)
	assert.InDelta(t, 79, *got.High, 1e-9)
	runs[7].High = nil
	assert.Nil(t, typical(runs).High, "one without an upper end leaves it open")
}
