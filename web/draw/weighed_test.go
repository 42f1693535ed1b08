package draw

import (
	"math"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/bench"
)

func numberIn(t *testing.T, svg, pattern string) float64 {
	t.Helper()
	m := regexp.MustCompile(pattern).FindStringSubmatch(svg)
	require.NotNil(t, m, pattern)
	return number(t, m[1])
}

// The dot stands on the axis where its minutes are: half way between zero and ten minutes for five.
func TestADifferenceStandsAtItsMinutes(t *testing.T) {
	d := &Weighed{Title: "The difference", Second: "2 · 26 °C", Labels: []string{"battery at start: 6 °C, 26 °C", "stall: A, B"},
		Of: bench.Weighed{TS: -300, UsualS: 120, SmallestS: 60, Weights: []bench.Weight{
			{Differs: bench.Differs{Matters: bench.Does}, FromS: -600, ToS: -240, Sided: true},
			{Differs: bench.Differs{Matters: bench.Maybe}, FromS: 60, ToS: 180},
		}}}
	svg := d.SVG()
	zero := numberIn(t, svg, `<line class="base" x1="([\d.]+)"`)
	ten := numberIn(t, svg, `x="([\d.]+)" y="[\d.]+">−10<`)
	assert.InDelta(t, (zero+ten)/2, numberIn(t, svg, `<circle class="point" cx="([\d.]+)"`), 0.2)
	assert.Equal(t, 1, strings.Count(svg, `class="could"`), "a side that is known has one bar")
	assert.Equal(t, 2, strings.Count(svg, `class="could perhaps"`), "one that is not could lie on either")
	assert.Contains(t, svg, ">± 1:00 to 3:00<")
	assert.Contains(t, svg, ">4:00 to 10:00<")
	assert.NotContains(t, svg, "interval", "there are too few runs for one")
	grey := numberIn(t, svg, `<rect class="too-small" x="([\d.]+)"`)
	assert.InDelta(t, zero+(ten-zero)/5, grey, 0.2, "like runs lie within two minutes")
	d.Of.TS = math.NaN()
	assert.Empty(t, d.SVG())
}
