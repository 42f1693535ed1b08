// Package trace holds readings against time: channels, recordings, their gaps
// and spikes, and the arithmetic on lines joined through readings.
//
// Nothing here knows what a run is. Times are seconds, powers kilowatts.
package trace

import "zincroad/core/units"

// Channel names one measured quantity; the name is also its CSV header.
type Channel string

// The channels of a charging log.
const (
	SoC            Channel = "soc_pct"
	Power          Channel = "power_kw"
	Current        Channel = "current_a"
	Voltage        Channel = "voltage_v"
	RequestedPower Channel = "requested_kw"
	RequestedAmps  Channel = "requested_a"
	OfferedPower   Channel = "offered_kw"
	OfferedAmps    Channel = "offered_a"
	BatteryTemp    Channel = "battery_temp_c"
	BatteryTempMin Channel = "battery_temp_min_c"
	BatteryTempMax Channel = "battery_temp_max_c"
	InletTemp      Channel = "inlet_temp_c"
	AmbientTemp    Channel = "ambient_c"
	Energy         Channel = "energy_kwh"
	HeaterPower    Channel = "heater_kw"
	AuxPower       Channel = "aux_kw"
	Cost           Channel = "cost"
)

// Info describes a channel: its words for people, its unit, and the range a
// reading of it must lie in to be believed.
type Info struct {
	Channel  Channel
	Name     string // "battery temperature, coldest cell"
	Short    string // "coldest cell"
	Unit     string // "°C"; empty for money
	Units    []units.Unit
	Min, Max float64 // inclusive; outside, a row is refused
}

// Channels lists every channel in the order in which files are written.
// The ranges are wide on purpose: they catch a wrong unit or a slipped column,
// not a strange car (common practice, no source).
var Channels = []Info{
	{SoC, "state of charge", "SoC", "%", units.Percent, 0, 100},
	{Power, "power", "power", "kW", units.Power, -1000, 5000},
	{Current, "current", "amps", "A", units.Current, -5000, 5000},
	{Voltage, "voltage", "volts", "V", units.Voltage, 0, 2000},
	{RequestedPower, "power the car requests", "requested", "kW", units.Power, 0, 5000},
	{RequestedAmps, "current the car requests", "requested amps", "A", units.Current, 0, 5000},
	{OfferedPower, "power the stall offers", "offered", "kW", units.Power, 0, 5000},
	{OfferedAmps, "current the stall offers", "offered amps", "A", units.Current, 0, 5000},
	{BatteryTemp, "battery temperature", "battery", "°C", units.Temperature, -60, 150},
	{BatteryTempMin, "battery temperature, coldest cell", "coldest cell", "°C", units.Temperature, -60, 150},
	{BatteryTempMax, "battery temperature, warmest cell", "warmest cell", "°C", units.Temperature, -60, 150},
	{InletTemp, "inlet temperature", "inlet", "°C", units.Temperature, -60, 200},
	{AmbientTemp, "outside temperature", "outside", "°C", units.Temperature, -60, 70},
	{Energy, "energy register", "register", "kWh", units.Energy, 0, 1e7},
	{HeaterPower, "battery heater power", "heater", "kW", units.Power, 0, 100},
	{AuxPower, "auxiliary power", "auxiliaries", "kW", units.Power, -100, 100},
	{Cost, "cost so far", "cost", "", units.Money, 0, 1e6},
}

var infoOf = func() map[Channel]Info {
	m := make(map[Channel]Info, len(Channels))
	for _, in := range Channels {
		m[in.Channel] = in
	}
	return m
}()

// Describe gives a channel's description, and false for a name that is none.
func Describe(c Channel) (Info, bool) {
	in, ok := infoOf[c]
	return in, ok
}

// Side says whose reading it is.
type Side string

// The two sides of the plug.
const (
	CarSide   Side = "car"
	StallSide Side = "stall"
)
