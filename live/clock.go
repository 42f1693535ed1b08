package live

import (
	"context"
	"fmt"
	"math"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
)

// sayOffS is from where on a charge point's clock that is off is marked.
const sayOffS = 30

// lineUp notes how far a charge point's own clock is off, as its messages come: its
// readings are stored as they came. Where its clock was set, they go on in another
// recording.
func (c *Centre) lineUp(ctx context.Context, f *logbook.Feed, s logbook.Sample) error {
	c.mu.Lock()
	if c.clocks == nil {
		c.clocks = map[int64]*trace.SourceClock{}
	}
	clock := c.clocks[f.ID]
	if clock == nil {
		clock = &trace.SourceClock{}
		c.clocks[f.ID] = clock
	}
	off, step := clock.Take(s.HeardS - s.TS)
	c.mu.Unlock()
	if math.Abs(off) < trace.ClockOffS {
		off = 0
	}
	off = math.Round(off*10) / 10
	was, err := c.Recorder.Book.ClockOffset(ctx, f.RecordingID)
	if err != nil || !step && math.Abs(off-was) < trace.ClockOffS {
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
