package bench

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"zincroad/core/bench"
	"zincroad/core/run"
	"zincroad/logbook"
)

// laidRun is a run that is asked for; its results are nil where they cannot be made.
type laidRun struct {
	row       *logbook.Run
	described *run.Run
	results   *logbook.Results
}

// read is what a bench is made of: the runs that are asked for, in their order and without those that are gone, what
// the logbook knows of their cars, and which runs could be added.
type read struct {
	runs   []laidRun
	known  []bench.Known
	others []logbook.Choice
}

// read asks the logbook for all of it side by side.
func (s *Room) read(ctx context.Context, ids []int64) (*read, error) {
	out := &read{}
	all, within := errgroup.WithContext(ctx)
	if len(ids) < bench.MaxRuns {
		all.Go(func() (err error) {
			out.others, err = s.benchOthers(within, ids)
			return err
		})
	}
	if len(ids) > 0 {
		all.Go(func() (err error) {
			out.known, err = s.book.Comparable(within, mostBeside, ids...)
			return err
		})
	}
	rows, err := s.book.Runs(within, ids)
	if err != nil {
		return nil, cmp.Or(all.Wait(), err)
	}
	rows = slices.DeleteFunc(rows, func(row *logbook.Run) bool { return row == nil || row.DeletedAt.Valid })
	out.runs = make([]laidRun, len(rows))
	all.Go(func() error {
		for i, row := range rows {
			out.runs[i].row, out.runs[i].described = row, row.Describe()
		}
		return nil
	})
	all.Go(func() error {
		results, err := s.book.SeveralResults(within, rows)
		for i, r := range results {
			out.runs[i].results = r
		}
		return err
	})
	if err := all.Wait(); err != nil {
		return nil, err
	}
	if len(rows) == 0 { // to propose comparisons from
		out.known, err = s.book.Comparable(ctx, mostPaired)
	}
	return out, err
}

// commonStart is the lowest whole per cent from which all of several runs were charging; 0 where there is
// none.
func commonStart(entries []bench.Entry) float64 {
	start := 0.0
	for _, e := range entries {
		if e.Reading.SoC == nil {
			return 0
		}
		start = max(start, math.Ceil(e.Reading.SoC.FromPct))
	}
	for _, e := range entries {
		if e.Reading.SoC.ToPct <= start {
			return 0
		}
	}
	if len(entries) < 2 {
		return 0
	}
	return start
}

// fullName says a run in a line.
func fullName(row *logbook.Run) string {
	parts := []string{fmt.Sprintf("Run %d", row.ID)}
	if row.Car != nil {
		name := row.Car.Name
		if row.Software != nil {
			name += " " + row.Software.Version
		}
		parts = append(parts, name)
	}
	if row.Stall != nil {
		parts = append(parts, row.Stall.Site.Name+" "+row.Stall.Name)
	}
	if row.Title != "" {
		parts = append(parts, row.Title)
	}
	return strings.Join(parts, " · ")
}
