package chart

import (
	"encoding/json"
	"fmt"
	"html/template"
	"net/url"
	"slices"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// channelChoice is a quantity that a curve can show.
type channelChoice struct {
	Key, Name, Unit string
	Channel         trace.Channel
	FromZero        bool
	Decimals        int
}

// Channels are the quantities in the order of the menu: what was read, as the list
// of channels has it, and what core/curve works out.
var Channels = []channelChoice{
	{"power", "Power", "kW", trace.Power, true, 1},
	{"c-rate", "C-rate", "1/h", curve.CRate, true, 2},
	read("volts", trace.Voltage),
	read("amps", trace.Current),
	read("coldest", trace.BatteryTempMin),
	read("warmest", trace.BatteryTempMax),
	read("battery", trace.BatteryTemp),
	read("soc", trace.SoC),
	{"energy", "energy", "kWh", curve.EnergyAdded, true, 1},
	{"distance", "distance", "km", curve.DistanceAdded, true, 0},
	{"cost", "cost", "", curve.CostSoFar, true, 2},
	read("requested", trace.RequestedPower),
	read("heater", trace.HeaterPower),
}

// read is the choice of a channel that was read, under a key of the address.
func read(key string, c trace.Channel) channelChoice {
	in, _ := trace.Describe(c)
	return channelChoice{key, in.Short, in.Unit, c, in.FromZero, in.Decimals}
}

// ChannelOf gives the choice of a key.
func ChannelOf(key string) channelChoice {
	for _, c := range Channels {
		if c.Key == key {
			return c
		}
	}
	return Channels[0]
}

// axisChoice is what a curve can be drawn against.
type axisChoice struct {
	Key, Name, Long, Unit string
	Channel               trace.Channel // empty: time
	sincePct              float64       // of the time axis: the charge from which it counts; 0: the clock's zero
}

var axisChoices = []axisChoice{
	{"soc", "SoC", "state of charge", "%", trace.SoC, 0},
	{"minutes", "minutes", "minutes", "", "", 0},
	{"soc-added", "SoC added", "state of charge added", "%", curve.SoCAdded, 0},
	{"energy-added", "energy added", "energy added", "kWh", curve.EnergyAdded, 0},
}

// since is the time from a charge that all subjects reach.
func since(pct float64) axisChoice {
	name := fmt.Sprintf("minutes since %s %%", words.Figure(pct, 0))
	return axisChoice{"since", name, name, "", "", pct}
}

// Query is what the address says about a curve.
type Query struct {
	In            units.People // the reader's units
	Channel, Axis string
	Clock         curve.Clock
	Side          trace.Side
	SincePct      float64 // a charge from which minutes can be counted; 0: not offered
	Recorded      bool    // as recorded: nothing put right, no clock lined up
}

// ReadQuery reads an address; what is none of its choices is the default.
func ReadQuery(v url.Values) Query {
	q := Query{
		Channel: v.Get("channel"),
		Axis:    v.Get("axis"),
		Clock:   curve.Clock(v.Get("clock")),
		Side:    trace.Side(v.Get("side")),
	}
	q.Recorded = v.Get("as") == "recorded"
	if q.Clock != curve.PlugClock && q.Clock != curve.PowerClock {
		q.Clock = ""
	}
	if q.Side != trace.CarSide && q.Side != trace.StallSide {
		q.Side = ""
	}
	if q.Axis == "" {
		q.Axis = "soc"
	}
	if q.Channel == "" {
		q.Channel = "power"
	}
	return q
}

// values gives the query with one key changed, for links.
func (q Query) With(key, value string, extra url.Values) string {
	v := url.Values{}
	for k, list := range extra {
		v[k] = list
	}
	set := func(k, s, standard string) {
		if k == key {
			s = value
		}
		if s != "" && s != standard {
			v.Set(k, s)
		}
	}
	set("channel", q.Channel, "power")
	set("axis", q.Axis, "soc")
	set("clock", string(q.Clock), "")
	set("side", string(q.Side), "")
	as := ""
	if q.Recorded {
		as = "recorded"
	}
	set("as", as, "")
	return "?" + v.Encode()
}

// View is a curve with the choices around it.
type View struct {
	SVG      string
	Channels []Choice
	Axes     []Choice
	Table    []string
	Data     template.JS // what the reading cursor reads out
	Channel  channelChoice
	Axis     axisChoice
	Missing  []string // names of runs without this channel
	Noted    []string // names of runs whose C-rate is of a capacity that was noted, not measured
	Band     string   // what line and band of a group are; empty: no group of several is drawn
	SVGHref  string
}

// Shows says what the curve shows, and against what.
func (v View) Shows() string {
	name := v.Channel.Name
	return strings.ToUpper(name[:1]) + name[1:] + " against " + v.Axis.Name
}

// Choice is one entry of a row of links, by which a reader chooses.
type Choice struct {
	Name, Href string
	On         bool // it is the one that stands
}

// A makes a choice.
func A(name, href string, on bool) Choice { return Choice{name, href, on} }

// begun finds the channel and the axis that were asked for, among those that the subjects have.
func begun(subjects []Subject, q Query, extra url.Values, title string) (View, draw.Curves) {
	v := View{Channel: Channels[0], Axis: axisChoices[0]}
	for _, c := range Channels {
		available := false
		for i := range subjects {
			t, _ := subjects[i].Column(c.Channel)
			available = available || t != nil
		}
		if !available {
			continue
		}
		if c.Key == q.Channel {
			v.Channel = c
		}
		v.Channels = append(v.Channels, Choice{c.Name, q.With("channel", c.Key, extra), c.Key == q.Channel})
	}
	if v.Channel.Channel == curve.CostSoFar {
		v.Channel.Unit = currencyOf(subjects)
	}
	axes := axisChoices
	if q.SincePct > 0 {
		axes = append(slices.Clone(axes), since(q.SincePct))
	}
	for _, a := range axes {
		if a.Key == q.Axis {
			v.Axis = a
		}
		v.Axes = append(v.Axes, Choice{a.Name, q.With("axis", a.Key, extra), a.Key == q.Axis})
	}
	k := draw.Curves{
		Title: fmt.Sprintf("%s: %s against %s", title, v.Channel.Name, v.Axis.Long),
		XName: v.Axis.Long, XUnit: v.Axis.Unit, YName: v.Channel.Name, YUnit: v.Channel.Unit,
		Minutes: v.Axis.Channel == "", FromZero: v.Channel.FromZero, Axis: v.Axis.Key,
	}
	if v.Axis.Key == "soc" {
		k.XFrom, k.XTo = 0, 100
	}
	if len(subjects) > 1 {
		k.Height = 300
	}
	for i := range subjects {
		if t, _ := subjects[i].Column(curve.CRate); v.Channel.Channel == curve.CRate && t != nil &&
			subjects[i].Reading.Usable == nil {
			v.Noted = append(v.Noted, subjects[i].Name)
		}
	}
	return v, k
}

// currencyOf is the currency that all subjects were paid in; empty: not noted, or not the same.
func currencyOf(subjects []Subject) string {
	currency := ""
	for i, s := range subjects {
		c := s.Reading.Cost
		if c == nil || i > 0 && c.Currency != currency {
			return ""
		}
		currency = c.Currency
	}
	return currency
}

// Of draws a channel of the subjects against an axis.
func Of(subjects []Subject, q Query, extra url.Values, title string) View {
	v, k := begun(subjects, q, extra, title)
	for i := range subjects {
		t, y := subjects[i].Column(v.Channel.Channel)
		if t == nil {
			v.Missing = append(v.Missing, subjects[i].Name)
			continue
		}
		y = ui.Converted(y, v.Channel.Unit, q.In)
		x := subjects[i].Against(v.Axis, t)
		x, y = trimmed(t, x, y)
		line := draw.Line{Name: subjects[i].Name, X: x, Y: y, Style: len(k.Lines)}
		if subjects[i].Behind {
			k.Crowd = append(k.Crowd, line)
		} else {
			k.Lines = append(k.Lines, line)
		}
	}
	v.finish(k, q)
	return v
}

// finish draws the curves into the view.
func (v *View) finish(k draw.Curves, q Query) {
	k.YUnit, v.Channel.Unit = q.In.Name(v.Channel.Unit), q.In.Name(v.Channel.Unit)
	v.SVG = k.SVG()
	v.Data = cursorData(k, *v)
}

// cursorData puts the lines into JSON for the reading cursor.
func cursorData(k draw.Curves, v View) template.JS {
	type line struct {
		Name  string       `json:"name"`
		X     trace.Floats `json:"x"`
		Y     trace.Floats `json:"y"`
		Style int          `json:"style"`
	}
	out := struct {
		Axis     string `json:"axis"`
		XName    string `json:"x_name"`
		XUnit    string `json:"x_unit"`
		Minutes  bool   `json:"minutes"`
		YName    string `json:"y_name"`
		YUnit    string `json:"y_unit"`
		Decimals int    `json:"decimals"`
		Lines    []line `json:"lines"`
	}{v.Axis.Key, v.Axis.Name, v.Axis.Unit, k.Minutes, v.Channel.Name, v.Channel.Unit, v.Channel.Decimals, []line{}}
	for _, l := range k.Lines {
		out.Lines = append(out.Lines, line{l.Name, l.X, l.Y, l.Style})
	}
	b, err := json.Marshal(out)
	if err != nil {
		return "{}"
	}
	return template.JS(b) //nolint:gosec // made by encoding/json, which escapes < and >
}
