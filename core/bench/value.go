package bench

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"

	"zincroad/core/say"
)

// Value is what a run has of a condition: words, or a number to a tenth. The zero value is one that nobody noted.
// Values of one condition are the same where they are equal.
type Value struct {
	words  string
	number float64
	kind   valueKind
}

type valueKind uint8

const (
	noValue valueKind = iota
	wordsValue
	numberValue
)

// wordsOf is a value in words; empty: not noted.
func wordsOf(s string) Value {
	if s == "" {
		return Value{}
	}
	return Value{words: s, kind: wordsValue}
}

// tenthsOf is a number to a tenth; nil: not noted.
func tenthsOf(v *float64) Value {
	if v == nil || math.IsNaN(*v) || math.IsInf(*v, 0) {
		return Value{}
	}
	return Value{number: (math.Round(*v*10) + 0) / 10, kind: numberValue} // + 0: no minus before nought
}

// Noted tells whether anybody noted it.
func (v Value) Noted() bool { return v.kind != noValue }

// isNumber tells whether it is one.
func (v Value) isNumber() bool { return v.kind == numberValue }

// String writes a value as the open format does, a number with an ASCII minus; "not noted" where it is not.
func (v Value) String() string {
	switch v.kind {
	case noValue:
		return notNoted
	case numberValue:
		return strconv.FormatFloat(v.number, 'f', -1, 64)
	}
	return v.words
}

// in is a value for people, a number with its unit and as many decimals as it has: 6 °C are 43 °F, not 42.8.
func (v Value) in(unit string) say.Text {
	switch v.kind {
	case noValue:
		return say.T("bench.not-noted")
	case numberValue:
		return say.T("bench.value", v.quantity(unit))
	}
	return say.Own(v.words)
}

func (v Value) quantity(unit string) say.Quantity {
	decimals := 0
	if v.number != math.Trunc(v.number) {
		decimals = 1
	}
	return say.Q(v.number, unit, decimals)
}

// MarshalJSON writes a value as String does; one that was not noted is empty.
func (v Value) MarshalJSON() ([]byte, error) {
	if !v.Noted() {
		return []byte(`""`), nil
	}
	return json.Marshal(v.String())
}

// UnmarshalJSON reads words: which condition a number is of is not known here.
func (v *Value) UnmarshalJSON(data []byte) error {
	var s string
	if err := json.Unmarshal(data, &s); err != nil {
		return fmt.Errorf("reading a condition's value: %w", err)
	}
	*v = wordsOf(s)
	return nil
}

// extremes are the lowest and the highest number of some values; false where there is none.
func extremes(values []Value) (low, high Value, ok bool) {
	for _, v := range values {
		if !v.isNumber() {
			continue
		}
		if !ok || v.number < low.number {
			low = v
		}
		if !ok || v.number > high.number {
			high = v
		}
		ok = true
	}
	return low, high, ok
}
