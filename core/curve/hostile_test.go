package curve

import (
	"encoding/json"
	"math"
	"reflect"
	"slices"
	"testing"

	"pgregory.net/rapid"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// legal draws a value that a channel may have, the ugly ones among them as often as the plain.
func legal(in trace.Info) *rapid.Generator[float64] {
	ugly := []float64{
		0,
		math.Copysign(0, -1),
		math.SmallestNonzeroFloat64,
		-math.SmallestNonzeroFloat64,
		1e-300,
		in.Min,
		in.Max,
		math.NaN(),
	}
	ugly = slices.DeleteFunc(ugly, func(v float64) bool { return v < in.Min || v > in.Max })
	return rapid.OneOf(rapid.SampledFrom(ugly), rapid.Float64Range(in.Min, in.Max))
}

// Whatever legal values a log holds, at whatever times, its figures are numbers: they can be written as JSON, of
// every clock and side, and so can its curves be drawn.
func TestFiguresOfAnything(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := &run.Run{
			Car:   &run.Car{UsableKWh: run.N(75), ConsumptionWhKm: run.N(178), CellsInSeries: run.N(96), PackMaxV: run.N(403)},
			Stall: &run.Stall{RatedKW: run.N(150), MaxA: run.N(400), Tariff: &run.Tariff{PerKWh: run.N(0.5)}},
		}
		for range rapid.IntRange(1, 2).Draw(t, "recordings") {
			n := rapid.IntRange(0, 40).Draw(t, "readings")
			rec := &trace.Recording{
				Name:    "a.csv",
				Side:    rapid.SampledFrom([]trace.Side{trace.CarSide, trace.StallSide}).Draw(t, "side"),
				Columns: map[trace.Channel][]float64{},
			}
			rec.T = rapid.SliceOfN(
				rapid.OneOf(rapid.Float64Range(-1e4, 1e4), rapid.SampledFrom([]float64{0, 1e-300, 1, 60})),
				n,
				n,
			).
				Draw(
					t,
					"times",
				)
			slices.Sort(rec.T)
			for _, in := range trace.Channels {
				if rapid.Bool().Draw(t, "has "+string(in.Channel)) {
					rec.Columns[in.Channel] = rapid.SliceOfN(legal(in), n, n).Draw(t, string(in.Channel))
				}
			}
			r.Recordings = append(r.Recordings, rec)
		}
		for range rapid.IntRange(0, 4).Draw(t, "marks") {
			r.Marks = append(r.Marks, run.Mark{TS: rapid.Float64Range(-1e4, 1e4).Draw(t, "at"),
				Kind: rapid.SampledFrom(run.MarkKinds).Draw(t, "kind")})
		}
		work := Of(r)
		for _, x := range work.ReadAll() {
			if _, err := json.Marshal(x); err != nil {
				t.Fatalf("%s, %s: %v %v", x.Clock, x.Side, err, paths(reflect.ValueOf(x), ""))
			}
		}
		if _, err := json.Marshal(work.Taught()); err != nil {
			t.Fatal(err)
		}
		for side, red := range work.Reduce(30) {
			for channel, column := range red.Columns {
				for _, v := range column {
					if math.IsInf(v, 0) {
						t.Fatalf("%s %s: %g", side, channel, v)
					}
				}
			}
		}
	})
}

// paths names the fields of a value that are no numbers.
func paths(v reflect.Value, at string) (out []string) {
	switch v.Kind() {
	case reflect.Float64:
		if math.IsNaN(v.Float()) || math.IsInf(v.Float(), 0) {
			return []string{at}
		}
	case reflect.Pointer:
		if !v.IsNil() {
			return paths(v.Elem(), at)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			out = append(out, paths(v.Field(i), at+"."+v.Type().Field(i).Name)...)
		}
	case reflect.Slice:
		for i := range v.Len() {
			out = append(out, paths(v.Index(i), at+"[]")...)
		}
	}
	return out
}
