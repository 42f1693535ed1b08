package logbook

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/run"
)

// filledIn sets every field of a struct to something known.
func filledIn(v reflect.Value) {
	for i := range v.NumField() {
		switch f := v.Field(i); f.Kind() {
		case reflect.String:
			f.SetString(v.Type().Field(i).Name)
		case reflect.Pointer:
			f.Set(reflect.New(f.Type().Elem()))
			if f.Elem().Kind() == reflect.Float64 {
				f.Elem().SetFloat(float64(i) + 1)
			}
		case reflect.Slice:
			f.Set(reflect.MakeSlice(f.Type(), 1, 1))
		default:
			panic(v.Type().Field(i).Name + " is of a kind that this test does not know")
		}
	}
}

// Whatever run.json says of a car or a stall, the garage keeps and gives back: a value that one of the two lacks, or
// has as another type, is lost here.
func TestTheGarageKeepsAllThatRunJSONSays(t *testing.T) {
	var car run.Car
	filledIn(reflect.ValueOf(&car).Elem())
	assert.Equal(t, &car, CarFrom(&car).Describe(car.Software))

	var conditions run.Condition
	filledIn(reflect.ValueOf(&conditions).Elem())
	var row Run
	row.SetConditions(&conditions)
	assert.Equal(t, &conditions, row.Conditions())
	row.SetConditions(&run.Condition{})
	assert.Equal(t, &run.Condition{}, row.Conditions(), "what is not noted any more is gone")

	var stall run.Stall
	filledIn(reflect.ValueOf(&stall).Elem())
	kept := StallFrom(&stall)
	kept.Site = &Site{Name: stall.Site}
	assert.Equal(t, &stall, kept.Describe())
}

// A software version's own values stand before the car's; what it does not say is as the car has it. What is known
// stays when a run brings more.
func TestASoftwareVersionChangesWhatItSays(t *testing.T) {
	car := Car{Name: "Alder 64", HeaterKW: run.N(4), HeaterStopC: run.N(20), Envelope: []run.Point{{SoCPct: 10, KW: 60}},
		Softwares: []Software{{Version: "4.2", HeaterKW: run.N(6)}, {Version: "4.3", GentleEnvelope: []run.Point{}}}}
	assert.Equal(t, &run.Car{Name: "Alder 64", Software: "4.2", HeaterKW: run.N(6), HeaterStopC: run.N(20),
		Envelope: []run.Point{{SoCPct: 10, KW: 60}}}, car.Describe("4.2"))
	assert.Equal(t, run.N(4), car.Describe("4.3").HeaterKW)

	assert.False(t, complete(&car, &run.Car{Name: "Alder", HeaterKW: run.N(9), Envelope: []run.Point{{SoCPct: 1, KW: 1}}}))
	assert.Equal(t, "Alder 64", car.Name)
	assert.True(t, complete(&car, &run.Car{HeaterKW: run.N(9), MaxA: run.N(170)}))
	assert.Equal(t, run.N(4), car.HeaterKW)
	assert.Equal(t, run.N(170), car.MaxA)
}
