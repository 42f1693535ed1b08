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
	if inUse() > MostHeap/2 {
		runtime.GC() // of what was made before
	}
	began := time.Now()
	return func() {
		t.Helper()
		if took := time.Since(began); took > Longest {
			t.Fatalf("took %v", took)
		}
		if held := inUse(); held > MostHeap {
			t.Fatalf("holds %d MiB", held>>20)
		}
	}
}

func inUse() uint64 {
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapInuse
}
