package judge

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"

	"zincroad/core/trace"
	"zincroad/internal/oracle"
)

// cellsFor is a grid of cells of 5 s with some power and amps, and the wobble as given.
func cellsFor(kw, amps []float64) *grid {
	g := &grid{kw: kw, amps: amps, relKW: 0.003, relAmps: 0.003, ampsRead: true}
	for i := range kw {
		at := 1000 + 5*float64(i)
		g.t, g.from, g.to = append(g.t, at+2.5), append(g.from, at), append(g.to, at+5)
	}
	return g
}

// every tries every way to cut n cells, 2 to the n less one of them.
func every(s *sums, n int) (least float64, cuts []int) {
	least = math.Inf(1)
	for mask := range 1 << (n - 1) {
		sum, from, list := -changePrice, 0, []int{}
		for j := 1; j <= n; j++ {
			if j == n || mask>>(j-1)&1 == 1 {
				sum += s.cost(from, j) + changePrice
				list = append(list, j)
				from = j
			}
		}
		if sum < least {
			least, cuts = sum, list
		}
	}
	return least, cuts
}

// The change points are those of an exhaustive search over all ways to cut, with and without noise,
// levels, slopes and leaps.
func TestSplitIsExhaustiveSearch(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for trial := range 60 {
		n := 6 + rng.IntN(8)
		kw, amps := make([]float64, n), make([]float64, n)
		level, slope := 60+80*rng.Float64(), 0.0
		for i := range n {
			switch rng.IntN(6) {
			case 0:
				level = 40 + 120*rng.Float64()
			case 1:
				slope = 6 * rng.NormFloat64()
			case 2:
				slope = 0
			}
			level = max(5, level+slope)
			kw[i] = level * (1 + 0.003*rng.NormFloat64())
			amps[i] = kw[i] * 1000 / (360 + float64(i))
		}
		s := newSums(cellsFor(kw, amps), 0, n)
		least, want := every(s, n)
		got := s.split()
		cost, from := -changePrice, 0
		for _, c := range got {
			cost += s.cost(from, c) + changePrice
			from = c
		}
		assert.InDelta(t, least, cost, 1e-6, "trial %d: %v, exhaustive %v", trial, got, want)
	}
}

// On a longer log, where not every way can be tried, the change points are those of the plain recursion
// over every last piece (Jackson and others, IEEE Signal Process. Lett. 12 (2005) 105), whose prices SciPy's
// least squares give: nothing is passed over by what the search leaves out, nor by running sums.
func TestSplitAgainstSciPy(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 9))
	for _, shape := range []string{"stairs", "taper", "amps"} {
		const n = 110
		kw, amps := make([]float64, n), make([]float64, n)
		for i := range n {
			at := float64(i)
			switch shape {
			case "stairs":
				kw[i] = []float64{146, 128, 104, 78, 22}[i/22]
			case "taper":
				kw[i] = min(150, 150-0.9*(at-30)-0.006*(at-30)*max(0, at-30))
			case "amps":
				kw[i] = min(0.35*(350+0.4*at), 130-0.5*max(0, at-70))
			}
			kw[i] *= 1 + 0.004*rng.NormFloat64()
			amps[i] = kw[i] * 1000 / (350 + 0.4*at)
		}
		g := cellsFor(kw, amps)
		s := newSums(g, 0, n)
		var want struct {
			Cost float64
			Cuts []int
		}
		oracle.SciPy(t, `
from scipy.linalg import lstsq
y, a, t = (np.array(data[k]) for k in ("kw", "amps", "t"))
sd, sda = data["wobble"] * abs(y) + 0.05, data["wobble"] * abs(a) + 0.1
n, half = len(y), np.log(len(y)) / 2
def level(v, s, i, j):
    return lstsq(1 / s[i:j, None], (v / s)[i:j])[1]
def line(i, j):
    m = np.stack([np.ones(j - i), t[i:j] - t[i]], 1) / sd[i:j, None]
    return lstsq(m, (y / sd)[i:j])[1]
def price(i, j):
    if j - i == 1:
        return half
    p = min(level(y, sd, i, j), level(a, sda, i, j)) / 2 + half
    return p if j - i < 3 else min(p, line(i, j) / 2 + 2 * half)
best, last = [-data["change"]], [0]
for j in range(1, n + 1):
    all = [best[i] + price(i, j) + data["change"] for i in range(j)]
    last.append(int(np.argmin(all)))
    best.append(float(min(all)))
cuts, j = [], n
while j > 0:
    cuts.insert(0, j)
    j = last[j]
out = {"cost": best[n], "cuts": cuts}
`, map[string]any{"kw": kw, "amps": amps, "t": g.t, "wobble": g.relKW, "change": changePrice}, &want)
		got := s.split()
		assert.Equal(t, want.Cuts, got, shape)
		assert.Greater(t, len(want.Cuts), 1, shape)
		cost, from := -changePrice, 0
		for _, c := range got {
			cost += s.cost(from, c) + changePrice
			from = c
		}
		assert.InEpsilon(t, want.Cost, cost, 1e-6, shape)
	}
}

// A level, a line and a level, each of five minutes, are three pieces that meet where they were
// made to, within a cell; noise of a third of a per cent adds none.
func TestPiecesOfALevelALineAndALevel(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	var p trace.Series
	for i := range 900 {
		at := float64(i)
		kw := 150.0
		if i >= 300 {
			kw = 150 - (at-300)*0.2
		}
		if i >= 600 {
			kw = 90
		}
		p.T, p.V = append(p.T, at), append(p.V, kw*(1+0.0033*rng.NormFloat64()))
	}
	list := Pieces(p)
	require.Len(t, list, 3)
	assert.InDelta(t, 300, list[0].ToS, 12)
	assert.InDelta(t, 600, list[1].ToS, 12)
	assert.InDelta(t, -12, list[1].SlopeKWPerMin, 0.3, "0.2 kW a second")
	assert.InDelta(t, 0, list[0].SlopeKWPerMin, 0.15)
	assert.Zero(t, list[1].Leap)
}

// Ten readings that were typed give pieces too: a level and a fall to another.
func TestPiecesOfTenReadings(t *testing.T) {
	p := trace.Series{T: []float64{0, 120, 250, 400, 520, 640, 800, 930, 1100, 1250},
		V: []float64{44, 44, 45, 44, 45, 44, 22, 22, 22, 21}}
	list := Pieces(p)
	require.Len(t, list, 2)
	assert.True(t, list[0].ToS >= 640 && list[0].ToS <= 800, "between the readings around the fall: %g", list[0].ToS)
}

// The pieces do not depend on where the clock begins, and power that is doubled is cut at the same
// places.
func TestPiecesDoNotDependOnClockOrUnit(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		rng := rand.New(rand.NewPCG(rapid.Uint64().Draw(rt, "seed"), 3))
		shift := rapid.Float64Range(-1e6, 1e6).Draw(rt, "shift")
		var a, b trace.Series
		level := 100.0
		for i := range 240 {
			if rng.IntN(60) == 0 {
				level = 30 + 150*rng.Float64()
			}
			v := level * (1 + 0.004*rng.NormFloat64())
			a.T, a.V = append(a.T, 2*float64(i)), append(a.V, v)
			b.T, b.V = append(b.T, math.Round(shift)+2*float64(i)), append(b.V, v)
		}
		one, two := Pieces(a), Pieces(b)
		if len(one) != len(two) {
			rt.Fatalf("%d and %d pieces", len(one), len(two))
		}
		for i := range one {
			if math.Abs(one[i].ToS+math.Round(shift)-two[i].ToS) > 1e-3 {
				rt.Fatalf("%v and %v", one[i], two[i])
			}
		}
	})
}

// The filter gives what adding up every way through the states gives.
func TestPosteriorIsDirectEnumeration(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for range 40 {
		n, m := 1+rng.IntN(5), 2+rng.IntN(3)
		agree, enter := table(n, m), make([][][2]float64, n)
		for i := range n {
			enter[i] = make([][2]float64, m)
			for c := range m {
				agree[i][c] = 3 * rng.NormFloat64()
				enter[i][c] = [2]float64{rng.NormFloat64(), rng.NormFloat64()}
			}
		}
		const price = -1.3
		want, total := table(n, m), 0.0
		ways := int(math.Pow(float64(m), float64(n)))
		for way := range ways {
			states := make([]int, n)
			for i, w := 0, way; i < n; i, w = i+1, w/m {
				states[i] = w % m
			}
			// At each step a state is stayed in, or entered anew from another.
			p := math.Exp(agree[0][states[0]] + enter[0][states[0]][0])
			for i := 1; i < n; i++ {
				step := math.Exp(price + enter[i][states[i]][0])
				if states[i] == states[i-1] {
					step = math.Exp(enter[i][states[i]][1])
				}
				p *= step * math.Exp(agree[i][states[i]])
			}
			total += p
			for i, c := range states {
				want[i][c] += p
			}
		}
		got, _ := posterior(agree, enter, price)
		for i := range n {
			for c := range m {
				assert.InDelta(t, want[i][c]/total, got[i][c], 1e-9)
			}
		}
	}
}

// A ramp that bends into its level is no line, and a line through it ends above the level: from there nothing falls.
func TestNoFallBehindARamp(t *testing.T) {
	s := trace.Series{
		T: []float64{26, 28, 35, 45, 50, 55, 57, 67, 72, 75, 78, 79, 84, 93, 100, 103, 107},
		V: []float64{12, 12, 11.9, 31.4, 43.4, 47.3, 47.6, 47.6, 47.3, 47.4, 47.7, 47.4, 47.8, 47.5, 47.8, 47.7, 47.8},
	}
	for i := range 100 {
		s.T, s.V = append(s.T, 112+5*float64(i)), append(s.V, 47.6+0.2*math.Sin(float64(i)*2.4))
	}
	for _, p := range Pieces(s) {
		assert.GreaterOrEqual(t, p.Leap, 0.0, "from %g s", p.FromS)
	}
}
