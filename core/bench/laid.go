package bench

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/say"
	"zincroad/core/units"
)

// lay works out each run's time in the window.
func (c *Comparison) lay(subjects []Subject) {
	c.times = make([]*float64, len(subjects))
	for i, s := range subjects {
		first := slices.IndexFunc(subjects[:i], func(o Subject) bool { return sameLog(o.Entry, s.Entry) })
		c.copyOf = append(c.copyOf, pickIndex(first, i))
		l := Laid{Title: s.Run.Title}
		if w, _, ok := s.Work.WindowOf(s.Reading, c.Window.FromPct, c.Window.ToPct); ok && c.Window.ToPct > c.Window.FromPct {
			l.TS, l.AverageKW = &w.TS, w.AverageKW
			c.times[i] = &w.TS
		}
		c.Runs = append(c.Runs, l)
	}
	if ref := c.times[c.Reference]; ref != nil {
		for i, t := range c.times {
			if t != nil {
				d := *t - *ref
				c.Runs[i].DeltaS = &d
			}
		}
	}
}

func pickIndex(found, otherwise int) int {
	if found >= 0 {
		return found
	}
	return otherwise
}

// Furthest is the run whose time in the window lies furthest from the reference's; false where no other
// run has one.
func (c *Comparison) Furthest() (run int, ok bool) {
	for i, r := range c.Runs {
		if i != c.Reference && r.DeltaS != nil && (!ok || math.Abs(*r.DeltaS) > math.Abs(*c.Runs[run].DeltaS)) {
			run, ok = i, true
		}
	}
	return run, ok
}

// lanesOf gives each run's state of charge from its own clock zero, which is what laying clocks over each other means,
// and when it ended: at its last power, where it had any, for a display that is read on says nothing of the race.
func lanesOf(subjects []Subject) []lane {
	out := make([]lane, len(subjects))
	for i, s := range subjects {
		soc := s.Work.SoC()
		l := lane{endS: math.NaN()}
		if n := len(s.Reading.Legs); n > 0 {
			l.endS = s.Reading.Legs[n-1].FlowedToS
		}
		for k, t := range soc.T {
			l.soc.T, l.soc.V = append(l.soc.T, t-s.Reading.ZeroS), append(l.soc.V, soc.V[k])
		}
		if math.IsNaN(l.endS) {
			l.endS = l.soc.Span().To
		}
		out[i] = l
	}
	return out
}

// bandPct is how many points of charge a band has.
const bandPct = 10.0

// bandCause is the share of a band's time that a cause must have to be named there.
const bandCause = 0.15

// bands splits the window by tens: minutes, differences and causes.
func (c *Comparison) bands(subjects []Subject) {
	for from := c.Window.FromPct; from < c.Window.ToPct; {
		to := min(c.Window.ToPct, bandPct*(math.Floor(from/bandPct+1e-9)+1))
		b := Band{FromPct: from, ToPct: to}
		for _, s := range subjects {
			w, at, ok := s.Work.WindowOf(s.Reading, from, to)
			if !ok {
				b.TS, b.DeltaS, b.Causes = append(b.TS, nil), append(b.DeltaS, nil), append(b.Causes, []limit.Cause{})
				b.Said = append(b.Said, "")
				continue
			}
			b.TS, b.DeltaS = append(b.TS, &w.TS), append(b.DeltaS, nil)
			causes := causesIn(s.Reading, at, at+w.TS, false)
			b.Causes = append(b.Causes, causes)
			sure := append(causesIn(s.Reading, at, at+w.TS, true), "")[0]
			if len(causes) > 0 && sure != causes[0] {
				sure = "" // something unsure held it longer
			}
			b.Said = append(b.Said, sure)
		}
		if ref := b.TS[c.Reference]; ref != nil {
			for i, t := range b.TS {
				if t != nil {
					d := *t - *ref
					b.DeltaS[i] = &d
				}
			}
		}
		c.Bands = append(c.Bands, b)
		from = to
	}
}

// causesIn lists what held a run between two times, most first; of what can be said, or of all.
func causesIn(x *curve.Reading, from, to float64, said bool) []limit.Cause {
	took := map[limit.Cause]float64{}
	for _, h := range x.Ceilings {
		if said && h.Confidence == say.Unsure {
			continue
		}
		if long := min(to, h.ToS) - max(from, h.FromS); long > 0 {
			took[h.Cause] += long
		}
	}
	out := []limit.Cause{}
	for _, s := range limit.Signs {
		if took[s.Cause] >= bandCause*(to-from) && took[s.Cause] > 0 {
			out = append(out, s.Cause)
		}
	}
	slices.SortStableFunc(out, func(a, b limit.Cause) int { return cmp.Compare(took[b], took[a]) })
	return out
}

// addPoints lists how long each run took to add 10, 20, 30 … points from its start.
func (c *Comparison) addPoints(subjects []Subject) {
	for points := bandPct; points <= 100; points += bandPct {
		row := AddPoints{Points: points}
		any := false
		for _, s := range subjects {
			var t *float64
			if s.Reading.SoC != nil {
				start := s.Reading.SoC.FromPct
				if at := s.Work.SoC().FirstReachAll([]float64{start + points})[0]; !math.IsNaN(at) {
					v := at - s.Reading.ZeroS
					t, any = &v, true
				}
			}
			row.TS = append(row.TS, t)
		}
		if any {
			c.AddPoints = append(c.AddPoints, row)
		}
	}
}

// distance lists how long each run took to add 100, 200 … km: by the consumption that was observed, where
// it is known of every car, else by the rated one. Minutes by the one beside minutes by the other say nothing.
func (c *Comparison) distance(subjects []Subject) {
	basis := ""
	for _, b := range []string{curve.Observed, curve.Rated} {
		lacks := func(s Subject) bool { return s.Reading.DistanceBy(b) == nil }
		if !slices.ContainsFunc(subjects, lacks) {
			basis = b
			break
		}
	}
	reached := func(steps []float64, unit float64) (rows []ToDistance) {
		for _, n := range steps {
			row := ToDistance{Km: n * unit, Basis: basis}
			any := false
			for _, s := range subjects {
				var t *float64
				if d := s.Reading.DistanceBy(basis); d != nil {
					t = d.To(n * unit)
				}
				any = any || t != nil
				row.TS = append(row.TS, t)
			}
			if any {
				rows = append(rows, row)
			}
		}
		return rows
	}
	c.Distance = append(c.Distance, reached([]float64{100, 200, 300}, 1)...)
	c.DistanceMi = reached([]float64{50, 100, 200}, units.KmPerMile)
}
