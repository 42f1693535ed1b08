package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// Typed a minute apart: the charge rose from the reading of nothing to the first of power, so the line between them
// counts, first power lies where it passes 1 kW, and how long the ramp took was not seen.
func TestTheSlopeOfATypedBeginningCounts(t *testing.T) {
	slope := typed(trace.StallSide, [3]float64{0, 10, 0}, [3]float64{50, 11, 118}, [3]float64{1850, 80, 118})
	x := Read(&run.Run{Recordings: []*trace.Recording{slope}}, Options{})
	require.NotNil(t, x.Energy.StallKWh)
	assert.InDelta(t, (118*50/2+118*1800)/3600.0, *x.Energy.StallKWh, 1e-9)
	assert.InDelta(t, 50.0/118, x.FirstPower, 1e-9)
	assert.Nil(t, x.RampS)

	still := typed(trace.StallSide, [3]float64{0, 10, 0}, [3]float64{50, 10, 118}, [3]float64{1850, 80, 118})
	x = Read(&run.Run{Recordings: []*trace.Recording{still}}, Options{})
	assert.InDelta(t, 118*1800/3600.0, *x.Energy.StallKWh, 1e-9,
		"where the charge stood still, nothing is known to have flowed")
	assert.Equal(t, 50.0, x.FirstPower)
}

// However late the first power was read.
func TestAFirstPowerThatWasReadLate(t *testing.T) {
	late := typed(trace.StallSide, [3]float64{0, 10, 0}, [3]float64{300, 20, 100}, [3]float64{2100, 80, 100})
	x := Read(&run.Run{Recordings: []*trace.Recording{late}}, Options{})
	assert.InDelta(t, (100*300/2+100*1800)/3600.0, *x.Energy.StallKWh, 1e-9)
	assert.InDelta(t, 3, x.FirstPower, 1e-9)
}
