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

// Gaps are longer than the larger of 30 s and ten times the median interval.
func TestGaps(t *testing.T) {
	every := func(step float64, n int, from float64) (out []float64) {
		for i := range n {
			out = append(out, from+float64(i)*step)
		}
		return out
	}
	second := append(every(1, 100, 0), every(1, 100, 129)...) // 30 s: not longer
	assert.Empty(t, Gaps(second))
	second = append(every(1, 100, 0), every(1, 100, 129.5)...)
	assert.Equal(t, []Span{{99, 129.5}}, Gaps(second))
	typed := append(every(180, 6, 0), every(180, 6, 900+1800)...) // ten times the median: not longer
	assert.Empty(t, Gaps(typed))
	typed = append(every(180, 6, 0), every(180, 6, 900+1801)...)
	assert.Len(t, Gaps(typed), 1)
	assert.Empty(t, Gaps([]float64{5}))
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
