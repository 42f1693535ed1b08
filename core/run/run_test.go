package run_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/run"
)

// Time lost runs from the first plug-in that came to nothing to the one that led to
// power; without its plug-in, from the attempt's own mark.
func TestLost(t *testing.T) {
	mark := func(ts float64, kind string) run.Mark { return run.Mark{TS: ts, Kind: kind} }
	for _, tt := range []struct {
		name     string
		marks    []run.Mark
		until    float64
		attempts int
		lostS    float64
	}{
		{"nothing", nil, 100, 0, 0},
		{"none failed", []run.Mark{mark(10, run.PlugIn)}, 10, 0, 0},
		{"one failed", []run.Mark{mark(10, run.PlugIn), mark(70, run.Attempt), mark(300, run.PlugIn)}, 300, 1, 290},
		{"two failed", []run.Mark{mark(10, run.PlugIn), mark(70, run.Attempt), mark(100, run.PlugIn),
			mark(160, run.Attempt), mark(300, run.PlugIn)}, 300, 2, 290},
		{"no plug-in marked", []run.Mark{mark(70, run.Attempt), mark(300, run.PlugIn)}, 300, 1, 230},
		{"after the run's plug-in", []run.Mark{mark(10, run.PlugIn), mark(900, run.Attempt)}, 10, 0, 0},
		{"unplugged in between", []run.Mark{mark(10, run.PlugIn), mark(20, run.Note), mark(70, run.Attempt)}, 100, 1, 90},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n, s := run.Lost(tt.marks, tt.until)
			assert.Equal(t, tt.attempts, n)
			assert.InDelta(t, tt.lostS, s, 1e-9)
		})
	}
}
