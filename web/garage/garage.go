package garage

import (
	"net/http"
	"net/url"

	"github.com/go-chi/chi/v5"

	"zincroad/logbook"
	"zincroad/web/ui"
)

// Routes are the paths of cars and adapters.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.garage)
	r.Get("/cars/new", s.Do(s.car))
	r.Get("/cars/{id}", s.Do(s.car))
	r.Post("/cars", s.Do(s.saveCar))
	r.Post("/cars/{id}/delete", s.deleteCar)
	r.Post("/cars/{id}/software", s.Do(s.addSoftware))
	r.Post("/cars/{id}/learned", s.Do(s.takeLearned))
	r.Post("/cars/{id}/teaches", s.Do(s.setTeaches))
	r.Post("/cars/{id}/bus", s.Do(s.takeBus))
	r.Post("/cars/{id}/signals", s.Do(s.setSignals))
	r.Post("/software/{id}/delete", s.deleteSoftware)
	r.Get("/software/{id}", s.software)
	r.Post("/software/{id}", s.Do(s.saveSoftware))
	r.Post("/adapters", s.saveAdapter)
	r.Post("/adapters/{id}/delete", s.deleteAdapter)
}

type garageView struct {
	Cars       []logbook.Car
	Adapters   []logbook.Adapter
	*ui.Fields // of the adapter form
}

func (s *Room) garage(w http.ResponseWriter, r *http.Request) {
	s.showGarage(w, r, http.StatusOK, ui.NewFields(url.Values{}))
}

func (s *Room) showGarage(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields) {
	v := garageView{Fields: f}
	var err error
	if v.Cars, err = s.book.Cars(r.Context()); err == nil {
		v.Adapters, err = s.book.Adapters(r.Context())
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, "garage", status, ui.Frame{Title: "Garage", Data: v})
}

// saveAdapter keeps an adapter.
func (s *Room) saveAdapter(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	a := &logbook.Adapter{Name: f.Needed("name", "A name"), MaxA: f.Ranged("max_a", "adapter.max_a"),
		MaxV: f.Ranged("max_v", "adapter.max_v")}
	if id := f.ID("id"); id != nil {
		a.ID = *id
	}
	if !s.Keep(w, r, f, "name", "Another adapter has this name.", func() (string, error) {
		err := s.book.SaveAdapter(r.Context(), a)
		return "/garage#adapters", err
	}) {
		s.showGarage(w, r, http.StatusUnprocessableEntity, f)
	}
}

func (s *Room) deleteAdapter(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/garage#adapters", "runs were made with this adapter; it stays", s.book.DeleteAdapter)
}
