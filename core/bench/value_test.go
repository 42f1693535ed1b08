package bench

import (
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/say"
	"zincroad/core/units"
)

// Values are equal where they are the same, a number is one to a tenth, and none is none.
func TestValues(t *testing.T) {
	assert.Equal(t, tenthsOf(ptr(150)), tenthsOf(ptr(150.04)))
	assert.NotEqual(t, tenthsOf(ptr(150)), wordsOf("150"))
	assert.Equal(t, tenthsOf(ptr(0)), tenthsOf(ptr(-0.04)), "no minus before nought")
	for _, none := range []Value{{}, wordsOf(""), tenthsOf(nil), tenthsOf(ptr(math.NaN())), tenthsOf(ptr(math.Inf(1)))} {
		assert.False(t, none.Noted())
		assert.Equal(t, "not noted", none.in("°C").Kept())
	}
	american := units.People{Fahrenheit: true}
	assert.Equal(t, "43 °F", tenthsOf(ptr(6)).in("°C").In(american), "6 °C, of which nobody knows the tenths")
	assert.Equal(t, "43.7 °F", tenthsOf(ptr(6.5)).in("°C").In(american))
	text, err := json.Marshal([]Value{tenthsOf(ptr(-1.5)), wordsOf("car"), {}})
	require.NoError(t, err)
	assert.Equal(t, `["-1.5","car",""]`, string(text))
	_, _, ok := extremes([]Value{wordsOf("a"), {}})
	assert.False(t, ok, "no number")
}

// Each condition has its words in a sentence, over a row, for what is odd about a run and for a group.
func TestConditionsHaveWords(t *testing.T) {
	have := map[string]bool{}
	for _, s := range say.Sentences() {
		have[s.Code] = true
	}
	for _, c := range conditionsOfRuns {
		for _, of := range []string{"condition.", "head.", "odd.", "group."} {
			assert.True(t, have[of+c.name], of+c.name)
		}
	}
}
