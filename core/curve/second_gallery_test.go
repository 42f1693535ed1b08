package curve_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// The second gallery comes from the forecast: other cars, other cold and heat, other cables than
// the first one's, so that what suits one model only is found out by the other.

var n = run.N

func envelope(pairs ...float64) []run.Point {
	var out []run.Point
	for i := 0; i < len(pairs); i += 2 {
		out = append(out, run.Point{SoCPct: pairs[i], KW: pairs[i+1]})
	}
	return out
}

var secondCars = []run.Car{
	{Name: "A", Chemistry: "NMC", UsableKWh: n(77), CellsInSeries: n(108), MaxKW: n(200), MaxA: n(520), WarmC: n(24),
		HeaterKW: n(5), Envelope: envelope(0, 150, 5, 190, 33, 196, 46, 192, 47, 142, 60, 132, 80, 105, 90, 60, 100, 14)},
	{Name: "B", Chemistry: "LFP", UsableKWh: n(60), CellsInSeries: n(106), MaxKW: n(88), WarmC: n(25), HeaterKW: n(4),
		Envelope: envelope(0, 80, 8, 86, 42, 84, 60, 66, 80, 50, 94, 34, 100, 10)},
	{Name: "C", Chemistry: "NMC", UsableKWh: n(64), CellsInSeries: n(98), MaxKW: n(77), MaxA: n(170), WarmC: n(21),
		HeaterKW: n(2), Envelope: envelope(0, 80, 72, 80, 75, 46, 82, 36, 92, 20, 100, 7)},
	{Name: "D", Chemistry: "NMC", UsableKWh: n(78), CellsInSeries: n(192), MaxKW: n(235), WarmC: n(25), HeaterKW: n(6),
		ConverterKW: n(110), Envelope: envelope(0, 180, 6, 225, 45, 230, 52, 185, 70, 150, 80, 118, 90, 60, 100, 15)},
	{Name: "E", Chemistry: "NCA", UsableKWh: n(75), CellsInSeries: n(96), MaxKW: n(250), WarmC: n(30), HeaterKW: n(4),
		Envelope: envelope(0, 200, 9, 250, 18, 248, 30, 190, 50, 125, 70, 80, 85, 48, 100, 12)},
}

// secondSession is one run of the second gallery.
func secondSession(t testing.TB, seed uint64, rough Rough) labelled {
	rng := rand.New(rand.NewPCG(seed, 77))
	m := &model{rng: rng}
	car := secondCars[rng.IntN(len(secondCars))]
	label := 1.0
	if rough.label {
		label = 1 - m.between(0.03, 0.14)
	}
	st := run.Stall{RatedKW: n(350), MaxA: n(500), MinV: n(150), MaxV: n(1000)}
	cold := m.between(26, 33)
	plan := forecast.Plan{FromPct: m.between(5, 20), ToPct: m.between(75, 92), AmbientC: m.between(-5, 25),
		HandshakeS: m.between(8, 40), TaperShare: 1 + 0.01*rng.NormFloat64()}
	var ad *run.Adapter
	switch seed % 10 {
	case 0:
		st.RatedKW, st.MaxA = n(150), n(400)
	case 1:
		st.RatedKW, st.MaxA = n(100), n(m.between(180, 260))
	case 2, 3:
		cold = m.between(0, 16)
	case 4:
		st.MaxV, st.RatedKW = n(500), n(150)
	case 5:
		ad = &run.Adapter{Name: "x", MaxA: n(math.Round(m.between(120, 250)))}
	case 6:
		st.RatedKW, st.SharedKW = n(180), n(180)
		plan.NeighbourOnS, plan.NeighbourS = m.between(200, 500), m.between(200, 700)
	case 7:
		plan.DerateS, plan.DerateShare = m.between(200, 500), m.between(0.4, 0.6)
	case 8:
		car.TimerS, car.TimerSharePct = n(20*math.Round(m.between(8, 16))), n(60)
		if rng.Float64() < 0.6 {
			plan.ReplugAtPct = m.between(40, 55)
		}
	case 9:
		cold = m.between(40, 46)
	}
	given := st
	given.RatedKW, given.MaxA = n(*st.RatedKW*label), n(*st.MaxA*label)
	plan.Car, plan.Stall, plan.Adapter = &car, &given, ad
	plan.Battery = pack.Nodes{ColdestC: cold, WarmestC: cold + m.between(0, 3)}
	s, err := forecast.NewSession(plan)
	require.NoError(t, err)
	carLog, stallLog := m.blank(trace.CarSide), m.blank(trace.StallSide)
	var seconds []second
	marks := []run.Mark{{TS: 0, Kind: run.PlugIn}}
	plugged := true
	for {
		x := s.Next()
		if x.SoCPct >= plan.ToPct || x.T > 9000 {
			break
		}
		if x.Plugged != plugged {
			plugged = x.Plugged
			kind := run.Unplug
			if plugged {
				kind = run.PlugIn
			}
			marks = append(marks, run.Mark{TS: x.T, Kind: kind})
		}
		if !x.Plugged {
			continue
		}
		seconds = append(seconds, second{x.T, []limit.Cause{x.Cause}, x.SoCPct, x.StallKW})
		put(carLog, x.T, x.SoCPct, x.PackKW, x.Amps, x.PackV, x.Battery.ColdestC, x.Battery.WarmestC, 30, x.RequestedKW,
			plan.AmbientC)
		put(stallLog, x.T, x.SoCPct, x.StallKW, x.StallKW*1000/x.PackV, x.PackV, math.NaN(), math.NaN(), math.NaN(),
			x.RequestedKW, math.NaN())
	}
	without(carLog, trace.RequestedPower, trace.InletTemp)
	without(stallLog, trace.RequestedPower, trace.SoC, trace.BatteryTempMin, trace.BatteryTempMax, trace.InletTemp,
		trace.AmbientTemp)
	car.TimerS, car.TimerSharePct = nil, nil
	if car.ConverterKW != nil && seed%10 == 4 {
		without(stallLog, trace.Current, trace.Voltage)
	}
	r := &run.Run{Title: "second", Marks: marks, Car: &car, Stall: &st, Adapter: ad,
		Recordings: []*trace.Recording{carLog, stallLog}}
	if rough.wobble {
		m.wobble(carLog, 0.005)
		m.wobble(stallLog, 0.005)
		round(stallLog, trace.Power, 1)
		round(carLog, trace.SoC, 1)
	} else {
		m.wobble(carLog, 0.001)
		m.wobble(stallLog, 0.001)
	}
	if rough.noEnvelope {
		car.Envelope = nil
	}
	if rough.noTemps {
		without(carLog, trace.BatteryTempMin, trace.BatteryTempMax)
	}
	if rough.noRatings {
		r.Stall, r.Adapter = nil, nil
		car.MaxKW, car.MaxA = nil, nil
	}
	if rough.carOnly {
		r.Recordings = r.Recordings[:1]
	}
	return labelled{r, seconds}
}
