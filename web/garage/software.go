package garage

import (
	"net/http"
	"net/url"

	"zincroad/logbook"
	"zincroad/web/ui"
)

// addSoftware notes a version that a car ran.
func (s *Room) addSoftware(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	c, err := s.book.Car(r.Context(), id)
	if err != nil {
		return err
	}
	f := ui.NewFields(carValues(c))
	f.Values.Set("version", r.FormValue("version"))
	f.Values.Set("software_note", r.FormValue("software_note"))
	sw := &logbook.Software{CarID: id, Version: f.Needed("version", "A version"), Note: f.Text("software_note")}
	if !s.Keep(w, r, f, "version", "This car has that version already.", func() (string, error) {
		err := s.book.SaveSoftware(r.Context(), sw)
		return ui.CarPath(id), err
	}) {
		s.showCar(w, r, http.StatusUnprocessableEntity, c, f)
	}
	return nil
}

// softwareValues fill the form of what a software version changed.
func softwareValues(sw *logbook.Software) url.Values {
	v := url.Values{"software_note": {sw.Note}, "heater_kw": {ui.PlainNumber(sw.HeaterKW)},
		"heater_stop_c":   {ui.PlainNumber(sw.HeaterStopC)},
		"gentle_envelope": {envelopeText(sw.GentleEnvelope)}}
	navigationValues(v, sw.Navigation)
	return v
}

// softwareView is what one software version changed of a car.
type softwareView struct {
	*ui.Fields
	Car       *logbook.Car
	Software  *logbook.Software
	NavFields []navField
}

func (s *Room) software(w http.ResponseWriter, r *http.Request) {
	c, sw, ok := s.softwareOf(w, r)
	if ok {
		s.showSoftware(w, r, http.StatusOK, softwareView{ui.NewFields(softwareValues(sw)), c, sw, navFields})
	}
}

func (s *Room) showSoftware(w http.ResponseWriter, r *http.Request, status int, v softwareView) {
	s.Render(w, r, "software", status, ui.Frame{Title: v.Car.Name + ", software " + v.Software.Version, Page: "garage",
		Data: v})
}

// softwareOf gives the version that the address names with its car.
func (s *Room) softwareOf(w http.ResponseWriter, r *http.Request) (*logbook.Car, *logbook.Software, bool) {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		var sw *logbook.Software
		var c *logbook.Car
		if sw, err = s.book.Software(r.Context(), id); err == nil {
			if c, err = s.book.Car(r.Context(), sw.CarID); err == nil {
				return c, sw, true
			}
		}
	}
	s.Fail(w, r, err)
	return nil, nil, false
}

// saveSoftware stores what a version changed; what is empty is as the car has it.
func (s *Room) saveSoftware(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	c, sw, ok := s.softwareOf(w, r)
	if !ok {
		return nil
	}
	if err := f.Merge(func() url.Values { return softwareValues(sw) }, func() { readSoftware(f, sw) },
		s.lastActor(r, "softwares", sw.ID)); err != nil {
		return err
	}
	if !f.OK() {
		s.showSoftware(w, r, http.StatusUnprocessableEntity, softwareView{f, c, sw, navFields})
		return nil
	}
	if err := s.book.SaveSoftware(r.Context(), sw); err != nil {
		return err
	}
	http.Redirect(w, r, ui.CarPath(c.ID), http.StatusSeeOther)
	return nil
}

// readSoftware reads the form into a version; faults stand at their fields.
func readSoftware(f *ui.Fields, sw *logbook.Software) {
	sw.Note = f.Text("software_note")
	sw.HeaterKW, sw.HeaterStopC = f.Ranged("heater_kw", "car.heater_kw"), f.Ranged("heater_stop_c", "car.heater_stop_c")
	sw.Navigation, sw.GentleEnvelope = readNavigation(f), readEnvelope(f, "gentle_envelope")
}

func (s *Room) deleteSoftware(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/garage", "runs were made with this software; it stays", s.book.DeleteSoftware)
}
