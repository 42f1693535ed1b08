package follow_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/lineup"
	"zincroad/core/pack"
	"zincroad/core/run"
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

// Of a car of which little is noted, what its other runs taught is asked by all alike: what a session is foretold to be
// held by, what the live page says of it, and what its reading says afterwards, are of one party in 95 of 100 minutes.
func TestAllAskTheSameCar(t *testing.T) {
	told := func(p forecast.Plan) *forecast.Forecast {
		f, err := forecast.Of(p, forecast.DefaultUncertainty)
		require.NoError(t, err)
		return f
	}
	bare := func(c *run.Car) *run.Car {
		return &run.Car{Name: c.Name, Chemistry: c.Chemistry, UsableKWh: c.UsableKWh, CellsInSeries: c.CellsInSeries}
	}
	var taught []curve.Taught
	for i, change := range []func(*forecast.Plan){
		nil,
		func(p *forecast.Plan) { p.FromPct, p.ToPct = 5, 90 },
		func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: 8, WarmestC: 9} },
		func(p *forecast.Plan) { p.Stall.RatedKW = n(100) },
	} {
		p := plan(change)
		f := told(p)
		r := read(t, f, "both", len(f.Steps))
		r.Title, r.Car, r.Stall = fmt.Sprint(i), bare(p.Car), p.Stall
		taught = append(taught, curve.Of(r).Taught())
	}
	live, finished, all := 0, 0, 0
	for name, change := range map[string]func(*forecast.Plan){
		"weak stall": func(p *forecast.Plan) { p.Stall.RatedKW = n(75) },
		"few amps":   func(p *forecast.Plan) { p.Stall.MaxA = n(200) },
		"cold":       func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: 4, WarmestC: 5}; p.AmbientC = 4 },
		"warm":       nil,
	} {
		p := plan(change)
		was := told(p)
		p.Car = bare(p.Car)
		known := curve.Learn(p.Car, "", taught, nil)
		p.Known = known.Car
		ahead := told(p)
		whole := read(t, was, "both", len(was.Steps))
		whole.Car, whole.Stall = p.Car, p.Stall
		x := curve.OfKnown(lineup.AsNoted(whole), known).Read(curve.Options{Clock: curve.PlugClock})
		end, ok := was.Post(80)
		require.True(t, ok)
		for at := 180; at < int(end.TS)-5; at += 120 {
			s := follow.OfKnown(read(t, was, "both", at), p, known, ahead, 60+float64(at))
			if !assert.NotNil(t, s.Holding, "%s at %d s", name, at) {
				continue
			}
			then, foretold := limit.Unknown, limit.Unknown
			soc := 0.0
			for _, h := range x.Ceilings {
				if h.FromS <= float64(at)-2 && float64(at)-2 < h.ToS {
					then = h.Cause
				}
			}
			soc = was.Steps[at].SoCPct
			for _, st := range ahead.Steps { // where the plan has this charge
				if st.SoCPct >= soc {
					foretold = st.Cause
					break
				}
			}
			all++
			if s.Holding.Cause.Sign().Whose == then.Sign().Whose {
				live++
			} else {
				t.Logf("%s at %d s: live %s, read %s", name, at, s.Holding.Cause, then)
			}
			if foretold.Sign().Whose == then.Sign().Whose {
				finished++
			} else {
				t.Logf("%s at %d s: foretold %s, read %s", name, at, foretold, then)
			}
		}
	}
	assert.GreaterOrEqual(t, float64(live), math.Floor(0.95*float64(all)), "live, of %d", all)
	assert.GreaterOrEqual(t, float64(finished), math.Floor(0.95*float64(all)), "foretold, of %d", all)
}
