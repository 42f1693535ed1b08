package runfolder

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/run"
)

// Every key that run.json is read into is a key that is checked, with what it may hold.
func TestFieldsAreInTheSchema(t *testing.T) {
	walked := 0
	var walk func(path string, of reflect.Type)
	walk = func(path string, of reflect.Type) {
		for of.Kind() == reflect.Pointer {
			of = of.Elem()
		}
		switch {
		case of.Kind() == reflect.Slice:
			walk(path+"[]", of.Elem())
			return
		case of.Kind() != reflect.Struct:
			return
		}
		for i := range of.NumField() {
			name, _, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
			if name == "" || name == "-" {
				continue
			}
			walked++
			key := path + "." + name
			assert.Contains(t, schema, key)
			walk(key, of.Field(i).Type)
		}
	}
	for name, of := range map[string]any{"car": run.Car{}, "stall": run.Stall{}, "adapter": run.Adapter{},
		"method": run.Method{}, "conditions": run.Condition{}, "claims[]": run.Claim{}} {
		walk(name, reflect.TypeOf(of))
	}
	assert.Greater(t, walked, 50)
}
