package trace

import (
	"math"
	"slices"
)

// How a source's clock is lined up, in s (common practice, no source).
const (
	ClockOffS  = 4  // a clock may be off by so much: less is how long a message takes
	clockStepS = 10 // one that moves by more at once was set
	recentN    = 9  // messages that say how the clock stands
	firmN      = 3  // messages in a row that must agree to be sure
	freshS     = 20 // a message later than the freshest one by more was kept waiting
)

// SourceClock is how far a source's clock (a charge point's) is behind the listener's, as
// its messages show it: heard less said. A message that was kept waiting makes that more,
// never less. The zero value has heard nothing yet; it is not safe for concurrent use.
type SourceClock struct {
	recent   []float64
	settledS float64
	known    bool
	firm     bool // so many messages in a row agreed
}

// Take takes one message's offset in s, and gives that to line the recording up by; step
// tells that the clock was set: what comes now is on another clock.
func (c *SourceClock) Take(offS float64) (offsetS float64, step bool) {
	c.recent = append(c.recent, offS)
	if len(c.recent) > recentN {
		c.recent = c.recent[1:]
	}
	last := c.recent[max(0, len(c.recent)-firmN):]
	agree := len(last) == firmN && slices.Max(last)-slices.Min(last) <= ClockOffS
	switch {
	case c.firm && offS < c.settledS-clockStepS: // no delay makes a clock run ahead
		c.recent, c.settledS = []float64{offS}, offS
		return offS, true
	case c.firm && agree && Median(last) > c.settledS+clockStepS:
		c.recent, c.settledS = slices.Clone(last), Median(last)
		return c.settledS, true
	case c.firm && offS > c.settledS+clockStepS:
		return c.settledS, false // kept waiting, or the first after the clock was set back
	}
	c.firm = c.firm || agree
	freshest := slices.Min(c.recent)
	fresh := slices.DeleteFunc(slices.Clone(c.recent), func(o float64) bool { return o > freshest+freshS })
	if m := Median(fresh); !c.known || math.Abs(m-c.settledS) >= ClockOffS {
		c.known, c.settledS = true, m
	}
	return c.settledS, false
}
