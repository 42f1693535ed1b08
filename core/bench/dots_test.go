package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/run"
)

// A run stands by its pack's temperature whether the order is of warm or of cold packs; one that was held by its stall, was
// replugged, charged gently, or whose temperature nobody knows does not.
func TestDots(t *testing.T) {
	known := func(id int64, startC run.Number, change func(*Known)) Known {
		k := Known{ID: id, Car: "Alder", StartC: startC, PlugIns: 1, StallKW: 150, Profile: "full", FromPct: 10, ToPct: 80,
			Gist: Gist{Windows: []GistWindow{{FromPct: 10, ToPct: 80, TS: 1800}}}}
		if change != nil {
			change(&k)
		}
		return k
	}
	runs := []Known{known(1, run.N(2), nil), known(2, run.N(30), nil), known(3, nil, nil),
		known(4, run.N(30), func(k *Known) { k.PlugIns = 2 }), known(5, run.N(30), func(k *Known) { k.Profile = "gentle" }),
		known(6, run.N(30), func(k *Known) { k.Gist.OutsideS = run.N(900); k.WindowS = run.N(1800) }),
		known(7, run.N(30), func(k *Known) { k.Gist.Windows = nil }), known(8, run.N(30), func(k *Known) { k.StallKW = 50 })}
	o := Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack, StallFromKW: 100}
	assert.Equal(t, []Dot{{1, "Alder", "", 2, 30}, {2, "Alder", "", 30, 30}}, Dots(runs, o))
	o.Held, o.StallFromKW = true, 0
	assert.Len(t, Dots(runs, o), 4)
}
