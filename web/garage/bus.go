package garage

import (
	"fmt"
	"net/http"

	"zincroad/formats/buslog"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// takeBus keeps the DBC file of a car's bus.
func (s *Room) takeBus(w http.ResponseWriter, r *http.Request) error {
	c, bus, err := s.busOf(r)
	if err != nil {
		return err
	}
	name, content, err := ui.Upload(w, r)
	if err == nil {
		_, err = buslog.Signals(content)
	}
	if err != nil {
		f := ui.NewFields(carValues(c))
		f.Fault("dbc", "%s", ui.Sentence(err.Error()))
		s.showCar(w, r, http.StatusUnprocessableEntity, c, f)
		return nil
	}
	bus.Name, bus.DBC = name, content
	return s.keepBus(w, r, bus)
}

// setSignals keeps which signals of a car's bus are which channels, where its DBC file has them.
func (s *Room) setSignals(w http.ResponseWriter, r *http.Request) error {
	c, bus, err := s.busOf(r)
	if err != nil {
		return err
	}
	sent, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	bus.Signals = sent.Long("signals")
	if _, err := buslog.NewProfile(bus.DBC, bus.Signals); err != nil {
		f := ui.NewFields(carValues(c))
		f.Values.Set("signals", bus.Signals)
		f.Fault("signals", "%s", ui.Sentence(err.Error()))
		s.showCar(w, r, http.StatusUnprocessableEntity, c, f)
		return nil
	}
	return s.keepBus(w, r, bus)
}

// busOf is the car that an address names, with what is kept of its bus, or nothing yet.
func (s *Room) busOf(r *http.Request) (*logbook.Car, *logbook.CarBus, error) {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return nil, nil, err
	}
	c, err := s.book.Car(r.Context(), id)
	if err != nil {
		return nil, nil, err
	}
	bus, err := s.book.Bus(r.Context(), id)
	if bus == nil {
		bus = &logbook.CarBus{CarID: id}
	}
	return c, bus, err
}

func (s *Room) keepBus(w http.ResponseWriter, r *http.Request, bus *logbook.CarBus) error {
	if err := s.book.SaveBus(r.Context(), bus); err != nil {
		return err
	}
	http.Redirect(w, r, fmt.Sprintf("/garage/cars/%d#bus", bus.CarID), http.StatusSeeOther)
	return nil
}
