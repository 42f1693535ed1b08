// Command digits teaches the little network that reads figures off pictures of screens
// (web/scripts/film/network.js), from typefaces that it is given as files, and from figures of seven bars and of dots
// that it draws itself. What it makes depends on nothing but those files and its seed.
//
//	go run ./tools/digits -o web/scripts/film/weights.json $(fc-list : file | cut -d: -f1)
//
// A tenth of the typefaces is kept out, and the share of their figures that is read right is printed.
package main

import (
	"encoding/hex"
	"encoding/json"
	"flag"
	"fmt"
	"hash/fnv"
	"log"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
)

func main() {
	log.SetFlags(0)
	out := flag.String("o", "", "file to write")
	batches := flag.Int("batches", 30000, "how many batches to learn from")
	flag.Parse()
	var learnt, held []*typeface
	for _, path := range flag.Args() {
		f, err := load(path)
		if err != nil {
			continue // no typeface, or without figures
		}
		h := fnv.New32a()
		h.Write([]byte(filepath.Dir(path))) // a family's styles stay together
		if h.Sum32()%10 == 0 {
			held = append(held, f)
		} else {
			learnt = append(learnt, f)
		}
	}
	log.Printf("%d typefaces to learn from, %d kept out", len(learnt), len(held))
	n := newNet(rand.New(rand.NewPCG(1, 2)))
	feed := make(chan batch, 8)
	var drawing sync.WaitGroup
	// Two draw ahead; each has every other batch, so that what is learnt does not hang on which is faster.
	lanes := []chan batch{make(chan batch, 4), make(chan batch, 4)}
	for lane := range lanes {
		drawing.Add(1)
		go func() {
			defer drawing.Done()
			r := rand.New(rand.NewPCG(3, uint64(lane)))
			for i := lane; i < *batches; i += len(lanes) {
				lanes[lane] <- draw(r, learnt, batchSize)
			}
			close(lanes[lane])
		}()
	}
	go func() {
		for i := range *batches {
			feed <- <-lanes[i%len(lanes)]
		}
		close(feed)
	}()
	i, loss := 0, 0.0
	for b := range feed {
		loss += n.learn(b, rate(i, *batches))
		if i++; i%1000 == 0 {
			log.Printf("%6d  loss %.4f", i, loss/1000)
			loss = 0
		}
	}
	drawing.Wait()
	r := rand.New(rand.NewPCG(5, 6))
	log.Printf("typefaces kept out: %s", n.test(draw(r, held, 20000)))
	log.Printf("typefaces learnt:   %s", n.test(draw(r, learnt, 20000)))
	text, err := json.Marshal(n.kept())
	if err == nil && *out != "" {
		err = os.WriteFile(*out, append(text, '\n'), 0o644)
	}
	if err != nil {
		log.Fatal(err)
	}
}

// rate is the step of learning: it rises for a while and then falls to nothing.
func rate(i, of int) float64 {
	const most = 2e-3
	warm := float64(of) / 20
	if x := float64(i); x < warm {
		return most * x / warm
	}
	return most / 2 * (1 + math.Cos(math.Pi*(float64(i)-warm)/(float64(of)-warm)))
}

// kept is the network as a file: weights in eight bits, hexadecimal, with a scale for what each of a layer gives.
func (n *net) kept() map[string]any {
	layers := []map[string]any{}
	for _, l := range n.layers {
		scales := make([]float64, l.w.Cols)
		for i, w := range l.w.Data {
			scales[i%l.w.Cols] = math.Max(scales[i%l.w.Cols], math.Abs(float64(w))/127)
		}
		bytes := make([]byte, len(l.w.Data))
		for i, w := range l.w.Data {
			bytes[i] = byte(int8(math.Round(float64(w) / scales[i%l.w.Cols])))
		}
		layers = append(layers, map[string]any{"in": l.w.Rows, "out": l.w.Cols, "scales": rounded(scales, 1e6),
			"weights": hex.EncodeToString(bytes), "biases": rounded(l.b, 1e4)})
	}
	return map[string]any{"width": wide, "height": high, "figures": figures, "styles": shares, "layers": layers}
}

// shares are how many of the figures that it learnt were of each style.
var shares = [styles]float64{1 - barShare - dotShare, barShare, dotShare}

func rounded[T float32 | float64](list []T, to float64) (out []float64) {
	for _, v := range list {
		out = append(out, math.Round(float64(v)*to)/to)
	}
	return out
}

func (s score) String() string {
	return fmt.Sprintf("%.2f %% of figures right, %.2f %% of what is none taken for one, %.2f %% wrong where it is "+
		"sure to "+
		"99 %% (%.0f %% of all)", s.right, s.taken, s.sureWrong, s.sure)
}
