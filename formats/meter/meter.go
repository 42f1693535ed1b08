// Package meter reads the meter values of charge points, as the open charge-point protocol
// writes them: single messages as they are sent and stored (OCPP 1.6 JSON, edition 2, 5.10 and
// 7.32; OCPP 2.0.1 part 2, MeterValues and TransactionEvent), lists of them, and logs that hold
// one in each line.
package meter

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"zincroad/core/trace"
	"zincroad/core/units"
)

// Value is one moment of a charge point's meter.
type Value struct {
	Timestamp time.Time `json:"timestamp"`
	Sampled   []Sample  `json:"sampledValue"`
}

// Sample is one quantity at that moment, of either version of the protocol.
type Sample struct {
	Value     Number `json:"value"`     // a text in 1.6, a number in 2.0.1
	Measurand string `json:"measurand"` // empty: the energy register
	Unit      string `json:"unit"`      // 1.6; empty: the protocol's default
	Phase     string `json:"phase"`

	UnitOfMeasure *struct { // 2.0.1
		Unit       string `json:"unit"`
		Multiplier int    `json:"multiplier"` // power of ten
	} `json:"unitOfMeasure"`
}

// Number is a number, or a text that holds one; NaN for any other text.
type Number float64

// UnmarshalJSON reads a number or a text.
func (n *Number) UnmarshalJSON(b []byte) error {
	text := strings.Trim(string(b), `"`)
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsInf(v, 0) {
		v = math.NaN()
	}
	*n = Number(v)
	return nil
}

// measurands are the protocol's quantities that have a channel here.
var measurands = func() map[string]trace.Info {
	m := map[string]trace.Info{}
	for _, in := range trace.Channels {
		if in.Measurand != "" {
			m[in.Measurand] = in
		}
	}
	m[""], _ = trace.Describe(trace.Energy) // the protocol's default
	return m
}()

// protocolUnits are the protocol's units by the unit that a channel is kept in; one that
// is not said is the protocol's default, which is the first of the kind.
var protocolUnits = map[string]map[string]units.Unit{
	"kWh": {"": {Factor: 1e-3}, "Wh": {Factor: 1e-3}, "kWh": {Factor: 1}},
	"kW":  {"": {Factor: 1e-3}, "W": {Factor: 1e-3}, "kW": {Factor: 1}},
	"A":   {"": {Factor: 1}, "A": {Factor: 1}},
	"V":   {"": {Factor: 1}, "V": {Factor: 1}},
	"%":   {"": {Factor: 1}, "Percent": {Factor: 1}},
}

// Channels are the values that can be read, in the channels' own units. Values of a
// single phase are left out, and those outside a channel's range.
func (v *Value) Channels() map[trace.Channel]float64 {
	out := map[trace.Channel]float64{}
	for _, s := range v.Sampled {
		in, ok := measurands[s.Measurand]
		if !ok || s.Phase != "" {
			continue
		}
		unit, x := s.Unit, float64(s.Value)
		if m := s.UnitOfMeasure; m != nil {
			unit = m.Unit
			x *= math.Pow10(m.Multiplier)
		}
		u, ok := protocolUnits[in.Unit][unit]
		if !ok || math.IsNaN(x) {
			continue
		}
		if x = u.Convert(x); x >= in.Min && x <= in.Max {
			out[in.Channel] = x
		}
	}
	return out
}

// message is what of any message of the protocol is looked at.
type message struct {
	ConnectorID     *int              `json:"connectorId"`
	EVSEID          *int              `json:"evseId"`
	EVSE            *struct{ ID int } `json:"evse"` // of a transaction event
	MeterValue      []Value           `json:"meterValue"`
	TransactionData []Value           `json:"transactionData"` // of a stopped transaction, 1.6
}

// outlet is the place on the charge point that a message speaks of; 0 where it names none.
func (m *message) outlet() int {
	switch {
	case m.ConnectorID != nil:
		return *m.ConnectorID
	case m.EVSEID != nil:
		return *m.EVSEID
	case m.EVSE != nil:
		return m.EVSE.ID
	}
	return 0
}

// ErrNone is what Read returns, wrapped, for a text without meter values.
var ErrNone = errors.New("no meter values")

// Looks tells whether the beginning of a text can be one with meter values.
func Looks(head []byte) bool { return bytes.Contains(head, []byte(`"sampledValue"`)) }

// Fault is a line whose message could not be read.
type Fault struct {
	Line   int
	Reason string
}

// Log is what a text of meter values holds: one outlet's readings in order of time.
type Log struct {
	StartedAt time.Time // of the first
	Recording *trace.Recording
	Outlet    int // 0: not named
	Others    int // readings of other outlets, left out
	Faults    []Fault
}

// Read reads a text of meter values: one message, a list of them, or one in each line, with
// whatever a log puts before it. Where several outlets speak, the one with most readings counts.
func Read(text []byte, name string) (*Log, error) {
	text = bytes.TrimPrefix(text, []byte{0xef, 0xbb, 0xbf})
	byOutlet := map[int][]Value{}
	take := func(m message) {
		values := append(m.MeterValue, m.TransactionData...)
		byOutlet[m.outlet()] = append(byOutlet[m.outlet()], values...)
	}
	log := &Log{}
	if whole := messages(text); len(whole) > 0 {
		for _, m := range whole {
			take(m)
		}
	} else {
		sc := bufio.NewScanner(bytes.NewReader(text))
		sc.Buffer(nil, 16<<20)
		for n := 1; sc.Scan(); n++ {
			line := sc.Bytes()
			if !bytes.Contains(line, []byte(`"meterValue"`)) && !bytes.Contains(line, []byte("sampledValue")) {
				continue
			}
			found := messages(line[max(0, bytes.IndexAny(line, "[{")):])
			if len(found) == 0 {
				log.Faults = append(log.Faults, Fault{n, "its message is cut or no JSON"})
			}
			for _, m := range found {
				take(m)
			}
		}
	}
	var values []Value
	for outlet, v := range byOutlet {
		if len(v) > len(values) || len(v) == len(values) && outlet < log.Outlet {
			values, log.Outlet = v, outlet
		}
		log.Others += len(v)
	}
	log.Others -= len(values)
	log.take(values)
	if log.Recording == nil {
		return nil, fmt.Errorf("%s holds %w", name, ErrNone)
	}
	log.Recording.Name, log.Recording.Side = name, trace.StallSide
	return log, nil
}

// messages gives the messages of a JSON text: a payload, a call [2, id, action, payload], or a
// list of either. Empty where it is no such thing.
func messages(text []byte) []message {
	text = bytes.TrimSpace(text)
	d := json.NewDecoder(bytes.NewReader(text))
	var out []message
	var raw json.RawMessage
	if d.Decode(&raw) != nil {
		return nil
	}
	if d.More() && bytes.Count(text, []byte{'\n'}) > 0 { // one in each line
		return nil
	}
	var single message
	if raw[0] == '{' {
		if json.Unmarshal(raw, &single) == nil && len(single.MeterValue)+len(single.TransactionData) > 0 {
			return append(out, single)
		}
		var wrapped map[string]json.RawMessage // what a log keeps beside the message
		if json.Unmarshal(raw, &wrapped) == nil {
			for _, part := range wrapped {
				if bytes.Contains(part, []byte("sampledValue")) {
					out = append(out, messages(unquoted(part))...)
				}
			}
		}
		return out
	}
	var list []json.RawMessage
	if raw[0] != '[' || json.Unmarshal(raw, &list) != nil {
		return nil
	}
	var kind int
	if len(list) == 4 && json.Unmarshal(list[0], &kind) == nil {
		return messages(list[3])
	}
	for _, part := range list {
		var v Value
		if json.Unmarshal(part, &v) == nil && len(v.Sampled) > 0 { // a bare list of moments
			out = append(out, message{MeterValue: []Value{v}})
			continue
		}
		out = append(out, messages(part)...)
	}
	return out
}

// unquoted gives the text of a JSON string, anything else as it is: some logs keep a message as text.
func unquoted(part json.RawMessage) []byte {
	var s string
	if json.Unmarshal(part, &s) == nil {
		return []byte(s)
	}
	return part
}

// take makes the recording of some moments; those of one time are one reading.
func (l *Log) take(values []Value) {
	values = slices.DeleteFunc(values, func(v Value) bool { return v.Timestamp.IsZero() })
	slices.SortStableFunc(values, func(a, b Value) int { return a.Timestamp.Compare(b.Timestamp) })
	rec := &trace.Recording{Columns: map[trace.Channel][]float64{}}
	for _, v := range values {
		got := v.Channels()
		if len(got) == 0 {
			continue
		}
		if len(rec.T) == 0 {
			l.StartedAt = v.Timestamp.UTC()
		}
		t := v.Timestamp.Sub(l.StartedAt).Seconds()
		if n := len(rec.T); n == 0 || rec.T[n-1] != t {
			rec.T = append(rec.T, t)
			for c := range rec.Columns {
				rec.Columns[c] = append(rec.Columns[c], math.NaN())
			}
		}
		for c, x := range got {
			if rec.Columns[c] == nil {
				rec.Columns[c] = make([]float64, len(rec.T))
				for i := range rec.Columns[c] {
					rec.Columns[c][i] = math.NaN()
				}
			}
			rec.Columns[c][len(rec.T)-1] = x
		}
	}
	if len(rec.T) > 0 {
		l.Recording = rec
	}
}
