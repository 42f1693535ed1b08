package plan

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/units"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Routes are the room's own paths.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.Do(s.preparePage))
	r.Get("/sheet", s.Do(s.runSheet))
	r.Get("/decide", s.Do(s.decidePage))
	r.Get("/decide/how/{figure}", s.Do(s.howToDecide))
	r.Get("/how/{figure}", s.Do(s.howPlan))
	r.Post("/begin", s.Do(s.begin))
	r.Post("/keep", s.Do(s.keepPlan))
	r.Post("/plans/{id}/delete", s.Do(s.deletePlan))
	r.Post("/plans/{id}/restore", s.Do(s.restorePlan))
	r.Get("/methods", s.Do(s.methods))
	r.Post("/methods", s.saveMethod)
	r.Post("/methods/{id}/delete", s.Do(s.deleteMethod))
	r.Get("/matrix", s.matrix)
	r.Post("/matrix", s.saveWanted)
	r.Post("/matrix/{id}/delete", s.Do(s.deleteWanted))
}

// View is the page: what was typed, what it comes to, and what there is to choose from.
type View struct {
	In units.People // the units of the plan's numbers
	*ui.Fields
	now         time.Time // by the tester's clock
	fit         *stall.Fit
	Dials, More []dial
	Cars        []logbook.Car
	Sites       []logbook.Site
	Adapters    []logbook.Adapter
	Methods     []menuItem
	Ways        []menuItem
	When        []menuItem
	Softwares   []string

	Car     *logbook.Car
	Stall   *logbook.Stall
	Adapter *logbook.Adapter
	Method  prepare.Method
	Missing string     // what has to be said before a plan can be worked out
	Begin   *ui.Fields // the form of the first car and stall; nil: there are both
	Plan    *prepare.Prepared
	Clock   clockFace

	Outcome
	Kept   []logbook.Preparation
	KeptID int64
	Title  string // suggested for keeping
	Day    string
	Query  template.URL // the plan as an address
	Hidden [][2]string
}

func (s *Room) preparePage(w http.ResponseWriter, r *http.Request) error {
	v, err := s.Planned(r)
	if err != nil {
		return err
	}
	s.Render(w, r, "prepare", http.StatusOK, ui.Frame{Title: "Prepare", Page: "prepare", Data: v, In: &v.In})
	return nil
}

// Planned works a plan out from the address, or from a kept plan that it names.
func (s *Room) Planned(r *http.Request) (*View, error) {
	ctx := r.Context()
	q := r.URL.Query()
	v := &View{Fields: ui.NewFields(url.Values{}), now: s.NowFor(r)}
	var err error
	if v.Kept, err = s.book.Preparations(ctx); err != nil {
		return nil, err
	}
	if id, _ := strconv.ParseInt(q.Get("kept"), 10, 64); id > 0 {
		p, err := s.book.Preparation(ctx, id)
		if err != nil {
			return nil, err
		}
		v.KeptID, v.Title = p.ID, p.Title
		if !slices.ContainsFunc(planKeys, q.Has) { // nothing of it is changed
			for k, val := range p.Choices {
				q.Set(k, val)
			}
		}
	}
	for _, k := range planKeys {
		v.Values.Set(k, q.Get(k))
	}
	v.beginAsUsual(r)
	v.chooseUnits(ui.MeasuresOf(r))
	if err := s.choosePlan(ctx, v); err != nil {
		return nil, err
	}
	if err := s.workOutPlan(ctx, v); err != nil {
		return nil, err
	}
	v.remember()
	return v, nil
}

// beginAsUsual gives a new plan the car and the method that its reader usually has.
func (v *View) beginAsUsual(r *http.Request) {
	if v.KeptID != 0 {
		return
	}
	for name, usual := range map[string]string{"car": ui.UsualCar(r), "method": ui.UsualMethod(r)} {
		if v.Values.Get(name) == "" {
			v.Values.Set(name, usual)
		}
	}
}

// chooseUnits says in which units the plan's numbers are: as its address has it, so that
// a plan that is passed on stays what it is; a plan without a number is in the reader's.
func (v *View) chooseUnits(reader units.People) {
	v.Typed = true
	v.In = ui.MeasuresNamed(v.Values.Get("units"))
	dials := append(slices.Clone(planFields), moreFields...)
	typed := slices.ContainsFunc(dials, func(d dial) bool {
		return v.Values.Get(d.Name) != "" && v.In.Name(d.Unit) == d.Unit && reader.Name(d.Unit) != d.Unit
	})
	if v.Values.Get("units") == "" && !typed {
		v.In = reader
	}
	v.Values.Set("units", ui.MeasuresName(v.In))
	for _, d := range dials {
		v.Values.Set(d.Name+"__unit", v.In.Name(d.Unit))
	}
}

// remember lists what was chosen, for keeping it and for links.
func (v *View) remember() {
	out := url.Values{}
	for _, k := range planKeys {
		if val := v.Values.Get(k); val != "" {
			out.Set(k, val)
			v.Hidden = append(v.Hidden, [2]string{k, val})
		}
	}
	v.Query = template.URL(out.Encode()) //nolint:gosec // made by package url, which escapes
	if v.Title == "" && v.Car != nil && v.Stall != nil {
		v.Title = fmt.Sprintf("%s at %s, %s", v.Car.Name, v.Stall.FullName(), v.Method.Name)
	}
}

// choosePlan reads what belongs to the garage and the sites.
func (s *Room) choosePlan(ctx context.Context, v *View) (err error) {
	if v.Cars, err = s.book.Cars(ctx); err != nil {
		return err
	}
	if v.Sites, err = s.book.Sites(ctx); err != nil {
		return err
	}
	if len(v.Cars) == 0 || !slices.ContainsFunc(v.Sites, func(s logbook.Site) bool { return len(s.Stalls) > 0 }) {
		v.Begin = ui.NewFields(url.Values{})
	}
	if v.Adapters, err = s.book.Adapters(ctx); err != nil {
		return err
	}
	methods, err := ui.Methods(ctx, s.book)
	if err != nil {
		return err
	}
	for i := range v.Sites {
		for j := range v.Sites[i].Stalls {
			v.Sites[i].Stalls[j].Site = &v.Sites[i]
		}
	}
	v.Car = chosenOf(v.Cars, v.ID("car"), func(c *logbook.Car) int64 { return c.ID })
	var stalls []logbook.Stall
	for _, site := range v.Sites {
		stalls = append(stalls, site.Stalls...)
	}
	v.Stall = chosenOf(stalls, v.ID("stall"), func(t *logbook.Stall) int64 { return t.ID })
	if id := v.ID("adapter"); id != nil {
		v.Adapter = chosenOf(v.Adapters, id, func(a *logbook.Adapter) int64 { return a.ID })
	}
	v.chooseMethod(methods)
	if v.Car != nil {
		for _, sw := range v.Car.Softwares {
			v.Softwares = append(v.Softwares, sw.Version)
		}
		slices.Reverse(v.Softwares) // the newest first
		if len(v.Softwares) > 0 && !slices.Contains(v.Softwares, v.Values.Get("software")) {
			v.Values.Set("software", v.Softwares[0])
		}
	}
	return nil
}

// chooseMethod takes the method that the address names, else the first.
func (v *View) chooseMethod(all []prepare.Method) {
	v.Method = all[0]
	for _, m := range all {
		if m.Key == v.Values.Get("method") {
			v.Method = m
		}
	}
	for _, m := range all {
		v.Methods = append(v.Methods, menuItem{m.Key, m.Name, m.Key == v.Method.Key})
	}
}

// known adds what the car's runs taught.
func (s *Room) known(ctx context.Context, v *View, p *prepare.Plan) error {
	if v.Car == nil {
		return nil
	}
	of := logbook.Of{CarID: v.Car.ID, Software: p.Car.Software, Profile: run.Profiles[0]}
	if p.Session.Gentle {
		of.Profile = run.Profiles[1]
	}
	m, err := s.book.Known(ctx, p.Car, of)
	p.Session.Known = m
	return err
}

// workOutPlan fills the page in, as far as what is known allows.
func (s *Room) workOutPlan(ctx context.Context, v *View) error {
	v.Dials, v.More = slices.Clone(planFields), slices.Clone(moreFields)
	roads, err := s.book.Roads(ctx)
	if err != nil {
		return err
	}
	p := v.AsTyped(roads)
	if err := s.known(ctx, v, &p); err != nil {
		return err
	}
	v.waysFor(p.Way)
	v.Clock = v.clock(v.now)
	switch {
	case v.Car == nil:
		v.Missing = "Note a car in the Garage first: its capacity, its pack and its power."
	case v.Stall == nil:
		v.Missing = "Note a site with a stall under Sites first."
	case v.Values.Get("now") == "" && v.Values.Get("outside") == "":
		v.Missing = "How much charge is there now, and how cold is it outside?"
	case v.Values.Get("now") == "":
		v.Missing = "How much charge is there now?"
	case v.Values.Get("outside") == "":
		v.Missing = "How cold is it outside?"
	}
	if v.Car == nil {
		return nil
	}
	if v.OK() && v.Missing == "" {
		v.Plan = prepare.Of(p)
		for _, refusal := range v.Plan.Refusals {
			v.Fault(refusal.At, "%s", refusal.Reason) // a refusal names what the form names
		}
	}
	v.Outcome = s.outcome(v, p)
	return nil
}

// keepPlan keeps a plan under a name.
func (s *Room) keepPlan(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	p := &logbook.Preparation{
		Title:     f.Needed("title", "A name"),
		Choices:   map[string]string{},
		CarID:     f.ID("car"),
		StallID:   f.ID("stall"),
		AdapterID: f.ID("adapter"),
	}
	if id := f.ID("kept"); id != nil && f.Values.Get("anew") == "" {
		p.ID = *id
	}
	for _, k := range planKeys {
		if val := f.Text(k); val != "" {
			p.Choices[k] = val
		}
	}
	if day, err := time.Parse(time.DateOnly, p.Choices["day"]); err == nil {
		p.Day = &day
	}
	if !f.OK() {
		for _, text := range f.Errors {
			return ui.BadRequest("%s", text)
		}
	}
	if err := s.book.SavePreparation(r.Context(), p); err != nil {
		return err
	}
	http.Redirect(w, r, ui.PlanPath(p.ID), http.StatusSeeOther)
	return nil
}

// begin makes the first car and the first stall that a plan is made for.
func (s *Room) begin(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	car, stall, err := ui.Named(r.Context(), f, s.book)
	if err != nil {
		return err
	}
	if !f.OK() {
		r.URL.RawQuery = ""
		v, err := s.Planned(r)
		if err != nil {
			return err
		}
		v.Begin = f
		s.Render(w, r, "prepare", http.StatusUnprocessableEntity,
			ui.Frame{Title: "Prepare", Page: "prepare", Data: v, In: &v.In})
		return nil
	}
	http.Redirect(w, r, fmt.Sprintf("/prepare?car=%d&stall=%d", *car, *stall), http.StatusSeeOther)
	return nil
}

// deletePlan puts a kept plan aside, and offers to bring it back.
func (s *Room) deletePlan(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.DeletePreparation(r.Context(), id)
	}
	if err != nil {
		return err
	}
	r.URL.RawQuery = ""
	v, err := s.Planned(r)
	if err != nil {
		return err
	}
	s.Render(w, r, "prepare", http.StatusOK, ui.Frame{Title: "Prepare", Page: "prepare", Data: v, In: &v.In,
		Notice: &ui.Notice{Text: "The plan is removed.", Undo: ui.PlanRestorePath(id)}})
	return nil
}

func (s *Room) restorePlan(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.RestorePreparation(r.Context(), id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.PlanPath(id), http.StatusSeeOther)
	return nil
}
