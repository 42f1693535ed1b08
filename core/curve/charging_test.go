package curve

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"zincroad/core/run"
	"zincroad/core/trace"
)

var none = math.NaN()

// typed makes a recording of rows of time, SoC and power; NaN stands for nothing noted.
func typed(side trace.Side, rows ...[3]float64) *trace.Recording {
	r := &trace.Recording{Name: "typed.csv", Side: side, Columns: map[trace.Channel][]float64{}}
	for _, row := range rows {
		r.T = append(r.T, row[0])
		r.Columns[trace.SoC] = append(r.Columns[trace.SoC], row[1])
		r.Columns[trace.Power] = append(r.Columns[trace.Power], row[2])
	}
	return r
}

// Who taps the plug and types at each ten per cent has the first of them minutes later, under power: it is there, and
// not at plug-in, since of what flowed before nobody knows. A first reading within the two minutes that a handshake and
// a ramp may take is the start.
func TestAPostThatWasReadLateIsWhereItWasRead(t *testing.T) {
	for first, post := range map[float64]float64{200: 180, 100: 0} {
		r := of(typed(trace.StallSide, [3]float64{first, 20, 150}, [3]float64{first + 200, 30, 148},
			[3]float64{first + 400, 40, 146}))
		r.Marks = []run.Mark{mark(20, run.PlugIn)}
		x := Read(r, Options{Clock: PlugClock})
		require.NotEmpty(t, x.Posts)
		assert.InDelta(t, 20, x.Posts[0].SoCPct, 1e-9)
		assert.InDelta(t, post, x.Posts[0].TS, 1e-9)
	}
}

// A run of three legs, typed. By hand: 13.2, 13.51, 8.65 and 8.16 kWh between the
// readings of a leg, and 152, 154 and 112 kW for the 30, 20 and 7 s to the unplug:
// 14.47 + 14.37 + 17.03 kWh; nothing from plug-in to first power, nor between two legs.
func TestNothingFlowsWhileUnplugged(t *testing.T) {
	r := of(typed(trace.StallSide, [3]float64{0, 10, none}, [3]float64{40, 10, 145}, [3]float64{360, 26, 152},
		[3]float64{480, 26, none}, [3]float64{520, 26, 150}, [3]float64{840, 41, 154}, [3]float64{965, 41, 140},
		[3]float64{1200, 51, 125}, [3]float64{1448, 62, 112}))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(390, run.Unplug), mark(480, run.PlugIn), mark(860, run.Unplug),
		mark(930, run.PlugIn), mark(1455, run.Unplug)}
	x := Read(r, Options{})
	require.Len(t, x.Legs, 3)
	sum := 0.0
	for i, want := range []float64{
		(145+152)/2.0*320/3600 + 152*30/3600.0,
		(150+154)/2.0*320/3600 + 154*20/3600.0,
		(140+125)/2.0*235/3600 + (125+112)/2.0*248/3600 + 112*7/3600.0,
	} {
		near(t, want, x.Legs[i].EnergyKWh, 1e-9)
		sum += want
	}
	near(t, sum, x.Energy.StallKWh, 1e-9)
	assert.InDelta(t, 45.86, sum, 0.01)
	near(t, (sum-112*7/3600.0)/52*100, x.DeliveredPer100KWh, 1e-9,
		"to the last charge read: 88 delivered for an 85 kWh car, not 106")
	require.NotNil(t, x.Peak.HeldS)
	assert.LessOrEqual(t, *x.Peak.HeldS, 350.0, "held no longer than a leg")
	assert.Empty(t, x.Gaps)
	w, ok := x.Window(10, 60)
	require.True(t, ok)
	assert.Greater(t, w.TS, 1400.0, "the time without plug counts: it is what the driver waits")
	require.NotNil(t, w.EnergyKWh)
	assert.Less(t, *w.EnergyKWh, sum)
	for i, want := range [][2]float64{{10, 26}, {26, 41}, {41, 62}} {
		near(t, want[0], x.Legs[i].FromPct, 1e-9)
		near(t, want[1], x.Legs[i].ToPct, 1.01)
	}

	// The charger's screen still shows what it showed while nobody is plugged in.
	r.Recordings[0] = typed(trace.StallSide, [3]float64{40, 10, 145}, [3]float64{360, 26, 152},
		[3]float64{400, 26, 152}, [3]float64{450, 26, 151}, [3]float64{520, 26, 150}, [3]float64{840, 41, 154},
		[3]float64{900, 41, 154}, [3]float64{965, 41, 140}, [3]float64{1200, 51, 125}, [3]float64{1448, 62, 112},
		[3]float64{1600, 62, 112})
	near(t, sum, Read(r, Options{}).Energy.StallKWh, 1e-9, "whatever was read between")
}

// The drawn line ends at an unplug and begins again at the plug-in.
func TestDrawnLineIsBrokenAtAnUnplug(t *testing.T) {
	r := of(rec(trace.StallSide, 1, points{{0, 10}, {1000, 50}}, points{{0, 100}, {1000, 100}}))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(400, run.Unplug), mark(600, run.PlugIn), mark(1000, run.Unplug)}
	red := Reduce(r, 400)[trace.StallSide]
	broken := 0
	for i, at := range red.T {
		kw := red.Columns[trace.Power][i]
		if at > 400 && at < 600 {
			assert.True(t, math.IsNaN(kw), "%g s", at)
			broken++
		} else {
			assert.Equal(t, 100.0, kw)
		}
	}
	assert.Equal(t, 1, broken)
	assert.InDelta(t, 100*800/3600.0, red.Columns[EnergyAdded][len(red.T)-1], 1e-6)
}

// However many legs, wherever readings stand, and whichever ends are marked: a run's
// energy is the sum of its legs', a leg lies between its marks, and what is read while
// unplugged or before changes nothing.
func TestRunIsTheSumOfItsLegs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rng := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 5))
		step := []float64{1, 5, 60, 240}[rapid.IntRange(0, 3).Draw(t, "step")]
		var rows, between [][3]float64
		var marks []run.Mark
		at, soc := 100*rng.Float64(), 10.0
		for range rapid.IntRange(1, 4).Draw(t, "legs") {
			marks = append(marks, mark(at, run.PlugIn))
			first, end := at+40*rng.Float64(), at+300+1500*rng.Float64()
			for x := first; x < end; x += step * (0.5 + rng.Float64()) {
				kw := 5 + 150*rng.Float64()
				rows = append(rows, [3]float64{x, soc, kw})
				soc = math.Min(100, soc+kw*step/3600)
			}
			marks = append(marks, mark(end, run.Unplug))
			at = end + 10 + 300*rng.Float64()
			between = append(between, [3]float64{end + 5, soc, 300 * rng.Float64()})
		}
		r := of(typed(trace.StallSide, rows...))
		r.Marks = marks
		plain := Read(r, Options{})
		noisy := of(typed(trace.StallSide, append([][3]float64{{-500, none, 250}, {-20, none, 90}},
			append(rows, between...)...)...))
		noisy.Marks = marks
		for _, x := range []*Reading{plain, Read(noisy, Options{})} {
			sum := 0.0
			for _, l := range x.Legs {
				if l.EnergyKWh != nil { // nil: a single reading says nothing
					sum += *l.EnergyKWh
				}
				if l.FromS < -1e-9 || l.ToS > marks[len(marks)-1].TS-x.ZeroS+1e-9 {
					t.Fatalf("leg from %g to %g", l.FromS, l.ToS)
				}
			}
			if len(rows) < 2 {
				continue
			}
			if x.Energy.StallKWh == nil || !close(sum, *x.Energy.StallKWh) {
				t.Fatalf("legs %g, run %v", sum, show(x.Energy.StallKWh))
			}
			if x.Peak != nil && x.Peak.HeldS != nil && *x.Peak.HeldS > 1800 {
				t.Fatalf("held for %g s", *x.Peak.HeldS)
			}
		}
		if len(rows) < 2 {
			return
		}
		same(t, "energy", plain.Energy.StallKWh, Read(noisy, Options{}).Energy.StallKWh)
	})
}

// Two charges noted on the car's display, at the start and after the unplug, do not
// stand for the nine that were read off the stall: posts are where those show them.
func TestTheDenserSideGivesTheCharge(t *testing.T) {
	soc := []float64{10, 22, 33, 43, 52, 60, 67, 74, 80}
	var rows [][3]float64
	for i, v := range soc {
		rows = append(rows, [3]float64{20 + 180*float64(i), v, 120 - 8*float64(i)})
	}
	car := typed(trace.CarSide, [3]float64{0, 10, none}, [3]float64{2400, 81, none}) // sent a quarter of an hour late
	r := of(car, typed(trace.StallSide, rows...))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(1500, run.Stop), mark(1530, run.Unplug)}
	x := Read(r, Options{})
	t60, ok := x.Post(60)
	require.True(t, ok)
	assert.InDelta(t, 20+180*5, t60, 1e-9)
	t20, _ := x.Post(20)
	assert.InDelta(t, 20+180*10/12.0, t20, 1e-9)
	for _, p := range x.Posts {
		assert.LessOrEqual(t, p.TS, 1500.0, "nothing is gained after the stop")
	}
	assert.Equal(t, 81.0, x.SoC.ToPct, "the note after the end counts at the stop")

	// A note on the car's side where the stall was not read for long counts there.
	gap := of(typed(trace.CarSide, [3]float64{800, 47, none}), typed(trace.StallSide,
		append(append([][3]float64{}, rows[:2]...), rows[6:]...)...))
	t47, _ := Read(gap, Options{}).Post(50)
	assert.Greater(t, t47, 800.0)
}

// A display noted after the unplug shows what was there at the stop: a run to 80 % is
// one to 80 % though the form was sent ten minutes later.
func TestANoteAfterTheEndCountsAtTheStop(t *testing.T) {
	r := of(typed(trace.StallSide, [3]float64{10, 10, 100}, [3]float64{600, 40, 90}, [3]float64{1200, 65, 80},
		[3]float64{1800, 79, 60}, [3]float64{2500, 80, none}))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(1860, run.Stop), mark(1900, run.Unplug)}
	w, ok := Read(r, Options{}).Window(10, 80)
	require.True(t, ok)
	assert.InDelta(t, 1860, w.TS, 1e-9)
	r.Marks = r.Marks[:1:1]
	r.Marks = append(r.Marks, mark(1900, run.Unplug))
	w, _ = Read(r, Options{}).Window(10, 80)
	assert.InDelta(t, 1900, w.TS, 1e-9, "without a stop at the unplug")
}

// What was read before the plug went in is the approach. A charge noted 70 min before,
// driven off since, does not cost the window its first post; the same noted a minute
// before, parked, is the charge of the start.
func TestApproachIsNoPartOfTheRun(t *testing.T) {
	charging := [][3]float64{{20, 10, 110}, {600, 40, 100}, {1500, 80, 70}}
	with := func(before ...[3]float64) *Reading {
		r := of(typed(trace.StallSide, append(before, charging...)...))
		r.Marks = []run.Mark{mark(0, run.PlugIn), mark(1510, run.Unplug)}
		return Read(r, Options{})
	}
	plain := with()
	for name, x := range map[string]*Reading{
		"a charge an hour before":   with([3]float64{-4200, 34, none}),
		"regeneration and heating":  with([3]float64{-900, 30, 60}, [3]float64{-300, 12, -5}, [3]float64{-100, 11, 90}),
		"a lower charge, long past": with([3]float64{-4200, 4, none}),
	} {
		assert.Equal(t, plain.Posts, x.Posts, name)
		assert.Equal(t, plain.Windows, x.Windows, name)
		assert.Equal(t, plain.Energy, x.Energy, name)
		assert.Equal(t, plain.Peak, x.Peak, name)
		assert.Equal(t, plain.Legs, x.Legs, name)
		assert.Equal(t, plain.Gaps, x.Gaps, name)
		assert.Equal(t, 0, x.Recordings[0].Gaps, name)
	}
	parked := of(typed(trace.StallSide, [3]float64{-60, 10, none}, [3]float64{180, 16, 110}, [3]float64{600, 40, 100}))
	parked.Marks = []run.Mark{mark(0, run.PlugIn)}
	t10, ok := Read(parked, Options{}).Post(10)
	require.True(t, ok)
	assert.Zero(t, t10)
}

// Three refusals, and the fourth try gave power: the clock begins with the last of
// them, and each counts.
func TestClockBeginsBehindFailedAttempts(t *testing.T) {
	r := of(rec(trace.StallSide, 1, points{{0, 10}, {100, 10}, {1100, 50}},
		points{{0, 0}, {100, 0}, {101, 120}, {1100, 120}}))
	r.Marks = []run.Mark{mark(0, run.PlugIn), mark(20, run.Attempt), mark(48, run.Attempt), mark(79, run.Attempt)}
	x := Read(r, Options{})
	assert.InDelta(t, 79, x.ZeroS, 1e-9)
	t20, _ := x.Post(20)
	assert.InDelta(t, 100+250-79, t20, 1e-6)
	attempts, lost := run.Lost(r.Marks, x.ZeroS)
	assert.Equal(t, 3, attempts)
	assert.InDelta(t, 79, lost, 1e-9)
	assert.InDelta(t, 0, x.Legs[0].FromS, 1e-9, "the leg begins there too")

	r.Marks = append(r.Marks, mark(90, run.PlugIn))
	assert.InDelta(t, 90, Read(r, Options{}).ZeroS, 1e-9, "plugged in anew after them")
	r.Marks = []run.Mark{mark(60, run.Attempt), mark(500, run.Attempt)}
	assert.InDelta(t, 60, Read(r, Options{}).ZeroS, 1e-9,
		"without a plug-in mark; one after first power is none of its business")
}

// Temperatures at start and end are readings near to them.
func TestTemperaturesNearStartAndEnd(t *testing.T) {
	with := func(c trace.Channel, at map[float64]float64) *trace.Recording {
		r := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
		for x := 0.0; x <= 2400; x += 60 {
			v, ok := at[x]
			if !ok {
				v = none
			}
			r.T, r.Columns[c] = append(r.T, x), append(r.Columns[c], v)
		}
		return r
	}
	power := rec(trace.StallSide, 1, nil, points{{0, 80}, {2400, 80}})
	of := func(recs ...*trace.Recording) *Battery { return Read(of(append(recs, power)...), Options{}).Battery }

	b := of(with(trace.BatteryTemp, map[float64]float64{60: 14}))
	near(t, 14, b.StartC, 1e-9)
	assert.Nil(t, b.EndC, "one reading at minute 1 is no end")
	b = of(with(trace.BatteryTemp, map[float64]float64{2340: 38}))
	assert.Nil(t, b.StartC, "one at the end is no start")
	near(t, 38, b.EndC, 1e-9)
	b = of(with(trace.BatteryTempMin, map[float64]float64{2340: 33}),
		with(trace.BatteryTemp, map[float64]float64{0: 11, 2400: 36}))
	near(t, 11, b.StartC, 1e-9, "a late value of the coldest cell does not displace it")
	assert.False(t, b.Coldest)
	near(t, 33, b.EndC, 1e-9)
	assert.True(t, b.EndColdest)
	assert.Nil(t, of(with(trace.BatteryTemp, map[float64]float64{1200: 25})))
	b = of(with(trace.BatteryTemp, map[float64]float64{240: 12, 720: 20, 1200: 26, 1680: 30}))
	near(t, 12, b.StartC, 1e-9, "every 8 min: within three intervals")
	near(t, 30, b.EndC, 1e-9)
}

// The first kW were read a minute after plug-in: nothing flowed before first power, so
// the window is covered. Where the charge had risen by then, or the other side had power
// long before, it is not.
func TestAverageFromPlugIn(t *testing.T) {
	run := func(soc float64) *Reading {
		r := of(typed(trace.StallSide, [3]float64{0, 10, none}, [3]float64{70, soc, 118}, [3]float64{600, 40, 100},
			[3]float64{1500, 80, 70}))
		r.Marks = []run.Mark{mark(0, run.PlugIn)}
		return Read(r, Options{})
	}
	w, ok := run(10).Window(10, 80)
	require.True(t, ok)
	near(t, ((118+100)/2.0*530+(100+70)/2.0*900)/1500, w.AverageKW, 1e-9)
	w, _ = run(15).Window(10, 80)
	assert.Nil(t, w.AverageKW, "five points had come from somewhere")
}

// The power at a post is the readings' around it, on the side that is read.
func TestPowerAtPosts(t *testing.T) {
	r := of(rec(trace.CarSide, 1, points{{0, 10}, {1400, 80}, {1401, 80}},
		points{{0, 150}, {1398, 80}, {1400, 3}, {1401, 3}}))
	at := func(soc float64) *float64 {
		for _, p := range Read(r, Options{}).Posts {
			if p.SoCPct == soc {
				return p.PowerKW
			}
		}
		return nil
	}
	near(t, 150, at(10), 1e-9)
	near(t, 150-70*400/1398.0, at(30), 1e-9)
	near(t, 80, at(80), 0.1, "the power it had on reaching the post, not what was left of it")

	typedEnd := of(typed(trace.StallSide, [3]float64{0, 10, 120}, [3]float64{900, 50, 90}, [3]float64{1680, 75, 62},
		[3]float64{1860, 80, 3}))
	posts := Read(typedEnd, Options{}).Posts
	near(t, 3, posts[len(posts)-1].PowerKW, 1e-9, "minutes apart, what was typed at the post is what it had")

	// A fall at 80 % that stays is no end: 60 kW on reaching it, 12 at 90.
	cliff := of(rec(trace.CarSide, 1, points{{0, 60}, {900, 80}, {3900, 92}},
		points{{0, 60}, {900, 60}, {905, 12}, {3900, 12}}))
	posts = Read(cliff, Options{}).Posts
	near(t, 60, posts[len(posts)-2].PowerKW, 1e-9)
	near(t, 12, posts[len(posts)-1].PowerKW, 1e-9)
}

// What the stall's own register says is beside what its power adds up to, and is billed.
func TestScreenTotals(t *testing.T) {
	r := of(rec(trace.StallSide, 10, points{{0, 10}, {3600, 80}}, points{{0, 60}, {3600, 60}}))
	n := r.Recordings[0].Len()
	reg, cost := make([]float64, n), make([]float64, n)
	for i := range reg {
		reg[i], cost[i] = none, none
	}
	reg[n-1], cost[n-1] = 61.5, none
	r.Recordings[0].Columns[trace.Energy], r.Recordings[0].Columns[trace.Cost] = reg, cost
	r.Stall = &run.Stall{Tariff: &run.Tariff{Currency: "EUR", PerKWh: run.N(0.5)}}
	x := Read(r, Options{})
	require.NotNil(t, x.Screen)
	near(t, 61.5, x.Screen.KWh, 1e-9)
	near(t, 60, x.Energy.StallKWh, 1e-9)
	assert.InDelta(t, 30.75, x.Cost.Total, 1e-9, "the register's kWh are billed")
	assert.Contains(t, find(t, x, AboutScreen).Text.Kept(), "61.5 kWh, its power adds up to 60.0: they agree")

	cost[n-1] = 33
	x = Read(r, Options{})
	assert.Equal(t, 33.0, x.Cost.Total, "and what the screen asked for is what was paid")
	assert.InDelta(t, 33/61.5, *x.Cost.PerKWh, 1e-9)

	cost[n-1], cost[10], reg[n-1], reg[10] = none, 5, none, 2
	x = Read(r, Options{})
	assert.Nil(t, x.Screen, "read on the way, they are no totals")

	for i := range reg {
		reg[i] = 48213.4 + 60*float64(i)/float64(n-1)
	}
	near(t, 60, Read(r, Options{}).Screen.KWh, 1e-9, "a meter that goes on")
	for i := range reg {
		reg[i] = math.Mod(0.1*float64(i), 20)
	}
	near(t, 36, Read(r, Options{}).Screen.KWh, 0.11, "one that begins anew with each plug-in")

	only := of(typed(trace.StallSide, [3]float64{0, 10, none}, [3]float64{3600, 90, none}),
		rec(trace.CarSide, 10, nil, points{{0, 67.2}, {3600, 67.2}}))
	only.Recordings[0].Columns[trace.Energy] = []float64{none, 70}
	x = Read(only, Options{})
	near(t, 70, x.Energy.StallKWh, 1e-9, "all that is known of the stall")
	near(t, 4, x.Energy.LossPct, 1e-9)
	near(t, 70/0.8, x.DeliveredPer100KWh, 1e-9)
	assert.Equal(t, trace.CarSide, x.Side)
}

// A window that would need more than a charging session can be is not stated.
func TestImplausibleWindows(t *testing.T) {
	notes := func(scale float64) *run.Run {
		return of(typed(trace.StallSide, [3]float64{0, 10, 90}, [3]float64{10 * scale, 40, 88},
			[3]float64{31 * scale, 80, 60}))
	}
	x := Read(notes(1), Options{}) // minutes read as seconds
	_, ok := x.Window(10, 80)
	assert.False(t, ok)
	f := x.Findings[0]
	assert.NotContains(t, f.Text, "in 31 s, ")
	f = find(t, x, AboutImplausible)
	assert.Contains(t, f.Text.Kept(),
		"10–80 % in 31 s cannot be: 70 points in 31 s would need 81 times the pack's capacity an hour")
	assert.Contains(t, f.Evidence[0].Kept(), "minutes read for hours")
	_, ok = Read(notes(60), Options{}).Window(10, 80)
	assert.True(t, ok)

	// 70 % of 80 kWh in 31 min are 108 kW: over a third more than a 50 kW stall's label.
	r := notes(60)
	r.Car, r.Stall = &run.Car{UsableKWh: run.N(80)}, &run.Stall{RatedKW: run.N(50)}
	x = Read(r, Options{})
	_, ok = x.Window(10, 80)
	assert.False(t, ok)
	assert.Contains(t, find(t, x, AboutImplausible).Text.Kept(),
		"it would need 108 kW for 56 of 80 kWh, at a stall of 50 kW")
	r.Stall.RatedKW = run.N(85)
	_, ok = Read(r, Options{}).Window(10, 80)
	assert.True(t, ok, "108 of 85 kW are not a third more")
	r.Car.MaxKW = run.N(75)
	_, ok = Read(r, Options{}).Window(10, 80)
	assert.False(t, ok, "nor may the car's limit be left so far behind")
}

// One row with a wall clock's time among seconds is left out.
func TestOneWrongTimeSpoilsOnlyItself(t *testing.T) {
	r := simple()
	want := Read(r, Options{})
	r.Recordings[0].T[700] = 1.77e9
	x := Read(r, Options{})
	near(t, *want.Energy.CarKWh, x.Energy.CarKWh, 1e-6)
	assert.Equal(t, len(want.Windows), len(x.Windows))
	r.Recordings[0].T[700] = 1e308
	red := Reduce(r, 50)[trace.CarSide]
	assert.LessOrEqual(t, red.T[len(red.T)-1], 1820.0)
}

// Amps below zero beside volts, and no column of power: what charges is above zero in every figure, and health says
// that it was turned.
func TestAmpsBelowZeroWithoutPower(t *testing.T) {
	upright, turned := &run.Run{}, &run.Run{}
	for i, r := range []*run.Run{upright, turned} {
		rec := &trace.Recording{Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
		for k := range 361 {
			rec.T = append(rec.T, float64(k*5))
			rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], 10+float64(k)/6)
			rec.Columns[trace.Voltage] = append(rec.Columns[trace.Voltage], 400)
			rec.Columns[trace.Current] = append(rec.Columns[trace.Current], []float64{250, -250}[i])
		}
		r.Recordings = []*trace.Recording{rec}
	}
	want, got := Read(upright, Options{}), Read(turned, Options{})
	require.NotNil(t, got.Energy.CarKWh)
	assert.InDelta(t, 50, *got.Energy.CarKWh, 1e-9, "100 kW for half an hour")
	assert.Equal(t, want.Posts, got.Posts)
	assert.Empty(t, want.Recordings[0].Health)
	require.Len(t, got.Recordings[0].Health, 1)
	assert.Contains(t, got.Recordings[0].Health[0].Reason.Kept(), "below zero while the car charges")
	assert.Equal(t, want.Recordings[0].Grade, got.Recordings[0].Grade)
}
