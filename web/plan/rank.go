package plan

import (
	"math"

	"zincroad/core/prepare"
)

// rank asks what every stall would give this car, started as planned.
func (o *Outcome) rank(v *View, p prepare.Plan) {
	var offers []prepare.Offer
	for i := range v.Sites {
		site := &v.Sites[i]
		for k := range site.Stalls {
			t := &site.Stalls[k]
			offer := prepare.Offer{ID: t.ID, Site: site.Name, Stall: t.Describe(), Km: math.NaN(),
				Chosen: v.Stall != nil && t.ID == v.Stall.ID}
			if site.BaseKm != nil {
				offer.Km = *site.BaseKm
			}
			offers = append(offers, offer)
		}
	}
	o.Ranking, o.Warm = prepare.Rank(p, v.Plan, offers)
}
