package film

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
)

// signs are those of a text that is read without doubt.
func signs(text string) (out []Sign) {
	for _, c := range []byte(text) {
		switch c {
		case '.', ':':
			out = append(out, Sign{Mark: c})
		default:
			out = append(out, Sign{Digit: []Digit{{int(c - '0'), 0.99}}})
		}
	}
	return out
}

// screen are looks a second apart at one figure.
func screen(texts ...string) (looks []Look) {
	for i, text := range texts {
		looks = append(looks, Look{TS: float64(i), Seen: [][]Sign{signs(text)}})
	}
	return looks
}

func values(read [][]Reading, k int) (out []float64) {
	for _, r := range read {
		if r[k].Counts() {
			out = append(out, r[k].Value)
		} else {
			out = append(out, math.NaN())
		}
	}
	return out
}

func same(t *testing.T, want, got []float64) {
	t.Helper()
	require.Len(t, got, len(want))
	for i := range want {
		if math.IsNaN(want[i]) {
			assert.True(t, math.IsNaN(got[i]), "look %d: %g", i, got[i])
		} else {
			assert.InDelta(t, want[i], got[i], 1e-9, "look %d", i)
		}
	}
}

// A charge that falls back, or that rises faster than a stall can make it, was read wrong: it is left out, and what
// stands around it stays.
func TestChargeOnlyRises(t *testing.T) {
	nan := math.NaN()
	soc := []Figure{{trace.SoC}}
	same(t, []float64{12, 12, nan, 12, 13, nan, 13, 13},
		values(Sift(soc, screen("12", "12", "18", "12", "13", "11", "13", "13"), nil), 0))
	same(t, []float64{12, 12, 12, 13, 13}, values(Sift(soc, screen("12", "12", "12", "13", "13"), nil), 0))
}

// A point that was not seen is put where it stands at the other looks, where nothing else fits: 93.4 is no 934.
func TestALostPoint(t *testing.T) {
	read := Sift([]Figure{{trace.Power}}, screen("93.4", "93.4", "93.5", "935", "93.5", "93.3"), nil)
	same(t, []float64{93.4, 93.4, 93.5, 93.5, 93.5, 93.3}, values(read, 0))
	assert.Equal(t, Mended, read[3][0].How)
	assert.Equal(t, "935", read[3][0].Said)
	assert.Equal(t, Kept, read[4][0].How)
}

// A digit that may be an 8 or a 6 is the one with which power is amps by volts; without them it is asked.
func TestPowerIsAmpsByVolts(t *testing.T) {
	either := []Sign{{Digit: []Digit{{1, 0.99}}}, {Digit: []Digit{{6, 0.55}, {8, 0.45}}}, {Digit: []Digit{{0, 0.99}}}}
	looks := screen("180", "180", "180", "180")
	looks[2].Seen[0] = either
	alone := []Look{{TS: 0, Seen: [][]Sign{either}}}
	assert.Equal(t, Doubtful, Sift([]Figure{{trace.Power}}, alone, nil)[0][0].How)
	for i := range looks {
		looks[i].Seen = append(looks[i].Seen, signs("450"), signs("400"))
	}
	three := []Figure{{trace.Power}, {trace.Current}, {trace.Voltage}}
	read := Sift(three, looks, nil)
	same(t, []float64{180, 180, 180, 180}, values(read, 0))
	assert.Equal(t, Mended, read[2][0].How)
}

// What a person answered goes before what the picture said; what they could not read either is a gap.
func TestAnswers(t *testing.T) {
	either := []Sign{{Digit: []Digit{{6, 0.5}, {8, 0.5}}}, {Digit: []Digit{{0, 0.99}}}}
	looks := []Look{{TS: 0, Seen: [][]Sign{either}}, {TS: 1, Seen: [][]Sign{either}}}
	soc := []Figure{{trace.SoC}}
	read := Sift(soc, looks, nil)
	assert.Equal(t, Doubtful, read[0][0].How)
	assert.ElementsMatch(t, []float64{60, 80}, read[0][0].Maybe)
	same(t, []float64{80, 80}, values(Sift(soc, looks, []Answer{{0, 0, 1, 80}}), 0))
	same(t, []float64{math.NaN(), math.NaN()}, values(Sift(soc, looks, []Answer{{0, 0, 1, math.NaN()}}), 0))
}

// Shares are those of all stories written out one by one: each look says one of its offers or is lost.
func TestSharesAreThoseOfAllStories(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 50 {
		n := 1 + r.IntN(5)
		c := &chain{goes: rises(0.5), span: 9}
		for i := range n {
			c.from, c.to = append(c.from, float64(2*i)), append(c.to, float64(2*i)+r.Float64())
			var o []offer
			for range 1 + r.IntN(3) {
				o = append(o, offer{float64(10 + r.IntN(4)), math.Log(0.05 + r.Float64()), 1, false})
			}
			c.offers = append(c.offers, o)
		}
		want := make([][]float64, n)
		for i := range want {
			want[i] = make([]float64, len(c.offers[i]))
		}
		total := 0.0
		story := make([]int, n)
		var write func(i int)
		write = func(i int) {
			if i < n {
				for story[i] = -1; story[i] < len(c.offers[i]); story[i]++ {
					write(i + 1)
				}
				story[i] = -1
				return
			}
			p, last := 1.0, -1
			for j, s := range story {
				if s < 0 {
					p *= lost / 10
					continue
				}
				p *= (1 - lost) * math.Exp(c.offers[j][s].log)
				if last < 0 {
					p /= 10
				} else {
					p *= math.Exp(c.goes(c.offers[last][story[last]], c.offers[j][s], c.from[j]-c.to[last]))
				}
				last = j
			}
			total += p
			for j, s := range story {
				if s >= 0 {
					want[j][s] += p
				}
			}
		}
		write(0)
		for i, shares := range c.shares() {
			for s := range shares {
				require.InDelta(t, want[i][s]/total, shares[s], 1e-9)
			}
		}
	}
}

// Screens that change as charges do, read with mistakes that nobody is told of: of what is kept, less than one in a
// thousand is wrong, and most is kept. The mistakes are those of poor pictures: digits for others that look like them,
// lost points and digits, a reflection.
func TestWhatIsKeptIsRight(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	kept, wrong, seen := 0, 0, 0
	figures := []Figure{{trace.SoC}, {trace.Power}, {trace.Energy}}
	for range 6 {
		var looks []Look
		var truth [][3]float64
		soc, kwh := 9+3*r.Float64(), 0.0
		for i := range 300 {
			kw := 150 - soc + r.NormFloat64()
			dt := 6.0
			kwh += kw * dt / 3600
			soc += kw * dt / 3600 / 60 * 100
			row := [3]float64{math.Floor(soc), math.Round(kw), math.Round(kwh*10) / 10}
			truth = append(truth, row)
			l := Look{TS: dt * float64(i)}
			for k, v := range row {
				l.Seen = append(l.Seen, blurred(r, signs(words(v, []int{0, 0, 1}[k]))))
			}
			looks = append(looks, l)
		}
		for i, row := range Sift(figures, looks, nil) {
			for k, x := range row {
				seen++
				if x.Counts() {
					kept++
					if math.Abs(x.Value-truth[i][k]) > 1e-6 {
						wrong++
					}
				}
			}
		}
	}
	assert.Less(t, float64(wrong), 0.001*float64(kept), "%d of %d", wrong, kept)
	assert.Greater(t, float64(kept), 0.85*float64(seen))
}

func words(v float64, behind int) string {
	n := int(math.Round(v * math.Pow(10, float64(behind))))
	s := ""
	for i := 0; n > 0 || i <= behind; i++ {
		if i == behind && behind > 0 {
			s = "." + s
		}
		s = string(rune('0'+n%10)) + s
		n /= 10
	}
	return s
}

// blurred makes one reading in twenty a wrong one, or one in doubt.
func blurred(r *rand.Rand, of []Sign) []Sign {
	if r.Float64() > 0.05 {
		return of
	}
	i := r.IntN(len(of))
	if of[i].Mark != 0 {
		return append(of[:i:i], of[i+1:]...)
	}
	other := r.IntN(10)
	p := 0.3 + 0.6*r.Float64()
	was := of[i].Digit[0].Digit
	out := append([]Sign{}, of...)
	out[i] = Sign{Digit: []Digit{{other, p}, {was, 1 - p}}}
	if p < 0.5 {
		out[i] = Sign{Digit: []Digit{{was, 1 - p}, {other, p}}}
	}
	return out
}
