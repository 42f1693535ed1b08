package curve

import (
	"math"
	"reflect"
)

// finite takes out of a value everything that is not a number: a pointer to one that is none becomes nil, and
// so does a pointer to a struct that has one; of a list the members that have one go. It tells whether the value
// itself is sound. Legal readings can still lead out of the numbers, a denormal under a fraction; one such
// figure spoils itself and not the reading, which could else not be written down.
func finite(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Float64:
		return !math.IsNaN(v.Float()) && !math.IsInf(v.Float(), 0)
	case reflect.Pointer:
		if !v.IsNil() && !finite(v.Elem()) {
			v.SetZero()
		}
	case reflect.Struct:
		sound := true
		for i := range v.NumField() {
			if f := v.Field(i); f.CanSet() && !finite(f) {
				sound = false
			}
		}
		return sound
	case reflect.Slice:
		kept := 0
		for i := range v.Len() {
			if finite(v.Index(i)) {
				if kept != i {
					v.Index(kept).Set(v.Index(i))
				}
				kept++
			}
		}
		v.SetLen(kept)
	}
	return true
}
