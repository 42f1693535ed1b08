// Command fitjudge holds the judgement against runs whose causes are known, and looks for better numbers.
//
// fitjudge [--fit] [--learn] [--worst N] [--only TEXT] RUNS ANSWERS: RUNS is a folder of run folders, ANSWERS a JSON
// file that gives for each, by name, the stretches whose cause can be told:
//
//	{"runs": {"NAME": {"stretches": [{"from_s": 0, "to_s": 60, "cause": "cold", "also": ["hot"]}]}}}
//
// Seconds are right where the cause said, or the one it is paired with, is the true one or one as right.
//
// --learn judges each run by what the others of its car taught, too: cars are one by their names.
//
// --fit goes through the numbers of core/judge one after the other, keeps what gives the truth a higher chance on every
// other run, and prints what the runs between say to it: stop where those no longer gain.
package main

import (
	"cmp"
	"encoding/json"
	"flag"
	"fmt"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"zincroad/core/curve"
	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/say"
	"zincroad/formats/intake"
)

// stretch is a part of a run with its true cause, and others that are as right.
type stretch struct {
	FromS float64       `json:"from_s"`
	ToS   float64       `json:"to_s"`
	Cause limit.Cause   `json:"cause"`
	Also  []limit.Cause `json:"also"`
}

// right tells whether a cause is the true one, or as right.
func (s *stretch) right(c limit.Cause) bool { return c == s.Cause || slices.Contains(s.Also, c) }

// ofSite is a truth that says no more than that it was the stall's side.
const ofSite limit.Cause = "site"

// whose is whose the truth is.
func (s *stretch) whose() limit.Whose {
	if s.Cause == ofSite {
		return limit.OfStall
	}
	return s.Cause.Sign().Whose
}

// labelled is a run with its truth.
type labelled struct {
	name      string
	log       *judge.Log
	taught    curve.Taught
	Stretches []stretch `json:"stretches"`
}

func main() {
	fit := flag.Bool("fit", false, "look for better numbers on every other run")
	learn := flag.Bool("learn", false, "judge each run by what the others of its car taught")
	only := flag.String("only", "", "read only runs whose name holds this")
	worst := flag.Int("worst", 15, "how many of the worst runs to list")
	flag.Parse()
	if flag.NArg() != 2 {
		flag.Usage()
		os.Exit(2)
	}
	runs, err := read(flag.Arg(0), flag.Arg(1), *only)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	if *learn {
		teach(runs)
	}
	if *fit {
		search(runs)
		return
	}
	score(runs, *worst)
}

// read reads the labelled runs of a folder whose names hold a text, by name.
func read(folder, answers, only string) ([]*labelled, error) {
	text, err := os.ReadFile(answers)
	if err != nil {
		return nil, fmt.Errorf("answers: %w", err)
	}
	var all struct {
		Runs map[string]*labelled `json:"runs"`
	}
	if err := json.Unmarshal(text, &all); err != nil {
		return nil, fmt.Errorf("answers: %w", err)
	}
	var out []*labelled
	for _, name := range slices.Sorted(maps.Keys(all.Runs)) {
		if !strings.Contains(name, only) {
			continue
		}
		b, err := intake.Path(filepath.Join(folder, name), intake.Choices{})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		r := all.Runs[name]
		r.name = name
		w := curve.Of(b.Run)
		if r.log = w.Judged(); r.log != nil {
			r.taught = w.Taught()
			out = append(out, r)
		}
	}
	return out, nil
}

// teach gives each run what the others of its car taught.
func teach(runs []*labelled) {
	car := func(r *labelled) string {
		if r.log.OfCar == nil {
			return ""
		}
		return r.log.OfCar.Name
	}
	for _, r := range runs {
		if car(r) == "" {
			continue
		}
		var others []curve.Taught
		for _, o := range runs {
			if o != r && car(o) == car(r) {
				others = append(others, o.taught)
			}
		}
		profile := ""
		if r.log.Conditions != nil {
			profile = r.log.Conditions.Profile
		}
		r.log.Elsewhere = curve.Learn(r.log.OfCar, profile, others, nil)
	}
}

// beside does something with each run, some at a time, and gives what came of them in order.
func beside[T any](runs []*labelled, do func(*labelled) T) []T {
	out := make([]T, len(runs))
	gate := make(chan struct{}, 4)
	var wait sync.WaitGroup
	for i, r := range runs {
		wait.Go(func() {
			gate <- struct{}{}
			out[i] = do(r)
			<-gate
		})
	}
	wait.Wait()
	return out
}

// tally counts seconds: of a run or of all.
type tally struct {
	name              string
	all, right, party float64
	sure              map[say.Confidence][2]float64 // all and right, by confidence of the cause
	whose             map[say.Confidence][2]float64 // the same of the party; unsure: it was left open
	missed            map[string]float64            // "cold said soc-step (unsure)"
}

// count holds a judgement against the truth.
func count(r *labelled) *tally {
	t := &tally{name: r.name, sure: map[say.Confidence][2]float64{}, whose: map[say.Confidence][2]float64{},
		missed: map[string]float64{}}
	list := judge.Judge(r.log).Stretches
	add := func(to map[say.Confidence][2]float64, c say.Confidence, s float64, right bool) {
		x := to[c]
		x[0] += s
		if right {
			x[1] += s
		}
		to[c] = x
	}
	for i := range r.Stretches {
		truth := &r.Stretches[i]
		for k := range list {
			said := &list[k]
			s := min(truth.ToS, said.ToS) - max(truth.FromS, said.FromS)
			if s <= 0 {
				continue
			}
			right := truth.right(said.Cause) || said.Pair && truth.right(said.RunnerUp)
			t.all += s
			add(t.sure, said.Confidence, s, right)
			add(t.whose, said.WhoseConfidence, s, said.Whose == truth.whose() || right && said.Whose == said.Cause.Sign().Whose)
			if right || said.Cause.Sign().Whose == truth.whose() {
				t.party += s
			}
			if right {
				t.right += s
			} else {
				t.missed[fmt.Sprintf("%s said %s (%s)", truth.Cause, said.Cause, said.Confidence)] += s
			}
		}
	}
	return t
}

// score prints how often the judgement is right.
func score(runs []*labelled, worst int) {
	list := beside(runs, count)
	sum := &tally{sure: map[say.Confidence][2]float64{}, whose: map[say.Confidence][2]float64{}}
	for _, t := range list {
		sum.all, sum.right, sum.party = sum.all+t.all, sum.right+t.right, sum.party+t.party
		for _, pair := range [][2]map[say.Confidence][2]float64{{sum.sure, t.sure}, {sum.whose, t.whose}} {
			for c, x := range pair[1] {
				pair[0][c] = [2]float64{pair[0][c][0] + x[0], pair[0][c][1] + x[1]}
			}
		}
	}
	slices.SortFunc(list, func(a, b *tally) int { return cmp.Compare(b.all-b.right, a.all-a.right) })
	for _, t := range list[:min(worst, len(list))] {
		fmt.Printf("%-22s %5.1f of %5.1f min", t.name, (t.all-t.right)/60, t.all/60)
		for _, what := range slices.Sorted(maps.Keys(t.missed)) {
			if t.missed[what] > 30 {
				fmt.Printf(", %s %.0f", what, t.missed[what]/60)
			}
		}
		fmt.Println()
	}
	of := func(x [2]float64) string {
		return fmt.Sprintf("%.1f %% of %.0f %%", 100*x[1]/max(1, x[0]), 100*x[0]/max(1, sum.all))
	}
	fmt.Printf("right %.1f %%, party %.1f %% of %.0f min; strong %s, likely %s, unsure %s\n", 100*sum.right/sum.all,
		100*sum.party/sum.all, sum.all/60, of(sum.sure[say.Strong]), of(sum.sure[say.Likely]), of(sum.sure[say.Unsure]))
	fmt.Printf("whose: strong %s, likely %s, open %.0f %%\n", of(sum.whose[say.Strong]), of(sum.whose[say.Likely]),
		100*sum.whose[say.Unsure][0]/sum.all)
}

// leastChance bounds what a second costs of which the truth was called impossible.
const leastChance = 0.01

// chances is the mean logarithm of the chance that the judgement gave the truth. Each run counts by the root of its
// length: a long one is not as many short ones.
func chances(runs []*labelled) float64 {
	type share struct{ sum, weight float64 }
	sum, weight := 0.0, 0.0
	for _, x := range beside(runs, func(r *labelled) share {
		list := judge.Judge(r.log).Stretches
		sum, seconds := 0.0, 0.0
		for i := range r.Stretches {
			truth := &r.Stretches[i]
			for k := range list {
				s := min(truth.ToS, list[k].ToS) - max(truth.FromS, list[k].FromS)
				if s <= 0 {
					continue
				}
				p := list[k].Chance(truth.Cause)
				for _, c := range truth.Also {
					p += list[k].Chance(c)
				}
				sum, seconds = sum+s*math.Log(max(leastChance, p)), seconds+s
			}
		}
		if seconds == 0 {
			return share{}
		}
		return share{sum / seconds * math.Sqrt(seconds), math.Sqrt(seconds)}
	}) {
		sum, weight = sum+x.sum, weight+x.weight
	}
	return sum / weight
}

// The search: by how much a number moves at a time, and what is a gain.
const (
	step      = 1.3
	leastGain = 0.001
)

// search goes through the numbers, one after the other, and keeps what is better on every other run.
func search(runs []*labelled) {
	var fitted, others []*labelled
	for i, r := range runs {
		if i%2 == 0 {
			fitted = append(fitted, r)
		} else {
			others = append(others, r)
		}
	}
	best := chances(fitted)
	fmt.Printf("to begin with: fitted %.4f, others %.4f\n", best, chances(others))
	for _, name := range slices.Sorted(maps.Keys(judge.Numbers)) {
		number := judge.Numbers[name]
		was := *number
		for _, by := range []float64{step, 1 / step} {
			*number = was * by
			if was > 0.5 && was < 1 { // a share: what is left of it moves
				*number = 1 - (1-was)*by
			}
			if now := chances(fitted); now > best+leastGain {
				best, was = now, *number
				fmt.Printf("%s %.4g: fitted %.4f, others %.4f\n", name, was, best, chances(others))
				break
			}
			*number = was
		}
	}
}
