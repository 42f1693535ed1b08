package trip

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/figure"
	"zincroad/core/forecast"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trip"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/report"
	"zincroad/web/ui"
)

// dial is a number of the form: what stands in for it, and between what it must lie.
type dial struct {
	Name, Label, Unit string
	Usual, Min, Max   float64
}

var dials = []dial{
	{"distance", "The way", "km", 0, 1, 10000},
	{"speed", "Speed", "km/h", 110, 20, 250},
	{"start", "Start with", "%", 90, 1, 100},
	{"arrive", "Arrive with", "%", 10, 0, 100},
	{"reserve", "At a stop no less than", "%", 6, 0, 100},
	{"outside", "Outside", "°C", 15, -40, 50},
	{"battery", "Battery at the start", "°C", 0, -40, 60},
	{"overhead", "Each stop costs beside", "min", 5, 0, 120},
	{"worth", "A minute is worth", "", 0, 0, 100},
}

// besides are what weather and load come to.
var besides = []dial{
	{"wind", "Wind from ahead", "km/h", 0, -100, 100},
	{"climate", "Cabin", "kW", 0, 0, 10},
	{"mass", "Car with its load", "kg", trip.UsualMassKg, 500, 40000},
}

// place is a site that may lie on the way, with its strongest stall.
type place struct {
	ID              int64 // of the stall
	Name, Strength  string
	site            *logbook.Site
	stall           *run.Stall
	At, Detour      string // what the form calls its fields
	AtLabel, ByWhat string
}

// shown is a plan as the page shows it.
type shown struct {
	trip.Plan
	Total, Parts, Takes string
	Money               string
	Stops               []stop
}

type stop struct {
	trip.Stop
	Site, Charge, Prepare string
	AtKm                  float64
	choices               url.Values // of its plan
}

// View is the page of a trip.
type View struct {
	*ui.Fields
	In      units.People
	Cars    []logbook.Car
	Car     *logbook.Car
	Dials   []dial
	Besides []dial
	Weighs  []choice
	Ways    []logbook.Way
	Way     *logbook.Way // nil: level
	Query   string       // what is chosen, for a way that is yet to come
	Kept    []kept

	distanceKm float64
	explained  trip.Explained
	Places     []place
	Missing    string // what is needed before anything can be found
	Heading    string
	Said       string // on what the forecasts rest
	Plans      []shown
	Picture    string
}

type choice struct {
	Value, Name string
	Chosen      bool
}

var weighNames = map[trip.Weigh]string{trip.Minutes: "the fastest", trip.Money: "the cheapest",
	trip.Stops: "the fewest stops"}

func (s *Room) page(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	if usual := ui.UsualCar(r); usual != "" && !q.Has("car") {
		q.Set("car", usual)
	}
	return s.show(w, r, q, http.StatusOK, nil)
}

// show shows the page with what is chosen.
func (s *Room) show(w http.ResponseWriter, r *http.Request, chosen url.Values, status int, n *ui.Notice) error {
	v := &View{Fields: ui.NewFields(chosen), In: ui.MeasuresOf(r), Dials: dials, Besides: besides, Query: chosen.Encode()}
	v.Typed = true
	if err := s.fill(r.Context(), v); err != nil {
		return err
	}
	var err error
	if v.Kept, err = s.kept(r.Context()); err != nil {
		return err
	}
	s.Render(w, r, "trip", status, ui.Frame{Title: "Trip", Page: "trip", Data: v, In: &v.In, Notice: n})
	return nil
}

// how says how one of a trip's figures is worked out.
func (s *Room) how(w http.ResponseWriter, r *http.Request) error {
	f, err := ui.FigureOf(r, trip.Figures)
	if err != nil {
		return err
	}
	q := r.URL.Query()
	v := &View{Fields: ui.NewFields(q), In: ui.MeasuresOf(r), Dials: dials, Besides: besides}
	if err := s.fill(r.Context(), v); err != nil {
		return err
	}
	s.Explain(w, r, ui.Explained{Name: f.Name, Of: "this trip", Definition: f.Definition, Numbers: f.Numbers(v.explained),
		Back: "/trip?" + r.URL.RawQuery, BackText: "Back to the trip"}, ui.Frame{Page: "trip"})
	return nil
}

// Figures are those of a trip that explain themselves.
func (v *View) Figures() []figure.Text { return trip.Figures.Texts() }

// fill works the page out as far as what is typed allows.
func (s *Room) fill(ctx context.Context, v *View) error {
	if u := v.Values.Get("units"); u != "" {
		v.In = ui.MeasuresNamed(u)
	}
	v.Values.Set("units", ui.MeasuresName(v.In))
	var err error
	if v.Cars, err = s.book.Cars(ctx); err != nil {
		return err
	}
	sites, err := s.book.Sites(ctx)
	if err != nil {
		return err
	}
	if v.Ways, err = s.book.Ways(ctx); err != nil {
		return err
	}
	v.choose()
	v.places(sites)
	v.along()
	switch {
	case v.Car == nil:
		v.Missing = "Note a car in the Garage first: its capacity and what it takes a kilometre."
		return nil
	case len(v.Places) == 0:
		v.Missing = "Note a site with a stall under Sites first."
		return nil
	}
	t := v.asTyped()
	switch {
	case !v.OK():
		v.Missing = "One of the figures cannot be: see below it."
		return nil
	case v.Values.Get("distance") == "":
		v.Missing = "How long is the way, and at which kilometre do the sites lie?"
		return nil
	}
	of := logbook.Of{CarID: v.Car.ID, Software: t.Car.Software, Profile: run.Profiles[0]}
	if t.Known, err = s.book.Known(ctx, t.Car, of); err != nil {
		return err
	}
	v.distanceKm = t.DistanceKm
	v.find(t)
	return nil
}

// Rough tells whether weather or load are other than usual.
func (v *View) Rough() bool {
	load := v.Values.Get("mass")
	return v.Values.Get("rain") != "" || v.Values.Get("wind") != "" || v.Values.Get("climate") != "" ||
		load != "" && load != fmt.Sprint(trip.UsualMassKg) ||
		v.Errors["wind"]+v.Errors["climate"]+v.Errors["mass"] != ""
}

// choose settles the car and what plans are weighed by.
func (v *View) choose() {
	id := v.ID("car")
	for i := range v.Cars {
		if id != nil && v.Cars[i].ID == *id || id == nil && v.Car == nil && v.Cars[i].ConsumptionWhKm != nil {
			v.Car = &v.Cars[i]
		}
	}
	if v.Car == nil && len(v.Cars) > 0 {
		v.Car = &v.Cars[0]
	}
	id = v.ID("way")
	for i := range v.Ways {
		if id != nil && v.Ways[i].ID == *id {
			v.Way = &v.Ways[i]
		}
	}
	by := trip.Weigh(v.Word("weigh", trip.Weighs))
	if by == "" {
		by = trip.Minutes
	}
	v.Values.Set("weigh", string(by))
	for _, w := range trip.Weighs {
		v.Weighs = append(v.Weighs, choice{w, weighNames[trip.Weigh(w)], trip.Weigh(w) == by})
	}
}

// places lists the sites by where they lie on the way, those that are on none behind them by their names.
func (v *View) places(sites []logbook.Site) {
	for i := range sites {
		site := &sites[i]
		if len(site.Stalls) == 0 {
			continue
		}
		best := slices.MaxFunc(site.Stalls, func(a, b logbook.Stall) int { return cmp.Compare(rated(a), rated(b)) })
		p := place{ID: best.ID, Name: site.Name, site: site, stall: best.Describe(), At: fmt.Sprintf("at_%d", best.ID),
			Detour: fmt.Sprintf("detour_%d", best.ID), AtLabel: site.Name + " lies at", ByWhat: site.Name + ", there and back"}
		if kw := rated(best); kw > 0 {
			p.Strength = words.Figure(kw, 0) + " kW"
		}
		p.stall.Site = site.Name
		v.Places = append(v.Places, p)
	}
	at := func(p place) float64 {
		if n, err := strconv.ParseFloat(strings.ReplaceAll(v.Values.Get(p.At), ",", "."), 64); err == nil {
			return n
		}
		return 1e9
	}
	slices.SortStableFunc(v.Places, func(a, b place) int {
		return cmp.Or(cmp.Compare(at(a), at(b)), strings.Compare(a.Name, b.Name))
	})
}

func rated(s logbook.Stall) float64 {
	kw, _ := run.Known(s.RatedKW)
	return kw
}

// number is a field's number, or what stands in for it.
func (v *View) number(name, unit string, usual, least, most float64) float64 {
	if unit != "" && unit != "%" && unit != "min" {
		v.Values.Set(name+"__unit", v.In.Name(unit))
	}
	if n := v.NumberIn(name, unit, least, most); n != nil {
		return *n
	}
	if usual > 0 && v.Errors[name] == "" { // what stands in is shown
		at := math.Round(v.In.Show(unit, usual))
		v.Values.Set(name, ui.PlainNumber(&at))
	}
	return usual
}

// asTyped puts a trip together from the form.
func (v *View) asTyped() trip.Trip {
	n := map[string]float64{}
	for _, d := range slices.Concat(dials, besides) {
		n[d.Name] = v.number(d.Name, d.Unit, d.Usual, d.Min, d.Max)
	}
	t := trip.Trip{Car: v.Car.Describe(latest(v.Car)), DistanceKm: n["distance"], SpeedKmh: n["speed"],
		StartPct: n["start"], ArrivePct: n["arrive"], ReservePct: n["reserve"], AmbientC: n["outside"],
		BatteryC: n["battery"], MassKg: n["mass"],
		Weather: &trip.Weather{HeadwindKmh: n["wind"], Rain: v.Values.Get("rain") != "", ClimateKW: n["climate"]},
		Weigh:   trip.Weigh(v.Values.Get("weigh")), MinuteWorth: n["worth"]}
	if v.Way != nil {
		t.Track = &v.Way.Track
	}
	if v.Values.Get("battery") == "" {
		t.BatteryC = t.AmbientC + forecast.DrivenK
	}
	for _, p := range v.Places {
		at := v.number(p.At, "km", -1, 0, 10000)
		detour := v.number(p.Detour, "km", 0, 0, 200)
		switch {
		case at < 0:
		case at > t.DistanceKm && t.DistanceKm > 0:
			v.Fault(p.At, "The way is shorter.")
		default:
			t.Sites = append(t.Sites, trip.Site{Name: p.Name, AtKm: at, DetourKm: detour, OverheadMin: n["overhead"],
				Stall: p.stall})
		}
	}
	return t
}

// latest is the car's newest software version; empty: none is noted.
func latest(c *logbook.Car) string {
	if n := len(c.Softwares); n > 0 {
		return c.Softwares[n-1].Version
	}
	return ""
}

// find works the plans out and puts them into words.
func (v *View) find(t trip.Trip) {
	plans, err := trip.Find(t)
	v.explained = trip.Explained{Trip: t, Plans: plans}
	switch {
	case errors.Is(err, trip.ErrConsumption):
		v.Missing = "What does the car take a kilometre? Note it in the Garage."
		return
	case err != nil:
		v.Missing = ui.Sentence(err.Error())
		return
	case len(plans.Plans) == 0:
		v.Heading = "There is no way with these stops"
		v.Said = plans.Unreachable.In(v.In)
		return
	}
	v.Said = "By what is noted of the car."
	if t.Known.Rests() && t.Known.Draws(t.Car) {
		v.Said = fmt.Sprintf("By what %d of its runs showed.", len(t.Known.Runs))
	}
	if t.Track != nil && len(t.Track.HeightM) == 0 {
		v.Said += " " + v.Way.Name + " came without heights: it counts as level."
	}
	for _, p := range plans.Plans {
		v.Plans = append(v.Plans, v.show(&t, p))
	}
	v.Heading = heading(v.Plans[0])
	d := draw.Trip{Title: v.Heading, DistanceKm: t.DistanceKm, StartPct: t.StartPct, EndPct: plans.Plans[0].ArrivePct,
		ReservePct: t.ReservePct, Measures: v.In}
	for _, s := range plans.Plans[0].Stops {
		site := t.Sites[s.Site]
		d.Stops = append(d.Stops, draw.TripStop{Name: site.Name, AtKm: site.AtKm, ArrivePct: s.ArrivePct,
			LeavePct: s.LeavePct, Minutes: s.ChargeMin, Why: s.Why.In(v.In)})
	}
	for _, c := range plans.Plans[0].Along {
		d.Along = append(d.Along, draw.Spot{Km: c.Km, V: c.Pct})
	}
	if t.Track != nil && len(t.Track.HeightM) > 0 {
		for i, km := range t.Track.Km {
			d.Land = append(d.Land, draw.Spot{Km: km * t.DistanceKm / t.Track.LengthKm(), V: t.Track.HeightM[i]})
		}
	}
	v.Picture = d.SVG()
}

// Report works out what a report of the trip says that an address asks for; ErrNotFound where it finds no way.
func (s *Room) Report(ctx context.Context, query string) (*report.Content, error) {
	q, err := url.ParseQuery(query)
	if err != nil {
		return nil, fmt.Errorf("a trip's address: %w", err)
	}
	v := &View{Fields: ui.NewFields(q), Dials: dials, Besides: besides}
	if err := s.fill(ctx, v); err != nil {
		return nil, err
	}
	if len(v.Plans) == 0 {
		return nil, fmt.Errorf("this trip: no way was found: %w", logbook.ErrNotFound)
	}
	out := report.Trip{Heading: v.Heading, Rests: v.Said, Picture: v.Picture, Given: v.given()}
	for _, p := range v.Plans {
		plan := report.TripPlan{Name: p.Name, Total: p.Total, Parts: p.Parts, Takes: p.Takes, Money: p.Money,
			ArrivePct: p.ArrivePct}
		for _, x := range p.Stops {
			plan.Stops = append(plan.Stops, report.TripStop{Site: x.Site, AtKm: x.AtKm, ArrivePct: x.ArrivePct,
				LeavePct: x.LeavePct, ChargeMin: x.ChargeMin, EnergyKWh: x.EnergyKWh, Charge: x.Charge, Why: x.Why.In(v.In)})
		}
		out.Plans = append(out.Plans, plan)
	}
	return report.MakeTrip(out)
}

// given says in sentences what a trip was asked for.
func (v *View) given() []string {
	t := v.explained.Trip
	way := fmt.Sprintf("%s, %s at %s", v.Car.Name, say.Q(t.DistanceKm, "km", 0).In(v.In),
		say.Q(t.SpeedKmh, "km/h", 0).In(v.In))
	if v.Way != nil {
		way += " along " + v.Way.Name
	}
	out := []string{way + ".",
		fmt.Sprintf("It starts with %s %%, arrives with %s %% at least and comes to no stop with less than %s %%.",
			words.Figure(t.StartPct, 0), words.Figure(t.ArrivePct, 0), words.Figure(t.ReservePct, 0)),
		fmt.Sprintf("Outside %s, the battery %s at the start.", say.Q(t.AmbientC, "°C", 0).In(v.In),
			say.Q(t.BatteryC, "°C", 0).In(v.In))}
	if w := t.Weather; w != nil && (w.HeadwindKmh != 0 || w.Rain) {
		sky := "dry"
		if w.Rain {
			sky = "rain"
		}
		out = append(out, fmt.Sprintf("Wind from ahead %s, %s.", say.Q(w.HeadwindKmh, "km/h", 0).In(v.In), sky))
	}
	return append(out, "Looked for: "+weighNames[t.Weigh]+".")
}

// planOf is a stop as Prepare has it: the car as it stands there.
func (v *View) planOf(t *trip.Trip, s trip.Stop) url.Values {
	arrives := words.Fixed(s.ArrivePct, 0)
	q := url.Values{"car": {fmt.Sprint(v.Car.ID)}, "now": {arrives}, "from": {arrives}, "km": {"0"},
		"to": {words.Fixed(s.LeavePct, 0)}, "battery": {words.Fixed(s.BatteryC, 0)},
		"outside": {words.Fixed(t.AmbientC, 0)}}
	for _, place := range v.Places {
		if place.Name == t.Sites[s.Site].Name {
			q.Set("stall", fmt.Sprint(place.ID))
		}
	}
	return q
}

// keep keeps a plan in Prepare for each stop of one of the ways found.
func (s *Room) keep(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	v := &View{Fields: f, In: ui.MeasuresOf(r), Dials: dials, Besides: besides}
	if err := s.fill(r.Context(), v); err != nil {
		return err
	}
	i := slices.IndexFunc(v.Plans, func(p shown) bool { return p.Name == f.Values.Get("plan") })
	if i < 0 || len(v.Plans[i].Stops) == 0 {
		return ui.BadRequest("This way has no stops to keep any more: look for them again.")
	}
	var list []*logbook.Preparation
	for k, stop := range v.Plans[i].Stops {
		p := &logbook.Preparation{Title: fmt.Sprintf("Stop %d of %d: %s", k+1, len(v.Plans[i].Stops), stop.Site),
			Choices: map[string]string{}, CarID: &v.Car.ID, ChargeS: run.N(stop.ChargeMin * 60)}
		for key := range stop.choices {
			p.Choices[key] = stop.choices.Get(key)
		}
		if id, err := strconv.ParseInt(stop.choices.Get("stall"), 10, 64); err == nil {
			p.StallID = &id
		}
		list = append(list, p)
	}
	name := fmt.Sprintf("%s, %s %s with %s", v.Plans[i].Name, words.Figure(v.In.Show("km", v.distanceKm), 0),
		v.In.Name("km"), v.Car.Name)
	if v.Way != nil {
		name += ": " + v.Way.Name
	}
	if err := s.book.SaveTrip(r.Context(), name, list); err != nil {
		return err
	}
	http.Redirect(w, r, ui.PlanPath(list[0].ID), http.StatusSeeOther)
	return nil
}

// heading says a plan in one sentence.
func heading(p shown) string {
	if len(p.Stops) == 0 {
		return fmt.Sprintf("%s without a stop: %s %% are left", p.Total, words.Figure(p.ArrivePct, 0))
	}
	var by []string
	for _, s := range p.Stops {
		by = append(by, fmt.Sprintf("at %s to %s %%", s.Site, words.Figure(s.LeavePct, 0)))
	}
	return fmt.Sprintf("%s: charge %s", p.Total, strings.Join(by, ", then "))
}

// show is a plan in words.
func (v *View) show(t *trip.Trip, p trip.Plan) shown {
	p.Name = strings.ToUpper(p.Name[:1]) + p.Name[1:]
	out := shown{Plan: p, Total: words.Hours(p.Minutes * 60), Parts: fmt.Sprintf("%s driving, %s charging, %s beside it",
		words.Hours(p.DrivingMin*60), words.Hours(p.ChargingMin*60), words.Hours(p.OverheadMin*60))}
	whKm := p.DrivenKWh * 1000 / t.DistanceKm
	out.Takes = fmt.Sprintf("driving takes %s kWh, %s %s", words.Figure(p.DrivenKWh, 0),
		words.Figure(v.In.Show("Wh/km", whKm), 0), v.In.Name("Wh/km"))
	if p.Currency != "" {
		out.Money = fmt.Sprintf("%s %s", words.Fixed(p.Cost, 2), p.Currency)
	}
	for _, s := range p.Stops {
		site := t.Sites[s.Site]
		q := v.planOf(t, s)
		out.Stops = append(out.Stops, stop{Stop: s, Site: site.Name, AtKm: site.AtKm, Charge: words.Hours(s.ChargeMin * 60),
			Prepare: "/prepare?" + q.Encode(), choices: q})
	}
	return out
}
