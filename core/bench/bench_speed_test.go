package bench

import (
	"testing"

	"zincroad/core/curve"
	"zincroad/core/run"
)

func keptSubjects(n int) []Subject {
	var list []Subject
	for i := range n {
		s := subject(
			day{software: "1", battery: run.N(6 + float64(i%5)*5), ambient: run.N(float64(i % 7)), scale: 1 - 0.01*float64(i%9),
				stallKW: 350 - 50*float64(i%3), pre: []string{"none", "car"}[i%2]},
		)
		curves := curve.Of(s.Run).Reduce(300)
		list = append(list, KeptSubject(s.Entry, curves[s.Reading.Side], curves[curve.OfRun]))
	}
	return list
}

// How long runs that are kept take to be compared: what a page of the bench waits for.
func BenchmarkCompare8(b *testing.B) {
	list := keptSubjects(8)
	for b.Loop() {
		Compare(list, Ask{})
	}
}

// The same of sixty.
func BenchmarkCompare60(b *testing.B) {
	list := keptSubjects(60)
	for b.Loop() {
		Compare(list, Ask{})
	}
}

// A logbook of 400 runs of one car, each of which differs from the others in a little.
func BenchmarkShown(b *testing.B) {
	var known []Known
	for i := range int64(400) {
		known = append(known, logged(i+10, 24+float64(i%7), func(k *Known) {
			k.Software, k.StartC, k.AmbientC = []string{"2.3", "2.4"}[i%2], run.N(float64(i%30)), run.N(float64(i%20))
		}))
	}
	e := Entry{Run: &run.Run{Car: &run.Car{Name: "Tamarack 78"}}}
	differs := []Differs{{Condition: "software", Values: []Value{wordsOf("2.4"), wordsOf("2.3")}},
		{Condition: "battery_c", Values: []Value{tenthsOf(ptr(25)), tenthsOf(ptr(5))}}}
	for b.Loop() {
		shown(known, []Entry{e, e}, differs, Span{10, 80, true})
	}
}
