package publish

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/logbook"
	"zincroad/web/report"
	"zincroad/web/ui"
)

// mostRuns is how many runs one report may be of: more are no page that anybody reads.
const mostRuns = 12

// errLarge is data that does not go into a report.
var errLarge = fmt.Errorf("the runs come to more than %d MB; leave their data out", logbook.MostData>>20)

// idsOf reads the numbers of runs from an address or a form.
func idsOf(text string) ([]int64, error) {
	var out []int64
	for part := range strings.SplitSeq(text, ",") {
		id, err := strconv.ParseInt(strings.TrimSpace(part), 10, 64)
		if err != nil {
			return nil, errors.New("a report is of runs: name one or several")
		}
		out = append(out, id)
	}
	if len(out) > mostRuns {
		return nil, fmt.Errorf("a report is of %d runs at most", mostRuns)
	}
	return out, nil
}

// rows are the runs of a report.
func (s *Room) rows(ctx context.Context, ids []int64) ([]*logbook.Run, error) {
	var out []*logbook.Run
	for _, id := range ids {
		row, err := s.book.Run(ctx, id)
		if err != nil {
			return nil, err
		}
		out = append(out, row)
	}
	return out, nil
}

// contentOf works out what a report says today.
func (s *Room) contentOf(ctx context.Context, kept *logbook.Report) (*report.Content, []*logbook.Run, error) {
	if kept.Trip != "" {
		c, err := s.trip(ctx, kept.Trip)
		return c, nil, err
	}
	if kept.CarID != nil {
		c, err := s.carContent(ctx, *kept.CarID, kept.Profile)
		return c, nil, err
	}
	rows, err := s.rows(ctx, kept.Runs)
	if err != nil {
		return nil, nil, err
	}
	c, err := s.content(ctx, rows, kept.Without)
	return c, rows, err
}

// carContent works out what a report of a car says today; ErrNotFound where no run says anything of it.
func (s *Room) carContent(ctx context.Context, id int64, profile string) (*report.Content, error) {
	car, err := s.book.Car(ctx, id)
	if err != nil {
		return nil, err
	}
	described := car.Describe("")
	k, err := s.book.Learned(ctx, described, logbook.Of{CarID: id, Profile: profile})
	if err != nil {
		return nil, err
	}
	if k == nil || !k.Model.Rests() {
		return nil, fmt.Errorf("what runs taught of car %d: %w", id, logbook.ErrNotFound)
	}
	c := report.Car{Name: car.Name, Noted: described.Envelope, Model: k.Model, HeldOut: k.HeldOut, Differs: k.Differs}
	if profile == run.Profiles[1] {
		c.Name, c.Noted = c.Name+", gentle profile", described.GentleEnvelope
	}
	return report.MakeCar(c)
}

// content works out what a report of runs says today: of one by the clock of its own method, of several by that from
// plug-in, for times from two clocks cannot be compared.
func (s *Room) content(ctx context.Context, rows []*logbook.Run, without []string) (*report.Content, error) {
	var list []report.Subject
	for _, row := range rows {
		res, err := s.book.Results(ctx, row)
		if err != nil {
			return nil, err
		}
		x := res.Head()
		if len(rows) > 1 {
			x = res.Reading(curve.PlugClock, "")
		}
		of := bench.KeptSubject(bench.Entry{Run: row.Describe(), Reading: x}, res.Curves[x.Side], res.Curves[curve.OfRun])
		if of.Run.Title == "" {
			of.Run.Title = fmt.Sprintf("Run %d", row.ID)
		}
		list = append(list, report.Subject{Subject: of, Curves: res.Curves})
	}
	return report.Make(list, without...)
}

// dataOf are the runs as zipped run folders, without their photos: what is on those is shown where its author wants it.
func (s *Room) dataOf(ctx context.Context, rows []*logbook.Run) ([]byte, error) {
	out := &ui.Bounded{Most: logbook.MostData}
	if err := s.book.WriteFolders(ctx, out, rows, false); errors.Is(err, ui.ErrBounded) {
		return nil, errLarge
	} else if err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// coverOf is a kept report as it is written.
func (s *Room) coverOf(kept *logbook.Report) (*report.Cover, error) {
	c := &report.Cover{Title: kept.Title, By: kept.Author, Words: kept.Words, Photo: kept.Photo,
		PhotoKind: kept.PhotoKind, Made: kept.MadeAt, Hash: kept.Hash, Font: s.Font}
	if err := json.Unmarshal(kept.Content, &c.Content); err != nil {
		return nil, fmt.Errorf("the content of report %d: %w", kept.ID, err)
	}
	for _, n := range kept.Notes {
		c.Notes = append(c.Notes, report.Note(n))
	}
	return c, nil
}
