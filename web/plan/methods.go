package plan

import (
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/logbook"
	"zincroad/web/ui"
)

type methodsView struct {
	*ui.Fields
	Ready []prepare.Method
	Own   []logbook.OwnMethod
	ID    int64 // of the one being changed; 0: a new one
}

// methods shows the ready methods and the testers' own; the address may name one
// to begin from, or one's own to change.
func (s *Room) methods(w http.ResponseWriter, r *http.Request) error {
	v := methodsView{Fields: ui.NewFields(url.Values{"clock": {"plug"}, "climate": {"off"}, "repeats": {"2"}})}
	own, err := s.book.Methods(r.Context())
	if err != nil {
		return err
	}
	if m, ok := prepare.MethodOf(r.URL.Query().Get("like")); ok {
		m.Name = "My " + m.Name
		v.Values = methodValues(m)
	}
	for _, m := range own {
		if strconv.FormatInt(m.ID, 10) == r.URL.Query().Get("change") {
			m.Document.Name = m.Name
			v.ID, v.Values = m.ID, methodValues(m.Document)
		}
	}
	s.showMethods(w, r, http.StatusOK, v, nil)
	return nil
}

func (s *Room) showMethods(w http.ResponseWriter, r *http.Request, status int, v methodsView, n *ui.Notice) {
	var err error
	if v.Own, err = s.book.Methods(r.Context()); err != nil {
		s.Fail(w, r, err)
		return
	}
	v.Ready = prepare.Methods
	s.Render(w, r, "methods", status, ui.Frame{Title: "Methods", Page: "prepare", Data: v, Notice: n})
}

// methodValues fills the form from a method.
func methodValues(m prepare.Method) url.Values {
	lines := func(l []string) []string { return []string{strings.Join(l, "\n")} }
	v := url.Values{
		"name":     {m.Name},
		"from_pct": {ui.PlainNumber(&m.FromPct)},
		"to_pct":   {ui.PlainNumber(&m.ToPct)},
		"clock":    {m.Clock},
		"climate":  {m.Climate},
		"target_c": {ui.PlainNumber(m.TargetC)},
		"repeats":  {strconv.Itoa(m.Repeats)},
		"why":      {m.Why},
		"same":     lines(m.Same),
		"log":      lines(m.Log),
		"cautions": lines(m.Cautions),
	}
	if m.Cold {
		v.Set("cold", "yes")
	}
	if m.ReplugAtPct > 0 {
		v.Set("replug_at_pct", ui.PlainNumber(&m.ReplugAtPct))
	}
	return v
}

// saveMethod keeps a tester's own method.
func (s *Room) saveMethod(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	row := &logbook.OwnMethod{}
	if id := f.ID("id"); id != nil {
		own, err := s.book.Methods(r.Context())
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		row.ID = *id
		for _, m := range own {
			if m.ID == *id {
				*row = m
			}
		}
	}
	if err := f.Merge(func() url.Values {
		m := row.Document
		m.Name = row.Name
		return methodValues(m)
	}, func() {
		row.Document, row.Name = readMethod(f), f.Needed("name", "A name")
	}, func() (string, error) {
		return s.book.LastActor(r.Context(), "methods", row.ID)
	}); err != nil {
		s.Fail(w, r, err)
		return
	}
	if !s.Keep(w, r, f, "name", "Another of your methods has this name.", func() (string, error) {
		err := s.book.SaveMethod(r.Context(), row)
		return ui.MethodInList(row.ID), err
	}) {
		s.showMethods(w, r, http.StatusUnprocessableEntity, methodsView{Fields: f, ID: row.ID}, nil)
	}
}

// readMethod reads the form into a method; faults stand at their fields.
func readMethod(f *ui.Fields) prepare.Method {
	m := prepare.Method{
		Name:     f.Text("name"),
		Clock:    f.Word("clock", run.Clocks),
		Climate:  f.Word("climate", run.Climates),
		TargetC:  f.NumberIn("target_c", "°C", -40, 60),
		Cold:     f.Values.Get("cold") != "",
		Why:      f.Long("why"),
		Same:     f.Lines("same"),
		Log:      f.Lines("log"),
		Cautions: f.Lines("cautions"),
		Repeats:  1,
	}
	from, to := f.Window()
	if from == nil {
		f.Fault("from_pct", "The charge to start from is needed.")
	}
	if to == nil {
		f.Fault("to_pct", "The charge to stop at is needed.")
	}
	if from != nil && to != nil {
		m.FromPct, m.ToPct = *from, *to
	}
	if n := f.Number("repeats", 1, 99); n != nil {
		m.Repeats = int(*n)
	}
	if at := f.Number("replug_at_pct", 0, 100); at != nil && *at > 0 {
		m.ReplugAtPct = *at
		if m.ToPct > m.FromPct && (*at <= m.FromPct || *at >= m.ToPct) {
			f.Fault("replug_at_pct", "Expected a charge within the window, %g to %g %%.", m.FromPct, m.ToPct)
		}
	}
	if m.Cold && m.TargetC != nil {
		f.Fault("target_c", "A cold start has no temperature to be warmed to: leave one of the two away.")
	}
	return m
}

// deleteMethod takes a method away, and offers to put it back.
func (s *Room) deleteMethod(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	m, err := s.book.DeleteMethod(r.Context(), id)
	if err != nil {
		return err
	}
	m.Document.Name = m.Name
	undo := map[string]string{}
	for k, v := range methodValues(m.Document) {
		undo[k] = v[0]
	}
	s.showMethods(w, r, http.StatusOK, methodsView{Fields: ui.NewFields(url.Values{})},
		&ui.Notice{Text: "The method " + m.Name + " is gone.", Undo: "/prepare/methods", Fields: undo})
	return nil
}
