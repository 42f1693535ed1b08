package ui

import (
	"context"
	"net/http"
	"net/url"

	"zincroad/core/units"
)

// What a reader chooses for all pages travels in cookies, so that any copy of the program can answer. Of somebody of
// a crew it is kept too, and put into the next browser that they come in by.

// KeepChosen keeps what the reader of a request has chosen, by the names of settings.
type KeepChosen func(ctx context.Context, chosen map[string]string) error

// settings are what can be chosen.
var settings = []string{"units", "dates", "theme", "window", "car", "method"}

// Choose puts what somebody chose before into their browser.
func Choose(w http.ResponseWriter, chosen map[string]string) {
	for _, name := range settings {
		keepSetting(w, name, chosen[name])
	}
}

// choose keeps what a reader chose.
func (s *Pages) choose(w http.ResponseWriter, r *http.Request, chosen map[string]string) error {
	for name, value := range chosen {
		keepSetting(w, name, value)
	}
	if s.Chosen == nil {
		return nil
	}
	return s.Chosen(r.Context(), chosen)
}

const yearS = 365 * 86400

func keepSetting(w http.ResponseWriter, name, value string) {
	c := &http.Cookie{Name: name, Value: value, Path: "/", MaxAge: yearS, HttpOnly: true, SameSite: http.SameSiteLaxMode}
	if value == "" {
		c.MaxAge = -1
	}
	http.SetCookie(w, c)
}

// UsualWindows are the windows that a reader can have cars ranked and runs sorted by.
var UsualWindows = []string{"10-80", "10-50", "10-60", "20-70", "20-80", "30-80", "0-80"}

// UsualWindow gives the window that a reader's rankings go by, as an address has it; empty: the usual one.
func UsualWindow(r *http.Request) string {
	return settingOf(r, "window", "")
}

// UsualCar gives the number of the car that a reader's plans and runs begin with; empty: none in particular. It may
// be gone since.
func UsualCar(r *http.Request) string { return settingOf(r, "car", "") }

// UsualMethod gives the key of the method that a reader's plans and runs begin with; empty: none in particular. It
// may be gone since.
func UsualMethod(r *http.Request) string { return settingOf(r, "method", "") }

func settingOf(r *http.Request, name, otherwise string) string {
	if c, err := r.Cookie(name); err == nil {
		return c.Value
	}
	return otherwise
}

// Settings shows what a reader has chosen.
func (s *Pages) Settings(w http.ResponseWriter, r *http.Request) {
	p := MeasuresOf(r)
	f := NewFields(url.Values{
		"theme":       {settingOf(r, "theme", "device")},
		"window":      {settingOf(r, "window", UsualWindows[0])},
		"dates":       {settingOf(r, "dates", DateLanguages[0].Code)},
		"car":         {UsualCar(r)},
		"method":      {UsualMethod(r)},
		"temperature": {map[bool]string{false: "c", true: "f"}[p.Fahrenheit]},
		"distance":    {map[bool]string{false: "km", true: "mi"}[p.Miles]},
	})
	usual, err := s.Usual(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.showSettings(w, r, http.StatusOK, f, usual)
}

func (s *Pages) showSettings(w http.ResponseWriter, r *http.Request, status int, f *Fields, usual Usual) {
	frame := Frame{Title: "Settings", Page: "settings", Data: map[string]any{"Fields": f, "Windows": UsualWindows,
		"Dates": DateLanguages, "Usual": usual}}
	if r.URL.Query().Get("kept") != "" {
		frame.Notice = &Notice{Text: "Kept."}
	}
	s.Render(w, r, "settings", status, frame)
}

// SetSettings keeps what a reader chose.
func (s *Pages) SetSettings(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	dates := f.Word("dates", dateCodes())
	p := units.People{Fahrenheit: f.Word("temperature", []string{"c", "f"}) == "f",
		Miles: f.Word("distance", []string{"km", "mi"}) == "mi"}
	theme, window := f.Word("theme", []string{"device", "day", "night"}), f.Word("window", UsualWindows)
	usual, err := s.Usual(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	car, method := f.Word("car", keysOf(usual.Cars)), f.Word("method", keysOf(usual.Methods))
	if !f.OK() {
		s.showSettings(w, r, http.StatusUnprocessableEntity, f, usual)
		return
	}
	if theme == "device" {
		theme = ""
	}
	if window == UsualWindows[0] {
		window = ""
	}
	if dates == DateLanguages[0].Code {
		dates = ""
	}
	if err := s.choose(w, r, map[string]string{"units": MeasuresName(p), "dates": dates, "theme": theme,
		"window": window, "car": car, "method": method}); err != nil {
		s.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/settings?kept=1", http.StatusSeeOther)
}

// Night turns the pages dark or light.
func (s *Pages) Night(w http.ResponseWriter, r *http.Request) {
	theme := "day"
	if r.FormValue("theme") == "night" {
		theme = "night"
	}
	if err := s.choose(w, r, map[string]string{"theme": theme}); err != nil {
		s.Fail(w, r, err)
		return
	}
	Back(w, r, "/")
}
