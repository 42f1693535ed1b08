package runs

import (
	"html/template"
	"net/http"
	"net/url"
	"strings"

	"zincroad/core/words"
	"zincroad/internal/markdown"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// notes are what people of a crew wrote to each other on a run.
type notes struct {
	*ui.Fields
	List []note
}

type note struct {
	logbook.Note
	HTML  template.HTML
	Where string   // the stretch that it is of, behind the rest; empty: the whole run
	GoTo  *float64 // where that begins, in the time of the run's reading
	Own   bool     // whoever reads it may take it away
}

// notesOn reads them; nil where there is no crew. zeroS is where the reading's times count from.
func (s *Room) notesOn(r *http.Request, row *logbook.Run, zeroS float64) (*notes, error) {
	me := logbook.ActorOf(r.Context())
	if me.PersonID == 0 {
		return nil, nil
	}
	list, err := s.book.Notes(r.Context(), row.ID)
	if err != nil {
		return nil, err
	}
	out := &notes{Fields: ui.NewFields(url.Values{})}
	for _, n := range list {
		x := note{Note: n, Own: n.AuthorID == me.PersonID || me.May(logbook.Keeper)}
		if x.HTML, err = markdown.HTML(n.Text); err != nil {
			return nil, err
		}
		if n.FromS != nil {
			at := *n.FromS - zeroS
			x.GoTo, x.Where = &at, ", on "+words.Clock(*n.FromS)
			if n.ToS != nil {
				x.Where += " to " + words.Clock(*n.ToS)
			}
		}
		out.List = append(out.List, x)
	}
	return out, nil
}

// addNote keeps a note; one with a fault comes back as it was typed.
func (s *Room) addNote(w http.ResponseWriter, r *http.Request) error {
	row, f, ok := s.FormOf(s.book, w, r)
	if !ok {
		return nil
	}
	n := &logbook.Note{RunID: row.ID, Text: f.Long("text")}
	if n.Text == "" {
		f.Fault("text", "A note says something.")
	}
	read := func(name string) *float64 {
		if strings.TrimSpace(f.Values.Get(name)) == "" {
			return nil
		}
		v := f.Minutes(name)
		return &v
	}
	n.FromS, n.ToS = read("from"), read("to")
	switch {
	case n.FromS == nil && n.ToS != nil:
		f.Fault("from", "From when?")
	case n.FromS != nil && n.ToS != nil && *n.FromS > *n.ToS:
		f.Fault("to", "Expected no less than the beginning.")
	}
	if !f.OK() {
		v, err := s.runView(r, url.Values{})
		if err != nil {
			return err
		}
		if v.Notes != nil {
			v.Notes.Fields = f
		}
		s.showRun(w, r, http.StatusUnprocessableEntity, v, nil)
		return nil
	}
	if logbook.ActorOf(r.Context()).PersonID == 0 {
		return ui.BadRequest("notes are for a crew: who would read this one?")
	}
	if err := s.book.AddNote(r.Context(), n); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID, "#notes"), http.StatusSeeOther)
	return nil
}

// removeNote takes a note away.
func (s *Room) removeNote(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return err
	}
	id, err := ui.IDParam(r, "note")
	if err == nil {
		err = s.book.RemoveNote(r.Context(), row.ID, id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID, "#notes"), http.StatusSeeOther)
	return nil
}
