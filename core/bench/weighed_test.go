package bench

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
)

// A warm pack against a cold one: the difference is the warm one's minutes less, the pack's temperature stands first and
// on that side, and what does not matter behind it.
func TestADifferenceBesideWhatItCouldComeFrom(t *testing.T) {
	cold := day{software: "2.4", ambient: run.N(5), battery: run.N(6), pre: "none", profile: "full", climate: "off",
		weather: "sleet"}
	warm := cold
	warm.battery, warm.pre, warm.weather = run.N(26), "car", "dry"
	c := compare(cold, warm)
	w, ok := c.Weighed()
	require.True(t, ok)
	assert.Equal(t, *c.Runs[1].TS-*c.Runs[0].TS, w.TS)
	assert.Negative(t, w.TS)
	assert.Nil(t, w.LowS, "one run against one has no interval")
	assert.InDelta(t, 1.96*math.Sqrt2*0.03**c.Runs[0].TS, w.UsualS, 1e-9, "two like runs, each with 3 %")
	assert.Equal(t, Does, w.Weights[0].Matters)
	assert.Equal(t, DoesNot, w.Weights[len(w.Weights)-1].Matters)
	for _, x := range w.Weights {
		if x.Condition != "battery_c" {
			continue
		}
		assert.True(t, x.Sided)
		assert.Negative(t, x.ToS, "a warmer pack is quicker: the whole bar lies on that side")
		assert.LessOrEqual(t, x.FromS, x.ToS)
		assert.Equal(t, -*x.HighS, x.FromS)
	}
	back, ok := compare(warm, cold).Weighed()
	require.True(t, ok)
	assert.Positive(t, back.TS, "the other way about")
}

func TestRepeatsHaveAnIntervalAndNoUsualSpread(t *testing.T) {
	old := day{software: "2.3", ambient: run.N(5), battery: run.N(26), pre: "car", profile: "full", climate: "off"}
	anew := old
	anew.software, anew.scale = "2.4", 1.2
	slower := func(d day, by float64) day { d.scale = max(d.scale, 1) * by; return d }
	w, ok := compare(old, slower(old, 0.99), anew, slower(anew, 0.99)).Weighed()
	require.True(t, ok)
	require.NotNil(t, w.LowS)
	assert.Less(t, *w.LowS, w.TS)
	assert.Greater(t, *w.HighS, w.TS)
	assert.Zero(t, w.UsualS)
	assert.Equal(t, "software", w.Weights[0].Condition)
	assert.True(t, math.IsNaN(w.Weights[0].ToS), "nothing says what a version of software could come to")
}

// A strong stall first, a weak one, and one weaker still, which is the one furthest off: what the stall does to that one
// has no side in the difference between the first two.
func TestABarHasASideOnlyInTheDifferenceThatItIsOf(t *testing.T) {
	at := func(kw float64) day {
		return day{software: "2.4", battery: run.N(26), pre: "car", profile: "full", climate: "off", ambient: run.N(5),
			stallKW: kw}
	}
	sided := func(c *Comparison) bool {
		w, ok := c.Weighed()
		require.True(t, ok)
		for _, x := range w.Weights {
			if x.Condition == "stall_kw" {
				return x.Sided
			}
		}
		require.Fail(t, "the stalls differ")
		return false
	}
	assert.True(t, sided(compare(at(100), at(60))))
	assert.False(t, sided(compare(at(100), at(150), at(40))), "the second is quicker, the third is slower")
}

// Where nothing can be concluded there is no dot that looks like a conclusion.
func TestNoDifferenceIsWeighedWhereNothingIsConcluded(t *testing.T) {
	whole := day{software: "2.4", battery: run.N(26), profile: "full"}
	late := whole
	late.fromPct = 75
	_, ok := compare(whole, late).Weighed()
	assert.False(t, ok, "75 to 86 % is no window to conclude from")
	_, ok = compare(whole).Weighed()
	assert.False(t, ok, "one run alone")
}
