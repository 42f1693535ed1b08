package main

import (
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas32"
)

// net is two layers: what a figure is like, and which it is.
type net struct {
	layers []*layer
	steps  int
}

type layer struct {
	w               blas32.General // in by out
	b               []float32
	firstW, secondW []float32 // Adam's moments (Kingma and Ba 2015)
	firstB, secondB []float32
	gw              blas32.General
	gb              []float32
	in, out         blas32.General
}

const hidden = 256

func newNet(r *rand.Rand) *net {
	n := &net{}
	for _, size := range [][2]int{{wide * high, hidden}, {hidden, none + 1}} {
		l := &layer{w: general(size[0], size[1]), b: make([]float32, size[1]), gw: general(size[0], size[1]),
			gb: make([]float32, size[1]), firstW: make([]float32, size[0]*size[1]), secondW: make([]float32, size[0]*size[1]),
			firstB: make([]float32, size[1]), secondB: make([]float32, size[1])}
		for i := range l.w.Data {
			l.w.Data[i] = float32(r.NormFloat64() * math.Sqrt(2/float64(size[0])))
		}
		n.layers = append(n.layers, l)
	}
	return n
}

func general(rows, cols int) blas32.General {
	return blas32.General{Rows: rows, Cols: cols, Stride: cols, Data: make([]float32, rows*cols)}
}

// forward gives how likely each class is, a row for each figure.
func (n *net) forward(pixels []float32, count int) blas32.General {
	x := blas32.General{Rows: count, Cols: wide * high, Stride: wide * high, Data: pixels}
	for k, l := range n.layers {
		l.in, l.out = x, general(count, l.w.Cols)
		for i := range count {
			copy(l.out.Data[i*l.w.Cols:], l.b)
		}
		blas32.Gemm(blas.NoTrans, blas.NoTrans, 1, x, l.w, 1, l.out)
		if k < len(n.layers)-1 {
			for i, v := range l.out.Data {
				l.out.Data[i] = max(0, v)
			}
		}
		x = l.out
	}
	for i := range count {
		row := x.Data[i*x.Cols : (i+1)*x.Cols]
		top, sum := row[0], 0.0
		for _, v := range row {
			top = max(top, v)
		}
		for j, v := range row {
			e := math.Exp(float64(v - top))
			row[j], sum = float32(e), sum+e
		}
		for j := range row {
			row[j] /= float32(sum)
		}
	}
	return x
}

// learn goes one step by a batch, and gives how far off it was.
func (n *net) learn(b batch, rate float64) float64 {
	const smoothing = 0.01 // of labels: so that it is never surer than it has reason to
	count := len(b.labels)
	p := n.forward(b.pixels, count)
	loss := 0.0
	d := general(count, p.Cols)
	for i, label := range b.labels {
		loss -= math.Log(math.Max(1e-9, float64(p.Data[i*p.Cols+label])))
		for j := range p.Cols {
			want := float32(smoothing / float64(p.Cols))
			if j == label {
				want += 1 - smoothing
			}
			d.Data[i*p.Cols+j] = (p.Data[i*p.Cols+j] - want) / float32(count)
		}
	}
	n.steps++
	for k := len(n.layers) - 1; k >= 0; k-- {
		l := n.layers[k]
		blas32.Gemm(blas.Trans, blas.NoTrans, 1, l.in, d, 0, l.gw)
		clear(l.gb)
		for i := range count {
			for j := range l.b {
				l.gb[j] += d.Data[i*d.Cols+j]
			}
		}
		if k > 0 {
			back := general(count, l.w.Rows)
			blas32.Gemm(blas.NoTrans, blas.Trans, 1, d, l.w, 0, back)
			for i, v := range l.in.Data {
				if v <= 0 {
					back.Data[i] = 0
				}
			}
			d = back
		}
		n.step(l.w.Data, l.gw.Data, l.firstW, l.secondW, rate)
		n.step(l.b, l.gb, l.firstB, l.secondB, rate)
	}
	return loss / float64(count)
}

func (n *net) step(w, g, m, v []float32, rate float64) {
	const b1, b2 = 0.9, 0.999
	k := float32(rate * math.Sqrt(1-math.Pow(b2, float64(n.steps))) / (1 - math.Pow(b1, float64(n.steps))))
	for i, x := range g {
		m[i] = b1*m[i] + (1-b1)*x
		v[i] = b2*v[i] + (1-b2)*x*x
		w[i] -= k * m[i] / (float32(math.Sqrt(float64(v[i]))) + 1e-8)
	}
}

type score struct{ right, taken, sureWrong, sure float64 }

// test holds what it reads against what was drawn.
func (n *net) test(b batch) score {
	p := n.forward(b.pixels, len(b.labels))
	var right, known, taken, others, sure, wrong float64
	for i, label := range b.labels {
		row := p.Data[i*p.Cols : (i+1)*p.Cols]
		var of [figures + 1]float64 // whatever the style
		for j, v := range row {
			of[figureOf(j)] += float64(v)
		}
		best, is := 0, figureOf(label)
		for j := range of {
			if of[j] > of[best] {
				best = j
			}
		}
		if of[best] > 0.985 { // as sure as its labels were
			sure++
			if best != is {
				wrong++
			}
		}
		if is == figures {
			others++
			if best != figures {
				taken++
			}
			continue
		}
		known++
		if best == is {
			right++
		}
	}
	all := float64(len(b.labels))
	return score{100 * right / known, 100 * taken / others, 100 * wrong / math.Max(1, sure), 100 * sure / all}
}

// figureOf is the figure of a class, 0 to 9; 10: none.
func figureOf(class int) int {
	if class == none {
		return figures
	}
	return class % figures
}
