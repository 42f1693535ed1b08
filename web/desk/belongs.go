package desk

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"zincroad/core/lineup"
	"zincroad/formats/intake"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// When a file may be the other side of a run that is there (common practice, no source).
const (
	looksBack   = 30             // runs
	undated     = 5              // of those, where no date tells
	mostCompare = 6              // by their shapes
	sameDay     = 26 * time.Hour // another zone and a clock set wrongly included
)

// belongs finds the run that a file is another recording of: one of about the same time whose
// shape is the same. Nil where there is none.
func (s *Room) belongs(ctx context.Context, b *intake.Bundle) (*logbook.Run, error) {
	if b.Kind == intake.FolderKind || len(b.Run.Recordings) == 0 {
		return nil, nil
	}
	list, err := s.book.CameIn(ctx, looksBack)
	if err != nil {
		return nil, err
	}
	compared := 0
	for i := range list {
		row := &list[i]
		dated := row.StartedAt != nil && !b.Run.StartedAt.IsZero()
		if dated && b.Run.StartedAt.Sub(*row.StartedAt).Abs() > sameDay || !dated && i >= undated ||
			len(row.Recordings) == 0 || compared == mostCompare {
			continue
		}
		compared++
		whole, err := s.book.Run(ctx, row.ID)
		if err != nil {
			return nil, err
		}
		full, err := s.book.Load(ctx, whole)
		if err != nil {
			return nil, err
		}
		if lineup.OneSession(full.Recordings[0], b.Run.Recordings[0]) {
			return whole, nil
		}
	}
	return nil, nil
}

// addArrival brings a waiting file in as a further recording of a run.
func (s *Room) addArrival(w http.ResponseWriter, r *http.Request) error {
	f, v, ok := s.arrivalForm(w, r)
	if !ok {
		return nil
	}
	id, err := strconv.ParseInt(f.Values.Get("belongs"), 10, 64)
	if err != nil || v.Problem != "" || v.Bundle == nil || v.Kind == string(intake.FolderKind) {
		s.Render(w, r, "arrival", http.StatusUnprocessableEntity,
			ui.Frame{Title: "Bring in " + v.Arrival.Name, Page: "desk", Data: v})
		return nil
	}
	if err := s.book.AddRecordings(r.Context(), id, v.Bundle); err != nil {
		return err
	}
	if v.Bundle.Layout != nil {
		if err := s.book.Remember(r.Context(), *v.Bundle.Layout); err != nil {
			return err
		}
	}
	if err := s.book.DropArrival(r.Context(), v.Arrival.ID); err != nil {
		return err
	}
	row, err := s.book.Run(r.Context(), id)
	if err != nil {
		return err
	}
	http.Redirect(
		w,
		r,
		ui.RunPath(id, "?added=", fmt.Sprint(row.Recordings[len(row.Recordings)-1].ID)),
		http.StatusSeeOther,
	)
	return nil
}
