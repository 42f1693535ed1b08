package curve

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// warmRun is a run of a car of which little but the capacity is noted, at a stall that gives so much:
// 150 kW to 50 %, then down by 2 kW a point.
func warmRun(scale, mostKW float64) *run.Run {
	soc, kw := points{{0, 10}}, points{{0, 0}, {20, 0}}
	t, at := 20.0, 10.0
	for at < 85 {
		p := 150.0
		if at > 50 {
			p = 150 - 2*(at-50)
		}
		p = min(p*scale, mostKW)
		kw = append(kw, [2]float64{t, p})
		soc = append(soc, [2]float64{t, at})
		t += 10
		at += p * 10 / 36 / 75
	}
	r := of(rec(trace.CarSide, 2, soc, kw))
	r.Car = &run.Car{UsableKWh: run.N(75), MaxKW: run.N(150 * scale)}
	r.Stall = &run.Stall{RatedKW: &mostKW, MaxA: run.N(900)}
	return r
}

// Warm runs of a car teach its warm power, two of them more surely than one; a third at a weak stall is held against it
// and says so. What a stall held teaches only that the pack takes at least so much.
func TestWhatRunsTeach(t *testing.T) {
	car := &run.Car{UsableKWh: run.N(75), MaxKW: run.N(150)}
	a, b := Of(warmRun(1, 350)).Taught(), Of(warmRun(1.02, 350)).Taught()
	require.NotEmpty(t, a.Car.Points)
	assert.InDelta(t, 150, a.MostKW, 0.5)
	one, e := Learn(car, "", []Taught{a}, nil), Learn(car, "", []Taught{a, b}, nil)
	assert.Len(t, e.Car.Runs, 2)
	for soc := 15.0; soc < 84; soc += 5 {
		want := 151.5
		if soc > 50 {
			want = (150 - 2*(soc-50)) * 1.01
		}
		assert.InDelta(t, want, e.Car.At(soc), 5, "%g %%", soc)
		assert.Less(t, e.Car.SD(soc), one.Car.SD(soc), "%g %%", soc)
		assert.True(t, e.Car.Saw(soc), "%g %%", soc)
	}

	w := OfKnown(warmRun(1, 85), e)
	x := w.Read(Options{})
	require.NotNil(t, x.Pace)
	assert.Equal(t, string(judge.Learnt), x.Pace.Basis)
	require.NotEmpty(t, x.Pace.Lost)
	assert.Equal(t, limit.StallPower, x.Pace.Lost[0].Cause)
	for _, p := range w.Taught().Car.Points {
		if p.SoCPct < 75 {
			assert.Less(t, p.Own, 0.2, "the stall held it at %g %%", p.SoCPct)
		}
	}
}

// Of a car that steps 350 V up to its own 700, the stall's amps are twice the pack's: what the cable carried is not
// what the car took.
func TestAmpsBeforeAConverterAreNotTheCars(t *testing.T) {
	r := warmRun(1, 100)
	r.Car.CellsInSeries, r.Car.ConverterKW = run.N(192), run.N(120)
	r.Stall.MaxV = run.N(500)
	car := r.Recordings[0]
	atPlug := &trace.Recording{Name: "stall.csv", Side: trace.StallSide, T: car.T,
		Columns: map[trace.Channel][]float64{trace.Power: car.Columns[trace.Power]}}
	for _, kw := range car.Columns[trace.Power] {
		car.Columns[trace.Current] = append(car.Columns[trace.Current], kw*1000/700)
		atPlug.Columns[trace.Current] = append(atPlug.Columns[trace.Current], kw*1000/350)
	}
	r.Recordings = append(r.Recordings, atPlug)
	got := Of(r).Taught()
	assert.InDelta(t, 100_000/350.0, got.MostA, 0.1)
	assert.InDelta(t, 100_000/700.0, got.Car.MostA, 0.1)
	e := Learn(r.Car, "", []Taught{got}, []Taught{got})
	assert.InDelta(t, 100_000/700.0, e.Car.TookA(), 0.1)
	assert.InDelta(t, 100_000/350.0, e.StallMostA, 0.1)
}

// One reading of 900 A among 300 was garbled: it must not teach that the car takes that elsewhere.
func TestAGarbledReadingTeachesNothing(t *testing.T) {
	r := warmRun(1, 350)
	car := r.Recordings[0]
	amps := make([]float64, car.Len())
	for i := range amps {
		amps[i] = 300
	}
	amps[len(amps)/2] = 900
	car.Columns[trace.Current] = amps
	assert.Equal(t, 300.0, Of(r).Taught().MostA)
}

// Only the pack's one sensor was read: the evidence of a cold pack speaks of the battery, and where the
// temperature of full power is not noted it is a rule of packs, not a fact of this one.
func TestColdIsToldOfWhatWasRead(t *testing.T) {
	r := warmRun(1, 350)
	car := r.Recordings[0]
	kw := car.Columns[trace.Power]
	temp := make([]float64, car.Len())
	for i, at := range car.T {
		temp[i] = 4 + at/150
		kw[i] *= min(1, 0.2+at/1500)
	}
	car.Columns[trace.BatteryTemp] = temp
	evidence := func() (all string) {
		for _, c := range Read(r, Options{}).Ceilings {
			if c.Cause == limit.Cold {
				all += strings.Join(say.AllKept(c.Evidence), "; ")
			}
		}
		return all
	}
	said := evidence()
	assert.Contains(t, said, "while the battery rose")
	assert.Contains(t, said, "as a rule; this one's is not noted")
	r.Car.WarmC = run.N(25)
	assert.Contains(t, evidence(), "this pack takes its full power from 25 °C")
}
