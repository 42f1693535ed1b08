// Package buslog reads what candump, of the SocketCAN utilities, logs of a car's bus: frames as text, which a DBC file
// names the signals of. A profile says which of them are which channel, once per car; the log is then streamed into
// readings a second apart, however long it is.
package buslog

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"go.einride.tech/can"
	"go.einride.tech/can/pkg/dbc"
	"go.einride.tech/can/pkg/descriptor"

	"zincroad/core/trace"
	"zincroad/core/units"
)

// Limits of a profile: no car's comes near them.
const (
	MostDBC     = 8 << 20 // bytes
	MostSignals = 1 << 16 // of their text, bytes
)

// Profile says which signals of a bus are which channels.
type Profile struct {
	Channels []trace.Channel // that it has signals for, in the order of trace.Channels

	byID map[uint32][]signal // by the frame's id, extended ones with extendedBit
}

// extendedBit tells an id of 29 bits from one of 11.
const extendedBit = 1 << 31

// signal is a signal that is read.
type signal struct {
	name   string
	in     descriptor.Signal
	bytes  int                // that a frame must have to hold it
	min    float64            // in the signal's unit; min and max equal: it has none
	max    float64            //
	unit   units.Unit         // of the signal, into that of the channel
	sign   float64            // -1 where the bus counts the other way round
	column int                // of the channel
	mux    *descriptor.Signal // that says whether a frame holds it; nil: each does
	when   uint64
}

// NewProfile reads a DBC file and the text that names a car's signals: a line for each, the signal and the channel as
// our CSV spells it, such as "BmsSoc soc_pct"; "turned" behind it where the bus counts it the other way round, and the
// message before it with a point where two messages have a signal of that name. Lines that begin with # are passed
// over.
func NewProfile(file []byte, names string) (*Profile, error) {
	if len(file) > MostDBC || len(names) > MostSignals {
		return nil, errors.New("the DBC file or the list of signals is larger than any car's")
	}
	messages, floats, err := parse(file)
	if err != nil {
		return nil, err
	}
	p := &Profile{byID: map[uint32][]signal{}}
	type line struct {
		n       int
		message *dbc.MessageDef
		def     *dbc.SignalDef
		channel trace.Channel
		turned  bool
	}
	var lines []line
	for i, text := range strings.Split(names, "\n") {
		text = strings.TrimSpace(text)
		if text == "" || strings.HasPrefix(text, "#") {
			continue
		}
		wrong := func(format string, args ...any) error {
			return fmt.Errorf("signals, line %d: %s", i+1, fmt.Sprintf(format, args...))
		}
		words := strings.Fields(text)
		if len(words) < 2 || len(words) > 3 || len(words) == 3 && words[2] != "turned" {
			return nil, wrong("expected a signal and a channel, such as \"BmsSoc soc_pct\"")
		}
		channel := trace.Channel(words[1])
		if _, known := trace.Describe(channel); !known {
			return nil, wrong("there is no channel %q", words[1])
		}
		found := find(messages, words[0])
		switch {
		case len(found) == 0:
			return nil, wrong("the DBC file has no signal %q", words[0])
		case len(found) > 1:
			return nil, wrong("%d messages have a signal %q: write the message before it, as in %s.%s", len(found), words[0],
				found[0].Name, words[0])
		case slices.ContainsFunc(lines, func(l line) bool { return l.channel == channel }):
			return nil, wrong("%s has a signal already", channel)
		}
		_, name, qualified := strings.Cut(words[0], ".")
		if !qualified {
			name = words[0]
		}
		at := slices.IndexFunc(found[0].Signals, func(s dbc.SignalDef) bool { return string(s.Name) == name })
		lines = append(lines, line{i + 1, found[0], &found[0].Signals[at], channel, len(words) == 3})
	}
	if len(lines) == 0 {
		return nil, errors.New("signals: none is named")
	}
	for _, in := range trace.Channels {
		if slices.ContainsFunc(lines, func(l line) bool { return l.channel == in.Channel }) {
			p.Channels = append(p.Channels, in.Channel)
		}
	}
	for _, l := range lines {
		s, err := signalOf(l.message, l.def, l.channel, floats[key{l.message.MessageID, l.def.Name}])
		if err != nil {
			return nil, fmt.Errorf("signals, line %d: %w", l.n, err)
		}
		if s.column = slices.Index(p.Channels, l.channel); l.turned {
			s.sign = -1
		}
		id := l.message.MessageID.ToCAN()
		if l.message.MessageID.IsExtended() {
			id |= extendedBit
		}
		p.byID[id] = append(p.byID[id], s)
	}
	return p, nil
}

// Signals lists the signals of a DBC file with their units, each by its message and a point before it.
func Signals(file []byte) (names []string, err error) {
	if len(file) > MostDBC {
		return nil, errors.New("the DBC file is larger than any car's")
	}
	messages, _, err := parse(file)
	if err != nil {
		return nil, err
	}
	for _, m := range messages {
		for _, s := range m.Signals {
			name := string(m.Name) + "." + string(s.Name)
			if s.Unit != "" {
				name += ", " + s.Unit
			}
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return nil, errors.New("the DBC file has no signal")
	}
	return names, nil
}

type key struct {
	message dbc.MessageID
	signal  dbc.Identifier
}

// parse reads a DBC file: its messages, and which signals are floating point.
func parse(file []byte) (messages []*dbc.MessageDef, floats map[key]bool, err error) {
	defer func() { // a library's panic on a broken file is no fault of ours
		if p := recover(); p != nil {
			err = errors.New("the DBC file cannot be read")
		}
	}()
	d := dbc.NewParser("dbc", file)
	if err := d.Parse(); err != nil {
		return nil, nil, fmt.Errorf("the DBC file, line %d: %s", err.Position().Line, err.Reason())
	}
	floats = map[key]bool{}
	for _, def := range d.Defs() {
		switch x := def.(type) {
		case *dbc.MessageDef:
			messages = append(messages, x)
		case *dbc.SignalValueTypeDef:
			floats[key{x.MessageID, x.SignalName}] = x.SignalValueType == dbc.SignalValueTypeFloat32
		}
	}
	return messages, floats, nil
}

// find gives the messages that have a signal, which may be named by its message too.
func find(messages []*dbc.MessageDef, name string) (out []*dbc.MessageDef) {
	message, signal, qualified := strings.Cut(name, ".")
	if !qualified {
		signal = name
	}
	for _, m := range messages {
		if qualified && string(m.Name) != message {
			continue
		}
		if slices.ContainsFunc(m.Signals, func(s dbc.SignalDef) bool { return string(s.Name) == signal }) {
			out = append(out, m)
		}
	}
	return out
}

// unitNames are units as DBC files write them, by ours; small letters.
var unitNames = map[string]string{"degc": "°C", "deg c": "°C", "c": "°C", "°c": "°C", "celsius": "°C", "degf": "°F",
	"%": "%", "percent": "%", "kw": "kW", "w": "W", "v": "V", "mv": "mV", "a": "A", "ma": "mA", "kwh": "kWh", "wh": "Wh",
	"k": "K", "kj": "kJ"}

// signalOf is a signal with everything that reading it takes.
func signalOf(m *dbc.MessageDef, d *dbc.SignalDef, c trace.Channel, float bool) (signal, error) {
	s := signal{name: string(d.Name), in: inFrame(d), min: d.Minimum, max: d.Maximum, bytes: bytesOf(d), sign: 1,
		unit: units.Unit{Factor: 1}}
	s.in.IsFloat = float
	if d.Size == 0 || d.Size > 64 || s.bytes > can.MaxDataLength {
		return s, fmt.Errorf("%s lies outside of a frame of %d bytes", s.name, can.MaxDataLength)
	}
	in, _ := trace.Describe(c)
	if written := strings.ToLower(strings.TrimSpace(d.Unit)); written != "" && in.Unit != "" {
		u, ok := units.Find(in.Units, unitNames[written])
		if !ok {
			return s, fmt.Errorf("%s is in %q, in which %s cannot be", s.name, d.Unit, c)
		}
		s.unit = u
	}
	if d.IsMultiplexed {
		at := slices.IndexFunc(m.Signals, func(x dbc.SignalDef) bool { return x.IsMultiplexerSwitch })
		if at < 0 {
			return s, fmt.Errorf("%s is multiplexed, and its message has no switch", s.name)
		}
		mux := inFrame(&m.Signals[at])
		s.mux, s.when, s.bytes = &mux, d.MultiplexerSwitch, max(s.bytes, bytesOf(&m.Signals[at]))
	}
	return s, nil
}

func inFrame(d *dbc.SignalDef) descriptor.Signal {
	return descriptor.Signal{Name: string(d.Name),
		Start: uint8(d.StartBit), Length: uint8(d.Size), //nolint:gosec // bounded by bytesOf
		IsBigEndian: d.IsBigEndian, IsSigned: d.IsSigned, Scale: d.Factor, Offset: d.Offset}
}

// bytesOf is how many bytes a frame must have to hold a signal. Bits are counted as DBC does: from the lowest of the
// first byte upward, a signal of big-endian order from its highest bit.
func bytesOf(d *dbc.SignalDef) int {
	last := d.StartBit + d.Size - 1
	if d.IsBigEndian {
		inFirst := d.StartBit%8 + 1
		last = d.StartBit / 8 * 8
		if d.Size > inFirst {
			last += (d.Size - inFirst + 7) / 8 * 8
		}
	}
	if last > math.MaxInt16 {
		return math.MaxInt16
	}
	return int(last/8) + 1 //nolint:gosec // bounded
}

// of reads the signal from a frame, in the channel's unit; NaN where it is not in it, or is no value: one outside of
// what the DBC file allows, by which a bus says that there is none.
func (s *signal) of(data can.Data, length int) float64 {
	if length < s.bytes || s.mux != nil && s.mux.UnmarshalUnsigned(data) != s.when {
		return math.NaN()
	}
	var raw float64
	switch {
	case s.in.IsFloat:
		raw = s.in.UnmarshalFloat(data)
	case s.in.IsSigned:
		raw = float64(s.in.UnmarshalSigned(data))
	default:
		raw = float64(s.in.UnmarshalUnsigned(data))
	}
	v := raw*s.in.Scale + s.in.Offset
	if s.min < s.max && (v < s.min || v > s.max) || math.IsInf(v, 0) {
		return math.NaN()
	}
	return math.Round(s.sign*s.unit.Convert(v)*1e9) / 1e9 // a tenth is 0.1, not the nearest sum of twos times ten
}
