package vehicle

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/pack"
	"zincroad/core/run"
)

// fallPct is how far from a fall its two sides are drawn, % of charge.
const fallPct = 0.1

// rests is what the envelope rests on at a node.
type rests struct {
	kind  Kind
	runs  int
	least float64 // what the runs took there, as a warm pack would have; 0: none was there
}

func (m *Model) envelopeAt(soc float64, node int, on rests) EnvelopePoint {
	sd, kw := math.Sqrt(m.cov[node][node]), math.Exp(m.logKW[node])
	p := EnvelopePoint{SoCPct: soc, Kind: on.kind, Runs: on.runs, PackKW: kw,
		Bound: Bound{kw, kw * math.Exp(-OfRange*sd), kw * math.Exp(OfRange*sd)}}
	p.Low = min(kw, max(p.Low, on.least*(1-ownSD)))
	for _, kw := range m.mostKW {
		if kw < p.Value {
			p.Bound = p.Bound.under(kw)
		}
	}
	for _, amps := range m.mostA {
		rest := m.pack.RestV(soc)
		if kw := amps * (rest + amps*m.pack.Ohm(soc, pack.DefaultWarmC)) / 1000; kw < p.Value {
			p.Bound = p.Bound.under(kw)
		}
	}
	return p
}

// own gathers the car's own fixed limits, as they held and as they are noted.
func (m *Model) own(car *run.Car) {
	m.pack, _ = pack.For(m.Apply(car))
	noted := &run.Car{}
	if car != nil {
		noted = car
	}
	for _, n := range []run.Number{m.MaxKW, noted.MaxKW} {
		if v, ok := run.Known(n); ok {
			m.mostKW = append(m.mostKW, v)
		}
	}
	for _, n := range []run.Number{m.MaxA, noted.MaxA} {
		if v, ok := run.Known(n); ok && m.pack != nil {
			m.mostA = append(m.mostA, v)
		}
	}
}

// under is a figure and its range where a limit lies below it: the limit, and what may be less.
func (b Bound) under(kw float64) Bound {
	return Bound{kw, min(b.Low, kw*(1-nearLevel)), kw * (1 + nearLevel)}
}

// At is the warm pack's power at a charge, kW.
func (m *Model) At(socPct float64) float64 {
	e := m.Envelope
	i, _ := slices.BinarySearchFunc(e, socPct,
		func(p EnvelopePoint, soc float64) int { return cmp.Compare(p.SoCPct, soc) })
	switch {
	case i == 0:
		return e[0].Value
	case i == len(e):
		return e[i-1].Value
	}
	a, b := e[i-1], e[i]
	return a.Value + (b.Value-a.Value)*(socPct-a.SoCPct)/(b.SoCPct-a.SoCPct)
}

// coldest is the share of its power below which a cold pack shows hardly what it takes warm.
const coldest = 0.5

// restsAt is what the envelope rests on at a node.
func (l *learner) restsAt(node int) rests {
	seen, least := map[int]float64{}, map[int]float64{}
	took := 0.0
	for i, p := range l.course.points {
		if math.Abs(p.soc-NodePct*float64(node)) > NodePct {
			continue
		}
		share := 1.0
		if !math.IsNaN(p.cold) {
			share = pack.ColdShare(l.warmC-p.cold, l.halfK)
		}
		if share > coldest {
			seen[p.run] = max(seen[p.run], l.sol.seen[i], p.limit)
		}
		least[p.run] = max(least[p.run], 1-l.sol.garbled[i])
		if 1-l.sol.garbled[i] > 0.5 && share > coldest {
			took = max(took, math.Exp(p.y))
		}
	}
	count := func(of map[int]float64) (n int) {
		for _, v := range of {
			if v > 0.5 {
				n++
			}
		}
		return n
	}
	if n := count(seen); n > 0 {
		return rests{Seen, n, 0}
	}
	if n := count(least); n > 0 {
		return rests{AtLeast, n, took}
	}
	return rests{kind: Assumed}
}

// warmth lists what some temperatures of the coldest cell leave of the power.
func (l *learner) warmth(bestKW float64) []Share {
	var out []Share
	for c := -10.0; c <= 40; c += 5 {
		type at struct{ share, weight float64 }
		var all []at
		for _, t := range l.tried {
			all = append(all, at{pack.ColdShare(t.warmC-c, t.halfK), t.weight})
		}
		slices.SortFunc(all, func(a, b at) int { return cmp.Compare(a.share, b.share) })
		s := Share{BatteryC: c, Bound: Bound{Value: pack.ColdShare(l.warmC-c, l.halfK)}}
		sum, low, high := 0.0, false, false
		for _, a := range all {
			sum += a.weight
			if !low && sum >= 0.05 {
				s.Low, low = a.share, true
			}
			if !high && sum >= 0.95 {
				s.High, high = a.share, true
			}
		}
		s.Low, s.High = min(s.Low, s.Value), max(s.High, s.Value)
		s.KW = s.Value * bestKW
		out = append(out, s)
	}
	return out
}
