package curve

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// twins are one session read twice: with a state of charge to the thousandth, and in whole per
// cents as a display shows them. It holds kwh of which the car's log counts its own.
func twins(r *rand.Rand, everyS, kwh float64) (fine, whole *run.Run) {
	make2 := func() *trace.Recording {
		return &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	}
	a, b := make2(), make2()
	peak, soc, bias := 60+120*r.Float64(), 8+4*r.Float64(), 1+0.008*r.NormFloat64()
	next := 0.0
	for t := 0.0; soc < 84; t++ {
		kw := peak * math.Min(1, t/30) * (1 - 0.6*math.Max(0, soc-45)/40)
		if t >= next {
			next = t + everyS
			read := kw * bias * (1 + 0.01*r.NormFloat64())
			for _, rec := range []*trace.Recording{a, b} {
				rec.T = append(rec.T, t)
				rec.Columns[trace.Power] = append(rec.Columns[trace.Power], read)
			}
			a.Columns[trace.SoC] = append(a.Columns[trace.SoC], soc)
			b.Columns[trace.SoC] = append(b.Columns[trace.SoC], math.Floor(soc))
		}
		soc += kw / 3600 / kwh * 100
	}
	return &run.Run{Recordings: []*trace.Recording{a}}, &run.Run{Recordings: []*trace.Recording{b}}
}

// A display in whole per cents gives the posts of its finer twin within one per cent's time, half of
// them within a quarter of it; the range that a post carries holds the twin's; and the interval of
// the capacity holds what the pack really takes in 95 of 100.
func TestWholePercentTwins(t *testing.T) {
	const tries = 100
	var errors []float64 // as a share of the time for which the display showed the per cent
	within, posts, capacities := 0, 0, 0
	for i := range tries {
		r := rand.New(rand.NewPCG(21, uint64(i)))
		kwh := 45 + 50*r.Float64()
		fine, whole := twins(r, []float64{1, 2, 5}[i%3], kwh)
		x, y := Read(fine, Options{}), Read(whole, Options{})
		for _, p := range y.Posts {
			want, ok := x.Post(p.SoCPct)
			if !ok {
				continue // the display began with it: the twin was a little beyond
			}
			shown := shownFor(whole, p.SoCPct)
			require.Less(t, math.Abs(p.TS-want), shown, "post %g", p.SoCPct)
			errors = append(errors, math.Abs(p.TS-want)/shown)
			require.NotNil(t, p.LowS)
			posts++
			if *p.LowS-1e-9 <= want && want <= *p.HighS+1e-9 {
				within++
			}
		}
		require.NotNil(t, y.Usable)
		if y.Usable.Low <= kwh && kwh <= *y.Usable.High {
			capacities++
		}
	}
	slices.Sort(errors)
	t.Logf("%d posts: median error %.3f of a per cent's time, most %.3f; %d within their range; capacity covered %d of %d",
		posts, errors[len(errors)/2], errors[len(errors)-1], within, capacities, tries)
	assert.Less(t, errors[len(errors)/2], 0.25)
	assert.Equal(t, posts, within)
	assert.GreaterOrEqual(t, capacities, 95)
}

// shownFor is how long a display showed a per cent.
func shownFor(r *run.Run, pct float64) float64 {
	rec := r.Recordings[0]
	from, to := math.Inf(1), math.Inf(-1)
	for i, v := range rec.Columns[trace.SoC] {
		if v == pct {
			from, to = math.Min(from, rec.T[i]), math.Max(to, rec.T[i])
		}
	}
	return to - from + trace.MedianInterval(rec.T)
}

// Between the flips the state of charge runs on as the twin's does, within a third of a point; it
// never falls, and meets each flip.
func TestContinuousStateOfCharge(t *testing.T) {
	for i := range 20 {
		r := rand.New(rand.NewPCG(22, uint64(i)))
		fine, whole := twins(r, 2, 60)
		got := prepare(whole).continuousSoC()
		soc := fine.Recordings[0].Columns[trace.SoC]
		require.Len(t, got.V, len(soc))
		for k, v := range got.V {
			assert.InDelta(t, soc[k], v, 0.34, "reading %d", k)
			if k > 0 {
				require.GreaterOrEqual(t, v, got.V[k-1])
			}
			if shown := whole.Recordings[0].Columns[trace.SoC]; k > 0 && shown[k] > shown[k-1] {
				require.InDelta(t, shown[k], v, 1e-9, "a flip")
			}
		}
	}
}
