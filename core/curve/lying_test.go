package curve_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/trace"
	"zincroad/internal/sampled"
)

// Logs that lie in other ways than the gallery's own: sensors that are missing, envelopes that are
// off, bursts, holes, spikes, frozen values, steps of a display. What is said for sure stays right.
func TestLogsThatLieInOtherWays(t *testing.T) {
	for _, k := range []struct {
		name   string
		change func(l *labelled, rng *rand.Rand)
	}{
		{"no warm_c", func(l *labelled, _ *rand.Rand) { l.run.Car.WarmC = nil }},
		{"one temperature", func(l *labelled, _ *rand.Rand) {
			for _, r := range l.run.Recordings {
				if lo, hi := r.Columns[trace.BatteryTempMin], r.Columns[trace.BatteryTempMax]; lo != nil && hi != nil {
					mid := make([]float64, len(lo))
					for i := range lo {
						mid[i] = (lo[i] + hi[i]) / 2
					}
					r.Columns[trace.BatteryTemp] = mid
					without(r, trace.BatteryTempMin, trace.BatteryTempMax)
				}
			}
		}},
		{"no car noted", func(l *labelled, _ *rand.Rand) { l.run.Car = nil }},
		{"nothing noted", func(l *labelled, _ *rand.Rand) { l.run.Car, l.run.Stall, l.run.Adapter = nil, nil, nil }},
		{"envelope 8 % off", func(l *labelled, rng *rand.Rand) {
			by := 0.92 + 0.16*rng.Float64()
			for i := range l.run.Car.Envelope {
				l.run.Car.Envelope[i].KW *= by
			}
		}},
		{"envelope of five points", func(l *labelled, rng *rand.Rand) {
			e := l.run.Car.Envelope
			var few = e[:0:0]
			for i, p := range e {
				if i%5 == 0 || i == len(e)-1 {
					few = append(few, p)
				}
			}
			l.run.Car.Envelope = few
		}},
		{"bursts and holes", func(l *labelled, rng *rand.Rand) {
			for _, r := range l.run.Recordings {
				var rows []int
				for i := 0; i < len(r.T); {
					for n := 0; n < 3+rng.IntN(8) && i < len(r.T); n++ {
						rows = append(rows, i)
						i++
					}
					i += 3 + rng.IntN(25)
				}
				keep(r, rows)
			}
		}},
		{"every 10 s", func(l *labelled, rng *rand.Rand) {
			for _, r := range l.run.Recordings {
				var rows []int
				for i := 0; i < len(r.T); i += 10 {
					rows = append(rows, i)
				}
				keep(r, rows)
			}
		}},
		{"spikes and frozen values", func(l *labelled, rng *rand.Rand) {
			for _, r := range l.run.Recordings {
				for i := range r.T {
					if rng.Float64() < 0.004 {
						for _, c := range []trace.Channel{trace.Power, trace.Current} {
							if col := r.Columns[c]; col != nil {
								col[i] *= 0.3 + 1.5*rng.Float64()
							}
						}
					}
					if i > 0 && rng.Float64() < 0.05 {
						for _, c := range []trace.Channel{trace.Power, trace.Current, trace.Voltage} {
							if col := r.Columns[c]; col != nil {
								col[i] = col[i-1]
							}
						}
					}
				}
			}
		}},
		{"wobble of 1.5 %", func(l *labelled, rng *rand.Rand) {
			m := &model{rng: rng}
			for _, r := range l.run.Recordings {
				m.wobble(r, 0.015)
			}
		}},
		{"no marks", func(l *labelled, _ *rand.Rand) { l.run.Marks = nil }},
		{"soc in whole per cents, clean", func(l *labelled, _ *rand.Rand) {
			for _, r := range l.run.Recordings {
				round(r, trace.SoC, 1)
			}
		}},
		{"temperature in whole degrees, late", func(l *labelled, _ *rand.Rand) {
			for _, r := range l.run.Recordings {
				round(r, trace.BatteryTempMin, 1)
				round(r, trace.BatteryTempMax, 1)
			}
		}},
	} {
		s := gallery(0, sampled.Of(uint64(24)), Rough{wobble: true, label: true}, func(seed uint64, r Rough) labelled {
			l := session(seed, r)
			k.change(&l, rand.New(rand.NewPCG(seed, 5)))
			return l
		})
		t.Logf("%-36s %s", k.name, s)
		assert.GreaterOrEqual(t, share(s.rightBy["strong"], s.by["strong"]), 95.0, "%s: strong\n%s", k.name, s.details())
	}
}
