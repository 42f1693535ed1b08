package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/say"
)

func entry(car string, ambient *float64, posts ...curve.Post) Entry {
	x := &curve.Reading{Posts: posts}
	for i := 1; i < len(posts); i++ {
		x.Windows = append(x.Windows,
			curve.Window{FromPct: posts[0].SoCPct, ToPct: posts[i].SoCPct, TS: posts[i].TS - posts[0].TS})
	}
	return Entry{
		Run:     &run.Run{Car: &run.Car{Name: car}, Conditions: &run.Condition{AmbientC: ambient, Climate: "off"}},
		Reading: x,
	}
}

func three() []Entry {
	return []Entry{
		entry("Tamarack 78", run.N(4), curve.Post{SoCPct: 10, TS: 30}, curve.Post{SoCPct: 80, TS: 1830}),
		entry("Tamarack 78", run.N(4.6), curve.Post{SoCPct: 10, TS: 40}, curve.Post{SoCPct: 80, TS: 1540}),
		entry("Osier 88", nil, curve.Post{SoCPct: 10, TS: 20}),
	}
}

func TestRowsWithDifferencesToTheReference(t *testing.T) {
	rows := Windows(three(), 1)
	require.Len(t, rows, 1)
	c := rows[0].Cells
	require.NotNil(t, c[0].DeltaS)
	assert.InDelta(t, 300, *c[0].DeltaS, 1e-9)
	assert.Nil(t, c[1].DeltaS, "the reference differs from nothing")
	assert.Nil(t, c[2], "a run without the window has no cell")
	posts := Posts(three(), 2)
	require.Len(t, posts, 2)
	assert.InDelta(t, 10, *posts[0].Cells[0].DeltaS, 1e-9)
	assert.Nil(t, posts[1].Cells[0].DeltaS, "the reference has no post 80")
}

func TestConditionsThatDiffer(t *testing.T) {
	by := map[string]Condition{}
	for _, c := range Conditions(three()) {
		by[c.Name.Kept()] = c
	}
	assert.False(t, by["car"].Same)
	assert.True(t, by["climate"].Same)
	assert.False(t, by["outside"].Known, "one run does not say")
	assert.Equal(t, []string{"4 °C", "4.6 °C", "not noted"}, say.AllKept(by["outside"].Values))
	two := Conditions(three()[:2])
	for _, c := range two {
		if c.Name.Kept() == "outside" {
			assert.True(t, c.Same, "within a degree is the same")
		}
	}
	s := Differences(Conditions(three())).Kept()
	assert.Contains(t, s, "They differ in car (Tamarack 78, Osier 88).")
	assert.Contains(t, s, "Not noted for every run: ")
	assert.Contains(t, s, "outside")
}

func texts(names ...string) (out []say.Text) {
	for _, name := range names {
		out = append(out, say.Own(name))
	}
	return out
}

func TestHeadline(t *testing.T) {
	assert.Equal(t, "10–80 % in 25 min for B, 5 min more for A.", Headline(three()[:2], texts("A", "B")).Kept())
	assert.Empty(t, Headline(three(), texts("A", "B", "C")), "no window that all cover")
}
