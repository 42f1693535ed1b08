package logbook

import (
	"reflect"

	"zincroad/core/run"
)

// A car, a software version, a stall and an adapter say the same things under the same names in the garage and in
// run.json: what one of them has is carried over by name, so that a new value is added to the two structs and nowhere
// between them. Fields of one name and different types (a stall's site) are not the same thing.

// carry sets every value of a struct to what another knows under its name. An unknown value (nil, no word, an empty
// list) is not carried. It tells whether anything was set.
func carry(to, from any) bool {
	return carryWhere(to, from, func(_, v reflect.Value) bool { return !unknown(v) })
}

// complete is carry for what is not known yet; what is known stays.
func complete(to, from any) bool {
	return carryWhere(to, from, func(field, v reflect.Value) bool { return unknown(field) && !unknown(v) })
}

// replace is carry for all that the two have under one name: what the other does not know is not known any more.
func replace(to, from any) bool {
	return carryWhere(to, from, func(_, _ reflect.Value) bool { return true })
}

func carryWhere(to, from any, takes func(field, v reflect.Value) bool) (any bool) {
	into, of := reflect.ValueOf(to).Elem(), reflect.ValueOf(from).Elem()
	for i := range of.NumField() {
		field, v := into.FieldByName(of.Type().Field(i).Name), of.Field(i)
		if !field.IsValid() || field.Type() != v.Type() || !takes(field, v) {
			continue
		}
		field.Set(v)
		any = true
	}
	return any
}

func unknown(v reflect.Value) bool {
	return v.IsZero() || v.Kind() == reflect.Slice && v.Len() == 0
}

// Conditions are a run's, in the words of run.json.
func (r *Run) Conditions() *run.Condition {
	out := &run.Condition{}
	carry(out, r)
	return out
}

// SetConditions puts them in the place of what was noted.
func (r *Run) SetConditions(c *run.Condition) { replace(r, c) }
