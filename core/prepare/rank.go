package prepare

import (
	"cmp"
	"encoding/json"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/stall"
)

// Offer is a stall that a plan could go to.
type Offer struct {
	ID     int64
	Site   string
	Stall  *run.Stall
	Km     float64 // from where the testers set out; NaN: not known
	Chosen bool    // it is the plan's
}

// Ranked is a stall, or several alike at a site, with what it would give.
type Ranked struct {
	ID      int64 // of the first
	Name    string
	Km      float64 // NaN: not known
	Chosen  bool
	Reached bool    // the plan's end is reached there
	TS      float64 // until then from plug-in, s; +Inf where it is not
	PeakKW  float64
	Reason  say.Text // why it is not
}

// HasKm tells whether it is known how far the stall is.
func (r Ranked) HasKm() bool { return !math.IsNaN(r.Km) }

// Rank works out what every stall would give the plan's car, started as planned, best
// first: the fastest, then the nearest, then those that do not reach the plan's end.
// Prepared may be nil: then the pack is taken to be warm, which is told.
func Rank(p Plan, prepared *Prepared, offers []Offer) (list []Ranked, warm bool) {
	session := p.WarmSession()
	if warm = prepared == nil || prepared.Approach == nil; !warm {
		session.Battery = prepared.Approach.Plug().Battery
	}
	groups := alike(offers)
	list = make([]Ranked, len(groups))
	var all sync.WaitGroup
	for i, g := range groups {
		all.Go(func() { list[i] = ranked(g, session, p, prepared) })
	}
	all.Wait()
	slices.SortStableFunc(list, func(a, b Ranked) int {
		if a.Reached != b.Reached {
			if a.Reached {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(a.TS, b.TS), cmp.Compare(orZero(a.Km), orZero(b.Km)))
	})
	return list, warm
}

func orZero(km float64) float64 {
	if math.IsNaN(km) {
		return 0
	}
	return km
}

// alike puts stalls of a site together that differ in nothing but their name.
func alike(offers []Offer) [][]Offer {
	var groups [][]Offer
	index := map[string]int{}
	for _, o := range offers {
		s := *o.Stall
		s.Site, s.Name = o.Site, ""
		said, err := json.Marshal(s)
		if err != nil { // a number that is none: alike with no other
			said = strconv.AppendInt(nil, o.ID, 10)
		}
		key := string(said)
		k, ok := index[key]
		if !ok {
			k = len(groups)
			index[key] = k
			groups = append(groups, nil)
		}
		groups[k] = append(groups[k], o)
	}
	return groups
}

// ranked is what the stalls of a group, which are alike, would give.
func ranked(group []Offer, session forecast.Plan, p Plan, prepared *Prepared) Ranked {
	first := group[0]
	r := Ranked{ID: first.ID, TS: math.Inf(1), Km: first.Km}
	var names []string
	for _, o := range group {
		names = append(names, o.Stall.Name)
		r.Chosen = r.Chosen || o.Chosen
	}
	r.Name = first.Site + " " + strings.Join(names, ", ")
	session.Stall = first.Stall
	fit, err := stall.FitOf(p.KnownCar(), session.Stall, p.Adapter, p.Session.Assumed, p.Session.Gentle)
	switch {
	case err != nil:
		r.Reason = say.T("prepare.not-known")
		return r
	case !fit.Fits:
		r.Reason = cannot(session.Stall, p.Car)
		return r
	}
	if prepared != nil && !math.IsNaN(r.Km) && prepared.WhPerKm > 0 && prepared.TakesPct(r.Km) > p.NowPct-p.FromPct {
		r.Reason = say.T("prepare.out-of-reach", say.Q(p.FromPct, "%", 1))
		return r
	}
	f, err := forecast.Quick(session)
	switch {
	case err != nil:
		r.Reason = say.T("prepare.not-known")
	case f.Note.Any():
		r.Reason = f.Note
	default:
		r.TS, r.PeakKW, r.Reached = f.TS, f.PeakKW, true
	}
	return r
}

// cannot says in few words why voltages do not meet.
func cannot(s *run.Stall, c *run.Car) say.Text {
	low, _ := run.Value(s.MinV)
	high, _ := run.Value(s.MaxV)
	text := say.T("prepare.cannot-v", say.Fig(low, 0), say.Fig(high, 0))
	if b, err := pack.For(c); err == nil {
		text = text.And("prepare.pack-v", say.Fig(b.MinV, 0), say.Fig(b.MaxV, 0))
	}
	return text
}
