package curve

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/health"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// halfHour is half an hour at a power that falls from 120 to 60 kW, a reading each 2 s, of a pack of 75 kWh from 10 %
// on.
func halfHour(side trace.Side, factor float64) *trace.Recording {
	rec := &trace.Recording{Name: string(side) + ".csv", Side: side, Columns: map[trace.Channel][]float64{}}
	soc := 10.0
	for t := 0.0; t <= 1800; t += 2 {
		kw := math.Min(120, 60+(1800-t)/15)
		if t < 20 {
			kw *= t / 20
		}
		rec.T = append(rec.T, t)
		rec.Columns[trace.Power] = append(rec.Columns[trace.Power], kw*factor)
		rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], math.Round(soc*10)/10)
		soc += kw * 2 / 3600 / 75 * 100
	}
	return rec
}

func wrongWith(x *Reading) (kinds []health.Kind) {
	for _, rec := range x.Recordings {
		for _, p := range rec.Health {
			kinds = append(kinds, p.Kind)
		}
	}
	return kinds
}

func TestAWholeLogHasNoBreach(t *testing.T) {
	x := Read(&run.Run{Recordings: []*trace.Recording{halfHour(trace.CarSide, 1)}}, Options{})
	assert.Empty(t, wrongWith(x))
	_, ok := x.Window(10, 50)
	assert.True(t, ok)
	require.NotNil(t, x.Usable)
	assert.InDelta(t, 75, x.Usable.Value, 0.5)
}

// A clock that leaps ahead by an hour, or back by a minute, while the charge goes on: nothing that spans it is
// stated, the energy has no hour in it in which nothing flowed, and what lies before stands.
func TestAClockThatJumps(t *testing.T) {
	whole := Read(&run.Run{Recordings: []*trace.Recording{halfHour(trace.CarSide, 1)}}, Options{})
	for name, by := range map[string]float64{"an hour ahead": 3600, "a minute back": -60} {
		rec := halfHour(trace.CarSide, 1)
		for i := range rec.T {
			if i >= 450 {
				rec.T[i] += by
			}
		}
		x := Read(&run.Run{Recordings: []*trace.Recording{rec}}, Options{})
		assert.Contains(t, wrongWith(x), health.ClockJump, name)
		_, ok := x.Window(10, 80)
		assert.False(t, ok, name)
		assert.Nil(t, x.Usable, name)
		assert.Equal(t, AboutBreach, x.Findings[0].Kind, name)
		early, ok := x.Post(20)
		require.True(t, ok, name)
		was, _ := whole.Post(20)
		assert.Equal(t, was, early, name)
		_, ok = x.Post(60)
		assert.False(t, ok, "%s: nobody knows how long after plug-in that was", name)
		if by > 0 {
			assert.InDelta(t, *whole.Energy.CarKWh, *x.Energy.CarKWh, 0.1, name)
		}
	}
}

// A logger that slept through a quarter of an hour, as the charge shows, is a gap and no jump.
func TestALoggerThatSleptIsNoJump(t *testing.T) {
	rec := halfHour(trace.CarSide, 1)
	rec.T = append(rec.T[:200:200], rec.T[600:]...)
	for c, col := range rec.Columns {
		rec.Columns[c] = append(col[:200:200], col[600:]...)
	}
	x := Read(&run.Run{Recordings: []*trace.Recording{rec}}, Options{})
	assert.NotContains(t, wrongWith(x), health.ClockJump)
	_, ok := x.Window(10, 50)
	assert.True(t, ok)
}

// A charge that the car sets down by six points: times are good, windows across it and capacity are not.
func TestAChargeThatIsSetAnew(t *testing.T) {
	rec := halfHour(trace.CarSide, 1)
	for i := range rec.Columns[trace.SoC] {
		if i >= 450 {
			rec.Columns[trace.SoC][i] -= 6
		}
	}
	x := Read(&run.Run{Recordings: []*trace.Recording{rec}}, Options{})
	assert.Equal(t, []health.Kind{health.Recalibrated}, wrongWith(x))
	_, ok := x.Window(10, 60)
	assert.False(t, ok)
	assert.Nil(t, x.Usable)
	// A quarter of an hour of 120 kW less half of 20 s, and one of 90 on average.
	assert.InDelta(t, 30-120*10/3600.0+22.5, *x.Energy.CarKWh, 0.05, "what flowed is what flowed")
}

// A display that stands still and catches up was not set anew.
func TestADisplayThatCatchesUp(t *testing.T) {
	rec := halfHour(trace.CarSide, 1)
	soc := rec.Columns[trace.SoC]
	for i := 450; i < 510; i++ {
		soc[i] = soc[449]
	}
	x := Read(&run.Run{Recordings: []*trace.Recording{rec}}, Options{})
	assert.NotContains(t, wrongWith(x), health.Recalibrated)
}

// A meter on the mains side reads the same share more at any power, and more than the label; losses are not made of it.
// A cable's loss grows with the current, and is one.
func TestAMeterOnTheMainsSide(t *testing.T) {
	number := func(v float64) run.Number { return &v }
	at := func(stall *trace.Recording) *Reading {
		return Read(&run.Run{Stall: &run.Stall{RatedKW: number(120)},
			Recordings: []*trace.Recording{halfHour(trace.CarSide, 1), stall}}, Options{})
	}
	x := at(halfHour(trace.StallSide, 1.08))
	assert.Contains(t, wrongWith(x), health.MainsSide)
	assert.Nil(t, x.Energy.LossPct)
	assert.Nil(t, x.Losses)

	cable := halfHour(trace.StallSide, 1)
	for i, kw := range cable.Columns[trace.Power] {
		cable.Columns[trace.Power][i] = kw * (1 + 0.07*kw/120)
	}
	x = at(cable)
	assert.NotContains(t, wrongWith(x), health.MainsSide)
	require.NotNil(t, x.Energy.LossPct)
	require.NotNil(t, x.Energy.Both)
	assert.InDelta(t, *x.Energy.LossPct, (1-x.Energy.Both.CarKWh/x.Energy.Both.StallKWh)*100, 1e-9)
}

// A log that begins minutes after the plug-in has no ramp of minutes, and loses none to it.
func TestALogThatBeginsLate(t *testing.T) {
	rec := halfHour(trace.CarSide, 1)
	rec.T = rec.T[200:]
	for c, col := range rec.Columns {
		rec.Columns[c] = col[200:]
	}
	x := Read(&run.Run{Recordings: []*trace.Recording{rec}, Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}}}, Options{})
	assert.Nil(t, x.RampS)
	require.NotEmpty(t, x.Ceilings)
	assert.Equal(t, "unknown", string(x.Ceilings[0].Cause))
	assert.Equal(t, 400.0, x.Ceilings[0].ToS)
	assert.Nil(t, x.Ceilings[0].MinutesLost)
	found := false
	for _, f := range x.Findings {
		found = found || f.Text.Kept() == "The log begins 6 min 40 s after the plug-in: what came before was not read."
	}
	assert.True(t, found, x.Findings)
}

// A recording of another session stands apart: no figure is made of it, and the page asks.
func TestARecordingOfAnotherDay(t *testing.T) {
	other := halfHour(trace.StallSide, 1)
	for i := range other.Columns[trace.Power] {
		t := other.T[i]
		other.Columns[trace.Power][i] = 40 + 30*math.Sin(t/90) // nothing like it
	}
	alone := Read(&run.Run{Recordings: []*trace.Recording{halfHour(trace.CarSide, 1)}}, Options{})
	x := Read(&run.Run{Recordings: []*trace.Recording{halfHour(trace.CarSide, 1), other}}, Options{})
	assert.True(t, x.Recordings[1].NotOneSession)
	assert.Nil(t, x.Energy.StallKWh)
	assert.Equal(t, alone.Energy, x.Energy)
	assert.Equal(t, alone.Posts, x.Posts)
	assert.Equal(t, trace.CarSide, x.Side)
}
