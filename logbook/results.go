package logbook

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"zincroad/core/bench"
	"zincroad/core/ceiling"
	"zincroad/core/curve"
	"zincroad/core/lineup"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// How finely curves are kept: slices of time for overlays and for the strips of
// the logbook, each with up to four points.
const (
	curveSlices = 150
	stripSlices = 32
)

// Results is what was worked out from a run: its figures for every clock and side,
// the run's own choice first, and its curves, thinned out.
type Results struct {
	Curves map[trace.Side]trace.Reduced

	of       []curve.Options  // a clock and a side each, the run's own choice first
	readings []*curve.Reading // of these; nil: still as it was kept
	kept     []string         // of these, JSON; empty where they were just worked out
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
	return r.at(max(0, slices.Index(r.of, curve.Options{Clock: clock, Side: side})))
}

// Head gives the figures of the run's own choice.
func (r *Results) Head() *curve.Reading { return r.at(0) }

// Of lists the clocks and sides that there are figures for, the run's own choice first.
func (r *Results) Of() []curve.Options { return r.of }

// at gives a reading, read from what was kept when it is first asked for: a page needs one of up to four.
func (r *Results) at(i int) *curve.Reading {
	if r.readings[i] == nil {
		x := new(curve.Reading)
		if json.Unmarshal([]byte(r.kept[i]), x) != nil {
			return r.readings[0]
		}
		r.readings[i] = x
	}
	return r.readings[i]
}

// resultsOf are those that were just worked out.
func resultsOf(readings []*curve.Reading, curves map[trace.Side]trace.Reduced) *Results {
	out := &Results{Curves: curves, readings: readings}
	for _, x := range readings {
		out.of = append(out.of, curve.Options{Clock: x.Clock, Side: x.Side})
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
func (b *Book) Results(ctx context.Context, row *Run) (*Results, error) {
	var kept result
	err := b.keptResults(ctx).First(&kept, "run_id = ?", row.ID).Error
	if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, mapped("reading the results", err)
	}
	return b.resultsFrom(ctx, row, &kept)
}

// SeveralResults gives the results of several runs; nil in the place of a run whose figures cannot be made, which
// the program's log tells of.
func (b *Book) SeveralResults(ctx context.Context, rows []*Run) ([]*Results, error) {
	ids := make([]int64, len(rows))
	for i, row := range rows {
		ids[i] = row.ID
	}
	var list []result
	if err := b.keptResults(ctx).Find(&list, "run_id IN ?", ids).Error; err != nil {
		return nil, mapped("reading results", err)
	}
	out := make([]*Results, len(rows))
	all, ctx := errgroup.WithContext(ctx)
	all.SetLimit(runtime.GOMAXPROCS(0))
	for i, row := range rows {
		all.Go(func() error {
			var kept result
			if at := slices.IndexFunc(list, func(k result) bool { return k.RunID == row.ID }); at >= 0 {
				kept = list[at]
			}
			res, err := b.resultsFrom(ctx, row, &kept)
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

// keptResults asks for what was kept by the present arithmetic.
func (b *Book) keptResults(ctx context.Context) *gorm.DB {
	return b.db.WithContext(ctx).Omit("strip").Where("arithmetic = ?", curve.Version)
}

// resultsFrom reads a run's results from what was kept, where that belongs to its present revision and to what
// other runs taught; else they are worked out.
func (b *Book) resultsFrom(ctx context.Context, row *Run, kept *result) (*Results, error) {
	if kept.RunID != row.ID || kept.Revision != row.Revision || row.Lessons != row.LessonsRead {
		return b.workOutToShow(ctx, row)
	}
	out, err := kept.unpack()
	if err == nil {
		return out, nil
	}
	b.log.Error("results that cannot be read, worked out anew", "run", row.ID, "error", err)
	return b.workOutToShow(ctx, row)
}

// AsRecorded works out what a run would say if nothing in it had been put right and no clock lined
// up. It is not kept.
func (b *Book) AsRecorded(ctx context.Context, row *Run) (*Results, error) {
	r := row.Describe()
	for _, rec := range row.Recordings {
		t, err := b.readings(ctx, rec)
		if err != nil {
			return nil, err
		}
		r.Recordings = append(r.Recordings, t)
	}
	out, _, _, err := worked(row, lineup.AsNoted(r), ceiling.Elsewhere{})
	if err != nil {
		return nil, fmt.Errorf("run %d: %w", row.ID, err)
	}
	return out, nil
}

// unpack reads what was kept: all but the figures that are not the run's own choice.
func (k *result) unpack() (*Results, error) {
	out := &Results{}
	broken := func(err error) error { return fmt.Errorf("results of run %d: %w", k.RunID, err) }
	for raw := range strings.Lines(k.Readings) {
		out.kept = append(out.kept, raw)
		o, err := optionsOf(raw)
		if err != nil {
			return nil, broken(err)
		}
		out.of = append(out.of, o)
	}
	if len(out.kept) == 0 {
		return nil, fmt.Errorf("results of run %d: empty", k.RunID)
	}
	head := new(curve.Reading)
	if err := json.Unmarshal([]byte(out.kept[0]), head); err != nil {
		return nil, broken(err)
	}
	out.readings = make([]*curve.Reading, len(out.kept))
	out.readings[0] = head
	var err error
	if out.Curves, err = unpackCurves(k.Curves); err != nil {
		return nil, fmt.Errorf("curves of run %d: %w", k.RunID, err)
	}
	return out, nil
}

// errArithmetic is what a run that the arithmetic breaks down on comes to.
var errArithmetic = errors.New("the figures cannot be worked out")

// workOut reads a run, works its results out and keeps them. It fails with
// errArithmetic where the figures cannot be made of what was recorded.
func (b *Book) workOut(ctx context.Context, row *Run) (*Results, error) {
	began := time.Now()
	r, err := b.Load(ctx, row)
	if err != nil {
		return nil, err
	}
	known, err := b.elsewhere(ctx, row)
	if err != nil {
		return nil, err
	}
	out, kept, fig, err := worked(row, r, known)
	if err != nil {
		return nil, fmt.Errorf("run %d: %w", row.ID, err)
	}
	err = b.keep(ctx, row, kept, fig)
	b.log.Debug("worked out", "run", row.ID, "took", time.Since(began))
	return out, err
}

// workOutToShow is workOut for who looks at a run: results that there is no room to keep are shown all the same.
func (b *Book) workOutToShow(ctx context.Context, row *Run) (*Results, error) {
	out, err := b.workOut(ctx, row)
	if errors.Is(err, ErrNoRoom) {
		b.log.Warn("results that could not be kept", "run", row.ID, "error", err)
		err = nil
	}
	return out, err
}

// mostTeachers is how many of a car's, and of a stall's, latest runs are asked.
const mostTeachers = 40

// elsewhere is what other runs of the same car and software, and others at the same stall, taught.
func (b *Book) elsewhere(ctx context.Context, row *Run) (ceiling.Elsewhere, error) {
	ask := func(column string, id *int64) ([]curve.Taught, error) {
		if id == nil {
			return nil, nil
		}
		q := b.db.WithContext(ctx).Model(&Run{}).Where(column+" = ? AND id <> ? AND taught <> '' AND NOT live", *id, row.ID)
		if column == "car_id" {
			q = q.Where("software_id IS NOT DISTINCT FROM ? AND profile = ?", row.SoftwareID, row.Profile)
		}
		var texts []string
		err := q.Order("started_at DESC NULLS LAST, id DESC").Limit(mostTeachers).Pluck("taught", &texts).Error
		if err != nil {
			return nil, mapped("asking other runs", err)
		}
		var out []curve.Taught
		for _, text := range texts {
			out = append(out, taughtOf(text))
		}
		return out, nil
	}
	ofCar, err := ask("car_id", row.CarID)
	if err != nil {
		return ceiling.Elsewhere{}, err
	}
	atStall, err := ask("stall_id", row.StallID)
	return curve.Learn(ofCar, atStall), err
}

// worked makes everything that is kept of a run. A panic of the arithmetic is an error
// here: one run that nobody thought of must not end the program that works through all.
func worked(row *Run, r *run.Run, known ceiling.Elsewhere) (out *Results, kept *result, fig figures, err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("%v: %w", p, errArithmetic)
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
	taught, err := json.Marshal(work.Taught())
	if err != nil {
		return nil, nil, fig, fmt.Errorf("%w: %w", err, errArithmetic)
	}
	fig.Taught, fig.Lessons = string(taught), row.Lessons
	fromPlug := func(side trace.Side) *curve.Reading {
		if i := slices.Index(out.of, curve.Options{Clock: curve.PlugClock, Side: side}); i >= 0 {
			return out.readings[i]
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
		if err := lines.Encode(x); err != nil {
			return nil, nil, fig, fmt.Errorf("%w: %w", err, errArithmetic)
		}
	}
	kept = &result{RunID: row.ID, Arithmetic: curve.Version, Revision: row.Revision, Strip: strip.pack(),
		Readings: readings.String(), Curves: packCurves(out.Curves)}
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
	Finding   string // the first one

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
		f.Finding = head.Findings[0].Text
	}
	return f
}

// keep stores results with their run, unless newer ones are there: of a later revision,
// or by another copy of the program with a later version of the arithmetic.
func (b *Book) keep(ctx context.Context, row *Run, k *result, f figures) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var before struct {
			Taught       string
			ReadRevision int
			ReadVersion  int
		}
		err := tx.Raw("SELECT taught, read_revision, read_version FROM runs WHERE id = ? FOR UPDATE", k.RunID).
			Scan(&before).Error
		if err != nil {
			return err
		}
		res := tx.Exec(`UPDATE runs SET window_s = ?, window_from_pct = ?, window_to_pct = ?, peak_kw = ?, average_kw = ?,
				length_s = ?, start_pct = ?, start_c = ?, finding = ?, usable_kwh = ?, usable_low = ?, usable_high = ?,
				taught = ?, gist = ?, read_revision = ?, read_version = ?, lessons_read = ?, read_fault = ''
			WHERE id = ? AND read_revision <= ? AND read_version <= ?`,
			f.WindowS, f.WindowFromPct, f.WindowToPct, f.PeakKW, f.AverageKW, f.LengthS, f.StartPct, f.StartC, f.Finding,
			f.UsableKWh, f.UsableLow, f.UsableHigh, f.Taught, f.Gist, k.Revision, k.Arithmetic, f.Lessons,
			k.RunID, k.Revision, k.Arithmetic)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
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
				curves = excluded.curves`,
			k.RunID, k.Arithmetic, k.Revision, k.Strip, k.Readings, k.Curves).Error
	})
	return mapped("keeping the results", err)
}

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
