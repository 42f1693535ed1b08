// Package memory says how much of it the program takes.
package memory

import (
	"os"
	"runtime/debug"
)

const (
	// wanted is where memory is looked for among what is no longer used rather than asked for, so that large files and
	// exports side by side stay under 300 MiB.
	wanted = 220 << 20
	// Below it that is looked for seldom: a page makes and drops some 20 MB, and the program itself holds little more.
	growth = 400 // % of what is in use
)

// Settle sets both, where the environment does not (GOMEMLIMIT, GOGC).
func Settle() {
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(wanted)
	}
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(growth)
	}
}
