package bench

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"time"

	"zincroad/core/say"
	"zincroad/core/words"
)

// Known is what is known of a run before it is laid on the bench: enough to tell which runs differ in
// one thing alone, to rank cars and to sort runs into kinds.
type Known struct {
	ID                                            int64
	Car, Software, Stall, Preconditioned, Profile string
	Climate                                       string
	PlugIns                                       int      // that were marked; two and more: it was replugged
	StallKW                                       float64  // 0: not noted
	StartC                                        *float64 // coldest cell at plug-in
	StartPct                                      *float64
	AmbientC                                      *float64
	FromPct, ToPct                                float64  // its headline window
	WindowS                                       *float64 // that window's time

	Chemistry, Adapter, Label string
	StartedAt                 time.Time // zero: not noted
	WarmC                     *float64  // from which the car's pack is warm
	Gist                      Gist
}

// Proposal is a comparison that the logbook already holds.
type Proposal struct {
	IDs  []int64
	What say.Text  // "software: 2.4 against 2.3"
	By   string    // the condition that its runs are to be grouped by
	ByS  float64   // by how much the two lie apart, s
	Two  [2]Sample // of the first and of the second value

	FromPct, ToPct float64 // the window that both are timed in
}

// Sample is a run that stands for a value of what runs differ in.
type Sample struct {
	ID    int64
	Value say.Text
	TookS float64 // in the window of its run
}

// things are what two runs can differ in, one of which a proposal isolates.
var things = []aspect{
	worded("software", func(k *Known) string { return k.Software }),
	{name: "stall", value: (*Known).stallsKW, differ: func(a, b *Known) bool { return a.StallKW != b.StallKW }},
	worded("preconditioning", func(k *Known) string { return k.Preconditioned }),
	worded("profile", func(k *Known) string { return k.Profile }),
}

// groupedBy is the condition that runs are grouped by to see what a thing came to.
var groupedBy = map[string]string{"software": "software", "stall": "stall_kw", "preconditioning": "preconditioned",
	"profile": "profile"}

func (k *Known) stallsKW() Value {
	if k.StallKW > 0 {
		return wordsOf(words.Figure(k.StallKW, 6) + " kW")
	}
	return Value{}
}

// mostBeside is how many repeats a proposal lays beside the two runs that it is about.
const mostBeside = 6

// Packs this near in temperature at plug-in are as warm.
const asWarmC = 3.0

// OneApart lists the comparisons that differ in one thing only, the largest difference first: runs of
// one car, as warm as each other unless preconditioning is what differs, of which everything else is
// the same. Repeats of either are laid beside it.
func OneApart(runs []Known, most int) []Proposal {
	var out []Proposal
	seen := map[string]bool{}
	for i := range runs {
		for j := i + 1; j < len(runs); j++ {
			a, b := &runs[i], &runs[j]
			if a.WindowS == nil || b.WindowS == nil || !a.undisturbed() || !b.undisturbed() {
				continue
			}
			name, from, to, ok := apartIn(a, b)
			if !ok {
				continue
			}
			key := strings.Join([]string{a.Car, name, min(from.String(), to.String()), max(from.String(), to.String())}, "|")
			if seen[key] {
				continue
			}
			seen[key] = true
			p := Proposal{What: say.T("bench.against", a.Car, say.T("aspect."+name), from.in(""), to.in("")),
				By: groupedBy[name], ByS: math.Abs(*a.WindowS - *b.WindowS),
				FromPct: a.FromPct, ToPct: a.ToPct,
				Two: [2]Sample{{a.ID, from.in(""), *a.WindowS}, {b.ID, to.in(""), *b.WindowS}}}
			var beside []int64
			for n := range runs {
				x := &runs[n]
				if x.ID != a.ID && x.ID != b.ID && x.undisturbed() && (alike(a, x) || alike(b, x)) {
					beside = append(beside, x.ID)
				}
			}
			p.IDs = append([]int64{a.ID, b.ID}, beside[:min(len(beside), mostBeside)]...)
			slices.Sort(p.IDs)
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b Proposal) int { return cmp.Compare(b.ByS, a.ByS) })
	return out[:min(len(out), most)]
}

// apartIn tells in which one thing two runs of a car differ.
func apartIn(a, b *Known) (name string, from, to Value, ok bool) {
	if a.Car == "" || a.Car != b.Car || a.ID == b.ID || !oneWindow(a, b) {
		return "", Value{}, Value{}, false
	}
	differs := -1
	for i, thing := range things {
		if !thing.differ(a, b) {
			continue
		}
		if differs >= 0 {
			return "", Value{}, Value{}, false
		}
		differs = i
	}
	if differs < 0 {
		return "", Value{}, Value{}, false
	}
	name, from, to = things[differs].name, things[differs].value(a), things[differs].value(b)
	if !from.Noted() || !to.Noted() {
		return "", Value{}, Value{}, false
	}
	if name != "preconditioning" && !asWarm(a, b) {
		return "", Value{}, Value{}, false
	}
	return name, from, to, true
}

func asWarm(a, b *Known) bool { return warmAs(a.StartC, b.StartC) }

// warmAs tells whether two packs were as warm as each other at plug-in, °C; not where one was not read.
func warmAs(a, b *float64) bool { return a != nil && b != nil && math.Abs(*a-*b) <= asWarmC }

// RepeatsOf puts the times of repeats in a window together, s: of one car and software at one stall, as warm
// as each other, preconditioned alike, in one profile, none of them disturbed. A run without a repeat is in none.
func RepeatsOf(runs []Known, fromPct, toPct float64) [][]float64 {
	var kinds [][]*Known
	for i := range runs {
		r := &runs[i]
		if _, ok := r.took(fromPct, toPct); !ok || r.Car == "" || r.Stall == "" || !r.undisturbed() {
			continue
		}
		at := slices.IndexFunc(kinds, func(k []*Known) bool { return alike(k[0], r) && k[0].Stall == r.Stall })
		if at < 0 {
			kinds = append(kinds, []*Known{r})
			continue
		}
		kinds[at] = append(kinds[at], r)
	}
	var out [][]float64
	for _, k := range kinds {
		if len(k) < 2 {
			continue
		}
		times := make([]float64, len(k))
		for i, r := range k {
			times[i], _ = r.took(fromPct, toPct)
		}
		out = append(out, times)
	}
	return out
}

// took is the time of a window that was kept of a run, s; false where none was.
func (k *Known) took(fromPct, toPct float64) (float64, bool) {
	if w, ok := k.Gist.Window(fromPct, toPct); ok {
		return w.TS, true
	}
	if k.WindowS != nil && k.FromPct == fromPct && k.ToPct == toPct {
		return *k.WindowS, true
	}
	return 0, false
}

// oneWindow tells whether two runs' times are of one window: others say nothing of each other.
func oneWindow(a, b *Known) bool { return a.FromPct == b.FromPct && a.ToPct == b.ToPct }

// alike tells whether two runs are repeats of each other.
func alike(a, b *Known) bool {
	if a.Car != b.Car || !asWarm(a, b) || !oneWindow(a, b) {
		return false
	}
	for _, thing := range things {
		if thing.differ(a, b) {
			return false
		}
	}
	return true
}
