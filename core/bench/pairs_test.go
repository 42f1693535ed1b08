package bench

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
)

// Two of one software, one of another, one cold and one of another car: software and warmth are
// proposed, with the repeat beside it; nothing that differs in two things, nor another car.
func TestPairsThatDifferInOneThing(t *testing.T) {
	n := run.N
	base := Known{
		Car:            "Tamarack 78",
		Software:       "2.4",
		StallKW:        350,
		Preconditioned: "car",
		Profile:        "full",
		StartC:         n(26),
		WindowS:        n(1334),
	}
	with := func(id int64, change func(*Known)) Known {
		k := base
		k.ID = id
		change(&k)
		return k
	}
	list := OneApart([]Known{
		with(1, func(*Known) {}),
		with(2, func(k *Known) { k.WindowS = n(1340) }),
		with(3, func(k *Known) { k.Software, k.WindowS = "2.3", n(1484) }),
		with(4, func(k *Known) { k.Preconditioned, k.StartC, k.WindowS = "none", n(6), n(1931) }),
		with(5, func(k *Known) { k.Car = "Osier 88" }),
		with(8, func(k *Known) { k.WindowS, k.Gist.UpsetS = n(1900), n(400) }), // a neighbour took what it lost
		with(6, func(k *Known) { k.Software, k.StallKW, k.WindowS = "2.2", 150, n(1700) }),
		with(7, func(k *Known) { k.Software, k.StartC, k.WindowS = "2.3", n(12), n(1800) }),
	}, 6)
	require.Len(t, list, 2)
	assert.Equal(t, "Tamarack 78, preconditioning: car against none", list[0].What.Kept(), "the largest difference first")
	assert.Equal(t, []int64{1, 2, 4}, list[0].IDs)
	assert.Equal(t, "Tamarack 78, software: 2.4 against 2.3", list[1].What.Kept())
	assert.Equal(t, []int64{1, 2, 3}, list[1].IDs)
	at := func(id int64, windowS, startC float64, stall string) Known {
		return with(id, func(k *Known) {
			k.WindowS, k.StartC, k.Stall, k.FromPct, k.ToPct = n(windowS), n(startC), stall, 10, 80
		})
	}
	// Three at one stall are repeats; a cold one, one at another stall, one of another window and one that was replugged
	// are not.
	other, replugged := at(14, 900, 26, "Mill 3"), at(16, 2500, 26, "Mill 3")
	other.ToPct, replugged.PlugIns = 70, 2
	neighbour, hardly := at(17, 1900, 26, "Mill 3"), at(18, 1336, 26, "Mill 3")
	neighbour.Gist.UpsetS, hardly.Gist.UpsetS = n(400), n(30)
	assert.Equal(
		t,
		[][]float64{{1334, 1333, 1340, 1336}},
		RepeatsOf([]Known{at(10, 1334, 26, "Mill 3"), at(11, 1333, 25.5, "Mill 3"),
			at(12, 1931, 6, "Mill 3"), at(13, 1340, 27, "Mill 3"), other, replugged, at(15, 1600, 26, "Tannery 2"), neighbour, hardly}, 10, 80),
	)
	// Ten repeats of the one do not crowd out the other; a run of another window is nobody's other.
	var many []Known
	for id := range int64(10) {
		many = append(many, with(id+1, func(*Known) {}))
	}
	many = append(many, with(20, func(k *Known) { k.Software, k.FromPct, k.ToPct = "2.2", 20, 80 }),
		with(30, func(k *Known) { k.Software, k.WindowS = "2.3", n(1484) }))
	list = OneApart(many, 6)
	require.Len(t, list, 1)
	assert.Equal(t, []int64{1, 2, 3, 4, 5, 6, 7, 30}, list[0].IDs)
	assert.Len(
		t,
		OneApart([]Known{with(1, func(*Known) {}), with(2, func(*Known) {})}, 6),
		0,
		"repeats differ in nothing",
	)
}

// Runs can be sorted by season, chemistry and their own label, which make no comparison unfair; only by what
// every run notes.
func TestSorts(t *testing.T) {
	at := func(month time.Month, chemistry, label string) Entry {
		return Entry{Run: &run.Run{StartedAt: time.Date(2026, month, 3, 0, 0, 0, 0, time.UTC),
			Car: &run.Car{Name: "Tamarack 78", Chemistry: chemistry}, Conditions: &run.Condition{Label: label}},
			Reading: &curve.Reading{Side: "car"}}
	}
	winter, summer := at(time.January, "NMC", "tyres"), at(time.July, "NMC", "")
	assert.Equal(t, []string{"date", "season"}, Sorts([]Entry{winter, summer}))
	summer.Run.Conditions.Label = "no tyres"
	assert.Equal(t, []string{"date", "season", "label"}, Sorts([]Entry{winter, summer}))
	assert.Equal(t, []string{"date", "chemistry"}, Sorts([]Entry{winter, at(time.February, "LFP", "tyres")}))
	for _, c := range Conditions([]Entry{winter, summer}) {
		assert.NotContains(t, []string{"date", "year", "season", "own label"}, c.Name)
	}
	what := newWhatIf([]Entry{winter, summer}, []int{0, 1}, Span{}, nil)
	for _, d := range fairness([]Entry{winter, summer}, what, nil, 1000).Differs {
		assert.NotContains(t, []string{"season", "label", "chemistry"}, d.Condition)
	}
	for _, name := range []string{"season", "label", "chemistry"} {
		assert.True(t, IsCondition(name), "it can be asked for")
	}
}
