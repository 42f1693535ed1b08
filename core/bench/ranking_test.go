package bench

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// ranked is a run of a car that took so long for 10-80, with a mean power into the pack.
func ranked(id int64, car string, minutes, kw, startC float64) Known {
	usable, km100 := 60.0, 600.0
	return Known{
		ID:       id,
		Car:      car,
		StartC:   &startC,
		StartPct: ptr(10),
		WarmC:    ptr(25),
		StallKW:  350,
		Stall:    "Fulling Mill 3",
		Gist: Gist{Windows: []GistWindow{{FromPct: 10, ToPct: 80, TS: minutes * 60, PackKW: &kw}}, UsableKWh: &usable,
			Km100S: &km100},
	}
}

func ptr(v float64) *float64 { return &v }

// Each car stands with the median of its warm runs; gentle, replugged and cold ones are not its best. Who has
// none that counts is named with the reason.
func TestRankingOfCars(t *testing.T) {
	gentle, replugged := ranked(9, "Osier 88", 20, 120, 26), ranked(10, "Osier 88", 19, 120, 26)
	gentle.Profile, replugged.PlugIns = "gentle", 2
	runs := []Known{ranked(1, "Larch 52", 41, 50, 26), ranked(2, "Tamarack 78", 22, 140, 26),
		ranked(3, "Tamarack 78", 24, 130, 24), ranked(4, "Tamarack 78", 23, 135, 27), ranked(5, "Tamarack 78", 32, 100, 6),
		ranked(6, "Alder 64", 30, 80, 5), gentle, replugged}
	list, passed := Ranking(runs, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack})
	require.Len(t, list, 2)
	assert.Equal(t, "Tamarack 78", list[0].Car)
	assert.InDelta(t, 23, list[0].Value, 1e-9)
	assert.Equal(t, []int64{2, 4, 3}, list[0].Runs)
	assert.Equal(t, int64(4), list[0].Typical)
	assert.Equal(t, Range{24, 27}, list[0].StartC)
	assert.InDelta(t, 22, list[0].Low, 1e-9)
	assert.InDelta(t, 24, list[0].High, 1e-9)
	assert.Equal(
		t,
		[]string{"Alder 64: no run with a warm pack", "Osier 88: only replugged or gentle runs"},
		reasons(passed),
	)

	_, weak := Ranking(runs, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack, StallFromKW: 400})
	require.Len(t, weak, 4)
	assert.Equal(t, "no run at such a stall", weak[0].Why.Kept())
	assert.Equal(t, "Warm packs, "+words.Window(10, 80)+": Tamarack 78 in 23 min, then Larch 52 in 41 min.",
		Leads(list, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack}).Kept())

	cold, _ := Ranking(runs, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: ColdPack})
	require.Len(t, cold, 2)
	assert.Equal(t, "Alder 64", cold[0].Car)
	_, none := Ranking(runs, Order{By: ByWindow, FromPct: 20, ToPct: 70, Warmth: AnyWarmth})
	require.Len(t, none, 4)
	assert.Equal(t, "no such run covers it", none[0].Why.Kept())
}

// More is better of energy and C-rate, less of minutes; the figures are the hand's: 140 kW are 2.33 kWh a
// minute, and into 60 kWh 2.33 C.
func TestRankingByWhatDoesNotHangOnThePacksSize(t *testing.T) {
	runs := []Known{ranked(1, "Larch 52", 20, 100, 26), ranked(2, "Tamarack 78", 22, 140, 26)}
	for _, by := range []Measure{ByEnergy, ByCRate} {
		list, _ := Ranking(runs, Order{By: by, FromPct: 10, ToPct: 80, Warmth: WarmPack})
		assert.Equal(t, "Tamarack 78", list[0].Car, by)
		assert.InDelta(t, 140.0/60, list[0].Value, 1e-9)
	}
	list, _ := Ranking(runs, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack})
	assert.Equal(t, "Larch 52", list[0].Car)
	list, _ = Ranking(runs, Order{By: By100Km, FromPct: 10, ToPct: 80, Warmth: WarmPack})
	assert.InDelta(t, 10, list[0].Value, 1e-9)
	assert.Equal(t, Range{10, 10}, list[0].StartPct)
	high := runs[0]
	high.StartPct = ptr(45) // half of its taper is behind it
	_, left := Ranking([]Known{high}, Order{By: By100Km, FromPct: 10, ToPct: 80, Warmth: WarmPack})
	assert.Equal(t, []string{"Larch 52: no run that starts at 20 % or below"}, reasons(left))
	list, _ = Ranking([]Known{high}, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack})
	assert.Len(t, list, 1, "a window begins where it begins")
	runs[1].Gist.UsableKWh = nil
	list, passed := Ranking(runs, Order{By: ByCRate, FromPct: 10, ToPct: 80, Warmth: WarmPack})
	assert.Len(t, list, 1)
	assert.Len(t, passed, 1, "without a capacity there is no C-rate")
}

// A gist takes power from the car's side, else 96 of 100 of the stall's; what a stall and an adapter took is
// outside the car, a ramp is not.
func TestGist(t *testing.T) {
	kw, carKW := 150.0, 141.0
	head := &curve.Reading{
		Side:    trace.StallSide,
		Windows: []curve.Window{{FromPct: 10, ToPct: 80, TS: 1500, AverageKW: &kw}},
		Pace: &curve.Pace{
			Lost: []curve.MinutesLost{{Cause: limit.Cold, Minutes: 5}, {Cause: limit.StallPower, Minutes: 2},
				{Cause: limit.AdapterCurrent, Minutes: 1}, {Cause: limit.Ramp, Minutes: 0.5},
				{Cause: limit.SharedCabinet, Minutes: 3}, {Cause: limit.Paused, Minutes: 1}},
		},
		Distance: []curve.Distance{{Basis: curve.Observed, Plus: []curve.Plus{{Km: 100, TS: 700}}},
			{Basis: curve.Rated, Plus: []curve.Plus{{Km: 200, TS: 1}}}},
	}
	car := &curve.Reading{
		Side:    trace.CarSide,
		Windows: []curve.Window{{FromPct: 10, ToPct: 80, TS: 1500, AverageKW: &carKW}},
	}
	of := &run.Run{Car: &run.Car{UsableKWh: run.N(75)}}
	g := GistOf(of, head, car)
	assert.InDelta(t, 141, *g.Windows[0].PackKW, 1e-9)
	assert.InDelta(t, 700, *g.Km100S, 1e-9)
	assert.Nil(t, g.Km200S, "the rated consumption is another yardstick")
	assert.InDelta(t, 360, *g.OutsideS, 1e-9)
	assert.InDelta(t, 240, *g.UpsetS, 1e-9, "the label tells of the stall's power and the adapter's amps")
	assert.InDelta(t, 300, *g.ColdS, 1e-9)
	assert.InDelta(t, 75, *g.UsableKWh, 1e-9)
	g = GistOf(of, head, nil)
	assert.InDelta(t, 144, *g.Windows[0].PackKW, 1e-9, "96 of 100")
}

// The quarter of a year by months, December with what follows it.
func TestSeasons(t *testing.T) {
	for month, want := range map[time.Month]string{time.December: "Dec–Feb", time.February: "Dec–Feb",
		time.March:  "Mar–May",
		time.August: "Jun–Aug", time.September: "Sep–Nov"} {
		assert.Equal(t, want, seasonOf(time.Date(2026, month, 15, 0, 0, 0, 0, time.UTC)))
	}
	assert.Empty(t, seasonOf(time.Time{}))
}

// Runs sorted by car and kind of stall: medians, extremes, and what is not there. The pooled spread of the
// two cells with repeats is the hand's: squares 60²/2 · 2 cells over 2 + 1 degrees.
func TestMatrix(t *testing.T) {
	at := func(k Known, kw float64) Known { k.StallKW = kw; return k }
	runs := []Known{at(ranked(1, "Tamarack 78", 22, 140, 26), 350), at(ranked(2, "Tamarack 78", 23, 140, 26), 350),
		at(ranked(3, "Tamarack 78", 24, 140, 26), 350), at(ranked(4, "Tamarack 78", 30, 110, 26), 150),
		at(ranked(5, "Tamarack 78", 31, 110, 26), 150), at(ranked(6, "Larch 52", 40, 50, 26), 150)}
	car, _ := FactorOf("car")
	stall, _ := FactorOf("stall_kw")
	m := MatrixOf(runs, car, stall, 10, 80, AnyWarmth)
	assert.Equal(t, []string{"Larch 52", "Tamarack 78"}, m.Rows)
	assert.Equal(t, []string{"150 kW", "350 kW"}, m.Cols)
	assert.Equal(t, 6, m.Count)
	assert.InDelta(t, math.Sqrt((2*3600.0+1800)/3), m.PooledS, 1e-9)
	c := m.Cells[1][1]
	assert.Equal(t, []int64{1, 2, 3}, c.Runs)
	assert.Equal(t, int64(2), c.Typical)
	assert.InDelta(t, 23*60, c.MedianS, 1e-9)
	assert.InDelta(t, 3.182446*m.PooledS/math.Sqrt(3), c.HalfS, 1e-3, "Student's 97.5 % point with 3 degrees of freedom")
	assert.Empty(t, m.Cells[0][1].Runs)
	require.NotNil(t, m.Next)
	assert.Equal(t, []int{0, 1}, []int{m.Next.Row, m.Next.Col}, "Larch 52 at 350 kW: both known elsewhere")

	full := MatrixOf(append(runs, at(ranked(7, "Larch 52", 40, 50, 26), 350)), car, stall, 10, 80, AnyWarmth)
	require.NotNil(t, full.Next)
	assert.Len(t, full.Cells[full.Next.Row][full.Next.Col].Runs, 1, "the widest interval")
	assert.Contains(t, full.Next.Why.Kept(), "one more makes that")
	few := MatrixOf(runs[:2], car, stall, 10, 80, AnyWarmth)
	assert.Nil(t, few.Next, "one cell")
	assert.True(t, math.IsNaN(few.PooledS))
	gentle := ranked(8, "Larch 52", 50, 40, 26)
	gentle.Profile = "gentle"
	assert.Equal(t, 6, MatrixOf(append(runs, gentle), car, stall, 10, 80, AnyWarmth).Count)
	profile, _ := FactorOf("profile")
	assert.Equal(
		t,
		1,
		MatrixOf(append(runs, gentle), car, profile, 10, 80, AnyWarmth).Count,
		"the others do not note theirs",
	)
}

// reasons are why cars were passed over.
func reasons(passed []Passed) (out []string) {
	for _, p := range passed {
		out = append(out, p.Car+": "+p.Why.Kept())
	}
	return out
}
