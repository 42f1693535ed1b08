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

func said(c *Comparison) string {
	var out []string
	for _, v := range c.Verdicts {
		out = append(out, v.Text.Kept())
	}
	return strings.Join(out, " ")
}

// Runs of two softwares are headed by the softwares, not by whichever two runs lie furthest apart.
func TestAHeadingAnswersWhatWasAsked(t *testing.T) {
	at := func(software string, scale float64) Subject {
		return subject(day{software: software, battery: run.N(28), scale: scale, fromPct: 10})
	}
	c := Compare([]Subject{at("2.4", 1), at("2.4", 0.8), at("2.3", 0.9), at("2.3", 0.91)}, Ask{GroupBy: "software"})
	head := c.Verdicts[0].Text
	assert.Contains(t, head.Kept(), "with software 2.3 (2 runs, on average)")
	assert.Contains(t, head.Kept(), "with software 2.4 (2 runs, on average)")
	assert.NotContains(t, head, "run 1")

	repeats := Compare([]Subject{at("2.4", 1), at("2.4", 0.99), at("2.4", 0.98)}, Ask{})
	assert.Contains(t, repeats.Verdicts[0].Text.Kept(), "in 3 runs")
}

// Several cars come in order, and it is said who differs for certain and who cannot be told apart.
func TestSeveralCarsComeInOrder(t *testing.T) {
	at := func(car string, scale float64) Subject {
		return subject(day{car: car, battery: run.N(28), scale: scale, fromPct: 10})
	}
	c := Compare([]Subject{
		at("Rowan", 0.70), at("Rowan", 0.705), at("Larch", 1), at("Larch", 1.005), at("Medlar", 0.99), at("Medlar", 1.001),
	}, Ask{})
	text := c.Verdicts[0].Text
	larch, rowan := strings.Index(text.Kept(), "Larch"), strings.Index(text.Kept(), "Rowan")
	require.True(t, larch >= 0 && rowan > larch, text)
	assert.Contains(t, said(c), "For certain: Medlar before Rowan.")
	assert.Contains(t, said(c), "Not told apart: Larch and Medlar.")
	for _, v := range c.Verdicts {
		if strings.HasPrefix(v.Text.Kept(), "Not told apart") {
			assert.Empty(t, v.Confidence, "nothing is said that could be sure")
		}
	}
}

// The window that is cut out begins where every ramp is over, one under twenty points concludes nothing, and one that
// holds the ramp of a single run says so; neither draws advice.
func TestAWindowWithARampDrawsNoAdvice(t *testing.T) {
	at := func(kw, from, to float64) Subject {
		return subject(day{stallKW: kw, battery: run.N(28), fromPct: from, toPct: to})
	}
	short := Compare([]Subject{at(150, 24, 44), at(50, 10, 40)}, Ask{FromPct: 24, ToPct: 39})
	assert.Contains(t, said(short), "too short a window to conclude anything from")
	assert.NotContains(t, said(short), "detour")
	require.NotNil(t, short.Difference)
	assert.Equal(t, Undecided, short.Difference.Real)

	late := at(150, 24.5, 60)
	require.NotNil(t, late.Reading.RampS)
	cut := Compare([]Subject{late, at(50, 10, 60)}, Ask{})
	assert.GreaterOrEqual(t, cut.Window.FromPct, 25.0, "the ramp of the run that began at 24.5 %% is over")
	assert.NotContains(t, said(cut), "holds the ramp")
}

// What differs is held against what it could do: a warmer pack makes no run slower, a few degrees outside are too
// little, and an adapter that differs, differs.
func TestWhatCouldExplainWhat(t *testing.T) {
	a := subject(day{software: "1", battery: run.N(26), ambient: run.N(10), fromPct: 10})
	b := subject(day{software: "2", battery: run.N(40), ambient: run.N(25), fromPct: 10, scale: 0.5})
	b.Run.Adapter = &run.Adapter{Name: "Mill 2"}
	c := Compare([]Subject{a, b}, Ask{})
	of := map[string]Differs{}
	for _, d := range c.Fairness.Differs {
		of[d.Condition] = d
	}
	assert.Equal(t, Maybe, of["adapter"].Matters)
	require.Contains(t, of, "battery_c")
	assert.NotEqual(t, Could, of["battery_c"].Explains, "the slower run had the warmer pack")
	for _, v := range c.Verdicts {
		if strings.Contains(v.Text.Kept(), "cannot be told") {
			assert.Empty(t, v.Confidence)
		}
		assert.NotContains(t, v.Text, "which of them did it cannot be told")
	}
}

// One run against one: a tenth is more than like runs usually lie apart, three per cent are not.
func TestOneAgainstOneIsHeldAgainstTheUsualSpread(t *testing.T) {
	at := func(software string, scale float64) Subject {
		return subject(day{software: software, battery: run.N(28), scale: scale, fromPct: 10})
	}
	far := Compare([]Subject{at("1", 1), at("2", 0.7)}, Ask{})
	assert.Contains(t, said(far), "is more than that")
	assert.Equal(t, Undecided, far.Difference.Real)
	near := Compare([]Subject{at("1", 1), at("2", 0.97)}, Ask{})
	assert.Contains(t, said(near), "may be chance")
}

// Like with like: a run that its stall held down has no place beside those that it did not, unless it is asked for.
func TestARankingComparesLikeWithLike(t *testing.T) {
	known := func(car string, id int64, tookS, outsideS float64) Known {
		return Known{ID: id, Car: car, Preconditioned: "car", WindowS: &tookS, Gist: Gist{OutsideS: &outsideS,
			Windows: []GistWindow{{FromPct: 10, ToPct: 80, TS: tookS}}}}
	}
	runs := []Known{known("Rowan", 1, 1500, 0), known("Rowan", 2, 2400, 800), known("Larch", 3, 1600, 10)}
	list, _ := Ranking(runs, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack})
	require.Len(t, list, 2)
	assert.Equal(t, []int64{1}, list[0].Runs, "the second was held by its stall; warm by what was noted")
	list, _ = Ranking(runs, Order{By: ByWindow, FromPct: 10, ToPct: 80, Warmth: WarmPack, Held: true})
	assert.Equal(t, "Larch", list[0].Car)
	assert.Contains(t, Leads(list, Order{By: ByWindow, FromPct: 10, ToPct: 80}).Kept(), "Their runs overlap")
}

// A difference that lies in the upper part of a window alone is said to.
func TestAllOfItLiesAbove(t *testing.T) {
	c := &Comparison{Window: Span{FromPct: 10, ToPct: 90}, Runs: make([]Laid, 2)}
	for from := 10.0; from < 90; from += 10 {
		d, nought := 0.0, 0.0
		if from == 80 {
			d = 600
		}
		c.Bands = append(c.Bands, Band{FromPct: from, ToPct: from + 10, TS: []*float64{&nought, &nought},
			DeltaS: []*float64{&nought, &d}, Said: []limit.Cause{"", "soc-step"}})
	}
	total := 600.0
	c.Runs[1].DeltaS = &total
	c.sayWhere(func(confidence say.Confidence, code string, args ...any) {
		c.Verdicts = append(c.Verdicts, Said{say.T(code, args...), confidence})
	}, 1)
	require.Len(t, c.Verdicts, 1)
	assert.Equal(t, "All of it lies above 80 %, nothing below: "+limit.SoCStep.Words()+".", c.Verdicts[0].Text.Kept())
}
