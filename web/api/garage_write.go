package api

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"

	"zincroad/core/run"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
	"zincroad/logbook"
)

// plannedWith reads one part of a run.json, a car or a stall, by the rules that run.json has.
func plannedWith(part string, doc map[string]json.RawMessage) (*run.Run, error) {
	inner, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	whole, err := json.Marshal(map[string]json.RawMessage{part: inner})
	if err != nil {
		return nil, err
	}
	text, err := withFormat(whole)
	if err != nil {
		return nil, err
	}
	r, err := runfolder.Plan(text, "body")
	if err != nil {
		return nil, problem{Status: http.StatusUnprocessableEntity, Title: "This cannot be noted",
			Detail: "faults say what was expected", Faults: intake.Refusal("body", err)}
	}
	return r, nil
}

// over is a description with what somebody says of it in its place; null takes a value away.
func over(described any, by io.Reader) (map[string]json.RawMessage, error) {
	text, err := json.Marshal(described)
	if err != nil {
		return nil, err
	}
	doc := map[string]json.RawMessage{}
	if err := json.Unmarshal(text, &doc); err != nil {
		return nil, err
	}
	said := map[string]json.RawMessage{}
	if err := json.NewDecoder(by).Decode(&said); err != nil {
		return nil, badBody(err)
	}
	for key, v := range said {
		if doc[key] = v; string(v) == "null" {
			delete(doc, key)
		}
	}
	return doc, nil
}

// savedCar stores what a request says of a car.
func (s *Room) savedCar(r *http.Request, was *logbook.Car) (*logbook.Car, error) {
	doc, err := over(was.Describe(""), r.Body)
	if err != nil {
		return nil, err
	}
	planned, err := plannedWith("car", doc)
	if err != nil {
		return nil, err
	}
	if planned.Car == nil || planned.Car.Name == "" {
		return nil, bad("name: expected what the car is called")
	}
	c := logbook.CarFrom(planned.Car)
	c.ID, c.Note, c.Claims = was.ID, was.Note, was.Claims
	if err := s.book.SaveCar(r.Context(), c); err != nil {
		return nil, err
	}
	return s.book.Car(r.Context(), c.ID)
}

func (s *Room) addCar(w http.ResponseWriter, r *http.Request) error {
	c, err := s.savedCar(r, &logbook.Car{})
	if err != nil {
		return err
	}
	w.Header().Set("Location", fmt.Sprintf("%s/cars/%d", Prefix, c.ID))
	return answer(w, http.StatusCreated, carOf(c))
}

func (s *Room) changeCar(w http.ResponseWriter, r *http.Request) error {
	id, err := numberOf(r)
	if err != nil {
		return err
	}
	was, err := s.book.Car(r.Context(), id)
	if err != nil {
		return err
	}
	c, err := s.savedCar(r, was)
	if err != nil {
		return err
	}
	return answer(w, http.StatusOK, carOf(c))
}

// savedSite stores a site's name.
func (s *Room) savedSite(r *http.Request, site *logbook.Site) error {
	var in struct {
		Name string `json:"name"`
	}
	if err := body(r, &in); err != nil {
		return err
	}
	if in.Name == "" || len(in.Name) > mostName {
		return bad(fmt.Sprintf("name: expected 1 to %d characters", mostName))
	}
	site.Name = in.Name
	return s.book.SaveSite(r.Context(), site)
}

// mostName is how long a name may be, in bytes.
const mostName = 200

func (s *Room) addSite(w http.ResponseWriter, r *http.Request) error {
	site := &logbook.Site{}
	if err := s.savedSite(r, site); err != nil {
		return err
	}
	return answer(w, http.StatusCreated, siteOf(site))
}

func (s *Room) changeSite(w http.ResponseWriter, r *http.Request) error {
	id, err := numberOf(r)
	if err != nil {
		return err
	}
	site, err := s.book.Site(r.Context(), id)
	if err != nil {
		return err
	}
	if err := s.savedSite(r, site); err != nil {
		return err
	}
	return answer(w, http.StatusOK, siteOf(site))
}

// savedStall stores what a request says of a stall; site_id beside run.json's keys says where it stands.
func (s *Room) savedStall(r *http.Request, was *logbook.Stall) (*logbook.Stall, error) {
	described := was.Describe()
	described.Site = ""
	doc, err := over(described, r.Body)
	if err != nil {
		return nil, err
	}
	at := was.SiteID
	if of, ok := doc["site_id"]; ok {
		if err := json.Unmarshal(of, &at); err != nil {
			return nil, bad("site_id: expected a number")
		}
		delete(doc, "site_id")
	}
	if _, err := s.book.Site(r.Context(), at); err != nil {
		return nil, bad(fmt.Sprintf("site_id: %d, expected a site of this logbook", at))
	}
	planned, err := plannedWith("stall", doc)
	if err != nil {
		return nil, err
	}
	if planned.Stall == nil || planned.Stall.Name == "" {
		return nil, bad("name: expected what the stall is called")
	}
	t := logbook.StallFrom(planned.Stall)
	t.ID, t.SiteID, t.Note = was.ID, at, was.Note
	if err := s.book.SaveStall(r.Context(), t); err != nil {
		return nil, err
	}
	return s.book.Stall(r.Context(), t.ID)
}

func (s *Room) addStall(w http.ResponseWriter, r *http.Request) error {
	t, err := s.savedStall(r, &logbook.Stall{})
	if err != nil {
		return err
	}
	return answer(w, http.StatusCreated, stallOf(t, t.Site.Name))
}

func (s *Room) changeStall(w http.ResponseWriter, r *http.Request) error {
	id, err := numberOf(r)
	if err != nil {
		return err
	}
	was, err := s.book.Stall(r.Context(), id)
	if err != nil {
		return err
	}
	t, err := s.savedStall(r, was)
	if err != nil {
		return err
	}
	return answer(w, http.StatusOK, stallOf(t, t.Site.Name))
}
