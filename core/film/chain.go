package film

import (
	"cmp"
	"math"
	"slices"
)

// chain weighs every story that the looks can tell of one figure: at each look, or row of looks that say the same,
// the screen said one of the offers, or the look was lost. The weights of all stories together are worked out
// forwards and backwards (Rabiner 1989, section III.A), with what a story leaves out between two looks that it keeps
// as one step more.
type chain struct {
	from, to []float64 // when each look began and ended, in seconds
	offers   [][]offer
	long     []float64 // how many looks in a row each is; nil: one
	goes     course
	span     float64 // over what the figure can lie: a lost look, and the first that is kept, may say anything in it
}

const (
	// lost is how often what is read off a look has nothing to do with the screen.
	lost = 0.02
	// mostLost is how many looks in a row a story leaves out and still knows where it was.
	mostLost = 30
	// anew is how likely a story begins anew behind more than that.
	anew = 1e-6
)

// shares gives of each look how much of all stories goes through each of its offers.
func (c *chain) shares() [][]float64 {
	n := len(c.offers)
	if n == 0 {
		return nil
	}
	keep := math.Log(1 - lost)
	left := c.left()
	leave := func(i, j int) float64 { return left[j] - left[i] } // looks from i up to j
	before, after := make([][]float64, n), make([][]float64, n)
	far := math.Inf(-1) // all stories that kept something more than mostLost looks ago, what they lost since with it
	for i := range n {
		before[i] = make([]float64, len(c.offers[i]))
		if i > 0 {
			far += leave(i-1, i)
		}
		if j := i - mostLost - 1; j >= 0 {
			far = sum(far, all(before[j])+leave(j+1, i))
		}
		for s, o := range c.offers[i] {
			a := sum(leave(0, i), far+math.Log(anew)) + c.anything(o)
			for j := max(0, i-mostLost); j < i; j++ {
				for r := range c.offers[j] {
					a = sum(a, before[j][r]+c.step(j, r, i, s)+leave(j+1, i))
				}
			}
			before[i][s] = a + o.log + keep
		}
	}
	far = math.Inf(-1)
	total := leave(0, n) // the story that nothing was the screen
	for i := n - 1; i >= 0; i-- {
		after[i] = make([]float64, len(c.offers[i]))
		if i+1 < n {
			far += leave(i+1, i+2)
		}
		if j := i + mostLost + 1; j < n {
			here := math.Inf(-1)
			for s, o := range c.offers[j] {
				here = sum(here, after[j][s]+o.log+keep+c.anything(o))
			}
			far = sum(far, here+leave(i+1, j))
		}
		for s := range c.offers[i] {
			b := sum(leave(i+1, n), far+math.Log(anew))
			for j := i + 1; j < n && j <= i+mostLost; j++ {
				for r, o := range c.offers[j] {
					b = sum(b, after[j][r]+o.log+keep+c.step(i, s, j, r)+leave(i+1, j))
				}
			}
			after[i][s] = b
			total = sum(total, before[i][s]+leave(i+1, n))
		}
	}
	out := make([][]float64, n)
	for i := range n {
		out[i] = make([]float64, len(c.offers[i]))
		for s := range out[i] {
			out[i][s] = math.Min(1, math.Exp(before[i][s]+after[i][s]-total))
		}
	}
	return out
}

// left is what it weighs to lose all looks before each: one that is lost says anything.
func (c *chain) left() []float64 {
	out := make([]float64, len(c.offers)+1)
	for i, o := range c.offers {
		finest := slices.MinFunc(o, func(a, b offer) int { return cmp.Compare(a.step, b.step) })
		out[i+1] = out[i] + math.Log(lost) + c.anything(finest)
		if c.long != nil { // what is wrong stays the same so much more seldom the longer it is
			out[i+1] -= math.Log(c.long[i])
		}
	}
	return out
}

// anything is how likely a value is where nothing is known.
func (c *chain) anything(o offer) float64 { return -math.Log1p(c.span / o.step) }

// step is how likely one offer follows another, as a logarithm.
func (c *chain) step(i, r, j, s int) float64 {
	return c.goes(c.offers[i][r], c.offers[j][s], c.from[j]-c.to[i])
}

// sum adds two weights that are logarithms.
func sum(a, b float64) float64 {
	if a < b {
		a, b = b, a
	}
	if b < a-40 { // less than a double shows
		return a
	}
	return a + math.Log1p(math.Exp(b-a))
}

func all(weights []float64) float64 {
	a := math.Inf(-1)
	for _, w := range weights {
		a = sum(a, w)
	}
	return a
}
