// Package trace holds readings against time: channels, recordings, their gaps
// and spikes, and the arithmetic on lines joined through readings.
//
// Nothing here knows what a run is. Times are seconds, powers kilowatts.
package trace

import (
	"zincroad/core/units"
)

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

// Info describes a channel: everything that is known of it before anything is read. The
// database's columns, the headers of files, charts, forms and docs come from this list or
// are compared with it.
type Info struct {
	Channel  Channel
	Name     string // "battery temperature, coldest cell"
	Short    string // "coldest cell"
	Unit     string // the unit that it is kept in, "°C"; empty for money
	Units    []units.Unit
	Min, Max float64 // inclusive; outside, a row is refused
	Decimals int     // that a reading is shown with
	FromZero bool    // a chart of it begins at zero

	// Measurand is its name in the open charge-point protocol (OCPP 1.6, edition 2,
	// 7.31, from memory); empty where that has none.
	Measurand string

	// Header matches the headers, in small letters, that testers' spreadsheets give it
	// (common practice, no source); RE2 syntax. Empty: by its own name only.
	Header string
}

// Channels lists every channel in the order in which files are written.
// The ranges are wide on purpose: they catch a wrong unit or a slipped column,
// not a strange car (common practice, no source).
var Channels = []Info{
	{
		Channel:   SoC,
		Name:      "state of charge",
		Short:     "SoC",
		Unit:      "%",
		Units:     units.Percent,
		Min:       0,
		Max:       100,
		Decimals:  1,
		Measurand: "SoC",
		Header:    `\bsoc\b|soc_pct|state of charge|battery level|charge level|battery pct|battery percent|\b(battery|charge)\W*%|%\W*battery$`,
	},
	{
		Channel: Power, Name: "power", Short: "power", Unit: "kW", Units: units.Power,
		Min: -1000, Max: 5000, Decimals: 1, FromZero: true,
		Measurand: "Power.Active.Import",
		Header:    `power|\bkw\b|power_kw|^w$|^watts?$`,
	},
	{
		Channel: Current, Name: "current", Short: "amps", Unit: "A", Units: units.Current,
		Min: -5000, Max: 5000, Decimals: 0, FromZero: true,
		Measurand: "Current.Import",
		Header:    `current|\bamp|^a$|^i$`,
	},
	{
		Channel: Voltage, Name: "voltage", Short: "volts", Unit: "V", Units: units.Voltage,
		Min: 0, Max: 2000, Decimals: 1,
		Measurand: "Voltage",
		Header:    `volt|^v$|^u$`,
	},
	{
		Channel: RequestedPower, Name: "power the car requests", Short: "requested", Unit: "kW", Units: units.Power,
		Min: 0, Max: 5000, Decimals: 0, FromZero: true,
		Header: `request|demand|target power|power target|wanted`,
	},
	{
		Channel: RequestedAmps, Name: "current the car requests", Short: "requested amps", Unit: "A", Units: units.Current,
		Min: 0, Max: 5000, Decimals: 0, FromZero: true,
		Header: `(request|demand|target|wanted).*(current|amp|_a\b| a\b)`,
	},
	{
		Channel: OfferedPower, Name: "power the stall offers", Short: "offered", Unit: "kW", Units: units.Power,
		Min: 0, Max: 5000, Decimals: 0, FromZero: true,
		Measurand: "Power.Offered",
	},
	{
		Channel: OfferedAmps, Name: "current the stall offers", Short: "offered amps", Unit: "A", Units: units.Current,
		Min: 0, Max: 5000, Decimals: 0, FromZero: true,
		Measurand: "Current.Offered",
	},
	{
		Channel: BatteryTemp, Name: "battery temperature", Short: "battery", Unit: "°C", Units: units.Temperature,
		Min: -60, Max: 150, Decimals: 1,
		Header: `(battery|pack|cell).*temp|temp.*(battery|pack|cell)|^temp(erature)?\b`,
	},
	{
		Channel: BatteryTempMin, Name: "battery temperature, coldest cell", Short: "coldest cell",
		Unit: "°C", Units: units.Temperature, Min: -60, Max: 150, Decimals: 1,
		Header: `(min|cold|low).*(temp|°|cell)|(temp|cell).*(min|cold|low)`,
	},
	{
		Channel: BatteryTempMax, Name: "battery temperature, warmest cell", Short: "warmest cell",
		Unit: "°C", Units: units.Temperature, Min: -60, Max: 150, Decimals: 1,
		Header: `(max|hot|warm|high).*(temp|°|cell)|(temp|cell).*(max|hot|warm|high)`,
	},
	{
		Channel: InletTemp, Name: "inlet temperature", Short: "inlet", Unit: "°C", Units: units.Temperature,
		Min: -60, Max: 200, Decimals: 1,
		Header: `inlet|connector|charge port|plug temp`,
	},
	{
		Channel: AmbientTemp, Name: "outside temperature", Short: "outside", Unit: "°C", Units: units.Temperature,
		Min: -60, Max: 70, Decimals: 1,
		Header: `ambient|outside|outdoor|exterior|air temp`,
	},
	{
		Channel: Energy, Name: "energy register", Short: "register", Unit: "kWh", Units: units.Energy,
		Min: 0, Max: 1e7, Decimals: 2, FromZero: true,
		Measurand: "Energy.Active.Import.Register",
		Header:    `energy|kwh|\bwh\b`,
	},
	{
		Channel: HeaterPower, Name: "battery heater power", Short: "heater", Unit: "kW", Units: units.Power,
		Min: 0, Max: 100, Decimals: 1, FromZero: true,
		Header: `heater|heating`,
	},
	{
		Channel: AuxPower, Name: "auxiliary power", Short: "auxiliaries", Unit: "kW", Units: units.Power,
		Min: -100, Max: 100, Decimals: 1, FromZero: true,
		Header: `\baux|auxiliar|accessor|12 ?v`,
	},
	{
		Channel: Cost, Name: "cost so far", Short: "cost", Unit: "", Units: units.Money,
		Min: 0, Max: 1e6, Decimals: 2, FromZero: true,
		Header: `\bcost|\bprice|\bpaid`,
	},
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
