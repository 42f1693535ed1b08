package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/logbook"
)

type methodsView struct {
	*fields
	Ready []prepare.Method
	Own   []logbook.OwnMethod
	ID    int64 // of the one being changed; 0: a new one
}

// methods shows the ready methods and the testers' own; the address may name one
// to begin from, or one's own to change.
func (s *Server) methods(w http.ResponseWriter, r *http.Request) {
	v := methodsView{fields: newFields(url.Values{"clock": {"plug"}, "climate": {"off"}, "repeats": {"2"}})}
	own, err := s.book.Methods(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
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
}

func (s *Server) showMethods(w http.ResponseWriter, r *http.Request, status int, v methodsView, n *Notice) {
	var err error
	if v.Own, err = s.book.Methods(r.Context()); err != nil {
		s.fail(w, r, err)
		return
	}
	v.Ready = prepare.Methods
	s.render(w, r, "methods", status, Frame{Title: "Methods", Page: "prepare", Data: v, Notice: n})
}

func methodValues(m prepare.Method) url.Values {
	lines := func(l []string) []string { return []string{strings.Join(l, "\n")} }
	v := url.Values{"name": {m.Name}, "from_pct": {plainNumber(&m.FromPct)}, "to_pct": {plainNumber(&m.ToPct)}, "clock": {m.Clock}, "climate": {m.Climate},
		"target_c": {plainNumber(m.TargetC)}, "repeats": {strconv.Itoa(m.Repeats)}, "why": {m.Why},
		"same": lines(m.Same), "log": lines(m.Log), "cautions": lines(m.Cautions)}
	if m.Cold {
		v.Set("cold", "yes")
	}
	if m.ReplugAtPct > 0 {
		v.Set("replug_at_pct", plainNumber(&m.ReplugAtPct))
	}
	return v
}

func (s *Server) saveMethod(w http.ResponseWriter, r *http.Request) {
	f, ok := s.form(w, r)
	if !ok {
		return
	}
	row := &logbook.OwnMethod{Document: readMethod(f), Name: f.needed("name", "A name")}
	if id := f.id("id"); id != nil {
		row.ID = *id
	}
	if !s.keep(w, r, f, "name", "Another of your methods has this name.", func() (string, error) {
		err := s.book.SaveMethod(r.Context(), row)
		return fmt.Sprintf("/prepare/methods#own-%d", row.ID), err
	}) {
		s.showMethods(w, r, http.StatusUnprocessableEntity, methodsView{fields: f, ID: row.ID}, nil)
	}
}

func readMethod(f *fields) prepare.Method {
	m := prepare.Method{Name: f.text("name"), Clock: f.word("clock", run.Clocks), Climate: f.word("climate", run.Climates),
		TargetC: f.numberIn("target_c", "°C", -40, 60), Cold: f.Values.Get("cold") != "", Why: f.long("why"),
		Same: f.lines("same"), Log: f.lines("log"), Cautions: f.lines("cautions"), Repeats: 1}
	from, to := f.window()
	if from == nil {
		f.fault("from_pct", "The charge to start from is needed.")
	}
	if to == nil {
		f.fault("to_pct", "The charge to stop at is needed.")
	}
	if from != nil && to != nil {
		m.FromPct, m.ToPct = *from, *to
	}
	if n := f.number("repeats", 1, 99); n != nil {
		m.Repeats = int(*n)
	}
	if at := f.number("replug_at_pct", 0, 100); at != nil && *at > 0 {
		m.ReplugAtPct = *at
		if m.ToPct > m.FromPct && (*at <= m.FromPct || *at >= m.ToPct) {
			f.fault("replug_at_pct", "Expected a charge within the window, %g to %g %%.", m.FromPct, m.ToPct)
		}
	}
	if m.Cold && m.TargetC != nil {
		f.fault("target_c", "A cold start has no temperature to be warmed to: leave one of the two away.")
	}
	return m
}

func (s *Server) deleteMethod(w http.ResponseWriter, r *http.Request) {
	id, err := idParam(r, "id")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	m, err := s.book.DeleteMethod(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	m.Document.Name = m.Name
	undo := map[string]string{}
	for k, v := range methodValues(m.Document) {
		undo[k] = v[0]
	}
	s.showMethods(w, r, http.StatusOK, methodsView{fields: newFields(url.Values{})}, &Notice{Text: "The method " + m.Name + " is gone.", Undo: "/prepare/methods", Fields: undo})
}
