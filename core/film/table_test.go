package film

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
)

// A mistake that stays is one mistake, however many looks it stays: a 0 that is lost ten times in a row makes 340 A
// no 34 A.
func TestAMistakeThatStaysIsOne(t *testing.T) {
	var texts []string
	for range 20 {
		texts = append(texts, "339", "340")
	}
	for range 10 {
		texts = append(texts, "34")
	}
	for range 20 {
		texts = append(texts, "341", "340")
	}
	for i, v := range values(Sift([]Figure{{trace.Current}}, screen(texts...), nil), 0) {
		if i >= 40 && i < 50 {
			assert.True(t, math.IsNaN(v), "look %d: %g", i, v)
		} else {
			assert.InDelta(t, 340, v, 1.01, "look %d", i)
		}
	}
}

// A clock's colon that was not seen is put where it stands: 206 is 2:06.
func TestALostColon(t *testing.T) {
	read := Sift([]Figure{{Minutes}}, screen("2:04", "2:05", "206", "2:07", "2:08"), nil)
	assert.InDelta(t, 2.1, read[2][0].Value, 1e-9)
	assert.Equal(t, Mended, read[2][0].How)
}

// What is in doubt at looks in a row and looks the same is asked once, the longest first.
func TestQuestions(t *testing.T) {
	doubt := func(said string) Reading { return Reading{How: Doubtful, Said: said, Maybe: []float64{1}} }
	kept := Reading{How: Kept}
	read := [][]Reading{{doubt("60")}, {kept}, {doubt("80")}, {{How: Nothing}}, {doubt("80")}, {doubt("80")},
		{doubt("83")}}
	got := Questions([]Figure{{trace.SoC}}, read)
	require.Len(t, got, 3)
	assert.Equal(t, []int{2, 5}, []int{got[0].From, got[0].To})
	assert.Equal(t, "80", got[0].Said)
	assert.Equal(t, []int{0, 0, 6, 6}, []int{got[1].From, got[1].To, got[2].From, got[2].To})
}

// A screen that counts whole minutes tells how a clip runs to within a few parts of a hundred; one with seconds to
// the second. One that stands says nothing.
func TestPace(t *testing.T) {
	for _, whole := range []bool{true, false} {
		var texts []string
		var clipS []float64
		for i := range 120 {
			run := 31 + 8*float64(i)
			clipS = append(clipS, float64(i))
			text := fmt.Sprintf("%d", int(run)/60)
			if !whole {
				text = fmt.Sprintf("%d:%02d", int(run)/60, int(run)%60)
			}
			texts = append(texts, text)
		}
		figures := []Figure{{trace.SoC}, {Minutes}}
		looks := screen(texts...)
		for i := range looks {
			looks[i].Seen = [][]Sign{signs("40"), looks[i].Seen[0]}
		}
		start, speed, ok := Pace(figures, clipS, Sift(figures, looks, nil))
		require.True(t, ok)
		assert.InDelta(t, 8, speed, map[bool]float64{true: 0.25, false: 0.02}[whole])
		assert.InDelta(t, 31, start, map[bool]float64{true: 20, false: 1}[whole])
	}
	same := screen("7", "7", "7", "7", "7", "7", "7", "7", "7", "7")
	_, _, ok := Pace([]Figure{{Minutes}}, make([]float64, 10), Sift([]Figure{{Minutes}}, same, nil))
	assert.False(t, ok)
}

// A recording has a reading for each look that gave one, empty where a figure gave none; the screen's minutes are
// none of its channels.
func TestRecording(t *testing.T) {
	figures := []Figure{{trace.SoC}, {trace.Power}, {Minutes}}
	nan := Reading{Value: math.NaN(), How: LeftOut}
	rec := Recording("film", trace.CarSide, figures, []Look{{TS: 3}, {TS: 4}, {TS: 5}}, [][]Reading{
		{{Value: 12, How: Kept}, nan, {Value: 1, How: Kept}}, {nan, nan, {Value: 1, How: Kept}},
		{{Value: 13, How: Mended}, {Value: 90, How: Settled}, nan}})
	assert.Equal(t, []float64{3, 5}, rec.T)
	assert.Equal(t, []float64{12, 13}, rec.Columns[trace.SoC])
	assert.True(t, math.IsNaN(rec.Columns[trace.Power][0]))
	assert.InDelta(t, 90, rec.Columns[trace.Power][1], 1e-9)
	assert.NotContains(t, rec.Columns, Minutes)
	assert.Equal(t, trace.CarSide, rec.Side)
}

// What cannot be a figure is none: two points, a leading zero, more than a charge can be, sixty seconds.
func TestNumbers(t *testing.T) {
	for text, want := range map[string]float64{"0.3": 0.3, "12": 12, "100": 100, "93.4": 93.4} {
		v, ok := valueOf(trace.SoC, text)
		assert.True(t, ok, text)
		assert.InDelta(t, want, v, 1e-12)
	}
	for _, text := range []string{"", "012", "1.", ".5", "1.2.3", "101", "1:2"} {
		_, ok := valueOf(trace.SoC, text)
		assert.False(t, ok, text)
	}
	v, ok := valueOf(Minutes, "12:30")
	assert.True(t, ok)
	assert.InDelta(t, 12.5, v, 1e-12)
	for _, text := range []string{"12:60", "12:3", "1:2:3", "9999"} {
		_, ok := valueOf(Minutes, text)
		assert.False(t, ok, text)
	}
}
