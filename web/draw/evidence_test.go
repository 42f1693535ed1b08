package draw

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/say"
)

// Of the ceilings over 100 kW the one that held and the lowest are drawn, one of 400 kW is not; what the
// car asked for and the stall offered is, beside them, where it is near enough to be seen.
func TestEvidenceDrawsTheLowestAndWhatWasAskedFor(t *testing.T) {
	at := func(cause limit.Cause, label string, kw float64) judge.Line {
		return judge.Line{Cause: cause, Label: say.Own(label), T: []float64{0, 60, 120, 180}, KW: []float64{kw, kw, kw, kw}}
	}
	e := Evidence{Title: "Evidence", Holds: limit.StallPower, Lines: []judge.Line{at("", "read", 100),
		at(limit.StallPower, "stall, 105 kW", 105), at(limit.PackTaper, "warm pack", 120),
		at(limit.CarPower, "car, 400 kW", 400), at(limit.CarCurrent, "car, 170 kW", 170),
		at(limit.AdapterCurrent, "adapter, 175 kW", 175), at("", "asked for", 130), at("", "offered", 101)}}
	svg := e.SVG()
	for _, label := range []string{"stall, 105 kW", "warm pack", "car, 170 kW", "asked for", "offered"} {
		assert.Contains(t, svg, ">"+label+"<", label)
	}
	assert.NotContains(t, svg, "400 kW")
	assert.NotContains(t, svg, "adapter", "three ceilings are enough")
	assert.Equal(t, 1, strings.Count(svg, `<path class="limit limit-0 on"`))
	assert.Equal(t, 1, strings.Count(svg, `<line class="limit limit-0 on"`), "and in the key")
	e.Lines[6] = at("", "asked for", 300)
	assert.NotContains(t, e.SVG(), "asked for")
}
