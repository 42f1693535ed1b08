package run_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/run"
)

func TestPlugged(t *testing.T) {
	in := run.Mark{TS: 20, Kind: run.PlugIn}
	out := run.Mark{TS: 90, Kind: run.Unplug}
	for name, tt := range map[string]struct {
		marks []run.Mark
		since float64
		in    bool
	}{
		"nothing said":     {nil, 0, false},
		"in":               {[]run.Mark{in, {TS: 30, Kind: run.Note}}, 20, true},
		"out again":        {[]run.Mark{in, out}, 90, false},
		"led to nothing":   {[]run.Mark{in, {TS: 60, Kind: run.Attempt}}, 60, false},
		"in a second time": {[]run.Mark{in, out, {TS: 100, Kind: run.PlugIn}}, 100, true},
	} {
		since, plugged := run.Plugged(tt.marks)
		assert.Equal(t, tt.since, since, name)
		assert.Equal(t, tt.in, plugged, name)
	}
}

// A tester's own mark takes the place of what the stall said within three minutes, unless
// the plug was moved between the two.
func TestReplaced(t *testing.T) {
	said := run.Mark{TS: 100, Kind: run.PlugIn, Note: run.ByStall}
	own := run.Mark{TS: 94, Kind: run.PlugIn}
	assert.Equal(t, []int{0}, run.Replaced([]run.Mark{said}, own))
	assert.Empty(t, run.Replaced([]run.Mark{said}, run.Mark{TS: 94, Kind: run.Unplug}), "of another kind")
	assert.Empty(t, run.Replaced([]run.Mark{said}, run.Mark{TS: 281, Kind: run.PlugIn}), "181 s apart")
	assert.Equal(t, []int{0}, run.Replaced([]run.Mark{said}, run.Mark{TS: 280, Kind: run.PlugIn}))
	assert.Empty(t, run.Replaced([]run.Mark{said, {TS: 110, Kind: run.Unplug}}, run.Mark{TS: 120, Kind: run.PlugIn}))
	assert.Empty(t, run.Replaced([]run.Mark{said}, run.Mark{TS: 94, Kind: run.PlugIn, Note: run.ByStall}), "itself said")
	assert.Empty(t, run.Replaced([]run.Mark{own}, run.Mark{TS: 96, Kind: run.PlugIn}), "two of the tester's own")
}
