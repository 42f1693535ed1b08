package csvlog

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"

	"zincroad/core/trace"
	"zincroad/internal/fuzzed"
)

func read(t testing.TB, text string, o Options) (*Table, Layout) {
	t.Helper()
	l, err := Guess(strings.NewReader(text), int64(len(text)), "log.csv")
	require.NoError(t, err)
	o.File = "log.csv"
	table, err := Read(strings.NewReader(text), l, o)
	require.NoError(t, err)
	return table, l
}

const own = "t_s,soc_pct,power_kw,battery_temp_min_c\n0,10,0,21\n60,10.5,118.5,21.5\n120,,150,\n"

func TestOwnHeaders(t *testing.T) {
	table, l := read(t, own, Options{})
	assert.True(t, l.Canonical)
	assert.Equal(t, []float64{0, 60, 120}, table.T)
	assert.Equal(t, []float64{0, 118.5, 150}, table.Columns[trace.Power])
	assert.True(t, math.IsNaN(table.Columns[trace.SoC][2]), "empty is no value, not zero")
	assert.Empty(t, table.Faults)

	table, _ = read(t, "time,soc_pct,power_kw\n2026-02-03T18:20:00Z,10,0\n2026-02-03T19:21:30.5+01:00,11,100\n",
		Options{})
	assert.Equal(t, []float64{0, 90.5}, table.T)
	assert.Equal(t, time.Date(2026, 2, 3, 18, 20, 0, 0, time.UTC), table.StartedAt)
	table, _ = read(t, "time,soc_pct\n2026-02-03T18:20:00Z,10\n",
		Options{StartedAt: time.Date(2026, 2, 3, 18, 19, 0, 0, time.UTC)})
	assert.Equal(t, []float64{60}, table.T, "absolute times count from the run's start")
}

// Every channel can stand in a file under its own name, in the kept unit.
func TestEveryChannelUnderItsOwnName(t *testing.T) {
	head, row := "t_s", "0"
	for i, in := range trace.Channels {
		head += "," + string(in.Channel)
		row += fmt.Sprintf(",%d.5", i+1)
	}
	table, l := read(t, head+"\n"+row+"\n", Options{})
	assert.True(t, l.Canonical)
	require.Len(t, table.Columns, len(trace.Channels))
	for i, in := range trace.Channels {
		assert.Equal(t, []float64{float64(i) + 1.5}, table.Columns[in.Channel], "%s", in.Channel)
	}
}

// Own headers keep their meaning to the letter: no sign is turned.
func TestOwnHeadersAreNeverGuessedAt(t *testing.T) {
	table, _ := read(t, "t_s,soc_pct,current_a,voltage_v\n0,10,-5,400\n1,11,-5,400\n", Options{})
	assert.Equal(t, []float64{-5, -5}, table.Columns[trace.Current])
}

func TestForeignTables(t *testing.T) {
	want := map[trace.Channel][]float64{trace.SoC: {12, 13}, trace.Power: {118, 120.5}}
	for _, c := range []struct {
		name, text string
		t          []float64
		channels   map[trace.Channel][]float64
	}{
		{"names with units", "Time,Battery SOC (%),Charging power [kW]\n0,12,118\n5,13,120.5\n", []float64{0, 5}, want},
		{"semicolons and decimal commas", "Time;SOC;Power kW\n0;12,0;118,0\n5;13,0;120,5\n", []float64{0, 5}, want},
		{"quoted decimal commas", "Time,SOC,Power kW\n0,\"12,0\",\"118,0\"\n5,\"13,0\",\"120,5\"\n", []float64{0, 5}, want},
		{"byte-order mark and CRLF", "\ufeffTime,SoC %,Power (kW)\r\n0,12,118\r\n5,13,120.5\r\n", []float64{0, 5}, want},
		{"tabs", "time\tsoc\tpower\n0\t12\t118\n5\t13\t120.5\n", []float64{0, 5}, want},
		{"watts by unit", "Elapsed;State of charge;Power (W)\n0;12;118000\n5;13;120500\n", []float64{0, 5}, want},
		{"watts by size", "seconds,soc,power\n0,12,118000\n5,13,120500\n", []float64{0, 5}, want},
		{"minutes and seconds", "Time,SOC,Power kW\n0:10,12,118\n1:15,13,120.5\n", []float64{10, 75}, want},
		{"time of day past midnight", "Clock,SOC,Power kW\n23:59:50,12,118\n00:00:05,13,120.5\n", []float64{0, 15}, want},
		{"date and time", "Date time,SOC,Power kW\n03.02.2026 18:20:00,12,118\n03.02.2026 18:20:30,13,120.5\n",
			[]float64{0, 30}, want},
		{"milliseconds since 1970", "timestamp,SOC,Power kW\n1770142800000,12,118\n1770142801500,13,120.5\n",
			[]float64{0, 1.5}, want},
		{"decimal minutes", "Time (min),SOC,Power kW\n0.5,12,118\n1,13,120.5\n", []float64{30, 60}, want},
		{"SoC as a fraction", "Time,SOC,Power kW\n0,0.12,118\n5,0.13,120.5\n", []float64{0, 5}, want},
		{"preamble, blank line", "Exported by the workshop\n\nTime,SOC,Power kW\n0,12,118\n\n5,13,120.5\n", []float64{0, 5},
			want},
		{"amps below zero while charging, Fahrenheit", "Time,SOC,Current (A),Voltage (V),Battery temp " +
			"(°F)\n0,12,-250,400,77\n5,13,-200,401,86\n", []float64{0, 5},
			map[trace.Channel][]float64{trace.SoC: {12, 13}, trace.Current: {250, 200}, trace.Voltage: {400, 401},
				trace.BatteryTemp: {25, 30}}},
		{"amps above zero while charging", "Time,SOC,Current (A),Voltage (V)\n0,12,250,400\n5,13,200,401\n", []float64{0, 5},
			map[trace.Channel][]float64{trace.SoC: {12, 13}, trace.Current: {250, 200}, trace.Voltage: {400, 401}}},
	} {
		t.Run(c.name, func(t *testing.T) {
			table, l := read(t, c.text, Options{})
			assert.False(t, l.Canonical)
			assert.InDeltaSlice(t, c.t, table.T, 1e-9)
			assert.Len(t, table.Columns, len(c.channels))
			for ch, v := range c.channels {
				assert.InDeltaSlice(t, v, table.Columns[ch], 1e-9, "%s", ch)
			}
			assert.Empty(t, table.Faults)
		})
	}
}

func TestEncodings(t *testing.T) {
	text := "Time;SOC;Leistung kW;Außen °C\n0;12;118;4\n5;13;120;4\n"
	sixteen, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(text)
	require.NoError(t, err)
	latin := strings.NewReplacer("ß", "\xdf", "°", "\xb0").Replace(text)
	for name, s := range map[string]string{"utf-8": text, "utf-16": sixteen, "windows-1252": latin} {
		table, l := read(t, s, Options{})
		assert.Equal(t, name, l.Encoding)
		assert.Equal(t, []float64{4, 4}, table.Columns[trace.AmbientTemp], name)
		assert.Equal(t, []float64{118, 120}, table.Columns[trace.Power], name)
	}
}

// What is no reading is left out and listed by line and reason, a cell alone where the others of its row are good;
// everything else is read.
func TestWhatIsNoReadingIsListed(t *testing.T) {
	text := "t_s,soc_pct,power_kw\n" + // line 1
		"0,10,0\n" +
		"abc,11,100\n" + // 3
		"60,eleven,100\n" + // 4
		"120,140,100\n" + // 5
		"180,12\n" +
		"240,13,100,9\n" + // 7
		"300,NaN,110\n" +
		"\n" +
		"360,\"14\"\"\",1\n" + // 10
		"here a coffee was had\n" + // 11
		"390,twelve,many\n" + // 12
		"400\n" + // 13
		"t_s,soc_pct,power_kw\n" + // 14
		"420,15,120\n" +
		"Total,,54.2\n" + // 16
		"480,1" // 17
	table, _ := read(t, text, Options{})
	assert.Equal(t, []float64{0, 60, 120, 180, 300, 360, 420}, table.T[:7])
	got := ""
	for _, f := range table.Faults {
		got += f.Error() + "\n"
	}
	assert.Equal(t, `log.csv:3: t_s: "abc" is no time, expected seconds
log.csv:4: soc_pct: "eleven" is no number
log.csv:5: soc_pct: 140, expected 0 to 100 %
log.csv:7: 4 fields, expected 3
log.csv:10: soc_pct: "14\"" is no number
log.csv:11: "here a coffee was had" is no reading
log.csv:12: soc_pct: "twelve" is no number
log.csv:12: power_kw: "many" is no number
log.csv:13: "400" is no reading
log.csv:14: the names of the columns again, no reading
log.csv:16: t_s: "Total" is no time, expected seconds
`, got)
	assert.Equal(t, 11, table.LeftOut)
	none := math.NaN()
	want := map[trace.Channel][]float64{
		trace.SoC:   {10, none, none, 12, none, none, 15, 1},
		trace.Power: {0, 100, 100, none, 110, 1, 120, none},
	}
	for c, column := range want {
		assert.Equal(t, fmt.Sprint(column), fmt.Sprint(table.Columns[c]), "%s", c)
	}
}

// A column of remarks that is filled once changes nothing of the rows that end before it; a last line that is shorter
// than any other was cut off while it was written.
func TestRowsThatEndBeforeTheLastColumn(t *testing.T) {
	text := "Time (s),SoC (%),Power (kW),Temp (C),Remarks\n0,10,0,\n5,11,118,21,fans loud\n10,12,119,21\n15,13,120,22\n20,1"
	table, l := read(t, text, Options{})
	assert.Equal(t, []float64{0, 5, 10, 15}, table.T)
	assert.Equal(t, []float64{0, 118, 119, 120}, table.Columns[trace.Power])
	assert.Empty(t, l.Columns[4].Channel)
	require.Len(t, table.Faults, 1)
	assert.Equal(t, "log.csv:6: the last line was cut off while it was written: 2 of 5 fields", table.Faults[0].Error())
}

func TestWhatIsNoLogIsRefusedInOneSentence(t *testing.T) {
	for name, text := range map[string]string{
		"empty": "", "prose": "Dear workshop,\nthe van is ready.\n", "binary": "PNG\x00\x01\x02", "no power": "time,odometer\n0,12\n",
		"only a header": "t_s,soc_pct,power_kw\n", "JSON": `{"soc": 12}`,
	} {
		l, err := Guess(strings.NewReader(text), int64(len(text)), "x.csv")
		if err == nil {
			_, err = Read(strings.NewReader(text), l, Options{File: "x.csv"})
		}
		require.ErrorIs(t, err, ErrNotALog, name)
		assert.True(t, strings.HasPrefix(err.Error(), "x.csv is no charging log: "), err.Error())
		assert.NotContains(t, err.Error(), "\n")
	}
}

func TestLayoutCheck(t *testing.T) {
	l := Layout{
		Delimiter: ",",
		Time:      Seconds,
		Columns: []Column{
			{Header: "a", Channel: TimeColumn, Unit: ""},
			{Header: "b", Channel: trace.SoC, Unit: "%"},
			{Header: "c", Channel: trace.SoC, Unit: "%"},
		},
	}
	assert.ErrorContains(t, l.Check(), `columns "b" and "c" are both read as soc_pct`)
	l.Columns[2] = Column{Header: "c", Channel: trace.Power, Unit: "furlong"}
	assert.ErrorContains(t, l.Check(), `"furlong" is no unit of power`)
	l.Columns = l.Columns[:1]
	assert.ErrorContains(t, l.Check(), "choose at least one")
}

// Every number that can be written reads back the same, by whichever of the two
// ways of parsing it goes.
func TestNumbersReadBackExactly(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := rapid.Float64Range(-1e6, 1e6).Draw(t, "v")
		for _, s := range []string{fmt.Sprintf("%.3f", v), fmt.Sprint(v), fmt.Sprintf("%g", v), fmt.Sprintf("%.1f", v)} {
			var want float64
			if _, err := fmt.Sscan(s, &want); err != nil {
				t.Fatal(err)
			}
			got, ok := parseNumber([]byte(s), false)
			if !ok || got != want {
				t.Fatalf("%s: got %v, want %v", s, got, want)
			}
		}
	})
	for s, want := range map[string]float64{" 12 ": 12, "118 kW": 118, "12%": 12, "−3.5": -3.5, "1e3": 1000, "+4": 4,
		".5": 0.5} {
		got, ok := parseNumber([]byte(s), false)
		assert.True(t, ok, s)
		assert.Equal(t, want, got, s)
	}
	got, ok := parseNumber([]byte("1.234,5"), true)
	assert.True(t, ok)
	assert.Equal(t, 1234.5, got)
	for _, s := range []string{"abc", "1.2.3", "0x10", "12abcdefg", "--1", "12,5", "1,2345"} {
		_, ok := parseNumber([]byte(s), false)
		assert.False(t, ok, s)
	}
	for _, s := range []string{"", "-", "NaN", "null", "n/a", "Inf", "#DIV/0!", "#WERT!"} {
		got, ok := parseNumber([]byte(s), false)
		assert.True(t, ok && math.IsNaN(got), s)
	}
}

func TestWriteThenReadIsTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 40).Draw(t, "n")
		value := rapid.OneOf(rapid.Float64Range(0, 100), rapid.Just(math.NaN()))
		rec := &trace.Recording{Columns: map[trace.Channel][]float64{}}
		for range n {
			rec.T = append(rec.T, rapid.Float64Range(-1e4, 1e4).Draw(t, "t"))
			for _, c := range []trace.Channel{trace.SoC, trace.Power, trace.Voltage} {
				rec.Columns[c] = append(rec.Columns[c], value.Draw(t, "v"))
			}
		}
		rec.Columns[trace.SoC][0] = 50 // a column without a value is left out when read
		var b bytes.Buffer
		if err := Write(&b, rec); err != nil {
			t.Fatal(err)
		}
		l, err := Guess(bytes.NewReader(b.Bytes()), int64(b.Len()), "w.csv")
		if err != nil {
			t.Fatal(err)
		}
		table, err := Read(&b, l, Options{})
		if err != nil {
			t.Fatal(err)
		}
		if fmt.Sprint(table.T) != fmt.Sprint(rec.T) {
			t.Fatal("times differ")
		}
		for c, col := range table.Columns {
			if fmt.Sprint(col) != fmt.Sprint(rec.Columns[c]) {
				t.Fatalf("%s differs", c)
			}
		}
	})
}

// Whatever is thrown at it: an answer or an error, never a panic, and no column of
// another length than the times.
func FuzzGuessAndRead(f *testing.F) {
	f.Add([]byte(own))
	f.Add([]byte("Time;SOC;Power kW\n0:10;12,0;118,0\n"))
	f.Add([]byte("\xff\xfet\x00,\x00s\x00o\x00c\x00"))
	f.Add([]byte("t,soc\n\"1\n2\",3\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		defer fuzzed.Watch(t)()
		l, err := Guess(bytes.NewReader(b), int64(len(b)), "f")
		if err != nil {
			return
		}
		table, err := Read(bytes.NewReader(b), l, Options{File: "f"})
		if err != nil {
			if !errors.Is(err, ErrNotALog) {
				t.Fatal(err)
			}
			return
		}
		for c, col := range table.Columns {
			if len(col) != len(table.T) {
				t.Fatalf("%s: %d values for %d times", c, len(col), len(table.T))
			}
		}
	})
}

func BenchmarkReadOwnCSV(b *testing.B) {
	var text bytes.Buffer
	text.WriteString(
		"t_s,soc_pct,power_kw,current_a,voltage_v,battery_temp_min_c,battery_temp_max_c,heater_kw,ambient_c\n",
	)
	for i := range 100000 {
		fmt.Fprintf(&text, "%d,%.2f,%.1f,%.1f,%.1f,%.1f,%.1f,0,4.5\n", i, 10+float64(i)/1300, 150.2, 380.4, 394.8,
			21.5, 24.5)
	}
	b.SetBytes(int64(text.Len()))
	for b.Loop() {
		l, err := Guess(bytes.NewReader(text.Bytes()), int64(text.Len()), "b")
		require.NoError(b, err)
		_, err = Read(bytes.NewReader(text.Bytes()), l, Options{Rows: Rows(text.Bytes(), int64(text.Len()))})
		require.NoError(b, err)
	}
}

// A logger's wall clock in row 350 of 700, and a time of 1e308: each spoils only its own
// row, which is listed by its line.
func TestTimesOutsideTheRhythmAreLeftOut(t *testing.T) {
	var b strings.Builder
	b.WriteString("t_s,soc_pct,power_kw\n")
	for i := range 700 {
		at := strconv.Itoa(i)
		switch i {
		case 349:
			at = "1770140000"
		case 500:
			at = "1e308"
		}
		fmt.Fprintf(&b, "%s,%g,%d\n", at, 10+float64(i)/10, 100+i%3)
	}
	layout, err := Guess(strings.NewReader(b.String()), int64(b.Len()), "car.csv")
	require.NoError(t, err)
	got, err := Read(strings.NewReader(b.String()), layout, Options{File: "car.csv"})
	require.NoError(t, err)
	assert.Len(t, got.T, 698)
	assert.Len(t, got.Columns[trace.SoC], 698)
	assert.Equal(t, 699.0, got.T[697])
	assert.InDelta(t, 79.9, got.Columns[trace.SoC][697], 1e-9)
	require.Len(t, got.Faults, 2)
	assert.Equal(t, "car.csv:351: the time, 1.77014e+09 s into the log, is far outside its rhythm",
		got.Faults[0].Error())
	assert.Equal(t, 502, got.Faults[1].Line)
	assert.Equal(t, 2, got.LeftOut)
}

// Dates: the first row's clock had not been set yet.
func TestFirstDateOutsideTheRhythm(t *testing.T) {
	var b strings.Builder
	b.WriteString("time,power_kw\n1970-01-01T00:00:07Z,5\n")
	for i := range 60 {
		fmt.Fprintf(&b, "2026-02-03T18:20:%02dZ,100\n", i)
	}
	layout, err := Guess(strings.NewReader(b.String()), int64(b.Len()), "car.csv")
	require.NoError(t, err)
	got, err := Read(strings.NewReader(b.String()), layout, Options{File: "car.csv"})
	require.NoError(t, err)
	assert.Equal(t, "2026-02-03T18:20:00Z", got.StartedAt.Format(time.RFC3339))
	assert.Equal(t, 0.0, got.T[0])
	assert.Equal(t, 59.0, got.T[59])
}

// A table read as a stream is the table read at once, whatever the size of its chunks: rows, faults
// with their lines, start.
func TestStreamIsRead(t *testing.T) {
	var b strings.Builder
	b.WriteString("Time;SoC;kW\n")
	for i := range 500 {
		switch {
		case i%97 == 5:
			b.WriteString("oops;1;2\n")
		case i%50 == 7:
			b.WriteString("Time;SoC;kW\n")
		}
		fmt.Fprintf(&b, "2026-02-03 18:%02d:%02d;%.1f;%d\n", 20+i/60, i%60, 10+float64(i)/10, 100+i%7)
	}
	text := b.String()
	want, l := read(t, text, Options{})
	for _, rows := range []int{1, 7, 64, 10_000} {
		var at, kw []float64
		got, err := Stream(strings.NewReader(text), l, Options{File: "log.csv"}, rows, func(c Chunk) error {
			require.LessOrEqual(t, len(c.T), rows)
			at, kw = append(at, c.T...), append(kw, c.Columns[trace.Power]...)
			return nil
		})
		require.NoError(t, err)
		assert.Equal(t, want.T, at, "%d rows", rows)
		assert.Equal(t, want.Columns[trace.Power], kw)
		assert.Equal(t, want.Faults, got.Faults)
		assert.Equal(t, want.StartedAt, got.StartedAt)
		assert.Equal(t, want.LeftOut, got.LeftOut)
	}
	stop := errors.New("enough")
	_, err := Stream(strings.NewReader(text), l, Options{}, 10, func(Chunk) error { return stop })
	assert.ErrorIs(t, err, stop)
}

// Times of day count from the run's start where it is known in their own zone and near, also over midnight;
// else from the first of them.
func TestTimesOfDayCountFromTheRunsStart(t *testing.T) {
	vienna, err := time.LoadLocation("Europe/Vienna")
	require.NoError(t, err)
	read := func(startedAt time.Time, zone *time.Location, first, second string) []float64 {
		text := "clock;soc;kW\n" + first + ";10;50\n" + second + ";10.2;60\n"
		l, err := Guess(strings.NewReader(text), int64(len(text)), "car.csv")
		require.NoError(t, err)
		table, err := Read(strings.NewReader(text), l, Options{File: "car.csv", StartedAt: startedAt, Zone: zone})
		require.NoError(t, err)
		return table.Recording("car", trace.CarSide).T
	}
	at := time.Date(2026, 2, 3, 18, 20, 0, 0, vienna)
	assert.Equal(t, []float64{70, 80}, read(at, vienna, "18:21:10", "18:21:20"))
	assert.Equal(t, []float64{-1800, -1790}, read(at.UTC(), vienna, "17:50:00", "17:50:10"), "a drive before it")
	assert.Equal(t, []float64{0, 10}, read(at, vienna, "19:20:00", "19:20:10"), "another zone's clock")
	assert.Equal(t, []float64{0, 10}, read(at, nil, "18:21:10", "18:21:20"), "no zone")
	assert.Equal(t, []float64{0, 10}, read(time.Time{}, vienna, "18:21:10", "18:21:20"), "no start")
	night := time.Date(2026, 2, 3, 23, 59, 50, 0, vienna)
	assert.Equal(t, []float64{15, 25}, read(night, vienna, "00:00:05", "00:00:15"))
	assert.Equal(t, []float64{-10, 5}, read(night.Add(20*time.Second), vienna, "00:00:00", "00:00:15"))
}
