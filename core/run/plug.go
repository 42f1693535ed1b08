package run

import (
	"math"
)

// ByStall is the note of a mark that was made from what the stall said of itself.
const ByStall = "said by the stall"

// ownMarkS is how far apart a tester's own mark and the stall's may be to be of the same
// plug-in or unplug (common practice, no source: a tester marks when there is a hand free).
const ownMarkS = 180

// Plugged tells by a run's marks, in order of time, whether the plug is in, and since when
// it is in or out, on the run's clock; 0 where no mark says. An attempt is a plug-in that
// led to nothing: it is out again.
func Plugged(marks []Mark) (sinceS float64, in bool) {
	for _, m := range marks {
		switch m.Kind {
		case PlugIn:
			sinceS, in = m.TS, true
		case Unplug, Attempt:
			sinceS, in = m.TS, false
		}
	}
	return sinceS, in
}

// Replaced gives the indexes of the marks that a tester's own mark takes the place of:
// those of the same kind that the stall said, near to it. Where the plug was moved between
// the two they are not of the same, and both stay.
func Replaced(marks []Mark, own Mark) []int {
	if own.Note == ByStall {
		return nil
	}
	var out []int
	for i, m := range marks {
		if m.Kind != own.Kind || m.Note != ByStall || math.Abs(m.TS-own.TS) > ownMarkS {
			continue
		}
		moved := false
		for _, b := range marks {
			between := b.TS >= min(m.TS, own.TS) && b.TS <= max(m.TS, own.TS)
			moved = moved || between && b.Kind != m.Kind && (b.Kind == PlugIn || b.Kind == Unplug || b.Kind == Attempt)
		}
		if !moved {
			out = append(out, i)
		}
	}
	return out
}
