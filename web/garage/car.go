package garage

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/formats/buslog"
	"zincroad/logbook"
	"zincroad/web/ui"
)

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
	{"heater_stop_c", "Heater stops by itself at", func(c *logbook.Car) **float64 { return &c.HeaterStopC }},
	{"warm_c", "Warm from", func(c *logbook.Car) **float64 { return &c.WarmC }},
	{"consumption_wh_per_km", "Observed consumption", func(c *logbook.Car) **float64 { return &c.ConsumptionWhKm }},
	{"rated_range_km", "Rated range", func(c *logbook.Car) **float64 { return &c.RatedRangeKm }},
	{"timer_s", "Full power after a plug-in ends at", func(c *logbook.Car) **float64 { return &c.TimerS }},
	{"timer_share_pct", "and leaves", func(c *logbook.Car) **float64 { return &c.TimerSharePct }},
}

// navField is one limit of preconditioning by navigation; unit and range are those of
// its path.
type navField struct {
	Name, Label string
	of          func(*run.Navigation) *run.Number
}

// Unit is the field's unit.
func (n navField) Unit() string { return run.MustField("car.navigation." + n.Name).Unit }

var navFields = []navField{
	{"min_pct", "Navigation heats only above", func(n *run.Navigation) *run.Number { return &n.MinPct }},
	{"lead_min", "at most so long ahead", func(n *run.Navigation) *run.Number { return &n.LeadMin }},
	{"min_kw", "for stalls of at least", func(n *run.Navigation) *run.Number { return &n.MinKW }},
}

// readNavigation reads navigation's limits; nil where none is given.
func readNavigation(f *ui.Fields) *run.Navigation {
	n := &run.Navigation{StopOnly: f.Values.Get("stop_only") != ""}
	for _, nf := range navFields {
		*nf.of(n) = f.Ranged(nf.Name, "car.navigation."+nf.Name)
	}
	if *n == (run.Navigation{}) {
		return nil
	}
	return n
}

func navigationValues(v url.Values, n *run.Navigation) {
	if n == nil {
		return
	}
	for _, nf := range navFields {
		v.Set(nf.Name, ui.PlainNumber(*nf.of(n)))
	}
	if n.StopOnly {
		v.Set("stop_only", "yes")
	}
}

// packField is one number of what is known of a battery beyond its label.
type packField struct {
	Name  string
	Label any // words, or a text
	of    func(*run.Pack) *run.Number
}

// Unit is the field's unit.
func (p packField) Unit() string { return run.MustField("car.pack." + p.Name).Unit }

var packFields = []packField{
	{"resistance_mohm", say.T("garage.resistance", say.Q(pack.ResistanceC, "°C", 0)),
		func(p *run.Pack) *run.Number { return &p.ResistanceMOhm }},
	{"heat_capacity_kj_per_k", "Heat capacity", func(p *run.Pack) *run.Number { return &p.HeatCapacityKJK }},
	{"coupling_w_per_k", "Coldest to warmest cells", func(p *run.Pack) *run.Number { return &p.CouplingWK }},
	{"loss_w_per_k", "Loss to the outside, parked", func(p *run.Pack) *run.Number { return &p.LossWK }},
	{"cooling_kw", "Cooling", func(p *run.Pack) *run.Number { return &p.CoolingKW }},
	{"heater_share_pct", "Heater's heat that reaches the cells",
		func(p *run.Pack) *run.Number { return &p.HeaterSharePct }},
	{"hot_c", "Takes power back above", func(p *run.Pack) *run.Number { return &p.HotC }},
	{"half_below_k", "Takes half its power so far below warm",
		func(p *run.Pack) *run.Number { return &p.HalfBelowK }},
	{"activation_kj_per_mol", "How its resistance falls with warmth",
		func(p *run.Pack) *run.Number { return &p.ActivationKJ }},
}

type carView struct {
	*ui.Fields
	Car         *logbook.Car
	CarFields   []carField
	PackFields  []packField
	NavFields   []navField
	Assumed     []pack.Assumption // what the arithmetic fills in
	Chemistries []string
	Preconds    []string
	NewSoftware string

	Bus      *logbook.CarBus  // nil: no log of its bus can be read yet
	OnBus    []string         // the signals that its DBC file has
	Runs     []logbook.CarRun // the latest of AllRuns
	AllRuns  int
	Capacity capacity
	Learned  []learned
}

// car shows a car to change, or an empty form for a new one.
func (s *Room) car(w http.ResponseWriter, r *http.Request) error {
	c := &logbook.Car{}
	if chi.URLParam(r, "id") != "" {
		id, err := ui.IDParam(r, "id")
		if err == nil {
			c, err = s.book.Car(r.Context(), id)
		}
		if err != nil {
			return err
		}
	}
	s.showCar(w, r, http.StatusOK, c, ui.NewFields(carValues(c)))
	return nil
}

// carValues fills the form from what is kept.
func carValues(c *logbook.Car) url.Values {
	v := url.Values{
		"id":              {strconv.FormatInt(c.ID, 10)},
		"name":            {c.Name},
		"chemistry":       {c.Chemistry},
		"preconditioning": {c.Preconditioning},
		"note":            {c.Note},
	}
	for _, f := range carFields {
		v.Set(f.Name, ui.PlainNumber(*f.of(c)))
	}
	if c.Pack != nil {
		for _, f := range packFields {
			v.Set(f.Name, ui.PlainNumber(*f.of(c.Pack)))
		}
	}
	v.Set("envelope", envelopeText(c.Envelope))
	v.Set("claims", claimsText(c.Claims))
	v.Set("gentle_envelope", envelopeText(c.GentleEnvelope))
	navigationValues(v, c.Navigation)
	return v
}

// envelopeText writes an envelope, a point a line.
func envelopeText(points []run.Point) string {
	var lines []string
	for _, p := range points {
		lines = append(lines, ui.PlainNumber(&p.SoCPct)+" "+ui.PlainNumber(&p.KW))
	}
	return strings.Join(lines, "\n")
}

// claimsText writes claims, one a line.
func claimsText(list []run.Claim) string {
	lines := make([]string, len(list))
	for i, c := range list {
		lines[i] = c.String()
	}
	return strings.Join(lines, "\n")
}

// showCarWith shows a car as it is kept, with a notice.
func (s *Room) showCarWith(w http.ResponseWriter, r *http.Request, c *logbook.Car, n *ui.Notice) {
	s.showCarNoticed(w, r, http.StatusOK, c, ui.NewFields(carValues(c)), n)
}

// runsShown is how many of a car's runs its page lists and draws, the latest: the Road has all of them.
const runsShown = 200

func (s *Room) showCar(w http.ResponseWriter, r *http.Request, status int, c *logbook.Car, f *ui.Fields) {
	s.showCarNoticed(w, r, status, c, f, nil)
}

func (s *Room) showCarNoticed(w http.ResponseWriter, r *http.Request, status int, c *logbook.Car, f *ui.Fields,
	n *ui.Notice) {
	title := c.Name
	if c.ID == 0 {
		title = "A new car"
	}
	v := carView{Fields: f, Car: c, CarFields: carFields, PackFields: packFields, NavFields: navFields,
		Chemistries: run.Chemistries, Preconds: run.Preconditionings}
	if p, err := pack.For(c.Describe("")); err == nil {
		v.Assumed = p.Assumed
	}
	if c.ID != 0 {
		var err error
		if v.Runs, v.AllRuns, err = s.book.CarRuns(r.Context(), c.ID, runsShown); err != nil {
			s.Fail(w, r, err)
			return
		}
		if v.Bus, err = s.book.Bus(r.Context(), c.ID); err != nil {
			s.Fail(w, r, err)
			return
		}
		if v.Bus != nil {
			v.OnBus, _ = buslog.Signals(v.Bus.DBC) // it was read when it was kept
			if !f.Values.Has("signals") {
				f.Values.Set("signals", v.Bus.Signals)
			}
		}
		capacities, err := s.book.CarCapacities(r.Context(), c.ID)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		v.Capacity = capacityOf(c.Name, capacities, ui.ReaderOf(r))
		if v.Learned, err = s.learnedOf(r.Context(), c); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	s.Render(w, r, "car", status, ui.Frame{Title: title, Page: "garage", Data: v, Notice: n})
}

// saveCar keeps a car; a name that is taken comes back with the form.
func (s *Room) saveCar(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	c := &logbook.Car{}
	if id, _ := strconv.ParseInt(r.PostForm.Get("id"), 10, 64); id > 0 {
		var err error
		if c, err = s.book.Car(r.Context(), id); err != nil {
			return err
		}
	}
	if err := f.Merge(func() url.Values { return carValues(c) }, func() { readCar(f, c) },
		s.lastActor(r, "cars", c.ID)); err != nil {
		return err
	}
	if !s.Keep(w, r, f, "name", "Another car has this name.", func() (string, error) {
		err := s.book.SaveCar(r.Context(), c)
		return ui.CarPath(c.ID), err
	}) {
		s.showCar(w, r, http.StatusUnprocessableEntity, c, f)
	}
	return nil
}

// readCar reads the form into a car; faults stand at their fields.
func readCar(f *ui.Fields, c *logbook.Car) {
	c.Name = f.Needed("name", "A name")
	c.Note = f.Text("note")
	c.Chemistry = f.Word("chemistry", run.Chemistries)
	c.Preconditioning = f.Word("preconditioning", run.Preconditionings)
	for _, cf := range carFields {
		*cf.of(c) = f.Ranged(cf.Name, "car."+cf.Name)
	}
	if c.PackMinV != nil && c.PackMaxV != nil && *c.PackMinV > *c.PackMaxV {
		f.Fault("pack_max_v", "Expected no less than the lowest pack voltage, %g V.", *c.PackMinV)
	}
	if c.GrossKWh != nil && c.UsableKWh != nil && *c.UsableKWh > *c.GrossKWh {
		f.Fault("usable_kwh", "Expected no more than the gross capacity, %g kWh.", *c.GrossKWh)
	}
	c.Pack = &run.Pack{}
	for _, pf := range packFields {
		*pf.of(c.Pack) = f.Ranged(pf.Name, "car.pack."+pf.Name)
	}
	if *c.Pack == (run.Pack{}) {
		c.Pack = nil
	}
	c.Envelope, c.GentleEnvelope = readEnvelope(f, "envelope"), readEnvelope(f, "gentle_envelope")
	c.Navigation = readNavigation(f)
	claims, err := run.ParseClaims(f.Values.Get("claims"))
	if err != nil {
		f.Fault("claims", "%s", ui.Sentence(err.Error()))
	}
	c.Claims = claims
}

// readEnvelope reads power against charge, a point a line.
func readEnvelope(f *ui.Fields, name string) []run.Point {
	var out []run.Point
	for i, line := range strings.Split(strings.ReplaceAll(f.Values.Get(name), "\r", ""), "\n") {
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
			f.Fault(name, "Line %d: expected a state of charge and a power, such as 50 120.", i+1)
			continue
		}
		if n := len(out); n > 0 && out[n-1].SoCPct >= p.SoCPct {
			f.Fault(name, "Line %d: the states of charge must climb.", i+1)
		}
		out = append(out, p)
	}
	return out
}

func (s *Room) deleteCar(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/garage", "runs were made with this car; a car with runs stays", s.book.DeleteCar)
}
