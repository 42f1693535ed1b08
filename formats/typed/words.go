package typed

import (
	"regexp"

	"zincroad/core/run"
	"zincroad/core/trace"
)

var number = regexp.MustCompile(`^([+\-−]?\d+(?:[.,]\d+)?)\s*(.*)$`)

// unitChannel gives the channel and the unit that a typed unit stands for. A
// degree sign is optional; min and max go before the number of a temperature.
var unitChannel = map[string]struct {
	channel trace.Channel
	unit    string
}{
	"%": {trace.SoC, "%"}, "pct": {trace.SoC, "%"},
	"kw": {trace.Power, "kW"}, "w": {trace.Power, "W"},
	"a": {trace.Current, "A"}, "v": {trace.Voltage, "V"},
	"c": {trace.BatteryTemp, "°C"}, "°c": {trace.BatteryTemp, "°C"}, "°": {trace.BatteryTemp, "°C"},
	"f": {trace.BatteryTemp, "°F"}, "°f": {trace.BatteryTemp, "°F"},
	"kwh": {trace.Energy, "kWh"}, "wh": {trace.Energy, "Wh"},
}

// aside are units of what a screen shows and the arithmetic has no use for: range
// gained an hour, range, minutes. They are kept in the line's note.
var aside = map[string]bool{
	"mph": true, "mi/h": true, "km/h": true, "kmh": true, "km": true, "mi": true, "miles": true, "mile": true,
	"km/min": true, "mi/min": true,
	"min": true, "mins": true, "minutes": true, "s": true, "sec": true,
}

// money are the signs and names of currencies that make a number the price so far.
var money = regexp.MustCompile(`(?i)^(\$|€|£|¥|eur|euro|euros|usd|dollars?|gbp|chf|sek|nok|dkk|pln|czk|kr)$`)

var moneyNumber = regexp.MustCompile(`^([$€£¥])(\d+(?:[.,]\d+)?)$|^(\d+(?:[.,]\d+)?)([$€£¥])$`)

// subject says which channel the next number with a unit belongs to.
type subject map[string]trace.Channel // by unit's own channel

// subjects are words that say whose number comes next: "min 19C", "requested 206 kW",
// "heater on 4.4 kW". Those that happen are marks as well.
var subjects = map[string]struct {
	of   subject
	mark bool
}{
	"min":       {subject{"battery_temp_c": trace.BatteryTempMin}, false},
	"max":       {subject{"battery_temp_c": trace.BatteryTempMax}, false},
	"coldest":   {subject{"battery_temp_c": trace.BatteryTempMin}, false},
	"warmest":   {subject{"battery_temp_c": trace.BatteryTempMax}, false},
	"cell":      {subject{"battery_temp_c": trace.BatteryTemp}, false},
	"battery":   {subject{"battery_temp_c": trace.BatteryTemp}, false},
	"inlet":     {subject{"battery_temp_c": trace.InletTemp}, false},
	"connector": {subject{"battery_temp_c": trace.InletTemp}, false},
	"out":       {subject{"battery_temp_c": trace.AmbientTemp}, false},
	"outside":   {subject{"battery_temp_c": trace.AmbientTemp}, false},
	"ambient":   {subject{"battery_temp_c": trace.AmbientTemp}, false},

	"requested": {requested, false}, "requests": {requested, false}, "request": {requested, false},
	"req":  {requested, false},
	"asks": {requested, false}, "asked": {requested, false}, "wants": {requested, false},
	"offered": {offered, false}, "offers": {offered, false}, "offer": {offered, false},
	"delivered": {subject{}, false}, "delivers": {subject{}, false}, "delivering": {subject{}, false},

	"heater": {heater, true}, "heating": {heater, true}, "preheating": {heater, true},
	"climate": {beside, true}, "cabin": {beside, true}, "fan": {beside, true},
	"fans": {beside, true}, "compressor": {beside, true},
	"pump": {beside, true}, "pumps": {beside, true}, "aux": {beside, false}, "cooling": {beside, true},
}

var (
	requested = subject{"power_kw": trace.RequestedPower, "current_a": trace.RequestedAmps}
	offered   = subject{"power_kw": trace.OfferedPower, "current_a": trace.OfferedAmps}
	heater    = subject{"power_kw": trace.HeaterPower}
	beside    = subject{"power_kw": trace.AuxPower}
)

// fan are words of which nobody says "2kW fans".
var fan = map[string]bool{"fan": true, "fans": true, "compressor": true, "pump": true, "pumps": true, "cooling": true}

// price are words behind which a number without a unit is the price so far.
var price = map[string]bool{"price": true, "cost": true, "costs": true, "paid": true}

// sides are the words that say whose the numbers behind them are.
var sides = map[string]trace.Side{
	"car": trace.CarSide, "dash": trace.CarSide, "dashboard": trace.CarSide,
	"stall": trace.StallSide, "charger": trace.StallSide, "screen": trace.StallSide,
}

// rising is a charge that rose: 5-18%.
var rising = regexp.MustCompile(`^(\d+(?:[.,]\d+)?)\s*%?[-–—](\d+(?:[.,]\d+)?)%$`)

// markWords tell the kind of a mark from its first words.
var markWords = []struct {
	match *regexp.Regexp
	kind  string
}{
	{regexp.MustCompile(`(?i)^(plug(ged)?[- ]?in|replug(ged)?)\b`), run.PlugIn},
	{regexp.MustCompile(`(?i)^un-?plug(ged)?\b`), run.Unplug},
	{regexp.MustCompile(`(?i)^(first[- ]power|power on)\b`), run.FirstPower},
	{regexp.MustCompile(`(?i)^stop(ped)?\b`), run.Stop},
	{
		regexp.MustCompile(
			`(?i)^(attempt|((the )?(payment|card|app|session|handshake|start|charging|charger|stall)` +
				`( was| is| has)? )?(refused|declined|rejected|failed)|dead stall|red light` +
				`|(the )?(stall|charger)( was| is)? (dead|broken|down|offline|out of order)` +
				`|(changed|switched|moved)( to)?( the| a| an)?( next| other| another)? (stall|charger))\b`,
		),
		run.Attempt,
	},
	{regexp.MustCompile(`(?i)^(heater|heating|preheating)\b`), run.Heater},
	{regexp.MustCompile(`(?i)^(fans?|compressor)\b`), run.Fan},
	{regexp.MustCompile(`(?i)^neighbour\b`), run.Neighbour},
}

func mark(note string) *run.Mark {
	for _, w := range markWords {
		if at := w.match.FindStringIndex(note); at != nil {
			kept := note
			if at[1] == len(note) && w.kind != run.Attempt {
				kept = ""
			}
			return &run.Mark{Kind: w.kind, Note: kept}
		}
	}
	return &run.Mark{Kind: run.Note, Note: note}
}
