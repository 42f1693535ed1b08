package curve

import (
	"math"
	"slices"

	"zincroad/core/judge"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// Distance is how far the energy of a run goes, at a consumption.
type Distance struct {
	Basis     string   `json:"basis"`      // observed, or rated
	WhPerKm   float64  `json:"wh_per_km"`  // the consumption
	Estimated bool     `json:"estimated"`  // only the stall's energy was read: less the usual loss
	KmPerMin  *float64 `json:"km_per_min"` // over the headline window; nil: not covered
	AddedKm   float64  `json:"added_km"`   // in the whole run
	Plus      []Plus   `json:"plus"`       // minutes to so much more, where it was reached
	PlusMi    []Plus   `json:"plus_mi"`    // the same for round miles; their km
	ByCharge  bool     `json:"by_charge"`  // by the charge and the noted capacity: not all energy was read
}

// Plus is the time from clock zero until so much distance was added.
type Plus struct {
	Km float64 `json:"km"`
	TS float64 `json:"t_s"`
}

// PlusKm are the distances that are listed, rising.
var PlusKm = []float64{50, 100, 150, 200, 300, 400}

// PlusMiles are the distances that are listed for who reads in miles, rising.
var PlusMiles = []float64{50, 100, 150, 200, 250, 300}

// The consumptions that distances go by.
const (
	Observed = "observed"
	Rated    = "rated"
)

// To is the time from clock zero until so much distance was added, s; nil where it is none of PlusKm and PlusMiles or
// was not reached.
func (d *Distance) To(km float64) *float64 {
	for _, p := range slices.Concat(d.Plus, d.PlusMi) {
		if p.Km == km {
			return &p.TS
		}
	}
	return nil
}

// DistanceBy gives the distances by one consumption; nil where it is not known.
func (r *Reading) DistanceBy(basis string) *Distance {
	for i := range r.Distance {
		if r.Distance[i].Basis == basis {
			return &r.Distance[i]
		}
	}
	return nil
}

// distances gives the distance added by the observed consumption and, where it is known, by the
// rated one. It goes by the energy into the pack; where only the stall's was read, less what is
// usually lost.
func (s *sides) distances(r *run.Run, out *Reading) []Distance {
	list := []Distance{}
	if r.Car == nil {
		return list
	}
	energy, share, byCharge := s.packEnergy(r.Car)
	if energy.Len() == 0 {
		return list
	}
	add := func(basis string, whPerKm float64) {
		d := Distance{Basis: basis, WhPerKm: whPerKm, Estimated: share < 1, ByCharge: byCharge, Plus: []Plus{},
			PlusMi: []Plus{}}
		toKm := func(kwh float64) float64 { return kwh * share * 1000 / whPerKm }
		d.AddedKm = toKm(energy.V[energy.Len()-1])
		km := trace.Series{T: energy.T, V: make([]float64, energy.Len())}
		for i, v := range energy.V {
			km.V[i] = toKm(v)
		}
		plus := func(at []float64) []Plus {
			list := []Plus{}
			for i, t := range km.FirstReachAll(at) {
				if t == t { // reached
					list = append(list, Plus{at[i], t - out.ZeroS})
				}
			}
			return list
		}
		miles := make([]float64, len(PlusMiles))
		for i, mi := range PlusMiles {
			miles[i] = mi * units.KmPerMile
		}
		d.Plus, d.PlusMi = plus(PlusKm), plus(miles)
		if w, ok := out.Headline(r.Method); ok && w.TS > 0 {
			from, _ := out.Post(w.FromPct)
			at := func(t float64) float64 { // nothing had flowed before the first reading, nor did behind the last
				v, _ := energy.At(math.Max(energy.T[0], math.Min(energy.T[energy.Len()-1], t)))
				return v
			}
			d.KmPerMin = ptr(toKm(at(from+w.TS+out.ZeroS)-at(from+out.ZeroS)) / (w.TS / 60))
		}
		list = append(list, d)
	}
	if v, ok := run.Known(r.Car.ConsumptionWhKm); ok {
		add(Observed, v)
	}
	if v := ratedWhPerKm(r.Car); v > 0 {
		add(Rated, v)
	}
	return list
}

// packEnergy is what had reached the pack at each moment, kWh, and the share of it that did: the car's power, else the
// stall's. Where neither was read for most of the charge that was gained, it is that charge's share of the noted
// capacity.
func (s *sides) packEnergy(c *run.Car) (energy trace.Series, share float64, byCharge bool) {
	side, share := trace.CarSide, 1.0
	if s.power[side].Len() == 0 {
		side, share = trace.StallSide, judge.PackShare
	}
	if len(s.flows[side]) > 0 {
		energy = cumulated(s.flows[side])
	}
	kwh, ok := run.Known(c.UsableKWh)
	span := s.socSpan()
	if !ok || span == nil || span.ToPct-span.FromPct < capacityFloorPct {
		return energy, share, false
	}
	if _, gained := s.gain(side); gained >= mostlyRead*(span.ToPct-span.FromPct) {
		return energy, share, false
	}
	soc := added(s.soc)
	out := trace.Series{T: soc.T, V: make([]float64, soc.Len())}
	for i, v := range soc.V {
		out.V[i] = v / 100 * kwh
	}
	return out, 1, true
}

// ratedWhPerKm is the consumption that goes with a car's rated range; 0: not known.
func ratedWhPerKm(c *run.Car) float64 {
	km, ok := run.Known(c.RatedRangeKm)
	kwh, known := run.Known(c.UsableKWh)
	if !ok || !known {
		return 0
	}
	return kwh * 1000 / km
}

// consumption is the observed one of a car, else the rated one; 0: neither is known.
func consumption(c *run.Car) float64 {
	if c == nil {
		return 0
	}
	if v, ok := run.Known(c.ConsumptionWhKm); ok {
		return v
	}
	return ratedWhPerKm(c)
}

// distanceFinding says how long 100 and 200 km took, by the consumption that was observed.
func distanceFinding(r *Reading) *Finding {
	if len(r.Distance) == 0 {
		return nil
	}
	d := r.Distance[0]
	f := &Finding{Kind: AboutDistance, FromS: 0}
	list := func(plus []Plus, perUnit float64, unit string) say.Text {
		var each []say.Text
		for _, p := range plus {
			if n := math.Round(p.Km / perUnit); n == 100 || n == 200 {
				each = append(each, say.T("curve.plus-after", int(n), unit, say.Duration(p.TS)))
				f.ToS = max(f.ToS, p.TS)
			}
		}
		if each == nil {
			return nil
		}
		return say.List(each...).And("curve.at-"+d.Basis, say.Q(d.WhPerKm, "Wh/km", 0))
	}
	f.Text, f.TextMi = list(d.Plus, 1, "km"), list(d.PlusMi, units.KmPerMile, "mi")
	if !f.Text.Any() {
		return nil
	}
	f.Evidence = []say.Text{say.T("curve.added-in-all", say.Q(d.AddedKm, "km", 0))}
	if d.Estimated {
		f.Evidence = append(f.Evidence, say.T("curve.from-the-stall-energy"))
	}
	if d.ByCharge {
		f.Evidence = append(f.Evidence, say.T("curve.by-the-charge-gained"))
	}
	if f.Confidence = r.confidence(f); d.Basis != Observed || d.Estimated || d.ByCharge {
		f.Confidence = say.Likely
	}
	return f
}
