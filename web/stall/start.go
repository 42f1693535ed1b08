package stall

import (
	"fmt"
	"math"
	"net/http"
	"net/url"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/logbook"
	"zincroad/web/ui"
)

type startView struct {
	*ui.Fields
	Live     []logbook.Run
	Plans    []logbook.Preparation
	Cars     []logbook.Car
	Sites    []logbook.Site
	Methods  []prepare.Method
	Cautions []string
}

func (s *Room) stallStart(w http.ResponseWriter, r *http.Request) {
	s.showStart(w, r, http.StatusOK, ui.NewFields(url.Values{"car": {ui.UsualCar(r)}}))
}

// showStart shows what a run can be started from, and those under way.
func (s *Room) showStart(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields) {
	v := startView{Fields: f, Methods: prepare.Methods, Cautions: ui.Cautions}
	var err error
	if v.Live, err = s.book.LiveRuns(r.Context()); err == nil {
		v.Plans, err = s.book.Preparations(r.Context())
	}
	if err == nil {
		v.Cars, err = s.book.Cars(r.Context())
	}
	if err == nil {
		v.Sites, err = s.book.Sites(r.Context())
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, "stall-start", status, ui.Frame{Title: "At the stall", Page: "stall", Data: v})
}

// startLive begins a run, from a kept plan or from a car and a stall.
func (s *Room) startLive(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	now := s.Now().UTC()
	_, zone := ui.ZoneOf(r)
	row := &logbook.Run{StartedAt: &now, Timezone: zone, Clock: "plug"}
	var err error
	if id := f.ID("plan"); id != nil {
		err = s.fromPlan(r, row, *id)
	} else {
		err = s.fromNothing(r, f, row)
	}
	if err != nil {
		return err
	}
	if !f.OK() {
		s.showStart(w, r, http.StatusUnprocessableEntity, f)
		return nil
	}
	id, err := s.book.StartLive(r.Context(), row)
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.StallRunPath(id), http.StatusSeeOther)
	return nil
}

// fromPlan takes everything over from a kept plan. A plan that cannot be worked
// out any more still gives its car, stall and method.
func (s *Room) fromPlan(r *http.Request, row *logbook.Run, id int64) error {
	q := r.Clone(r.Context())
	q.URL = &url.URL{Path: "/prepare", RawQuery: fmt.Sprintf("kept=%d", id)}
	v, err := s.plans.Planned(q)
	if err != nil {
		return err
	}
	roads, err := s.book.Roads(r.Context())
	if err != nil {
		return err
	}
	p := v.AsTyped(roads)
	row.Title, row.PreparationID = v.Title, &id
	if v.Car != nil {
		row.CarID = &v.Car.ID
		for _, sw := range v.Car.Softwares {
			if sw.Version == v.Values.Get("software") {
				row.SoftwareID = &sw.ID
			}
		}
	}
	if v.Stall != nil {
		row.StallID = &v.Stall.ID
	}
	if v.Adapter != nil {
		row.AdapterID = &v.Adapter.ID
	}
	row.MethodName, row.Clock, row.MethodClimate = v.Method.Name, v.Method.Clock, v.Method.Climate
	row.FromPct, row.ToPct = &p.FromPct, &p.ToPct
	row.Profile = "full"
	if p.Session.Gentle {
		row.Profile = "gentle"
	}
	row.Preconditioned = p.Way.Preconditioned()
	if !math.IsNaN(p.Road.AmbientC) {
		row.AmbientC = &p.Road.AmbientC
	}
	session := p.Session
	session.FromPct, session.ToPct = p.FromPct, p.ToPct
	session.AmbientC = orZero(p.Road.AmbientC)
	session.Battery = pack.Nodes{ColdestC: orZero(p.Now.ColdestC), WarmestC: orZero(p.Now.WarmestC)}
	if v.Plan != nil && v.Plan.Approach != nil {
		session.Battery = v.Plan.Approach.Plug().Battery
	}
	row.Plan = &session
	return nil
}

func orZero(v float64) float64 {
	if math.IsNaN(v) {
		return 0
	}
	return v
}

// fromNothing needs a car and a stall; the rest can come later.
func (s *Room) fromNothing(r *http.Request, f *ui.Fields, row *logbook.Run) error {
	row.OdometerKM = f.Ranged("odometer_km", "conditions.odometer_km")
	row.AmbientC = f.Ranged("outside", "conditions.ambient_c")
	var err error
	if row.CarID, row.StallID, err = ui.Named(r.Context(), f, s.book); err != nil {
		return err
	}
	methods, err := ui.Methods(r.Context(), s.book)
	if err != nil {
		return err
	}
	m := methods[0]
	for _, x := range methods {
		if x.Key == ui.UsualMethod(r) {
			m = x
		}
	}
	row.MethodName, row.Clock, row.MethodClimate = m.Name, m.Clock, m.Climate
	row.FromPct, row.ToPct = &m.FromPct, &m.ToPct
	plan := forecast.Plan{
		FromPct:  m.FromPct,
		ToPct:    m.ToPct,
		AmbientC: 15,
		Battery:  pack.Nodes{ColdestC: 15, WarmestC: 15},
	}
	if row.AmbientC != nil {
		plan.AmbientC = *row.AmbientC
		plan.Battery = pack.Nodes{ColdestC: plan.AmbientC, WarmestC: plan.AmbientC}
	}
	row.Plan = &plan
	return nil // which software the car has is for the tester to say, under details
}
