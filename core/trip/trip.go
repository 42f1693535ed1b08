// Package trip finds where to stop on a way, with how much charge and for how long.
//
// # The search
//
// A way is a row of sites. A plan leaves each stop with a whole per cent of charge; how much it arrives with is worked
// out, not rounded. For each site and each charge to leave with, the best way there is kept: over all sites before, and
// all charges that those are left with. That is exact on the grid of charges to leave with (dynamic programming:
// Bellman, 1957), in some ten thousand looks for twenty sites.
//
// What a stop takes is a forecast of it (core/forecast), stepped once for each stall, pack temperature and every tenth
// per cent of charge to arrive with, and joined linearly between: minutes, the stall's energy, the bill, the pack's
// temperature at the end.
//
// # Consumption
//
// The car's consumption holds over the whole way; a detour's way lies half before the stop and half behind it. With a
// weather it goes by speed and temperature; with a track, by its slopes (way.go).
package trip

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/vehicle"
)

// Weigh is by what plans are compared.
type Weigh string

// What plans are compared by.
const (
	Minutes Weigh = "minutes"
	Money   Weigh = "money"
	Stops   Weigh = "stops"
)

// Weighs lists them.
var Weighs = []string{string(Minutes), string(Money), string(Stops)}

// Site is a place to charge on the way.
type Site struct {
	Name        string
	AtKm        float64 // along the way, where one turns off
	DetourKm    float64 // there and back to the way
	DetourMin   float64
	OverheadMin float64 // parking, walking, starting
	Stall       *run.Stall
}

// Trip is a way to be gone with one car.
type Trip struct {
	Car   *run.Car
	Known *vehicle.Model // what its runs taught; nil: nothing

	DistanceKm, SpeedKmh float64
	StartPct, ArrivePct  float64 // at the start, and at the end at least
	ReservePct           float64 // on arrival at a stop at least
	AmbientC             float64
	BatteryC             float64    // at the start
	BatteryAtStopsC      run.Number // at each plug-in; nil: worked out
	Weigh                Weigh
	MinuteWorth          float64 // in the tariffs' currency; of Money only
	Gentle               bool

	Weather *Weather // nil: the noted consumption holds as it is
	Track   *Track   // nil: the way is level
	MassKg  float64  // with its load; 0: UsualMassKg

	Sites []Site
}

// Stop is one charge of a plan.
type Stop struct {
	Site                       int // of the trip's
	ArrivePct, LeavePct        float64
	ChargeMin, EnergyKWh, Cost float64
	BatteryC                   float64 // at plug-in
	Why                        say.Text
}

// Plan is one way to go.
type Plan struct {
	Name                                          string
	Minutes, DrivingMin, ChargingMin, OverheadMin float64
	Cost                                          float64
	Currency                                      string // of the tariffs; empty: none is priced
	ArrivePct                                     float64
	DrivenKWh                                     float64 // what driving took from the pack
	Stops                                         []Stop
	Along                                         []Charge // from the start to the end; at a stop it stands twice
}

// Plans are the ways to go, the best by the trip's weighing first. Unreachable says from where to where there is none.
type Plans struct {
	LevelWhKm   float64 // what a kilometre on the level takes
	Unreachable say.Text
	Plans       []Plan
}

// The errors of a trip that cannot be worked out.
var (
	ErrWay         = errors.New("distance_km and speed_kmh: expected more than 0")
	ErrCharge      = errors.New("start_pct, arrive_pct and reserve_pct: expected 0 to 100")
	ErrConsumption = errors.New("car.consumption_wh_per_km: expected the car's consumption")
	ErrWeigh       = errors.New("weigh: expected minutes, money or stops")
	ErrSite        = errors.New("expected at_km within the way and nothing below 0")
	ErrCurrency    = errors.New("the tariffs are in more than one currency")
	ErrTooMany     = errors.New("sites: expected 200 at most")
	ErrMass        = errors.New("mass_kg: expected 100 to 60,000")
	ErrWeather     = errors.New("weather: expected a wind of -150 to 150 km/h and 0 to 20 kW for the cabin")
)

// mostSites bounds the work of a trip.
const mostSites = 200

func (t *Trip) check() error {
	in := func(v, from, to float64) bool { return v >= from && v <= to }
	switch {
	case !(t.DistanceKm > 0 && t.SpeedKmh > 0) || math.IsInf(t.DistanceKm/t.SpeedKmh, 0):
		return ErrWay
	case !in(t.StartPct, 0, 100) || !in(t.ArrivePct, 0, 100) || !in(t.ReservePct, 0, 100):
		return ErrCharge
	case !slices.Contains(Weighs, string(t.Weigh)):
		return ErrWeigh
	case !in(t.AmbientC, -60, 60) || !in(t.BatteryC, -60, 90):
		return forecast.ErrTemperature
	case t.BatteryAtStopsC != nil && !in(*t.BatteryAtStopsC, -60, 90):
		return forecast.ErrTemperature
	case len(t.Sites) > mostSites:
		return ErrTooMany
	case t.MassKg != 0 && !in(t.MassKg, 100, 60_000):
		return ErrMass
	case t.Weather != nil && !(in(t.Weather.HeadwindKmh, -150, 150) && in(t.Weather.ClimateKW, 0, 20)):
		return ErrWeather
	}
	for i, s := range t.Sites {
		if !in(s.AtKm, 0, t.DistanceKm) || !(s.DetourKm >= 0 && s.DetourMin >= 0 && s.OverheadMin >= 0) {
			return fmt.Errorf("sites, number %d: %w", i+1, ErrSite)
		}
	}
	return nil
}

// currency is the tariffs' own; an error where there are several.
func (t *Trip) currency() (string, error) {
	out := ""
	for _, s := range t.Sites {
		if s.Stall == nil || s.Stall.Tariff == nil || s.Stall.Tariff.Currency == "" {
			continue
		}
		if c := s.Stall.Tariff.Currency; out == "" {
			out = c
		} else if out != c {
			return "", ErrCurrency
		}
	}
	return out, nil
}

// road is a trip made ready: its sites in order of the way, and what a kilometre takes.
type road struct {
	*Trip
	car      *run.Car // with what its runs taught
	pack     *pack.Pack
	order    []int // of the trip's sites, by where they lie
	way      way
	legs     [][]leg
	currency string
	tables   *tables
}

// Find works the plans of a trip out.
func Find(t Trip) (*Plans, error) {
	if err := t.check(); err != nil {
		return nil, err
	}
	r := &road{Trip: &t}
	var err error
	if r.currency, err = t.currency(); err != nil {
		return nil, err
	}
	session := forecast.Plan{Car: t.Car, Known: t.Known}.AsKnown()
	if session.Car == nil {
		return nil, pack.ErrCapacity
	}
	r.car = session.Car
	if r.pack, err = pack.For(r.car); err != nil {
		return nil, err
	}
	wh, ok := run.Known(r.car.ConsumptionWhKm)
	if !ok {
		return nil, ErrConsumption
	}
	for i := range t.Sites {
		r.order = append(r.order, i)
	}
	slices.SortStableFunc(r.order, func(a, b int) int {
		switch {
		case t.Sites[a].AtKm < t.Sites[b].AtKm:
			return -1
		case t.Sites[a].AtKm > t.Sites[b].AtKm:
			return 1
		}
		return 0
	})
	r.way = r.wayOf(wh)
	r.legs = r.legsOf()
	r.tables = newTables(r)
	r.tables.ahead()
	return r.plans(), nil
}

// capacityKWh is what the display's hundred points are for driving: the noted usable capacity, else what the runs
// taught.
func (r *road) capacityKWh() float64 {
	if r.Car != nil {
		if v, ok := run.Known(r.Car.UsableKWh); ok {
			return v
		}
	}
	if r.Known != nil && r.Known.Usable != nil {
		return r.Known.Usable.Value
	}
	return r.pack.UsableKWh
}

// leg is the driving from one place to one behind it: places are sites by their order, -1 the start and len(order) the
// end.
func (r *road) leg(from, to int) leg { return r.legs[from+1][to] }

// goes is the charge that a place is come to with from one that was left with so much; false: it would come under what
// is to be left, there or on the way. What is to be left at the end may be less than at a stop.
func (r *road) goes(from, to int, leavePct float64) (arrivePct float64, ok bool) {
	arrive, lowest := r.leg(from, to).arrives(leavePct)
	least := r.least(to)
	return arrive, arrive >= least-tiny && lowest >= math.Min(least, r.ReservePct)-tiny
}

// least is what is to be left at a place.
func (r *road) least(place int) float64 {
	if place == len(r.order) {
		return r.ArrivePct
	}
	return r.ReservePct
}

// placeKm is where along the way a place lies.
func (r *road) placeKm(place int) float64 {
	switch {
	case place < 0:
		return 0
	case place >= len(r.order):
		return r.DistanceKm
	}
	return r.Sites[r.order[place]].AtKm
}

func (r *road) kmBetween(from, to int) float64 {
	km := r.placeKm(to) - r.placeKm(from)
	for _, place := range []int{from, to} {
		if place >= 0 && place < len(r.order) {
			km += r.Sites[r.order[place]].DetourKm / 2
		}
	}
	return km
}

// overheadMin is what a stop takes beside charging.
func (s *Site) overheadMin(speedKmh float64) float64 {
	detour := s.DetourMin
	if detour == 0 {
		detour = s.DetourKm / speedKmh * 60
	}
	return detour + s.OverheadMin
}

// name is what a place is called.
func (r *road) name(place int) string {
	switch {
	case place < 0:
		return "the start"
	case place >= len(r.order):
		return "the end"
	}
	return r.Sites[r.order[place]].Name
}
