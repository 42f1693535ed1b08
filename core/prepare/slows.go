package prepare

import (
	"zincroad/core/forecast"
)

// Slows is from which charge on it goes slowly: ten points before and ten behind, min.
type Slows struct {
	AtPct               float64
	BeforeMin, AfterMin float64
}

// WhereItSlows says it of a plan as it is prepared.
func (p *Prepared) WhereItSlows() (Slows, bool) {
	if p.Approach == nil {
		return Slows{}, false
	}
	return WhereItSlows(p.Plan.session(p.Plan.FromPct, 100, p.Approach.Plug().Battery))
}

// slower is how much longer ten points must take than those before to be worth unplugging for (common practice, no
// source: half as long again is felt).
const slower = 1.5

// WhereItSlows says where a session that is gone on to the top begins to go slowly; false where it nowhere does.
func WhereItSlows(session forecast.Plan) (Slows, bool) {
	session.ToPct = 100
	f, err := forecast.Once(session)
	if err != nil {
		return Slows{}, false
	}
	minutes := func(from float64) (float64, bool) {
		a, ok1 := f.Post(from)
		b, ok2 := f.Post(from + 10)
		return (b.TS - a.TS) / 60, ok1 && ok2
	}
	for at := 10.0; at <= 90; at += 10 {
		if at-10 <= session.FromPct { // with the beginning in it, ten points say nothing
			continue
		}
		before, ok1 := minutes(at - 10)
		after, ok2 := minutes(at)
		if ok1 && ok2 && after >= slower*before {
			return Slows{at, before, after}, true
		}
	}
	return Slows{}, false
}
