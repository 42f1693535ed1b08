package runs

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"

	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/details"
	"zincroad/web/ui"
)

func (s *Room) editRun(w http.ResponseWriter, r *http.Request) {
	s.showEdit(w, r, http.StatusOK, nil, nil)
}

// showEdit shows a run's page with its form open. typed holds what was typed
// before a fault; mark is a mark that could not be stored.
func (s *Room) showEdit(w http.ResponseWriter, r *http.Request, status int, typed *ui.Fields, mark *details.MarkRow) {
	v, err := s.runView(r, url.Values{})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if typed == nil {
		typed = ui.NewFields(details.Values(v.Row))
	}
	e := &details.Form{Fields: typed, Kinds: run.MarkKinds, NewMark: details.MarkRow{Kind: run.Note}}
	if err := details.Choices(r.Context(), s.book, e); err != nil {
		s.Fail(w, r, err)
		return
	}
	for _, m := range v.Row.Marks {
		row := details.MarkRow{ID: m.ID, Time: words.Clock(m.TS), Kind: m.Kind, Note: m.Note}
		if mark != nil && mark.ID == m.ID {
			row = *mark
		}
		e.Marks = append(e.Marks, row)
	}
	if mark != nil && mark.ID == 0 {
		e.NewMark = *mark
	}
	v.Edit = e
	var n *ui.Notice
	q := r.URL.Query()
	if gone := q.Get("gone"); gone != "" && r.Method == http.MethodGet {
		n = &ui.Notice{Text: "The mark at " + gone + " is gone.", Undo: ui.RunPath(v.Row.ID, "/marks"),
			Fields: map[string]string{"time": gone, "kind": q.Get("kind"), "note": q.Get("note")}}
	}
	s.showRun(w, r, status, v, n)
}

// saveDetails keeps what no log holds.
func (s *Room) saveDetails(w http.ResponseWriter, r *http.Request) error {
	row, f, ok := s.FormOf(s.book, w, r)
	if !ok {
		return nil
	}
	for {
		before := *row
		details.Read(f, row)
		who, err := s.book.LastActor(r.Context(), "runs", row.ID)
		if err != nil {
			return err
		}
		details.Meanwhile(f, &before, row, who)
		if !f.OK() {
			s.showEdit(w, r, http.StatusUnprocessableEntity, f, nil)
			return nil
		}
		err = details.StoreUnchanged(r.Context(), s.book, f, row)
		if err == nil {
			break
		}
		if !errors.Is(err, logbook.ErrChanged) {
			return err
		}
		if row, err = ui.RunOf(s.book, r); err != nil { // between reading and storing: once more, against that
			return err
		}
	}
	http.Redirect(w, r, ui.RunPath(row.ID), http.StatusSeeOther)
	return nil
}

// saveMark adds a mark or changes one; one with a fault comes back as it was typed.
func (s *Room) saveMark(w http.ResponseWriter, r *http.Request) error {
	row, f, ok := s.FormOf(s.book, w, r)
	if !ok {
		return nil
	}
	m := logbook.Mark{RunID: row.ID, TS: f.Minutes("time"), Kind: f.Word("kind", run.MarkKinds), Note: f.Text("note")}
	if id := f.ID("mark"); id != nil {
		m.ID = *id
	}
	if m.Kind == "" {
		f.Fault("kind", "Choose what kind of mark this is.")
	}
	if !f.OK() {
		bad := details.MarkRow{
			ID:   m.ID,
			Time: r.PostForm.Get("time"),
			Kind: r.PostForm.Get("kind"),
			Note: r.PostForm.Get("note"),
		}
		for _, text := range f.Errors {
			bad.Error = text
		}
		s.showEdit(w, r, http.StatusUnprocessableEntity, nil, &bad)
		return nil
	}
	if err := s.book.SaveMark(r.Context(), &m); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID, "/edit#marks"), http.StatusSeeOther)
	return nil
}

// deleteMark takes a mark away, and offers to put it back.
func (s *Room) deleteMark(w http.ResponseWriter, r *http.Request) error {
	runID, err1 := ui.IDParam(r, "id")
	markID, err2 := ui.IDParam(r, "mark")
	if err1 != nil || err2 != nil {
		return fmt.Errorf("that mark: %w", logbook.ErrNotFound)
	}
	m, err := s.book.DeleteMark(r.Context(), runID, markID)
	if err != nil {
		return err
	}
	q := url.Values{"gone": {words.Clock(m.TS)}, "kind": {m.Kind}, "note": {m.Note}}
	http.Redirect(w, r, ui.RunPath(runID, "/edit?", q.Encode(), "#marks"), http.StatusSeeOther)
	return nil
}

// deleteRun puts a run aside, off the bench too; the list offers to bring it back.
func (s *Room) deleteRun(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.DeleteRun(r.Context(), id)
	}
	if err != nil {
		return err
	}
	var left []int64
	for _, x := range ui.Picked(r) {
		if x != id {
			left = append(left, x)
		}
	}
	ui.SetPicked(w, left)
	http.Redirect(w, r, fmt.Sprintf("/?gone=%d", id), http.StatusSeeOther)
	return nil
}

func (s *Room) restoreRun(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.RestoreRun(r.Context(), id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(id), http.StatusSeeOther)
	return nil
}
