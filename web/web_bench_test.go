package web_test

import (
	"testing"

	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

// A server is made once for a program, and once for each test.
func BenchmarkNew(b *testing.B) {
	for b.Loop() {
		if _, err := web.New(nil, logbooktest.Quiet()); err != nil {
			b.Fatal(err)
		}
	}
}
