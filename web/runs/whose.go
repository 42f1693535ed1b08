package runs

import (
	"context"
	"net/http"

	"zincroad/logbook"
	"zincroad/web/ui"
)

// whose says in whose hands a run is; nil where there is no crew.
type whose struct {
	Name   string // empty: nobody's in particular
	Shared bool
	Others []logbook.Person // to whom a keeper can give it
}

// whoseIs finds it out.
func (s *Room) whoseIs(ctx context.Context, row *logbook.Run) (*whose, error) {
	people, err := s.book.People(ctx)
	if err != nil || len(people) == 0 {
		return nil, err
	}
	out := &whose{Shared: row.Shared}
	for _, p := range people {
		switch {
		case row.OwnerID != nil && *row.OwnerID == p.ID:
			out.Name = p.Name
		case p.Role.May(logbook.Tester) && logbook.ActorOf(ctx).May(logbook.Keeper):
			out.Others = append(out.Others, p)
		}
	}
	if out.Name == "" && row.OwnerID != nil {
		out.Name = "somebody who left"
	}
	return out, nil
}

// share lets every tester change a run, or no longer.
func (s *Room) share(w http.ResponseWriter, r *http.Request) error {
	return s.handed(w, r, func(f *ui.Fields, row *logbook.Run) error {
		return s.book.Share(r.Context(), row.ID, f.Word("shared", []string{"yes", "no"}) == "yes")
	})
}

// give makes a run somebody else's.
func (s *Room) give(w http.ResponseWriter, r *http.Request) error {
	return s.handed(w, r, func(f *ui.Fields, row *logbook.Run) error {
		to := f.ID("person")
		if to == nil {
			return ui.BadRequest("To whom?")
		}
		p, err := s.book.Person(r.Context(), *to)
		if err != nil {
			return err
		}
		return s.book.Give(r.Context(), row.ID, p.ID)
	})
}

func (s *Room) handed(w http.ResponseWriter, r *http.Request, do func(*ui.Fields, *logbook.Run) error) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	row, err := ui.RunOf(s.book, r)
	if err == nil {
		err = do(f, row)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID, "#conditions"), http.StatusSeeOther)
	return nil
}
