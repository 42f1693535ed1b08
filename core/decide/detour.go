package decide

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/stall"
)

// Other is a stall that the charge could be made at instead.
type Other struct {
	ID    int64
	Name  string
	Stall *run.Stall
}

// Detour is what another stall would save over the same window, and how far it would be worth driving for.
type Detour struct {
	ID      int64
	Name    string
	TS      float64 // there, from plug-in; s
	Alike   bool    // it takes as long as where it is planned, as far as can be told
	Untold  bool    // it may be quicker, but no run and no note shows what the car would take there
	SavedS  float64 // against the stall that is planned; below zero: it takes longer
	LeastS  float64 // the same where that stall gives what stalls often give of their label
	WorthKm float64 // so many kilometres more in all take as long as it saves; 0: it saves nothing that can be told
	Cost    float64 // of the charge there, as far as tariffs are noted; NaN: not known
	MoreIs  float64 // by how much that is dearer; NaN: not known
}

// Detours works the same charge out at other stalls, the quickest first. A stall that cannot make it is left out.
// The way there is not in it, for nobody has said from where: a detour pays while it is shorter than WorthKm, driven at
// the speed that is asked for.
func Detours(session forecast.Plan, others []Other, speedKmh float64) []Detour {
	here, cost := chargedAt(session, session.Stall)
	if math.IsNaN(here) {
		return nil
	}
	told := told(session)
	list := make([]Detour, len(others))
	var all sync.WaitGroup
	for i, o := range others {
		all.Go(func() {
			d := Detour{ID: o.ID, Name: o.Name, MoreIs: math.NaN()}
			d.TS, d.Cost = chargedAt(session, o.Stall)
			d.SavedS, d.Alike = here-d.TS, same(d.TS, here)
			weak := session
			weak.Assumed.PowerSharePct = min(limit.TypicalSharePct, share(session))
			least, _ := chargedAt(weak, o.Stall)
			d.Untold = !d.Alike && d.SavedS > 0 && !told
			if d.LeastS = here - least; !d.Alike && d.SavedS > 0 && told {
				d.WorthKm = d.SavedS / 3600 * speedKmh
			}
			d.MoreIs = d.Cost - cost
			list[i] = d
		})
	}
	all.Wait()
	list = slices.DeleteFunc(list, func(d Detour) bool { return math.IsNaN(d.TS) })
	slices.SortStableFunc(list, func(a, b Detour) int {
		return cmp.Or(cmp.Compare(a.TS, b.TS), cmp.Compare(a.Name, b.Name))
	})
	return list
}

// told tells whether what the car itself takes is noted or was seen over most of the window. Where its runs show only
// what their stalls gave, a stronger stall's minutes rest on the kind of car, and are not said.
func told(session forecast.Plan) bool {
	if session.Car != nil && !session.Known.Draws(session.Car) {
		return len(session.Car.Envelope) > 0 || session.Gentle && len(session.Car.GentleEnvelope) > 0
	}
	seen, all := 0, 0
	for pct := session.FromPct; pct < session.ToPct; pct++ {
		if all++; session.Known.Saw(pct) {
			seen++
		}
	}
	return 2*seen >= all
}

func share(session forecast.Plan) float64 {
	if s := session.Assumed.PowerSharePct; s > 0 {
		return s
	}
	return 100
}

// chargedAt is how long a session takes at a stall, and what it costs there; NaN where it does not come to its end, or
// where no tariff is noted.
func chargedAt(session forecast.Plan, at *run.Stall) (ts, cost float64) {
	session.Stall = at
	fit, err := stall.FitOf(session.AsKnown().Car, at, session.Adapter, session.Assumed, session.Gentle)
	if err != nil || !fit.Fits {
		return math.NaN(), math.NaN()
	}
	f, err := forecast.Once(session)
	if err != nil || f.Note.Any() {
		return math.NaN(), math.NaN()
	}
	end, ok := f.Post(session.ToPct)
	if !ok {
		return math.NaN(), math.NaN()
	}
	if cost = math.NaN(); f.Bill != nil {
		cost = f.Bill.Total
	}
	return end.TS, cost
}

// SaidOfDetours is whether another stall is worth a way, and whether one takes as long for less; the rest is the
// table's.
func SaidOfDetours(list []Detour, fromPct, toPct float64, currency string) say.Text {
	if len(list) == 0 {
		return nil
	}
	said := saidOfBest(list, fromPct, toPct)
	cheapest := -1
	for i, d := range list {
		if d.Alike && d.MoreIs <= -leastPrice && (cheapest < 0 || d.MoreIs < list[cheapest].MoreIs) {
			cheapest = i
		}
	}
	if cheapest >= 0 {
		d := list[cheapest]
		said = said.And("decide.as-long-for-less", d.Name, say.Fixed(-d.MoreIs, 2), say.Own(currency))
	}
	return said
}

// leastPrice is the smallest difference of a price that is one: prices are stated in hundredths.
const leastPrice = 0.01

func saidOfBest(list []Detour, fromPct, toPct float64) say.Text {
	best, window := list[0], say.Window(fromPct, toPct)
	if best.Untold {
		return say.T("decide.stall-untold", best.Name, window)
	}
	if best.WorthKm <= 0 {
		return say.T("decide.no-stall-saves", window)
	}
	if best.LeastS <= 0 {
		return say.T("decide.stall-may-save", best.Name, apart(best.SavedS), window, say.Q(best.WorthKm, "km", 0))
	}
	return say.T("decide.stall-saves", best.Name, apart(best.SavedS), window, say.Q(best.WorthKm, "km", 0))
}

// Dearer tells whether the two have prices that differ.
func (d Detour) Dearer() bool { return math.Abs(d.MoreIs) >= leastPrice }

// Longer tells whether it takes longer there.
func (d Detour) Longer() bool { return d.SavedS < 0 }

// Apart is by how much the two differ.
func (d Detour) Apart() say.Quantity { return apart(math.Abs(d.SavedS)) }
