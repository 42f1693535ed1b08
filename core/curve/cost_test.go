package curve_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// By hand: 120 kW for 30 min and 60 kW for 30 min are 90 kWh. At 0.40 a kWh, 0.20 a
// minute up to 90 kW and 0.50 above, 1 a session, 0.10 an idle minute after 5, and
// 20 % tax: 36 + 30·0.5 + 30·0.2 + 1 + (15−5)·0.1 = 59, with tax 70.80.
func TestCostByHand(t *testing.T) {
	power := &trace.Recording{
		Name: "stall.csv",
		Side: trace.StallSide,
		T:    []float64{0, 1800, 1800.001, 3600, 3600.001},
		Columns: map[trace.Channel][]float64{
			trace.Power: {120, 120, 60, 60, 0}},
	}
	r := &run.Run{
		Recordings: []*trace.Recording{power},
		Marks:      []run.Mark{{TS: 0, Kind: run.PlugIn}, {TS: 3600 + 15*60, Kind: run.Unplug}},
		Stall: &run.Stall{
			Tariff: &run.Tariff{
				Currency:     "EUR",
				PerKWh:       run.N(0.4),
				SessionFee:   run.N(1),
				IdlePerMin:   run.N(0.1),
				IdleAfterMin: run.N(5),
				TaxPct:       run.N(20),
				PerMin:       []run.Tier{{UpToKW: run.N(90), Price: run.N(0.2)}, {Price: run.N(0.5)}},
			},
		},
	}
	x := curve.Read(r, curve.Options{})
	require.NotNil(t, x.Cost)
	assert.InDelta(t, 36, x.Cost.Energy, 0.001)
	assert.InDelta(t, 21, x.Cost.Time, 0.001)
	assert.InDelta(t, 1, x.Cost.Idle, 0.001)
	assert.InDelta(t, 70.8, x.Cost.Total, 0.01)
	assert.InDelta(t, 70.8/90, *x.Cost.PerKWh, 0.001)

	// Typed every 3 min, and unplugged 100 s after the last line: that power counts to
	// the unplug, so that none of these 100 s is sold as idle as well.
	typed := &run.Run{Recordings: []*trace.Recording{{Name: "notes", Side: trace.StallSide,
		T: []float64{0, 180, 360, 540}, Columns: map[trace.Channel][]float64{trace.Power: {60, 60, 60, 60}}}},
		Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}, {TS: 640, Kind: run.Unplug}},
		Stall: &run.Stall{Tariff: &run.Tariff{PerKWh: run.N(0.36), IdlePerMin: run.N(6)}}}
	x = curve.Read(typed, curve.Options{})
	assert.InDelta(t, 60*640/3600.0*0.36, x.Cost.Energy, 1e-9)
	assert.Zero(t, x.Cost.Idle)

	r.Stall.Tariff = nil
	assert.Nil(t, curve.Read(r, curve.Options{}).Cost, "no tariff, no cost")
	r.Stall.Tariff = &run.Tariff{PerKWh: run.N(0.4)}
	power.Side = trace.CarSide
	assert.Nil(t, curve.Read(r, curve.Options{}).Cost, "the car's own kWh are not billed")
}
