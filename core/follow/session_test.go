package follow_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
)

// What is noted of a run stands before what was planned; what is not noted is as planned.
func TestSessionOf(t *testing.T) {
	planned := forecast.Plan{
		FromPct:   10,
		ToPct:     70,
		AmbientC:  3,
		Battery:   pack.Nodes{ColdestC: 8, WarmestC: 9},
		Gentle:    true,
		ClimateKW: 2,
	}
	got := follow.SessionOf(&planned, &run.Run{Car: car()})
	assert.Equal(t, 70.0, got.ToPct)
	assert.Equal(t, 3.0, got.AmbientC)
	assert.True(t, got.Gentle)
	assert.Equal(t, car(), got.Car)

	noted := &run.Run{Method: &run.Method{FromPct: n(20), ToPct: n(90)},
		Conditions: &run.Condition{AmbientC: n(-4), BatteryC: n(0), Profile: "full"}}
	got = follow.SessionOf(&planned, noted)
	assert.Equal(t, [2]float64{20, 90}, [2]float64{got.FromPct, got.ToPct})
	assert.Equal(t, -4.0, got.AmbientC)
	assert.Equal(t, pack.Nodes{}, got.Battery, "0 °C is a temperature, not nothing")
	assert.False(t, got.Gentle)
	assert.Equal(t, 2.0, got.ClimateKW, "nothing else is noted")

	assert.Equal(t, 80.0, follow.SessionOf(nil, &run.Run{}).ToPct, "it stops somewhere")
}

// The clock on the wall shows minutes: no range is narrower than one either way.
func TestRangesAreAMinuteAtLeast(t *testing.T) {
	narrow := follow.Expect{TS: 600, LowS: 590, HighS: 620}
	assert.Equal(t, 60.0, narrow.HalfS())
	low, high := narrow.Within()
	assert.Equal(t, [2]float64{540, 660}, [2]float64{low, high})
	wide := follow.Expect{TS: 600, LowS: 500, HighS: 800}
	assert.Equal(t, 150.0, wide.HalfS())
	low, high = wide.Within()
	assert.Equal(t, [2]float64{500, 800}, [2]float64{low, high})
	never := follow.Expect{TS: 600, LowS: 500, HighS: math.NaN()}
	assert.True(t, math.IsNaN(never.HalfS()))
	low, high = never.Within()
	assert.Equal(t, 500.0, low)
	assert.True(t, math.IsNaN(high))
}
