package units

import (
	"strings"
)

// written maps how people and loggers write units to their names.
var written = map[string]string{
	"%": "%", "pct": "%", "percent": "%", "‰": "permille", "cents": "hundredths",
	"kw": "kW", "kilowatts": "kW", "w": "W", "watts": "W", "mw": "MW", "hp": "hp",
	"a": "A", "amps": "A", "ma": "mA", "v": "V", "volts": "V", "mv": "mV", "kv": "kV",
	"c": "°C", "°c": "°C", "°": "°C", "degc": "°C", "celsius": "°C",
	"f": "°F", "°f": "°F", "degf": "°F", "fahrenheit": "°F", "k": "K",
	"kwh": "kWh", "wh": "Wh", "mj": "MJ", "kj": "kJ",
	"km": "km", "mi": "mi", "mile": "mi", "miles": "mi", "m": "m",
	"km/h": "km/h", "kmh": "km/h", "kph": "km/h", "mph": "mph",
	"wh/km": "Wh/km", "wh/mi": "Wh/mi", "kwh/100km": "kWh/100 km", "kwh/100 km": "kWh/100 km",
}

// Written gives the name of a unit as somebody wrote it, in any case: "degF" is °F.
// False for one that is not known.
func Written(s string) (name string, ok bool) {
	name, ok = written[strings.ToLower(strings.TrimSpace(s))]
	return name, ok
}
