package lineup

import (
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Settle says how the clock of each of a run's recordings stands, the first one's being the
// run's. A recording that has nothing in common with the first is lined up with the next one that
// was; one whose clock was settled by hand stays as it is.
func Settle(r *run.Run) []Clock {
	clocks := make([]Clock, len(r.Recordings))
	on := make([]*trace.Recording, len(r.Recordings))
	if len(clocks) == 1 { // the usual run, and a long one's readings are not gone through for nothing
		clocks[0] = Clock{By: ByMaster, OffsetS: r.Recordings[0].ClockOffsetS, DriftPPM: r.Recordings[0].ClockDriftPPM}
		return clocks
	}
	for i, rec := range r.Recordings {
		noted := rec.Without(trace.Outlying(rec.T)).OnRunClock()
		clocks[i] = Clock{By: ByNote, OffsetS: rec.ClockOffsetS, DriftPPM: rec.ClockDriftPPM}
		switch {
		case i == 0:
			clocks[i].By = ByMaster
		case rec.ClockSettled:
			clocks[i].By = ByHand
		default:
			for _, master := range on[:i] {
				if goesOn(master, noted) {
					continue
				}
				c := Fit(master, noted, rec.ClockOffsetS)
				if c.By != ByNote {
					c.DriftPPM += rec.ClockDriftPPM // as noted, and what was found beyond it
					clocks[i] = c
					break
				}
				if !clocks[i].Reason.Any() {
					clocks[i] = c
				}
			}
		}
		on[i] = clocks[i].Apply(rec.Without(trace.Outlying(rec.T)))
	}
	return clocks
}

// goesOn tells whether a recording goes on where another one of its side ends, or ends where that begins: a log in two
// files, of which nothing can be laid on each other.
func goesOn(master, other *trace.Recording) bool {
	if master.Side != other.Side || master.Len() == 0 || other.Len() == 0 {
		return false
	}
	return other.T[0] >= master.T[master.Len()-1] || other.T[other.Len()-1] <= master.T[0]
}

// Apply gives a recording, as it was recorded, on the run's clock.
func (c Clock) Apply(rec *trace.Recording) *trace.Recording {
	lined := *rec
	lined.ClockOffsetS, lined.ClockDriftPPM = c.OffsetS, c.DriftPPM
	return lined.OnRunClock()
}

// AsNoted gives a run whose recordings stay on the clocks that were noted of them: that of a run
// under way, whose feeds are heard on one clock.
func AsNoted(r *run.Run) *run.Run {
	out := *r
	out.Recordings = make([]*trace.Recording, len(r.Recordings))
	for i, rec := range r.Recordings {
		noted := *rec
		noted.ClockSettled = true
		out.Recordings[i] = &noted
	}
	return &out
}
