package typed

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

func TestLines(t *testing.T) {
	for _, c := range []struct {
		text   string
		ts     float64
		values map[trace.Channel]float64
		mark   *run.Mark
	}{
		{"3:10 12% 118kW 21C", 190, map[trace.Channel]float64{trace.SoC: 12, trace.Power: 118, trace.BatteryTemp: 21}, nil},
		{"118 kW 21 °C 12 % 3:10", 190, map[trace.Channel]float64{trace.SoC: 12, trace.Power: 118, trace.BatteryTemp: 21}, nil},
		{"1:02:03 399V 250A", 3723, map[trace.Channel]float64{trace.Voltage: 399, trace.Current: 250}, nil},
		{"0:40 70F, 12,5%", 40, map[trace.Channel]float64{trace.BatteryTemp: 38 / 1.8, trace.SoC: 12.5}, nil},
		{"5:00 min 19C max 24C out 4C", 300, map[trace.Channel]float64{trace.BatteryTempMin: 19, trace.BatteryTempMax: 24, trace.AmbientTemp: 4}, nil},
		{"12:00 45% 20.5kWh fans loud", 720, map[trace.Channel]float64{trace.SoC: 45, trace.Energy: 20.5}, &run.Mark{Kind: run.Fan, Note: "fans loud"}},
		{"0:00 plug-in", 0, nil, &run.Mark{Kind: run.PlugIn}},
		{"0:00 plugged in", 0, nil, &run.Mark{Kind: run.PlugIn}},
		{"22:00 unplug", 1320, nil, &run.Mark{Kind: run.Unplug}},
		{"22:00 stopped", 1320, nil, &run.Mark{Kind: run.Stop}},
		{"2:00 payment refused twice", 120, nil, &run.Mark{Kind: run.Note, Note: "payment refused twice"}},
	} {
		l := ParseLine(c.text, 1)
		require.Empty(t, l.Problem, c.text)
		assert.InDelta(t, c.ts, l.TS, 1e-9, c.text)
		assert.Len(t, l.Values, len(c.values), c.text)
		for ch, v := range c.values {
			assert.InDelta(t, v, l.Values[ch], 1e-9, c.text)
		}
		assert.Equal(t, c.mark, l.Mark, c.text)
	}
}

func TestWhatIsNotUnderstoodSaysWhy(t *testing.T) {
	for text, why := range map[string]string{
		"12% 118kW":        "no time",
		"3:10":             "a time without a reading",
		"3:10 118":         "118 has no unit",
		"3:10 118 furlong": "118 has no unit",
		"3:10 5lb":         "lb is no unit known here",
		"3:10 140%":        "expected 0 to 100",
		"3:75 12%":         "is no time",
		"3:10 12% 13%":     "stands there twice",
	} {
		l := ParseLine(text, 1)
		assert.Contains(t, l.Problem, why, text)
		assert.Equal(t, l.Problem, l.Say())
	}
}

func TestNotes(t *testing.T) {
	n, err := Parse("# comment\n0:00 plug-in\n3:10 12% 118kW\n\nnonsense\n5:00 15% 21C\n", "notes", trace.StallSide)
	require.NoError(t, err)
	assert.Equal(t, []float64{190, 300}, n.Recording.T)
	assert.Equal(t, []float64{12, 15}, n.Recording.Columns[trace.SoC])
	assert.True(t, math.IsNaN(n.Recording.Columns[trace.Power][1]))
	assert.True(t, math.IsNaN(n.Recording.Columns[trace.BatteryTemp][0]))
	assert.Equal(t, []run.Mark{{TS: 0, Kind: run.PlugIn}}, n.Marks)
	assert.Equal(t, 1, n.Problems())
	assert.Equal(t, "3:10 · SoC 12 % · power 118 kW", n.Lines[2].Say())
}

func TestTimesOfDayPassMidnight(t *testing.T) {
	n, err := Parse("23:58:00 plug-in\n23:59:30 10% 50kW\n00:01:00 12% 80kW\n", "notes", trace.StallSide)
	require.NoError(t, err)
	assert.True(t, n.ClockTime)
	assert.Equal(t, []float64{90, 180}, n.Recording.T)
	assert.Equal(t, 23*3600+58*60.0, n.FirstS)
}

func TestNothingToRead(t *testing.T) {
	_, err := Parse("hello\n", "notes", trace.CarSide)
	require.ErrorIs(t, err, ErrNoReadings)
}

func FuzzParse(f *testing.F) {
	f.Add("3:10 12% 118kW 21C\n0:00 plug-in\n")
	f.Add("−1:00 ; ,,, 5%\x00")
	f.Fuzz(func(t *testing.T, text string) {
		n, _ := Parse(text, "n", trace.CarSide)
		if len(n.Lines) != strings.Count(strings.TrimPrefix(strings.ReplaceAll(text, "\r\n", "\n"), "\ufeff"), "\n")+1 {
			t.Fatal("a line was lost")
		}
		for c, col := range n.Recording.Columns {
			if len(col) != n.Recording.Len() {
				t.Fatalf("%s: %d of %d", c, len(col), n.Recording.Len())
			}
		}
	})
}
