package judge

import (
	"math"

	"zincroad/core/limit"
)

// Sample is one moment of flowing power as it was judged: seconds to a minute of readings together. NaN: not read, and
// not to be worked out from what was.
type Sample struct {
	T, ForS              float64 // its middle on the log's clock; how long it stands for, s
	Leg                  int
	SoCPct               float64
	PlugKW               float64 // where only the pack's was read, with what is usual beside
	PackKW, PackA, PackV float64 // the pack's where it was read, else worked out from the plug's
	ColdestC, WarmestC   float64
	Own                  float64  // how likely it is that the car took all that it would have
	Limit                float64  // how likely it is that one of its own fixed limits was what held; part of Own
	Stretch              *Stretch // what held; nil: nothing was found
}

// Fall is a sudden fall of the power that was seen, or that lay between two readings.
type Fall struct {
	AtS, AfterPlugS float64 // on the log's clock, and since its leg's plug-in
	SoCPct          float64 // NaN: not read
}

// Falls lists the sudden falls of a run in order of time.
func (j *Judgement) Falls() []Fall {
	var out []Fall
	for _, f := range j.known.falls.list {
		out = append(out, Fall{f.atS, f.afterPlug, f.soc})
	}
	return out
}

// ofCarAlways are the causes under which a car takes all that its pack, warm as it is, will ever take at that charge.
var ofCarAlways = []limit.Cause{limit.PackTaper, limit.CarPower, limit.CarCurrent, limit.SoCStep, limit.Finish}

// ofCarByWarmth are those under which it does by how warm it is, which says something only where that was read.
var ofCarByWarmth = []limit.Cause{limit.Cold, limit.Hot}

// Samples are the moments of a run with what held them, in order of time.
func (j *Judgement) Samples() []Sample {
	var out []Sample
	at := 0
	for _, sp := range j.spans {
		g := sp.grid
		for i, t := range g.t {
			for at < len(j.Stretches) && j.Stretches[at].ToS <= t {
				at++
			}
			s := Sample{T: t, ForS: g.to[i] - g.from[i], Leg: g.leg, SoCPct: g.soc[i], PlugKW: g.plugKW[i],
				PackKW: g.packKW[i], PackA: g.packA[i], PackV: g.packV[i], ColdestC: g.coldest[i], WarmestC: g.warmest[i]}
			if i+1 < len(g.t) {
				s.ForS = g.from[i+1] - g.from[i]
			}
			if at < len(j.Stretches) && j.Stretches[at].FromS <= t {
				s.Stretch = &j.Stretches[at]
				s.Own = s.Stretch.own(!math.IsNaN(s.ColdestC))
				s.Limit = s.Stretch.Chance(limit.CarPower) + s.Stretch.Chance(limit.CarCurrent)
			}
			out = append(out, s)
		}
	}
	return out
}

// own is how likely it is that the car held a stretch for good: by causes that will hold it again at this charge and
// this temperature.
func (s *Stretch) own(warmthRead bool) float64 {
	p := 0.0
	for _, c := range ofCarAlways {
		p += s.Chance(c)
	}
	if warmthRead {
		for _, c := range ofCarByWarmth {
			p += s.Chance(c)
		}
	}
	if s.trusted > 0 {
		p *= s.trusted
	}
	return min(1, p)
}
