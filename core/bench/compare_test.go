package bench

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/internal/oracle"
)

// day is what a test's run met.
type day struct {
	title, software, pre, profile, climate, weather string
	ambient, battery                                run.Number
	stallKW                                         float64
	fromPct, toPct                                  float64
	car                                             string
	scale                                           float64 // of the power; 0: 1
	typed                                           bool
}

var seconds int64

// subject is a run of a car of 75 kWh that takes 150 kW to half full and then 2 kW less a point,
// held by the stall's kW, and by a pack of less than 25 °C to a share of it that grows.
func subject(d day) Subject {
	if d.toPct == 0 {
		d.toPct = 86
	}
	if d.fromPct == 0 {
		d.fromPct = 8
	}
	if d.stallKW == 0 {
		d.stallKW = 350
	}
	if d.scale == 0 {
		d.scale = 1
	}
	if d.car == "" {
		d.car = "Tamarack 78"
	}
	seconds++
	temp := 30.0
	if d.battery != nil {
		temp = *d.battery
	}
	rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	soc := d.fromPct
	for t := 0.0; soc < d.toPct && t < 9000; t++ {
		kw := 150.0
		if soc > 50 {
			kw = 150 - 2*(soc-50)
		}
		kw = min(kw*min(1, max(0.2, 1-0.04*(25-temp))), d.stallKW) * d.scale
		if t < 20 {
			kw = 0
		}
		if every := map[bool]float64{true: 90, false: 5}[d.typed]; math.Mod(t, every) == 0 {
			rec.T = append(rec.T, t)
			for c, v := range map[trace.Channel]float64{trace.SoC: soc, trace.Power: kw, trace.Voltage: 350 + soc/2,
				trace.Current: kw * 1000 / (350 + soc/2)} {
				rec.Columns[c] = append(rec.Columns[c], v)
			}
		}
		soc += kw / 36 / 75
		temp += kw * kw / 150 / 150 * 0.012
	}
	r := &run.Run{Title: d.title, StartedAt: time.Unix(1.7e9+seconds*3600, 0), Recordings: []*trace.Recording{rec},
		Car: &run.Car{Name: d.car, Software: d.software, Chemistry: "NMC", UsableKWh: run.N(75), CellsInSeries: run.N(96),
			MaxKW: run.N(150), WarmC: run.N(25), ConsumptionWhKm: run.N(180),
			Envelope: []run.Point{{SoCPct: 0, KW: 150}, {SoCPct: 50, KW: 150}, {SoCPct: 100, KW: 50}}},
		Stall: &run.Stall{Site: "Mill", Name: fmt.Sprint(d.stallKW), RatedKW: &d.stallKW, MaxA: run.N(600)},
		Conditions: &run.Condition{AmbientC: d.ambient, BatteryC: d.battery, Preconditioned: d.pre, Profile: d.profile,
			Climate: d.climate, Weather: d.weather}}
	return SubjectOf(r)
}

func compare(days ...day) *Comparison {
	var list []Subject
	for _, d := range days {
		list = append(list, subject(d))
	}
	return Compare(list, Ask{})
}

// Pairs and groups of which it is known what differs: what is confounded is called so, what is clean
// is, and what it isolates.
func TestFairnessOfKnownPairs(t *testing.T) {
	n := run.N
	base := day{software: "2.4", ambient: n(5), battery: n(26), pre: "car", profile: "full", climate: "off"}
	with := func(change func(*day)) day {
		d := base
		change(&d)
		return d
	}
	for _, tt := range []struct {
		name     string
		a, b     day
		verdict  Verdict
		isolates string
	}{
		{"repeats", base, base, Unlike, ""},
		{"another day, packs as warm", base, with(func(d *day) { d.ambient, d.weather = n(16), "rain" }), Unlike, ""},
		{"software", base, with(func(d *day) { d.software = "2.3" }), Clean, "software"},
		{"software, warmer outside, packs as warm", base, with(func(d *day) { d.software, d.ambient = "2.3", n(16) }), Clean,
			"software"},
		{"software, packs not noted, 5 and 16 outside", with(func(d *day) { d.battery = nil; d.pre = "none" }),
			with(func(d *day) { d.battery = nil; d.pre = "none"; d.software, d.ambient = "2.3", n(16) }), Confounded, ""},
		{"stall", base, with(func(d *day) { d.stallKW = 100 }), Clean, "stall_kw"},
		{"another stall of the same rating", base, with(func(d *day) { d.title = "b" }), Unlike, ""},
		{"cold and warm", with(func(d *day) { d.battery, d.pre = n(6), "none" }), base, Clean, "preconditioned"},
		{"cold and warm, both none", with(func(d *day) { d.battery, d.pre = n(6), "none" }),
			with(func(d *day) { d.pre = "none" }), Clean, "battery_c"},
		{"cold and another software", with(func(d *day) { d.battery, d.pre = n(6), "none" }),
			with(func(d *day) { d.software = "2.3" }), Confounded, ""},
		{"cold and a weaker stall", with(func(d *day) { d.battery, d.pre = n(6), "none" }),
			with(func(d *day) { d.stallKW = 100 }), Confounded, ""},
		{"profile", base, with(func(d *day) { d.profile = "gentle" }), Clean, "profile"},
		{"profile and software", base, with(func(d *day) { d.profile, d.software = "gentle", "2.3" }), Confounded, ""},
		{"another car", base, with(func(d *day) { d.car = "Osier 88" }), Unlike, ""},
		{"preconditioned or not, as warm", base, with(func(d *day) { d.pre = "driven" }), Unlike, ""},
		{"start by a point", base, with(func(d *day) { d.fromPct = 9 }), Unlike, ""},
		{"software and stall", base, with(func(d *day) { d.software, d.stallKW = "2.3", 100 }), Confounded, ""},
		{"a stall that the car does not notice", base, with(func(d *day) { d.stallKW = 300 }), Unlike, ""},
		{"two degrees outside", base, with(func(d *day) { d.ambient = n(7) }), Unlike, ""},
		{"climate, which the stall has to spare", base, with(func(d *day) { d.climate = "on" }), Unlike, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c := compare(tt.a, tt.b)
			assert.Equal(t, tt.verdict, c.Fairness.Verdict, "%+v", c.Fairness.Differs)
			assert.Equal(t, tt.isolates, c.Fairness.Isolates)
			assert.NotEmpty(t, c.Verdicts)
		})
	}
}

// A run against itself differs in nothing; the runs swapped swap the signs; a copy of a run is no
// second one.
func TestProperties(t *testing.T) {
	a, b := subject(day{software: "1"}), subject(day{software: "2", scale: 0.9})
	one := Compare([]Subject{a, a}, Ask{})
	assert.Zero(t, *one.Runs[1].DeltaS)
	assert.Zero(t, one.Race.Widest.Points)
	assert.Empty(t, one.Race.Meetings)
	forth, back := Compare([]Subject{a, b}, Ask{}), Compare([]Subject{b, a}, Ask{})
	assert.InDelta(t, *forth.Runs[1].DeltaS, -*back.Runs[1].DeltaS, 1e-9)
	assert.InDelta(t, forth.Race.Widest.Points, -back.Race.Widest.Points, 1e-9)
	assert.InDelta(t, forth.Difference.TS, -back.Difference.TS, 1e-9)
	copied := Compare([]Subject{a, a, a, a, b}, Ask{})
	assert.Equal(t, Undecided, copied.Difference.Real, "four copies of one run show no spread")
	assert.Nil(t, copied.Difference.LowS)
}

// The minutes of the bands are those of the window, their differences add up to its difference, and
// the cold one is cold where it loses them.
func TestBandsAddUp(t *testing.T) {
	cold := day{title: "cold", battery: run.N(8), pre: "none"}
	c := compare(day{title: "warm", battery: run.N(28), pre: "car"}, cold)
	require.Equal(t, Span{10, 80, true}, c.Window)
	sum, delta := 0.0, 0.0
	for _, b := range c.Bands {
		sum += *b.TS[1]
		delta += *b.DeltaS[1]
	}
	assert.InDelta(t, *c.Runs[1].TS, sum, 0.5)
	assert.InDelta(t, *c.Runs[1].DeltaS, delta, 0.5)
	assert.Greater(t, delta, 120.0)
	assert.Equal(t, limit.Cold, c.Bands[0].Causes[1][0])
	assert.NotContains(t, c.Bands[0].Causes[0], limit.Cold)
	assert.Contains(t, c.Verdicts[1].Text.Kept(), "of it lie below")
	assert.Contains(t, c.Verdicts[1].Text.Kept(), "cold")
	require.NotEmpty(t, c.AddPoints)
	assert.Equal(t, 10.0, c.AddPoints[0].Points)
	require.NotEmpty(t, c.Distance)
	assert.Greater(t, *c.Distance[0].TS[1], *c.Distance[0].TS[0])
}

// Starts at 8 and 23 %: the window that both cover is cut out by itself.
func TestTheCommonWindowIsCutOut(t *testing.T) {
	c := compare(day{}, day{fromPct: 23.4, toPct: 74.2})
	assert.True(t, c.Window.Common)
	assert.Equal(t, [2]float64{24, 74}, [2]float64{c.Window.FromPct, c.Window.ToPct})
	asked := Compare([]Subject{subject(day{}), subject(day{fromPct: 23.4})}, Ask{FromPct: 10, ToPct: 80})
	assert.False(t, asked.Window.Common)
	assert.Nil(t, asked.Runs[1].TS)
	assert.Nil(t, asked.Runs[1].DeltaS)
}

// Lanes by hand: one gains 2 points a minute, the other nothing for two minutes and 3 a minute then:
// they meet where 2t = 3(t − 2), at six minutes; at two the first leads by 4 points, at twelve the
// other by 6, the widest.
func TestRaceByHand(t *testing.T) {
	a := lane{trace.Series{T: []float64{0, 1200}, V: []float64{10, 50}}, 1200}
	b := lane{trace.Series{T: []float64{0, 120, 720}, V: []float64{10, 10, 40}}, 720}
	r := raceOf([]lane{a, b}, 0)
	require.Len(t, r.Lead, 12)
	assert.Equal(t, Lead{60, 1, -2}, r.Lead[0])
	assert.InDelta(t, -4, r.Lead[1].Points, 1e-9)
	assert.Equal(t, 720.0, r.Widest.TS)
	assert.InDelta(t, 6, r.Widest.Points, 1e-9)
	require.Len(t, r.Meetings, 1)
	assert.InDelta(t, 360, r.Meetings[0].TS, 1)
	assert.InDelta(t, 22, r.Meetings[0].SoCPct, 0.1)
	// Leads of less than half a point are no leads: nobody meets.
	close := lane{trace.Series{T: []float64{0, 600, 1200}, V: []float64{10, 30.4, 49.9}}, 1200}
	assert.Empty(t, raceOf([]lane{a, close}, 0).Meetings)
}

// Welch's interval and statistic are SciPy's; one run against three and more has the prediction
// interval, worked out with SciPy's quantile.
func TestIntervalsAgainstSciPy(t *testing.T) {
	type pair struct{ A, B []float64 }
	rng := rand.New(rand.NewPCG(3, 4))
	var pairs []pair
	for i := range 30 {
		p := pair{}
		for range 2 + i%4 {
			p.A = append(p.A, 1300+20*rng.NormFloat64())
		}
		for range 2 + i%5 {
			p.B = append(p.B, 1330+35*rng.NormFloat64())
		}
		pairs = append(pairs, p)
	}
	var want []struct{ Low, High, T, PLow, PHigh float64 }
	oracle.SciPy(t, `
from scipy import stats
out = []
for p in data:
    a, b = np.array(p["A"]), np.array(p["B"])
    ea, eb = a.var(ddof=1)/len(a), b.var(ddof=1)/len(b)
    df = (ea+eb)**2/(ea**2/(len(a)-1)+eb**2/(len(b)-1))
    half = stats.t.ppf(0.975, df)*np.sqrt(ea+eb)
    d = b.mean()-a.mean()
    one = stats.t.ppf(0.975, len(b)-1)*b.std(ddof=1)*np.sqrt(1+1/len(b))
    out.append({"Low": d-half, "High": d+half, "T": -stats.ttest_ind(a, b, equal_var=False).statistic,
        "PLow": b.mean()-a[0]-one, "PHigh": b.mean()-a[0]+one})
`, pairs, &want)
	for i, p := range pairs {
		d := between(p.A, p.B, nil)
		require.NotNil(t, d.LowS)
		assert.InDelta(t, want[i].Low, *d.LowS, 1e-6)
		assert.InDelta(t, want[i].High, *d.HighS, 1e-6)
		assert.Equal(t, math.Signbit(want[i].T), math.Signbit(d.TS))
		if len(p.B) < 3 {
			continue
		}
		d = between(p.A[:1], p.B, nil)
		assert.InDelta(t, want[i].PLow, *d.LowS, 1e-6)
		assert.InDelta(t, want[i].PHigh, *d.HighS, 1e-6)
	}
}

// Two groups of three that do not differ are called different in at most 5 of 100, a difference of two minutes with a
// spread of 20 s in at least 90; one run against one is decided by repeats with three degrees of freedom, and by
// nothing less: 800 s² over two of three like runs and 400 over one of two are (20 s)². Times are simulated, from a
// fixed seed.
func TestRealAsOftenAsSaid(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 12))
	draw := func(n int, mean float64) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = mean + 20*rng.NormFloat64()
		}
		return out
	}
	false1, true1, false2 := 0, 0, 0
	const trials = 2000
	for range trials {
		if between(draw(3, 1500), draw(3, 1500), nil).Real == IsReal {
			false1++
		}
		if between(draw(3, 1500), draw(3, 1620), nil).Real == IsReal {
			true1++
		}
		if between(draw(1, 1500), draw(5, 1500), nil).Real == IsReal {
			false2++
		}
	}
	assert.LessOrEqual(t, float64(false1)/trials, 0.055)
	assert.LessOrEqual(t, float64(false2)/trials, 0.06)
	assert.GreaterOrEqual(t, float64(true1)/trials, 0.9)

	d := between(
		[]float64{1500},
		[]float64{1700},
		[][]float64{{1480, 1500, 1520}, {900 - math.Sqrt(200), 900 + math.Sqrt(200)}},
	)
	assert.Equal(t, IsReal, d.Real)
	assert.Equal(t, "repeats", d.By)
	d = between([]float64{1500}, []float64{1700}, [][]float64{{1480, 1500, 1520}, {900}})
	assert.Equal(t, Undecided, d.Real)
	assert.Nil(t, d.LowS)
	assert.Equal(t, Undecided, between([]float64{1500}, []float64{1700, 1710}, nil).Real, "one against two")
	same := between([]float64{1500, 1502, 1501, 1499}, []float64{1503, 1501, 1500, 1502}, nil)
	assert.Equal(t, NotReal, same.Real, "an interval of a few seconds around nothing")
	assert.Equal(t, 60.0, same.SmallestS)
	assert.InDelta(t, 90, between([]float64{3000}, []float64{3000}, nil).SmallestS, 1e-9, "3 % of it")
}

// What was kept of two runs compares as their readings do: the window to a second, the race to the digit, the same
// verdict.
func TestKeptComparesAsRead(t *testing.T) {
	a, b := subject(day{software: "1", battery: run.N(26)}), subject(day{software: "2", scale: 0.9, battery: run.N(27)})
	read := Compare([]Subject{a, b}, Ask{})
	var list []Subject
	for _, s := range []Subject{a, b} {
		curves := curve.Of(s.Run).Reduce(300)
		list = append(list, KeptSubject(s.Entry, curves[s.Reading.Side], curves[curve.OfRun]))
	}
	kept := Compare(list, Ask{})
	assert.Equal(t, read.Window, kept.Window)
	assert.InDelta(t, *read.Runs[1].DeltaS, *kept.Runs[1].DeltaS, 1)
	assert.Equal(t, read.Race, kept.Race)
	assert.Equal(t, read.Fairness, kept.Fairness)
	require.Len(t, kept.Bands, len(read.Bands))
	for i := range kept.Bands {
		assert.InDelta(t, *read.Bands[i].TS[1], *kept.Bands[i].TS[1], 1)
		assert.Equal(t, read.Bands[i].Causes, kept.Bands[i].Causes)
	}
}

// Where one car's consumption was observed and the other's is only rated, both go by the rated one, else
// the same minutes would differ by the yardstick; where they share none nothing is listed.
func TestDistancesByOneYardstick(t *testing.T) {
	at := func(basis string, s float64) curve.Distance {
		return curve.Distance{Basis: basis, Plus: []curve.Plus{{Km: 100, TS: s}}}
	}
	with := func(list ...curve.Distance) Subject {
		return Subject{Entry: Entry{Reading: &curve.Reading{Distance: list}}}
	}
	c := &Comparison{}
	c.distance([]Subject{with(at(curve.Observed, 400), at(curve.Rated, 360)), with(at(curve.Rated, 500))})
	require.Len(t, c.Distance, 1)
	assert.Equal(t, curve.Rated, c.Distance[0].Basis)
	assert.Equal(t, [2]float64{360, 500}, [2]float64{*c.Distance[0].TS[0], *c.Distance[0].TS[1]})
	c = &Comparison{}
	c.distance([]Subject{with(at(curve.Observed, 400)), with(at(curve.Rated, 500))})
	assert.Empty(t, c.Distance)
}

// The logbook's repeats count where one run stands against one, in the window that is compared, and not where
// groups have a spread of their own.
func TestRepeatsOfTheLogbook(t *testing.T) {
	repeat := func(id int64, s float64) Known {
		return Known{ID: id, Car: "Tamarack 78", Stall: "Mill 3", StartC: run.N(26), FromPct: 10, ToPct: 80, WindowS: &s}
	}
	ask := Ask{Known: []Known{repeat(1, 1480), repeat(2, 1500), repeat(3, 1520), repeat(4, 1500)}}
	one, other := day{software: "1", battery: run.N(26)}, day{software: "2", scale: 0.8, battery: run.N(26)}
	c := Compare([]Subject{subject(one), subject(other)}, ask)
	assert.Equal(t, "repeats", c.Difference.By)
	c = Compare([]Subject{subject(one), subject(one), subject(other), subject(other)}, ask)
	assert.Equal(t, "welch", c.Difference.By)
	for i := range ask.Known {
		ask.Known[i].ToPct = 70 // another window says nothing of this one
	}
	c = Compare([]Subject{subject(one), subject(other)}, ask)
	assert.Nil(t, c.Difference.LowS)
}

// Two runs of which the battery's temperature was not noted are repeats only as far as anybody knows.
func TestRepeatsAreNoSurerThanWhatWasNoted(t *testing.T) {
	for _, k := range []struct {
		battery    run.Number
		confidence say.Confidence
	}{{run.N(26), say.Strong}, {nil, say.Likely}} {
		d := day{software: "1", battery: k.battery, ambient: run.N(5), pre: "car", profile: "full", climate: "off"}
		for _, v := range compare(d, d).Verdicts {
			if strings.HasPrefix(v.Text.Kept(), "Repeats") {
				assert.Equal(t, k.confidence, v.Confidence)
			}
		}
	}
}

func TestParseWindow(t *testing.T) {
	for text, want := range map[string][2]float64{"10-80": {10, 80}, "10–80 %": {10, 80}, " 20.5 - 70": {20.5, 70}} {
		from, to, ok := ParseWindow(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, [2]float64{from, to}, text)
	}
	for _, text := range []string{"", "80", "80-10", "10-10", "10-110", "-5-20", "NaN-80", "10-NaN", "10-80-90", "a-b"} {
		from, to, ok := ParseWindow(text)
		assert.False(t, ok, text)
		assert.Zero(t, from+to, text)
	}
}

// Two cars are held against each other by kilometres, too. 200 km at 180 Wh each are 36 kWh: at 150 kW 14:24, at 120 kW
// 18:00, and 20 s before power. Two runs of one car are not.
func TestTwoCarsByKilometres(t *testing.T) {
	said := func(c *Comparison) string {
		var out []string
		for _, v := range c.Verdicts {
			out = append(out, v.Text.Kept())
		}
		return strings.Join(out, "\n")
	}
	a := day{title: "a", battery: run.N(30)}
	b := day{title: "b", battery: run.N(30), scale: 0.8}
	assert.NotContains(t, said(compare(a, b)), "km after")
	b.car = "Rowan 82"
	late := b
	late.fromPct = 40
	assert.NotContains(t, said(compare(a, late)), "km after", "a start half way up is no car's best")
	assert.Regexp(t, `\+200 km after 14 min [45]\d s in “a”, after 18 min [2-4]\d s in “b”`, said(compare(a, b)))
}
