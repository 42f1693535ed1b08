package logbook

import (
	"context"
	"encoding/json"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"zincroad/core/curve"
	"zincroad/core/lineup"
	"zincroad/core/trace"
)

// How finely curves are kept: slices of time for overlays and for the strips of
// the logbook, each with up to four points.
const (
	curveSlices = 150
	stripSlices = 32
)

// Results is what was worked out from a run: its figures for every clock and side,
// the run's own choice first, and its curves, thinned out. Several requests share them: they are not to be changed.
type Results struct {
	Curves map[trace.Side]trace.Reduced

	of       []curve.Options         // a clock and a side each, the run's own choice first
	readings []func() *curve.Reading // of these; what was kept is read when it is first asked for
}

// Reading gives the figures for a clock and a side; an empty one takes the run's
// choice. Where there are none for it, the run's own choice is given.
func (r *Results) Reading(clock curve.Clock, side trace.Side) *curve.Reading {
	if clock == "" {
		clock = r.of[0].Clock
	}
	if side == "" {
		side = r.of[0].Side
	}
	return r.readings[max(0, slices.Index(r.of, curve.Options{Clock: clock, Side: side}))]()
}

// Head gives the figures of the run's own choice.
func (r *Results) Head() *curve.Reading { return r.readings[0]() }

// Of lists the clocks and sides that there are figures for, the run's own choice first.
func (r *Results) Of() []curve.Options { return r.of }

// resultsOf are those that were just worked out.
func resultsOf(readings []*curve.Reading, curves map[trace.Side]trace.Reduced) *Results {
	out := &Results{Curves: curves}
	for _, x := range readings {
		out.of = append(out.of, curve.Options{Clock: x.Clock, Side: x.Side})
		out.readings = append(out.readings, func() *curve.Reading { return x })
	}
	return out
}

// optionsOf reads the clock and the side of a kept reading, which stand at its beginning.
func optionsOf(raw string) (o curve.Options, err error) {
	d := json.NewDecoder(strings.NewReader(raw))
	for o.Clock == "" || o.Side == "" {
		token, err := d.Token()
		if err != nil {
			return o, err
		}
		switch token {
		case "clock":
			err = d.Decode(&o.Clock)
		case "side":
			err = d.Decode(&o.Side)
		}
		if err != nil {
			return o, err
		}
	}
	return o, nil
}

// Results gives a run's results, worked out anew where they do not belong to the
// present revision and arithmetic.
func (b *ResultStore) Results(ctx context.Context, row *Run) (*Results, error) {
	kept, err := b.keptResults(ctx, []*Run{row})
	if err != nil {
		return nil, err
	}
	return b.resultsFrom(ctx, row, kept[row.ID])
}

// SeveralResults gives the results of several runs; nil in the place of a run whose figures cannot be made, which
// the program's log tells of.
func (b *ResultStore) SeveralResults(ctx context.Context, rows []*Run) ([]*Results, error) {
	kept, err := b.keptResults(ctx, rows)
	if err != nil {
		return nil, err
	}
	out := make([]*Results, len(rows))
	all, ctx := errgroup.WithContext(ctx)
	all.SetLimit(runtime.GOMAXPROCS(0))
	for i, row := range rows {
		all.Go(func() error {
			res, err := b.resultsFrom(ctx, row, kept[row.ID])
			if err != nil {
				b.log.Error("a run without figures", "run", row.ID, "error", err)
				return ctx.Err()
			}
			out[i] = res
			return nil
		})
	}
	return out, all.Wait()
}

// keptResults gives what was kept of runs by the present arithmetic, by their number. Of what was read before
// there is the stamp, the rest is asked for.
func (b *ResultStore) keptResults(ctx context.Context, rows []*Run) (map[int64]*result, error) {
	ids := make([]int64, len(rows))
	for i, row := range rows {
		ids[i] = row.ID
	}
	kept := func() *gorm.DB { return b.db.WithContext(ctx).Where("arithmetic = ?", curve.Version) }
	var list []*result
	if err := kept().Select("run_id", "revision", "stamp").Find(&list, "run_id IN ?", ids).Error; err != nil {
		return nil, mapped("asking for results", err)
	}
	out := make(map[int64]*result, len(list))
	var unread []int64
	for _, k := range list {
		out[k.RunID] = k
		if k.seen, _ = b.seen.Get(k.Stamp); k.seen == nil {
			unread = append(unread, k.RunID)
		}
	}
	if len(unread) == 0 {
		return out, nil
	}
	list = nil
	if err := kept().Omit("strip").Find(&list, "run_id IN ?", unread).Error; err != nil {
		return nil, mapped("reading results", err)
	}
	for _, k := range list {
		out[k.RunID] = k
	}
	return out, nil
}

// resultsFrom reads a run's results from what was kept, nil where nothing was, where that belongs to its present
// revision and to what other runs taught; else they are worked out.
func (b *ResultStore) resultsFrom(ctx context.Context, row *Run, kept *result) (*Results, error) {
	if kept == nil || kept.Revision != row.Revision || row.Lessons != row.LessonsRead {
		return b.workOutToShow(ctx, row)
	}
	if kept.seen != nil {
		return kept.seen, nil
	}
	out, err := kept.unpack()
	if err == nil {
		b.seen.Add(kept.Stamp, out)
		return out, nil
	}
	b.log.Error("results that cannot be read, worked out anew", "run", row.ID, "error", err)
	return b.workOutToShow(ctx, row)
}

// AsRecorded works out what a run would say if nothing in it had been put right and no clock lined
// up; what other runs taught stays the same, so that what differs is due to that alone. It is not kept.
func (b *ResultStore) AsRecorded(ctx context.Context, row *Run) (*Results, error) {
	r := row.Describe()
	for _, rec := range row.Recordings {
		t, err := b.recordings.readings(ctx, rec)
		if err != nil {
			return nil, err
		}
		r.Recordings = append(r.Recordings, t)
	}
	known, err := b.elsewhere(ctx, row, r.Car)
	if err != nil {
		return nil, err
	}
	out, _, _, err := worked(row, lineup.AsNoted(r), known, notKept)
	if err != nil {
		return nil, fmt.Errorf("run %d: %w", row.ID, err)
	}
	return out, nil
}

// unpack reads what was kept: all but the figures that are not the run's own choice, of which a page needs one of
// up to four.
func (k *result) unpack() (*Results, error) {
	out := &Results{}
	broken := func(err error) error { return fmt.Errorf("results of run %d: %w", k.RunID, err) }
	head := new(curve.Reading)
	for raw := range strings.Lines(k.Readings) {
		o, err := optionsOf(raw)
		if err != nil {
			return nil, broken(err)
		}
		if len(out.of) == 0 {
			if err := json.Unmarshal([]byte(raw), head); err != nil {
				return nil, broken(err)
			}
			out.readings = append(out.readings, func() *curve.Reading { return head })
		} else {
			out.readings = append(out.readings, sync.OnceValue(func() *curve.Reading {
				x := new(curve.Reading)
				if json.Unmarshal([]byte(raw), x) != nil {
					return head
				}
				return x
			}))
		}
		out.of = append(out.of, o)
	}
	if len(out.of) == 0 {
		return nil, fmt.Errorf("results of run %d: empty", k.RunID)
	}
	var err error
	if out.Curves, err = unpackCurves(k.Curves); err != nil {
		return nil, fmt.Errorf("curves of run %d: %w", k.RunID, err)
	}
	return out, nil
}
