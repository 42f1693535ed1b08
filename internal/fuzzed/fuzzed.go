// Package fuzzed holds single inputs of a fuzz target to a time and a heap, where fuzzing was asked for: a test that
// runs with others beside it is not timed.
package fuzzed

import (
	"os"
	"runtime"
	"testing"
	"time"
)

const (
	// Longest is what one input may take.
	Longest = time.Second
	// MostHeap is what may be in use after one, in bytes.
	MostHeap = 512 << 20
)

// Watch begins with an input; what it gives ends it, and fails the test where it took too long or too much. It does
// nothing unless ZINCROAD_FUZZING is set, as tools/fuzz does.
func Watch(t testing.TB) (done func()) {
	if os.Getenv("ZINCROAD_FUZZING") == "" {
		return func() {}
	}
	began := time.Now()
	return func() {
		t.Helper()
		if took := time.Since(began); took > Longest {
			t.Fatalf("took %v", took)
		}
		var m runtime.MemStats
		if runtime.ReadMemStats(&m); m.HeapInuse > MostHeap {
			t.Fatalf("holds %d MiB", m.HeapInuse>>20)
		}
	}
}
