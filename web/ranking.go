package web

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/words"
	"zincroad/logbook"
)

// rankedStall is a stall, or several alike at a site, with what it would give.
type rankedStall struct {
	ID      int64 // of the first
	Name    string
	PeakKW  float64
	TS      float64
	Km      float64
	HasKm   bool
	Reason  string // why not
	Chosen  bool
	Cost    string
	Reached bool
}

// rank works out what every stall would give this car, started as planned.
func (o *Outcome) rank(v *planView, p prepare.Plan) {
	session := p.WarmSession()
	o.Warm = v.Plan == nil || v.Plan.Approach == nil
	if !o.Warm {
		session.Battery = v.Plan.Approach.Plug().Battery
	}
	var groups [][]*logbook.Stall
	for i := range v.Sites {
		groups = append(groups, alike(v.Sites[i].Stalls)...)
	}
	rows := make([]rankedStall, len(groups))
	var all sync.WaitGroup
	for i, g := range groups {
		all.Go(func() { rows[i] = v.ranked(g, session, p) })
	}
	all.Wait()
	slices.SortStableFunc(rows, func(a, b rankedStall) int {
		if a.Reached != b.Reached {
			if a.Reached {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(a.TS, b.TS), cmp.Compare(a.Km, b.Km))
	})
	o.Ranking = rows
}

// alike puts stalls of a site together that give the same.
func alike(stalls []logbook.Stall) [][]*logbook.Stall {
	var groups [][]*logbook.Stall
	index := map[string]int{}
	for i := range stalls {
		t := &stalls[i]
		key := strings.Join([]string{plainNumber(t.RatedKW), plainNumber(t.MaxA), plainNumber(t.MinV), plainNumber(t.MaxV), tariffName(t.Tariff)}, "/")
		k, ok := index[key]
		if !ok {
			k = len(groups)
			index[key] = k
			groups = append(groups, nil)
		}
		groups[k] = append(groups[k], t)
	}
	return groups
}

func (v *planView) ranked(group []*logbook.Stall, session forecast.Plan, p prepare.Plan) rankedStall {
	first := group[0]
	r := rankedStall{ID: first.ID, TS: math.Inf(1)}
	var names []string
	for _, t := range group {
		names = append(names, t.Name)
		r.Chosen = r.Chosen || v.Stall != nil && t.ID == v.Stall.ID
	}
	r.Name = first.Site.Name + " " + strings.Join(names, ", ")
	if km := first.Site.BaseKm; km != nil {
		r.Km, r.HasKm = *km, true
	}
	session.Stall = first.Describe()
	fit, err := stall.FitOf(p.Car, session.Stall, p.Adapter, p.Session.Assumed, p.Session.Gentle)
	switch {
	case err != nil:
		r.Reason = "not known"
		return r
	case !fit.Fits:
		r.Reason = cannot(session.Stall, p.Car)
		return r
	}
	if v.Plan != nil && r.HasKm && v.Plan.WhPerKm > 0 {
		if v.Plan.TakesPct(r.Km) > p.NowPct-p.FromPct {
			r.Reason = "out of reach for a start at " + percent(p.FromPct)
			return r
		}
	}
	f, err := forecast.Quick(session)
	switch {
	case err != nil:
		r.Reason = "not known"
	case f.Note != "":
		r.Reason = f.Note
	default:
		r.TS, r.PeakKW, r.Reached = f.TS, f.PeakKW, true
	}
	return r
}

// cannot says in few words why voltages do not meet.
func cannot(s *run.Stall, c *run.Car) string {
	low, _ := run.Value(s.MinV)
	high, _ := run.Value(s.MaxV)
	text := fmt.Sprintf("cannot: %s–%s V", words.Figure(low, 0), words.Figure(high, 0))
	if b, err := pack.For(c); err == nil {
		text += fmt.Sprintf(", pack %s–%s V", words.Figure(b.MinV, 0), words.Figure(b.MaxV, 0))
	}
	return text
}
