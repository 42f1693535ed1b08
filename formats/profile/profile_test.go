package profile_test

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/formats/profile"
	"zincroad/internal/fuzzed"
)

func one(t *testing.T, change string) profile.Channel {
	t.Helper()
	p, err := profile.Parse(
		[]byte(
			`{"format": "zincroad-profile/1", "channels": [{"request_id": "7E4", "response_id": "7EC", "identifier": "2101", ` + change + `}]}`,
		),
	)
	require.NoError(t, err)
	return p.Channels[0]
}

// By hand: bytes to numbers, number times factor plus offset, in the unit given.
func TestReadByHand(t *testing.T) {
	for _, tt := range []struct {
		name, channel string
		data          []byte
		want          float64 // NaN: not to be believed
	}{
		{"big first", `"channel": "soc_pct", "length": 2, "factor": 0.01`, []byte{0x12, 0x34}, 46.60},
		{"little first", `"channel": "soc_pct", "length": 2, "order": "little", "factor": 0.01`, []byte{0x34, 0x12}, 46.60},
		{"below zero", `"channel": "current_a", "length": 2, "signed": true, "factor": 0.1`, []byte{0xFF, 0x38}, -20},
		{"not signed", `"channel": "current_a", "length": 2, "factor": 0.01`, []byte{0xFF, 0x38}, 653.36},
		{"three bytes below zero", `"channel": "power_kw", "length": 3, "signed": true, "unit": "W"`,
			[]byte{0xFF, 0xFC, 0x18}, -1},
		{"four bytes", `"channel": "energy_kwh", "length": 4, "unit": "Wh"`, []byte{0, 1, 0xD4, 0xC0}, 120},
		{"an offset", `"channel": "battery_temp_min_c", "length": 1, "factor": 0.5, "offset": -40`, []byte{100}, 10},
		{"Fahrenheit", `"channel": "ambient_c", "length": 1, "unit": "°F"`, []byte{50}, 10},
		{"further back", `"channel": "inlet_temp_c", "start": 3, "length": 1`, []byte{9, 9, 9, 31}, 31},
		{"too short", `"channel": "inlet_temp_c", "start": 3, "length": 1`, []byte{9, 9, 9}, math.NaN()},
		{"what no car can mean", `"channel": "soc_pct", "length": 1`, []byte{0xFF}, math.NaN()},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c := one(t, tt.channel)
			got, ok := c.Read(tt.data)
			require.Equal(t, !math.IsNaN(tt.want), ok)
			if ok {
				assert.InDelta(t, tt.want, got, 1e-9)
			}
		})
	}
}

// What is not said is filled in: big end first, factor 1, once a second, the
// channel's own unit.
func TestDefaults(t *testing.T) {
	c := one(t, `"channel": "voltage_v", "length": 2`)
	assert.Equal(
		t,
		profile.Channel{
			Channel:    trace.Voltage,
			Request:    "7E4",
			Response:   "7EC",
			Identifier: "2101",
			Length:     2,
			Order:      "big",
			Factor:     1,
			EveryS:     1,
			Unit:       "V",
		},
		c,
	)
}

// What does not fit the bytes becomes the nearest that does.
func TestWriteHoldsToTheBytes(t *testing.T) {
	c := one(t, `"channel": "current_a", "length": 1, "signed": true`)
	data := make([]byte, 1)
	for v, want := range map[float64]byte{300: 0x7F, -300: 0x80, -1: 0xFF, 12.4: 12} {
		c.Write(data, v)
		assert.Equal(t, want, data[0], "%g", v)
	}
}

func FuzzParse(f *testing.F) {
	f.Add(string(profile.Example()))
	f.Add(`{"format": "zincroad-profile/1", "channels": [{"channel": "soc_pct", "length": 4, "signed": true}]}`)
	f.Fuzz(func(t *testing.T, text string) {
		defer fuzzed.Watch(t)()
		p, err := profile.Parse([]byte(text))
		if err != nil {
			return
		}
		for _, c := range p.Channels {
			_, _ = c.Read([]byte(strings.Repeat("\xff", 8)))
		}
		again, err := json.Marshal(p)
		require.NoError(t, err)
		_, err = profile.Parse(again)
		require.NoError(t, err, "what was read can be written and read again")
	})
}
