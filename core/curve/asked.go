package curve

import (
	"math"

	"zincroad/core/say"
	"zincroad/core/trace"
)

// Asked is what the car requested beside what flowed.
type Asked struct {
	MostKW   float64  `json:"most_kw"`    // the most that was requested
	ThenKW   float64  `json:"then_kw"`    // what flowed at that moment
	ShortS   float64  `json:"short_s"`    // how long less than 96.5 % of it flowed
	ShortKWh float64  `json:"short_kwh"`  // how much less in all that time
	FromS    float64  `json:"from_s"`     // when it first fell short, from clock zero
	Offered  *float64 `json:"offered_kw"` // the most that the stall offered; nil: not read
}

// allOf is the share of a request that counts as all of it.
const allOf = 0.965

// asked compares what flowed with what was requested, on the side where that was read; nil where it
// was not.
func (s *sides) asked(zero float64) *Asked {
	for _, side := range []trace.Side{trace.StallSide, trace.CarSide} {
		asked := s.of(side, trace.RequestedPower)
		if asked.Len() < 2 {
			continue
		}
		power := s.power[side]
		if power.Len() < 2 {
			if power = s.power[trace.CarSide]; side == trace.CarSide {
				power = s.power[trace.StallSide]
			}
		}
		a := &Asked{FromS: math.NaN()}
		first := s.firstPowerOf(power)
		for i, t := range asked.T {
			kw, ok := power.At(t)
			if !ok || t < first+askedRampS || asked.V[i] < PowerFloorKW || kw < PowerFloorKW {
				continue
			}
			if asked.V[i] > a.MostKW {
				a.MostKW, a.ThenKW = asked.V[i], kw
			}
			if i+1 < asked.Len() && kw < allOf*asked.V[i] {
				dt := math.Min(asked.T[i+1]-t, trace.GapFloorS)
				a.ShortS += dt
				a.ShortKWh += (asked.V[i] - kw) * dt / 3600
				if math.IsNaN(a.FromS) {
					a.FromS = t - zero
				}
			}
		}
		if a.MostKW == 0 {
			return nil
		}
		if math.IsNaN(a.FromS) {
			a.FromS = 0
		}
		if offered := s.of(trace.StallSide, trace.OfferedPower); offered.Len() > 0 {
			a.Offered = ptr(offered.V[offered.Max()])
		}
		return a
	}
	return nil
}

// askedRampS is how long after first power a shortfall is the ramp's.
const askedRampS = 60

func (s *sides) firstPowerOf(p trace.Series) float64 {
	if t, _, ok := s.firstFlow(cut(p, s.legs[0].span())); ok {
		return t
	}
	return 0
}

// leastShortS is how long less than requested must flow to be worth a finding.
const leastShortS = 30

// askedFinding says whether all that was requested flowed.
func askedFinding(r *Reading) *Finding {
	a := r.Asked
	if a == nil {
		return nil
	}
	f := &Finding{Kind: AboutAsked, FromS: a.FromS, ToS: a.FromS + a.ShortS, Confidence: say.Strong,
		Evidence: []say.Text{say.T("curve.the-most-that-was", say.Fig(a.MostKW, 0), say.Fig(a.ThenKW, 0))}}
	if a.Offered != nil {
		f.Evidence = append(f.Evidence, say.T("curve.the-stall-offered-kw", say.Fig(*a.Offered, 0)))
	}
	if a.ShortS < leastShortS {
		switch {
		case a.Offered == nil: // it may have asked for no more than it was offered
			f.Text, f.Confidence = say.T("curve.all-that-the-car-requested-flowed"), say.Likely
		case a.MostKW >= allOf**a.Offered:
			f.Text = say.T("curve.all-that-the-car-requested")
		default:
			f.Text = say.T("curve.all-that-the-car")
		}
		if n := len(r.Legs); n > 0 {
			f.FromS, f.ToS = r.Legs[0].FromS, r.Legs[n-1].ToS
		}
		return f
	}
	f.Text = say.T("curve.less-than-the-car", say.Duration(math.Round(a.ShortS)), say.Fixed(a.ShortKWh, 1))
	return f
}
