package csvlog

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"zincroad/core/trace"
)

// Headers as testers' spreadsheets and loggers write them, in their own words; the
// last column of the table is what a tester would say that they hold.
func TestHeadersAreNamed(t *testing.T) {
	for _, c := range []struct {
		header  string
		channel trace.Channel
		unit    string
	}{
		{"t_s", TimeColumn, ""}, {"Time", TimeColumn, ""}, {"time (s)", TimeColumn, ""}, {"Elapsed [min]", TimeColumn, ""},
		{"Timestamp", TimeColumn, ""}, {"Clock time", TimeColumn, ""}, {"Uhrzeit", TimeColumn, ""}, {"Zeit", TimeColumn, ""},
		{"SOC", trace.SoC, ""}, {"Battery SOC (%)", trace.SoC, "%"}, {"State of charge", trace.SoC, ""}, {"soc_pct",
			trace.SoC, "%"},
		{"Charging power [kW]", trace.Power, "kW"}, {"Power (W)", trace.Power, "W"}, {"kW", trace.Power,
			""}, {"DC power", trace.Power, ""}, {"Leistung kW", trace.Power, "kW"},
		{"Current (A)", trace.Current, "A"}, {"Amps", trace.Current, ""}, {"Pack current", trace.Current,
			""}, {"Strom A", trace.Current, "A"},
		{"Voltage", trace.Voltage, ""}, {"Pack volts (V)", trace.Voltage, "V"}, {"Spannung V", trace.Voltage, "V"},
		{"Requested power kW", trace.RequestedPower, "kW"}, {"Requested current A", trace.RequestedAmps, "A"},
		{"Coldest cell (°F)", trace.BatteryTempMin, "°F"}, {"Min cell temp [C]", trace.BatteryTempMin,
			"°C"}, {"Battery temp max", trace.BatteryTempMax, ""},
		{"Battery temperature", trace.BatteryTemp, ""}, {"Temp", trace.BatteryTemp, ""}, {"Inlet temperature C",
			trace.InletTemp, "°C"},
		{"Outside temp", trace.AmbientTemp, ""}, {"Ambient °C", trace.AmbientTemp, "°C"},
		{"Energy delivered kWh", trace.Energy, "kWh"}, {"Wh", trace.Energy, ""}, {"Heater power W", trace.HeaterPower,
			"W"}, {"Aux kW", trace.AuxPower, "kW"}, {"Cost", trace.Cost, ""},
		{"Odometer", "", ""}, {"Remarks", "", ""}, {"12.5", "", ""}, {"", "", ""},
	} {
		col := nameColumns([]string{c.header})[0]
		assert.Equal(t, c.channel, col.Channel, c.header)
		assert.Equal(t, c.unit, col.Unit, c.header)
	}
}

// Two columns for one quantity: the first has it, the other is left for the tester.
func TestAQuantityIsTakenOnce(t *testing.T) {
	cols := nameColumns([]string{"Time", "SOC (%)", "SOC displayed (%)", "Power kW"})
	assert.Equal(t, trace.SoC, cols[1].Channel)
	assert.Empty(t, cols[2].Channel)
}

func TestTimesOfEachFormat(t *testing.T) {
	for _, c := range []struct {
		format TimeFormat
		cells  []string
		want   []float64
	}{
		{Seconds, []string{"-5", "0.25", "1e2"}, []float64{-5, 0.25, 100}},
		{Minutes, []string{"1.5"}, []float64{90}},
		{Milliseconds, []string{"1500"}, []float64{1.5}},
		{Elapsed, []string{"0:30", "75:30", "1:15:30", "-0:10", "0:30.5", "2:00,5"},
			[]float64{30, 4530, 4530, -10, 30.5, 120.5}},
		{ClockTime, []string{"22:00", "23:59:59", "00:00:01", "01:00"}, []float64{0, 7199, 7201, 10800}},
		{RFC3339, []string{"2026-02-03T18:20:00Z", "2026-02-03 18:20:01.5Z", "2026-02-03T19:20:00+01:00"},
			[]float64{0, 1.5, 0}},
		{DateTime, []string{"2026-02-03 18:20:00", "2026-02-03 18:21:00"}, []float64{0, 60}},
		{DateTime, []string{"3.2.2026 18:20", "4.2.2026 18:20"}, []float64{0, 86400}},
		{DateTime, []string{"13/02/2026 18:20", "13/02/2026 18:21"}, []float64{0, 60}},
		{EpochS, []string{"1770142800", "1770142801.5"}, []float64{0, 1.5}},
	} {
		p := times{format: c.format}
		for i, cell := range c.cells {
			got, ok := p.parse([]byte(cell), nil)
			assert.True(t, ok, "%s %s", c.format, cell)
			assert.InDelta(t, c.want[i], got, 1e-6, "%s %s", c.format, cell)
		}
	}
	for format, cells := range map[TimeFormat][]string{
		Seconds: {"", "NaN", "1:30", "soon"}, Elapsed: {"90", "1:75", "1:2:3:4", "a:10", "1.5:10"}, ClockTime: {"25:00",
			"-1:00"},
		RFC3339: {"2026-02-03", "18:20"}, DateTime: {"2026-13-03 18:20:00", "yesterday"}, EpochS: {"", "x"},
	} {
		for _, cell := range cells {
			p := times{format: format}
			_, ok := p.parse([]byte(cell), nil)
			assert.False(t, ok, "%s %q", format, cell)
		}
	}
}

// A date without a zone on the night of the clock change: wall clock times an hour
// apart in name are two hours apart in truth.
func TestWallClockOverTheClockChange(t *testing.T) {
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	assert.NoError(t, err)
	p := times{format: DateTime, zone: lisbon}
	first, _ := p.parse([]byte("2026-10-25 00:30:00"), nil)
	second, _ := p.parse([]byte("2026-10-25 02:30:00"), nil)
	assert.InDelta(t, 3*3600, second-first, 1e-9)
}

// A tester who knows better says which line names the columns and what is between.
func TestGuessWith(t *testing.T) {
	text := "Time,SOC,Power kW\nsec;%;kW\nTime;SOC;Power kW\n0;10,5;100\n5;11,5;110\n"
	l, err := GuessWith(strings.NewReader(text), int64(len(text)), "x.csv", ";", 3)
	assert.NoError(t, err)
	assert.True(t, l.DecimalComma)
	table, err := Read(strings.NewReader(text), l, Options{File: "x.csv"})
	assert.NoError(t, err)
	assert.Equal(t, []float64{10.5, 11.5}, table.Columns[trace.SoC])
	l, err = GuessWith(strings.NewReader(text), int64(len(text)), "x.csv", "|", 3)
	assert.ErrorIs(t, err, ErrNotALog)
	assert.Len(t, l.Columns, 1, "what was found is shown all the same")
	_, err = GuessWith(strings.NewReader(text), int64(len(text)), "x.csv", ";", 30)
	assert.ErrorContains(t, err, "no line 30")
}

// The sign of the amps is settled where the car charges, also in a log that begins
// with a long drive.
func TestSignIsSettledWhereTheCarCharges(t *testing.T) {
	var b strings.Builder
	b.WriteString("Time,SOC,Current (A),Voltage (V)\n")
	row := func(i int, soc, amps float64) { fmt.Fprintf(&b, "%d,%.3f,%.1f,380\n", i, soc, amps) }
	soc := 60.0
	for i := range 6000 {
		soc -= 0.008
		row(i, soc, 60) // discharging is positive here
	}
	for i := 6000; i < 7200; i++ {
		soc += 0.04
		row(i, soc, -300)
	}
	table, l := read(t, b.String(), Options{Rows: 10})
	assert.True(t, l.Columns[2].Negate)
	amps := table.Columns[trace.Current]
	assert.Equal(t, -60.0, amps[0])
	assert.Equal(t, 300.0, amps[7100])
	assert.Len(t, table.T, 7200, "more rows than were expected")
}

// Rows with anything unusual in them give what plain rows give.
func TestPlainAndUnusualRowsAgree(t *testing.T) {
	plain, _ := read(t, "t_s,soc_pct,power_kw,note\n0,10,-0.5,1\n1.25,10.5,150,2\n2,,120.125,3\n", Options{})
	for name, text := range map[string]string{
		"quotes":                 "t_s,soc_pct,power_kw,note\n\"0\",10,-0.5,1\n1.25,\"10.5\",150,2\n2,\"\",120.125,3\n",
		"spaces":                 "t_s,soc_pct,power_kw,note\n 0, 10,-0.5 ,1\n1.25 ,10.5,150,2\n2, ,120.125,3\n",
		"CRLF":                   "t_s,soc_pct,power_kw,note\r\n0,10,-0.5,1\r\n1.25,10.5,150,2\r\n2,,120.125,3\r\n",
		"no last end":            "t_s,soc_pct,power_kw,note\n0,10,-0.5,1\n1.25,10.5,150,2\n2,,120.125,3",
		"words":                  "t_s,soc_pct,power_kw,note\n0,10,-0.5,fine\n1.25,10.5,150,\"still, fine\"\n2,,120.125,\n",
		"empty fields":           "t_s,soc_pct,power_kw,note\n0,10,-0.5,1,\n1.25,10.5,150,2,,\n2,,120.125,3\n",
		"exponents":              "t_s,soc_pct,power_kw,note\n0e0,1e1,-5e-1,1\n1.25,10.5,1.5e2,2\n2,NaN,120.125,3\n",
		"many digits":            "t_s,soc_pct,power_kw,note\n0.0000000000000000,10,-0.5,1\n1.25,10.5000000000000000000,150,2\n2,,120.12500000000000000,3\n",
		"a quote over two lines": "t_s,soc_pct,power_kw,note\n0,10,-0.5,\"first\nsecond\"\n1.25,10.5,150,2\n2,,120.125,3\n",
	} {
		got, _ := read(t, text, Options{})
		assert.Equal(t, fmt.Sprint(plain.T, plain.Columns), fmt.Sprint(got.T, got.Columns), name)
		assert.Empty(t, got.Faults, name)
	}
}

// What a header says in any of the languages, by the words of the list and the channels' own; what says
// nothing known is left out.
func TestHeadersSayTheirChannel(t *testing.T) {
	for header, want := range map[string]trace.Channel{
		"Battery %": trace.SoC, "Akku %": trace.SoC, "Batterie (%)": trace.SoC, "SoC": trace.SoC, "Ladezustand [%]": trace.SoC,
		"Leistung": trace.Power, "Puissance kW": trace.Power, "W": trace.Power, "Charging speed (kW)": trace.Power,
		"Potencia solicitada (kW)": trace.RequestedPower, "Angeforderter Strom [A]": trace.RequestedAmps,
		"Stromstärke": trace.Current, "Intensité (A)": trace.Current, "I": trace.Current, "Spænding": trace.Voltage,
		"Außentemperatur": trace.AmbientTemp, "Udetemperatur": trace.AmbientTemp,
		"Batterietemperatur max": trace.BatteryTempMax, "Koudste cel temperatuur": trace.BatteryTempMin,
		"Température batterie": trace.BatteryTemp, "Energie": trace.Energy, "Heizleistung (kW)": trace.HeaterPower,
		"Kosten": trace.Cost, "Uhrzeit": TimeColumn, "Zeit (min)": TimeColumn, "Datum Uhrzeit": TimeColumn, "Horodatage": TimeColumn,
		"mm:ss": TimeColumn, "Datum": DateColumn, "Fecha": DateColumn,
		"Odometer": "", "GPS speed": "", "Note": "", "": "", "12.5": "",
	} {
		assert.Equal(t, want, channelOf(header), header)
	}
}

// Which mark stands before the decimals, by the cells of one column.
func TestDecimalMarks(t *testing.T) {
	for _, tt := range []struct {
		name, cells, want string
	}{
		{"points", "1.5 2.25 3", "."},
		{"commas", "1,5 2,25 3", ","},
		{"both, the comma last", "1.234,5 2.000,75", ","},
		{"both, the point last", "1,234.5 2,000.75", "."},
		{"two of one mark are thousands", "1,234,567 1,234,570", "."},
		{"three digits after a zero are decimals", "0,123 0,456", ","},
		{"thousands, by what runs smoothly: 998, 1,003", "990 995 998 1,003 1,010 1,020", "."},
		{"decimals, by what runs smoothly: 7, 7,499", "7 7,100 7,300 7,499 8 8,250", ","},
		{"a large number without a mark: no thousands here", "7,499 7498 7,500", ","},
		{"nothing shows it", "7,499 7,512 7,530", ""},
		{"whole numbers", "1 2 3", ""},
	} {
		assert.Equal(t, tt.want, decimalMark(strings.Fields(tt.cells)), tt.name)
	}
}

// Day or month first, by the run of the values.
func TestOrderOfDates(t *testing.T) {
	for _, tt := range []struct {
		name, cells string
		want        dateOrder
		unsure      bool
	}{
		{"a day over 12", "23/02/2026 18:20;23/02/2026 18:21", dayFirst, false},
		{"the other way", "02/23/2026 18:20;02/23/2026 18:21", monthFirst, false},
		{"past midnight: a day, not a month", "03/04/2026 23:59;03/05/2026 00:01", monthFirst, false},
		{"past midnight, the other way", "03/04/2026 23:59;04/04/2026 00:01", dayFirst, false},
		{"points: the day", "03.04.2026 18:20", dayFirst, false},
		{"the same either way", "03/03/2026 18:20;03/03/2026 18:21", dayFirst, false},
		{"either", "03/04/2026 18:20;03/04/2026 18:21", dayFirst, true},
		{"either, with am and pm", "03/04/2026 6:20 PM;03/04/2026 6:21 PM", monthFirst, true},
		{"no dates", "soon;later", dayFirst, false},
	} {
		order, unsure := orderOf(strings.Split(tt.cells, ";"))
		assert.Equal(t, tt.want, order, tt.name)
		assert.Equal(t, tt.unsure, unsure, tt.name)
	}
}

// A clock that is set in the night of summer time, and gaps of an hour that are none of it.
func TestSummerTimeIsTakenOut(t *testing.T) {
	for _, tt := range []struct {
		name  string
		cells []string
		want  []float64
	}{
		{"an hour comes twice", []string{"01:59:50", "01:59:55", "01:00:00", "01:00:05"}, []float64{0, 5, 10, 15}},
		{"an hour is left out", []string{"01:59:50", "01:59:55", "03:00:00", "03:00:05"}, []float64{0, 5, 10, 15}},
		{"an hour's gap from 2:30 on", []string{"02:30:00", "02:30:05", "03:30:10"}, []float64{0, 5, 3610}},
		{"an hour's gap by day", []string{"13:59:50", "13:59:55", "15:00:00"}, []float64{0, 5, 3610}},
		{"one reading out of order", []string{"18:20:00", "18:20:10", "18:20:05", "18:20:15"}, []float64{0, 10, 5, 15}},
	} {
		p := times{format: ClockTime}
		for i, c := range tt.cells {
			got, ok := p.parse([]byte(c), nil)
			assert.True(t, ok, c)
			assert.InDelta(t, tt.want[i], got, 1e-9, "%s: %s", tt.name, c)
		}
	}
}
