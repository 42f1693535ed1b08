package live

import (
	"context"
	"fmt"
	"math"
	"slices"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
)

// How a charge point's clock is lined up, in s.
const (
	clockOffS  = 4  // a clock may be off by so much: less is how long a message takes
	clockStepS = 10 // one that moves by more at once was set
	sayOffS    = 30 // from here on it is marked
	recentN    = 9  // messages that say how the clock stands
	firmN      = 3  // messages in a row that must agree to be sure
	freshS     = 20 // a message later than the freshest one by more was kept waiting
)

// chargerClock is how far a charge point's clock is behind the program's, as its
// messages show it: heard less said. A message that was kept waiting makes that more,
// never less.
type chargerClock struct {
	recent   []float64
	settledS float64
	known    bool
	firm     bool // so many messages in a row agreed
}

// take takes one message's offset, and gives that to line the recording up by; step
// tells that the clock was set: what comes now is on another clock.
func (c *chargerClock) take(offS float64) (offsetS float64, step bool) {
	c.recent = append(c.recent, offS)
	if len(c.recent) > recentN {
		c.recent = c.recent[1:]
	}
	last := c.recent[max(0, len(c.recent)-firmN):]
	agree := len(last) == firmN && slices.Max(last)-slices.Min(last) <= clockOffS
	switch {
	case c.firm && offS < c.settledS-clockStepS: // no delay makes a clock run ahead
		c.recent, c.settledS = []float64{offS}, offS
		return offS, true
	case c.firm && agree && trace.Median(last) > c.settledS+clockStepS:
		c.recent, c.settledS = slices.Clone(last), trace.Median(last)
		return c.settledS, true
	case c.firm && offS > c.settledS+clockStepS:
		return c.settledS, false // kept waiting, or the first after the clock was set back
	}
	c.firm = c.firm || agree
	freshest := slices.Min(c.recent)
	fresh := slices.DeleteFunc(slices.Clone(c.recent), func(o float64) bool { return o > freshest+freshS })
	if m := trace.Median(fresh); !c.known || math.Abs(m-c.settledS) >= clockOffS {
		c.known, c.settledS = true, m
	}
	return c.settledS, false
}

// lineUp notes how far a charge point's own clock is off, as its messages come: its
// readings are stored as they came. Where its clock was set, they go on in another
// recording.
func (c *Centre) lineUp(ctx context.Context, f *logbook.Feed, s logbook.Sample) error {
	c.mu.Lock()
	if c.clocks == nil {
		c.clocks = map[int64]*chargerClock{}
	}
	clock := c.clocks[f.ID]
	if clock == nil {
		clock = &chargerClock{}
		c.clocks[f.ID] = clock
	}
	off, step := clock.take(s.HeardS - s.TS)
	c.mu.Unlock()
	if math.Abs(off) < clockOffS {
		off = 0
	}
	off = math.Round(off*10) / 10
	was, err := c.Recorder.Book.ClockOffset(ctx, f.RecordingID)
	if err != nil || !step && math.Abs(off-was) < clockOffS {
		return err
	}
	if step {
		if err := c.Recorder.Book.NewRecording(ctx, f, off); err != nil {
			return err
		}
		return c.mark(ctx, f, run.Note, fmt.Sprintf("the stall's clock was set by %s; lined up again",
			words.Duration(math.Abs(off-was))))
	}
	if err := c.Recorder.Book.SetClockOffset(ctx, f.RecordingID, off); err != nil || math.Abs(off) < sayOffS {
		return err
	}
	which := "ahead"
	if off > 0 {
		which = "behind"
	}
	return c.mark(ctx, f, run.Note, fmt.Sprintf("the stall's clock is %s %s; lined up", words.Duration(math.Abs(off)),
		which))
}
