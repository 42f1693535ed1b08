package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// Four notes of a stall's screen beside a car's log: its noughts where the car took power say nothing, it counts as
// far as it was read, and the register at the end is what was delivered.
func TestASideThatWasSeldomRead(t *testing.T) {
	car := halfHour(trace.CarSide, 1)
	stall := &trace.Recording{Name: "notes", Side: trace.StallSide, T: []float64{0, 90, 400, 1800},
		Columns: map[trace.Channel][]float64{
			trace.Power:  {0, 123, 0, none},
			trace.Energy: {none, none, none, 54},
		}}
	r := &run.Run{Recordings: []*trace.Recording{car, stall}, Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}},
		Stall: &run.Stall{Tariff: &run.Tariff{Currency: "EUR", PerKWh: run.N(0.5)}}}
	x := Read(r, Options{})
	for _, p := range x.Posts {
		if p.TS > 0 {
			assert.Nil(t, p.PowerKW, "the stall was not read at %g %%", p.SoCPct)
		}
	}
	for _, c := range x.Ceilings {
		assert.NotEqual(t, "paused", string(c.Cause), "the car took power")
	}
	require.NotNil(t, x.Energy.StallKWh)
	assert.InDelta(t, 54, *x.Energy.StallKWh, 1e-9)
	require.NotNil(t, x.Energy.LossPct)
	assert.InDelta(t, (1-*x.Energy.CarKWh/54)*100, *x.Energy.LossPct, 1e-9)
	require.NotNil(t, x.Cost)
	assert.InDelta(t, 27, x.Cost.Total, 1e-9)
	assert.InDelta(t, 0.5, *x.Cost.PerKWh, 1e-9)
	require.Len(t, x.Legs, 1)
	assert.Equal(t, 1800.0, x.Legs[0].ToS, "power flowed to the end, whoever read it")
}

// Two readings of power by the stall, and none of energy: what it delivered in all is not known, and is not nought.
func TestWhatWasNotReadIsNotNought(t *testing.T) {
	stall := &trace.Recording{Side: trace.StallSide, T: []float64{0, 90}, Columns: map[trace.Channel][]float64{
		trace.Power: {0, 123}}}
	x := Read(&run.Run{Recordings: []*trace.Recording{halfHour(trace.CarSide, 1), stall}}, Options{})
	assert.Nil(t, x.Energy.StallKWh)
	assert.Nil(t, x.Energy.LossPct)
}
