package typed

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/internal/fuzzed"
)

func TestLines(t *testing.T) {
	for _, c := range []struct {
		text   string
		ts     float64
		values map[trace.Channel]float64
		mark   *run.Mark
	}{
		{"3:10 12% 118kW 21C", 190, map[trace.Channel]float64{trace.SoC: 12, trace.Power: 118, trace.BatteryTemp: 21}, nil},
		{"118 kW 21 °C 12 % 3:10", 190, map[trace.Channel]float64{trace.SoC: 12, trace.Power: 118,
			trace.BatteryTemp: 21}, nil},
		{"1:02:03 399V 250A", 3723, map[trace.Channel]float64{trace.Voltage: 399, trace.Current: 250}, nil},
		{"0:40 70F, 12,5%", 40, map[trace.Channel]float64{trace.BatteryTemp: 38 / 1.8, trace.SoC: 12.5}, nil},
		{"5:00 min 19C max 24C out 4C", 300, map[trace.Channel]float64{trace.BatteryTempMin: 19,
			trace.BatteryTempMax: 24, trace.AmbientTemp: 4}, nil},
		{"12:00 45% 20.5kWh fans loud", 720, map[trace.Channel]float64{trace.SoC: 45, trace.Energy: 20.5},
			&run.Mark{Kind: run.Fan, Note: "fans loud"}},
		{"0:00 plug-in", 0, nil, &run.Mark{Kind: run.PlugIn}},
		{"0:00 plugged in", 0, nil, &run.Mark{Kind: run.PlugIn}},
		{"22:00 unplug", 1320, nil, &run.Mark{Kind: run.Unplug}},
		{"22:00 stopped", 1320, nil, &run.Mark{Kind: run.Stop}},
		{"2:00 payment refused twice", 120, nil, &run.Mark{Kind: run.Attempt, Note: "payment refused twice"}},
		{"2:00 refused", 120, nil, &run.Mark{Kind: run.Attempt, Note: "refused"}},
		{"21:50 neighbour at stall 3", 1310, nil, &run.Mark{Kind: run.Neighbour, Note: "neighbour at stall 3"}},

		{"4:00 heater on 4.4 kW", 240, map[trace.Channel]float64{trace.HeaterPower: 4.4},
			&run.Mark{Kind: run.Heater, Note: "heater on"}},
		{"4:00 heater 2kW", 240, map[trace.Channel]float64{trace.HeaterPower: 2}, &run.Mark{Kind: run.Heater}},
		{"4:00 2kW heater", 240, map[trace.Channel]float64{trace.HeaterPower: 2}, &run.Mark{Kind: run.Heater}},
		{"4:00 9kW heater on", 240, map[trace.Channel]float64{trace.Power: 9},
			&run.Mark{Kind: run.Heater, Note: "heater on"}},
		{"4:00 81 kW heater 2 kW 20%", 240, map[trace.Channel]float64{trace.Power: 81, trace.HeaterPower: 2, trace.SoC: 20},
			&run.Mark{Kind: run.Heater}},
		{"4:00 9kW fans", 240, map[trace.Channel]float64{trace.Power: 9}, &run.Mark{Kind: run.Fan}},
		{"4:00 fans 0,4kW", 240, map[trace.Channel]float64{trace.AuxPower: 0.4}, &run.Mark{Kind: run.Fan}},
		{"4:00 climate 3kW 92kW", 240, map[trace.Channel]float64{trace.AuxPower: 3, trace.Power: 92},
			&run.Mark{Kind: run.Note, Note: "climate"}},
		{"4:00 requested 206kW", 240, map[trace.Channel]float64{trace.RequestedPower: 206}, nil},
		{"4:00 201kW req 206kW", 240, map[trace.Channel]float64{trace.RequestedPower: 206, trace.Power: 201}, nil},
		{"4:00 asks 206kW 500A delivered 201 kW 480 A", 240, map[trace.Channel]float64{trace.RequestedPower: 206,
			trace.RequestedAmps: 500, trace.Power: 201, trace.Current: 480}, nil},
		{"30:00 86.7kWh", 1800, map[trace.Channel]float64{trace.Energy: 86.7}, nil},
		{"30:00 price 5.05", 1800, map[trace.Channel]float64{trace.Cost: 5.05}, nil},
		{"30:00 $3.20", 1800, map[trace.Channel]float64{trace.Cost: 3.2}, nil},
		{"30:00 3,20€ 80%", 1800, map[trace.Channel]float64{trace.Cost: 3.2, trace.SoC: 80}, nil},
		{"30:00 EUR 3.20", 1800, map[trace.Channel]float64{trace.Cost: 3.2}, nil},
		{"30:00 cost 3.20 EUR", 1800, map[trace.Channel]float64{trace.Cost: 3.2}, nil},
		{"30:00 3.20 EUR", 1800, map[trace.Channel]float64{trace.Cost: 3.2}, nil},
		{"5:00 118kW 420 mph", 300, map[trace.Channel]float64{trace.Power: 118}, &run.Mark{Kind: run.Note, Note: "420mph"}},
		{"5:00 700 km/h", 300, nil, &run.Mark{Kind: run.Note, Note: "700km/h"}},
		{"5:00 −4kW", 300, map[trace.Channel]float64{trace.Power: -4}, nil},
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
		"0:40-3:17 18-5%":  "a charge that rises",
		"0:40 5-18%":       "no unit known here",
		"13:10pm 12%":      "is no time",
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

// Two times are a level held between them.
func TestALevelBetweenTwoTimes(t *testing.T) {
	for _, text := range []string{"0:40-3:17 132kW", "0:40 – 3:17 132 kW", "0:40 to 3:17 132kW"} {
		n, err := Parse(text+"\n4:00 10%\n", "notes", trace.StallSide)
		require.NoError(t, err, text)
		assert.Equal(t, []float64{40, 197, 240}, n.Recording.T, text)
		assert.Equal(t, []float64{132, 132}, n.Recording.Columns[trace.Power][:2], text)
		assert.Equal(t, "0:40–3:17 · power 132 kW", n.Lines[0].Say(), text)
	}
}

// What 18:31 means is settled for the whole text by what charging can be.
func TestTimesOfDayOrMinutes(t *testing.T) {
	for _, c := range []struct {
		name, text string
		want       Times
		ofDay      bool
		at         []float64 // of readings
		ambiguous  bool
	}{
		{"hours and minutes", "18:00 plug-in\n18:01 10% 120kW\n18:15 48% 100kW\n18:31 80% 60kW\n", HoursMinutes, true,
			[]float64{60, 900, 1860}, false},
		{"the same from first light", "0:00 plug-in\n0:01 10% 120kW\n0:15 48% 100kW\n0:31 80% 60kW\n", HoursMinutes, false,
			[]float64{60, 900, 1860}, false},
		{"minutes", "0:40 10% 145kW\n6:00 26% 152kW\n20:00 51% 125kW\n24:08 62% 112kW\n", MinutesSeconds, false,
			[]float64{40, 360, 1200, 1448}, false},
		{"minutes that begin late", "17:12 52% 98kW\n19:40 57% 90kW\n22:05 62% 84kW\n", MinutesSeconds, false,
			[]float64{1032, 1180, 1325}, false},
		{"seconds beside minutes of the day", "17:12 10%\n17:12:30 11% 100kW\n17:30 40% 90kW\n", HoursMinutes, true,
			[]float64{0, 30, 1080}, false},
		{"afternoon", "5:12 PM plug-in\n5:13pm 10% 80kW\n5:43 p.m. 70% 60kW\n", HoursMinutes, true,
			[]float64{60, 1860}, false},
		{"past midnight", "11:50pm 10% 50kW\n12:20am 30% 50kW\n", HoursMinutes, true, []float64{0, 1800}, false},
		{"past midnight of 24 hours", "23:50 10% 50kW\n0:20 30% 50kW\n", HoursMinutes, true, []float64{0, 1800}, false},
		{"past noon on twelve hours", "12:45 10% 50kW\n1:15 30% 50kW\n", HoursMinutes, true, []float64{0, 1800}, false},
		{"more minutes than hours", "1:30 10%\n31:00 80%\n", MinutesSeconds, false, []float64{90, 1860}, false},
		{"an hour and more", "58:30 70% 50kW\n1:02:03 72% 50kW\n", MinutesSeconds, false, []float64{3510, 3723}, false},
		{"either", "14:00 plug-in\n14:10 50kW\n15:00 45kW\n", HoursMinutes, true, []float64{600, 3600}, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			n, err := Parse(c.text, "notes", trace.StallSide)
			require.NoError(t, err)
			assert.Equal(t, c.want, n.Times)
			assert.Equal(t, c.ofDay, n.ClockTime)
			assert.Equal(t, c.at, n.Recording.T)
			assert.Equal(t, c.ambiguous, n.Ambiguous)
			assert.Zero(t, n.Problems())
		})
	}
	n, err := ParseAs(HoursMinutes, "14:00 plug-in\n14:10 20%\n20:00 45%\n", "notes", trace.StallSide)
	require.NoError(t, err)
	assert.Equal(t, []float64{600, 21600}, n.Recording.T, "as told")
	n, _ = ParseAs(HoursMinutes, "14:10 20%\n31:00 45%\n", "notes", trace.StallSide)
	assert.Contains(t, n.Lines[1].Problem, "is no time in hours and minutes")
}

func TestNothingToRead(t *testing.T) {
	_, err := Parse("hello\n", "notes", trace.CarSide)
	require.ErrorIs(t, err, ErrNoReadings)
}

func FuzzParse(f *testing.F) {
	f.Add("3:10 12% 118kW 21C\n0:00 plug-in\n")
	f.Add("−1:00 ; ,,, 5%\x00")
	f.Fuzz(func(t *testing.T, text string) {
		defer fuzzed.Watch(t)()
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

// A film that starts half a minute into the run, runs eight times as fast, and lacks three minutes;
// where its picture stands no time passes. Worked out by hand.
func TestTimesOffAFilm(t *testing.T) {
	text := `clip 0:30
speed 8x
cut 5:00-8:00
freeze 0:40-0:50
0:00 10% 0kW
0:30 15% 120kW
" 22C
0:35 16% 121kW
0:45 17% 121kW
0:55 18% 120kW
1:00-1:10 119kW
speed often
freeze 3:00-2:00`
	n, err := Parse(text, "clip.txt", trace.StallSide)
	require.NoError(t, err)
	// 0:30 of the film: 30 + 8*30 = 270 s. 0:35: 30 + 280 = 310, past 5:00, so 490. 0:55: ten
	// seconds stand, 30 + 8*45 = 390, 570. 1:00 to 1:10: 30 + 8*50 + 180 = 610 to 690.
	assert.Equal(t, []float64{30, 270, 270, 490, 570, 610, 690}, n.Recording.T)
	assert.Equal(t, 22.0, n.Recording.Columns[trace.BatteryTemp][2], "ditto")
	var problems []string
	for _, l := range n.Lines {
		if l.Problem != "" {
			problems = append(problems, l.Problem)
		}
	}
	assert.Equal(t, []string{"at 0:45 the picture stands: nothing can be read there",
		`"often" is no speed, expected how many times as fast, such as 8`,
		`"3:00-2:00": expected a later time behind the dash`}, problems)
	assert.Equal(t, "it runs 8 times as fast", n.Lines[1].Say())

	n, err = Parse("clip 18:20:05\n0:10 12% 50kW\n1:10 13% 51kW\n", "clip.txt", trace.StallSide)
	require.NoError(t, err)
	assert.True(t, n.ClockTime)
	assert.Equal(t, 18*3600+20*60+5.0, n.FirstS)
	assert.Equal(t, []float64{10, 70}, n.Recording.T)
}
