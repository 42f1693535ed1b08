package judge

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/internal/oracle"
)

// somewhere is a view of so many blocks of a pack alone, with drawn readings.
func somewhere(rng *rand.Rand, n int) *view {
	v := &view{cov: make([]float64, n*n)}
	for i := range n {
		kw := 80 + 10*rng.Float64()
		v.blocks = append(v.blocks, block{index: i, minutes: 0.7 * float64(i), power: kw,
			kw: [2]float64{math.NaN(), math.Log(kw)}, spread: [2]float64{0, 0.004},
			volts: [2]float64{math.Log(380), math.Log(380)}})
		v.rows = append(v.rows, rowOf{i, atPack})
	}
	return v
}

// How likely readings are under a level that may lie in two places is what SciPy makes of the same two normal
// distributions of many variables (scipy.stats.multivariate_normal).
func TestLikelyIsAMixtureOfNormals(t *testing.T) {
	v := somewhere(rand.New(rand.NewPCG(3, 1)), 5)
	level := []part{{0.7, math.Log(85), 0.02}, {0.3, math.Log(60), 0.3}}
	got := v.likely(model{side: atPack, level: level})
	var in struct {
		Y, Mean, SD, Weight []float64
		Cov                 [][]float64
	}
	for i := range v.blocks {
		in.Y = append(in.Y, v.blocks[i].kw[atPack])
		var row []float64
		for j := range v.blocks {
			apart := math.Abs(v.blocks[i].minutes - v.blocks[j].minutes)
			c := wobbleShare * wobbleShare * math.Exp(-apart/wobbleMin)
			if i == j {
				c += 0.004*0.004 + leastSD*leastSD
			}
			row = append(row, c)
		}
		in.Cov = append(in.Cov, row)
	}
	for _, p := range level {
		in.Mean, in.SD, in.Weight = append(in.Mean, p.mean), append(in.SD, p.sd), append(in.Weight, p.weight)
	}
	var want float64
	oracle.SciPy(t, `
from scipy.stats import multivariate_normal as N
y, c = np.array(data["Y"]), np.array(data["Cov"])
out = float(np.log(sum(w * N(np.full(len(y), m), c + s * s).pdf(y)
    for w, m, s in zip(data["Weight"], data["Mean"], data["SD"]))))`, in, &want)
	assert.InDelta(t, want, got, 1e-8)
}

// A level at the plug leans in the pack by what auxiliaries draw: amps that stand still at the plug speak for a limit
// there, and not for one of the car's, though the pack's lean by a per cent only.
func TestALevelIsWeighedOnItsOwnSide(t *testing.T) {
	v := &view{cov: make([]float64, 36)}
	for i := range 6 {
		plug, aux := 100.0, 1+1.2*float64(i)
		v.blocks = append(v.blocks, block{index: i, minutes: 3 * float64(i), power: plug,
			kw:     [2]float64{math.Log(plug), math.Log(plug - aux)},
			spread: [2]float64{0.001, 0.001}, volts: [2]float64{math.Log(380), math.Log(380)}})
		v.rows = append(v.rows, rowOf{i, atPlug}, rowOf{i, atPack})
	}
	level := []part{{1, math.Log(100), 0.5}}
	assert.Greater(t, v.likely(model{side: atPlug, level: level}), v.likely(model{side: atPack, level: level})+1)
}

// Every number of the judgement is a number, has its name in the list for fitting, and none is nought.
func TestNumbersAreNumbers(t *testing.T) {
	assert.Greater(t, len(Numbers), 90)
	for name, v := range Numbers {
		assert.False(t, math.IsNaN(*v) || *v == 0, name)
	}
}

// What was read of nothing, below nothing or not at all in the last cell changes no verdict before it.
func TestOneOddCellChangesNothingElse(t *testing.T) {
	for _, odd := range []float64{0, -0.4, math.NaN()} {
		g := &grid{t: []float64{0, 5, 10}, from: []float64{0, 5, 10}, to: []float64{5, 10, 15},
			volts: []float64{400, 400, 400},
			packV: []float64{400, 400, 400}, soc: []float64{20, 20, 20}, coldest: []float64{25, 25, 25},
			warmest: []float64{27, 27, 27}, offered: []float64{math.NaN(), math.NaN(), math.NaN()}}
		for side := range 2 {
			g.raw[side] = rawSide{kw: []float64{50, 50, 50}, amps: []float64{125, 125, odd}, volts: []float64{400, 400, 400},
				white: 0.003}
		}
		v := g.viewOf(&piece{a: 0, b: 3})
		got := v.likely(model{side: atPack, amps: true, level: []part{{1, math.Log(125), 0.1}}})
		assert.False(t, math.IsNaN(got) || math.IsInf(got, 0), "%g", odd)
	}
}
