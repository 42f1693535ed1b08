package health_test

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/health"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// recording is 30 min at a reading a second with 1 % scatter: 10 to 70 %.
func recording(change func(i int, t, soc, kw *float64)) *trace.Recording {
	r := rand.New(rand.NewPCG(1, 2))
	rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	for i := range 1800 {
		t, soc, kw := float64(i), 10+float64(i)/30, 120*(1+0.01*r.NormFloat64())
		change(i, &t, &soc, &kw)
		if math.IsNaN(t) {
			continue
		}
		rec.T = append(rec.T, t)
		rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], soc)
		rec.Columns[trace.Power] = append(rec.Columns[trace.Power], kw)
		rec.Columns[trace.BatteryTempMin] = append(rec.Columns[trace.BatteryTempMin], 25)
	}
	return rec
}

func kinds(r health.Report) string {
	var out []string
	for _, p := range r.Proposals {
		out = append(out, string(p.Kind)+" "+string(p.Channel))
	}
	return strings.Join(out, ", ")
}

func TestEachFaultIsFoundAndNothingElse(t *testing.T) {
	whole := trace.Span{From: 0, To: 1800}
	for _, tt := range []struct {
		name, want, grade string
		change            func(i int, t, soc, kw *float64)
	}{
		{"nothing wrong", "", "A", func(int, *float64, *float64, *float64) {}},
		{"a spike of power", "spike power_kw", "A", func(i int, _, _, kw *float64) {
			if i == 600 {
				*kw = 400
			}
		}},
		{"a drop of the state of charge", "spike soc_pct", "A", func(i int, _, soc, _ *float64) {
			if i == 600 {
				*soc = 0
			}
		}},
		{"a leap of the state of charge", "spike soc_pct", "A", func(i int, _, soc, _ *float64) {
			if i == 600 {
				*soc = 45
			}
		}},
		{"a state of charge that is set right for good", "", "A", func(i int, _, soc, _ *float64) {
			if i >= 600 {
				*soc += 3
			}
		}},
		{"a frozen power", "frozen power_kw", "C", func(i int, _, _, kw *float64) {
			if i >= 600 && i < 700 {
				*kw = 118.25
			}
		}},
		{"a reading said twice", "duplicate ", "A", func(i int, t, soc, kw *float64) {
			if i == 600 {
				*t, *soc, *kw = 599, 10+599.0/30, math.NaN()
			}
			if i == 599 {
				*kw = math.NaN()
			}
		}},
		{"readings in disorder", "disorder ", "A", func(i int, t, _, _ *float64) {
			if i == 600 {
				*t = 500.5
			}
		}},
		{"a bunch that came late", "late ", "B", func(i int, t, _, _ *float64) {
			if i >= 600 && i < 610 {
				*t = 609.5 + float64(i-600)/100
			}
		}},
		{"a quarter is missing", "", "D", func(i int, t, _, _ *float64) {
			if i >= 600 && i < 1100 {
				*t = math.NaN()
			}
		}},
		{"a reading every five seconds", "", "B", func(i int, t, _, _ *float64) {
			if i%5 > 0 {
				*t = math.NaN()
			}
		}},
		{"a reading a minute", "", "C", func(i int, t, _, _ *float64) {
			if i%60 > 0 {
				*t = math.NaN()
			}
		}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := health.Check(recording(tt.change), whole)
			assert.Equal(t, tt.want, kinds(r))
			assert.Equal(t, tt.grade, r.Grade)
			for _, p := range r.Proposals {
				assert.NotEmpty(t, p.Reason)
				assert.LessOrEqual(t, p.FromS, p.ToS)
			}
		})
	}
}

func TestWhatTheGradeMeans(t *testing.T) {
	r := health.Check(recording(func(int, *float64, *float64, *float64) {}), trace.Span{From: 0, To: 1800})
	assert.Equal(t, []string{"posts exact to 1 s", "energy within 0.3 % of what its meter says"}, say.AllKept(r.Means))
	rec := recording(func(_ int, _, soc, _ *float64) { *soc = math.Floor(*soc) })
	delete(rec.Columns, trace.BatteryTempMin)
	delete(rec.Columns, trace.Power)
	r = health.Check(rec, trace.Span{From: 0, To: 1800})
	assert.Equal(t, []string{"posts exact to 1 s at each flip of its whole per cents", "energy and peak: no power",
		"what held it: no battery temperature"}, say.AllKept(r.Means))
	assert.Equal(t, "D", health.Check(&trace.Recording{}, trace.Span{}).Grade, "nothing is no good")
}

// A power that is not volts times amps was taken for something that it is not.
func TestPowerAgainstVoltsAndAmps(t *testing.T) {
	rec := recording(func(int, *float64, *float64, *float64) {})
	for _, kw := range rec.Columns[trace.Power] {
		rec.Columns[trace.Voltage] = append(rec.Columns[trace.Voltage], 400)
		rec.Columns[trace.Current] = append(rec.Columns[trace.Current], kw/0.4*2)
	}
	r := health.Check(rec, trace.Span{From: 0, To: 1800})
	require.Len(t, r.Proposals, 1)
	assert.Contains(t, r.Proposals[0].Reason.Kept(), "the power is 0.5 times volts x amps")
}

// The median of a window by SciPy's medfilt, and the deviation from it by NumPy: the same
// outliers. Near the ends medfilt pads with zeros, so they are left out here.
func TestHampelAgainstSciPy(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	v := make([]float64, 400)
	for i := range v {
		v[i] = 50 + 10*math.Sin(float64(i)/40) + r.NormFloat64()
		if r.IntN(25) == 0 {
			v[i] += 12 * r.NormFloat64()
		}
	}
	in, err := json.Marshal(v)
	require.NoError(t, err)
	script := `
import json, sys
import numpy as np
from scipy.signal import medfilt
v = np.array(json.load(sys.stdin)); k = 3
m = medfilt(v, 2*k+1)
mad = np.array([np.median(np.abs(v[i-k:i+k+1] - m[i])) if k <= i < len(v)-k else np.inf for i in range(len(v))])
away = (np.abs(v - m) > 3 * 1.482602218505602 * mad) & (np.abs(v - m) > 0.5)
json.dump([int(i) for i in np.flatnonzero(away)], sys.stdout)`
	c := exec.Command("/usr/bin/python3", "-I", "-c", script)
	c.Stdin = strings.NewReader(string(in))
	text, err := c.Output()
	if err != nil {
		t.Skip("SciPy is not here: ", err)
	}
	var want []int
	require.NoError(t, json.Unmarshal(text, &want))
	var got []int
	for _, i := range health.Hampel(v, 3, 3, 0.5) {
		if i >= 3 && i < len(v)-3 {
			got = append(got, i)
		}
	}
	require.NotEmpty(t, want)
	assert.Equal(t, want, got)
}

// Any one reading of a state of charge that leaps away is found wherever it stands, whole
// per cents or not, and a run without one has none.
func TestOneSpikeOfStateOfCharge(t *testing.T) {
	for _, resolution := range []float64{0.01, 0.5, 1} {
		clean := trace.Series{}
		for i := range 600 {
			clean.T = append(clean.T, float64(i))
			clean.V = append(clean.V, math.Floor((10+float64(i)/20)/resolution)*resolution)
		}
		require.Empty(t, health.SoCSpikes(clean, resolution), "%g", resolution)
		for _, at := range []int{0, 1, 2, 77, 300, 597, 598, 599} {
			for _, by := range []float64{-8, 5, 60} {
				s := trace.Series{T: clean.T, V: append([]float64(nil), clean.V...)}
				s.V[at] += by
				assert.Equal(t, []int{at}, health.SoCSpikes(s, resolution), "%g: %g at %d", resolution, by, at)
				if at+1 < len(s.V) && at > 1 && at < 590 {
					s.V[at+1] += by
					assert.Equal(t, []int{at, at + 1}, health.SoCSpikes(s, resolution), "two: %g at %d", by, at)
				}
			}
		}
	}
}

// Every stretch of 12 readings and 45 s or more at one figure is found, wherever it begins and ends, and no
// shorter one.
func TestFrozenStretchesAreFoundWhereTheyAre(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	found := 0
	for range 200 {
		rec := &trace.Recording{Columns: map[trace.Channel][]float64{}}
		var want [][2]float64
		at := 0.0
		for range 200 {
			from := at
			n, every, kw := 1+r.IntN(5)/4, 4.0, 100+50*r.Float64()
			if r.IntN(30) == 0 {
				n, every = 8+r.IntN(12), 3.5+r.Float64()
			}
			for k := range n {
				if k > 0 {
					at += every
				}
				rec.T = append(rec.T, at)
				rec.Columns[trace.Power] = append(rec.Columns[trace.Power], kw)
			}
			if n >= 12 && at-from >= 45 {
				want = append(want, [2]float64{from, at})
			}
			at += every
		}
		changed := 0
		for i, kw := range rec.Columns[trace.Power][1:] {
			if kw != rec.Columns[trace.Power][i] {
				changed++
			}
		}
		if changed*10 < (rec.Len()-1)*6 {
			continue // not a power that scatters
		}
		var got [][2]float64
		for _, p := range health.Check(rec, trace.Span{From: 0, To: at}).Proposals {
			if p.Kind == health.Frozen {
				got = append(got, [2]float64{p.FromS, p.ToS})
			}
		}
		assert.Equal(t, want, got)
		found += len(want)
	}
	assert.Greater(t, found, 50)
}
