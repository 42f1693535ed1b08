package curve_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"

	"zincroad/core/ceiling"
	"zincroad/core/curve"
)

// score counts the seconds of labelled runs by what was right.
type score struct {
	all, right         float64
	by, rightBy        map[string]float64 // by confidence
	confused           map[[2]ceiling.Cause]float64
	strongWrong        map[[2]ceiling.Cause]float64
	families, familyOK map[string]float64
}

func newScore() *score {
	return &score{by: map[string]float64{}, rightBy: map[string]float64{}, confused: map[[2]ceiling.Cause]float64{},
		strongWrong: map[[2]ceiling.Cause]float64{}, families: map[string]float64{}, familyOK: map[string]float64{}}
}

// add scores one run: each second of truth against the stretch that covers it.
func (s *score) add(name string, l labelled, read []curve.Ceiling) {
	k := 0
	for _, sec := range l.truth {
		for k < len(read) && read[k].ToS <= sec.t {
			k++
		}
		cause, confidence := ceiling.Unknown, "none"
		if k < len(read) && read[k].FromS <= sec.t {
			cause, confidence = read[k].Cause, read[k].Confidence
		}
		s.all++
		s.by[confidence]++
		s.families[name]++
		s.confused[[2]ceiling.Cause{sec.causes[0], cause}]++
		if slices.Contains(sec.causes, cause) {
			s.right++
			s.rightBy[confidence]++
			s.familyOK[name]++
		} else if confidence == "strong" {
			s.strongWrong[[2]ceiling.Cause{sec.causes[0], cause}]++
		}
	}
}

func (s *score) String() string {
	share := func(a, b float64) float64 { return 100 * a / max(1, b) }
	return fmt.Sprintf("right %.1f; strong %.1f of %.1f; likely %.1f of %.1f; unsure %.1f of %.1f; none %.1f",
		share(s.right, s.all), share(s.rightBy["strong"], s.by["strong"]), share(s.by["strong"], s.all),
		share(s.rightBy["likely"], s.by["likely"]), share(s.by["likely"], s.all),
		share(s.rightBy["unsure"], s.by["unsure"]), share(s.by["unsure"], s.all), share(s.by["none"], s.all))
}

func (s *score) details() string {
	var b strings.Builder
	for _, f := range families {
		fmt.Fprintf(&b, "  %-16s %.1f\n", f.name, 100*s.familyOK[f.name]/max(1, s.families[f.name]))
	}
	type entry struct {
		pair [2]ceiling.Cause
		n    float64
	}
	var list []entry
	for p, n := range s.confused {
		if p[0] != p[1] {
			list = append(list, entry{p, n})
		}
	}
	slices.SortFunc(list, func(a, b entry) int { return int(b.n - a.n) })
	for i, e := range list {
		if i == 14 {
			break
		}
		fmt.Fprintf(&b, "  %s read as %s: %.2f %% (strong %.2f)\n", e.pair[0], e.pair[1], 100*e.n/s.all,
			100*s.strongWrong[e.pair]/s.all)
	}
	return b.String()
}

// gallery scores runs of some seeds.
func gallery(from, to uint64, rough Rough, session func(uint64, Rough) labelled) *score {
	s := newScore()
	var wait sync.WaitGroup
	var lock sync.Mutex
	for w := range uint64(4) {
		wait.Go(func() {
			for seed := from + w; seed < to; seed += 4 {
				l := session(seed, rough)
				read := curve.Read(l.run, curve.Options{Clock: curve.PlugClock}).Ceilings
				lock.Lock()
				s.add(families[seed%uint64(len(families))].name, l, read)
				lock.Unlock()
			}
		})
	}
	wait.Wait()
	return s
}

func TestGallery(t *testing.T) {
	for _, c := range []struct {
		name  string
		rough Rough
	}{
		{"clean", Rough{}},
		{"rough", Rough{wobble: true, label: true}},
		{"rough, no ratings", Rough{wobble: true, label: true, noRatings: true}},
		{"rough, no envelope", Rough{wobble: true, label: true, noEnvelope: true}},
		{"rough, no temperatures", Rough{wobble: true, label: true, noTemps: true}},
		{"rough, no amps", Rough{wobble: true, label: true, noAmps: true}},
		{"rough, car's side alone", Rough{wobble: true, label: true, carOnly: true}},
		{"rough, stall's side alone", Rough{wobble: true, label: true, stallOnly: true}},
		{"typed", Rough{wobble: true, label: true, typed: true}},
	} {
		for i, kind := range []func(uint64, Rough) labelled{session,
			func(seed uint64, r Rough) labelled { return secondSession(t, seed, r) }} {
			if only := os.Getenv("ONLY"); only != "" && only != fmt.Sprint(i) {
				continue
			}
			s := gallery(0, 96, c.rough, kind)
			fmt.Println(i, c.name, s)
			if os.Getenv("DETAILS") != "" {
				fmt.Print(s.details())
			}
		}
	}
}

// TestOneOfTheGallery shows one run of the gallery, for whoever works on the judgement.
func TestOneOfTheGallery(t *testing.T) {
	var seed uint64
	if n, _ := fmt.Sscan(os.Getenv("SEED"), &seed); n == 0 {
		t.Skip("SEED names the run to show")
	}
	var rough Rough
	if os.Getenv("ROUGH") != "" {
		rough = Rough{wobble: true, label: true, noRatings: os.Getenv("ROUGH") == "noratings",
			noEnvelope: os.Getenv("ROUGH") == "noenvelope", noTemps: os.Getenv("ROUGH") == "notemps",
			noAmps: os.Getenv("ROUGH") == "noamps", typed: os.Getenv("ROUGH") == "typed", stallOnly: os.Getenv("ROUGH") == "stallonly"}
	}
	l := session(seed, rough)
	if os.Getenv("ONLY") == "1" {
		l = secondSession(t, seed, rough)
	}
	fmt.Println(families[seed%uint64(len(families))].name)
	from := 0
	for i := range l.truth {
		if i+1 == len(l.truth) || !slices.Equal(l.truth[i+1].causes, l.truth[i].causes) {
			fmt.Printf("truth %5.0f %5.0f %v  %.1f-%.1f %%  %.1f-%.1f kW\n", l.truth[from].t, l.truth[i].t, l.truth[i].causes,
				l.truth[from].soc, l.truth[i].soc, l.truth[from].plug, l.truth[i].plug)
			from = i + 1
		}
	}
	for _, c := range curve.Read(l.run, curve.Options{Clock: curve.PlugClock}).Ceilings {
		fmt.Printf("read  %5.0f %5.0f %s %s, then %s %v\n", c.FromS, c.ToS, c.Cause, c.Confidence, c.RunnerUp, c.Evidence)
	}
}

// TestWorstOfTheGallery names the runs that are read worst, for whoever works on the judgement.
func TestWorstOfTheGallery(t *testing.T) {
	if os.Getenv("WORST") == "" {
		t.Skip("WORST asks for it")
	}
	rough := Rough{}
	if os.Getenv("ROUGH") != "" {
		rough = Rough{wobble: true, label: true}
	}
	for seed := range uint64(96) {
		l := session(seed, rough)
		if os.Getenv("ONLY") == "1" {
			l = secondSession(t, seed, rough)
		}
		s := newScore()
		s.add("", l, curve.Read(l.run, curve.Options{Clock: curve.PlugClock}).Ceilings)
		if s.right < 0.95*s.all {
			fmt.Printf("%d %s %s: %s", seed, l.run.Car.Name, families[seed%uint64(len(families))].name, s)
			best, n := [2]ceiling.Cause{}, 0.0
			for p, v := range s.confused {
				if p[0] != p[1] && v > n {
					best, n = p, v
				}
			}
			fmt.Println("  ", best[0], "as", best[1])
		}
	}
}
