package health_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/health"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// A drive of ten minutes with regeneration, a minute parked, and charging from 700 s on; a drive away.
func drive(pauseFrom, pauseTo, awayFrom float64) trace.Series {
	var p trace.Series
	for t := 0.0; t < 2400; t++ {
		kw := 0.0
		switch {
		case t < 600:
			kw = -20 + 30*math.Sin(t/7)
		case t >= awayFrom:
			kw = -15
		case t >= 700 && (t < pauseFrom || t >= pauseTo):
			kw = 100
		}
		p.T, p.V = append(p.T, t), append(p.V, kw)
	}
	return p
}

func TestMarksThatNobodyMade(t *testing.T) {
	none := math.Inf(1)
	kinds := func(list []health.MarkProposal) (out []string, at []float64) {
		for _, m := range list {
			out, at = append(out, m.Kind), append(at, m.TS)
			assert.NotEmpty(t, m.Reason)
		}
		return out, at
	}
	names, at := kinds(health.Marks(nil, drive(none, none, none)))
	assert.Equal(t, []string{run.PlugIn}, names)
	assert.Equal(t, []float64{700}, at, "where power begins to last")

	names, at = kinds(health.Marks(nil, drive(1500, 1620, 2300)))
	assert.Equal(t, []string{run.PlugIn, run.Unplug, run.PlugIn, run.Unplug}, names)
	assert.Equal(t, []float64{700, 1499, 1590, 2299}, at)

	names, _ = kinds(health.Marks(nil, drive(1500, 1530, none)))
	assert.Equal(t, []string{run.PlugIn}, names, "a dip of half a minute is no replug")

	assert.Empty(t, health.Marks([]run.Mark{{Kind: run.PlugIn, TS: 650}}, drive(1500, 1620, 2300)), "it is marked already")
	charging := drive(none, none, none)
	assert.Empty(t, health.Marks(nil, charging.From(600)), "a log of nothing but charging needs none")
	assert.Empty(t, health.Marks(nil, trace.Series{}))
}
