package stall

import (
	"fmt"
	"maps"
	"strconv"
	"strings"

	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/formats/typed"
)

// lineSet is an order of numbers that a tester types.
type lineSet struct {
	Key    string
	Name   say.Text
	Side   trace.Side
	Fields []trace.Channel
}

// lineSets are the orders to choose from; a word behind a number goes before the order.
var lineSets = []lineSet{
	{
		"screen",
		say.T("line.screen", say.Unit("°C")),
		trace.StallSide,
		[]trace.Channel{trace.SoC, trace.Power, trace.BatteryTempMin},
	},
	{
		"screen-va",
		say.T("line.screen-va"),
		trace.StallSide,
		[]trace.Channel{trace.SoC, trace.Power, trace.Voltage, trace.Current},
	},
	{
		"screen-kwh",
		say.T("line.screen-kwh"),
		trace.StallSide,
		[]trace.Channel{trace.SoC, trace.Power, trace.Energy},
	},
	{"car", say.T("line.car", say.Unit("°C")), trace.CarSide,
		[]trace.Channel{trace.SoC, trace.Power, trace.BatteryTempMin}},
}

func lineSetOf(key string) lineSet {
	for _, l := range lineSets {
		if l.Key == key {
			return l
		}
	}
	return lineSets[0]
}

// Words name the numbers in order, for the field.
func (l lineSet) Words() say.Text {
	var out []say.Text
	for _, c := range l.Fields {
		in, _ := trace.Describe(c)
		if c == trace.SoC {
			out = append(out, say.T("line.soc"))
		} else {
			out = append(out, say.T("line.unit", say.Unit(in.Unit)))
		}
	}
	return say.Join("space", out...)
}

// Example is a line of the set with the units by its numbers.
func (l lineSet) Example() string {
	usual := map[trace.Channel]string{trace.SoC: "48%", trace.Power: "92kW", trace.BatteryTempMin: "21C",
		trace.Voltage: "399V", trace.Current: "230A", trace.Energy: "20.5kWh"}
	var out []string
	for _, c := range l.Fields {
		out = append(out, usual[c])
	}
	return strings.Join(out, " ")
}

// readLine understands a line: a number with a unit by it, a bare one by its place
// in the order of the set. The fault is one sentence.
// in is the temperature unit that the field showed.
func readLine(line string, set lineSet, in string) (map[trace.Channel]float64, string) {
	parts := strings.FieldsFunc(line, func(r rune) bool { return r == ' ' || r == ';' || r == '/' })
	if len(parts) == 0 {
		return nil, nothingTyped
	}
	if got := typed.ParseLine("0:00 "+line, 1); got.Problem == "" && got.Mark == nil && len(got.Values) > 0 {
		return got.Values, "" // every number with its unit, behind a space too
	}
	values := map[trace.Channel]float64{}
	for i, p := range parts {
		if p == "-" || p == "–" {
			continue // nothing to be read there
		}
		v, err := strconv.ParseFloat(strings.Replace(p, ",", ".", 1), 64)
		if err != nil {
			got := typed.ParseLine("0:00 "+p, 1)
			if got.Problem != "" || got.Mark != nil || len(got.Values) == 0 {
				return nil, fmt.Sprintf("%q: expected numbers in the order %s, or each with its unit, such as %s.", p, set.Words(),
					set.Example())
			}
			maps.Copy(values, got.Values)
			continue
		}
		if i >= len(set.Fields) {
			return nil, fmt.Sprintf("%q: %d numbers, but %s are %d.", line, len(parts), set.Words(), len(set.Fields))
		}
		of, _ := trace.Describe(set.Fields[i])
		if of.Unit == "°C" && in != "" {
			if kept, same := units.In(in, of.Unit, v); same {
				v = kept
			}
		}
		if !(v >= of.Min && v <= of.Max) {
			return nil, fmt.Sprintf("%s: expected %s from %s to %s %s.", p, of.Short, words.Figure(of.Min, 0),
				words.Figure(of.Max, 0), of.Unit)
		}
		values[set.Fields[i]] = v
	}
	if len(values) == 0 {
		return nil, nothingTyped
	}
	return values, ""
}

const nothingTyped = "Type a reading, such as 48 89 21."
