package stall

import (
	"errors"
	"math"

	"zincroad/core/run"
)

// Use is what a session took from a stall: readings of the power at the plug in kW
// against seconds, joined linearly, the energy that is billed, and how long the
// car stayed plugged in without charging.
type Use struct {
	T, KW []float64
	KWh   float64
	IdleS float64
}

// Bill is what a session costs by a tariff, in the tariff's currency. The parts
// are before tax.
type Bill struct {
	Currency string   `json:"currency"`
	Total    float64  `json:"total"`
	PerKWh   *float64 `json:"per_kwh"` // the total over the energy; nil without energy
	Energy   float64  `json:"energy"`
	Time     float64  `json:"time"`
	Session  float64  `json:"session"`
	Idle     float64  `json:"idle"`
	Tax      float64  `json:"tax"`
	By       string   `json:"by"` // what the total is from: the tariff, or what the screen said
}

// What a bill is from.
const (
	ByTariff = "tariff"
	ByScreen = "screen"
)

// charging is the power from which time on a per-minute tariff counts, in kW: a
// pause between two legs costs nothing by the minute.
const charging = 0.1

// BillOf works out what a session costs; nil without a tariff that has a price.
//
// Energy is billed per kWh; every minute with power in the tier that the power is
// in at that moment; the session fee once; minutes plugged in without charging
// beyond the grace period at the idle price; tax on all of it.
func BillOf(t *run.Tariff, u Use) *Bill {
	if t == nil || !priced(t) {
		return nil
	}
	b := &Bill{Currency: t.Currency, By: ByTariff}
	b.Energy = value(t.PerKWh) * u.KWh
	b.Session = value(t.SessionFee)
	for i := 1; i < len(u.T) && len(t.PerMin) > 0; i++ {
		b.Time += minutePrice(t.PerMin, u.KW[i-1], u.KW[i]) * (u.T[i] - u.T[i-1]) / 60
	}
	b.Idle = max(0, u.IdleS/60-value(t.IdleAfterMin)) * value(t.IdlePerMin)
	net := b.Energy + b.Session + b.Time + b.Idle
	b.Tax = net * value(t.TaxPct) / 100
	b.Total = net + b.Tax
	if u.KWh > 0 {
		per := b.Total / u.KWh
		b.PerKWh = &per
	}
	return b
}

// Running is the bill as it grows while a session goes on, tax included: at each of the times of u, of which
// kwh is the energy by then. Idle minutes are not in it: they come after. Nil without a tariff that has a
// price.
func Running(t *run.Tariff, u Use, kwh []float64) []float64 {
	if t == nil || !priced(t) {
		return nil
	}
	out := make([]float64, len(u.T))
	minutes := 0.0
	for i := range out {
		if i > 0 && len(t.PerMin) > 0 {
			minutes += minutePrice(t.PerMin, u.KW[i-1], u.KW[i]) * (u.T[i] - u.T[i-1]) / 60
		}
		out[i] = (value(t.PerKWh)*kwh[i] + value(t.SessionFee) + minutes) * (1 + value(t.TaxPct)/100)
	}
	return out
}

func priced(t *run.Tariff) bool {
	return t.PerKWh != nil || len(t.PerMin) > 0 || t.SessionFee != nil || t.IdlePerMin != nil
}

func value(n run.Number) float64 {
	v, _ := run.Value(n)
	return v
}

// minutePrice is the mean price a minute while the power goes linearly from a to b.
// A tier holds up to and with its power; the last holds for all that is above.
func minutePrice(tiers []run.Tier, a, b float64) float64 {
	lo, hi := min(a, b), max(a, b)
	if hi < charging {
		return 0
	}
	price, floor := 0.0, math.Inf(-1)
	for i, t := range tiers {
		top := math.Inf(1)
		if v, ok := run.Known(t.UpToKW); ok && i < len(tiers)-1 {
			top = v
		}
		var share float64
		if hi > lo {
			share = max(0, min(hi, top)-max(lo, floor)) / (hi - lo)
		} else if lo > floor && lo <= top {
			share = 1
		}
		price += share * value(t.Price)
		floor = top
	}
	return price
}

// ErrTiers is returned for tiers whose powers do not climb.
var ErrTiers = errors.New("the tiers of a price per minute must climb in power, and only the last may have none")

// CheckTiers tells whether tiers are in order.
func CheckTiers(tiers []run.Tier) error {
	if _, _, ok := TierFault(tiers); !ok {
		return ErrTiers
	}
	return nil
}

// TierFault gives the first tier that is out of order, from 0, and the power in kW that it
// has to be above, which is NaN where it needs a power of any kind since others follow.
// Tiers in order are ok.
func TierFault(tiers []run.Tier) (at int, aboveKW float64, ok bool) {
	last := 0.0
	for i, t := range tiers {
		v, known := run.Known(t.UpToKW)
		switch {
		case known && v <= last:
			return i, last, false
		case !known && i < len(tiers)-1:
			return i, math.NaN(), false
		}
		last = v
	}
	return 0, 0, true
}

// BreakEvenKWh is the energy a month from which a membership pays: its fee over
// what it takes off each kWh. False when it never does.
func BreakEvenKWh(m *run.Membership) (float64, bool) {
	if m == nil {
		return 0, false
	}
	off, ok := run.Known(m.PerKWhOff)
	if !ok {
		return 0, false
	}
	return value(m.PerMonth) / off, true
}

// WithMembership is a tariff as a member has it: each kWh cheaper by what the membership takes off;
// false where it has none. The monthly fee is not in it.
func WithMembership(t *run.Tariff) (*run.Tariff, bool) {
	if t == nil || t.Membership == nil {
		return nil, false
	}
	off, ok := run.Known(t.Membership.PerKWhOff)
	if !ok || t.PerKWh == nil {
		return nil, false
	}
	member := *t
	member.PerKWh = run.N(max(0, *t.PerKWh-off))
	member.Membership = nil
	return &member, true
}

// Dearest is where, towards the end of a session, what is taken grows dear: the moment from which
// the rest costs more than twice as much a kWh as the session up to there, in s of the use's clock;
// false where there is none. Standing in the taper on a tariff by the minute does that.
func Dearest(t *run.Tariff, u Use) (atS, perKWh float64, ok bool) {
	if t == nil || len(t.PerMin) == 0 || len(u.T) < 3 {
		return 0, 0, false
	}
	n := len(u.T)
	cost, kwh := make([]float64, n), make([]float64, n)
	for i := 1; i < n; i++ {
		dt := u.T[i] - u.T[i-1]
		kwh[i] = kwh[i-1] + (u.KW[i]+u.KW[i-1])/2*dt/3600
		cost[i] = cost[i-1] + minutePrice(t.PerMin, u.KW[i-1], u.KW[i])*dt/60
	}
	for i := 1; i < n-1; i++ {
		rest := kwh[n-1] - kwh[i]
		if kwh[i] < 1 || rest < 0.5 {
			continue
		}
		perKWh := (cost[n-1] - cost[i]) / rest
		if perKWh > 2*cost[i]/kwh[i] {
			return u.T[i], perKWh + value(t.PerKWh), true
		}
	}
	return 0, 0, false
}
