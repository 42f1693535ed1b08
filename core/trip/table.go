package trip

import (
	"fmt"
	"math"
	"runtime"
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/stall"
)

// everyPct is how far apart the charges are that sessions are stepped from: what is joined linearly between is off by
// the square of that times a fortieth of a second, for a pack whose power falls by a fifth over ten points: 2.5 s a
// stop; betweenK how far apart the temperatures are, where they are worked out.
const (
	everyPct = 10
	betweenK = 5.0
	topPct   = 100
	longestS = 3 * 3600
)

// session is a charge from one charge on, at each whole per cent: nothing beyond where it does not get.
type session struct {
	fromPct float64
	min     [topPct + 1]float64 // since plug-in; NaN: not reached
	kWh     [topPct + 1]float64 // the stall's
	cost    [topPct + 1]float64
	endC    [topPct + 1]float64 // the pack's mean
}

// tables are the sessions of a trip's stalls, stepped when they are first asked for.
type tables struct {
	road *road
	all  map[key]*session
	kind []int // which of the stalls that differ a site has
}

type key struct{ kind, fromPct, tempK int }

func newTables(r *road) *tables {
	t := &tables{road: r, all: map[key]*session{}, kind: make([]int, len(r.Sites))}
	kinds := map[string]int{}
	for i, s := range r.Sites {
		name := stallName(s)
		if _, ok := kinds[name]; !ok {
			kinds[name] = len(kinds)
		}
		t.kind[i] = kinds[name]
	}
	return t
}

// stallName is the same for stalls that charge and cost the same.
func stallName(s Site) string {
	if s.Stall == nil {
		return ""
	}
	of := *s.Stall
	of.Site, of.Name = "", ""
	text := ""
	for _, n := range []*float64{of.RatedKW, of.MaxA, of.MinV, of.MaxV, of.SharedKW} {
		if n == nil {
			text += "- "
			continue
		}
		text += fmt.Sprint(*n, " ")
	}
	if of.Tariff != nil {
		text += fmt.Sprintf("%v %v %v %v", number(of.Tariff.PerKWh), number(of.Tariff.SessionFee), number(of.Tariff.TaxPct),
			of.Tariff.Currency)
		for _, tier := range of.Tariff.PerMin {
			text += fmt.Sprintf(" %v:%v", number(tier.UpToKW), number(tier.Price))
		}
	}
	return text
}

func number(n *float64) string {
	if n == nil {
		return "-"
	}
	return fmt.Sprint(*n)
}

// outcome is what a charge from one charge to another comes to.
type outcome struct{ min, kWh, cost, endC float64 }

// arrival is a plug-in at any charge and temperature: the sessions around it.
type arrival struct {
	fromPct   float64
	low, high int           // the charges that the sessions begin at
	warmth    float64       // how far from the colder to the warmer ones, 0 to 1
	sessions  [][2]*session // at the colder temperature, and the warmer one where there are two
}

// arrive is a plug-in at a site.
func (t *tables) arrive(site int, fromPct, batteryC float64) arrival {
	a := arrival{fromPct: fromPct}
	a.low, a.high = around(fromPct)
	temps := []float64{batteryC}
	if t.road.BatteryAtStopsC == nil {
		colder := betweenK * math.Floor(batteryC/betweenK)
		temps, a.warmth = []float64{colder, colder + betweenK}, (batteryC-colder)/betweenK
	}
	for _, c := range temps {
		pair := [2]*session{t.of(site, a.low, c), nil}
		if float64(a.low) != fromPct {
			pair[1] = t.of(site, a.high, c)
		}
		a.sessions = append(a.sessions, pair)
	}
	return a
}

// to is a charge from an arrival to a whole per cent, joined between the sessions around it; false where it never gets
// there.
func (a *arrival) to(pct int) (outcome, bool) {
	x, ok := a.at(a.sessions[0], pct)
	if len(a.sessions) == 1 || !ok {
		return x, ok
	}
	y, ok := a.at(a.sessions[1], pct)
	return between(x, y, a.warmth), ok
}

// at is to at one of the temperatures that sessions are stepped for.
func (a *arrival) at(pair [2]*session, pct int) (outcome, bool) {
	x, ok := pair[0].to(pct)
	if pair[1] == nil || !ok {
		return x, ok
	}
	if pct <= a.high { // as many points from where the session below begins
		points := float64(pct) - a.fromPct
		whole := int(points)
		y, ok1 := pair[0].to(a.low + whole)
		z, ok2 := pair[0].to(a.low + whole + 1)
		return between(y, z, points-float64(whole)), ok1 && ok2
	}
	y, ok := pair[1].to(pct)
	return between(x, y, (a.fromPct-float64(a.low))/float64(a.high-a.low)), ok
}

func between(a, b outcome, x float64) outcome {
	join := func(p, q float64) float64 { return p + (q-p)*x }
	return outcome{join(a.min, b.min), join(a.kWh, b.kWh), join(a.cost, b.cost), join(a.endC, b.endC)}
}

// around are the charges that sessions are stepped from below and above a charge.
func around(fromPct float64) (low, high int) {
	low = everyPct * int(fromPct/everyPct)
	return low, low + everyPct
}

func (s *session) to(pct int) (outcome, bool) {
	if float64(pct) <= s.fromPct || pct > topPct || math.IsNaN(s.min[pct]) {
		return outcome{}, false
	}
	return outcome{s.min[pct], s.kWh[pct], s.cost[pct], s.endC[pct]}, true
}

// ahead steps the sessions that will be asked for, where the pack's temperature at stops is fixed, as many at once as
// there are processors.
func (t *tables) ahead() {
	if t.road.BatteryAtStopsC == nil {
		return
	}
	temp := *t.road.BatteryAtStopsC
	sites := map[int]int{}
	for i, kind := range t.kind {
		sites[kind] = i
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	room := make(chan struct{}, runtime.GOMAXPROCS(0))
	for _, site := range sites {
		for from, next := around(t.road.ReservePct); from+leastPct <= topPct; from, next = around(float64(next)) {
			room <- struct{}{}
			all.Go(func() {
				defer func() { <-room }()
				s := t.road.step(&t.road.Sites[site], float64(from), temp, topPct)
				mu.Lock()
				defer mu.Unlock()
				t.all[t.key(site, from, temp)] = s
			})
		}
	}
	all.Wait()
}

func (t *tables) key(site, fromPct int, tempC float64) key {
	return key{t.kind[site], fromPct, int(math.Round(tempC * 10))}
}

// of gives a session, stepped once.
func (t *tables) of(site, fromPct int, tempC float64) *session {
	k := t.key(site, fromPct, tempC)
	if s := t.all[k]; s != nil {
		return s
	}
	s := t.road.step(&t.road.Sites[site], float64(fromPct), tempC, topPct)
	t.all[k] = s
	return s
}

// step works a session out, as far as a charge.
func (r *road) step(site *Site, fromPct, tempC float64, asFarAs int) *session {
	out := &session{fromPct: fromPct}
	for i := range out.min {
		out.min[i] = math.NaN()
	}
	plan := forecast.Plan{Car: r.Car, Known: r.Known, Stall: site.Stall, FromPct: fromPct, ToPct: topPct,
		Battery: pack.Nodes{ColdestC: tempC, WarmestC: tempC}, AmbientC: r.AmbientC, Gentle: r.Gentle}
	s, err := forecast.NewSession(plan)
	if err != nil || s.Refusal().Any() {
		return out
	}
	m := meter{tariff: tariffOf(site)}
	next, lastPct, lastC := int(fromPct)+1, fromPct, tempC
	for t := 0.0; t <= longestS && next <= asFarAs; t++ {
		st := s.Next()
		for next <= asFarAs && st.SoCPct >= float64(next) {
			x := 1.0
			if st.SoCPct > lastPct {
				x = (float64(next) - lastPct) / (st.SoCPct - lastPct)
			}
			out.min[next] = (t - 1 + x) / 60
			out.endC[next] = lastC + (st.Battery.MeanC()-lastC)*x
			out.kWh[next] = m.kWh - m.lastKWh*(1-x)
			m.crossed(next, t-1+x, out.kWh[next])
			next++
		}
		lastPct, lastC = st.SoCPct, st.Battery.MeanC()
		m.second(t, st.StallKW)
	}
	m.bill(&out.cost)
	return out
}

// meter counts what a session takes and costs.
type meter struct {
	tariff       *run.Tariff
	kWh, lastKWh float64 // so far, and of the last second
	use          stall.Use
	energy       []float64 // by each second, where minutes cost
	pct          []int
	at, kWhAt    []float64
}

func tariffOf(site *Site) *run.Tariff {
	if site.Stall == nil {
		return nil
	}
	return site.Stall.Tariff
}

func (m *meter) byTheMinute() bool { return m.tariff != nil && len(m.tariff.PerMin) > 0 }

func (m *meter) second(t, kw float64) {
	if m.byTheMinute() {
		m.use.T, m.use.KW, m.energy = append(m.use.T, t), append(m.use.KW, kw), append(m.energy, m.kWh)
	}
	m.lastKWh = kw / 3600
	m.kWh += m.lastKWh
}

func (m *meter) crossed(pct int, t, kWh float64) {
	m.pct, m.at, m.kWhAt = append(m.pct, pct), append(m.at, t), append(m.kWhAt, kWh)
}

// bill is what the session has cost at each charge.
func (m *meter) bill(into *[topPct + 1]float64) {
	switch {
	case m.tariff == nil:
	case m.byTheMinute():
		bills := stall.Running(m.tariff, m.use, m.energy)
		for i, pct := range m.pct {
			k := min(len(bills)-1, int(m.at[i]))
			n := min(len(bills)-1, k+1)
			into[pct] = bills[k] + (bills[n]-bills[k])*(m.at[i]-float64(k))
		}
	default: // energy and fee alone
		for i, v := range stall.Running(m.tariff, stall.Use{T: m.at, KW: make([]float64, len(m.at))}, m.kWhAt) {
			into[m.pct[i]] = v
		}
	}
}

// between two places the pack goes towards what driving keeps it at over the air, by its own heat capacity and loss.
func (r *road) batteryAfter(startC, km, takesPct float64) float64 {
	if km <= 0 {
		return startC
	}
	seconds := km / r.SpeedKmh * 3600
	loss := r.pack.Thermal.LossAt(pack.Surroundings{AmbientC: r.AmbientC, SpeedKmh: r.SpeedKmh})
	drawn := math.Max(0, takesPct/100*r.pack.UsableKWh) / (seconds / 3600) // kW while driving
	rest := r.pack.RestV(50)
	heat := pack.HeatKW(drawn*1000/rest, r.pack.Ohm(50, startC))
	keeps := r.AmbientC + heat/loss
	return keeps + (startC-keeps)*math.Exp(-seconds*loss/r.pack.Thermal.HeatCapacityKJK)
}
