package trace

import (
	"math"
	"math/rand/v2"
	"sort"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"zincroad/internal/oracle"
)

var nan = math.NaN()

// random makes an uneven trace like a logger's: bursts, pauses, noise.
func random(seed uint64, n int) Series {
	r := rand.New(rand.NewPCG(seed, 1))
	s := Series{}
	t := r.Float64() * 10
	for range n {
		t += 0.05 + r.ExpFloat64()
		s.T = append(s.T, t)
		s.V = append(s.V, 120+40*math.Sin(t/50)+5*r.NormFloat64())
	}
	return s
}

// Outside values: SciPy's trapezoid and NumPy's interp on the same random traces,
// over the whole span and over parts whose ends lie between readings.
func TestIntegralAndAtAgainstSciPy(t *testing.T) {
	type part struct{ T, V, At, From, To []float64 }
	var traces []part
	for seed := range uint64(8) {
		s := random(seed, 400)
		r := rand.New(rand.NewPCG(seed, 2))
		p := part{T: s.T, V: s.V}
		for range 20 {
			a := s.T[0] + r.Float64()*s.Span().Len()
			b := s.T[0] + r.Float64()*s.Span().Len()
			p.At = append(p.At, a)
			p.From, p.To = append(p.From, math.Min(a, b)), append(p.To, math.Max(a, b))
		}
		traces = append(traces, p)
	}
	var want []struct{ At, Area []float64 }
	oracle.SciPy(t, `
from scipy.integrate import trapezoid
out = []
for p in data:
    t, v = np.array(p["T"]), np.array(p["V"])
    areas = []
    for a, b in zip(p["From"], p["To"]):
        inner = (t > a) & (t < b)
        x = np.concatenate([[a], t[inner], [b]])
        areas.append(float(trapezoid(np.interp(x, t, v), x)))
    out.append({"At": np.interp(p["At"], t, v).tolist(), "Area": areas})
`, traces, &want)
	for i, p := range traces {
		s := Series{p.T, p.V}
		for k := range p.At {
			got, ok := s.At(p.At[k])
			require.True(t, ok)
			assert.InEpsilon(t, want[i].At[k], got, 1e-12)
			assert.InDelta(t, want[i].Area[k], s.Integral(p.From[k], p.To[k]), 1e-9*math.Abs(want[i].Area[k])+1e-9)
		}
	}
}

func TestMedianIntervalAgainstNumPy(t *testing.T) {
	var lists [][]float64
	for seed := range uint64(10) {
		lists = append(lists, random(seed, 3+int(seed)*7).T)
	}
	lists = append(lists, []float64{0, 1, 2, 3, 4}, []float64{0, 1, 3}, []float64{0, 0, 0, 5})
	var want []float64
	oracle.SciPy(t, `out = [float(np.median(np.diff(t))) for t in data]`, lists, &want)
	for i, l := range lists {
		assert.InDelta(t, want[i], MedianInterval(l), 1e-12)
	}
	assert.Zero(t, MedianInterval([]float64{7}))
}

// The median of many intervals is the middle of all of them in order, whether they are steady, steady but for the last
// bit, of two kinds, or such that the readings looked at first are no sample of them.
func TestMedianIntervalOfManyReadings(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for name, step := range map[string]func(i int) float64{
		"steady":            func(int) float64 { return 1 },
		"to the last bit":   func(int) float64 { return 0.01 },
		"scattered":         func(int) float64 { return 1 + 0.2*r.NormFloat64() },
		"of two kinds":      func(int) float64 { return float64(1 + r.IntN(2)) },
		"a sample misleads": func(i int) float64 { return float64(1 + 4*min(1, i%20)) },
		"disorder":          func(int) float64 { return 3 * r.NormFloat64() },
	} {
		for _, n := range []int{20_001, 20_002} {
			at := []float64{0}
			for i := 1; i < n; i++ {
				at = append(at, at[i-1]+step(i))
			}
			var d []float64
			for i := 1; i < n; i++ {
				d = append(d, at[i]-at[i-1])
			}
			sort.Float64s(d)
			assert.Equal(t, (d[(len(d)-1)/2]+d[len(d)/2])/2, MedianInterval(at), "%s, %d readings", name, n)
		}
	}
}

// Gaps of a dense log, wherever they lie, also at either end and next to each other.
func TestGapsOfADenseLog(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	for range 200 {
		s := Series{T: []float64{0}, V: []float64{50}}
		var want []Span
		for range 1 + r.IntN(400) {
			last := s.T[len(s.T)-1]
			step := 0.1 + 0.4*r.Float64()
			if r.IntN(60) == 0 {
				step = 20 + 20*r.Float64()
			}
			if step > 30 {
				want = append(want, Span{last, last + step})
			}
			s.T, s.V = append(s.T, last+step), append(s.V, 50)
		}
		assert.Equal(t, want, Gaps(s, 0.3))
	}
}

// Up to several times at once is what up to each of them is by itself.
func TestIntegralsInOnePass(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 200 {
		var s Series
		x := 0.0
		for range r.IntN(30) {
			x += float64(r.IntN(3)) // some at one time
			s.T, s.V = append(s.T, x), append(s.V, r.NormFloat64())
		}
		var upTo, want []float64
		for to := -1.0; to < x+2; to += 0.5 {
			upTo, want = append(upTo, to), append(want, s.Integral(-1, to))
		}
		assert.InDeltaSlice(t, want, s.Integrals(upTo), 1e-9)
	}
}

func TestAtAndIntegralSpecialCases(t *testing.T) {
	step := Series{T: []float64{0, 10, 10, 20}, V: []float64{1, 1, 3, 3}}
	v, ok := step.At(10)
	assert.True(t, ok)
	assert.Equal(t, 3.0, v, "of several readings at one time the last counts")
	assert.Equal(t, 40.0, step.Integral(-100, 100), "outside the readings nothing is added")
	assert.Zero(t, step.Integral(15, 5))
	assert.Zero(t, Series{}.Integral(0, 1))
	_, ok = step.At(20.1)
	assert.False(t, ok)
	_, ok = step.At(nan)
	assert.False(t, ok)
}

func TestFirstReachAll(t *testing.T) {
	s := Series{T: []float64{0, 10, 20, 30}, V: []float64{10, 12, 11, 20}}
	got := s.FirstReachAll([]float64{9, 10, 11, 12, 13, 20, 20.1})
	assert.True(t, math.IsNaN(got[0]), "it starts above")
	assert.True(t, math.IsNaN(got[6]), "it never gets there")
	assert.InDeltaSlice(t, []float64{0, 5, 10, 20 + 10*2.0/9, 30}, got[1:6], 1e-12)
	assert.True(t, math.IsNaN(Series{}.FirstReachAll([]float64{1})[0]))
}

// gapsAt gives the gaps in power read at some times, judged by those times' median;
// the power is never the same twice.
func gapsAt(t []float64) []Span {
	s := Series{T: t}
	for i := range t {
		s.V = append(s.V, 100+20*float64(i%2))
	}
	return Gaps(s, MedianInterval(t))
}

// Gaps are longer than the larger of 30 s and ten times the median interval.
func TestGaps(t *testing.T) {
	every := func(step float64, n int, from float64) (out []float64) {
		for i := range n {
			out = append(out, from+float64(i)*step)
		}
		return out
	}
	second := append(every(1, 100, 0), every(1, 100, 129)...) // 30 s: not longer
	assert.Empty(t, gapsAt(second))
	second = append(every(1, 100, 0), every(1, 100, 129.5)...)
	assert.Equal(t, []Span{{99, 129.5}}, gapsAt(second))
	typed := append(every(180, 6, 0), every(180, 6, 900+1800)...) // ten times the median: not longer
	assert.Empty(t, gapsAt(typed))
	typed = append(every(180, 6, 0), every(180, 6, 900+1801)...)
	assert.Len(t, gapsAt(typed), 1)
	assert.Empty(t, gapsAt([]float64{5}))
}

// Typed readings have the rhythm of their part: ten a minute while the power climbs,
// then one every quarter of an hour. Ten minutes without one are a gap among the first
// (ten times 30 s), not among the last; and a level that is the same at both ends within
// 5 % is none wherever it stands.
func TestGapsOfTypedReadings(t *testing.T) {
	var s Series
	at := func(t, kw float64) { s.T, s.V = append(s.T, t), append(s.V, kw) }
	for i := range 14 {
		late := 0.0
		if i >= 7 {
			late = 600
		}
		at(float64(i)*30+late, 50+6*float64(i))
	}
	for i := range 8 {
		at(2000+float64(i)*900, 90-8*float64(i))
	}
	interval := MedianInterval(s.T)
	assert.InDelta(t, 30, interval, 1e-9)
	assert.Equal(t, []Span{{180, 810}}, Gaps(s, interval))
	for i := 7; i < 14; i++ {
		s.V[i] = s.V[6] * 1.049
	}
	assert.Empty(t, Gaps(s, interval), "a steady level")
	logged := Series{T: []float64{0, 1, 2, 3, 4, 44, 45, 46}, V: []float64{80, 80, 80, 80, 80, 80, 80, 80}}
	assert.Len(t, Gaps(logged, 1), 1, "a logger that reads every second has missed it")
}

func TestSpikes(t *testing.T) {
	at := func(v ...float64) Series {
		s := Series{V: v}
		for i := range v {
			s.T = append(s.T, float64(i))
		}
		return s
	}
	for _, c := range []struct {
		name string
		s    Series
		want []int
	}{
		{"one reading up", at(150, 150, 400, 150, 150), []int{2}},
		{"one reading down", at(150, 150, 0, 150, 150), []int{2}},
		{"two readings", at(150, 151, 300, 310, 150, 150), []int{2, 3}},
		{"three readings are no spike", at(150, 150, 300, 300, 300, 150), nil},
		{"a step is no spike", at(150, 150, 250, 250, 250), nil},
		{"overshoot on the way up is no spike", at(0, 200, 150, 150), nil},
		{"noise is none", at(150, 155, 148, 152), nil},
		{"typed readings are none", Series{T: []float64{0, 180, 360}, V: []float64{50, 120, 52}}, nil},
	} {
		got, _ := Spikes(c.s)
		assert.Equal(t, c.want, got, c.name)
	}
	kept := WithoutUpwardSpikes(at(150, 400, 150, 150, 0, 150))
	assert.Equal(t, []float64{150, 150, 150, 0, 150}, kept.V, "a drop stays")
}

// Power is what was recorded, else volts times amperes; 399 V at 250 A is about
// 100 kW (common practice, no source).
func TestPowerSeries(t *testing.T) {
	rec := &Recording{T: []float64{0, 1, 2}, Columns: map[Channel][]float64{
		Voltage: {399, 400, nan}, Current: {250, 250, 250}}}
	p := rec.PowerSeries()
	assert.Equal(t, []float64{0, 1}, p.T)
	assert.InDelta(t, 99.75, p.V[0], 1e-9)
	rec.Columns[Power] = []float64{nan, 120, 121}
	p = rec.PowerSeries()
	assert.InDeltaSlice(t, []float64{99.75, 120, 121}, p.V, 1e-9, "recorded power first, the rest from volts and amps")

	bursts := &Recording{T: []float64{0, 5, 10}, Columns: map[Channel][]float64{
		Voltage: {400, nan, 410}, Current: {nan, 200, nan}}}
	p = bursts.PowerSeries()
	assert.Equal(t, []float64{5}, p.T)
	assert.InDelta(t, 81, p.V[0], 1e-9, "405 V joined, times 200 A")
	assert.Zero(t, (&Recording{T: []float64{0}, Columns: map[Channel][]float64{Voltage: {400}}}).PowerSeries().Len())
}

func TestOnRunClockSortsAndShifts(t *testing.T) {
	rec := &Recording{T: []float64{2, 0, 1, 1}, ClockOffsetS: 10, Columns: map[Channel][]float64{Power: {3, 1, 2, 2.5}}}
	on := rec.OnRunClock()
	assert.Equal(t, []float64{10, 11, 11, 12}, on.T)
	assert.Equal(t, []float64{1, 2, 2.5, 3}, on.Columns[Power])
	assert.Equal(t, []float64{2, 0, 1, 1}, rec.T, "what was recorded stays")
	assert.Zero(t, on.ClockOffsetS)
}

func TestResolution(t *testing.T) {
	of := func(v ...float64) float64 {
		return (&Recording{T: v, Columns: map[Channel][]float64{SoC: v}}).Resolution()
	}
	assert.Equal(t, 1.0, of(10, 10, 11, 14))
	assert.InDelta(t, 0.5, of(10, 10.5, 12), 1e-9)
	assert.Zero(t, of(10, 10))
	assert.Equal(t, 0.1, (&Recording{SoCResolutionPct: 0.1}).Resolution())
}

func TestJoinFillsOnlyWhatIsNotCovered(t *testing.T) {
	first := Series{T: []float64{10, 20}, V: []float64{1, 2}}
	second := Series{T: []float64{0, 15, 30}, V: []float64{7, 8, 9}}
	got := Join(first, Series{}, second)
	assert.Equal(t, []float64{0, 10, 20, 30}, got.T)
	assert.Equal(t, []float64{7, 1, 2, 9}, got.V)
}

// Two notes typed at the ends of a run do not stand for the logger's forty readings
// between them, whichever came first; where the logger slept the notes count.
func TestJoinTakesTheDenserSource(t *testing.T) {
	var logged Series
	for i := range 40 {
		at := float64(i)
		if i >= 20 {
			at += 300 // asleep from 19 to 320 s
		}
		logged.T, logged.V = append(logged.T, at), append(logged.V, 100)
	}
	notes := Series{T: []float64{-60, 10, 60, 200, 310, 400}, V: []float64{1, 2, 3, 4, 5, 6}}
	for _, got := range []Series{Join(notes, logged), Join(logged, notes)} {
		assert.True(t, sort.Float64sAreSorted(got.T))
		assert.Equal(t, 40+4, got.Len(), "-60, 60, 200 and 400: 10 s is covered, 310 within reach of 320")
		v, _ := got.At(200)
		assert.Equal(t, 4.0, v)
	}
}

// A side with fewer than a third of the other's readings does not count; three times
// as many are not fewer than a third.
func TestMergeOfTwoSides(t *testing.T) {
	every := func(step, to, v float64) (s Series) {
		for at := 0.0; at <= to; at += step {
			s.T, s.V = append(s.T, at), append(s.V, v)
		}
		return s
	}
	dense := every(10, 890, 2) // 90 readings
	_, second := Merge(every(30, 870, 1), dense)
	assert.False(t, second, "30 of 90")
	got, second := Merge(every(31, 870, 1), dense)
	assert.True(t, second, "29 of 90")
	assert.Equal(t, dense, got, "all of it within reach")
	note := Series{T: []float64{500, 925}, V: []float64{9, 9}}
	got, _ = Merge(note, dense)
	assert.Equal(t, append(dense.T[:90:90], 925), got.T, "35 s behind the last one")
	early := every(10, 890, 1)
	early.T = append([]float64{-5000, -4000, -3000}, early.T[:10]...)
	early.V = early.V[:13]
	got, second = Merge(early, dense, Span{0, 890})
	assert.True(t, second, "13 readings, 10 of them while charging")
	assert.Equal(t, -5000.0, got.T[0])
}

// Times far outside the rhythm: a wall clock among seconds, what no clock can show; not
// a state of charge noted an hour before, nor a log with a night in the middle.
func TestOutlyingTimes(t *testing.T) {
	var log []float64
	for i := range 700 {
		log = append(log, float64(i))
	}
	assert.Empty(t, Outlying(log))
	wall := append([]float64{}, log...)
	wall[349] = 1.77e9
	assert.Equal(t, []int{349}, Outlying(wall))
	wall[349] = 66000 // 18:20 as seconds of the day
	assert.Equal(t, []int{349}, Outlying(wall))
	assert.Empty(t, Outlying(append([]float64{-4200}, log...)))
	night := append([]float64{}, log...)
	for i := 400; i < 700; i++ {
		night[i] += 40000
	}
	assert.Empty(t, Outlying(night))
	assert.Equal(t, []int{1, 2, 3}, Outlying([]float64{5, 1e308, math.Inf(-1), nan}))
	assert.Equal(t, []int{0}, Outlying([]float64{1e308}))
	rec := &Recording{T: []float64{0, 1e308, 2}, Columns: map[Channel][]float64{Power: {5, 6, 7}}}
	kept := rec.Without(Outlying(rec.T))
	assert.Equal(t, []float64{0, 2}, kept.T)
	assert.Equal(t, []float64{5, 7}, kept.Columns[Power])
	assert.Len(t, rec.T, 3, "as recorded")
}

// However a trace is thinned out, its highest and lowest reading stay, times stay
// in order, and every point is one of the trace's own.
func TestReduceKeepsExtremes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(2, 600).Draw(t, "n")
		s := random(rapid.Uint64Range(0, 99).Draw(t, "seed"), n)
		slices := rapid.IntRange(1, 60).Draw(t, "slices")
		r := Reduce(map[Channel]Series{Power: s, SoC: {T: s.T, V: s.T}}, Power, slices)
		if len(r.T) > 4*slices+4 && len(r.T) != n {
			t.Fatalf("%d points for %d slices", len(r.T), slices)
		}
		if !sort.Float64sAreSorted(r.T) {
			t.Fatal("times out of order")
		}
		top, low := s.Max(), 0
		for i, v := range s.V {
			if v < s.V[low] {
				low = i
			}
		}
		seenTop, seenLow := false, false
		for i, tm := range r.T {
			k := sort.SearchFloat64s(s.T, tm)
			if s.T[k] != tm || s.V[k] != r.Columns[Power][i] {
				t.Fatalf("point %g is not the trace's own", tm)
			}
			seenTop, seenLow = seenTop || k == top, seenLow || k == low
		}
		if !seenTop || !seenLow {
			t.Fatal("an extreme was lost")
		}
	})
}

func TestFloatsInJSON(t *testing.T) {
	b, err := Floats{1, nan, 0.123456789}.MarshalJSON()
	require.NoError(t, err)
	assert.Equal(t, `[1,null,0.123457]`, string(b))
	var f Floats
	require.NoError(t, f.UnmarshalJSON(b))
	require.Len(t, f, 3)
	assert.Error(t, f.UnmarshalJSON([]byte(`[1,"x"]`)))
	assert.Error(t, f.UnmarshalJSON([]byte(`{}`)))
	require.NoError(t, f.UnmarshalJSON([]byte(`[]`)))
	assert.Empty(t, f)
	require.NoError(t, f.UnmarshalJSON(b))
	assert.True(t, math.IsNaN(f[1]))
	assert.Equal(t, 1.0, f[0])
}

// What power is made of is told from what the recording has: never a product where every reading has its own.
func TestPowerFrom(t *testing.T) {
	nan := math.NaN()
	of := func(columns map[Channel][]float64) string {
		return (&Recording{T: []float64{0, 10}, Columns: columns}).PowerFrom()
	}
	va := map[Channel][]float64{Voltage: {400, 400}, Current: {250, 240}}
	assert.Equal(t, PowerProduct, of(va))
	va[Power] = []float64{99, nan}
	assert.Equal(t, PowerBoth, of(va))
	va[Power] = []float64{99, 98}
	assert.Equal(t, PowerRead, of(va))
	va[Power], va[Current] = []float64{99, nan}, []float64{250, nan}
	assert.Equal(t, PowerRead, of(va), "where power is missing the amps are too")
	assert.Equal(t, PowerRead, of(map[Channel][]float64{Power: {99, nan}}))
	assert.Empty(t, of(map[Channel][]float64{SoC: {10, 11}}))
	assert.Empty(t, of(map[Channel][]float64{Voltage: {400, 400}}))
}
