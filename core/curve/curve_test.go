package curve

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/internal/oracle"
)

type points [][2]float64

// rec makes a recording from SoC and power given as points, read every step
// seconds on the joined line.
func rec(side trace.Side, step float64, soc, kw points) *trace.Recording {
	r := &trace.Recording{Name: string(side) + ".csv", Side: side, Columns: map[trace.Channel][]float64{}}
	end := 0.0
	for _, list := range []points{soc, kw} {
		if n := len(list); n > 0 {
			end = math.Max(end, list[n-1][0])
		}
	}
	for t := 0.0; t <= end+1e-9; t += step {
		r.T = append(r.T, t)
		if soc != nil {
			r.Columns[trace.SoC] = append(r.Columns[trace.SoC], at(soc, t))
		}
		if kw != nil {
			r.Columns[trace.Power] = append(r.Columns[trace.Power], at(kw, t))
		}
	}
	return r
}

func at(p points, t float64) float64 {
	for i := 1; i < len(p); i++ {
		if t <= p[i][0] {
			return p[i-1][1] + (p[i][1]-p[i-1][1])*(t-p[i-1][0])/(p[i][0]-p[i-1][0])
		}
	}
	return p[len(p)-1][1]
}

func of(recs ...*trace.Recording) *run.Run { return &run.Run{Recordings: recs} }

func mark(t float64, kind string) run.Mark { return run.Mark{TS: t, Kind: kind} }

func near(t *testing.T, want float64, got *float64, tolerance float64, msg ...any) {
	t.Helper()
	require.NotNil(t, got, msg...)
	assert.InDelta(t, want, *got, tolerance, msg...)
}

// A run worked through by hand: 20 s of handshake, then 120 kW flat, SoC from 10 to
// 82 % at 0.04 % a second from 20 s on.
func simple() *run.Run {
	return of(
		rec(trace.CarSide, 1, points{{0, 10}, {20, 10}, {1820, 82}}, points{{0, 0}, {20, 0}, {21, 120}, {1820, 120}}),
	)
}

func TestPostsAndWindowsByHand(t *testing.T) {
	x := Read(simple(), Options{})
	assert.Equal(t, PlugClock, x.Clock)
	assert.Equal(t, trace.CarSide, x.Side)
	want := map[float64]float64{10: 0, 20: 270, 30: 520, 40: 770, 50: 1020, 60: 1270, 70: 1520, 80: 1770}
	require.Len(t, x.Posts, len(want))
	for _, p := range x.Posts {
		assert.InDelta(t, want[p.SoCPct], p.TS, 1e-6, "post %g", p.SoCPct)
	}
	w, ok := x.Window(20, 80)
	require.True(t, ok)
	assert.InDelta(t, 1500, w.TS, 1e-6)
	near(t, 50, w.EnergyKWh, 1e-6, "120 kW for 1500 s")
	near(t, 120, w.AverageKW, 1e-6)
	w, _ = x.Window(10, 80)
	near(t, 120*(1770-21)/3600.0+120*0.5/3600, w.EnergyKWh, 1e-6, "the ramp from 20 to 21 s is a triangle")
	_, ok = x.Window(0, 80)
	assert.False(t, ok, "nothing is extrapolated")
	_, ok = x.Window(80, 100)
	assert.False(t, ok)
}

func TestClockFromFirstPower(t *testing.T) {
	x := Read(simple(), Options{Clock: PowerClock})
	t10, _ := x.Post(10)
	assert.Zero(t, t10, "a run that starts at exactly 10 has post 10 at zero on either clock")
	t20, _ := x.Post(20)
	assert.InDelta(t, 270-21, t20, 1e-6, "first power is the reading at 21 s")
	w, _ := x.Window(10, 80)
	assert.InDelta(t, 1770-21, w.TS, 1e-6)
}

func TestClockFromPlugInMark(t *testing.T) {
	r := simple()
	r.Marks = []run.Mark{mark(-300, run.Attempt), mark(-200, run.PlugIn), mark(-150, run.Unplug), mark(5, run.PlugIn)}
	x := Read(r, Options{})
	t20, _ := x.Post(20)
	assert.InDelta(t, 265, t20, 1e-6, "the plug-in that led to power, not the one before, nor the attempt")
	t10, _ := x.Post(10)
	assert.Zero(t, t10)

	r.Marks = []run.Mark{mark(3, run.Note)}
	t20, _ = Read(r, Options{}).Post(20)
	assert.InDelta(t, 270, t20, 1e-6, "without a plug-in the earliest reading")

	r.Recordings[0].ClockOffsetS = 40
	r.Marks = []run.Mark{mark(30, run.PlugIn)}
	t20, _ = Read(r, Options{}).Post(20)
	assert.InDelta(t, 280, t20, 1e-6, "the offset is added to the recording's own times")
}

func TestMethodAddsItsPostsAndWindow(t *testing.T) {
	r := simple()
	r.Method = &run.Method{FromPct: run.N(15), ToPct: run.N(65), Clock: "power"}
	x := Read(r, Options{})
	assert.Equal(t, PowerClock, x.Clock)
	t15, ok := x.Post(15)
	require.True(t, ok)
	assert.InDelta(t, 20+125-21, t15, 1e-6)
	w, ok := x.Window(15, 65)
	require.True(t, ok)
	assert.InDelta(t, 1250, w.TS, 1e-6)
	assert.Equal(t, PlugClock, Read(r, Options{Clock: PlugClock}).Clock)
}

// A whole-percent display reaches a value when it first shows it; a jump over
// several points is joined like any other two readings.
func TestWholePercentPosts(t *testing.T) {
	r := of(
		&trace.Recording{
			Side: trace.CarSide,
			T:    []float64{0, 60, 61, 120, 180, 300},
			Columns: map[trace.Channel][]float64{
				trace.SoC: {18, 19, 20, 20, 24, 36}, trace.Power: {90, 90, 90, 90, 90, 90}},
		},
	)
	t20, _ := Read(r, Options{}).Post(20)
	assert.InDelta(t, 61, t20, 1e-9)
	t30, _ := Read(r, Options{}).Post(30)
	assert.InDelta(t, 240, t30, 1e-9, "30 lies halfway from 24 to 36")
}

// What was driven before plug-in is no part of the run: the pack fell from 14 to
// 10 %, and regeneration put power into it.
func TestLoggerRunningBeforePlugIn(t *testing.T) {
	r := of(rec(
		trace.CarSide,
		1,
		points{{0, 14}, {400, 10}, {420, 10}, {1420, 50}},
		points{
			{0, -20},
			{100, -20},
			{101, 60},
			{110, 60},
			{111, -20},
			{395, -20},
			{400, 0},
			{420, 0},
			{421, 150},
			{1420, 150},
		},
	))
	r.Marks = []run.Mark{mark(400, run.PlugIn)}
	x := Read(r, Options{})
	t10, ok := x.Post(10)
	require.True(t, ok)
	assert.Zero(t, t10)
	t20, _ := x.Post(20)
	assert.InDelta(t, 270, t20, 1e-6)
	near(t, 150*999/3600.0+150*0.5/3600, x.Energy.CarKWh, 1e-6)
	require.Len(t, x.Legs, 1)
	assert.InDelta(t, 0, x.Legs[0].FromS, 1e-9)
	p := Read(r, Options{Clock: PowerClock})
	assert.InDelta(t, 421, p.ZeroS, 1e-9, "first power is the charger's, not the regeneration")
}

func TestHeadlineSideAndSoC(t *testing.T) {
	car := rec(trace.CarSide, 1, points{{0, 10}, {1000, 50}}, points{{0, 100}, {1000, 100}})
	stall := rec(trace.StallSide, 5, points{{0, 10}, {1000, 48}}, points{{0, 104}, {1000, 104}})
	x := Read(of(car, stall), Options{})
	assert.Equal(t, trace.StallSide, x.Side)
	t20, _ := x.Post(20)
	assert.InDelta(t, 250, t20, 1e-6, "the car's state of charge where it was recorded")
	near(t, 104*1000/3600.0, x.Energy.StallKWh, 1e-9)
	near(t, 100*1000/3600.0, x.Energy.CarKWh, 1e-9)
	near(t, 4/104.0*100, x.Energy.LossPct, 1e-9)
	c := Read(of(car, stall), Options{Side: trace.CarSide})
	assert.InDelta(t, 100, c.Peak.KW, 1e-9)
	delete(car.Columns, trace.SoC)
	t20, _ = Read(of(car, stall), Options{}).Post(20)
	assert.InDelta(t, 1000/3.8, t20, 1e-6, "else the stall's")
}

// Loss counts over the time that both sides cover. Common practice, no source:
// 92 kWh delivered into an 88 kWh pack is a loss of 4 to 5 %, 86.7 for 84 in the
// pack one of about 3 %.
func TestLossOverTheCommonTime(t *testing.T) {
	for _, c := range []struct{ delivered, stored, want float64 }{{92, 88, 100 * 4 / 92.0}, {86.7, 84, 100 * 2.7 / 86.7}} {
		car := rec(trace.CarSide, 10, nil, points{{0, c.stored}, {3600, c.stored}})
		stall := rec(trace.StallSide, 10, nil, points{{0, c.delivered}, {3600, c.delivered}})
		stall.ClockOffsetS = -1800 // covers another half hour
		x := Read(of(car, stall), Options{})
		near(t, c.delivered, x.Energy.StallKWh, 1e-9)
		near(t, c.want, x.Energy.LossPct, 1e-9)
	}
	assert.Nil(t, Read(simple(), Options{}).Energy.LossPct)
	assert.Nil(t, Read(simple(), Options{}).Energy.StallKWh, "never zero for what is not known")
}

func TestUsableCapacityAndItsInterval(t *testing.T) {
	r := of(rec(trace.CarSide, 1, points{{0, 10}, {1800, 70}}, points{{0, 100}, {1800, 100}})) // 50 kWh over 60 points
	r.Recordings[0].SoCResolutionPct, r.Recordings[0].PowerTolerancePct = 1, 3
	u := Read(r, Options{}).Usable
	require.NotNil(t, u)
	assert.InDelta(t, 50/60.0*100, u.Value, 1e-9)
	assert.InDelta(t, 50*0.97/61*100, u.Low, 1e-9)
	near(t, 50*1.03/59*100, u.High, 1e-9)

	r.Recordings[0].PowerTolerancePct = 0
	assert.InDelta(t, 50*0.98/61*100, Read(r, Options{}).Usable.Low, 1e-9, "2 % where nothing is given")

	short := of(rec(trace.CarSide, 1, points{{0, 10}, {600, 29.9}}, points{{0, 100}, {600, 100}}))
	assert.Nil(t, Read(short, Options{}).Usable, "under 20 points")
	stall := of(rec(trace.StallSide, 1, points{{0, 10}, {1800, 70}}, points{{0, 100}, {1800, 100}}))
	x := Read(stall, Options{})
	assert.Nil(t, x.Usable)
	near(t, 50/60.0*100, x.DeliveredPer100KWh, 1e-9)
}

func TestGapsAreBridgedAndCounted(t *testing.T) {
	r := rec(trace.StallSide, 1, points{{0, 10}, {900, 60}}, points{{0, 100}, {900, 100}})
	keep := func(from, to float64) {
		out := &trace.Recording{Name: r.Name, Side: r.Side, Columns: map[trace.Channel][]float64{}}
		for i, x := range r.T {
			if x > from && x < to {
				continue
			}
			out.T = append(out.T, x)
			for c := range r.Columns {
				out.Columns[c] = append(out.Columns[c], r.Columns[c][i])
			}
		}
		r = out
	}
	keep(200, 320)
	keep(500, 525) // 25 s: no gap
	x := Read(of(r), Options{})
	near(t, 120, x.Energy.BridgedS, 1e-9)
	near(t, 25, x.Energy.StallKWh, 1e-9, "bridged by a straight line")
	assert.Equal(t, 1, x.Recordings[0].Gaps)
	assert.Equal(t, []trace.Span{{From: 200, To: 320}}, x.Gaps)
	last := x.Findings[len(x.Findings)-1]
	assert.Equal(t, AboutGap, last.Kind)
	assert.Equal(t, [2]float64{200, 320}, [2]float64{last.FromS, last.ToS})
}

// A triangle 0-100-0 kW over 40 s: the best 10 s lie around the top, from 95 s to
// 105 s, where the power is 75 at both ends and 100 in the middle: mean 87.5.
func TestSustainedPowerOfATriangle(t *testing.T) {
	p := trace.Series{T: []float64{80, 100, 120}, V: []float64{0, 100, 0}}
	got, ok := highestMean(p, 10)
	require.True(t, ok)
	assert.InDelta(t, 87.5, got, 1e-9)
	_, ok = highestMean(trace.Series{T: []float64{0, 9}, V: []float64{50, 50}}, 10)
	assert.False(t, ok, "shorter than 10 s")
}

// Of a long log the parts looked at hold the highest mean, wherever it lies: at the end of one, over the border of two,
// in one whose highest reading is a lone one. The whole gone through at once is what it is held against.
func TestSustainedPowerOfALongLog(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 30 {
		var p trace.Series
		x, level := 0.0, 100.0
		best := r.IntN(40_000)
		for i := range 40_000 {
			x += 0.005 + 0.01*r.Float64()
			if r.IntN(4000) == 0 {
				level = 60 + 60*r.Float64()
			}
			v := level + r.NormFloat64()
			switch {
			case i >= best && i < best+900:
				v += 40
			case r.IntN(5000) == 0:
				v += 500
			}
			p.T, p.V = append(p.T, x), append(p.V, v)
		}
		want, _ := highestMean(p, 10)
		got, ok := sustained(p, 10)
		require.True(t, ok)
		assert.InDelta(t, want, got, 1e-6)
	}
}

// On any trace no stretch of 10 s has a higher mean, and one comes as close as the
// steps of the search allow.
func TestHighestMeanAgainstSearch(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 4))
		p := trace.Series{}
		x := 0.0
		for range rapid.IntRange(3, 60).Draw(t, "n") {
			x += 0.1 + 6*r.Float64()
			p.T, p.V = append(p.T, x), append(p.V, 150*r.Float64())
		}
		got, ok := highestMean(p, 10)
		if p.Span().Len() < 10 {
			return
		}
		if !ok {
			t.Fatal("none found")
		}
		best := 0.0
		for s := p.T[0]; s <= p.T[len(p.T)-1]-10; s += 0.01 {
			best = math.Max(best, p.Integral(s, s+10)/10)
		}
		if best > got+1e-9 || got > best+0.2 {
			t.Fatalf("got %g, search found %g", got, best)
		}
	})
}

func TestHeldIsNotBrokenByAShortDipButByAGap(t *testing.T) {
	flat := func(dip float64) trace.Series {
		s := trace.Series{}
		for x := 0.0; x <= 300; x++ {
			kw := 150.0
			if x >= 100 && x < 100+dip {
				kw = 100
			}
			s.T, s.V = append(s.T, x), append(s.V, kw)
		}
		return s
	}
	// One reading low at 1 Hz: the joined line is under 142.5 for 2 x 0.85 s.
	assert.InDelta(t, 300, longestAbove(flat(1), 142.5, heldDipS, nil).Len(), 1e-9)
	// Two readings low: 2.7 s.
	assert.InDelta(t, 300-101-0.85, longestAbove(flat(2), 142.5, heldDipS, nil).Len(), 1e-9)
	s := flat(0)
	s = trace.Series{
		T: append(append([]float64{}, s.T[:101]...), s.T[140:]...),
		V: append(append([]float64{}, s.V[:101]...), s.V[140:]...),
	}
	assert.InDelta(t, 160, longestAbove(s, 142.5, heldDipS, trace.Gaps(s, 1)).Len(), 1e-9, "a gap of 40 s breaks it")
}

func TestPeakWithSpikeHoldAndSoC(t *testing.T) {
	r := of(
		rec(trace.CarSide, 1, points{{0, 10}, {1000, 50}},
			points{{0, 0}, {20, 150}, {420, 150}, {440, 100}, {1000, 80}}),
	)
	r.Recordings[0].Columns[trace.Power][700] = 400
	p := Read(r, Options{}).Peak
	require.NotNil(t, p)
	assert.InDelta(t, 150, p.KW, 1e-9, "the spike is left out")
	near(t, 150, p.SustainedKW, 1e-9)
	assert.InDelta(t, 20, p.TS, 1e-9)
	// 142.5 kW is passed at 19 s and at 423 s.
	near(t, 404, p.HeldS, 1e-6)
	near(t, 10+19*0.04, p.HeldFromPct, 1e-6)
	near(t, 10+423*0.04, p.HeldToPct, 1e-6)
	near(t, 10.8, p.SoCPct, 1e-6)
	assert.Equal(t, 1, Read(r, Options{}).Recordings[0].Spikes)
}

func TestRamp(t *testing.T) {
	// First power at 11 s (5 kW), 5 kW a second up to 150 kW at 40 s; 90 % is 135 kW at 37 s.
	r := of(rec(trace.CarSide, 1, nil, points{{0, 0}, {10, 0}, {40, 150}, {600, 150}, {700, 200}, {900, 200}}))
	near(t, 26, Read(r, Options{}).RampS, 1e-9)
	late := of(rec(trace.CarSide, 1, nil, points{{0, 150}, {600, 150}}))
	assert.Nil(t, Read(late, Options{}).RampS, "a logger that started late saw no ramp")
	assert.Nil(t, Read(of(rec(trace.CarSide, 1, nil, points{{0, 0}, {60, 0}})), Options{}).RampS)
}

func TestLegsOfAReplug(t *testing.T) {
	r := of(rec(trace.StallSide, 1, points{{0, 10}, {600, 30}, {700, 30}, {1300, 50}},
		points{{0, 0}, {1, 120}, {600, 120}, {601, 0}, {699, 0}, {700, 120}, {1300, 120}, {1301, 0}, {1310, 0}}))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(602, run.Unplug), mark(690, run.PlugIn), mark(1305, run.Unplug)}
	x := Read(r, Options{})
	require.Len(t, x.Legs, 2)
	assert.Equal(t, []float64{0, 602, 690, 1305},
		[]float64{x.Legs[0].FromS, x.Legs[0].ToS, x.Legs[1].FromS, x.Legs[1].ToS})
	near(t, 120*600/3600.0, x.Legs[0].EnergyKWh, 1e-9)
	near(t, 30, x.Legs[1].FromPct, 1e-9)
	// 71 880 and 72 000 kJ at 120 kW, and four slopes of a second with 60 each; whether
	// the last unplug is marked or, as in a run under way, not yet.
	for _, marks := range [][]run.Mark{r.Marks, r.Marks[:3]} {
		r.Marks = marks
		near(t, 144120/3600.0, Read(r, Options{}).Energy.StallKWh, 1e-9)
	}
	r.Marks = append(r.Marks[:2:2], mark(1400, run.PlugIn))
	near(t, 72000/3600.0, Read(r, Options{}).Energy.StallKWh, 1e-9, "a plug-in that had no power begins nothing")
	r.Marks = nil
	assert.Len(t, Read(r, Options{}).Legs, 1, "without marks from first to last power")
}

// A note of the display at the end does not stand for the car's side: the posts come
// from the stall's state of charge, to its resolution.
func TestANoteAtTheEndIsNoLog(t *testing.T) {
	stall := rec(trace.StallSide, 10, points{{0, 10}, {2000, 90}}, points{{0, 60}, {2000, 60}})
	note := &trace.Recording{
		Name:             "typed-car.csv",
		Side:             trace.CarSide,
		SoCResolutionPct: 1,
		T:                []float64{2100},
		Columns:          map[trace.Channel][]float64{trace.SoC: {90}},
	}
	x := Read(of(stall, note), Options{})
	w, ok := x.Window(10, 80)
	require.True(t, ok)
	near(t, 1750, &w.TS, 1e-6)
	assert.Empty(t, Read(of(note), Options{}).Windows, "alone it is all there is")
	assert.Equal(t, 90.0, Read(of(note), Options{}).SoC.FromPct)
}

// Fourteen typed readings, three minutes apart, give posts, energy and a peak; the
// findings say that they are not quite sure.
func TestTypedRun(t *testing.T) {
	r := rec(trace.StallSide, 180, points{{0, 20}, {2340, 85}}, points{{0, 44}, {2340, 44}})
	require.Len(t, r.T, 14)
	x := Read(of(r), Options{})
	w, ok := x.Window(20, 80)
	require.True(t, ok)
	assert.InDelta(t, 60/65.0*2340, w.TS, 1e-6)
	near(t, 44, w.AverageKW, 1e-9)
	near(t, 0, x.Energy.BridgedS, 1e-9)
	assert.Nil(t, x.RampS)
	for _, f := range x.Findings {
		if f.Kind != AboutCeiling { // of a car and a stall of which nothing is noted
			assert.Equal(t, say.Likely, f.Confidence, f.Text)
		}
	}
}

// A window whose power is not known for its whole length has no energy.
func TestWindowEnergyNeedsReadings(t *testing.T) {
	car := rec(trace.CarSide, 1, points{{0, 10}, {1750, 80}, {1800, 80}}, nil)
	stall := rec(trace.StallSide, 1, nil, points{{0, 100}, {900, 100}})
	stall.ClockOffsetS = 600
	x := Read(of(car, stall), Options{})
	w, ok := x.Window(10, 80)
	require.True(t, ok)
	assert.Nil(t, w.EnergyKWh)
	assert.Nil(t, w.AverageKW)
	w, ok = x.Window(30, 80)
	require.True(t, ok)
	assert.Nil(t, w.EnergyKWh, "it ends 150 s after the last reading under load")
}

func TestNothingIsKnownOfAnEmptyRun(t *testing.T) {
	for _, r := range []*run.Run{{}, of(&trace.Recording{Side: trace.CarSide}),
		of(rec(trace.CarSide, 1, points{{0, 50}, {10, 50}}, nil))} {
		x := Read(r, Options{})
		b, err := json.Marshal(x)
		require.NoError(t, err)
		var m map[string]any
		require.NoError(t, json.Unmarshal(b, &m))
		for _, key := range []string{"peak", "ramp_s", "usable_kwh", "delivered_per_100_kwh", "cost"} {
			assert.Nil(t, m[key], key)
		}
		for _, key := range []string{"windows", "plateaus", "cliffs", "ceilings", "legs", "claims"} {
			assert.Equal(t, []any{}, m[key], key)
		}
		for k, v := range m["energy"].(map[string]any) {
			assert.Nil(t, v, k)
		}
	}
}

// Outside values: the whole reading of random sessions against SciPy's trapezoid and
// NumPy's interp, from the readings alone.
func TestReadingAgainstSciPy(t *testing.T) {
	type session struct{ T, SoC, KW []float64 }
	var in []session
	var got []*Reading
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 9))
		s := session{}
		soc, x := 9+2*r.Float64(), 0.0
		for soc < 83 {
			kw := 60 + 80*r.Float64()
			if x < 20 {
				kw = 0
			}
			s.T, s.SoC, s.KW = append(s.T, x), append(s.SoC, soc), append(s.KW, kw)
			x += 0.3 + 3*r.Float64()
			soc += kw / 3600 / 70 * 100 * 3
		}
		in = append(in, s)
		got = append(
			got,
			Read(
				of(
					&trace.Recording{
						Side:    trace.CarSide,
						T:       s.T,
						Columns: map[trace.Channel][]float64{trace.SoC: s.SoC, trace.Power: s.KW},
					},
				),
				Options{},
			),
		)
	}
	var want []struct {
		Post20, Post80, Energy, Total float64
	}
	oracle.SciPy(t, `
from scipy.integrate import trapezoid
out = []
for s in data:
    t, soc, kw = (np.array(s[k]) for k in ("T", "SoC", "KW"))
    a, b = np.interp([20, 80], soc, t)
    inner = (t > a) & (t < b)
    x = np.concatenate([[a], t[inner], [b]])
    out.append({"Post20": a, "Post80": b, "Energy": float(trapezoid(np.interp(x, t, kw), x)) / 3600,
                "Total": float(trapezoid(kw, t)) / 3600})
`, in, &want)
	for i, x := range got {
		p20, _ := x.Post(20)
		p80, _ := x.Post(80)
		assert.InDelta(t, want[i].Post20, p20, 1e-7)
		assert.InDelta(t, want[i].Post80, p80, 1e-7)
		w, ok := x.Window(20, 80)
		require.True(t, ok)
		near(t, want[i].Energy, w.EnergyKWh, 1e-9)
		near(t, want[i].Total, x.Energy.CarKWh, 1e-9)
	}
}

// ReadAll is Read for every clock and side.
func TestReadAllAgreesWithRead(t *testing.T) {
	r := of(
		rec(trace.CarSide, 1, points{{0, 10}, {20, 10}, {1820, 82}}, points{{0, 0}, {20, 0}, {21, 120}, {1820, 120}}),
		rec(trace.StallSide, 5, nil, points{{0, 0}, {20, 0}, {25, 125}, {1820, 125}}),
	)
	all := ReadAll(r)
	require.Len(t, all, 4)
	for _, x := range all {
		assert.Equal(t, Read(r, Options{x.Clock, x.Side}), x)
	}
}

func TestReduceForDrawing(t *testing.T) {
	red := Reduce(simple(), 20)[trace.CarSide]
	n := len(red.T)
	assert.LessOrEqual(t, n, 84)
	assert.InDelta(t, 120*(1820-21)/3600.0+120*0.5/3600, red.Columns[EnergyAdded][n-1], 1e-6)
	assert.InDelta(t, 72, red.Columns[SoCAdded][n-1], 1e-9)
	assert.NotContains(t, Reduce(simple(), 20), trace.StallSide)
}

// Distance by what was observed of the car, of the stall's power 96 of 100; money by the minute and the kWh,
// nothing while the plug was out, and what the screen said before the tariff. Half an hour at 100 kW in two
// legs is 50 kWh: at 200 Wh/km 240 km of what reaches the pack; at 0.40 a kWh, 0.10 a minute, a fee of 1.00 and
// 20 % of tax on it 28.80.
func TestDistanceAndCostAsTheyGrow(t *testing.T) {
	r := of(rec(trace.StallSide, 1, points{{0, 10}, {900, 40}, {1500, 40}, {2400, 70}},
		points{{0, 100}, {2400, 100}}))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(900, run.Unplug), mark(1500, run.PlugIn), mark(2400, run.Unplug)}
	r.Car = &run.Car{ConsumptionWhKm: run.N(200), RatedRangeKm: run.N(400), UsableKWh: run.N(60)}
	r.Stall = &run.Stall{Tariff: &run.Tariff{PerKWh: run.N(0.4), PerMin: []run.Tier{{Price: run.N(0.1)}},
		SessionFee: run.N(1), TaxPct: run.N(20), IdlePerMin: run.N(9)}}
	red := Reduce(r, 50)[trace.StallSide]
	last := func(c trace.Channel) float64 {
		require.NotEmpty(t, red.Columns[c])
		return red.Columns[c][len(red.T)-1]
	}
	assert.InDelta(t, 240, last(DistanceAdded), 1e-6)
	assert.InDelta(t, 28.8, last(CostSoFar), 1e-6)
	r.Car.ConsumptionWhKm = nil
	red = Reduce(r, 50)[trace.StallSide]
	assert.InDelta(t, 320, last(DistanceAdded), 1e-6, "by the rated 150 Wh/km")
	r.Car.UsableKWh = nil
	assert.NotContains(t, Reduce(r, 50)[trace.StallSide].Columns, DistanceAdded)

	screen := make([]float64, len(r.Recordings[0].T))
	for i := range screen {
		screen[i] = 0.01 * float64(i)
	}
	r.Recordings[0].Columns[trace.Cost] = screen
	red = Reduce(r, 50)[trace.StallSide]
	assert.InDelta(t, 24, last(CostSoFar), 0.02)
	r.Recordings[0].Side = trace.CarSide
	assert.NotContains(t, Reduce(r, 50)[trace.CarSide].Columns, CostSoFar, "what the car measures is not what is billed")
}

// Common practice, no source: 119 kW into a pack of 84 to 90 kWh is close to 1.4 C.
func TestCRate(t *testing.T) {
	for _, c := range []struct{ usable, want float64 }{{84, 119 / 84.0}, {90, 119 / 90.0}} {
		// 60 points of the pack at 119 kW take as long as 60 % of it holds.
		end := 0.6 * c.usable / 119 * 3600
		red := Reduce(of(rec(trace.CarSide, 1, points{{0, 20}, {end, 80}}, points{{0, 119}, {end, 119}})), 50)
		got := red[trace.CarSide].Columns[CRate]
		require.NotEmpty(t, got)
		assert.InDelta(t, c.want, got[len(got)/2], 0.002)
		assert.InDelta(t, 1.4, got[len(got)/2], 0.1)
	}
	// Without 20 points of SoC there is no capacity, and from the stall's side none either.
	short := Reduce(of(rec(trace.CarSide, 1, points{{0, 20}, {600, 30}}, points{{0, 119}, {600, 119}})), 50)
	assert.NotContains(t, short[trace.CarSide].Columns, CRate)
	stall := Reduce(of(rec(trace.StallSide, 1, points{{0, 20}, {1200, 80}}, points{{0, 119}, {1200, 119}})), 50)
	assert.NotContains(t, stall[trace.StallSide].Columns, CRate)
	// With a capacity noted it is of that one: 119 kW over 85 kWh; of the stall's power 96 in 100 reach the
	// pack. A measured one goes before it.
	noted := func(r *run.Run) map[trace.Side]trace.Reduced {
		r.Car = &run.Car{UsableKWh: run.N(85)}
		return Reduce(r, 50)
	}
	at := func(red map[trace.Side]trace.Reduced, side trace.Side) float64 {
		got := red[side].Columns[CRate]
		require.NotEmpty(t, got)
		return got[len(got)/2]
	}
	short = noted(of(rec(trace.CarSide, 1, points{{0, 20}, {600, 30}}, points{{0, 119}, {600, 119}})))
	assert.InDelta(t, 1.4, at(short, trace.CarSide), 1e-6)
	stall = noted(of(rec(trace.StallSide, 1, points{{0, 20}, {1200, 80}}, points{{0, 119}, {1200, 119}})))
	assert.InDelta(t, 1.344, at(stall, trace.StallSide), 1e-6)
	measured := noted(of(rec(trace.CarSide, 1, points{{0, 20}, {1800, 80}}, points{{0, 100}, {1800, 100}})))
	assert.InDelta(t, 1.2, at(measured, trace.CarSide), 0.01, "100 kW, 50 kWh in 60 points: of 83.3 kWh")
}

// A run read from both sides: the car's C-rate stays the car's, and the state of charge
// that both curves share is the car's.
func TestReduceOfBothSides(t *testing.T) {
	car := rec(trace.CarSide, 1, points{{0, 10}, {1800, 70}}, points{{0, 100}, {1800, 100}})
	stall := rec(trace.StallSide, 5, points{{0, 10}, {1800, 69}}, points{{0, 104}, {1800, 104}})
	red := Reduce(of(car, stall), 50)
	require.Len(t, red, 3, "both sides, and the state of charge of the run")
	last := func(side trace.Side, c trace.Channel) float64 {
		col := red[side].Columns[c]
		require.NotEmpty(t, col, "%s %s", side, c)
		return col[len(col)-1]
	}
	assert.InDelta(t, 70, last(trace.StallSide, trace.SoC), 1e-9)
	assert.InDelta(t, 60, last(trace.StallSide, SoCAdded), 1e-9)
	assert.InDelta(t, 52, last(trace.StallSide, EnergyAdded), 1e-9)
	assert.InDelta(t, 50, last(trace.CarSide, EnergyAdded), 1e-9)
	assert.InDelta(t, 100/(50/0.6), last(trace.CarSide, CRate), 1e-9)
	assert.NotContains(t, red[trace.StallSide].Columns, CRate)
}

func BenchmarkRead7200Readings8Channels(b *testing.B) {
	r := simple()
	r.Recordings = []*trace.Recording{
		rec(trace.CarSide, 0.25, points{{0, 10}, {20, 10}, {1800, 82}},
			points{{0, 0}, {20, 0}, {60, 150}, {900, 140}, {1800, 60}}),
	}
	n := r.Recordings[0].Len()
	for _, c := range []trace.Channel{trace.Current, trace.Voltage, trace.BatteryTempMin, trace.BatteryTempMax,
		trace.HeaterPower, trace.AmbientTemp} {
		col := make([]float64, n)
		for i := range col {
			col[i] = float64(i % 97)
		}
		r.Recordings[0].Columns[c] = col
	}
	b.ReportMetric(float64(n), "readings")
	for b.Loop() {
		Read(r, Options{})
	}
}

// One state of charge that leaps away, up or down, moves no post and no window.
func TestOneSpikeOfStateOfChargeMovesNothing(t *testing.T) {
	build := func(at int, v float64) *Reading {
		rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
		for i := range 1501 {
			rec.T = append(rec.T, float64(i))
			soc := 10 + float64(i)*70/1500
			if i == at {
				soc = v
			}
			rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], soc)
			rec.Columns[trace.Power] = append(rec.Columns[trace.Power], 120)
		}
		return Read(&run.Run{Recordings: []*trace.Recording{rec}}, Options{})
	}
	clean := build(-1, 0)
	for _, spike := range []struct {
		at int
		v  float64
	}{{1, 90}, {3, 80}, {700, 95}, {700, 0}, {1499, 20}} {
		got := build(spike.at, spike.v)
		require.Len(t, got.Posts, len(clean.Posts), "%v", spike)
		for i, p := range got.Posts {
			// The reading that leaps is missed, so a post beside it is joined over two seconds;
			// at an end the post is that of the reading beside it.
			assert.InDelta(t, clean.Posts[i].TS, p.TS, 1.01, "%v: post %g", spike, p.SoCPct)
		}
		assert.Equal(t, 1, got.Recordings[0].Spikes, "%v", spike)
	}
}
