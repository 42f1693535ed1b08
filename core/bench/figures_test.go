package bench

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
)

// numbersOf are the lines of a figure.
func numbersOf(t *testing.T, key string, x Explained) []string {
	t.Helper()
	f, ok := Figures.Find(key)
	require.True(t, ok, key)
	return say.AllKept(f.Numbers(x))
}

// A difference comes with the times that it is of, what they scatter by, its interval and what follows from it.
func TestADifferenceSaysItsNumbers(t *testing.T) {
	c := &Comparison{Window: Span{FromPct: 10, ToPct: 80}, names: texts("run 1", "run 2", "run 3", "run 4"),
		Runs: []Laid{{TS: ptr(1800)}, {TS: ptr(1920)}, {TS: ptr(1860)}, {}}, copyOf: []int{0, 1, 2, 3},
		Groups: []Group{
			{By: map[string]Value{"software": wordsOf("2.4")}, Runs: []int{0, 2}, MeanS: ptr(1830), SdS: ptr(42.4)},
			{By: map[string]Value{"software": wordsOf("2.3")}, Runs: []int{1, 3}, MeanS: ptr(1920)},
		},
		Difference: &Difference{Groups: [2]int{0, 1}, TS: 90, LowS: ptr(-30), HighS: ptr(210), By: "welch", Real: Undecided,
			SmallestS: 60}}
	assert.Equal(t, []string{
		"window 10–80 %",
		"software 2.4: run 1: 30:00; run 3: 31:00; mean 30:30, standard deviation 42 s",
		"software 2.3: run 2: 32:00; run 4 does not cover it; mean 32:00",
		"+1 min 30 s, and its interval by Welch's interval of two means",
		"the smallest difference that matters: 1 min",
		"Undecided: +1 min 30 s, in 95 of 100 between −30 s and +3 min 30 s; more repeats would tell. (unsure)",
	}, numbersOf(t, "difference", Explained{Comparison: c}))

	c.Groups, c.Difference = c.Groups[:1], nil
	assert.Equal(t, "there is no second group: nothing is taken from anything",
		numbersOf(t, "difference", Explained{Comparison: c})[2])
}

// What a comparison says is in its numbers too: the verdict, each condition that differs, bands that add up to the
// window, and who is ahead by how much.
func TestAComparisonExplainsItself(t *testing.T) {
	n := run.N
	cold := day{software: "2.4", ambient: n(5), battery: n(6), pre: "none"}
	warm := day{software: "2.4", ambient: n(5), battery: n(26), pre: "car"}
	c := compare(cold, warm)
	require.Equal(t, Clean, c.Fairness.Verdict)
	x := Explained{Comparison: c}

	fair := numbersOf(t, "fair", x)
	require.Len(t, fair, len(c.Fairness.Differs)+2)
	assert.Equal(t, []string{"the battery's temperature at plug-in: no second thing beside preconditioning",
		"Fair: only preconditioning differs. (strong)"}, fair[len(fair)-2:])
	assert.Contains(t, strings.Join(fair, "\n"), "battery at start: run 1: 6 °C; run 2: 26 °C; could come to ")

	bands := numbersOf(t, "bands", x)
	require.Len(t, bands, len(c.Bands)+1)
	assert.Equal(t, "together: "+c.timeOf(0).Kept()+"; "+c.timeOf(1).Kept(), bands[len(bands)-1])
	assert.Contains(t, bands[0], "(cold)")

	assert.Empty(t, numbersOf(t, "race", x), "nobody is raced")
	x.Raced = &Raced{Race: c.Race.With(1), Other: 1, Unit: Points}
	race := numbersOf(t, "race", x)
	assert.Regexp(t, `^widest: run 2 \d+(\.\d)? points before run 1, at \d+:\d\d$`, race[0])
	assert.Equal(t, "the lead never goes over", race[len(race)-1])

	for _, f := range Figures {
		assert.Empty(t, f.Numbers(Explained{}), f.Key)
	}
}

// A car's place comes with the times of its runs, the best first, and a cell of a matrix with how many it holds.
func TestRankingAndMatrixExplainThemselves(t *testing.T) {
	runs := []Known{ranked(1, "Larch 52", 41, 50, 26), ranked(2, "Tamarack 78", 22, 140, 26),
		ranked(3, "Tamarack 78", 24, 130, 24), ranked(5, "Alder 64", 30, 80, 5)}
	order := Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack}
	list, passed := Ranking(runs, order)
	assert.Equal(t, []string{
		"by minutes for a window, 10–80 %; packs at plug-in: warm",
		"1. Tamarack 78: run 2: 22:00, run 3: 24:00; in the middle 23:00",
		"2. Larch 52: run 1: 41:00",
		"Alder 64: no run with a warm pack",
	}, numbersOf(t, "ranking", Explained{Ranked: &Ranked{Order: order, List: list, Passed: passed}}))

	car, _ := FactorOf("car")
	stall, _ := FactorOf("stall_kw")
	m := MatrixOf(runs, car, stall, 10, 80, AnyWarmth)
	lines := numbersOf(t, "matrix", Explained{Sorted: &Sorted{Matrix: m, Row: car, Col: stall, FromPct: 10, ToPct: 80,
		Warmth: AnyWarmth}})
	assert.Equal(t, "10–80 % by car and kind of stall; packs at plug-in: any; 4 runs", lines[0])
	assert.Equal(t, "no spread: fewer than 3 runs beyond the first of each cell", lines[1])
	assert.Contains(t, lines, "Tamarack 78, 350 kW: 2 runs, in the middle 23:00, 22:00 to 24:00")
}

// What was not noted may have differed: then it is fair as far as it was noted, and no more, here as on the page. A
// cause that a run's own reading is not sure of is one perhaps.
func TestExplanationsAreNoSurerThanThePage(t *testing.T) {
	c := compare(day{software: "2.4", ambient: run.N(5), pre: "none"}, day{software: "2.4", ambient: run.N(5), pre: "car"})
	require.Contains(t, c.Fairness.NotNoted, "battery_c")
	fair := strings.Join(numbersOf(t, "fair", Explained{Comparison: c}), "\n")
	for _, said := range c.Verdicts {
		if strings.Contains(said.Text.Kept(), "as far as it was noted") || strings.Contains(said.Text.Kept(), "Not noted") {
			assert.Contains(t, fair, said.Text.Kept()+" ("+string(said.Confidence)+")")
		}
	}
	assert.Contains(t, fair, "as far as it was noted")

	b := Band{Causes: [][]limit.Cause{{limit.Cold, limit.PackTaper}, {limit.Cold}, {}},
		Said: []limit.Cause{"", limit.PackTaper, ""}}
	assert.Equal(t, "perhaps "+limit.Cold.Words(), b.Held(0).Kept())
	assert.Equal(t, limit.PackTaper.Words(), b.Held(1).Kept())
	assert.Empty(t, b.Held(2))
}

// A race by energy has leads in kWh, and no charge at which two are level.
func TestARaceIsExplainedInItsUnit(t *testing.T) {
	c := &Comparison{names: texts("run 1", "run 2", "run 3"), Runs: make([]Laid, 3)}
	x := Explained{Comparison: c, Raced: &Raced{Other: 2, Unit: "kWh",
		Race: Race{Widest: &Lead{TS: 600, Run: 1, Points: -4.26}, Meetings: []Meeting{{TS: 900.4, Run: 1}}}}}
	assert.Equal(t, []string{"widest: run 1 4.3 kWh before run 3, at 10:00", "run 3 and run 1 are level at 15:00"},
		numbersOf(t, "race", x))
}
