package garage

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
	"zincroad/core/say"
	"zincroad/core/stall"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// SiteRoutes are the paths of sites and stalls.
func (s *Room) SiteRoutes(r chi.Router) {
	r.Get("/", s.sites)
	r.Post("/", s.saveSite)
	r.Get("/{id}", s.Do(s.site))
	r.Post("/{id}", s.Do(s.savePlace))
	r.Post("/{id}/delete", s.deleteSite)
	r.Get("/{id}/stalls/new", s.Do(s.newStall))
	r.Get("/stalls/{id}", s.Do(s.stall))
	r.Post("/stalls", s.Do(s.saveStall))
	r.Post("/stalls/{id}/delete", s.deleteStall)
}

// remove deletes something by the number in the address; what is still in use
// stays, and the page says why.
func (s *Room) remove(w http.ResponseWriter, r *http.Request, to, inUse string,
	del func(context.Context, int64) error) {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = del(r.Context(), id)
	}
	switch {
	case errors.Is(err, logbook.ErrInUse):
		s.Fail(w, r, ui.BadRequest("%s", inUse))
	case err != nil:
		s.Fail(w, r, err)
	default:
		http.Redirect(w, r, to, http.StatusSeeOther)
	}
}

type sitesView struct {
	Sites []logbook.Site
	*ui.Fields
}

func (s *Room) sites(w http.ResponseWriter, r *http.Request) {
	s.showSites(w, r, http.StatusOK, ui.NewFields(url.Values{}))
}

func (s *Room) showSites(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields) {
	list, err := s.book.Sites(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, "sites", status, ui.Frame{Title: "Sites", Data: sitesView{list, f}})
}

// saveSite keeps a new site.
func (s *Room) saveSite(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	site := &logbook.Site{Name: f.Needed("name", "A name"), Note: f.Text("note")}
	if id := f.ID("id"); id != nil {
		site.ID = *id
	}
	if !s.Keep(w, r, f, "name", "Another site has this name.", func() (string, error) {
		err := s.book.SaveSite(r.Context(), site)
		return ui.SiteInList(site.ID), err
	}) {
		s.showSites(w, r, http.StatusUnprocessableEntity, f)
	}
}

func (s *Room) deleteSite(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/sites", "this site still has stalls; remove them first", s.book.DeleteSite)
}

type stallView struct {
	*ui.Fields
	Stall     *logbook.Stall
	BreakEven float64 // kWh a month from which the membership pays; 0: none
	Remarks   []say.Text
}

// newStall shows the empty form of a stall of a site.
func (s *Room) newStall(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	site, err := s.book.Site(r.Context(), id)
	if err != nil {
		return err
	}
	st := &logbook.Stall{SiteID: site.ID, Site: site}
	s.showStall(w, r, http.StatusOK, st, ui.NewFields(stallValues(st)))
	return nil
}

func (s *Room) stall(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	st, err := s.book.Stall(r.Context(), id)
	if err != nil {
		return err
	}
	s.showStall(w, r, http.StatusOK, st, ui.NewFields(stallValues(st)))
	return nil
}

func (s *Room) showStall(w http.ResponseWriter, r *http.Request, status int, st *logbook.Stall, f *ui.Fields) {
	title := "A new stall"
	if st.ID != 0 {
		title = st.Site.Name + ", stall " + st.Name
	}
	v := stallView{Fields: f, Stall: st, Remarks: stall.Remarks(st.Describe())}
	if st.Tariff != nil {
		v.BreakEven, _ = stall.BreakEvenKWh(st.Tariff.Membership)
	}
	s.Render(w, r, "stall", status, ui.Frame{Title: title, Page: "sites", Data: v})
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

// stallValues fills the form from what is kept.
func stallValues(st *logbook.Stall) url.Values {
	v := url.Values{
		"id":   {strconv.FormatInt(st.ID, 10)},
		"site": {strconv.FormatInt(st.SiteID, 10)},
		"name": {st.Name},
		"note": {st.Note},
		"rated_kw": {
			ui.PlainNumber(st.RatedKW),
		},
		"max_a":     {ui.PlainNumber(st.MaxA)},
		"min_v":     {ui.PlainNumber(st.MinV)},
		"max_v":     {ui.PlainNumber(st.MaxV)},
		"shared_kw": {ui.PlainNumber(st.SharedKW)},
	}
	if t := st.Tariff; t != nil {
		v.Set("currency", t.Currency)
		for name, n := range tariffNumbers(t) {
			v.Set(name, ui.PlainNumber(*n))
		}
		if t.Membership != nil {
			for name, n := range membershipNumbers(t.Membership) {
				v.Set(name, ui.PlainNumber(*n))
			}
		}
		for i, tier := range t.PerMin {
			v.Set(fmt.Sprintf("tier%d_up_to", i), ui.PlainNumber(tier.UpToKW))
			v.Set(fmt.Sprintf("tier%d_price", i), ui.PlainNumber(tier.Price))
		}
	}
	return v
}

// saveStall keeps a stall with its tariff.
func (s *Room) saveStall(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	st := &logbook.Stall{}
	siteID, _ := strconv.ParseInt(r.PostForm.Get("site"), 10, 64)
	site, err := s.book.Site(r.Context(), siteID)
	if err != nil {
		return err
	}
	if id, _ := strconv.ParseInt(r.PostForm.Get("id"), 10, 64); id > 0 {
		if st, err = s.book.Stall(r.Context(), id); err != nil {
			return err
		}
	}
	st.SiteID, st.Site = site.ID, site
	if err := f.Merge(func() url.Values { return stallValues(st) }, func() { readStall(f, st) },
		s.lastActor(r, "stalls", st.ID)); err != nil {
		return err
	}
	if !s.Keep(w, r, f, "name", "Another stall of this site has this name.", func() (string, error) {
		err := s.book.SaveStall(r.Context(), st)
		return ui.SiteInList(site.ID), err
	}) {
		s.showStall(w, r, http.StatusUnprocessableEntity, st, f)
	}
	return nil
}

// readStall reads the form into a stall; faults stand at their fields.
func readStall(f *ui.Fields, st *logbook.Stall) {
	st.Name, st.Note = f.Needed("name", "A name or number"), f.Text("note")
	st.RatedKW, st.MaxA = f.Ranged("rated_kw", "stall.rated_kw"), f.Ranged("max_a", "stall.max_a")
	st.MinV, st.MaxV = f.Ranged("min_v", "stall.min_v"), f.Ranged("max_v", "stall.max_v")
	st.SharedKW = f.Ranged("shared_kw", "stall.shared_kw")
	if st.MinV != nil && st.MaxV != nil && *st.MinV > *st.MaxV {
		f.Fault("max_v", "Expected no less than the lowest voltage, %g V.", *st.MinV)
	}
	t := &run.Tariff{Currency: f.Text("currency")}
	priced := false
	for name, n := range tariffNumbers(t) {
		*n = f.Ranged(name, "stall.tariff."+name)
		priced = priced || *n != nil
	}
	var fields []string // of the tiers that have a price
	for i := range tariffTiers {
		name := fmt.Sprintf("tier%d", i)
		upTo := f.Ranged(name+"_up_to", "stall.tariff.per_min[].up_to_kw")
		price := f.Ranged(name+"_price", "stall.tariff.per_min[].price")
		switch {
		case price != nil:
			t.PerMin, priced = append(t.PerMin, run.Tier{UpToKW: upTo, Price: price}), true
			fields = append(fields, name+"_up_to")
		case upTo != nil:
			f.Fault(name+"_price", "This tier has no price.")
		}
	}
	if at, aboveKW, ok := stall.TierFault(t.PerMin); !ok && math.IsNaN(aboveKW) {
		f.Fault(fields[at], "Only the last tier may be without a power.")
	} else if !ok {
		f.Fault(fields[at], "Expected more than the tier before, %g kW.", aboveKW)
	}
	priced = readMembership(f, t) || priced
	st.Tariff = nil
	if priced || t.Currency != "" {
		st.Tariff = t
	}
	if priced && t.Currency == "" {
		f.Fault("currency", "A price needs a currency, such as EUR.")
	}
}

// readMembership reads what a membership takes off, and tells whether there is one.
func readMembership(f *ui.Fields, t *run.Tariff) bool {
	m := &run.Membership{}
	for name, n := range membershipNumbers(m) {
		*n = f.Ranged(name, "stall.tariff.membership."+strings.TrimPrefix(name, "member_"))
	}
	if *m == (run.Membership{}) {
		return false
	}
	switch {
	case m.PerKWhOff == nil:
		f.Fault("member_per_kwh_off", "A membership needs what it takes off each kWh.")
	case t.PerKWh != nil && *m.PerKWhOff > *t.PerKWh:
		f.Fault("member_per_kwh_off", "Expected no more than the price per kWh, %g.", *t.PerKWh)
	}
	t.Membership = m
	return true
}

type siteView struct {
	*ui.Fields
	Site   *logbook.Site
	Others []logbook.Site
	Roads  map[int64]*float64 // in km, to those others that it is known of
}

func roadField(id int64) string { return fmt.Sprintf("road_%d", id) }

// place gives a site with the others and the roads between them.
func (s *Room) place(r *http.Request) (*siteView, error) {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return nil, err
	}
	v := &siteView{Fields: ui.NewFields(url.Values{})}
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
	v.Roads = map[int64]*float64{}
	for _, o := range sites {
		if o.ID == id {
			continue
		}
		v.Others = append(v.Others, o)
		if km, ok := roads[[2]int64{id, o.ID}]; ok {
			v.Roads[o.ID] = &km
		}
	}
	v.Values = v.values()
	return v, nil
}

// values fill the form of a place.
func (v *siteView) values() url.Values {
	out := url.Values{"name": {v.Site.Name}, "note": {v.Site.Note}, "base_km": {ui.PlainNumber(v.Site.BaseKm)},
		"latitude": {ui.PlainNumber(v.Site.Latitude)}, "longitude": {ui.PlainNumber(v.Site.Longitude)}}
	for id, km := range v.Roads {
		out.Set(roadField(id), ui.PlainNumber(km))
	}
	return out
}

// read reads the form into the place; faults stand at their fields.
func (v *siteView) read(f *ui.Fields) {
	v.Site.Name, v.Site.Note = f.Needed("name", "A name"), f.Text("note")
	v.Site.BaseKm = f.NumberIn("base_km", "km", 0, 2000)
	v.Site.Latitude, v.Site.Longitude = f.Number("latitude", -90, 90), f.Number("longitude", -180, 180)
	if (v.Site.Latitude == nil) != (v.Site.Longitude == nil) {
		f.Fault("longitude", "Where a site lies takes both, degrees north and degrees east.")
	}
	for _, o := range v.Others {
		v.Roads[o.ID] = f.NumberIn(roadField(o.ID), "km", 0, 2000)
	}
}

func (s *Room) site(w http.ResponseWriter, r *http.Request) error {
	v, err := s.place(r)
	if err != nil {
		return err
	}
	s.Render(w, r, "site", http.StatusOK, ui.Frame{Title: v.Site.Name, Page: "sites", Data: v})
	return nil
}

// savePlace keeps how far a site is from the base and from others.
func (s *Room) savePlace(w http.ResponseWriter, r *http.Request) error {
	v, err := s.place(r)
	if err != nil {
		return err
	}
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	v.Fields = f
	if err := f.Merge(v.values, func() { v.read(f) }, s.lastActor(r, "sites", v.Site.ID)); err != nil {
		return err
	}
	if !s.Keep(w, r, f, "name", "Another site has this name.", func() (string, error) {
		if err := s.book.SaveSite(r.Context(), v.Site); err != nil {
			return "", err
		}
		return ui.SiteInList(v.Site.ID), s.book.SavePlace(r.Context(), v.Site.ID, v.Site.BaseKm, v.Roads)
	}) {
		s.Render(w, r, "site", http.StatusUnprocessableEntity, ui.Frame{Title: v.Site.Name, Page: "sites", Data: v})
	}
	return nil
}

func (s *Room) deleteStall(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/sites", "runs were made at this stall; it stays", s.book.DeleteStall)
}
