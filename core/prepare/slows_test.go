package prepare_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
)

// A pack of 60 kWh that takes 120 kW to 70 % and 60 from there on: ten points are 6 kWh, 3 minutes and 6. One that
// takes the same all the way is nowhere slow but where its volts end.
func TestWhereItSlows(t *testing.T) {
	session := forecast.Plan{Car: &run.Car{Chemistry: "NMC", UsableKWh: run.N(60),
		Envelope: []run.Point{{SoCPct: 0, KW: 120},
			{SoCPct: 70, KW: 120}, {SoCPct: 70.5, KW: 60}, {SoCPct: 100, KW: 60}}}, FromPct: 12, ToPct: 60, AmbientC: 20,
		Battery: pack.Nodes{ColdestC: 28, WarmestC: 28}}
	u, ok := prepare.WhereItSlows(session)
	require.True(t, ok)
	assert.Equal(t, 70.0, u.AtPct)
	assert.InDelta(t, 3, u.BeforeMin, 0.2)
	assert.InDelta(t, 6, u.AfterMin, 0.3)

	even := *session.Car
	even.Envelope = []run.Point{{SoCPct: 0, KW: 30}, {SoCPct: 100, KW: 30}}
	session.Car = &even
	if u, ok := prepare.WhereItSlows(session); ok {
		assert.GreaterOrEqual(t, u.AtPct, 90.0)
	}
}
