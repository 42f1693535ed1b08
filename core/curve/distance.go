package curve

import (
	"fmt"

	"zincroad/core/ceiling"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
)

// Distance is how far the energy of a run goes, at a consumption.
type Distance struct {
	Basis     string   `json:"basis"`      // observed, or rated
	WhPerKm   float64  `json:"wh_per_km"`  // the consumption
	Estimated bool     `json:"estimated"`  // only the stall's energy was read: less the usual loss
	KmPerMin  *float64 `json:"km_per_min"` // over the headline window; nil: not covered
	AddedKm   float64  `json:"added_km"`   // in the whole run
	Plus      []Plus   `json:"plus"`       // minutes to so much more, where it was reached
}

// Plus is the time from clock zero until so much distance was added.
type Plus struct {
	Km float64 `json:"km"`
	TS float64 `json:"t_s"`
}

// PlusKm are the distances that are listed, rising.
var PlusKm = []float64{50, 100, 150, 200, 300, 400}

// The consumptions that distances go by.
const (
	Observed = "observed"
	Rated    = "rated"
)

// To is the time from clock zero until so much distance was added, s; nil where it is none of PlusKm or
// was not reached.
func (d *Distance) To(km float64) *float64 {
	for _, p := range d.Plus {
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
	side, share := trace.CarSide, 1.0
	if s.power[side].Len() == 0 {
		side, share = trace.StallSide, ceiling.PackShare
	}
	flows := s.flows[side]
	if len(flows) == 0 {
		return list
	}
	energy := cumulated(flows)
	add := func(basis string, whPerKm float64) {
		d := Distance{Basis: basis, WhPerKm: whPerKm, Estimated: share < 1, Plus: []Plus{}}
		toKm := func(kwh float64) float64 { return kwh * share * 1000 / whPerKm }
		d.AddedKm = toKm(energy.V[energy.Len()-1])
		km := trace.Series{T: energy.T, V: make([]float64, energy.Len())}
		for i, v := range energy.V {
			km.V[i] = toKm(v)
		}
		for i, t := range km.FirstReachAll(PlusKm) {
			if t == t { // reached
				d.Plus = append(d.Plus, Plus{PlusKm[i], t - out.ZeroS})
			}
		}
		if w, ok := out.Headline(r.Method); ok && w.TS > 0 {
			from, _ := out.Post(w.FromPct)
			kwh := units.KWhFromKJ(integral(flows, from+out.ZeroS, from+w.TS+out.ZeroS))
			d.KmPerMin = ptr(toKm(kwh) / (w.TS / 60))
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
	for _, p := range d.Plus {
		if p.Km == 100 || p.Km == 200 {
			if f.Text != "" {
				f.Text += ", "
			}
			f.Text += fmt.Sprintf("+%s km after %s", words.Figure(p.Km, 0), words.Duration(p.TS))
			f.ToS = p.TS
		}
	}
	if f.Text == "" {
		return nil
	}
	f.Text += fmt.Sprintf(", at %s Wh/km %s.", words.Figure(d.WhPerKm, 0), d.Basis)
	f.Evidence = []string{fmt.Sprintf("%s km added in all", words.Figure(d.AddedKm, 0))}
	if d.Estimated {
		f.Evidence = append(f.Evidence, "from the stall's energy, less 4 % that is usually lost")
	}
	if f.Confidence = r.confidence(f); d.Basis != Observed || d.Estimated {
		f.Confidence = Likely
	}
	return f
}
