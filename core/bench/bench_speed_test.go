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
		list = append(list, KeptSubject(s.Entry, curve.Of(s.Run).Reduce(300)[s.Reading.Side]))
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
