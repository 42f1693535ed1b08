package say_test

import (
	"bytes"
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"

	"zincroad/core/say"
	"zincroad/core/units"
)

var american = units.People{Fahrenheit: true, Miles: true}

// A figure is rounded once, in the unit that is read: 20.4 °C is 68.72 °F, which is 69, where twice rounded it
// would be 68; a difference has no offset.
func TestFiguresAreRoundedOnce(t *testing.T) {
	assert.Equal(t, "20 °C", say.Q(20.4, "°C", 0).In(units.People{}))
	assert.Equal(t, "69 °F", say.Q(20.4, "°C", 0).In(american))
	assert.Equal(t, "5 °F", say.Q(3, "K", 0).In(american))
	assert.Equal(t, "62 mi", say.Q(100, "km", 0).In(american))
	assert.Equal(t, "−4 °F", say.Q(-20, "°C", 0).In(american))
	assert.Equal(t, "150 kW", say.Q(150.2, "kW", 0).In(american))
	assert.Equal(t, "?", say.Q(math.NaN(), "kW", 0).In(american))
	assert.Equal(t, "?", say.Duration(math.Inf(1)).In(american))
}

// What somebody typed is shown as it was typed, whatever it looks like.
func TestOwnTextIsLeftAlone(t *testing.T) {
	own := "Night run at 5 °C, 300 km, {0} and {1}"
	assert.Equal(t, own, say.Own(own).In(american))
	assert.Empty(t, say.Own("").In(american))
	assert.Equal(t, "Stays at 54 %: held by "+own+".", say.T("forecast.stays-at", say.Fig(54, 0), own).In(american))
}

// Slots have a capital, a plural, a bare number and a comma where one is asked for.
func TestSlots(t *testing.T) {
	assert.Equal(t, "1 reading said twice at the same time", say.T("health.said-twice-at-the", 1).Kept())
	assert.Equal(t, "2 readings said twice at the same time", say.T("health.said-twice-at-the", 2).Kept())
	assert.Equal(t, "A cold pack held it", say.T("curve.held-it", say.T("judge.cold-pack")).Kept())
	of := say.T("judge.a-limit-of-a", say.Fig(290, 0), say.T("judge.whose-stall"), say.T("judge.whose-car"))
	assert.Equal(t, "A limit of 290 A, the stall's or the car's, held it", say.T("curve.held-it", of).Kept())
	assert.Equal(t, "43 → 86 °F", say.T("judge.from-to", say.Q(6, "°C", 0), say.Q(30, "°C", 0)).In(american))
	assert.Equal(t, "a, b and c", say.Listed(say.Own("a"), say.Own("b"), say.Own("c")).Kept())
	assert.Equal(t, "+1 min 30 s", say.T("own", say.Signed(90)).Kept())
}

// A code that a later version stored shows itself, with no panic.
func TestUnknownCodes(t *testing.T) {
	assert.Equal(t, "(later.code)", say.T("later.code", 3).Kept())
	assert.Equal(t, "1 in ?", say.T("judge.in").Kept())
}

// Whatever is said comes back from JSON as it was, and in words where JSON is to be read by others.
func TestJSONKeepsWhatIsSaid(t *testing.T) {
	codes := say.Sentences()
	var text func(depth int) *rapid.Generator[say.Text]
	text = func(depth int) *rapid.Generator[say.Text] {
		return rapid.Custom(func(t *rapid.T) say.Text {
			var out say.Text
			for range rapid.IntRange(0, 3).Draw(t, "messages") {
				args := make([]any, rapid.IntRange(0, 3).Draw(t, "args"))
				for i := range args {
					switch rapid.IntRange(0, 3).Draw(t, "kind") {
					case 0:
						args[i] = rapid.String().Draw(t, "own")
					case 1:
						args[i] = rapid.IntRange(-9, 9999).Draw(t, "count")
					case 2:
						args[i] = say.Q(rapid.Float64Range(-1e6, 1e6).Draw(t, "value"),
							rapid.SampledFrom([]string{"", "kW", "°C", "K", "km", "s", "m:s", "±s", "h"}).Draw(t, "unit"), 1)
					default:
						if args[i] = say.Own("x"); depth > 0 {
							args[i] = text(depth-1).Draw(t, "inner")
						}
					}
				}
				out = out.And(rapid.SampledFrom(codes).Draw(t, "code").Code, args...)
			}
			return out
		})
	}
	rapid.Check(t, func(t *rapid.T) {
		said := text(2).Draw(t, "said")
		data, err := json.Marshal(said)
		require.NoError(t, err)
		var back say.Text
		require.NoError(t, json.Unmarshal(data, &back))
		assert.Equal(t, said.In(american), back.In(american))

		var out bytes.Buffer
		require.NoError(t, say.WriteJSON(&out, map[string]any{"text": said, "own": said.Kept()}, units.People{}))
		var plain map[string]string
		require.NoError(t, json.Unmarshal(out.Bytes(), &plain))
		assert.Equal(t, plain["own"], plain["text"])
	})
}

// JSON of before, with a sentence in a text's place, is read as that sentence.
func TestFinishedSentencesAreRead(t *testing.T) {
	var back say.Text
	require.NoError(t, json.Unmarshal([]byte(`"Peak 97 kW."`), &back))
	assert.Equal(t, "Peak 97 kW.", back.Kept())
	for _, wrong := range []string{`[{"say":1}]`, `[{"say":"own","args":[{"q":[1]}]}]`, `7`,
		`[{"say":"own","args":[1.5]}]`} {
		assert.Error(t, json.Unmarshal([]byte(wrong), &back), wrong)
	}
}
