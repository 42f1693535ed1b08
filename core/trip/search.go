package trip

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/say"
)

// rule is what a school allows at a stop.
type rule struct {
	name string
	by   Weigh
	why  say.Text // a stop is left with more than the way to the next one needs
	// leaves tells whether a stop may be left with so much, having been come to with so much
	leaves func(arrivePct float64, leavePct int) bool
}

// leastPct is the least that is charged at a stop: less is not worth plugging in for.
const leastPct = 3

// schools are how people go, beside the best by what they weigh.
var schools = []rule{
	{"fastest", Minutes, say.T("trip.the-same-points-take"), nil},
	{"cheapest", Money, say.T("trip.the-same-points-cost"), nil},
	{"fewest stops", Stops, say.T("trip.the-same-points-take"), nil},
	{"10-80 stops", Minutes, say.T("trip.each-stop-goes-to"), func(_ float64, leave int) bool { return leave == 80 }},
	{"short hops", Minutes, say.T("trip.the-same-points-take"),
		func(arrive float64, leave int) bool { return float64(leave)-arrive <= mostHopPct }},
}

// mostHopPct is the most that a short hop's stop charges, points (common practice, no source: a quarter of an hour).
const mostHopPct = 30

// best is which school is the best by each weighing.
var best = map[Weigh]string{Minutes: "fastest", Money: "cheapest", Stops: "fewest stops"}

// label is the best way to have left a place with a charge.
type label struct {
	worth    [3]float64 // by what is weighed first, then next: less is better
	minutes  float64    // driving, charging and overhead
	cost     float64
	stops    int
	batteryC float64 // on leaving
	from     *label
	place    int // by order; -1: the start
	arrive   float64
	leave    int
	charge   outcome
	arriveC  float64
}

// weighed orders two labels of one weighing.
func weighed(a, b *label) int { return slices.Compare(a.worth[:], b.worth[:]) }

// worthOf puts what a label comes to in the order in which it is weighed.
func (r *road) worthOf(l *label, by Weigh) {
	switch by {
	case Money:
		l.worth = [3]float64{l.cost + r.MinuteWorth*l.minutes, l.minutes, float64(l.stops)}
	case Stops:
		l.worth = [3]float64{float64(l.stops), l.minutes, l.cost}
	default:
		l.worth = [3]float64{l.minutes, l.cost, float64(l.stops)}
	}
}

// plans are the trip's, the one it weighs by first.
func (r *road) plans() *Plans {
	list := slices.Clone(schools)
	slices.SortStableFunc(list, func(a, b rule) int {
		first := func(x rule) int {
			if x.name == best[r.Weigh] {
				return 0
			}
			return 1
		}
		return cmp.Compare(first(a), first(b))
	})
	out := &Plans{Plans: []Plan{}, LevelWhKm: r.way.flat}
	for i, rule := range list {
		end := r.search(rule)
		if end == nil {
			if i == 0 {
				out.Unreachable = r.gap()
				return out
			}
			continue
		}
		out.Plans = append(out.Plans, r.planOf(rule, end))
	}
	return out
}

// search finds the best way under a rule; nil: there is none.
func (r *road) search(by rule) *label {
	n := len(r.order)
	start := &label{place: -1, leave: -1, batteryC: r.BatteryC}
	r.worthOf(start, by.by)
	left := make([][]*label, n) // by place and charge on leaving
	var end *label
	finish := func(from *label, leavePct float64) {
		arrive, ok := r.goes(from.place, n, leavePct)
		if !ok {
			return
		}
		l := &label{place: n, from: from, arrive: arrive, stops: from.stops, cost: from.cost,
			minutes: from.minutes + r.drivingMin(from.place, n)}
		r.worthOf(l, by.by)
		if end == nil || weighed(l, end) < 0 {
			end = l
		}
	}
	finish(start, r.StartPct)
	for place := range n {
		left[place] = make([]*label, topPct+1)
		r.reach(place, start, r.StartPct, by, left)
		for before := range place {
			for leave, l := range left[before] {
				if l != nil {
					r.reach(place, l, float64(leave), by, left)
				}
			}
		}
		for leave, l := range left[place] {
			if l != nil {
				finish(l, float64(leave))
			}
		}
	}
	return end
}

// tiny is what rounding may make of a charge, %.
const tiny = 1e-9

// reach adds the ways to leave a place that come from one label.
func (r *road) reach(place int, from *label, leavePct float64, by rule, left [][]*label) {
	arrive, ok := r.goes(from.place, place, leavePct)
	if !ok {
		return
	}
	site := r.order[place]
	arriveC := r.batteryAt(from, place)
	reached := from.minutes + r.drivingMin(from.place, place) + r.Sites[site].overheadMin(r.SpeedKmh)
	plugged := r.tables.arrive(site, arrive, arriveC)
	for leave := int(math.Ceil(arrive + leastPct)); leave <= topPct; leave++ {
		if by.leaves != nil && !by.leaves(arrive, leave) {
			continue
		}
		was := left[place][leave]
		if was != nil && by.by == Minutes && reached >= was.minutes {
			continue // it is slower before it is plugged in
		}
		c, ok := plugged.to(leave)
		if !ok {
			break
		}
		l := label{place: place, from: from, arrive: arrive, leave: leave, charge: c, arriveC: arriveC, batteryC: c.endC,
			stops: from.stops + 1, cost: from.cost + c.cost, minutes: reached + c.min}
		r.worthOf(&l, by.by)
		if was == nil || weighed(&l, was) < 0 {
			kept := l
			left[place][leave] = &kept
		}
	}
}

// batteryAt is the pack's temperature at a place's plug-in.
func (r *road) batteryAt(from *label, place int) float64 {
	if r.BatteryAtStopsC != nil {
		return *r.BatteryAtStopsC
	}
	c := r.batteryAfter(from.batteryC, r.kmBetween(from.place, place), r.leg(from.place, place).takesPct)
	if r.car.Preconditioning == "navigation" { // it heats on the way to a stall that it knows of
		c = max(c, r.pack.WarmC)
	}
	return c
}

// drivingMin is the driving between two places along the way; what a detour takes is overhead.
func (r *road) drivingMin(from, to int) float64 {
	return (r.placeKm(to) - r.placeKm(from)) / r.SpeedKmh * 60
}

// planOf writes a way down.
func (r *road) planOf(by rule, end *label) Plan {
	p := Plan{Name: by.name, DrivingMin: r.DistanceKm / r.SpeedKmh * 60, ArrivePct: end.arrive, Currency: r.currency,
		Stops: []Stop{}}
	var legs [][]Charge // the last first
	next := end
	for l := end.from; l != nil && l.place >= 0; l = l.from {
		site := &r.Sites[r.order[l.place]]
		if exact, ok := r.step(site, l.arrive, l.arriveC, l.leave).to(l.leave); ok { // the search joined what it looked up
			l.charge = exact
		}
		p.ChargingMin += l.charge.min
		p.OverheadMin += site.overheadMin(r.SpeedKmh)
		p.Cost += l.charge.cost
		p.Stops = append(p.Stops, Stop{Site: r.order[l.place], ArrivePct: l.arrive, LeavePct: float64(l.leave),
			ChargeMin: l.charge.min, EnergyKWh: l.charge.kWh, Cost: l.charge.cost, BatteryC: l.arriveC,
			Why: r.why(l, next, by.why)})
		legs = append(legs, r.along(l.place, next.place, float64(l.leave)))
		p.DrivenKWh += r.leg(l.place, next.place).takesPct / 100 * r.capacityKWh()
		next = l
	}
	legs = append(legs, r.along(-1, next.place, r.StartPct))
	p.DrivenKWh += r.leg(-1, next.place).takesPct / 100 * r.capacityKWh()
	slices.Reverse(legs)
	p.Along = slices.Concat(legs...)
	slices.Reverse(p.Stops)
	p.Minutes = p.DrivingMin + p.ChargingMin + p.OverheadMin
	return p
}

// why says what a stop is left with so much for.
func (r *road) why(l, next *label, why say.Text) say.Text {
	leg, least := r.leg(l.place, next.place), r.least(next.place)
	arrives, lowest := leg.arrives(float64(l.leave))
	km := r.kmBetween(l.place, next.place)
	s := say.T("trip.to-take", say.Q(km, "km", 0), r.name(next.place), say.Fig(leg.takesPct, 0))
	if spare := arrives - least; spare >= 1 && lowest-math.Min(least, r.ReservePct) < 1 {
		return s.And("trip.and-on-the-way-are", say.Fig(lowest, 0))
	} else if spare >= 1 {
		return s.And("trip.more-than-that-and", say.Fig(spare, 0), say.Fig(least, 0), why)
	}
	return s.And("trip.and-are-to-be", say.Fig(least, 0))
}

// gap says from where to where the car cannot go: over the longest stretch that it reaches the beginning of.
func (r *road) gap() say.Text {
	n := len(r.order)
	seen := make([]bool, n)
	at := -1
	for place := range n { // which sites can be reached at all, charging to the top at each
		for before := -1; before < place; before++ {
			if before >= 0 && !seen[before] {
				continue
			}
			full := r.StartPct
			if before >= 0 {
				full = r.fullAt(before)
			}
			if _, ok := r.goes(before, place, full); ok {
				seen[place], at = true, place
				break
			}
		}
	}
	full := r.StartPct
	if at >= 0 {
		full = r.fullAt(at)
	}
	to := at + 1
	return say.T("trip.from-to-take-and", r.name(at), r.name(to), say.Q(r.kmBetween(at, to), "km", 0),
		say.Fig(math.Max(r.leg(at, to).takesPct, r.leg(at, to).deepestPct), 0), say.Fig(full, 0), say.Fig(r.least(to), 0))
}

// fullAt is the most that the car can be charged to at a place.
func (r *road) fullAt(place int) float64 {
	site := r.order[place]
	c := r.pack.WarmC
	if r.BatteryAtStopsC != nil {
		c = *r.BatteryAtStopsC
	}
	from, _ := around(r.ReservePct)
	s := r.tables.of(site, from, c)
	for pct := topPct; float64(pct) > s.fromPct; pct-- {
		if _, ok := s.to(pct); ok {
			return float64(pct)
		}
	}
	return r.ReservePct
}
