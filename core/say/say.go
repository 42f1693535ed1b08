// Package say carries meaning from the arithmetic to whoever shows it: a text is codes with what they tell of, and
// becomes a sentence where its reader's units are known. What is stored of it are the codes, so that a sentence may be
// written anew without working out a run again.
package say

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"

	"zincroad/core/units"
)

// Message is one thing that is told: a code of the table english, and what it tells of. An argument is a Quantity, an
// int that is counted, a string of somebody's own that is shown as it is, or a Text.
type Message struct {
	Code string
	Args []any
}

// Text is what is told in one piece, as messages in a row; the zero value says nothing.
type Text []Message

// T is a text of one message.
func T(code string, args ...any) Text { return Text(nil).And(code, args...) }

// And goes on with another message.
func (t Text) And(code string, args ...any) Text {
	for i, a := range args {
		args[i] = settled(a)
	}
	return append(t[:len(t):len(t)], Message{code, args})
}

// settled makes an argument one of the kinds that a message has: names of a type of their own are strings, constants
// bare numbers.
func settled(a any) any {
	switch v := reflect.ValueOf(a); {
	case a == nil:
		return Text(nil)
	case v.Kind() == reflect.String:
		return v.String()
	case v.CanInt():
		return int(v.Int())
	case v.CanFloat():
		return Fig(v.Float(), 6)
	}
	return a
}

// Then goes on with another text.
func (t Text) Then(more Text) Text { return append(t[:len(t):len(t)], more...) }

// Own is a text of somebody's own, which is shown as it was typed.
func Own(text string) Text {
	if text == "" {
		return nil
	}
	return T("own", text)
}

// Join puts several texts in a row, with a message between them.
func Join(between string, texts ...Text) Text {
	var out Text
	for i, t := range texts {
		if i > 0 {
			out = out.And(between)
		}
		out = out.Then(t)
	}
	return out
}

// List puts several texts in a row, with commas.
func List(texts ...Text) Text { return Join("comma", texts...) }

// Listed is List with "and" before the last.
func Listed(texts ...Text) Text {
	n := len(texts)
	if n < 2 {
		return List(texts...)
	}
	return List(texts[:n-1]...).And("and").Then(texts[n-1])
}

// Any tells whether anything is said.
func (t Text) Any() bool { return len(t) > 0 }

// Is tells whether two texts say the same.
func (t Text) Is(other Text) bool { return t.In(units.People{}) == other.In(units.People{}) }

// Has tells whether a text has a message of a code in it.
func (t Text) Has(code string) bool {
	for _, m := range t {
		if m.Code == code {
			return true
		}
		for _, a := range m.Args {
			if inner, ok := a.(Text); ok && inner.Has(code) {
				return true
			}
		}
	}
	return false
}

// In writes a text for a reader of some units.
func (t Text) In(p units.People) string {
	var b strings.Builder
	for _, m := range t {
		m.write(&b, p)
	}
	return b.String()
}

// Kept writes a text in the units that are kept, °C and km: for files, and for tests.
func (t Text) Kept() string { return t.In(units.People{}) }

// String is Kept, for logs; what a reader sees is written by In.
func (t Text) String() string { return t.Kept() }

// AllIn writes several texts.
func AllIn(texts []Text, p units.People) []string {
	if texts == nil {
		return nil
	}
	out := make([]string, len(texts))
	for i, t := range texts {
		out[i] = t.In(p)
	}
	return out
}

// AllKept is AllIn in the units that are kept.
func AllKept(texts []Text) []string { return AllIn(texts, units.People{}) }

// write puts a message's sentence together: {0} is its first argument, {0.} a quantity's number without its unit, {^0}
// begins with a capital, {0,} has a comma behind it where there is one in it, {0|run|runs} is a word by a count. A code
// that is not in the table shows itself: a later version stored it.
func (m Message) write(b *strings.Builder, p units.People) {
	form, ok := english[m.Code]
	if !ok {
		form = "(" + m.Code + ")"
	}
	for {
		open := strings.IndexByte(form, '{')
		if open < 0 {
			b.WriteString(form)
			return
		}
		end := strings.IndexByte(form[open:], '}')
		b.WriteString(form[:open])
		b.WriteString(m.slot(form[open+1:open+end], p))
		form = form[open+end+1:]
	}
}

// slot writes what stands between two braces.
func (m Message) slot(s string, p units.People) string {
	capital := strings.HasPrefix(s, "^")
	s = strings.TrimPrefix(s, "^")
	i := int(s[0] - '0')
	if i < 0 || i >= len(m.Args) {
		return "?"
	}
	arg, how := m.Args[i], s[1:]
	if words := strings.Split(how, "|"); len(words) == 3 {
		if n, ok := arg.(int); ok && n == 1 {
			return words[1]
		}
		return words[2]
	}
	out := written(arg, how == ".", p)
	if how == "," && strings.Contains(out, ", ") {
		out += ","
	}
	if capital && out != "" {
		out = strings.ToUpper(out[:1]) + out[1:]
	}
	return out
}

func written(arg any, bare bool, p units.People) string {
	switch v := arg.(type) {
	case Quantity:
		return v.written(p, bare)
	case Text:
		return v.In(p)
	case string:
		return v
	case int:
		return fmt.Sprint(v)
	}
	return "?"
}

// What a message is called in JSON; no string of JSON holds these bytes, for its quotes are escaped.
const opening = `{"say":`

// MarshalJSON writes a message as {"say": code, "args": […]}, a quantity in it as {"q": [value, unit, decimals]}.
func (m Message) MarshalJSON() ([]byte, error) {
	args := make([]any, len(m.Args))
	for i, a := range m.Args {
		if args[i] = a; a == nil {
			return nil, fmt.Errorf("the message %s tells of nothing in place %d", m.Code, i)
		}
	}
	return json.Marshal(struct {
		Say  string `json:"say"`
		Args []any  `json:"args,omitempty"`
	}{m.Code, args})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (m *Message) UnmarshalJSON(data []byte) error {
	var raw struct {
		Say  string            `json:"say"`
		Args []json.RawMessage `json:"args"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return fmt.Errorf("reading a message: %w", err)
	}
	m.Code, m.Args = raw.Say, nil
	for _, text := range raw.Args {
		arg, err := argOf(text)
		if err != nil {
			return fmt.Errorf("reading the message %s: %w", m.Code, err)
		}
		m.Args = append(m.Args, arg)
	}
	return nil
}

func argOf(text json.RawMessage) (any, error) {
	switch text[0] {
	case '"':
		var s string
		err := json.Unmarshal(text, &s)
		return s, err
	case '[':
		var t Text
		err := json.Unmarshal(text, &t)
		return t, err
	case '{':
		var q Quantity
		err := json.Unmarshal(text, &q)
		return q, err
	case 'n':
		return Text(nil), nil
	}
	var n int
	err := json.Unmarshal(text, &n)
	return n, err
}

// MarshalJSON writes a text as its messages; one that says nothing as an empty string.
func (t Text) MarshalJSON() ([]byte, error) {
	if len(t) == 0 {
		return []byte(`""`), nil
	}
	return json.Marshal([]Message(t))
}

// UnmarshalJSON reads a text, or a sentence that was finished before, which is shown as it is.
func (t *Text) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '"' {
		var s string
		if err := json.Unmarshal(data, &s); err != nil {
			return err
		}
		*t = Own(s)
		return nil
	}
	var list []Message
	if err := json.Unmarshal(data, &list); err != nil {
		return err
	}
	*t = list
	return nil
}

// Quantity is a number with its unit, or a time in the form that its unit names.
type Quantity struct {
	Value    float64 // NaN: not known
	Unit     string  // as it is kept; empty: a bare number
	Decimals int     // shown: at most, without trailing zeros
	Fixed    bool    // exactly so many decimals
}

// Times are written in forms of their own: minutes and seconds, with a sign, in words, in hours.
const (
	clock       = "m:s"
	signedClock = "±m:s"
	duration    = "s"
	signed      = "±s"
	hours       = "h"
)

// Fig is a bare number with so many decimals at most.
func Fig(v float64, decimals int) Quantity { return Quantity{Value: v, Decimals: decimals} }

// Fixed is a bare number with exactly so many decimals.
func Fixed(v float64, decimals int) Quantity {
	return Quantity{Value: v, Decimals: decimals, Fixed: true}
}

// Q is a number with a unit: °C, K as a difference, km, km/h and Wh/km are put into the reader's own.
func Q(v float64, unit string, decimals int) Quantity {
	return Quantity{Value: v, Unit: unit, Decimals: decimals}
}

// Exact shows all of a quantity's decimals.
func (q Quantity) Exact() Quantity { q.Fixed = true; return q }

// Unit is a unit's name alone, as its reader has it.
func Unit(kept string) Quantity { return Quantity{Unit: kept, Decimals: nameAlone} }

// nameAlone stands for decimals where there is no number.
const nameAlone = -1

// Clock is seconds as minutes and seconds, "24:30".
func Clock(s float64) Quantity { return Quantity{Value: s, Unit: clock} }

// SignedClock is Clock with a plus before what is above zero.
func SignedClock(s float64) Quantity { return Quantity{Value: s, Unit: signedClock} }

// Duration is seconds in words, "24 min 30 s".
func Duration(s float64) Quantity { return Quantity{Value: s, Unit: duration} }

// Signed is Duration with its sign, "+24 s".
func Signed(s float64) Quantity { return Quantity{Value: s, Unit: signed} }

// Hours is seconds as hours and minutes, "5 h 10 min".
func Hours(s float64) Quantity { return Quantity{Value: s, Unit: hours} }

// Window is a window of charge, "10–80 %".
func Window(fromPct, toPct float64) Text { return T("window", Fig(fromPct, 1), Fig(toPct, 1)) }

// MarshalJSON writes {"q": [value, unit, decimals, fixed]}.
func (q Quantity) MarshalJSON() ([]byte, error) {
	var v any
	if !math.IsNaN(q.Value) && !math.IsInf(q.Value, 0) {
		v = q.Value
	}
	list := []any{v, q.Unit, q.Decimals}
	if q.Fixed {
		list = append(list, true)
	}
	return json.Marshal(map[string]any{"q": list})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (q *Quantity) UnmarshalJSON(data []byte) error {
	var raw struct {
		Q []any `json:"q"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	if len(raw.Q) < 3 {
		return fmt.Errorf("a quantity of %d parts", len(raw.Q))
	}
	*q = Quantity{Value: math.NaN(), Fixed: len(raw.Q) > 3}
	if v, ok := raw.Q[0].(float64); ok {
		q.Value = v
	}
	q.Unit, _ = raw.Q[1].(string)
	decimals, _ := raw.Q[2].(float64)
	q.Decimals = int(decimals)
	return nil
}

// Sentence is how a code reads.
type Sentence struct{ Code, English string }

// Sentences lists how every code reads, in order of their codes.
func Sentences() []Sentence {
	out := make([]Sentence, 0, len(english))
	for _, code := range slices.Sorted(maps.Keys(english)) {
		out = append(out, Sentence{code, english[code]})
	}
	return out
}
