package buslog

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An invented car's bus: SoC in half per cents with 255 for none, volts big-endian in tenths, amps signed and counted
// the other way round, a temperature in °F that is multiplexed, power in W as floating point in an extended frame.
const dbcFile = `VERSION ""
NS_ :
BS_:
BU_: BMS CHG

BO_ 289 Pack: 8 BMS
 SG_ Soc : 0|8@1+ (0.5,0) [0|100] "%" CHG
 SG_ Volts : 15|16@0+ (0.1,0) [0|900] "V" CHG
 SG_ Amps : 24|16@1- (0.1,0) [-800|800] "A" CHG

BO_ 290 Cells: 8 BMS
 SG_ Which M : 0|8@1+ (1,0) [0|0] "" CHG
 SG_ Coldest m1 : 8|8@1+ (1,-40) [-40|200] "degF" CHG
 SG_ Soc : 16|8@1+ (1,0) [0|100] "%" CHG

BO_ 2566869246 Charge: 8 CHG
 SG_ Power : 0|32@1- (1,0) [0|0] "W" BMS

SIG_VALTYPE_ 2566869246 Power : 1;
`

const signals = `# the workshop's van
Pack.Soc soc_pct
Volts voltage_v
Amps current_a turned
Coldest battery_temp_min_c
Power power_kw
`

// The frames by hand. Soc 0x29 = 41 · 0.5 = 20.5 %. Volts 0x0DCB = 3531 tenths. Amps, the bytes 30 F8, are 0xF830
// from the low end: -2000 tenths, and 200 A into the pack, for this bus counts what leaves it. Coldest 0x71 is 113 - 40
// = 73 °F = 22.78 °C. Power 50,000 W is 0x47435000 as IEEE 754, 00 50 43 47 from the low end.
func TestFramesByHand(t *testing.T) {
	p, err := NewProfile([]byte(dbcFile), signals)
	require.NoError(t, err)
	log := `(1772400000.100000) can0 121#290DCB30F8000000
(1772400000.300000) can0 122#0171FF0000000000
(1772400000.400000) can0 122#0290640000000000
(1772400000.900000) can0 18FF50FE#00504347
garbage
(1772400001.100000) can0 121#FF0DCC30F8000000
(1772400001.200000) can0 121#R
(1772400001.200000) can0 7DF#0201050000000000
(1772400000.000000) can0 121#2A0DCB30F8000000
(1772400001.300000)  can0  121   [8]  2B 0D CD 30 F8 00 00 00
(1772400002.000000) can0 121#2C
`
	var out bytes.Buffer
	c, err := p.Convert(&out, strings.NewReader(log))
	require.NoError(t, err)
	assert.Equal(t, `time,soc_pct,power_kw,current_a,voltage_v,battery_temp_min_c
2026-03-01T21:20:00.900Z,20.5,50,200,353.1,22.777777778
2026-03-01T21:20:01.300Z,21.5,,200,353.3,
2026-03-01T21:20:02.000Z,22,,,,
`, out.String(), "255 is no charge, the other cell is another temperature, what came too late is left out, "+
		"a frame that is too short has what it has")
	assert.Equal(t, Converted{Frames: 9, Of: 7, Odd: 2, Late: 1, Rows: 3, Began: c.Began}, c)
	assert.Equal(t, "2026-03-01T21:20:00.9Z", c.Began.Format("2006-01-02T15:04:05.999Z07:00"))
	assert.Equal(t, []string{"lines that are no frames: 2",
		"frames from before the one ahead of them, the log's clock went back: 1"}, c.LeftOut())
	assert.True(t, Looks([]byte("\n"+log)))
	assert.False(t, Looks([]byte("t_s,soc_pct\n0,1\n")))
}

// The line that the documentation of candump's own log format shows (can-utils, from memory).
func TestALineAsCandumpWritesIt(t *testing.T) {
	f, ok := parseFrame([]byte("(1436509052.249713) vcan0 044#2A366C2BBA"))
	require.True(t, ok)
	assert.Equal(t, uint32(0x44), f.id)
	assert.InDelta(t, 1436509052.249713, f.at, 1e-6)
	assert.Equal(t, []byte{0x2A, 0x36, 0x6C, 0x2B, 0xBA}, f.data[:f.length])
	for _, odd := range []string{"", "vcan0 044#2A", "(x) vcan0 044#2A", "(1) vcan0 044", "(1) vcan0 44#2A",
		"(1) vcan0 044#2",
		"(1) vcan0 044#2A2A2A2A2A2A2A2A2A", "(1) vcan0 044##12A", "(1)", "(1) vcan0 ZZZ#2A"} {
		_, ok := parseFrame([]byte(odd))
		assert.False(t, ok, odd)
	}
}

func TestProfilesSayWhatIsWrong(t *testing.T) {
	for names, reason := range map[string]string{
		"Soc soc_pct":                         `line 1: 2 messages have a signal "Soc": write the message before it`,
		"\nVolts volts":                       `line 2: there is no channel "volts"`,
		"Speed soc_pct":                       `line 1: the DBC file has no signal "Speed"`,
		"Volts":                               "line 1: expected a signal and a channel",
		"Volts voltage_v upside":              "line 1: expected a signal and a channel",
		"Volts current_a":                     `Volts is in "V", in which current_a cannot be`,
		"Pack.Soc soc_pct\nCells.Soc soc_pct": "line 2: soc_pct has a signal already",
		"# nothing":                           "none is named",
	} {
		_, err := NewProfile([]byte(dbcFile), names)
		require.Error(t, err, names)
		assert.Contains(t, err.Error(), reason)
	}
	_, err := NewProfile([]byte("BO_ 289 Pack: eight BMS"), signals)
	assert.ErrorContains(t, err, "the DBC file, line 1")
	p, err := NewProfile([]byte(dbcFile), signals)
	require.NoError(t, err)
	_, err = p.Convert(io.Discard, strings.NewReader("(1) can0 7DF#02\n"))
	assert.ErrorIs(t, err, ErrNone)
}

// Whatever a log says, a line never ends the program, and what is read lies within what the DBC file allows.
func FuzzFrames(f *testing.F) {
	p, err := NewProfile([]byte(dbcFile), signals)
	require.NoError(f, err)
	f.Add("(1436509052.249713) vcan0 121#290DCB30F8000000")
	f.Add("(1)  can0  121   [8]  2B 0D CD 30 F8 00 00 00")
	f.Fuzz(func(t *testing.T, text string) {
		_, _ = p.Convert(io.Discard, strings.NewReader(text))
	})
}

// BenchmarkConvert tells how many bytes of a log go through in a second.
func BenchmarkConvert(b *testing.B) {
	p, err := NewProfile([]byte(dbcFile), signals)
	require.NoError(b, err)
	var log bytes.Buffer
	for i := range 100_000 {
		id := []string{"121", "122", "3A0", "5F1", "18FF50FE"}[i%5]
		fmt.Fprintf(&log, "(%d.%06d) can0 %s#290DCB30F8000000\n", 1772400000+i/1000, i%1000*1000, id)
	}
	b.SetBytes(int64(log.Len()))
	for b.Loop() {
		_, err := p.Convert(io.Discard, bytes.NewReader(log.Bytes()))
		require.NoError(b, err)
	}
}
