package follow_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/lineup"
)

// What the live page says holds the power, minute by minute from the third on, is what the finished
// run's reading says of that minute, in 95 of 100: a run that is replayed and read afterwards.
func TestLiveVerdictIsTheReadings(t *testing.T) {
	agree, all := 0, 0
	for _, c := range replayed {
		p := plan(c.change)
		f, err := forecast.Of(p, forecast.DefaultUncertainty)
		require.NoError(t, err)
		end, ok := f.Post(80)
		require.True(t, ok)
		whole := read(t, f, "both", int(end.TS))
		whole.Car, whole.Stall, whole.Adapter = p.Car, p.Stall, p.Adapter
		x := curve.Read(lineup.AsNoted(whole), curve.Options{Clock: curve.PlugClock})
		for at := 180; at < int(end.TS)-5; at += 60 {
			s := follow.Of(read(t, f, "both", at), p, f, 60+float64(at))
			if !assert.NotNil(t, s.Holding, "%s at %d s", c.name, at) {
				continue
			}
			all++
			then := limit.Unknown
			for _, h := range x.Ceilings {
				if h.FromS <= float64(at)-2 && float64(at)-2 < h.ToS {
					then = h.Cause
				}
			}
			if s.Holding.Cause == then {
				agree++
			} else {
				t.Logf("%s at %d s: live %s, read %s", c.name, at, s.Holding.Cause, then)
			}
		}
	}
	t.Logf("%d of %d minutes", agree, all)
	assert.GreaterOrEqual(t, float64(agree), math.Floor(0.95*float64(all)))
}
