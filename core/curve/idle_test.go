package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// A car that stood plugged in for an hour behind its charge was not charging then; nor was one between two legs.
func TestIdlingIsNoCharging(t *testing.T) {
	r := of(typed(trace.StallSide, [3]float64{0, 41, 60}, [3]float64{600, 52, 60}, [3]float64{610, 52, 0},
		[3]float64{4200, 52, 0}))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(4200, run.Unplug)}
	x := Read(r, Options{})
	assert.Equal(t, "From 41 to 52 % in 10 min of charging.", find(t, x, AboutWindow).Text.Kept())
	assert.Equal(t, 4200.0, x.Legs[0].ToS, "the plug was in")

	r = of(twoLegs())
	r.Marks = []run.Mark{mark(60, run.PlugIn), mark(700, run.Unplug), mark(840, run.PlugIn), mark(1500, run.Unplug)}
	legs := Read(r, Options{}).Legs
	assert.Equal(t, 600.0, legs[0].FlowedToS-legs[0].FromS)
	assert.Equal(t, 600.0, legs[1].FlowedToS-legs[1].FromS)
}
