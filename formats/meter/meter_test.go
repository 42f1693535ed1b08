package meter_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/formats/meter"
)

const at = "2026-02-03T18:20:00Z"

// Each measurand comes in the unit that its channel is kept in; OCPP 1.6 (edition 2, 7.31 and 7.43,
// from memory) says Wh where none is said, and 2.0.1 multiplies by a power of ten.
func TestUnitsOfBothVersions(t *testing.T) {
	for _, tt := range []struct {
		name, sample string
		channel      trace.Channel
		want         float64
	}{
		{"watts", `{"value":"118500","measurand":"Power.Active.Import","unit":"W"}`, trace.Power, 118.5},
		{"kilowatts", `{"value":"118.5","measurand":"Power.Active.Import","unit":"kW"}`, trace.Power, 118.5},
		{"power without a unit", `{"value":"118500","measurand":"Power.Active.Import"}`, trace.Power, 118.5},
		{"nothing but a value is the register in Wh", `{"value":"4200"}`, trace.Energy, 4.2},
		{"per cent", `{"value":"41","measurand":"SoC","unit":"Percent","location":"EV"}`, trace.SoC, 41},
		{"volts", `{"value":"398.2","measurand":"Voltage","unit":"V"}`, trace.Voltage, 398.2},
		{"amps", `{"value":"-3.5","measurand":"Current.Import","unit":"A"}`, trace.Current, -3.5},
		{"offered", `{"value":"150000","measurand":"Power.Offered","unit":"W"}`, trace.OfferedPower, 150},
		{"a number and a multiplier", `{"value":118.5,"measurand":"Power.Active.Import",
			"unitOfMeasure":{"unit":"W","multiplier":3}}`, trace.Power, 118.5},
		{"a unit of its own", `{"value":4.2,"measurand":"Energy.Active.Import.Register","unitOfMeasure":{"unit":"kWh"}}`,
			trace.Energy, 4.2},
	} {
		t.Run(tt.name, func(t *testing.T) {
			log, err := meter.Read(
				[]byte(`{"connectorId":1,"meterValue":[{"timestamp":"`+at+`","sampledValue":[`+tt.sample+`]}]}`),
				"m",
			)
			require.NoError(t, err)
			require.Len(t, log.Recording.Columns, 1)
			assert.InDelta(t, tt.want, log.Recording.Columns[tt.channel][0], 1e-9)
			assert.Equal(t, trace.StallSide, log.Recording.Side)
		})
	}
}

// One phase, another unit than the measurand's, no number, out of range: left out, not guessed.
func TestWhatIsNoReading(t *testing.T) {
	for _, sample := range []string{
		`{"value":"230","measurand":"Voltage","unit":"V","phase":"L1"}`,
		`{"value":"50","measurand":"Voltage","unit":"Celsius"}`,
		`{"value":"n/a","measurand":"SoC","unit":"Percent"}`,
		`{"value":"140","measurand":"SoC","unit":"Percent"}`,
		`{"value":"50","measurand":"Frequency"}`,
	} {
		_, err := meter.Read([]byte(`{"meterValue":[{"timestamp":"`+at+`","sampledValue":[`+sample+`]}]}`), "m")
		assert.ErrorIs(t, err, meter.ErrNone, sample)
	}
}

// Of several outlets the one with most readings counts, and the others are counted; moments of one
// time are one reading; they come in order of time.
func TestOutletsAndOrder(t *testing.T) {
	moment := func(s, sample string) string {
		return `{"timestamp":"2026-02-03T18:20:` + s + `Z","sampledValue":[` + sample + `]}`
	}
	kw, soc := `{"value":"50","measurand":"Power.Active.Import","unit":"kW"}`, `{"value":"20","measurand":"SoC"}`
	log, err := meter.Read([]byte(`[
		[2,"1","MeterValues",{"connectorId":2,"meterValue":[`+moment("10", kw)+`]}],
		[2,"2","MeterValues",{"connectorId":1,"meterValue":[`+moment("30", kw)+`]}],
		[2,"3","MeterValues",{"connectorId":1,"meterValue":[`+moment("05", soc)+`]}],
		[2,"4","MeterValues",{"connectorId":1,"meterValue":[`+moment("05", kw)+`]}],
		[2,"5","StatusNotification",{"connectorId":1,"status":"Charging","errorCode":"NoError"}]]`), "m")
	require.NoError(t, err)
	assert.Equal(t, 1, log.Outlet)
	assert.Equal(t, 1, log.Others)
	assert.Equal(t, []float64{0, 25}, log.Recording.T)
	assert.Equal(t, time.Date(2026, 2, 3, 18, 20, 5, 0, time.UTC), log.StartedAt)
	assert.Equal(t, []float64{50, 50}, log.Recording.Columns[trace.Power])
	assert.Equal(t, 20.0, log.Recording.Columns[trace.SoC][0])
	assert.True(t, math.IsNaN(log.Recording.Columns[trace.SoC][1]), "not carried on")
}

// A log keeps messages behind a time and a name, or as text inside its own JSON; a cut one costs its
// own line.
func TestMessagesInsideALog(t *testing.T) {
	message := `[2,"1","MeterValues",{"connectorId":1,"meterValue":[{"timestamp":"` + at +
		`","sampledValue":[{"value":"50","measurand":"Power.Active.Import","unit":"kW"}]}]}]`
	log, err := meter.Read([]byte("18:20 CP-3 > "+message+"\n18:21 CP-3 > "+message[:90]+"\n"), "m")
	require.NoError(t, err)
	assert.Equal(t, []float64{0}, log.Recording.T)
	assert.Equal(t, []meter.Fault{{Line: 2, Reason: "its message is cut or no JSON"}}, log.Faults)

	kept := `{"direction":"in","message":` + quoted(message) + `}`
	log, err = meter.Read([]byte(kept), "m")
	require.NoError(t, err)
	assert.Equal(t, []float64{50}, log.Recording.Columns[trace.Power])
}

func quoted(s string) string {
	out := []byte{'"'}
	for i := range len(s) {
		if s[i] == '"' {
			out = append(out, '\\')
		}
		out = append(out, s[i])
	}
	return string(append(out, '"'))
}
