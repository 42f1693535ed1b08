package bench

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"zincroad/core/bench"
	"zincroad/core/words"
	"zincroad/web/chart"
	"zincroad/web/ui"
)

// Of the latest runs so many are held against each other, two by two, and so many are sorted.
const (
	mostPaired = 400
	mostBeside = 200 // of the cars on the bench
	mostSorted = 2000
)

// asked is what a page over many runs is asked for by its address; every choice is a link that changes one
// part of it.
type asked struct {
	path     string
	values   url.Values
	From, To float64
	Warmth   bench.Warmth
}

// askedOf reads the window and the packs that an address asks for: the reader's usual window and warm ones where it
// does not say.
func askedOf(r *http.Request) asked {
	a := asked{path: r.URL.Path, values: url.Values{}, From: 10, To: 80, Warmth: bench.WarmPack}
	q := r.URL.Query()
	if from, to, ok := bench.ParseWindow(ui.UsualWindow(r)); ok {
		a.From, a.To = from, to
	}
	if from, to, ok := bench.ParseWindow(q.Get("window")); ok {
		a.From, a.To = from, to
		a.values.Set("window", q.Get("window"))
	}
	if w := bench.Warmth(q.Get("packs")); slices.Contains(bench.Warmths, w) {
		a.Warmth = w
		a.values.Set("packs", string(w))
	}
	return a
}

// with is the address with one part changed.
func (a asked) with(key, value string) string {
	v := url.Values{}
	for k, list := range a.values {
		v[k] = list
	}
	v.Set(key, value)
	return a.path + "?" + v.Encode()
}

// packs offers how warm the packs were.
func (a asked) packs() (out []chart.Choice) {
	for _, w := range bench.Warmths {
		out = append(out, chart.A(string(w), a.with("packs", string(w)), w == a.Warmth))
	}
	return out
}

// mostWindows is how many windows are offered.
const mostWindows = 8

// windows offers those that most runs cover, in their order, and the one that is asked for.
func (a asked) windows(known []bench.Known) (out []chart.Choice) {
	type window struct{ from, to float64 }
	count := map[window]int{}
	for _, k := range known {
		for _, w := range k.Gist.Windows {
			count[window{w.FromPct, w.ToPct}]++
		}
	}
	list := make([]window, 0, len(count))
	for w := range count {
		list = append(list, w)
	}
	inOrder := func(a, b window) int {
		return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(a.to, b.to))
	}
	slices.SortFunc(list, func(a, b window) int { return cmp.Or(cmp.Compare(count[b], count[a]), inOrder(a, b)) })
	list = list[:min(len(list), mostWindows)]
	if now := (window{a.From, a.To}); !slices.Contains(list, now) {
		list = append(list, now)
	}
	slices.SortFunc(list, inOrder)
	for _, w := range list {
		key := fmt.Sprintf("%g-%g", w.from, w.to)
		out = append(out, chart.A(words.Window(w.from, w.to), a.with("window", key), w.from == a.From && w.to == a.To))
	}
	return out
}
