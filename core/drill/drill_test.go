package drill_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/drill"
	"zincroad/core/limit"
	"zincroad/core/trace"
)

// Two hundred charges to read, at all levels: whoever knows the truth gets all points, and so does who says that it
// cannot be told where it cannot; whoever always names the other party gets none for it. What the program itself
// makes of the same logs names the wrong party seldom.
func TestTwoHundredCharges(t *testing.T) {
	open, own, wrong, places := 0, 0, 0, 0
	for seed := range uint64(200) {
		e, err := drill.Make(seed, 1+int(seed%drill.Levels))
		require.NoError(t, err)
		var truth, honest, other [drill.Places]drill.Answer
		x := curve.Read(e.Run, curve.Options{})
		for i, p := range e.At {
			places++
			require.Less(t, p.FromS, p.ToS)
			require.Contains(t, drill.Causes, p.Cause)
			truth[i] = drill.Answer{Whose: p.Whose(), Cause: p.Cause}
			honest[i] = truth[i]
			if p.Open != drill.Told {
				open++
				honest[i] = drill.Answer{Whose: limit.Open}
			}
			other[i] = drill.Answer{Whose: limit.OfCar, Cause: limit.Hot}
			if p.Whose() == limit.OfCar {
				other[i] = drill.Answer{Whose: limit.OfStall, Cause: limit.StallFault}
			}
			for _, c := range x.Ceilings {
				if mid := (p.FromS + p.ToS) / 2; c.FromS <= mid && mid < c.ToS {
					own++
					if c.Whose != p.Whose() && (c.Whose == limit.OfCar || c.Whose == limit.OfStall) && p.Open == drill.Told {
						wrong++
					}
				}
			}
		}
		assert.InDelta(t, drill.Most, e.Mark(truth, e.Best).Total, 1e-9, "seed %d", seed)
		assert.InDelta(t, drill.Most, e.Mark(honest, e.Best).Total, 1e-9, "seed %d", seed)
		assert.Empty(t, e.Mark(truth, e.Best).MixUps)
		m := e.Mark(other, "")
		for i, p := range e.At {
			if p.Open == drill.Told {
				assert.Zero(t, m.Place[i], "seed %d place %d", seed, i)
			}
		}
	}
	t.Logf("%d places, %d of them open; the program names the wrong party at %d of %d", places, open, wrong, own)
	assert.Greater(t, open, 60, "that it cannot be told has to be right often enough to be learnt")
	assert.Less(t, float64(wrong), 0.05*float64(own), "hardly ever")
}

// An exercise is the same each time, its log has what its level says, and a drill has what it is for.
func TestExercises(t *testing.T) {
	a, err := drill.Make(5, 1)
	require.NoError(t, err)
	b, err := drill.Make(5, 1)
	require.NoError(t, err)
	assert.Equal(t, a, b)
	assert.True(t, a.Run.Recordings[0].Has(trace.OfferedPower))
	hard, err := drill.Make(5, 3)
	require.NoError(t, err)
	assert.False(t, hard.Run.Recordings[0].Has(trace.Current))
	for _, kw := range hard.Run.Recordings[0].Columns[trace.Power] {
		assert.InDelta(t, math.Round(kw), kw, 1e-9)
	}
	for seed := range uint64(20) {
		e, err := drill.Make(seed, 2, limit.SharedCabinet, limit.TimerStep)
		require.NoError(t, err)
		found := false
		for _, p := range e.At {
			found = found || p.Cause == limit.SharedCabinet || p.Cause == limit.TimerStep
		}
		assert.True(t, found)
	}
}

// What is mixed up twice and most is told, and a tally survives being kept; nonsense in it is passed over.
func TestTally(t *testing.T) {
	tally := drill.ParseTally("shared-cabinet>timer-step:2,cold>pack-taper:1,x>y:3,cold>cold,pack-taper>cold:-1,,")
	assert.Len(t, tally, 2)
	worst, ok := tally.Worst()
	require.True(t, ok)
	assert.Equal(t, drill.MixUp{Is: limit.SharedCabinet, Said: limit.TimerStep}, worst)
	assert.Equal(t, "cold>pack-taper:1,shared-cabinet>timer-step:2", tally.Text())
	_, ok = drill.ParseTally("cold>pack-taper:1").Worst()
	assert.False(t, ok, "once is chance")
}

// Half a point for saying that it cannot be told where it can; one of two for the right party with the wrong limit.
func TestWorth(t *testing.T) {
	e := &drill.Exercise{At: [3]drill.Place{{Cause: limit.StallPower}, {Cause: limit.Cold}, {Cause: limit.PackTaper}}}
	m := e.Mark([3]drill.Answer{{Whose: limit.Open}, {Whose: limit.OfCar, Cause: limit.PackTaper},
		{Whose: limit.OfStall, Cause: limit.StallPower}}, drill.Enough)
	assert.Equal(t, [3]float64{0.5, 1, 0}, m.Place)
	assert.Equal(t, []drill.MixUp{{Is: limit.Cold, Said: limit.PackTaper}, {Is: limit.PackTaper, Said: limit.StallPower}},
		m.MixUps)
}
