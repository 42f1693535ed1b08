package api

import (
	"fmt"
	"net/http"

	"zincroad/core/run"
	"zincroad/core/vehicle"
	"zincroad/logbook"
)

// car is a car of the logbook, as run.json has it.
type car struct {
	ID       int64    `json:"id"`
	Car      *run.Car `json:"car"`
	Software []string `json:"software"` // its versions
}

func carOf(c *logbook.Car) car {
	out := car{ID: c.ID, Car: c.Describe(""), Software: []string{}}
	for _, v := range c.Softwares {
		out.Software = append(out.Software, v.Version)
	}
	return out
}

func (s *Room) cars(w http.ResponseWriter, r *http.Request) error {
	list, err := s.book.Cars(r.Context())
	if err != nil {
		return err
	}
	out := map[string][]car{"cars": {}}
	for i := range list {
		out["cars"] = append(out["cars"], carOf(&list[i]))
	}
	return answer(w, http.StatusOK, out)
}

func (s *Room) car(w http.ResponseWriter, r *http.Request) error {
	id, err := numberOf(r)
	if err != nil {
		return err
	}
	c, err := s.book.Car(r.Context(), id)
	if err != nil {
		return err
	}
	return answer(w, http.StatusOK, carOf(c))
}

// learned gives what a car's runs taught, as zincroad learn does.
func (s *Room) learned(w http.ResponseWriter, r *http.Request) error {
	id, err := numberOf(r)
	if err != nil {
		return err
	}
	c, err := s.book.Car(r.Context(), id)
	if err != nil {
		return err
	}
	profile := r.URL.Query().Get("profile")
	if profile != "" && profile != run.Profiles[0] && profile != run.Profiles[1] {
		return bad(fmt.Sprintf("profile: %q, expected full or gentle", profile))
	}
	l, err := s.book.Learned(r.Context(), c.Describe(""), logbook.Of{CarID: id, Profile: profile,
		Software: r.URL.Query().Get("software")})
	if err != nil {
		return err
	}
	if l == nil {
		return problem{Status: http.StatusNotFound, Title: "Its runs taught nothing yet",
			Detail: fmt.Sprintf("car %d has no run in this profile that says what it takes", id)}
	}
	doc := l.Model.Document()
	if doc.HeldOut = l.HeldOut; doc.HeldOut == nil {
		doc.HeldOut = []vehicle.HeldOut{}
	}
	return answer(w, http.StatusOK, doc)
}

// site is a site with its stalls, each as run.json has it.
type site struct {
	ID     int64      `json:"id"`
	Name   string     `json:"name"`
	Stalls []stallOne `json:"stalls"`
}

type stallOne struct {
	ID     int64      `json:"id"`
	SiteID int64      `json:"site_id"`
	Stall  *run.Stall `json:"stall"`
}

func stallOf(t *logbook.Stall, site string) stallOne {
	d := t.Describe()
	d.Site = site
	return stallOne{t.ID, t.SiteID, d}
}

func siteOf(of *logbook.Site) site {
	out := site{ID: of.ID, Name: of.Name, Stalls: []stallOne{}}
	for k := range of.Stalls {
		out.Stalls = append(out.Stalls, stallOf(&of.Stalls[k], of.Name))
	}
	return out
}

func (s *Room) sitesOf(r *http.Request) ([]site, error) {
	list, err := s.book.Sites(r.Context())
	out := []site{}
	for i := range list {
		out = append(out, siteOf(&list[i]))
	}
	return out, err
}

func (s *Room) sites(w http.ResponseWriter, r *http.Request) error {
	list, err := s.sitesOf(r)
	if err != nil {
		return err
	}
	return answer(w, http.StatusOK, map[string][]site{"sites": list})
}

func (s *Room) stalls(w http.ResponseWriter, r *http.Request) error {
	list, err := s.sitesOf(r)
	if err != nil {
		return err
	}
	out := map[string][]stallOne{"stalls": {}}
	for _, one := range list {
		out["stalls"] = append(out["stalls"], one.Stalls...)
	}
	return answer(w, http.StatusOK, out)
}
