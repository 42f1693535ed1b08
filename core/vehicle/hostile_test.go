package vehicle

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"

	"zincroad/core/pack"
	"zincroad/core/run"
)

// Whatever runs say, however wild, what is learned of them is numbers in order, and can be written down and read again.
func TestLearnsFromAnything(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := func(name string, low, high float64) run.Number {
			if rapid.Bool().Draw(t, name+" is there") {
				return nil
			}
			return run.N(rapid.Float64Range(low, high).Draw(t, name))
		}
		car := &run.Car{UsableKWh: number("usable", 0, 300), MaxKW: number("kW", 0, 1000), MaxA: number("A", 0, 2000),
			WarmC: number("warm", -40, 90), CellsInSeries: number("cells", 0, 500),
			Chemistry: rapid.SampledFrom([]string{"", "NMC", "LFP", "other"}).Draw(t, "chemistry")}
		if rapid.Bool().Draw(t, "no car") {
			car = nil
		}
		var lessons []Lesson
		for i := range rapid.IntRange(0, 5).Draw(t, "runs") {
			l := Lesson{Run: fmt.Sprint(i), StartedAt: time.Unix(int64(rapid.IntRange(0, 3).Draw(t, "day")), 0),
				Software: rapid.SampledFrom([]string{"", "1", "2"}).Draw(t, "software"),
				Profile:  rapid.SampledFrom([]string{"", "full", "gentle"}).Draw(t, "profile"),
				RestKWh:  number("rest", 0, 1e4), UsableKWh: number("capacity", 0, 1e4),
				UsablePct: rapid.Float64Range(0, 100).Draw(t, "pct"), Ohm: number("ohm", 0, 1e3),
				OhmC: rapid.Float64Range(-60, 90).Draw(t, "ohm c"), AuxKW: number("aux", 0, 1e3),
				HeatingKW: number("heating", 0, 1e3), BeginS: number("begin", 0, 1e5), RampS: number("ramp", 0, 1e5)}
			for range rapid.IntRange(0, 12).Draw(t, "points") {
				own := rapid.Float64Range(0, 1).Draw(t, "own")
				l.Points = append(l.Points, Point{SoCPct: rapid.Float64Range(-5, 105).Draw(t, "soc"),
					KW: rapid.Float64Range(0, 1e6).Draw(t, "power"), Own: own, Limit: own * rapid.Float64Range(0, 1).Draw(t, "l"),
					ColdC: number("cold", -60, 90), HotC: number("hot", -60, 90)})
			}
			for range rapid.IntRange(0, 3).Draw(t, "falls") {
				l.Falls = append(l.Falls, Fall{SoCPct: rapid.Float64Range(0, 100).Draw(t, "at"),
					AfterS: rapid.Float64Range(0, 9000).Draw(t, "after"), Share: rapid.Float64Range(0, 1).Draw(t, "share"),
					Called: rapid.SampledFrom([]Called{"", ATimer, AStep}).Draw(t, "called"), Sure: rapid.Bool().Draw(t, "sure")})
			}
			for _, heat := range []*[]Heat{&l.Warming, &l.Cooling} {
				if rapid.Bool().Draw(t, "heat") {
					*heat = []Heat{{AtC: rapid.Float64Range(-40, 80).Draw(t, "at c"),
						JouleA2S: rapid.Float64Range(0, 1e9).Draw(t, "j"), ColdestK: rapid.Float64Range(-50, 50).Draw(t, "k"),
						MeanK: rapid.Float64Range(-50, 50).Draw(t, "m"), ForS: rapid.Float64Range(0, 1e5).Draw(t, "s")}}
				}
			}
			lessons = append(lessons, l)
		}
		m := Learn(car, rapid.SampledFrom([]string{"", "1", "3"}).Draw(t, "asked"), "", lessons)
		if m == nil {
			return
		}
		last := math.Inf(-1)
		for _, p := range m.Envelope {
			require.Greater(t, p.SoCPct, last)
			last = p.SoCPct
			require.True(t, p.Low <= p.Value && p.Value <= p.High && p.Low > 0 && p.Value <= p.PackKW+1e-9 && p.High < 1e9,
				"%+v", p)
			require.False(t, math.IsNaN(m.SD(p.SoCPct)))
		}
		require.Len(t, m.Ways(), mostWays)
		text, err := json.Marshal(m.Document())
		require.NoError(t, err)
		var d Document
		require.NoError(t, json.Unmarshal(text, &d))
		_, err = d.Model()
		require.NoError(t, err)
		if p, err := pack.For(m.Apply(car)); err == nil {
			require.True(t, p.Thermal.HeatCapacityKJK > 0 && p.Ohm(50, 25) > 0, "%+v", p)
		}
		_ = m.From(car, "", lessons)
	})
}
