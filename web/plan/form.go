package plan

import (
	"fmt"
	"html/template"
	"math"
	"net/url"
	"slices"
	"strings"

	"zincroad/core/limit"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/web/ui"
)

// dial is a number of the plan with a slider under it. An empty one is worked out
// or taken from what is known; the page shows it as what would be used.
type dial struct {
	Name, Label, Unit string
	Min, Max, Step    float64 // of the slider
	Low, High         float64 // of what may be typed
	Used              string  // what an empty one stands for
	Slider            string  // where the slider stands, in the unit that is shown
}

// planFields are the numbers of a plan.
var planFields = []dial{
	{Name: "now", Label: "now", Unit: "%", Max: 100, Step: 1, High: 100},
	{Name: "battery", Label: "battery", Unit: "°C", Min: -20, Max: 45, Step: 1, Low: -60, High: 90},
	{Name: "outside", Label: "outside", Unit: "°C", Min: -20, Max: 40, Step: 1, Low: -60, High: 60},
	{Name: "from", Label: "start from", Unit: "%", Max: 90, Step: 1, High: 100},
	{Name: "to", Label: "stop at", Unit: "%", Min: 10, Max: 100, Step: 1, High: 100},
	{Name: "km", Label: "to the stall", Unit: "km", Max: 150, Step: 1, High: 2000},
	{Name: "speed", Label: "at", Unit: "km/h", Min: 30, Max: 130, Step: 5, Low: 10, High: 250},
}

// moreFields are those that are seldom changed.
var moreFields = []dial{
	{Name: "warmest", Label: "Warmest cell now", Unit: "°C", Low: -60, High: 90},
	{Name: "cabin", Label: "Cabin while driving", Unit: "kW", High: 20},
	{Name: "warm_min", Label: "Warm for", Unit: "min", High: 600},
	{Name: "target", Label: "Coldest cell at plug-in", Unit: "°C", Low: -60, High: 60},
	{Name: "burn", Label: "Burn parked", Unit: "%", High: 50},
	{Name: "burn_kw", Label: "Climate while parked", Unit: "kW", Low: 0.1, High: 20},
	{Name: "climate", Label: "Climate while charging", Unit: "kW", High: 20},
	{Name: "share", Label: "Stall gives of its label", Unit: "%", Low: 1, High: 150},
	{Name: "replug", Label: "Replug at", Unit: "%", High: 100},
	{Name: "fallback_km", Label: "Fallback is on", Unit: "km", High: 2000},
}

// planKeys are the names of everything a plan is made of, as the address, the form
// and a kept plan have them.
var planKeys = func() []string {
	keys := []string{
		"car",
		"software",
		"stall",
		"adapter",
		"method",
		"profile",
		"rain",
		"way",
		"fallback",
		"when",
		"at",
		"day",
		"units",
	}
	for _, f := range append(slices.Clone(planFields), moreFields...) {
		keys = append(keys, f.Name)
	}
	return keys
}()

// menuItem is one entry of a menu.
type menuItem struct {
	Value, Label string
	On           bool
}

// menuGroup is a part of a menu with a name over it.
type menuGroup struct {
	Label string
	Items []menuItem
}

// CarItems are the cars to choose from.
func (v *View) CarItems() []menuItem {
	var out []menuItem
	for _, c := range v.Cars {
		out = append(out, menuItem{fmt.Sprint(c.ID), c.Name, v.Car != nil && c.ID == v.Car.ID})
	}
	return out
}

// SoftwareItems are the car's versions, the newest first.
func (v *View) SoftwareItems() []menuItem {
	var out []menuItem
	for _, version := range v.Softwares {
		out = append(out, menuItem{version, version, version == v.Values.Get("software")})
	}
	return out
}

// StallGroups are the stalls to choose from, by site.
func (v *View) StallGroups() []menuGroup {
	var out []menuGroup
	for _, site := range v.Sites {
		g := menuGroup{Label: site.Name}
		for _, t := range site.Stalls {
			g.Items = append(g.Items, menuItem{fmt.Sprint(t.ID), t.FullName(), v.Stall != nil && t.ID == v.Stall.ID})
		}
		out = append(out, g)
	}
	return out
}

// Address is where the plan is found again: as it is kept, else as it stands.
func (v *View) Address() template.URL {
	if v.KeptID != 0 {
		return template.URL(ui.PlanPath(v.KeptID)) //nolint:gosec // a number
	}
	return "/prepare?" + v.Query
}

// Beside lists the places outside the plan that change with it, for htmx: each dial's
// fault, and those of the other choices.
func (v *View) Beside() string {
	var out []string
	for _, d := range v.Dials {
		out = append(out, "#e-"+d.Name)
	}
	for _, name := range []string{"at", "way", "fallback", "car", "stall"} {
		out = append(out, "#e-"+name)
	}
	return strings.Join(append(out, "#more-errors"), ",")
}

// MoreSet tells whether one of the seldom changed choices is made.
func (v *View) MoreSet() bool {
	for _, f := range v.More {
		if v.Values.Get(f.Name) != "" {
			return true
		}
	}
	return v.Values.Get(
		"adapter",
	)+v.Values.Get(
		"profile",
	)+v.Values.Get(
		"rain",
	)+v.Values.Get(
		"fallback",
	)+v.Values.Get("day") != ""
}

// MoreErrors are what is wrong with the seldom changed numbers, by name.
func (v *View) MoreErrors() []string {
	var out []string
	for _, f := range v.More {
		if text := v.Errors[f.Name]; text != "" {
			out = append(out, f.Label+": "+text)
		}
	}
	for _, name := range []string{"profile", "day", "adapter"} {
		if text := v.Errors[name]; text != "" {
			out = append(out, text)
		}
	}
	return out
}

// With is the plan's address with one choice changed; what goes with the old
// stall goes.
func (v *View) With(name string, value any) template.URL {
	q := url.Values{}
	for _, kv := range v.Hidden {
		q.Set(kv[0], kv[1])
	}
	if name == "stall" {
		q.Del("km")
		q.Del("fallback")
		q.Del("fallback_km")
	}
	q.Set(name, fmt.Sprint(value))
	return template.URL(q.Encode()) //nolint:gosec // made by package url, which escapes
}

// chosenOf gives the one of an ID, else the first; nil of an empty list.
func chosenOf[T any](list []T, id *int64, of func(*T) int64) *T {
	for i := range list {
		if id != nil && of(&list[i]) == *id {
			return &list[i]
		}
	}
	if len(list) == 0 {
		return nil
	}
	return &list[0]
}

// used gives a number of the plan, or what an empty one stands for.
func (v *View) used(name string, otherwise float64) float64 {
	for _, list := range [][]dial{v.Dials, v.More} {
		for i := range list {
			if f := &list[i]; f.Name == name {
				if !math.IsNaN(otherwise) {
					f.Used = ui.PlainNumber(&otherwise)
				}
				n := v.NumberIn(name, f.Unit, f.Low, f.High)
				at := f.Min
				if !math.IsNaN(otherwise) {
					at = otherwise
				}
				if n != nil {
					at = *n
				}
				at = math.Round(v.In.Show(f.Unit, at)*10) / 10
				f.Slider = ui.PlainNumber(&at)
				if n != nil {
					return *n
				}
			}
		}
	}
	return otherwise
}

// AsTyped puts a plan together from the form.
func (v *View) AsTyped(roads map[[2]int64]float64) prepare.Plan {
	p := prepare.Plan{Car: &run.Car{}}
	if v.Car != nil {
		p.Car = v.Car.Describe(v.Values.Get("software"))
	}
	if v.Stall != nil {
		p.Stall = v.Stall.Describe()
	}
	if v.Adapter != nil {
		p.Adapter = &run.Adapter{Name: v.Adapter.Name, MaxA: v.Adapter.MaxA, MaxV: v.Adapter.MaxV}
	}
	p.NowPct = v.used("now", math.NaN())
	p.Road.AmbientC = v.used("outside", math.NaN())
	p.Now.ColdestC = v.used("battery", p.Road.AmbientC)
	p.Now.WarmestC = v.used("warmest", p.Now.ColdestC)
	p.FromPct, p.ToPct = v.used("from", v.Method.FromPct), v.used("to", v.Method.ToPct)
	p.Km = v.used("km", v.baseKm())
	p.Road.SpeedKmh = v.used("speed", prepare.DefaultSpeedKmh)
	p.Road.ClimateKW = v.used("cabin", 0)
	p.Road.Rain = v.Values.Get("rain") != ""
	p.BurnPct, p.BurnKW = v.used("burn", prepare.DefaultBurnPct), v.used("burn_kw", prepare.DefaultBurnKW)
	if min := v.used("warm_min", math.NaN()); !math.IsNaN(min) {
		p.WarmMin = &min
	}
	if t := v.used("target", v.Method.TargetFor(p.Car)); !math.IsNaN(t) {
		p.TargetC = &t
	}
	p.Session.ClimateKW = v.used("climate", v.Method.ClimateKW())
	p.Session.Gentle = v.Word("profile", run.Profiles) == "gentle"
	p.Session.Assumed = limit.Assumptions{PowerSharePct: v.used("share", 100)}
	if at := v.used("replug", v.Method.ReplugAtPct); at > 0 {
		p.Session.ReplugAtPct = at
	}
	p.Way = v.way(p)
	p.Fallback = v.fallbackOf(p.Car, roads)
	return p
}

func (v *View) baseKm() float64 {
	if v.Stall != nil && v.Stall.Site.BaseKm != nil {
		return *v.Stall.Site.BaseKm
	}
	return 0
}

// way is how the battery is warmed: as chosen, else by what the car has.
func (v *View) way(p prepare.Plan) prepare.Way {
	if w := v.Values.Get("way"); w != "" {
		if slices.Contains(prepare.Ways, prepare.Way(w)) {
			return prepare.Way(w)
		}
		v.Fault("way", "%q: expected one of the list.", w)
	}
	return v.Method.DefaultWay(p.Car, p.Stall)
}

func (v *View) waysFor(w prepare.Way) {
	for _, x := range prepare.Ways {
		v.Ways = append(v.Ways, menuItem{string(x), x.Words().Kept(), x == w})
	}
}

// fallbackOf is where to go when the stall is dead: as chosen, else the best there is.
func (v *View) fallbackOf(car *run.Car, roads map[[2]int64]float64) *prepare.Fallback {
	if v.Stall == nil || v.Values.Get("fallback") == "none" {
		return nil
	}
	var list []prepare.Place
	chosen := -1
	id := v.ID("fallback")
	for _, site := range v.Sites {
		for i := range site.Stalls {
			t := &site.Stalls[i]
			if t.ID == v.Stall.ID {
				continue
			}
			place := prepare.Place{
				Name:     t.FullName(),
				Site:     site.Name,
				SameSite: t.SiteID == v.Stall.SiteID,
				Km:       math.NaN(),
				Stall:    t.Describe(),
			}
			if km, known := roads[[2]int64{v.Stall.SiteID, t.SiteID}]; known {
				place.Km = km
			}
			if id != nil && t.ID == *id {
				chosen = len(list)
			}
			list = append(list, place)
		}
	}
	if chosen < 0 && id == nil {
		chosen = prepare.BestFallback(car, list)
	}
	if chosen < 0 {
		return nil
	}
	best := list[chosen]
	if !best.SameSite {
		if best.Km = v.used("fallback_km", best.Km); math.IsNaN(best.Km) {
			v.Fault("fallback_km", "How far it is from %s to %s is not noted: say it here, or under Sites.",
				v.Stall.Site.Name, best.Site)
			return nil
		}
	} else {
		best.Km = 0
	}
	return &prepare.Fallback{Name: best.Name, Km: best.Km, SameSite: best.SameSite}
}
