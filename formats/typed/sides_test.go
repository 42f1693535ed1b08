package typed

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// Both sides in one line give a recording for each; a number behind a side's word alone keeps its unit.
func TestBothSidesInOneLine(t *testing.T) {
	n, err := Parse("0:00 plug-in\n1:00 10% car 119 stall 122\n3:00 14% car 118kW 350A stall 121kW\n5:00 18% 120kW\n",
		"notes", trace.StallSide)
	require.NoError(t, err)
	assert.Equal(t, 0, n.Problems())
	assert.Equal(t, []float64{60, 180, 300}, n.Recording.T)
	assert.Equal(t, []float64{122, 121, 120}, n.Recording.Columns[trace.Power])
	assert.Equal(t, []float64{10, 14, 18}, n.Recording.Columns[trace.SoC])
	require.NotNil(t, n.Other)
	assert.Equal(t, trace.CarSide, n.Other.Side)
	assert.Equal(t, []float64{119, 118}, n.Other.Columns[trace.Power])
	assert.Equal(t, 350.0, n.Other.Columns[trace.Current][1])
	assert.Equal(t, "1:00 · SoC 10 % · the car's power 119 kW · the stall's power 122 kW", n.Lines[1].Say())

	n, err = Parse("1:00 10% car 119kW\n2:00 12% car 118kW\n", "notes", trace.CarSide)
	require.NoError(t, err)
	assert.Nil(t, n.Other, "it is the recording's own side")
	assert.Equal(t, []float64{119, 118}, n.Recording.Columns[trace.Power])

	for text, note := range map[string]string{"2:00 neighbour at stall 3": "neighbour at stall 3",
		"2:00 stall 3 is dark": ""} {
		l := ParseLine(text, 1)
		assert.Empty(t, l.Beside, text)
		if note != "" {
			require.NotNil(t, l.Mark, text)
			assert.Equal(t, note, l.Mark.Note)
		}
	}
}

// The coldest and the warmest cell are said before or behind their temperature.
func TestColdestAndWarmestBehindTheirTemperature(t *testing.T) {
	for text, want := range map[string][2]float64{
		"3:00 3.5C min 4C max":         {3.5, 4},
		"3:00 min 3.5C max 4C":         {3.5, 4},
		"3:00 61F min 62F max":         {29 / 1.8, 30 / 1.8},
		"3:00 12% 4 C max, 3.5 C min":  {3.5, 4},
		"3:00 3.5C coldest 4C warmest": {3.5, 4},
	} {
		l := ParseLine(text, 1)
		require.Empty(t, l.Problem, text)
		assert.InDelta(t, want[0], l.Values[trace.BatteryTempMin], 1e-9, text)
		assert.InDelta(t, want[1], l.Values[trace.BatteryTempMax], 1e-9, text)
		assert.NotContains(t, l.Values, trace.BatteryTemp, text)
	}
	l := ParseLine("3:00 12C min", 1)
	assert.Equal(t, map[trace.Channel]float64{trace.BatteryTempMin: 12}, l.Values)
	l = ParseLine("3:00 118kW 21C max 24C", 1)
	assert.Equal(t, map[trace.Channel]float64{trace.Power: 118, trace.BatteryTemp: 21, trace.BatteryTempMax: 24}, l.Values)
}

// A list whose lines are levels that held, with the charge at which each began.
func TestAListOfLevels(t *testing.T) {
	text := "0:40-3:20 5% 130kW\n3:20-7:00 14-27% 118kW\n7:10-11:30 27% 102kW 20.5kWh\n"
	n, err := Parse(text, "notes", trace.StallSide)
	require.NoError(t, err)
	assert.Equal(t, 0, n.Problems())
	assert.Equal(t, []float64{40, 200, 200, 420, 430, 690}, n.Recording.T)
	assert.Equal(t, []float64{130, 130, 118, 118, 102, 102}, n.Recording.Columns[trace.Power])
	assert.Equal(t, "[5 NaN 14 27 27 NaN]", fmt.Sprint(n.Recording.Columns[trace.SoC]))
	assert.Equal(t, 20.5, n.Recording.Columns[trace.Energy][4])
	assert.Equal(t, "3:20–7:00 · SoC 14 to 27 % · power 118 kW", n.Lines[1].Say())
}

// One line that was typed out of order says nothing of what the times are, wherever it stands.
func TestALineOutOfOrderKeepsMinutes(t *testing.T) {
	lines := []string{"0:40 5% 130kW", "3:20 14% 118kW", "7:10 27% 102kW", "11:40 41% 84kW", "16:10 52% 66kW"}
	for at := range len(lines) + 1 {
		for _, late := range []string{"1:10-2:30 128kW", "20:05-24:00 58kW"} {
			text := append(append(append([]string{}, lines[:at]...), late), lines[at:]...)
			n, err := Parse(strings.Join(text, "\n"), "notes", trace.StallSide)
			require.NoError(t, err)
			assert.Equal(t, MinutesSeconds, n.Times, "%s in line %d", late, at+1)
			assert.False(t, n.ClockTime)
		}
	}
}

// What keeps a stall from charging is an attempt.
func TestADeadStallIsAnAttempt(t *testing.T) {
	for _, note := range []string{"stall dead, changed stall", "the charger is broken", "moved to the next stall",
		"stall out of order"} {
		l := ParseLine("2:00 "+note, 1)
		assert.Equal(t, &run.Mark{Kind: run.Attempt, Note: note}, l.Mark)
	}
}
