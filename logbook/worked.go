package logbook

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/judge"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// errArithmetic is what a run that the arithmetic breaks down on comes to.
var errArithmetic = errors.New("the figures cannot be worked out")

// workOut reads a run, works its results out and keeps them. It fails with
// errArithmetic where the figures cannot be made of what was recorded.
func (b *ResultStore) workOut(ctx context.Context, row *Run) (*Results, error) {
	began := time.Now()
	r, err := b.runs.Load(ctx, row)
	if err != nil {
		return nil, err
	}
	known, err := b.elsewhere(ctx, row, r.Car)
	if err != nil {
		return nil, err
	}
	var taught string
	err = b.db.WithContext(ctx).Raw("SELECT taught FROM runs WHERE id = ? AND read_revision = ? AND read_version = ?",
		row.ID, row.Revision, curve.Version).Scan(&taught).Error
	if err != nil {
		return nil, mapped("asking what a run taught", err)
	}
	out, kept, fig, err := worked(row, r, known, taught)
	if err != nil {
		return nil, fmt.Errorf("run %d: %w", row.ID, err)
	}
	err = b.keep(ctx, row, kept, fig)
	b.log.Debug("worked out", "run", row.ID, "took", time.Since(began))
	return out, err
}

// workOutToShow is workOut for who looks at a run: results that there is no room to keep, or no database to keep them
// in, are shown all the same.
func (b *ResultStore) workOutToShow(ctx context.Context, row *Run) (*Results, error) {
	out, err := b.workOut(ctx, row)
	if out != nil && unkept(err) {
		b.log.Warn("results that could not be kept", "run", row.ID, "error", err)
		err = nil
	}
	return out, err
}

// unkept tells whether nothing is wrong but that nothing can be stored.
func unkept(err error) bool { return errors.Is(err, ErrNoRoom) || errors.Is(err, ErrAway) }

// notKept stands for what a run taught, where that is shown to nobody.
const notKept = "{}"

// worked makes everything that is kept of a run. A panic of the arithmetic is an error
// here: one run that nobody thought of must not end the program that works through all.
// Where a run taught something before that still holds (taught), that stays: it is of the run alone.
func worked(row *Run, r *run.Run, known judge.Elsewhere, taught string) (out *Results, kept *result, fig figures,
	err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("%v, at %s: %w", p, debug.Stack(), errArithmetic)
		}
	}()
	work := curve.OfKnown(r, known)
	out = resultsOf(work.ReadAll(), work.Reduce(curveSlices))
	head := out.Head()
	strip := stripOf(head, work.Reduce(stripSlices)[head.Side])
	fig = figuresOf(head)
	if w, ok := head.Headline(r.Method); ok {
		fig.WindowS, fig.WindowFromPct, fig.WindowToPct, fig.AverageKW = &w.TS, &w.FromPct, &w.ToPct, w.AverageKW
		strip.WindowFrom, strip.WindowTo = w.FromPct, w.ToPct
	}
	if taught == "" {
		alone := work
		if known != (judge.Elsewhere{}) { // what others taught must not come back to them as if this run had
			alone = curve.Of(r)
		}
		text, err := json.Marshal(alone.Taught())
		if err != nil {
			return nil, nil, fig, fmt.Errorf("%w: %w", err, errArithmetic)
		}
		taught = string(text)
	}
	fig.Taught, fig.Lessons = taught, row.Lessons
	fromPlug := func(side trace.Side) *curve.Reading {
		if i := slices.Index(out.of, curve.Options{Clock: curve.PlugClock, Side: side}); i >= 0 {
			return out.readings[i]()
		}
		return nil
	}
	gist, err := json.Marshal(bench.GistOf(r, cmp.Or(fromPlug(head.Side), head), fromPlug(trace.CarSide)))
	if err != nil {
		return nil, nil, fig, fmt.Errorf("%w: %w", err, errArithmetic)
	}
	fig.Gist = string(gist)
	if n := len(strip.T); n > 0 {
		fig.LengthS = max(0, strip.T[n-1])
	}
	var readings strings.Builder // a line each, so that one can be read without the others
	lines := json.NewEncoder(&readings)
	for _, x := range out.readings {
		if err := lines.Encode(x()); err != nil {
			return nil, nil, fig, fmt.Errorf("%w: %w", err, errArithmetic)
		}
	}
	kept = &result{RunID: row.ID, Arithmetic: curve.Version, Revision: row.Revision, Strip: strip.pack(),
		Readings: readings.String(), Curves: packCurves(out.Curves)}
	// Curves as they were kept, to the digit: whoever looks a second time sees what was seen the first.
	if out.Curves, err = unpackCurves(kept.Curves); err != nil {
		return nil, nil, fig, fmt.Errorf("%w: %w", err, errArithmetic)
	}
	return out, kept, fig, nil
}

// figures are those of a run that the list and the matrix need, as they stand with it.
type figures struct {
	WindowS   *float64
	PeakKW    *float64
	AverageKW *float64
	LengthS   float64
	StartPct  *float64
	StartC    *float64
	Finding   string // the first one, to be searched
	Said      Headline

	WindowFromPct, WindowToPct *float64 // of which window WindowS is

	UsableKWh, UsableLow, UsableHigh *float64
	Taught                           string // curve.Taught as JSON
	Gist                             string // bench.Gist as JSON

	Lessons int // what other runs had taught by then
}

// figuresOf takes out of a reading what stands with the run.
func figuresOf(head *curve.Reading) figures {
	var f figures
	if head.Peak != nil {
		f.PeakKW = &head.Peak.KW
	}
	if head.SoC != nil {
		f.StartPct = &head.SoC.FromPct
	}
	if head.Battery != nil {
		f.StartC = head.Battery.StartC
	}
	if u := head.Usable; u != nil {
		f.UsableKWh, f.UsableLow, f.UsableHigh = &u.Value, &u.Low, u.High
	}
	if len(head.Findings) > 0 {
		first := head.Findings[0]
		f.Finding = first.Text.Kept()
		f.Said = Headline{first.Text, first.Story}
	}
	return f
}

// keep stores results with their run, unless newer ones are there: of a later revision,
// or by another copy of the program with a later version of the arithmetic.
func (b *ResultStore) keep(ctx context.Context, row *Run, k *result, f figures) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var before struct {
			Taught       string
			ReadRevision int
			ReadVersion  int
			Finding      string
			WindowS      *float64
			PeakKW       *float64 `gorm:"column:peak_kw"`
			Live         bool
		}
		err := tx.Raw(`SELECT taught, read_revision, read_version, finding, window_s, peak_kw, live FROM runs
			WHERE id = ? FOR UPDATE`, k.RunID).Scan(&before).Error
		if err != nil {
			return err
		}
		res := tx.Exec(`UPDATE runs SET window_s = ?, window_from_pct = ?, window_to_pct = ?, peak_kw = ?, average_kw = ?,
				length_s = ?, start_pct = ?, start_c = ?, finding = ?, said = ?, usable_kwh = ?, usable_low = ?, usable_high = ?,
				taught = ?, gist = ?, read_revision = ?, read_version = ?, lessons_read = ?, read_fault = ''
			WHERE id = ? AND read_revision <= ? AND read_version <= ?`,
			f.WindowS, f.WindowFromPct, f.WindowToPct, f.PeakKW, f.AverageKW, f.LengthS, f.StartPct, f.StartC, f.Finding, f.Said,
			f.UsableKWh, f.UsableLow, f.UsableHigh, f.Taught, f.Gist, k.Revision, k.Arithmetic, f.Lessons,
			k.RunID, k.Revision, k.Arithmetic)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if !before.Live {
			same := before.Finding == f.Finding && equal(before.WindowS, f.WindowS) && equal(before.PeakKW, f.PeakKW)
			event := FiguresChange
			if before.ReadVersion == 0 {
				event = RunFinished
			}
			if event == RunFinished || !same {
				if err := tell(tx, event, k.RunID); err != nil {
					return err
				}
			}
		}
		// Only what came in, was put right or is read by another arithmetic teaches: what a run says after it
		// learnt from others must not set those off again.
		newly := before.ReadRevision < k.Revision || before.ReadVersion < k.Arithmetic
		if newly && before.Taught != f.Taught {
			if err := teach(tx, row, before.Taught, f.Taught); err != nil {
				return err
			}
		}
		return tx.Exec(`INSERT INTO results (run_id, arithmetic, revision, strip, readings, curves)
			VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (run_id) DO UPDATE SET arithmetic = excluded.arithmetic,
				revision = excluded.revision, strip = excluded.strip, readings = excluded.readings,
				curves = excluded.curves, stamp = excluded.stamp`,
			k.RunID, k.Arithmetic, k.Revision, k.Strip, k.Readings, k.Curves).Error
	})
	return mapped("keeping the results", err)
}

// equal tells whether two numbers are the same, or neither is there.
func equal(a, b *float64) bool { return a == b || a != nil && b != nil && *a == *b }

// stripOf puts the reduced power on the reading's clock.
func stripOf(r *curve.Reading, c trace.Reduced) Strip {
	s := Strip{Side: r.Side, Posts: r.Posts, Gaps: r.Gaps}
	for _, c := range r.Ceilings {
		s.Held = append(s.Held, Held{c.FromS, c.ToS, c.Cause})
	}
	for i, t := range c.T {
		if power := c.Columns[trace.Power]; power != nil && t-r.ZeroS > -60 {
			s.T = append(s.T, t-r.ZeroS)
			s.KW = append(s.KW, max(0, power[i]))
		}
	}
	return s
}
