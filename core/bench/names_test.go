package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/run"
	"zincroad/core/units"
)

// A run is called by its car where cars differ, else by what tells most runs apart.
func TestNamesTellRunsApart(t *testing.T) {
	assert.Equal(t, []string{"7 · Tamarack 78", "8 · Tamarack 78", "9 · Osier 88"},
		Names(three(), []int64{7, 8, 9}, units.People{}))

	entries := []Entry{entry("Larch 52", nil), entry("Larch 52", nil), entry("Larch 52", nil)}
	for i, software := range []string{"3.0", "3.0", "3.1"} {
		entries[i].Run.Car.Software = software
		entries[i].Run.Stall = &run.Stall{Site: "A mill with a very long name", Name: string(rune('1' + i))}
	}
	names := Names(entries, []int64{1, 2, 3}, units.People{})
	assert.Equal(t, "1 · A mill with a…", names[0], "the stall tells three apart; the end of a line has no more room")
	assert.Equal(t, []string{"4"}, Names(three()[:1], []int64{4}, units.People{}), "one alone needs only its number")
}

func TestNamesInASentence(t *testing.T) {
	assert.Equal(t, "run 7 (Osier 88)", InSentence("7 · Osier 88").Kept())
	assert.Equal(t, "run 4", InSentence("4").Kept())
}
