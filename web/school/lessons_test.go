package school

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/forecast"
	"zincroad/core/limit"
)

// share is how much of a session a cause held.
func share(f *forecast.Forecast, cause limit.Cause) float64 {
	held, all := 0.0, 0.0
	for _, h := range f.Ceilings {
		all += h.ToS - h.FromS
		if h.Cause == cause {
			held += h.ToS - h.FromS
		}
	}
	return held / all
}

// What a lesson says of its picture is what the picture shows.
func TestLessonsShowWhatTheySay(t *testing.T) {
	list, err := lessons()
	require.NoError(t, err)
	require.Len(t, list, 10)
	seen := map[string]lesson{}
	for _, l := range list {
		assert.NotContains(t, seen, l.Key)
		assert.NotEmpty(t, l.Text, l.Key)
		for _, p := range l.Pictures {
			assert.Contains(t, p.SVG, "<svg")
			assert.NotContains(t, p.Caption+strings.Join(l.Text, ""), "NaN")
		}
		seen[l.Key] = l
	}
	letters := regexp.MustCompile(`class="held-letter[^>]*>([A-Z])`)
	for key, letter := range map[string]string{"strip": "T", "amps": "A", "cold": "C", "neighbour": "N", "steps": "W",
		"claims": "P"} {
		pictures := seen[key].Pictures
		var shown []string
		for _, m := range letters.FindAllStringSubmatch(pictures[len(pictures)-1].SVG, -1) {
			shown = append(shown, m[1])
		}
		assert.Contains(t, shown, letter, key)
	}
	// Two pictures of a comparison share their axis: the road of the quicker one ends earlier.
	require.Len(t, seen["cold"].Pictures, 2)
	assert.Contains(t, seen["cold"].Text[1], "longer")
}

// The lessons' physics by hand: at an amps limit power climbs with the pack's volts; a neighbour costs less than the
// seven minutes that it was there.
func TestLessonsByHand(t *testing.T) {
	session := func(change func(*forecast.Plan)) *forecast.Forecast {
		f, err := charged(change)
		require.NoError(t, err)
		return f
	}
	warm := session(func(*forecast.Plan) {})
	assert.Greater(t, share(warm, limit.PackTaper), 0.9, "the pack governs nearly all the way")
	amps := session(func(p *forecast.Plan) { p.Stall.MaxA = n(200) })
	assert.Greater(t, share(amps, limit.StallCurrent), 0.9)
	early, late := amps.Steps[120], amps.Steps[len(amps.Steps)-10]
	assert.Greater(t, late.StallKW, early.StallKW, "it climbs")
	assert.InDelta(t, early.Amps, late.Amps, 0.02*early.Amps, "while the amps stand still")
	neighbour := session(func(p *forecast.Plan) { p.Stall.SharedKW, p.NeighbourOnS, p.NeighbourS = n(200), 240, 420 })
	lost := took(neighbour) - took(warm)
	assert.Positive(t, lost)
	assert.Less(t, lost, 420.0)
}
