package plan

import (
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"zincroad/core/decide"
	"zincroad/core/forecast"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/vehicle"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// question is a number of the page on what to do: what stands in for it, and between what it must lie.
type question struct {
	Name, Label, Unit string
	Usual, Min, Max   float64
}

var questions = []question{
	{"stop", "A stop costs beside", "min", 5, 0, 120},
	{"add", "Points to add", "%", 50, 5, 95},
	{"elsewhere", "A kWh elsewhere costs", "", 0, 0, 10},
}

// changes are the numbers of the other setting; an empty one is as planned.
var changes = []question{
	{"if_battery", "Battery at plug-in", "°C", 0, -40, 60},
	{"if_outside", "Outside", "°C", 0, -60, 60},
	{"if_from", "Start from", "%", 0, 0, 100},
	{"if_to", "Stop at", "%", 0, 0, 100},
}

// DecideView is the page on what to do with a planned charge.
type DecideView struct {
	*View
	Questions, Changes []question
	Stalls             []menuItem // for the other setting
	Versions           []menuItem
	FromPct, ToPct     float64
	Heading            string
	Unplug             []say.Text
	Tens               string
	Table              []decide.Ten
	Currency           string
	Starts             []decide.Start
	SaidStarts         []say.Text
	Gentle             *decide.Gentle
	SaidGentle         []say.Text
	SaidReplug         []say.Text
	Detours            []decide.Detour
	SaidDetour         say.Text
	WhatIf             say.Text
	Strips             [2]string
	How                template.URL // the plan and what was asked, as an address
	explained          decide.Explained
	Warm               bool // no plan is worked out: the pack is taken to be warm
}

func (s *Room) decidePage(w http.ResponseWriter, r *http.Request) error {
	v, err := s.decided(r)
	if err != nil {
		return err
	}
	s.Render(w, r, "decide", http.StatusOK, ui.Frame{Title: "What to do", Page: "prepare", Data: v, In: &v.In})
	return nil
}

// howToDecide explains one of the answers with its numbers.
func (s *Room) howToDecide(w http.ResponseWriter, r *http.Request) error {
	f, err := ui.FigureOf(r, decide.Figures)
	if err != nil {
		return err
	}
	v, err := s.decided(r)
	if err != nil {
		return err
	}
	s.Explain(w, r, ui.Explained{Name: f.Name, Of: "this plan", Definition: f.Definition, Numbers: f.Numbers(v.explained),
		Back: "/prepare/decide?" + string(v.Query), BackText: "Back to what to do"}, ui.Frame{Page: "prepare"})
	return nil
}

// decided works the page out from the address.
func (s *Room) decided(r *http.Request) (*DecideView, error) {
	plan, err := s.Planned(r)
	if err != nil {
		return nil, err
	}
	v := &DecideView{View: plan, Questions: questions, Changes: changes}
	q := r.URL.Query()
	for _, list := range [][]question{questions, changes} {
		for _, x := range list {
			v.Values.Set(x.Name, q.Get(x.Name))
			v.Values.Set(x.Name+"__unit", v.In.Name(x.Unit))
		}
	}
	for _, name := range []string{"if_stall", "if_software", "if_profile"} {
		v.Values.Set(name, q.Get(name))
	}
	if err := s.decide(r, v); err != nil {
		return nil, err
	}
	out, err := url.ParseQuery(string(v.Query))
	if err != nil {
		return nil, err
	}
	for _, x := range questions {
		if text := v.Values.Get(x.Name); text != "" {
			out.Set(x.Name, text)
		}
	}
	v.How = template.URL(out.Encode()) //nolint:gosec // made by package url, which escapes
	return v, nil
}

// asked is a question's answer, or what stands in for it, which is shown.
func (v *DecideView) asked(name string) float64 {
	i := slices.IndexFunc(questions, func(q question) bool { return q.Name == name })
	q := questions[i]
	if n := v.NumberIn(q.Name, q.Unit, q.Min, q.Max); n != nil {
		return *n
	}
	if q.Usual > 0 && v.Errors[name] == "" {
		v.Values.Set(name, ui.PlainNumber(&q.Usual))
	}
	return q.Usual
}

// decide works the page out, as far as what is known allows.
func (s *Room) decide(r *http.Request, v *DecideView) error {
	if v.Car == nil {
		v.Heading = "Note a car in the Garage first: its capacity, its pack and its power."
		return nil
	}
	p := v.AsTyped(nil)
	if err := s.known(r.Context(), v.View, &p); err != nil {
		return err
	}
	session := p.WarmSession()
	if v.Warm = v.Plan == nil || v.Plan.Approach == nil; !v.Warm {
		session.Battery = v.Plan.Approach.Plug().Battery
	}
	v.FromPct, v.ToPct = session.FromPct, session.ToPct
	a := decide.Asked{Session: session, Uncertainty: forecast.DefaultUncertainty, StopS: 60 * v.asked("stop"),
		AddPct: v.asked("add"), PriceKWh: v.asked("elsewhere"), Others: v.others(),
		SpeedKmh: v.used("speed", prepare.DefaultSpeedKmh)}
	for i, known := range []**vehicle.Model{&a.KnownFull, &a.KnownGentle} {
		m, err := s.book.Known(r.Context(), p.Car, logbook.Of{CarID: v.Car.ID, Software: p.Car.Software,
			Profile: run.Profiles[i]})
		if err != nil {
			return err
		}
		*known = m
	}
	v.choices(p)
	if !v.OK() {
		v.Heading = "One of the figures cannot be: see below it."
		return nil
	}
	advice, err := decide.Of(a)
	v.explained = decide.Explained{Asked: a, Advice: advice}
	switch {
	case err != nil:
		v.Heading = ui.Sentence(err.Error())
		return nil
	case advice.Unplug == nil:
		v.Heading = "This stall cannot charge it so far."
		return nil
	}
	v.advise(advice, a)
	return s.whatIf(r, v, p, a)
}

// choices are what the other setting may have.
func (v *DecideView) choices(p prepare.Plan) {
	v.Stalls = []menuItem{{"", "as planned", v.Values.Get("if_stall") == ""}}
	for _, site := range v.Sites {
		for i := range site.Stalls {
			id := strconv.FormatInt(site.Stalls[i].ID, 10)
			v.Stalls = append(v.Stalls, menuItem{id, site.Name + " " + site.Stalls[i].Name, v.Values.Get("if_stall") == id})
		}
	}
	v.Versions = []menuItem{{"", "as planned", v.Values.Get("if_software") == ""}}
	for _, version := range v.Softwares {
		if version != p.Car.Software {
			v.Versions = append(v.Versions, menuItem{version, version, v.Values.Get("if_software") == version})
		}
	}
}

// others are the stalls that the plan ranks, but the one that is planned: those alike at a site stand together.
func (v *DecideView) others() (out []decide.Other) {
	for _, r := range v.Ranking {
		if r.Chosen {
			continue
		}
		for _, site := range v.Sites {
			for i := range site.Stalls {
				if t := &site.Stalls[i]; t.ID == r.ID {
					out = append(out, decide.Other{ID: t.ID, Name: r.Name, Stall: t.Describe()})
				}
			}
		}
	}
	return out
}

// advise puts the answers into the page.
func (v *DecideView) advise(advice *decide.Advice, a decide.Asked) {
	if a.Session.Stall != nil && a.Session.Stall.Tariff != nil {
		v.Currency = a.Session.Stall.Tariff.Currency
	}
	u := advice.Unplug
	said := u.Said(v.Currency, a.PriceKWh)
	v.Heading, v.Unplug = said[0].In(v.In), said[1:]
	v.Table = u.Tens
	v.Tens = (&draw.Tens{Title: "Minutes for each ten points of charge, with the charge to unplug at", Unplug: u}).SVG()
	v.Starts, v.SaidStarts = advice.Starts, decide.SaidOfStarts(advice.Starts)
	if v.Gentle = advice.Gentle; v.Gentle != nil {
		v.SaidGentle = v.Gentle.Said(a.Session.FromPct, a.Session.ToPct)
	}
	v.Detours, v.SaidDetour = advice.Detours, decide.SaidOfDetours(advice.Detours, a.Session.FromPct, a.Session.ToPct,
		v.Currency)
	if advice.Replug != nil {
		v.SaidReplug = advice.Replug.Said()
	}
}

// whatIf works the other setting out and holds it against the plan.
func (s *Room) whatIf(r *http.Request, v *DecideView, p prepare.Plan, a decide.Asked) error {
	other, changed := a.Session, false
	number := func(name, unit string, low, high float64, set func(float64)) {
		if n := v.NumberIn(name, unit, low, high); n != nil {
			set(*n)
			changed = true
		}
	}
	number("if_outside", "°C", -60, 60, func(c float64) { other.AmbientC = c })
	number("if_battery", "°C", -40, 60, func(c float64) { other.Battery.ColdestC, other.Battery.WarmestC = c, c })
	number("if_from", "%", 0, 100, func(pct float64) { other.FromPct = pct })
	number("if_to", "%", 0, 100, func(pct float64) { other.ToPct = pct })
	if id := v.ID("if_stall"); id != nil {
		for _, site := range v.Sites {
			if t := chosenOf(site.Stalls, id, func(t *logbook.Stall) int64 { return t.ID }); t != nil && t.ID == *id {
				t.Site = &site
				other.Stall, changed = t.Describe(), true
			}
		}
	}
	profile := run.Profiles[0]
	if other.Gentle {
		profile = run.Profiles[1]
	}
	if asked := v.Word("if_profile", run.Profiles); asked != "" && asked != profile {
		profile, other.Gentle, changed = asked, asked == run.Profiles[1], true
	}
	if version := v.Values.Get("if_software"); version != "" && version != p.Car.Software {
		other.Car, changed = v.Car.Describe(version), true
	}
	if !changed || !v.OK() {
		return nil
	}
	var err error
	if other.Known, err = s.book.Known(r.Context(), other.Car, logbook.Of{CarID: v.Car.ID, Software: other.Car.Software,
		Profile: profile}); err != nil {
		return err
	}
	w, err := decide.Compare(a.Session, other, a.Uncertainty)
	if err != nil {
		v.WhatIf = say.Own(ui.Sentence(err.Error()))
		return nil
	}
	v.WhatIf = w.Said()
	longest, top := 0.0, 0.0
	for _, f := range []*forecast.Forecast{w.One, w.Other} {
		if n := len(f.Steps); n > 0 {
			longest = math.Max(longest, f.Steps[n-1].T)
		}
		if f.Peak != nil {
			top = math.Max(top, f.Peak.KW)
		}
	}
	for i, f := range []*forecast.Forecast{w.One, w.Other} {
		session := [2]forecast.Plan{a.Session, other}[i]
		v.Strips[i] = forecastStrip(f, session.FromPct, session.ToPct, longest, top)
	}
	return nil
}
