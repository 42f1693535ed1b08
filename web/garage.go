package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/logbook"
)

func (s *Server) garageRoutes(r chi.Router) {
	r.Get("/", s.garage)
	r.Get("/cars/new", s.car)
	r.Get("/cars/{id}", s.car)
	r.Post("/cars", s.saveCar)
	r.Post("/cars/{id}/delete", s.deleteCar)
	r.Post("/cars/{id}/software", s.addSoftware)
	r.Post("/software/{id}/delete", s.deleteSoftware)
	r.Post("/adapters", s.saveAdapter)
	r.Post("/adapters/{id}/delete", s.deleteAdapter)
}

type garageView struct {
	Cars     []logbook.Car
	Adapters []logbook.Adapter
	*fields  // of the adapter form
}

func (s *Server) garage(w http.ResponseWriter, r *http.Request) {
	s.showGarage(w, r, http.StatusOK, newFields(url.Values{}))
}

func (s *Server) showGarage(w http.ResponseWriter, r *http.Request, status int, f *fields) {
	v := garageView{fields: f}
	var err error
	if v.Cars, err = s.book.Cars(r.Context()); err == nil {
		v.Adapters, err = s.book.Adapters(r.Context())
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "garage", status, Frame{Title: "Garage", Data: v})
}

// carField is one number of a car's form; unit and range are those of its path.
type carField struct {
	Name, Label string
	of          func(*logbook.Car) **float64
}

// Unit is the field's unit.
func (c carField) Unit() string { return run.MustField("car." + c.Name).Unit }

var carFields = []carField{
	{"gross_kwh", "Gross capacity", func(c *logbook.Car) **float64 { return &c.GrossKWh }},
	{"usable_kwh", "Usable capacity", func(c *logbook.Car) **float64 { return &c.UsableKWh }},
	{"cells_in_series", "Cells in series", func(c *logbook.Car) **float64 { return &c.CellsInSeries }},
	{"pack_min_v", "Pack, lowest", func(c *logbook.Car) **float64 { return &c.PackMinV }},
	{"pack_nominal_v", "Pack, nominal", func(c *logbook.Car) **float64 { return &c.PackNominalV }},
	{"pack_max_v", "Pack, highest", func(c *logbook.Car) **float64 { return &c.PackMaxV }},
	{"max_kw", "Car's power limit", func(c *logbook.Car) **float64 { return &c.MaxKW }},
	{"max_a", "Car's current limit", func(c *logbook.Car) **float64 { return &c.MaxA }},
	{"converter_kw", "Converter for low-voltage stalls", func(c *logbook.Car) **float64 { return &c.ConverterKW }},
	{"battery_mass_kg", "Battery mass", func(c *logbook.Car) **float64 { return &c.BatteryMassKg }},
	{"heater_kw", "Battery heater", func(c *logbook.Car) **float64 { return &c.HeaterKW }},
	{"warm_c", "Warm from", func(c *logbook.Car) **float64 { return &c.WarmC }},
	{"consumption_wh_per_km", "Observed consumption", func(c *logbook.Car) **float64 { return &c.ConsumptionWhKm }},
	{"rated_range_km", "Rated range", func(c *logbook.Car) **float64 { return &c.RatedRangeKm }},
	{"timer_s", "Full power after a plug-in ends at", func(c *logbook.Car) **float64 { return &c.TimerS }},
	{"timer_share_pct", "and leaves", func(c *logbook.Car) **float64 { return &c.TimerSharePct }},
}

// packField is one number of what is known of a battery beyond its label.
type packField struct {
	Name, Label string
	of          func(*run.Pack) *run.Number
}

// Unit is the field's unit.
func (p packField) Unit() string { return run.MustField("car.pack." + p.Name).Unit }

var packFields = []packField{
	{"resistance_mohm", "Resistance, whole pack at 25 °C", func(p *run.Pack) *run.Number { return &p.ResistanceMOhm }},
	{"heat_capacity_kj_per_k", "Heat capacity", func(p *run.Pack) *run.Number { return &p.HeatCapacityKJK }},
	{"coupling_w_per_k", "Coldest to warmest cells", func(p *run.Pack) *run.Number { return &p.CouplingWK }},
	{"loss_w_per_k", "Loss to the outside, parked", func(p *run.Pack) *run.Number { return &p.LossWK }},
	{"cooling_kw", "Cooling", func(p *run.Pack) *run.Number { return &p.CoolingKW }},
	{"heater_share_pct", "Heater's heat that reaches the cells", func(p *run.Pack) *run.Number { return &p.HeaterSharePct }},
	{"hot_c", "Takes power back above", func(p *run.Pack) *run.Number { return &p.HotC }},
}

type carView struct {
	*fields
	Car         *logbook.Car
	CarFields   []carField
	PackFields  []packField
	Assumed     []pack.Assumption // what the arithmetic fills in
	Chemistries []string
	Preconds    []string
	NewSoftware string
}

func (s *Server) car(w http.ResponseWriter, r *http.Request) {
	c := &logbook.Car{}
	if chi.URLParam(r, "id") != "" {
		id, err := idParam(r, "id")
		if err == nil {
			c, err = s.book.Car(r.Context(), id)
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
	}
	s.showCar(w, r, http.StatusOK, c, newFields(carValues(c)))
}

func carValues(c *logbook.Car) url.Values {
	v := url.Values{"id": {strconv.FormatInt(c.ID, 10)}, "name": {c.Name}, "chemistry": {c.Chemistry}, "preconditioning": {c.Preconditioning}, "note": {c.Note}}
	for _, f := range carFields {
		v.Set(f.Name, plainNumber(*f.of(c)))
	}
	if c.Pack != nil {
		for _, f := range packFields {
			v.Set(f.Name, plainNumber(*f.of(c.Pack)))
		}
	}
	var lines []string
	for _, p := range c.Envelope {
		lines = append(lines, plainNumber(&p.SoCPct)+" "+plainNumber(&p.KW))
	}
	v.Set("envelope", strings.Join(lines, "\n"))
	return v
}

func (s *Server) showCar(w http.ResponseWriter, r *http.Request, status int, c *logbook.Car, f *fields) {
	title := c.Name
	if c.ID == 0 {
		title = "A new car"
	}
	v := carView{fields: f, Car: c, CarFields: carFields, PackFields: packFields, Chemistries: run.Chemistries, Preconds: run.Preconditionings}
	if p, err := pack.For(c.Describe("")); err == nil {
		v.Assumed = p.Assumed
	}
	s.render(w, r, "car", status, Frame{Title: title, Page: "garage", Data: v})
}

func (s *Server) saveCar(w http.ResponseWriter, r *http.Request) {
	f, ok := s.form(w, r)
	if !ok {
		return
	}
	c := &logbook.Car{}
	if id, _ := strconv.ParseInt(r.PostForm.Get("id"), 10, 64); id > 0 {
		var err error
		if c, err = s.book.Car(r.Context(), id); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	readCar(f, c)
	if !s.keep(w, r, f, "name", "Another car has this name.", func() (string, error) {
		err := s.book.SaveCar(r.Context(), c)
		return fmt.Sprintf("/garage/cars/%d", c.ID), err
	}) {
		s.showCar(w, r, http.StatusUnprocessableEntity, c, f)
	}
}

func readCar(f *fields, c *logbook.Car) {
	c.Name = f.needed("name", "A name")
	c.Note = f.text("note")
	c.Chemistry = f.word("chemistry", run.Chemistries)
	c.Preconditioning = f.word("preconditioning", run.Preconditionings)
	for _, cf := range carFields {
		*cf.of(c) = f.ranged(cf.Name, "car."+cf.Name)
	}
	if c.PackMinV != nil && c.PackMaxV != nil && *c.PackMinV > *c.PackMaxV {
		f.fault("pack_max_v", "Expected no less than the lowest pack voltage, %g V.", *c.PackMinV)
	}
	if c.GrossKWh != nil && c.UsableKWh != nil && *c.UsableKWh > *c.GrossKWh {
		f.fault("usable_kwh", "Expected no more than the gross capacity, %g kWh.", *c.GrossKWh)
	}
	c.Pack = &run.Pack{}
	for _, pf := range packFields {
		*pf.of(c.Pack) = f.ranged(pf.Name, "car.pack."+pf.Name)
	}
	if *c.Pack == (run.Pack{}) {
		c.Pack = nil
	}
	c.Envelope = nil
	for i, line := range strings.Split(strings.ReplaceAll(f.Values.Get("envelope"), "\r", ""), "\n") {
		parts := strings.FieldsFunc(line, func(r rune) bool { return strings.ContainsRune(" \t;%", r) })
		if len(parts) == 0 {
			continue
		}
		var p run.Point
		var err1, err2 error = nil, errors.New("missing")
		p.SoCPct, err1 = strconv.ParseFloat(strings.ReplaceAll(parts[0], ",", "."), 64)
		if len(parts) > 1 {
			p.KW, err2 = strconv.ParseFloat(strings.ReplaceAll(parts[1], ",", "."), 64)
		}
		if err1 != nil || err2 != nil || !(p.SoCPct >= 0 && p.SoCPct <= 100) || !(p.KW >= 0 && p.KW <= 5000) {
			f.fault("envelope", "Line %d: expected a state of charge and a power, such as 50 120.", i+1)
			continue
		}
		if n := len(c.Envelope); n > 0 && c.Envelope[n-1].SoCPct >= p.SoCPct {
			f.fault("envelope", "Line %d: the states of charge must climb.", i+1)
		}
		c.Envelope = append(c.Envelope, p)
	}
}

func (s *Server) deleteCar(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/garage", "runs were made with this car; a car with runs stays", s.book.DeleteCar)
}

func (s *Server) addSoftware(w http.ResponseWriter, r *http.Request) {
	id, err := idParam(r, "id")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	c, err := s.book.Car(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	f := newFields(carValues(c))
	f.Values.Set("version", r.FormValue("version"))
	f.Values.Set("software_note", r.FormValue("software_note"))
	sw := &logbook.Software{CarID: id, Version: f.needed("version", "A version"), Note: f.text("software_note")}
	if !s.keep(w, r, f, "version", "This car has that version already.", func() (string, error) {
		err := s.book.SaveSoftware(r.Context(), sw)
		return fmt.Sprintf("/garage/cars/%d", id), err
	}) {
		s.showCar(w, r, http.StatusUnprocessableEntity, c, f)
	}
}

func (s *Server) deleteSoftware(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/garage", "runs were made with this software; it stays", s.book.DeleteSoftware)
}

func (s *Server) saveAdapter(w http.ResponseWriter, r *http.Request) {
	f, ok := s.form(w, r)
	if !ok {
		return
	}
	a := &logbook.Adapter{Name: f.needed("name", "A name"), MaxA: f.ranged("max_a", "adapter.max_a"), MaxV: f.ranged("max_v", "adapter.max_v")}
	if id := f.id("id"); id != nil {
		a.ID = *id
	}
	if !s.keep(w, r, f, "name", "Another adapter has this name.", func() (string, error) {
		err := s.book.SaveAdapter(r.Context(), a)
		return "/garage#adapters", err
	}) {
		s.showGarage(w, r, http.StatusUnprocessableEntity, f)
	}
}

func (s *Server) deleteAdapter(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/garage#adapters", "runs were made with this adapter; it stays", s.book.DeleteAdapter)
}
