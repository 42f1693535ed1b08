package follow

import (
	"fmt"
	"math"

	"zincroad/core/ceiling"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// What counts as a sudden fall: of a quarter of the power or more within half a
// minute, with power going on (as a cliff of a recorded run), and still there half
// a minute later.
const (
	fallShare = 0.25
	fallS     = 30
	sameS     = 15 // two falls so near to each other after plug-in are the same one
)

// fall is a sudden one of the power; AtS is on the run's own clock.
type fall struct{ AtS, FromKW, ToKW float64 }

// lastFall gives the last sudden fall of a series between two times.
func lastFall(p trace.Series, from, to float64) (fall, bool) {
	var out fall
	found := false
	for i := 0; i < p.Len(); i++ {
		if p.T[i] < from || p.V[i] < 1 {
			continue
		}
		for j := i + 1; j < p.Len() && p.T[j] <= min(to, p.T[i]+fallS); j++ {
			if p.V[j] <= (1-fallShare)*p.V[i] && p.V[j] >= 1 && stays(p, j, p.V[i]) {
				out, found = fall{(p.T[j-1] + p.T[j]) / 2, p.V[i], p.V[j]}, true
				i = j
				break
			}
		}
	}
	return out, found
}

// stays tells whether the power that fell to reading j has not come back half a
// minute later, nor gone out.
func stays(p trace.Series, j int, before float64) bool {
	for k := j; k < p.Len() && p.T[k] <= p.T[j]+fallS; k++ {
		if p.V[k] > (1-fallShare/2)*before || p.V[k] < 1 {
			return false
		}
	}
	return true
}

// byFall is what a sudden fall in this leg says: a timer in the car where an earlier
// leg fell as long after its plug-in; else what could be meant, and what tells.
func byFall(f *feeds, pluggedS float64) *Holding {
	plugged := f.now - pluggedS
	d, ok := lastFall(f.kw, plugged, f.now)
	if !ok {
		return nil
	}
	after := d.AtS - plugged
	what := fmt.Sprintf("fell from %s to %s kW %s after plug-in", words.Figure(d.FromKW, 0), words.Figure(d.ToKW, 0), words.Duration(math.Round(after)))
	for i, in := range f.plugIns {
		if in > plugged-1 {
			break
		}
		until := plugged
		if i+1 < len(f.plugIns) {
			until = f.plugIns[i+1]
		}
		if e, ok := lastFall(f.kw, in, until); ok && math.Abs(e.AtS-in-after) <= sameS {
			return &Holding{ceiling.TimerStep, what + ", as after the plug-in before: a timer in the car", true}
		}
	}
	return &Holding{ceiling.Unknown, what + ": a timer in the car, a step at this charge, or the stall; a replug tells", false}
}
