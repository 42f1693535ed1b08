package bench

import (
	"reflect"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/forecast"
	"zincroad/core/vehicle"
)

// Whatever in a plan differs, however deep, its name does: what one plan took is never said of another.
func TestPlansHaveNamesOfTheirOwn(t *testing.T) {
	names := map[string]string{}
	tell := func(p forecast.Plan, where string) {
		t.Helper()
		name, ok := named(p)
		require.True(t, ok, where)
		assert.Empty(t, names[name], "%s is told from %s", where, names[name])
		names[name] = where
	}
	tell(forecast.Plan{}, "nothing")
	fields := 0
	// reach gives a fresh plan with everything on the way to one of its fields in place, and that field.
	var walk func(of reflect.Type, where string, reach func() (*forecast.Plan, reflect.Value))
	walk = func(of reflect.Type, where string, reach func() (*forecast.Plan, reflect.Value)) {
		p, v := reach()
		switch of.Kind() {
		case reflect.Struct:
			for i := range of.NumField() {
				if where == "" && of.Field(i).Name == "Known" {
					_, ok := named(forecast.Plan{Known: &vehicle.Model{}})
					assert.False(t, ok, "what runs taught has no name")
					continue
				}
				require.True(t, of.Field(i).IsExported(), "%s.%s would have no part in the name", where, of.Field(i).Name)
				walk(of.Field(i).Type, where+"."+of.Field(i).Name, func() (*forecast.Plan, reflect.Value) {
					p, v := reach()
					return p, v.Field(i)
				})
			}
			return
		case reflect.Pointer, reflect.Slice:
			inside := func() (*forecast.Plan, reflect.Value) {
				p, v := reach()
				if of.Kind() == reflect.Slice {
					v.Set(reflect.MakeSlice(of, 1, 1))
					return p, v.Index(0)
				}
				v.Set(reflect.New(of.Elem()))
				return p, v.Elem()
			}
			if of.Elem().Kind() == reflect.Struct {
				p, _ := inside()
				tell(*p, where+" in place")
			}
			walk(of.Elem(), where, inside)
			return
		case reflect.Float64:
			v.SetFloat(7)
		case reflect.Int, reflect.Int64:
			v.SetInt(7)
		case reflect.Bool:
			v.SetBool(true)
		case reflect.String:
			v.SetString("seven")
		default:
			require.Fail(t, "a kind that was not thought of", "%s: %s", where, of)
		}
		fields++
		tell(*p, where)
	}
	walk(reflect.TypeFor[forecast.Plan](), "", func() (*forecast.Plan, reflect.Value) {
		p := &forecast.Plan{}
		return p, reflect.ValueOf(p).Elem()
	})
	assert.Greater(t, fields, 50, "all of a car and a stall")
}

// tally keeps forecasts and counts how often one was there.
type tally struct {
	mu    sync.Mutex
	took  map[string]float64
	known int
}

func (k *tally) Get(plan string) (float64, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	v, ok := k.took[plan]
	if ok {
		k.known++
	}
	return v, ok
}

func (k *tally) Add(plan string, tookS float64) bool {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.took[plan] = tookS
	return false
}

// A comparison that finds its forecasts kept says what it said without.
func TestKeptForecastsSayTheSame(t *testing.T) {
	list := keptSubjects(4)
	k := &tally{took: map[string]float64{}}
	first := Compare(list, Ask{Forecasts: k})
	require.NotEmpty(t, k.took)
	worked := len(k.took)
	k.known = 0
	again := Compare(keptSubjects(4), Ask{Forecasts: k}) // other pointers, the same cars
	assert.GreaterOrEqual(t, k.known, worked, "each was there")
	assert.Len(t, k.took, worked)
	assert.Equal(t, Compare(list, Ask{}).Fairness, again.Fairness)
	assert.Equal(t, first.Fairness, again.Fairness)
}
