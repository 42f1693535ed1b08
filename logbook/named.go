package logbook

import "reflect"

// A car, a software version, a stall and an adapter say the same things under the same names in the garage and in
// run.json: what one of them has is carried over by name, so that a new value is added to the two structs and nowhere
// between them. Fields of one name and different types (a stall's site) are not the same thing.

// carry sets every value of a struct to what another knows under its name. An unknown value (nil, no word, an empty
// list) is not carried. It tells whether anything was set.
func carry(to, from any) bool {
	return carryWhere(to, from, func(reflect.Value) bool { return true })
}

// complete is carry for what is not known yet; what is known stays.
func complete(to, from any) bool { return carryWhere(to, from, unknown) }

func carryWhere(to, from any, open func(reflect.Value) bool) (any bool) {
	into, of := reflect.ValueOf(to).Elem(), reflect.ValueOf(from).Elem()
	for i := range of.NumField() {
		field, v := into.FieldByName(of.Type().Field(i).Name), of.Field(i)
		if !field.IsValid() || field.Type() != v.Type() || unknown(v) || !open(field) {
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
