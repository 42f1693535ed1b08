// Package sampled says how much of a gallery a test looks at: a third of it, and all with ZINCROAD_GALLERIES=1, as
// "make galleries" sets it. What is drawn is the same each time, so that a test does not pass by luck of the day.
package sampled

import (
	"flag"
	"os"

	_ "pgregory.net/rapid" // its flag stands before init below sets it
)

// Whole says whether galleries are looked at whole.
var Whole = os.Getenv("ZINCROAD_GALLERIES") != ""

const (
	oneOf    = 3
	byChance = 3.0  // per cent: two standard deviations over some twenty runs
	checks   = "30" // of a property, instead of rapid's hundred; -rapid.checks on the command line goes before it
)

func init() {
	if !Whole {
		_ = flag.Set("rapid.checks", checks)
	}
}

// Least is what a share, in per cent, must reach: where a third is looked at, less by what a third of a few dozen runs
// may miss by chance.
func Least(pct float64) float64 {
	if Whole {
		return pct
	}
	return pct - byChance
}

// Of gives how many of n are looked at: a third, rounded up.
func Of[N int | uint64](n N) N {
	if Whole {
		return n
	}
	return (n + oneOf - 1) / oneOf
}
