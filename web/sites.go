package web

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/logbook"
)

func (s *Server) siteRoutes(r chi.Router) {
	r.Get("/", s.sites)
	r.Post("/", s.saveSite)
	r.Get("/{id}", s.site)
	r.Post("/{id}", s.savePlace)
	r.Post("/{id}/delete", s.deleteSite)
	r.Get("/{id}/stalls/new", s.newStall)
	r.Get("/stalls/{id}", s.stall)
	r.Post("/stalls", s.saveStall)
	r.Post("/stalls/{id}/delete", s.deleteStall)
}

// remove deletes something by the number in the address; what is still in use
// stays, and the page says why.
func (s *Server) remove(w http.ResponseWriter, r *http.Request, to, inUse string, del func(context.Context, int64) error) {
	id, err := idParam(r, "id")
	if err == nil {
		err = del(r.Context(), id)
	}
	switch {
	case errors.Is(err, logbook.ErrInUse):
		s.fail(w, r, badRequest("%s", inUse))
	case err != nil:
		s.fail(w, r, err)
	default:
		http.Redirect(w, r, to, http.StatusSeeOther)
	}
}

type sitesView struct {
	Sites []logbook.Site
	*fields
}

func (s *Server) sites(w http.ResponseWriter, r *http.Request) {
	s.showSites(w, r, http.StatusOK, newFields(url.Values{}))
}

func (s *Server) showSites(w http.ResponseWriter, r *http.Request, status int, f *fields) {
	list, err := s.book.Sites(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "sites", status, Frame{Title: "Sites", Data: sitesView{list, f}})
}

func (s *Server) saveSite(w http.ResponseWriter, r *http.Request) {
	f, ok := s.form(w, r)
	if !ok {
		return
	}
	site := &logbook.Site{Name: f.needed("name", "A name"), Note: f.text("note")}
	if id := f.id("id"); id != nil {
		site.ID = *id
	}
	if !s.keep(w, r, f, "name", "Another site has this name.", func() (string, error) {
		err := s.book.SaveSite(r.Context(), site)
		return fmt.Sprintf("/sites#site-%d", site.ID), err
	}) {
		s.showSites(w, r, http.StatusUnprocessableEntity, f)
	}
}

func (s *Server) deleteSite(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/sites", "this site still has stalls; take them away first", s.book.DeleteSite)
}

type stallView struct {
	*fields
	Stall     *logbook.Stall
	BreakEven float64 // kWh a month from which the membership pays; 0: none
	Remarks   []string
}

func (s *Server) newStall(w http.ResponseWriter, r *http.Request) {
	id, err := idParam(r, "id")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	site, err := s.book.Site(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	st := &logbook.Stall{SiteID: site.ID, Site: site}
	s.showStall(w, r, http.StatusOK, st, newFields(stallValues(st)))
}

func (s *Server) stall(w http.ResponseWriter, r *http.Request) {
	id, err := idParam(r, "id")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	st, err := s.book.Stall(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.showStall(w, r, http.StatusOK, st, newFields(stallValues(st)))
}

func (s *Server) showStall(w http.ResponseWriter, r *http.Request, status int, st *logbook.Stall, f *fields) {
	title := "A new stall"
	if st.ID != 0 {
		title = st.Site.Name + ", stall " + st.Name
	}
	v := stallView{fields: f, Stall: st, Remarks: stall.Remarks(st.Describe())}
	if st.Tariff != nil {
		v.BreakEven, _ = stall.BreakEvenKWh(st.Tariff.Membership)
	}
	s.render(w, r, "stall", status, Frame{Title: title, Page: "sites", Data: v})
}

// tariffTiers is how many power tiers the form offers.
const tariffTiers = 3

// tariffNumbers are the single numbers of a tariff's form.
func tariffNumbers(t *run.Tariff) map[string]*run.Number {
	return map[string]*run.Number{"per_kwh": &t.PerKWh, "session_fee": &t.SessionFee, "idle_per_min": &t.IdlePerMin,
		"idle_after_min": &t.IdleAfterMin, "tax_pct": &t.TaxPct}
}

// membershipNumbers are those of a membership's form.
func membershipNumbers(m *run.Membership) map[string]*run.Number {
	return map[string]*run.Number{"member_per_month": &m.PerMonth, "member_per_kwh_off": &m.PerKWhOff}
}

func stallValues(st *logbook.Stall) url.Values {
	v := url.Values{"id": {strconv.FormatInt(st.ID, 10)}, "site": {strconv.FormatInt(st.SiteID, 10)}, "name": {st.Name}, "note": {st.Note},
		"rated_kw": {plainNumber(st.RatedKW)}, "max_a": {plainNumber(st.MaxA)}, "min_v": {plainNumber(st.MinV)},
		"max_v": {plainNumber(st.MaxV)}, "shared_kw": {plainNumber(st.SharedKW)}}
	if t := st.Tariff; t != nil {
		v.Set("currency", t.Currency)
		for name, n := range tariffNumbers(t) {
			v.Set(name, plainNumber(*n))
		}
		if t.Membership != nil {
			for name, n := range membershipNumbers(t.Membership) {
				v.Set(name, plainNumber(*n))
			}
		}
		for i, tier := range t.PerMin {
			v.Set(fmt.Sprintf("tier%d_up_to", i), plainNumber(tier.UpToKW))
			v.Set(fmt.Sprintf("tier%d_price", i), plainNumber(tier.Price))
		}
	}
	return v
}

func (s *Server) saveStall(w http.ResponseWriter, r *http.Request) {
	f, ok := s.form(w, r)
	if !ok {
		return
	}
	st := &logbook.Stall{}
	siteID, _ := strconv.ParseInt(r.PostForm.Get("site"), 10, 64)
	site, err := s.book.Site(r.Context(), siteID)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if id, _ := strconv.ParseInt(r.PostForm.Get("id"), 10, 64); id > 0 {
		if st, err = s.book.Stall(r.Context(), id); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	st.SiteID, st.Site = site.ID, site
	readStall(f, st)
	if !s.keep(w, r, f, "name", "Another stall of this site has this name.", func() (string, error) {
		err := s.book.SaveStall(r.Context(), st)
		return fmt.Sprintf("/sites#site-%d", site.ID), err
	}) {
		s.showStall(w, r, http.StatusUnprocessableEntity, st, f)
	}
}

func readStall(f *fields, st *logbook.Stall) {
	st.Name, st.Note = f.needed("name", "A name or number"), f.text("note")
	st.RatedKW, st.MaxA = f.ranged("rated_kw", "stall.rated_kw"), f.ranged("max_a", "stall.max_a")
	st.MinV, st.MaxV = f.ranged("min_v", "stall.min_v"), f.ranged("max_v", "stall.max_v")
	st.SharedKW = f.ranged("shared_kw", "stall.shared_kw")
	if st.MinV != nil && st.MaxV != nil && *st.MinV > *st.MaxV {
		f.fault("max_v", "Expected no less than the lowest voltage, %g V.", *st.MinV)
	}
	t := &run.Tariff{Currency: f.text("currency")}
	priced := false
	for name, n := range tariffNumbers(t) {
		*n = f.ranged(name, "stall.tariff."+name)
		priced = priced || *n != nil
	}
	var fields []string // of the tiers that have a price
	for i := range tariffTiers {
		name := fmt.Sprintf("tier%d", i)
		upTo := f.ranged(name+"_up_to", "stall.tariff.per_min[].up_to_kw")
		price := f.ranged(name+"_price", "stall.tariff.per_min[].price")
		switch {
		case price != nil:
			t.PerMin, priced = append(t.PerMin, run.Tier{UpToKW: upTo, Price: price}), true
			fields = append(fields, name+"_up_to")
		case upTo != nil:
			f.fault(name+"_price", "This tier has no price.")
		}
	}
	if at, aboveKW, ok := stall.TierFault(t.PerMin); !ok && math.IsNaN(aboveKW) {
		f.fault(fields[at], "Only the last tier may be without a power.")
	} else if !ok {
		f.fault(fields[at], "Expected more than the tier before, %g kW.", aboveKW)
	}
	priced = readMembership(f, t) || priced
	st.Tariff = nil
	if priced || t.Currency != "" {
		st.Tariff = t
	}
	if priced && t.Currency == "" {
		f.fault("currency", "A price needs a currency, such as EUR.")
	}
}

// readMembership reads what a membership takes off, and tells whether there is one.
func readMembership(f *fields, t *run.Tariff) bool {
	m := &run.Membership{}
	for name, n := range membershipNumbers(m) {
		*n = f.ranged(name, "stall.tariff.membership."+strings.TrimPrefix(name, "member_"))
	}
	if *m == (run.Membership{}) {
		return false
	}
	switch {
	case m.PerKWhOff == nil:
		f.fault("member_per_kwh_off", "A membership needs what it takes off each kWh.")
	case t.PerKWh != nil && *m.PerKWhOff > *t.PerKWh:
		f.fault("member_per_kwh_off", "Expected no more than the price per kWh, %g.", *t.PerKWh)
	}
	t.Membership = m
	return true
}

type siteView struct {
	*fields
	Site   *logbook.Site
	Others []logbook.Site
}

func roadField(id int64) string { return fmt.Sprintf("road_%d", id) }

// place gives a site with the others and the roads between them.
func (s *Server) place(r *http.Request) (*siteView, error) {
	id, err := idParam(r, "id")
	if err != nil {
		return nil, err
	}
	v := &siteView{fields: newFields(url.Values{})}
	if v.Site, err = s.book.Site(r.Context(), id); err != nil {
		return nil, err
	}
	sites, err := s.book.Sites(r.Context())
	if err != nil {
		return nil, err
	}
	roads, err := s.book.Roads(r.Context())
	if err != nil {
		return nil, err
	}
	v.Values = url.Values{"name": {v.Site.Name}, "note": {v.Site.Note}, "base_km": {plainNumber(v.Site.BaseKm)}}
	for _, o := range sites {
		if o.ID == id {
			continue
		}
		v.Others = append(v.Others, o)
		if km, ok := roads[[2]int64{id, o.ID}]; ok {
			v.Values.Set(roadField(o.ID), plainNumber(&km))
		}
	}
	return v, nil
}

func (s *Server) site(w http.ResponseWriter, r *http.Request) {
	v, err := s.place(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "site", http.StatusOK, Frame{Title: v.Site.Name, Page: "sites", Data: v})
}

func (s *Server) savePlace(w http.ResponseWriter, r *http.Request) {
	v, err := s.place(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	f, ok := s.form(w, r)
	if !ok {
		return
	}
	v.fields = f
	v.Site.Name, v.Site.Note = f.needed("name", "A name"), f.text("note")
	v.Site.BaseKm = f.numberIn("base_km", "km", 0, 2000)
	roads := map[int64]*float64{}
	for _, o := range v.Others {
		roads[o.ID] = f.numberIn(roadField(o.ID), "km", 0, 2000)
	}
	if !s.keep(w, r, f, "name", "Another site has this name.", func() (string, error) {
		if err := s.book.SaveSite(r.Context(), v.Site); err != nil {
			return "", err
		}
		return fmt.Sprintf("/sites#site-%d", v.Site.ID), s.book.SavePlace(r.Context(), v.Site.ID, v.Site.BaseKm, roads)
	}) {
		s.render(w, r, "site", http.StatusUnprocessableEntity, Frame{Title: v.Site.Name, Page: "sites", Data: v})
	}
}

func (s *Server) deleteStall(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/sites", "runs were made at this stall; it stays", s.book.DeleteStall)
}
